/** Arithmetic on intervals (Moore 1966): every result that operands within their bounds can have, and perhaps more. */

import type { BinaryOperator } from "../../language/syntax.js";
import { between, type NumberSet } from "./possible.js";

/** The bounds of a sum, difference, product, quotient or remainder; a divisor that may be zero says nothing. */
export function arithmetic(op: BinaryOperator, a: NumberSet, b: NumberSet): NumberSet {
  switch (op) {
    case "+":
      return { kind: "number", low: a.low + b.low, high: a.high + b.high };
    case "-":
      return { kind: "number", low: a.low - b.high, high: a.high - b.low };
    case "*":
      return around(a.low * b.low, a.low * b.high, a.high * b.low, a.high * b.high);
    case "/":
      if (b.low <= 0 && b.high >= 0) return { kind: "number", low: -Number.MAX_VALUE, high: Number.MAX_VALUE };
      return around(a.low / b.low, a.low / b.high, a.high / b.low, a.high / b.high);
    case "mod":
      return remainder(a, b);
    default:
      throw new Error(`no arithmetic: ${op}`);
  }
}

/** The bounds with their signs turned. */
export function negated(of: NumberSet): NumberSet {
  return { kind: "number", low: -of.high, high: -of.low };
}

/** The numbers from the least to the greatest of some. */
function around(...corners: readonly number[]): NumberSet {
  return { kind: "number", low: Math.min(...corners), high: Math.max(...corners) };
}

function remainder(a: NumberSet, b: NumberSet): NumberSet {
  // Inside one stretch of the divisor the remainder only moves along.
  if (b.low === b.high && b.low > 0 && Math.floor(a.low / b.low) === Math.floor(a.high / b.low)) {
    const below = Math.floor(a.low / b.low) * b.low;
    return between(a.low - below, a.high - below);
  }
  return between(b.low < 0 ? b.low + 1 : 0, b.high > 0 ? b.high - 1 : 0);
}
