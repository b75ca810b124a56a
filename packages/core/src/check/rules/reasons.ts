/** Why a comparison always comes out the same, in words: what one side can be, and what the other asks. */

import type { Expr, Machine } from "../machine.js";
import { bitsOf, type Possible } from "../reason/possible.js";
import { RELATIONS } from "../reason/relations.js";
import { MAX_INT, type Type } from "../types.js";

/** What a comparison asks of its left side, before its right one. */
const ASKED: Readonly<Record<string, string>> = {
  "==": "",
  "!=": "anything but ",
  "<": "less than ",
  "<=": "at most ",
  ">": "more than ",
  ">=": "at least ",
};

/** Names listed at most. */
const MAX_NAMES = 4;

/**
 * The reason, such as "week stops at 50, and this asks for 52".
 *
 * @param sides what both sides may come to where the comparison is tested
 * @returns undefined for what is no comparison, or of which no more can be said
 */
export function reasonOf(
  machine: Machine,
  test: Expr,
  sides: readonly [Possible, Possible] | undefined,
): string | undefined {
  if (test.kind !== "binary" || !Object.hasOwn(RELATIONS, test.op) || !sides) return undefined;
  const written = (e: Expr): string => machine.sources.written(e);
  const [left, right] = [rangeOf(machine, test.left, sides[0]), rangeOf(machine, test.right, sides[1])];
  // A constant says what it is by itself.
  if (isConstant(test.right))
    return left && `${written(test.left)} ${left}, and this asks for ${ASKED[test.op]}${written(test.right)}`;
  if (isConstant(test.left))
    return right && `${written(test.right)} ${right}, and this compares it with ${written(test.left)}`;
  return left && right && `${written(test.left)} ${left}, and ${written(test.right)} ${right}`;
}

function isConstant(e: Expr): boolean {
  return e.kind === "constant" || e.kind === "named";
}

/** What an expression can be, as the end of a sentence that begins with it. */
function rangeOf(machine: Machine, e: Expr, value: Possible): string | undefined {
  if (value.kind === "number") {
    const { low, high } = value;
    if (low === high) return `is always ${low} here`;
    const hasLow = low > -MAX_INT;
    const hasHigh = high < MAX_INT;
    if (hasLow && hasHigh) return `goes from ${low} to ${high} here`;
    return hasLow ? `is at least ${low} here` : hasHigh ? `is at most ${high} here` : undefined;
  }
  if (value.kind !== "choice") return undefined;
  const names = bitsOf(value.mask).map((bit) => nameOf(machine, e.type, bit));
  if (names.length === 0 || names.length > MAX_NAMES || names.includes(undefined)) return undefined;
  if (names.length === 1) return `is always ${names[0]} here`;
  return `is ${names.slice(0, -1).join(", ")} or ${names.at(-1)} here`;
}

function nameOf(machine: Machine, type: Type, bit: number): string | undefined {
  if (type.kind === "bool") return bit === 1 ? "true" : "false";
  if (type.kind === "seat") return machine.seats.names[bit];
  return type.kind === "enum" ? type.members[bit] : undefined;
}
