/** Typed expressions that stand for what was not written. */

import type { Span } from "../language/source.js";
import type { Expr } from "./machine.js";
import { type Type, UNKNOWN } from "./types.js";

/** What a value that may be none holds, taken for granted; a fault when there is none. */
export function unwrapped(of: Expr, type: Type): Expr {
  return { kind: "unwrap", of, type, from: of.from, to: of.to };
}

/** Stands where an expression could not be read; whatever is asked of it, it fits. */
export function unknownAt(at: Span): Expr {
  return { kind: "constant", value: null, type: UNKNOWN, from: at.from, to: at.to };
}
