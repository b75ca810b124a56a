/** Writes a match down, line by line, as it is played. */

import { RunningDigest, sha256Hex } from "../engine/values/hash.js";
import type { BeginOptions } from "../engine/matches/begin.js";
import type { Given } from "../engine/matches/given.js";
import type { Runnable } from "../engine/matches/runnable.js";
import type { Machine } from "../check/machine.js";
import type { Sources } from "../language/source.js";
import type { Input, Refusal, RollRecord, SignalRecord, Situation, Taken } from "../engine/situation/situation.js";
import { changesBetween, situationJson } from "../engine/situation/situation-json.js";
import type { Json } from "../engine/values/json.js";
import { canonicalJson } from "./canonical.js";
import {
  type ClosingLine,
  DIGEST_EVERY,
  type Header,
  LOGBOOK_FORMAT,
  type LineInput,
  type LineSignal,
  type Parent,
  type RefusedLine,
  type StepLine,
  timeText,
} from "./format.js";

/** The header of a match's logbook. */
export function headerOf(
  runnable: Runnable,
  options: BeginOptions & { readonly parent?: Parent },
  first: Situation,
): Header {
  const { machine } = runnable;
  return {
    zany: "logbook",
    format: LOGBOOK_FORMAT,
    machine: { name: machine.name, hash: runnable.hash, rules: runnable.rules },
    seed: options.seed,
    seats: machine.seats.names.slice(0, first.seats.length),
    ...(options.open && options.open.length > 0 && options.from === undefined && { open: options.open }),
    ...(isGiven(options.given) && options.from === undefined && { given: options.given }),
    ...(options.from !== undefined && { from: options.from }),
    ...(options.parent && { parent: options.parent }),
    begun: timeText(first.now),
  };
}

function isGiven(given: Given | undefined): given is Given {
  return given !== undefined && ((given.data?.length ?? 0) > 0 || given.state !== undefined);
}

/**
 * The line of one step.
 *
 * @param before the situation it started from; for step 0 there is none
 * @param digestEvery how many steps there are from one digest to the next
 */
export function stepLine(
  runnable: Runnable,
  before: Situation | undefined,
  taken: Taken,
  digestEvery = DIGEST_EVERY,
): StepLine {
  const { machine } = runnable;
  const { situation, happenings } = taken;
  const whole = situation.step % digestEvery === 0 ? situationJson(machine, situation) : undefined;
  const { rolls, notes, signals, clamped } = happenings;
  const line: { -readonly [Member in keyof StepLine]: StepLine[Member] } = {
    step: situation.step,
    time: timeText(situation.now),
    input: inputOf(taken),
    dice: rolls.map((roll) => rollOf(machine, roll)),
    states: situation.configuration.activeStates,
    notes: notes.map((note) => (note.to === undefined ? note.text : { to: note.to, text: note.text })),
    changes: before ? changesBetween(machine, before, situation) : firstChanges(whole as Json),
  };
  if (signals.length > 0) line.signals = signals.map((signal) => signalOf(machine, signal));
  if (clamped.length > 0)
    line.clamped = clamped.map(({ position, wanted, kept }) => ({
      source: sourceText(machine, position),
      wanted,
      kept,
    }));
  if (whole !== undefined) line.digest = sha256Hex(canonicalJson(whole));
  return line;
}

/** Places that were put into words, by text and position: the same few come again and again. */
const places = new WeakMap<Sources, Map<number, string>>();

/** A place in the text as `line:column`; of an included file, with its name before it. */
function sourceText({ sources }: Machine, position: number): string {
  let known = places.get(sources);
  if (!known) places.set(sources, (known = new Map()));
  let words = known.get(position);
  if (words === undefined) {
    const { file, line, column } = sources.place(position);
    words = position > (sources.files[0]?.text.length ?? 0) ? `${file}:${line}:${column}` : `${line}:${column}`;
    known.set(position, words);
  }
  return words;
}

function rollOf(machine: Machine, roll: RollRecord): StepLine["dice"][number] {
  const { position, range, value, stream, seat } = roll;
  const line = { source: sourceText(machine, position), range, value };
  return stream === undefined ? line : { ...line, stream, ...(seat !== undefined && { seat }) };
}

function signalOf(machine: Machine, { signal, values, position, heard }: SignalRecord): LineSignal {
  return {
    signal,
    values,
    source: sourceText(machine, position),
    heard: heard.map((h) => ({
      state: h.state,
      source: sourceText(machine, h.position),
      ...(h.led && { led: true as const }),
    })),
  };
}

function firstChanges(whole: Json): StepLine["changes"] {
  const { data, local, seats } = whole as { [name: string]: Json };
  return [
    { path: "/data", value: data as Json },
    { path: "/local", value: local as Json },
    { path: "/seats", value: seats as Json },
  ];
}

function inputOf(taken: Taken): LineInput {
  const { time: _, step: _step, dice, ...rest } = taken.input as LineInput & { time?: number; step?: number };
  return dice && dice.length > 0 ? { ...rest, dice } : rest;
}

/** Something that was refused, and after which step. */
export interface RefusedInput {
  readonly input: Input;
  readonly refusal: Refusal;
  readonly after: number;
  /** The match's time, in milliseconds since 1970 UTC. */
  readonly now: number;
}

/** Whether something that was refused is written down: only what somebody asked for is. */
export function isWritten({ input: { kind }, refusal: { code } }: Pick<RefusedInput, "input" | "refusal">): boolean {
  // That a view is old says nothing of the rules.
  return kind !== "time" && kind !== "timer" && code !== "stale";
}

/** The line of something that was refused. */
export function refusedLine({ input, refusal: { code, words }, after, now }: RefusedInput): RefusedLine {
  const { time: _, step: _step, ...refused } = input as LineInput & { time?: number; step?: number };
  return { refused, after, time: timeText(now), code, words };
}

/** The digest of a situation, as lines carry it. */
export function situationDigest(runnable: Runnable, situation: Situation): string {
  return sha256Hex(canonicalJson(situationJson(runnable.machine, situation)));
}

/**
 * Turns the steps of one match into the lines of its logbook. Every text given to `write` is one whole
 * line with its line end.
 */
export class LogbookWriter {
  private readonly file = new RunningDigest();
  private last: Situation | undefined;

  constructor(
    private readonly runnable: Runnable,
    options: BeginOptions & { readonly parent?: Parent },
    first: Taken,
    private readonly write: (line: string) => void,
    private readonly digestEvery = DIGEST_EVERY,
  ) {
    this.line(headerOf(runnable, options, first.situation));
    this.add(first);
  }

  /** Writes a step; steps come in the order in which they were taken. */
  add(taken: Taken): void {
    this.line(stepLine(this.runnable, this.last, taken, this.digestEvery));
    this.last = taken.situation;
  }

  /** Writes what was asked for after the last step and refused. */
  refuse(refused: RefusedInput): void {
    this.line(refusedLine(refused));
  }

  /** Writes the closing line. */
  close(): void {
    const last = this.last as Situation;
    this.write(`${JSON.stringify(closingLine(this.runnable, last, this.file.hex()))}\n`);
  }

  private line(value: Header | RefusedLine | StepLine): void {
    const text = `${JSON.stringify(value)}\n`;
    this.file.add(text);
    this.write(text);
  }
}

/** The closing line for a match as it stands. `file` is the digest of all bytes before. */
export function closingLine(runnable: Runnable, last: Situation, file: string): ClosingLine {
  return { end: true, steps: last.step, result: last.outcome, digest: situationDigest(runnable, last), file };
}
