/** Who acts first where several seats may, as a match is played by policies. */

import type { Machine } from "../check/machine.js";
import type { Configuration } from "../engine/situation/configuration.js";
import { type Dice, randomBelow } from "../engine/values/random.js";

/**
 * Whether those on turn act as they come, so that each may be the first: several have the turn, and not each of them
 * once. Where each chooses once, they do so in the order of the list.
 */
export function actAsTheyCome({ states }: Machine, { turns }: Configuration): boolean {
  return turns.some((id) => states[id]?.turn?.each === false);
}

/** All of some seats, each as likely as the others to be the next. */
export function* inAnyOrder<T>(seats: readonly T[], dice: Dice): Generator<T> {
  const left = seats.slice();
  while (left.length > 0) yield left.splice(randomBelow(dice, 0, left.length), 1)[0] as T;
}
