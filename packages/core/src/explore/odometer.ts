/** Every way the dice of a step can fall, one after the other, each with its probability. */

import type { Roller } from "../engine/situation/memory.js";
import type { Span } from "../language/source.js";

/** A roll whose outcomes cannot be listed. */
export class Unlistable extends Error {
  constructor(
    readonly at: Span,
    readonly words: string,
  ) {
    super(words);
  }
}

/** More ways than this of rolling in one step are not tried. */
const MOST_WAYS = 5_040;
/** More faces than this of one roll are not tried. */
const MOST_FACES = 5_000;

interface Digit {
  index: number;
  readonly weights: readonly number[] | number;
  readonly total: number;
}

/** Rolls the first of all ways; after `next`, the next one. */
export class Odometer implements Roller {
  private readonly digits: Digit[] = [];
  private readonly values: (number | boolean)[] = [];
  private at = 0;
  private ways = 0;

  /** Begins with the first way of another step. */
  reset(): void {
    if (this.digits.length > 0) this.digits.length = 0;
    if (this.values.length > 0) this.values.length = 0;
    this.at = 0;
    this.ways = 0;
  }

  /** Goes on to the next way of the same step. @returns false when there is none left */
  next(): boolean {
    if (this.digits.length === 0) return false;
    for (let last = this.digits.at(-1); last; last = this.digits.at(-1)) {
      last.index = following(last);
      if (last.index >= 0) break;
      this.digits.pop();
    }
    this.at = 0;
    this.values.length = 0;
    return this.digits.length > 0;
  }

  /** What was rolled, as a logbook has it. */
  get rolled(): readonly (number | boolean)[] {
    return this.values;
  }

  /** The probability of this way, as a whole number of parts of `total`. */
  get share(): { readonly part: number; readonly total: number } {
    let part = 1;
    let total = 1;
    for (const digit of this.digits) {
      part *= typeof digit.weights === "number" ? 1 : (digit.weights[digit.index] as number);
      total *= digit.total;
    }
    return { part, total };
  }

  whole(low: number, high: number, at: Span): number {
    if (high - low >= MOST_FACES) throw new Unlistable(at, `a roll of ${low}..${high} has too many faces`);
    const value = low + this.digit(high - low + 1, high - low + 1, at);
    this.values.push(value);
    return value;
  }

  real(_low: number, _high: number, at: Span): number {
    throw new Unlistable(at, "a roll that is no whole number has no end of outcomes");
  }

  chance(part: number, whole: number, at: Span): boolean {
    const yes = Math.min(Math.max(part, 0), whole);
    const value = this.digit([yes, whole - yes], whole, at) === 0;
    this.values.push(value);
    return value;
  }

  weighted(weights: readonly number[], at: Span): number {
    const total = weights.reduce((sum, weight) => sum + weight, 0);
    const value = this.digit(weights.slice(), total, at);
    this.values.push(value);
    return value;
  }

  private digit(weights: readonly number[] | number, total: number, at: Span): number {
    const known = this.digits[this.at];
    if (known) {
      this.at++;
      return known.index;
    }
    if (++this.ways > MOST_WAYS) throw new Unlistable(at, `more than ${MOST_WAYS} ways of rolling in one step`);
    const digit: Digit = { index: -1, weights, total };
    digit.index = following(digit);
    this.digits.push(digit);
    this.at++;
    return digit.index;
  }
}

/** Rolls at random; what an odometer cannot list it does not roll either, so that each step can be found again. */
export class Chance implements Roller {
  private readonly values: (number | boolean)[] = [];
  private ways = 1;

  /** @param below gives a whole number from 0 up to, not including, another */
  constructor(private readonly below: (count: number) => number) {}

  reset(): void {
    if (this.values.length > 0) this.values.length = 0;
    this.ways = 1;
  }

  /** What was rolled, as a logbook has it. */
  get rolled(): readonly (number | boolean)[] {
    return this.values;
  }

  whole(low: number, high: number, at: Span): number {
    if (high - low >= MOST_FACES) throw new Unlistable(at, `a roll of ${low}..${high} has too many faces`);
    return this.kept(low + this.below(high - low + 1), high - low + 1, at);
  }

  real(_low: number, _high: number, at: Span): number {
    throw new Unlistable(at, "a roll that is no whole number has no end of outcomes");
  }

  chance(part: number, whole: number, at: Span): boolean {
    const yes = part >= whole || (part > 0 && this.below(CHANCES) < (part / whole) * CHANCES);
    return this.kept(yes, 2, at);
  }

  weighted(weights: readonly number[], at: Span): number {
    const possible = weights.flatMap((weight, i) => (weight > 0 ? [i] : []));
    return this.kept(possible[this.below(possible.length)] as number, possible.length, at);
  }

  private kept<T extends number | boolean>(value: T, ways: number, at: Span): T {
    this.ways *= ways;
    if (this.ways > MOST_WAYS) throw new Unlistable(at, `more than ${MOST_WAYS} ways of rolling in one step`);
    this.values.push(value);
    return value;
  }
}

/** How finely chances are rolled. */
const CHANCES = 1_000_000;

/** The next outcome of a roll that can happen at all; -1 when there is none. */
function following({ index, weights }: Digit): number {
  if (typeof weights === "number") return index + 1 < weights ? index + 1 : -1;
  for (let i = index + 1; i < weights.length; i++) if ((weights[i] as number) > 0) return i;
  return -1;
}
