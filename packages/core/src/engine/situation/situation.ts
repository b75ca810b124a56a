/** What a match is between two steps, and what is told about a step. */

import type { ResultWord } from "../../language/syntax.js";
import type { Machine, Timer } from "../../check/machine.js";
import type { Box } from "../values/box.js";
import type { Configuration } from "./configuration.js";
import type { FaultCode } from "../values/fault.js";
import type { Arguments, Json } from "../values/json.js";
import type { DiceState } from "../values/random.js";

/**
 * Everything a match is between two steps. Immutable: a step gives a new one that shares what it did
 * not touch. Read it through `view` and `situationJson`; its inside is the engine's own.
 */
export interface Situation {
  /** How many steps have been taken; `begin` is step 0. */
  readonly step: number;
  /** The match's time, in milliseconds since 1970 UTC. */
  readonly now: number;
  readonly configuration: Configuration;
  readonly root: Box;
  /** For each timer when it is due, or how long it still had when it was frozen; NaN when it does not run. */
  readonly timers: readonly number[];
  readonly seats: readonly number[];
  /** For each state the innermost states that were active when it was last left. */
  readonly history: readonly (readonly number[] | null)[];
  readonly dice: DiceState;
  readonly outcome: Outcome | null;
}

/** Where a match stopped. `unfinished` when it came to a state not written yet. */
export interface Outcome {
  readonly ending: string;
  readonly args: { readonly [name: string]: Json };
  readonly unfinished: boolean;
  /** By seat, in the order of the seats. */
  readonly results: readonly SeatResult[];
}

export interface SeatResult {
  readonly seat: string;
  readonly result: SeatResultWord;
  readonly rank?: number;
  readonly score?: number;
}

export type SeatResultWord = "win" | "loss" | "draw" | "none";

/** How an ending's word is called as a result. */
export const RESULT_OF_WORD: Readonly<Record<ResultWord, SeatResultWord>> = {
  wins: "win",
  loses: "loss",
  draws: "draw",
  none: "none",
};

/**
 * The next timer to be due among those awake, the earliest first; undefined when none runs.
 *
 * @param among which of them are looked at; all when not given
 */
export function nextTimer(
  machine: Machine,
  { outcome, configuration, timers }: Situation,
  among?: (timer: Timer) => boolean,
): { readonly timer: Timer; readonly due: number } | undefined {
  let best: { timer: Timer; due: number } | undefined;
  if (outcome) return undefined;
  for (const id of configuration.timers) {
    const due = timers[id] as number;
    if (Number.isNaN(due) || (best && due >= best.due)) continue;
    const timer = machine.timers[id] as Timer;
    if (!among || among(timer)) best = { timer, due };
  }
  return best;
}

/** True when some timer is due by then. */
export function isDue({ outcome, configuration, timers }: Situation, by: number): boolean {
  if (outcome) return false;
  const running = configuration.timers;
  for (let i = 0; i < running.length; i++) if ((timers[running[i] as number] as number) <= by) return true;
  return false;
}

// ---- inputs ------------------------------------------------------------------------------------

/** What comes into a match. `time` is when, in milliseconds since 1970 UTC; left out, no time has passed. */
export type Input = { readonly time?: number; readonly dice?: readonly (number | boolean | null)[] } & (
  | {
      readonly kind: "action";
      readonly seat: string;
      readonly action: string;
      readonly args?: Arguments;
      /** The step its sender believes to be current. */
      readonly step?: number;
    }
  | { readonly kind: "event"; readonly event: string; readonly args?: Arguments }
  | { readonly kind: "join" | "leave"; readonly seat: string }
  /** Time alone: all timers due by then run. */
  | { readonly kind: "time"; readonly time: number }
  /** The next timer to be due, as a logbook names it; it must be this one. */
  | { readonly kind: "timer"; readonly timer: string }
);

// ---- what happened -----------------------------------------------------------------------------

export interface RollRecord {
  /** Where in the text the roll stands. */
  readonly position: number;
  /** The stream of dice, when it is not "main". */
  readonly stream?: string;
  /** Whose private stream. */
  readonly seat?: string;
  readonly range: string;
  readonly value: number | boolean;
}

export interface NoteRecord {
  readonly text: string;
  /** The seat it went to; without, to everyone. */
  readonly to?: string;
}

/** A signal that was delivered. */
export interface SignalRecord {
  readonly signal: string;
  readonly values: { readonly [name: string]: Json };
  /** Where in the text it was raised. */
  readonly position: number;
  readonly heard: HeardRecord[];
}

/** A listener that acted on a signal. */
export interface HeardRecord {
  readonly state: string;
  /** Where in the text it stands. */
  readonly position: number;
  /** Its arrow was the one taken. */
  readonly led: boolean;
}

/** A bounded value that was stopped at its bound. */
export interface ClampRecord {
  readonly position: number;
  readonly wanted: number;
  readonly kept: number;
}

/** What a step did, in the order in which it did it. */
export interface StepHappenings {
  readonly rolls: RollRecord[];
  readonly notes: NoteRecord[];
  readonly signals: SignalRecord[];
  readonly clamped: ClampRecord[];
  /** States left and entered. */
  readonly moves: { readonly kind: "leave" | "enter"; readonly state: string }[];
  /** Signals that an ending kept from being heard. */
  readonly dropped: string[];
}

export function newHappenings(): StepHappenings {
  return { rolls: [], notes: [], signals: [], clamped: [], moves: [], dropped: [] };
}

/** One step taken: the input that was run and the situation it led to. */
export interface Taken {
  readonly input: Input | { readonly kind: "begin"; readonly time: number };
  readonly situation: Situation;
  readonly happenings: StepHappenings;
}

/** An input that was not accepted. Nothing changed. */
export interface Refusal {
  readonly code: string;
  readonly words: string;
  /** The condition that failed, as it is written, with the values in it. */
  readonly condition?: {
    readonly text: string;
    readonly values: readonly { readonly text: string; readonly value: string }[];
  };
}

/** A mistake of the machine found while it ran. Nothing changed. */
export interface FaultReport {
  readonly code: FaultCode;
  readonly words: string;
  readonly position: number;
}
