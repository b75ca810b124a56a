/** Every way the dice of a step can fall, one after the other, each with its probability. */

import type { Roller } from "../engine/situation/memory.js";
import type { Span } from "../language/source.js";
import type { Share } from "./choice.js";

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
  weights: readonly number[] | number;
  total: number;
}

/** Rolls the first of all ways; after `next`, the next one. */
export class Odometer implements Roller {
  /** Those of this step stand in front, what is behind them is left over from others. */
  private readonly digits: Digit[] = [];
  private count = 0;
  private readonly values: (number | boolean)[] = [];
  private at = 0;
  private ways = 0;

  /** Begins with the first way of another step. @param spent rolls of it that were listed elsewhere */
  reset(spent = 0): void {
    this.count = 0;
    this.at = 0;
    this.ways = spent;
  }

  /** The same way comes again. */
  again(): void {
    this.at = 0;
  }

  /** No more is rolled in this way than was up to now, as far as is known. */
  get isAtEnd(): boolean {
    return this.at === this.count;
  }

  /** Something has been rolled in this way. */
  get hasRolled(): boolean {
    return this.at > 0;
  }

  /** How many rolls were new in this step. */
  get spent(): number {
    return this.ways;
  }

  /** Takes on rolls of this step that were listed elsewhere. @returns false when they would be too many */
  takesOn(rolls: number): boolean {
    if (this.ways + rolls > MOST_WAYS) return false;
    this.ways += rolls;
    return true;
  }

  /** Goes on to the next way of the same step. @returns false when there is none left */
  next(): boolean {
    this.at = 0;
    for (; this.count > 0; this.count--) {
      const last = this.digits[this.count - 1] as Digit;
      last.index = following(last);
      if (last.index >= 0) return true;
    }
    return false;
  }

  /**
   * Goes on to the next outcome of what is rolled first, the rest as it comes first: where not all ways are tried, each
   * outcome of a roll that decides between others is. @returns false when there is none left
   */
  nextOfFirst(): boolean {
    this.count = Math.min(this.count, 1);
    return this.next();
  }

  /** What was rolled, as a logbook has it. */
  get rolled(): readonly (number | boolean)[] {
    return this.values.slice(0, this.at);
  }

  /** The probability of this way, as a whole number of parts of `total`. */
  get share(): Share {
    let part = 1;
    let total = 1;
    for (let i = 0; i < this.count; i++) {
      const digit = this.digits[i] as Digit;
      part *= typeof digit.weights === "number" ? 1 : (digit.weights[digit.index] as number);
      total *= digit.total;
    }
    return { part, total };
  }

  whole(low: number, high: number, at: Span): number {
    if (high - low >= MOST_FACES) throw new Unlistable(at, `a roll of ${low}..${high} has too many faces`);
    const value = low + this.digit(high - low + 1, high - low + 1, at);
    this.values[this.at - 1] = value;
    return value;
  }

  real(_low: number, _high: number, at: Span): number {
    throw new Unlistable(at, "a roll that is no whole number has no end of outcomes");
  }

  chance(part: number, whole: number, at: Span): boolean {
    const yes = Math.min(Math.max(part, 0), whole);
    const value = this.digit([yes, whole - yes], whole, at) === 0;
    this.values[this.at - 1] = value;
    return value;
  }

  weighted(weights: readonly number[], at: Span): number {
    const total = weights.reduce((sum, weight) => sum + weight, 0);
    const value = this.digit(weights.slice(), total, at);
    this.values[this.at - 1] = value;
    return value;
  }

  private digit(weights: readonly number[] | number, total: number, at: Span): number {
    if (this.at < this.count) return (this.digits[this.at++] as Digit).index;
    if (++this.ways > MOST_WAYS) throw new Unlistable(at, `more than ${MOST_WAYS} ways of rolling in one step`);
    const digit = (this.digits[this.count++] ??= { index: -1, weights, total });
    digit.index = -1;
    digit.weights = weights;
    digit.total = total;
    this.at++;
    return (digit.index = following(digit));
  }
}

/** Rolls at random. */
export class Chance implements Roller {
  private readonly values: (number | boolean)[] = [];
  private at = 0;

  /** @param below gives a whole number from 0 up to, not including, another */
  constructor(private readonly below: (count: number) => number) {}

  reset(): void {
    if (this.values.length > 0) this.values.length = 0;
    this.at = 0;
  }

  /** The same rolls come again. */
  again(): void {
    this.at = 0;
  }

  /** What was rolled, as a logbook has it. */
  get rolled(): readonly (number | boolean)[] {
    return this.values;
  }

  whole(low: number, high: number): number {
    return this.known<number>() ?? this.kept(low + this.below(high - low + 1));
  }

  real(low: number, high: number): number {
    return this.known<number>() ?? this.kept(low + (this.below(CHANCES) / CHANCES) * (high - low));
  }

  chance(part: number, whole: number): boolean {
    return (
      this.known<boolean>() ?? this.kept(part >= whole || (part > 0 && this.below(CHANCES) < (part / whole) * CHANCES))
    );
  }

  /** Whatever can be picked at all is as likely: what is rare is what is looked for. */
  weighted(weights: readonly number[]): number {
    const known = this.known<number>();
    if (known !== undefined) return known;
    const possible = weights.flatMap((weight, i) => (weight > 0 ? [i] : []));
    return this.kept(possible[this.below(possible.length)] as number);
  }

  /** A roll that comes again. */
  private known<T extends number | boolean>(): T | undefined {
    return this.at < this.values.length ? (this.values[this.at++] as T) : undefined;
  }

  private kept<T extends number | boolean>(value: T): T {
    this.values.push(value);
    this.at++;
    return value;
  }
}

/** The rolls of a list are not the ones that are asked for. */
export class RollsOtherwise extends Error {}

/** Rolls what a list says. @throws RollsOtherwise where that cannot be rolled */
export class Told implements Roller {
  private at = 0;

  constructor(readonly rolled: readonly (number | boolean)[]) {}

  /** The same rolls come again. */
  again(): void {
    this.at = 0;
  }

  /** All of the list was rolled. */
  get isDone(): boolean {
    return this.at === this.rolled.length;
  }

  whole(low: number, high: number): number {
    return this.next((value): value is number => isWithin(value, low, high) && Number.isInteger(value));
  }

  real(low: number, high: number): number {
    return this.next((value): value is number => isWithin(value, low, high));
  }

  chance(part: number, whole: number): boolean {
    return this.next((value): value is boolean => (value === true ? part > 0 : value === false && part < whole));
  }

  weighted(weights: readonly number[]): number {
    return this.next((value): value is number => typeof value === "number" && (weights[value] ?? 0) > 0);
  }

  private next<T extends number | boolean>(can: (value: unknown) => value is T): T {
    const value = this.rolled[this.at++];
    if (!can(value)) throw new RollsOtherwise();
    return value;
  }
}

function isWithin(value: unknown, low: number, high: number): boolean {
  return typeof value === "number" && value >= low && value <= high;
}

/** How finely chances are rolled. */
const CHANCES = 1_000_000;

/** The next outcome of a roll that can happen at all; -1 when there is none. */
function following({ index, weights }: Digit): number {
  if (typeof weights === "number") return index + 1 < weights ? index + 1 : -1;
  for (let i = index + 1; i < weights.length; i++) if ((weights[i] as number) > 0) return i;
  return -1;
}
