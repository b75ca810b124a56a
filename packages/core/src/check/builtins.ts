/**
 * What is built into the language, in one table: names, types, ranges, documentation. How each is evaluated stands in
 * engine/code, in tables typed by the same names, so that a missing one does not compile.
 */

import type { BinderWord } from "../language/syntax.js";

export interface BuiltIn {
  /** What it takes, as an editor shows it. */
  readonly takes: readonly string[];
  /** What it is, in a line. */
  readonly words: string;
  /** Came after machines had been written: one that declares the name itself means its own. */
  readonly late?: true;
}

/** The least and the greatest value a number can have. */
export interface Range {
  readonly low: number;
  readonly high: number;
}

// ---- functions of numbers ----------------------------------------------------------------------

export interface NumberFunction extends BuiltIn {
  /** How many arguments there can be, all of them numbers. */
  readonly count: readonly [least: number, most: number];
  /** Whether it always gives an int, or one only when all arguments are ints. */
  readonly gives: "int" | "same";
  /** What it can give when its arguments are in these ranges. */
  range(...args: readonly Range[]): Range;
}

/** One that only grows with its argument. */
const growing = (of: (value: number) => number) => (arg: Range) => ({ low: of(arg.low), high: of(arg.high) });

/** Rounds to the nearest whole number, halves away from zero. */
export function nearest(value: number): number {
  return value < 0 ? -Math.floor(0.5 - value) : Math.floor(value + 0.5);
}

/** As many arguments as a call may have. */
const MANY = 100;

export const NUMBER_FUNCTIONS = {
  floor: {
    takes: ["number: num"],
    words: "the greatest whole number that is not above it",
    count: [1, 1],
    gives: "int",
    range: growing(Math.floor),
  },
  ceil: {
    takes: ["number: num"],
    words: "the least whole number that is not below it",
    count: [1, 1],
    gives: "int",
    range: growing(Math.ceil),
  },
  nearest: {
    takes: ["number: num"],
    words: "the nearest whole number, halves away from zero",
    count: [1, 1],
    gives: "int",
    range: growing(nearest),
  },
  abs: {
    takes: ["number: num"],
    words: "its distance from zero",
    count: [1, 1],
    gives: "same",
    range: ({ low, high }) => {
      const ends = [Math.abs(low), Math.abs(high)];
      return { low: low <= 0 && high >= 0 ? 0 : Math.min(...ends), high: Math.max(...ends) };
    },
  },
  sign: {
    takes: ["number: num"],
    words: "-1 below zero, 0 at zero, 1 above it",
    count: [1, 1],
    gives: "int",
    range: growing(Math.sign),
    late: true,
  },
  min: {
    takes: ["first: num", "second: num", "..."],
    words: "the least of them",
    count: [2, MANY],
    gives: "same",
    range: (...args) => ({ low: Math.min(...args.map((a) => a.low)), high: Math.min(...args.map((a) => a.high)) }),
  },
  max: {
    takes: ["first: num", "second: num", "..."],
    words: "the greatest of them",
    count: [2, MANY],
    gives: "same",
    range: (...args) => ({ low: Math.max(...args.map((a) => a.low)), high: Math.max(...args.map((a) => a.high)) }),
  },
} satisfies Record<string, NumberFunction>;

export type NumberFunctionName = keyof typeof NUMBER_FUNCTIONS;

export function isNumberFunction(name: string): name is NumberFunctionName {
  return Object.hasOwn(NUMBER_FUNCTIONS, name);
}

// ---- the others --------------------------------------------------------------------------------

/** Values that have a name. */
export const BUILT_IN_VALUES = {
  me: { takes: [], words: "the seat acting" },
  seats: { takes: [], words: "all seats of the match" },
  inPlay: { takes: [], words: "the seats in play" },
  seated: { takes: [], words: "the seats in play that somebody holds" },
  others: { takes: [], words: "the seats in play but me; in an ending, every seat not named yet" },
  now: { takes: [], words: "the match's time in milliseconds" },
} satisfies Record<string, BuiltIn>;

/** Functions with rules of their own. */
const FUNCTIONS = {
  next: { takes: ["seat: seat"], words: "the next seat in play, going round" },
  canAct: { takes: ["seat: seat"], words: "whether some action is open to a seat" },
  cell: { takes: ["x: int", "y: int"], words: "the cell of a grid at column x and row y" },
} satisfies Record<string, BuiltIn>;

const ROLLS = {
  roll: { takes: ["faces: LOW..HIGH or N of LOW..HIGH"], words: "rolls dice" },
  chance: { takes: ["share: 35% or 1 in 5"], words: "true with this probability" },
  pick: { takes: ["list: list, weighted by x: WEIGHT"], words: "an element by chance" },
  shuffle: { takes: ["list: list"], words: "the same elements in an order by chance" },
} satisfies Record<string, BuiltIn>;

const BINDERS: Readonly<Record<BinderWord, BuiltIn>> = {
  any: { takes: ["x in LIST where COND: COND"], words: "whether it holds for some element" },
  all: { takes: ["x in LIST where COND: COND"], words: "whether it holds for every element" },
  count: { takes: ["x in LIST where COND"], words: "how many elements fit" },
  sum: { takes: ["x in LIST where COND: NUMBER"], words: "the sum over the elements" },
  filter: { takes: ["x in LIST where COND"], words: "the elements that fit" },
  map: { takes: ["x in LIST where COND: VALUE"], words: "a value for each element" },
  sort: { takes: ["x in LIST where COND: NUMBER ties inOrder"], words: "the elements, the least first" },
  sortDown: { takes: ["x in LIST where COND: NUMBER ties inOrder"], words: "the elements, the greatest first" },
  minBy: { takes: ["x in LIST where COND: NUMBER ties inOrder"], words: "the element with the least number" },
  maxBy: { takes: ["x in LIST where COND: NUMBER ties inOrder"], words: "the element with the greatest number" },
};

/** What is called with arguments, by name. */
export const BUILT_IN_CALLS: ReadonlyMap<string, BuiltIn> = new Map<string, BuiltIn>([
  ...Object.entries(NUMBER_FUNCTIONS),
  ...Object.entries(FUNCTIONS),
  ...Object.entries(ROLLS),
  ...Object.entries(BINDERS),
]);

/** Everything that has a name of the language's own. */
export const BUILT_INS: ReadonlyMap<string, BuiltIn> = new Map<string, BuiltIn>([
  ...Object.entries(BUILT_IN_VALUES),
  ...BUILT_IN_CALLS,
]);

/** Names that no machine may declare. */
export function isTaken(name: string): boolean {
  const builtIn = BUILT_INS.get(name);
  return builtIn !== undefined && !builtIn.late;
}

/** The functions that are called like those a machine declares, for "did you mean". */
export const BUILT_IN_FUNCTIONS: readonly string[] = [...Object.keys(NUMBER_FUNCTIONS), ...Object.keys(FUNCTIONS)];
