/** Expressions of which somebody is told what they come to: a search that looks for one to come out so. */

import type { Expr } from "../../check/machine.js";
import type { Get } from "../values/closure.js";

/** Is told what an expression came to, each time it is worked out; what is bound there can still be read. */
export type Probe = (value: unknown) => void;

/** The expressions that are listened to, by themselves. */
export type Probes = ReadonlyMap<Expr, Probe>;

/** A closure that tells a probe what it gives. */
export function probed(get: Get, probe: Probe): Get {
  return () => {
    const value = get();
    probe(value);
    return value;
  };
}
