/**
 * Lists of choices: of values that are the same one is offered, since choosing one or the other does the same. Two
 * equal cards in a hand are one choice.
 */

import type { Expr } from "../../check/machine.js";
import { Box, sameValue } from "../values/box.js";

/** Of longer lists equal values stay, so that listing takes no longer than they are long. */
const MOST_COMPARED = 500;

/** Whether the same value can stand twice in a list, as far as its text tells. */
export function mayRepeat(list: Expr): boolean {
  switch (list.kind) {
    case "range":
    case "seats":
    case "inPlay":
    case "seated":
    case "others":
    case "gridCall":
      return false;
    case "gridProperty":
    case "mapProperty":
      return list.property === "values";
    case "listProperty":
      return list.property !== "indices";
    case "binder":
      return list.word === "map" || mayRepeat(list.source);
    default:
      return true;
  }
}

/** The values of a list, each at its first place. */
export function eachOnce(values: readonly unknown[]): readonly unknown[] {
  if (values.length < 2 || values.length > MOST_COMPARED) return values;
  const plain = new Set(values);
  if (!values.some((value) => value instanceof Box)) return plain.size === values.length ? values : [...plain];
  return values.filter((value, i) => values.findIndex((other) => sameValue(other, value)) === i);
}
