/** What somebody listens to while a machine runs: a search that looks for something, a count of what was covered. */

import type { Expr } from "../../check/machine.js";
import type { Span } from "../../language/source.js";
import type { Get, Run } from "../values/closure.js";

/** Is told what an expression came to, each time it is worked out; what is bound there can still be read. */
export type Probe = (value: unknown) => void;

export interface Probes {
  /** The expressions that are listened to, by themselves. */
  readonly values: ReadonlyMap<Expr, Probe>;
  /** An action, listener, `when` or timer is carried out; in the standard order, the arrow of one. */
  taken?(item: Span): void;
  /** A state is entered, by its number. */
  entered?(state: number): void;
  /** The match ends, by the number of the ending. */
  ended?(ending: number): void;
}

/** Tells one after the other. */
export function inTurn(before: Probe | undefined, then: Probe): Probe {
  if (!before) return then;
  return (value) => {
    before(value);
    then(value);
  };
}

/** A closure that tells a probe what it gives. */
export function probed(get: Get, probe: Probe): Get {
  return () => {
    const value = get();
    probe(value);
    return value;
  };
}

/** What runs, after it was told of. */
export function told(tell: (() => void) | undefined, run: Run): Run {
  if (!tell) return run;
  return () => {
    tell();
    run();
  };
}
