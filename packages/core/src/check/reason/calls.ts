/**
 * What functions come to that read their arguments alone, kept by what the arguments may be: they are asked over and
 * over, often one inside another.
 */

import type { Expr, Machine } from "../machine.js";
import { readsOf } from "../reads.js";
import { visitExpr } from "../visit.js";
import { headOf } from "./expression-keys.js";
import { type Knowledge, type Local, PAIR } from "./knowledge.js";
import type { Possible } from "./possible.js";

/** Results kept of one function; of more the first are forgotten. */
const MAX_KEPT = 2_000;

interface Callable {
  /** The kinds of expressions in it: what is known of one of those may tell more of it. */
  readonly heads: ReadonlySet<string>;
  readonly results: Map<string, Possible>;
}

export class Calls {
  private readonly callables = new Map<number, Callable | undefined>();

  constructor(private readonly machine: Machine) {}

  /**
   * @param args what the arguments are
   * @param apart how many elements are gone through one by one for each that is now
   * @returns what is worked out by `body` the first time
   */
  of(id: number, args: readonly Local[], apart: number, store: Knowledge, body: () => Possible): Possible {
    const callable = this.callable(id);
    const key = callable && keyOf(args, apart, factsOf(callable, store));
    if (!callable || !key) return body();
    const { results } = callable;
    const known = results.get(key);
    if (known) return known;
    const value = body();
    if (results.size >= MAX_KEPT) results.clear();
    results.set(key, value);
    return value;
  }

  private callable(id: number): Callable | undefined {
    if (this.callables.has(id)) return this.callables.get(id);
    const body = this.machine.functions[id]?.body;
    const reads = body && readsOf(this.machine, body);
    const callable =
      body && reads && reads.slots.size === 0 && !reads.more
        ? { heads: this.headsIn(body), results: new Map<string, Possible>() }
        : undefined;
    this.callables.set(id, callable);
    return callable;
  }

  private headsIn(body: Expr): Set<string> {
    const heads = new Set<string>([PAIR]);
    // Nothing calls itself, so this ends.
    const visitor = {
      expr: (e: Expr): void => {
        if (e.kind === "call") visitExpr(this.machine.functions[e.function]?.body, visitor);
        if (e.kind !== "constant" && e.kind !== "local") heads.add(headOf(e));
      },
    };
    visitExpr(body, visitor);
    return heads;
  }
}

/** What is known of expressions like those in it. */
function factsOf({ heads }: Callable, store: Knowledge): readonly unknown[] {
  const known: unknown[] = [];
  for (const [text, { head, value }] of store.facts) if (heads.has(head)) known.push(text, value);
  return known;
}

/** What decides what comes of it; undefined for what cannot be written down. */
function keyOf(args: readonly Local[], apart: number, facts: readonly unknown[]): string | undefined {
  const names = args.map(({ key }) => key?.text ?? "");
  // By name facts speak of arguments. Without facts it counts which of them are surely the same.
  const called = facts.length > 0 ? names : names.map((name, i) => (name === "" ? i : names.indexOf(name)));
  const text = JSON.stringify([apart, called, args.map(({ value }) => value), facts]);
  return text.includes("null") ? undefined : text;
}
