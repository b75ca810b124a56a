/**
 * How two values lie to each other: less, equal, greater, in the bits of one number. What has no order is less or
 * greater when it is not equal.
 */

import { ANY, choice, isSingle, meet, type Possible } from "./possible.js";

const LESS = 1;
const EQUAL = 2;
const GREATER = 4;

/** Nothing known. */
export const ANY_RELATION = LESS | EQUAL | GREATER;

/** The relations for which each comparison holds. */
export const RELATIONS: Readonly<Record<string, number>> = {
  "<": LESS,
  "<=": LESS | EQUAL,
  ">": GREATER,
  ">=": GREATER | EQUAL,
  "==": EQUAL,
  "!=": LESS | GREATER,
};

/** Every relation that two values may have. */
export function relationOf(a: Possible, b: Possible): number {
  if (a.kind === "number" && b.kind === "number") {
    return (
      (a.low < b.high ? LESS : 0) | (a.low <= b.high && b.low <= a.high ? EQUAL : 0) | (a.high > b.low ? GREATER : 0)
    );
  }
  if (!overlap(a, b)) return LESS | GREATER;
  return isSingle(a) && isSingle(b) && (a.kind === b.kind || a.kind === "maybe" || b.kind === "maybe")
    ? EQUAL
    : ANY_RELATION;
}

/** The same relation seen from the other side. */
export function swapped(mask: number): number {
  return (mask & LESS ? GREATER : 0) | (mask & EQUAL) | (mask & GREATER ? LESS : 0);
}

/** What `a` may be when it lies to `b` as `wanted` says. */
export function limits(wanted: number, a: Possible, b: Possible): Possible {
  if (a.kind === "number" && b.kind === "number") {
    const whole =
      Number.isInteger(a.low) && Number.isInteger(b.low) && Number.isInteger(a.high) && Number.isInteger(b.high)
        ? 1
        : 0;
    const low = wanted & LESS ? -Number.MAX_VALUE : wanted & EQUAL ? b.low : b.low + whole;
    const high = wanted & GREATER ? Number.MAX_VALUE : wanted & EQUAL ? b.high : b.high - whole;
    if (wanted === (LESS | GREATER) && b.low === b.high && whole) {
      if (a.low === b.low) return { kind: "number", low: b.low + 1, high: Number.MAX_VALUE };
      if (a.high === b.high) return { kind: "number", low: -Number.MAX_VALUE, high: b.high - 1 };
    }
    return { kind: "number", low, high };
  }
  if (wanted === EQUAL)
    return a.kind === "maybe" && b.kind !== "maybe"
      ? { kind: "maybe", none: false, of: b }
      : a.kind !== "maybe" && b.kind === "maybe"
        ? (b.of ?? ANY)
        : b;
  if (!(wanted & EQUAL) && isSingle(b)) {
    if (a.kind === "choice" && b.kind === "choice") return choice(a.mask & ~b.mask);
    if (a.kind === "maybe" && b.kind === "maybe" && b.none) return { kind: "maybe", none: false, of: a.of };
  }
  return ANY;
}

export function overlap(a: Possible, b: Possible): boolean {
  if (a.kind === "maybe" && b.kind !== "maybe") return a.of !== undefined && overlap(a.of, b);
  if (b.kind === "maybe" && a.kind !== "maybe") return overlap(b, a);
  return meet(a, b) !== undefined;
}
