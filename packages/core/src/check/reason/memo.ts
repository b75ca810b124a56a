/** What has been worked out of an expression is kept with what was known, so that it is worked out once. */

import type { Expr, Machine } from "../machine.js";
import { someExpr } from "../visit.js";
import type { Knowledge } from "./knowledge.js";

interface Kept<T> {
  readonly value: T;
  /** A watcher was told of what may go wrong; without that, it has to be worked out again for one. */
  readonly watched: boolean;
}

/** Kinds that are worked out as fast as they are looked up. */
const PLAIN: ReadonlySet<string> = new Set(["constant", "named", "default", "local", "data", "stateData", "me", "now"]);

/** Results by what was known and by expression. Of expressions that ask where the match is nothing is kept. */
export class Memo<T> {
  private readonly askPlace = new WeakMap<Expr, boolean>();

  constructor(private readonly machine: Machine) {}

  /** @param watched whether a watcher has to be told of what may go wrong */
  find(e: Expr, store: Knowledge, watched: boolean): T | undefined {
    if (PLAIN.has(e.kind)) return undefined;
    const known = store.results?.get(this)?.get(e) as Kept<T> | undefined;
    return known && (known.watched || !watched) ? known.value : undefined;
  }

  keep(e: Expr, store: Knowledge, watched: boolean, value: T): T {
    if (PLAIN.has(e.kind) || this.asksPlace(e)) return value;
    store.results ??= new Map();
    let results = store.results.get(this);
    if (!results) store.results.set(this, (results = new Map()));
    results.set(e, { value, watched });
    return value;
  }

  private asksPlace(e: Expr): boolean {
    const known = this.askPlace.get(e);
    if (known !== undefined) return known;
    // Nothing calls itself, so this ends.
    const asks = someExpr(
      e,
      (part) =>
        part.kind === "inState" ||
        (part.kind === "call" && this.asksPlace(this.machine.functions[part.function]?.body as Expr)),
    );
    this.askPlace.set(e, asks);
    return asks;
  }
}
