/**
 * The rolls of a step that a log tells whole, in part, or not at all: every way to roll that fits what is told. A roll
 * shows its range only once those before it are set, so they are set one after the other.
 */

import type { Expr, Machine } from "../check/machine.js";
import { visitMachine } from "../check/visit.js";
import type { RollRecord, Taken } from "../engine/situation/situation.js";
import type { Memory } from "../engine/situation/memory.js";
import type { StepResult } from "../engine/matches/step.js";
import { sameValue } from "../engine/values/box.js";
import type { LogRow } from "./rows.js";

/** What is told of one roll. */
export type ToldRoll =
  | { readonly kind: "value"; readonly value: number | boolean }
  | { readonly kind: "any" }
  /** The last of several that add up to a told sum; those before it are `any` of the same sum. */
  | { readonly kind: "sum"; readonly total: number; readonly before: number }
  /**
   * The rolls of a shuffle by the order that came of it, and `words` for what is told; all but its first stand for it.
   */
  | {
      readonly kind: "shuffle";
      readonly order: readonly unknown[];
      readonly words: (list: readonly unknown[]) => string;
    };

/** What is told of the rolls of one step. */
export interface ToldRolls {
  readonly rolls: readonly ToldRoll[];
  /** The row that tells each of them. */
  readonly rows: readonly LogRow[];
  /** Further ones may be anything. */
  readonly rest: boolean;
  /** More may be told than are rolled. */
  readonly surplus?: true;
}

/** Why rolls do not explain a row. */
export interface WrongRolls {
  readonly words: string;
  /** Where in the machine's text it rolls. */
  readonly position?: number;
  /** The row that tells the first that does not fit. */
  readonly row?: LogRow;
  /** It is rolled, and nothing tells what. */
  readonly untold?: boolean;
}

/** More faces than this are not tried one by one. */
const MOST_FACES = 10_000;

export class Rolling {
  /** What rolls at each place of the machine. */
  private readonly at = new Map<number, Expr>();

  constructor(
    machine: Machine,
    private readonly memory: Memory,
  ) {
    visitMachine(machine, {
      expr: (e) => {
        if (e.kind === "roll" || e.kind === "chance" || e.kind === "pick" || e.kind === "shuffle")
          this.at.set(e.from, e);
      },
    });
  }

  /**
   * Every way to take a step whose rolls fit what is told.
   *
   * @param take takes the step with the rolls set that are given, in order; those behind them fall as they fall
   * @param wrong is told why a way does not fit
   * @param more whether one more may be tried
   */
  *ways(
    take: (dice: readonly (number | boolean)[]) => StepResult,
    { rolls: told, rows, rest, surplus }: ToldRolls,
    wrong: (why: WrongRolls) => void,
    more: () => boolean,
  ): Generator<StepResult> {
    const known: (number | boolean)[] = [];
    for (const roll of told) {
      if (roll.kind !== "value") break;
      known.push(roll.value);
    }
    const waiting: (number | boolean)[][] = [known];
    for (let dice = waiting.pop(); dice; dice = waiting.pop()) {
      if (!more()) return;
      const asked = told[dice.length];
      const { result, list } = asked?.kind === "shuffle" ? this.shuffling(take, dice) : { result: take(dice) };
      const { fault, taken } = result;
      if (asked?.kind === "shuffle" && list) {
        const rolls = shuffleRolls(list, asked.order);
        if (rolls) waiting.push([...dice, ...rolls]);
        else wrong({ words: asked.words(list), ...rowOf(rows[dice.length]) });
        continue;
      }
      if (fault?.code === "badRoll") {
        const unused = fault.position === 0 && /not used/.test(fault.words);
        const used = unused ? told.length - Number.parseInt(fault.words, 10) : firstWrong(take, dice);
        if (unused && surplus) {
          waiting.push(dice.slice(0, used));
          continue;
        }
        const words = unused ? tooMany(told.length, used) : fault.words;
        const row = rows[used];
        wrong({ words, ...(fault.position > 0 && { position: fault.position }), ...rowOf(row) });
        continue;
      }
      const rolled = rollsOf(taken);
      if (fault || result.refusal || rolled.length === dice.length) {
        if (told.length > dice.length && !surplus && !fault && !result.refusal)
          wrong({ words: tooMany(told.length, dice.length), ...rowOf(rows[dice.length]) });
        else yield result;
        continue;
      }
      const next = rolled[dice.length] as RollRecord;
      const values = this.values(next, told[dice.length] ?? (rest ? { kind: "any" } : undefined), dice, wrong);
      for (const value of values.reverse()) waiting.push([...dice, value]);
    }
  }

  /** Takes a step with some rolls set. @returns what is shuffled by those that come next, when they do that */
  private shuffling(
    take: (dice: readonly (number | boolean)[]) => StepResult,
    dice: readonly (number | boolean)[],
  ): { readonly result: StepResult; readonly list?: readonly unknown[] | undefined } {
    const { memory } = this;
    const seen: NonNullable<Memory["shuffles"]> = [];
    memory.shuffles = seen;
    let result: StepResult;
    try {
      result = take(dice);
    } finally {
      memory.shuffles = null;
    }
    return { result, list: seen.find(({ rolled, items }) => rolled === dice.length && items.length > 1)?.items };
  }

  private values(
    { position, range }: RollRecord,
    told: ToldRoll | undefined,
    before: readonly (number | boolean)[],
    wrong: (why: WrongRolls) => void,
  ): (number | boolean)[] {
    const expr = this.at.get(position);
    const nothing = (words: string): [] => {
      wrong({ words, position });
      return [];
    };
    if (!told) {
      const words = `This rolls one of ${range}, and the log does not tell what. Where it cannot: dice any`;
      wrong({ words, position, untold: true });
      return [];
    }
    if (told.kind === "value") return [told.value];
    if (told.kind === "shuffle")
      return nothing("The log tells the order of a shuffle, and something else is rolled here.");
    if (told.kind === "sum") {
      const summed = before.slice(before.length - told.before);
      return [told.total - summed.reduce<number>((sum, value) => sum + Number(value), 0)];
    }
    if (expr?.kind === "shuffle") return nothing("The order of a shuffle is not told, and is not guessed.");
    if (expr?.kind === "roll" && !expr.whole)
      return nothing("A roll that is no whole number is not told, and is not guessed.");
    if (expr?.kind === "chance" || /%$| in /.test(range)) return [true, false];
    const [, low, high] = /^(-?\d+)\.\.(-?\d+)$/.exec(range) ?? [];
    if (low !== undefined && high !== undefined) {
      const count = Number(high) - Number(low) + 1;
      if (count > MOST_FACES) return nothing(`A roll of ${range} is not told, and has too many faces to try them.`);
      return Array.from({ length: count }, (_, i) => Number(low) + i);
    }
    // A pick by weights: its range lists them, or says how many there are.
    const [, count] = /\((\d+)\)$/.exec(range) ?? [];
    return Array.from({ length: count === undefined ? range.split(",").length : Number(count) }, (_, i) => i);
  }
}

function rowOf(row: LogRow | undefined): { row?: LogRow } {
  return row ? { row } : {};
}

function tooMany(told: number, rolled: number): string {
  const rolls = told === 1 ? "a roll" : `${told} rolls`;
  return `The log tells ${rolls}, and the machine rolls ${rolled === 0 ? "nothing" : `only ${rolled}`} here.`;
}

/** Which of the set rolls is the first that does not fit. */
function firstWrong(
  take: (dice: readonly (number | boolean)[]) => StepResult,
  dice: readonly (number | boolean)[],
): number {
  const fits = (_: unknown, i: number): boolean => {
    const { fault } = take(dice.slice(0, i + 1));
    return fault?.code !== "badRoll" || /not used/.test(fault.words);
  };
  return Math.max(
    0,
    dice.findIndex((value, i) => !fits(value, i)),
  );
}

/** What was rolled in the last of the steps. */
function rollsOf(taken: readonly Taken[]): readonly RollRecord[] {
  return taken.at(-1)?.happenings.rolls ?? [];
}

/**
 * The rolls by which a list comes into an order: those of the shuffle of Fisher and Yates, from the back.
 *
 * @returns undefined when the order is none of the list
 */
function shuffleRolls(list: readonly unknown[], order: readonly unknown[]): number[] | undefined {
  if (list.length !== order.length) return undefined;
  const mixed = list.slice();
  const rolls: number[] = [];
  for (let i = mixed.length - 1; i > 0; i--) {
    const j = mixed.findIndex((item, at) => at <= i && sameValue(item, order[i]));
    if (j < 0) return undefined;
    rolls.push(j);
    [mixed[i], mixed[j]] = [mixed[j], mixed[i]];
  }
  return mixed.length === 0 || sameValue(mixed[0], order[0]) ? rolls : undefined;
}
