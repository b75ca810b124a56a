/** Names and what they stand for. */

import type { Span } from "../language/source.js";
import type { EnumType, Type } from "./types.js";

/** What a name in the space of values stands for. */
export type ValueSymbol = Span &
  (
    | { readonly kind: "data"; readonly slot: number; readonly type: Type }
    | {
        readonly kind: "stateData";
        readonly slot: number;
        readonly field: number;
        readonly type: Type;
        readonly owner: string;
      }
    | { readonly kind: "local"; readonly slot: number; readonly type: Type; readonly writable: boolean }
    | { readonly kind: "constant"; readonly id: number; readonly type: Type }
    | { readonly kind: "member"; readonly type: EnumType; readonly value: number }
    | { readonly kind: "seat"; readonly value: number }
    | { readonly kind: "team"; readonly seats: readonly number[] }
    | { readonly kind: "function" | "effect"; readonly id: number }
  );

/** How sentences call each kind of symbol. */
export const SYMBOL_WORDS: Readonly<Record<ValueSymbol["kind"], string>> = {
  data: "data",
  stateData: "data of a state",
  local: "a local value",
  constant: "a constant",
  member: "a member of an enumeration",
  seat: "a seat",
  team: "a team",
  function: "a function",
  effect: "an effect",
};

/** A chain of scopes; a name is looked up from the inside out, and a new one may not hide an outer one. */
export class Scope {
  private readonly names = new Map<string, ValueSymbol>();
  /** How many local values can be used here. */
  locals: number;

  constructor(readonly parent?: Scope) {
    this.locals = parent?.locals ?? 0;
  }

  find(name: string): ValueSymbol | undefined {
    return this.names.get(name) ?? this.parent?.find(name);
  }

  /**
   * Adds a name. What has this name further out is hidden, although that is a mistake: then only that mistake is told,
   * and not what follows from it.
   *
   * @returns the symbol that already has this name, if there is one
   */
  add(name: string, symbol: ValueSymbol): ValueSymbol | undefined {
    const taken = this.find(name);
    if (!this.names.has(name)) this.names.set(name, symbol);
    if (symbol.kind === "local") this.locals++;
    return taken;
  }

  /** Puts something else in the place of what has a name here. */
  replace(name: string, symbol: ValueSymbol): void {
    this.names.set(name, symbol);
  }

  /** All names that can be used here, for "did you mean". */
  all(): string[] {
    return [...this.names.keys(), ...(this.parent?.all() ?? [])];
  }
}
