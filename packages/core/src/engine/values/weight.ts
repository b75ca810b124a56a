/** How much a situation comes to when it is written down: values that it shares count every time. */

import { Box } from "./box.js";

/** The most a situation may come to: values and characters. */
export const MAX_WEIGHT = 2_000_000;

/** Boxes of situations never change, so each is weighed once. */
const known = new WeakMap<Box, number>();

/** The weight of a value of a situation that has been given out. */
export function weightOf(value: unknown): number {
  if (typeof value === "string") return 1 + value.length;
  if (!(value instanceof Box)) return 1;
  const before = known.get(value);
  if (before !== undefined) return before;
  let weight = 1;
  for (const part of value.parts) weight += weightOf(part);
  known.set(value, weight);
  return weight;
}
