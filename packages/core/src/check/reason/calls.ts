/**
 * What functions come to, kept by what their arguments and the data they read may be: they are asked over and over,
 * often one inside another.
 */

import type { Expr, Machine } from "../machine.js";
import { readsOf } from "../reads.js";
import { visitExpr } from "../visit.js";
import { headOf } from "./expression-keys.js";
import { type Knowledge, type Local, PAIR } from "./knowledge.js";
import type { Possible } from "./possible.js";

/** Results kept of one function; with more they are all forgotten. */
const MAX_KEPT = 2_000;
/** Functions of fewer expressions are worked out as fast as they are looked up. */
const FEW_EXPRESSIONS = 8;

interface Callable {
  /** The slots of the root box that it reads. */
  readonly slots: readonly number[];
  /** The kinds of expressions in it: what is known of one of those may tell more of it. */
  readonly heads: ReadonlySet<string>;
  readonly results: Map<string, Result>;
}

interface Result {
  readonly value: Possible;
  /** Whoever watched was told of nothing that may go wrong in it. */
  readonly isHarmless: boolean;
}

/** Works a function out. */
export interface Working {
  /** Somebody watches, and is told of what may go wrong. */
  readonly isWatched: boolean;
  /** How often somebody was told so far. */
  told(): number;
  value(): Possible;
}

export class Calls {
  private readonly callables = new Map<number, Callable | undefined>();

  constructor(private readonly machine: Machine) {}

  /**
   * @param args what the arguments are
   * @param apart how many elements are gone through one by one for each that is now
   * @returns what the function comes to, worked out where that is not known
   */
  of(id: number, args: readonly Local[], apart: number, store: Knowledge, working: Working): Possible {
    const callable = this.callable(id);
    const key = callable && keyOf(callable, args, apart, store);
    if (!callable || !key) return working.value();
    const { results } = callable;
    const known = results.get(key);
    if (known && (known.isHarmless || !working.isWatched)) return known.value;
    const before = working.told();
    const value = working.value();
    if (results.size >= MAX_KEPT) results.clear();
    results.set(key, { value, isHarmless: working.isWatched && working.told() === before });
    return value;
  }

  private callable(id: number): Callable | undefined {
    if (this.callables.has(id)) return this.callables.get(id);
    const body = this.machine.functions[id]?.body;
    const callable = body && this.callableOf(body);
    this.callables.set(id, callable);
    return callable;
  }

  /** Undefined where it asks for more than data, or is small. */
  private callableOf(body: Expr): Callable | undefined {
    const { slots, more } = readsOf(this.machine, body);
    const heads = new Set<string>([PAIR]);
    let size = 0;
    // Nothing calls itself, so this ends.
    const visitor = {
      expr: (e: Expr): void => {
        size++;
        if (e.kind === "call") visitExpr(this.machine.functions[e.function]?.body, visitor);
        if (e.kind !== "constant" && e.kind !== "local") heads.add(headOf(e));
      },
    };
    visitExpr(body, visitor);
    return more || size < FEW_EXPRESSIONS ? undefined : { slots: [...slots], heads, results: new Map() };
  }
}

/** What is known of expressions like those in it. */
function factsOf({ heads }: Callable, store: Knowledge): readonly unknown[] {
  const known: unknown[] = [];
  for (const [text, { head, value }] of store.facts) if (heads.has(head)) known.push(text, value);
  return known;
}

/** What decides what comes of it; undefined for what cannot be written down. */
function keyOf(callable: Callable, args: readonly Local[], apart: number, store: Knowledge): string | undefined {
  const facts = factsOf(callable, store);
  const data = callable.slots.map((slot) => store.data[slot] ?? 0);
  const unset = [...store.unset].filter((name) => callable.slots.includes(Number.parseInt(name, 10)));
  const names = args.map(({ key }) => key?.text ?? "");
  // By name facts speak of arguments. Without facts it counts which of them are surely the same.
  const called = facts.length > 0 ? names : names.map((name, i) => (name === "" ? i : names.indexOf(name)));
  const text = JSON.stringify([apart, called, args.map(({ value }) => value), data, unset, facts]);
  return text.includes("null") ? undefined : text;
}
