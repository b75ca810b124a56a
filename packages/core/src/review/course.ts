/**
 * The course of a match: its inputs, each with the time that passes before it and with its own rolls, so that one can
 * be left out without shifting the rolls of another. What is played of it either goes with just these rolls or is none.
 */

import { type BeginOptions, begin } from "../engine/matches/begin.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { step } from "../engine/matches/step.js";
import type { FaultReport, Input, Refusal, Situation, Taken } from "../engine/situation/situation.js";
import type { StepLine } from "../logbook/format.js";
import type { Logbook } from "../logbook/read.js";
import { beginOptions, inputFrom } from "../logbook/replay.js";

/** One thing that is done, or time that passes. */
export interface Move {
  /** How much time passes before it, in milliseconds; timers that are due by then run. */
  readonly wait: number;
  /** Undefined for time alone. */
  readonly input: Input | undefined;
  /** What is rolled in it: by the timers that run, or by the input. */
  readonly dice: readonly (number | boolean)[];
}

export interface Course {
  readonly how: BeginOptions;
  readonly moves: readonly Move[];
}

/** What came of a course. */
export interface PlayedCourse {
  readonly taken: readonly Taken[];
  readonly situation: Situation;
  /** Why it went no further, and in which of its moves. */
  readonly stopped?: {
    readonly at: number;
    /** How much time would still have had to pass for it, in milliseconds. */
    readonly left: number;
    readonly refusal?: Refusal;
    readonly fault?: FaultReport;
  };
}

/** The course of a match up to a step, and that one too. */
export function courseOf({ header, steps }: Logbook, upTo: number): Course {
  const [first, ...others] = steps.slice(0, upTo + 1);
  const rolled = (first?.dice ?? []).map(({ value }) => value);
  const how = { ...beginOptions(header, first?.input), ...(rolled.length > 0 && { dice: rolled }) };
  const moves: Move[] = [];
  let now = Date.parse(header.begun);
  for (const line of others) {
    moves.push(moveOf(line, now));
    now = Date.parse(line.time);
  }
  return { how, moves };
}

function moveOf(line: StepLine, now: number): Move {
  const dice = line.dice.map(({ value }) => value);
  const wait = Date.parse(line.time) - now;
  if (line.input.kind === "timer") return { wait, input: undefined, dice };
  const { time: _, ...input } = inputFrom(line);
  return { wait, input: input as Input, dice };
}

/** Plays a course. @returns undefined when something in it rolls otherwise than it says */
export function playCourse(runnable: Runnable, { how, moves }: Course): PlayedCourse | undefined {
  const begun = begin(runnable, how).taken;
  if (!begun || !rollsAre(how.dice ?? [], [begun])) return undefined;
  const taken: Taken[] = [begun];
  let { situation } = begun;
  for (const [at, { wait, input, dice }] of moves.entries()) {
    const time = situation.now + wait;
    // What passes before an input rolls nothing of its own: timers that did are moves by themselves.
    const before = step(runnable, situation, { kind: "time", time, ...(!input && dice.length > 0 && { dice }) }, NOW);
    taken.push(...before.taken);
    ({ situation } = before);
    if (before.fault || before.refusal) {
      if (before.fault?.code === "badRoll") return undefined;
      const { refusal, fault } = before;
      const why = { ...(refusal && { refusal }), ...(fault && { fault }) };
      return { taken, situation, stopped: { at, left: time - situation.now, ...why } };
    }
    if (!rollsAre(input ? [] : dice, before.taken)) return undefined;
    if (!input) continue;
    const result = step(runnable, situation, { ...input, time, ...(dice.length > 0 && { dice }) } as Input, NOW);
    if (result.fault?.code === "badRoll") return undefined;
    if (result.fault || result.refusal) {
      const { refusal, fault } = result;
      return { taken, situation, stopped: { at, left: 0, ...(refusal && { refusal }), ...(fault && { fault }) } };
    }
    if (!rollsAre(dice, result.taken)) return undefined;
    taken.push(...result.taken);
    ({ situation } = result);
  }
  return { taken, situation };
}

/** Everything that happens is looked at. */
const NOW = { happenings: "now" } as const;

function rollsAre(dice: readonly unknown[], taken: readonly Taken[]): boolean {
  const rolls = taken.flatMap(({ happenings }) => happenings.rolls.map(({ value }) => value));
  return rolls.length === dice.length && rolls.every((value, i) => value === dice[i]);
}
