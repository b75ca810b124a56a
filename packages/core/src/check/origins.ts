/**
 * Where values come from: which data and dice that not everybody may see an expression shows something of. The checker
 * tells by it what leaks and what is rolled with the wrong dice; the engine, what a seat is told.
 */

import type { Span } from "../language/source.js";
import type { Visibility } from "../language/syntax.js";
import type { DataField, Expr, Location, Machine } from "./machine.js";
import { partsOf } from "./visit.js";

/** Data, or dice, that a value comes from. */
export interface Origin {
  /** As it is written in the machine. */
  readonly name: string;
  /** `public` only for rolls, which are told apart although everybody sees them. */
  readonly visibility: Visibility;
  /** Whose it is, as written: `me` for the one who acts; undefined when it is nobody's or not clear. */
  readonly owner: string | undefined;
  /** Where it is rolled; undefined for data. */
  readonly roll?: Span;
}

/** What is chosen for a sealed action: only its own seat knows. */
export const CHOICE: Origin = { name: "the choice", visibility: "private", owner: "me" };
/** Whatever it is, it is not looked at further. */
const ANYTHING: Origin = { name: "", visibility: "hidden", owner: undefined };

/** Where local values come from, by slot. */
export type Known = ReadonlyMap<number, readonly Origin[]>;

export const NOTHING_KNOWN: Known = new Map();

/** How deep calls of functions are followed. */
const DEEPEST = 40;

export interface OriginOptions {
  /**
   * What a machine does on purpose counts as well: what is taken from a list, and how many there are. For what is told
   * besides, that may be told as little as the rest.
   */
  readonly strict: boolean;
}

export class Origins {
  /** Whose things a parameter names, while a function is looked into. */
  private readonly owners = new Map<number, string | undefined>();
  /** What calls of functions come from, by function and what their arguments come from. */
  private readonly calls = new Map<string, readonly Origin[]>();

  constructor(
    readonly machine: Machine,
    private readonly options: OriginOptions,
  ) {}

  /** What an expression comes from. */
  of(e: Expr, known: Known, depth = 0): readonly Origin[] {
    const { strict } = this.options;
    if (depth > DEEPEST) return strict ? [ANYTHING] : [];
    switch (e.kind) {
      case "local":
        return known.get(e.slot) ?? [];
      case "take":
        // What is taken has been moved on purpose.
        return strict ? this.ofLocation(e.target, known) : [];
      case "listProperty":
      case "mapProperty":
        // How many there are is no secret.
        return !strict && (e.property === "size" || e.property === "empty") ? [] : this.of(e.of, known, depth + 1);
      case "index": {
        const field = this.fieldOf(e.of);
        const key = this.of(e.key, known, depth + 1);
        return united(key, field ? [this.secretOf(field, e.key)] : this.of(e.of, known, depth + 1));
      }
      case "data":
      case "stateData": {
        const field = this.fieldOf(e);
        return field ? [{ name: field.name, visibility: field.visibility, owner: undefined }] : [];
      }
      case "canAct":
        return strict ? [ANYTHING] : this.of(e.seat, known, depth + 1);
      case "call":
        return this.ofCall(e, known, depth);
      case "binder": {
        const source = this.of(e.source, known, depth + 1);
        const inner = new Map(known).set(e.slot, source);
        const parts = [e.where, e.body].map((part) => (part ? this.of(part, inner, depth + 1) : []));
        const counts = !strict && (e.word === "count" || e.word === "any" || e.word === "all" || e.word === "sum");
        return united(counts ? [] : source, ...parts);
      }
      case "roll":
      case "chance":
      case "pick":
      case "shuffle": {
        const { name, visibility } = this.streamOf(e.stream);
        const owner = e.owner && this.ownerOf(e.owner);
        const rolled: Origin = { name, visibility, owner, roll: { from: e.from, to: e.to } };
        return united([rolled], ...partsOf(e).map((part) => this.of(part, known, depth + 1)));
      }
      default:
        return united(...partsOf(e).map((part) => this.of(part, known, depth + 1)));
    }
  }

  /** What writing to a place touches: the data it is part of, when not everybody sees them, and its indices. */
  ofLocation({ base, path }: Location, known: Known): readonly Origin[] {
    const keys = path.flatMap((step) => (step.kind === "index" ? [step.key] : []));
    const field = this.fieldAt(base);
    const own =
      base.kind === "local"
        ? (known.get(base.slot) ?? [])
        : field && field.visibility !== "public"
          ? [this.secretOf(field, keys[0])]
          : [];
    return united(own, ...keys.map((key) => this.of(key, known)));
  }

  /** The data that a place is part of; undefined for a local value. */
  fieldAt(base: Location["base"]): DataField | undefined {
    if (base.kind === "data") return this.machine.data[base.slot];
    return base.kind === "stateData"
      ? this.machine.states.find((s) => s.slot === base.slot)?.fields[base.field]
      : undefined;
  }

  /** Whose things an expression of a seat names. */
  ownerOf(key: Expr): string {
    if (key.kind === "me") return "me";
    const written = this.machine.sources.written(key);
    return key.kind === "local" ? (this.owners.get(key.slot) ?? written) : written;
  }

  private ofCall(e: Expr & { kind: "call" }, known: Known, depth: number): readonly Origin[] {
    const called = this.machine.functions[e.function];
    if (!called) return [];
    const inner = new Map(known);
    const owners: (string | undefined)[] = [];
    for (const [i, p] of called.parameters.entries()) {
      const arg = e.args[i];
      if (!arg) continue;
      inner.set(p.slot, this.of(arg, known, depth + 1));
      owners[i] = this.ownerOf(arg);
    }
    const key = JSON.stringify([e.function, owners, called.parameters.map((p) => inner.get(p.slot)), depth > 20]);
    const before = this.calls.get(key);
    if (before) return before;
    for (const [i, p] of called.parameters.entries()) this.owners.set(p.slot, owners[i]);
    const found = this.of(called.body, inner, depth + 1);
    this.calls.set(key, found);
    return found;
  }

  private streamOf(slot: number): { readonly name: string; readonly visibility: Visibility } {
    const stream = this.machine.streams.find((s) => s.slot === slot);
    return stream ?? { name: "main", visibility: "public" };
  }

  /** The data that an expression names when not everybody sees them. */
  private fieldOf(e: Expr): DataField | undefined {
    if (e.kind !== "data" && e.kind !== "stateData") return undefined;
    const field = this.fieldAt(e);
    return field && field.visibility !== "public" ? field : undefined;
  }

  private secretOf({ name, visibility, type }: DataField, key: Expr | undefined): Origin {
    const own = visibility === "private" && type.kind === "perSeat" && key;
    return { name, visibility, owner: own ? this.ownerOf(key) : undefined };
  }
}

/** Several lists as one, each origin once. */
export function united(...lists: readonly (readonly Origin[])[]): readonly Origin[] {
  const filled = lists.filter((list) => list.length > 0);
  if (filled.length <= 1) return filled[0] ?? [];
  const found = new Map<string, Origin>();
  for (const list of filled)
    for (const origin of list)
      found.set(`${origin.name} ${origin.visibility} ${origin.owner} ${origin.roll?.from}`, origin);
  return [...found.values()];
}
