/** Plays a logbook's inputs again and compares what is replayed with what was recorded. */

import type { BeginOptions } from "../engine/matches/begin.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { begin } from "../engine/matches/begin.js";
import { step } from "../engine/matches/step.js";
import type { FaultReport, Input, Refusal, Situation, Taken } from "../engine/situation/situation.js";
import { situationJson } from "../engine/situation/situation-json.js";
import type { Json } from "../engine/values/json.js";
import { canonicalJson } from "./canonical.js";
import { DIGEST_EVERY, type Header, type LineInput, type RefusedLine, type StepLine, timeFrom } from "./format.js";
import { isInput } from "./schema.js";
import { headerOf, situationDigest, stepLine } from "./write.js";

/** One piece of a step that replayed out differently. */
export interface Difference {
  /**
   * What differs: a data path such as `/data/kites/north/lift`, one of the header such as `/header/seats`, or `time`,
   * `input`, `dice`, `states`, `notes`, `digest`, `result`.
   */
  readonly path: string;
  /** As the logbook has it; undefined when it has nothing there. */
  readonly recorded?: Json;
  /** As the replay has it. */
  readonly replayed?: Json;
}

/**
 * Where the rolls of a replayed step came from: the seed, as they were recorded; the record, because the seed would
 * have rolled otherwise under the rules of now; or the seed although it rolls otherwise, because what is recorded does
 * not fit what is rolled now.
 */
type RollsFrom = "seed" | "record" | "stream";

/** One step of a replay. */
export interface ReplayedStep {
  readonly line: StepLine;
  /** Timers that ran before it and of which the record says nothing there. */
  readonly earlier: readonly Taken[];
  /** What the step did now; missing when it could not be taken at all. */
  readonly taken?: Taken;
  /** Why it was not taken: a refusal, or a fault of the machine. */
  readonly refused?: { readonly kind: "refusal" | "fault"; readonly code: string; readonly words: string };
  readonly rolls: RollsFrom;
  /** Empty when it went as recorded. */
  readonly differences: readonly Difference[];
}

/** What an input came to. */
type Retaken = Pick<ReplayedStep, "earlier" | "taken" | "refused" | "rolls">;

/**
 * Takes the steps of one match again, one line at a time. A step that is refused changes nothing, and the next line
 * is taken on what is there: how much of it makes sense after a difference is for the caller to say.
 *
 * On the rules that a match was played by, its seed rolls what it rolled. On others the recorded rolls are set where
 * the seed would roll something else, as long as they fit.
 */
export class Replayer {
  /** The situation after the last step that was taken. */
  situation: Situation | undefined;
  private readonly sameRules: boolean;

  constructor(
    private readonly runnable: Runnable,
    private readonly header: Header,
  ) {
    this.sameRules = header.machine.rules === runnable.rules;
  }

  next(line: StepLine): ReplayedStep {
    const before = this.situation;
    const { earlier, taken, refused, rolls } = before ? this.step(before, line) : this.begin(line);
    const last = earlier.at(-1)?.situation ?? before;
    this.situation = taken?.situation ?? last;
    const came = { line, earlier, rolls };
    if (!taken || earlier.length > 0) {
      const words = refused
        ? `${refused.kind === "fault" ? "fault" : "refused"} ${refused.code}: ${refused.words}`
        : `${earlier.length + 1} steps: a timer was due first`;
      const differences = [{ path: "input", recorded: line.input as unknown as Json, replayed: words }];
      return { ...came, ...(taken && { taken }), ...(refused && { refused }), differences };
    }
    const differences = this.compare(line, stepLine(this.runnable, before, taken), taken.situation);
    return {
      ...came,
      taken,
      differences: before ? differences : [...this.compareHeader(taken.situation), ...differences],
    };
  }

  /**
   * Asks again for what was refused; the match stays where it is.
   *
   * @returns how it differs: it is taken now, or refused for another reason; undefined when it is refused as it was
   */
  refused({ refused, time, code }: RefusedLine): Difference | undefined {
    if (!this.situation) return undefined;
    const { refusal, fault } = step(this.runnable, this.situation, inputAt(refused, time), NOW);
    const now = refusal?.code ?? (fault ? `fault ${fault.code}` : "taken");
    return now === code ? undefined : { path: "refused", recorded: code, replayed: now };
  }

  /**
   * Takes the step of a line that is, to the letter, what is written of it now; changes nothing for any other line.
   *
   * @returns the number of the step; undefined for another line, which `next` says more of
   */
  takeAsWritten(text: string): number | undefined {
    const before = this.situation;
    const asked = this.sameRules ? askedIn(text) : undefined;
    if (!asked || (asked.kind === "begin") !== !before) return undefined;
    const taken = before ? this.takenAt(before, asked as Input) : this.begin({ input: asked }).taken;
    if (!taken || (!before && this.compareHeader(taken.situation).length > 0)) return undefined;
    const { step: number } = taken.situation;
    const every = text.startsWith(DIGESTED, text.length - DIGEST_TO_END) ? 1 : Number.POSITIVE_INFINITY;
    const digestEvery = number % DIGEST_EVERY === 0 ? DIGEST_EVERY : every;
    if (JSON.stringify(stepLine(this.runnable, before, taken, digestEvery)) !== text) return undefined;
    this.situation = taken.situation;
    return number;
  }

  /** The step of an input, when that is the one step it comes to. */
  private takenAt(before: Situation, input: Input): Taken | undefined {
    const { taken, refusal, fault } = step(this.runnable, before, input, NOW);
    return refusal || fault || taken.length > 1 ? undefined : taken[0];
  }

  /** What in the header is not as the match began; that it was another text or version is told by its hashes. */
  private compareHeader(first: Situation): Difference[] {
    // What it is a variation of says nothing of how it goes.
    const { machine: _, parent: _parent, ...recorded } = this.header;
    const { machine: __, ...replayed } = headerOf(this.runnable, beginOptions(this.header), first);
    if (JSON.stringify(recorded) === JSON.stringify(replayed)) return [];
    return Object.keys({ ...recorded, ...replayed }).flatMap((name) => {
      const [was, is] = [recorded, replayed].map((header) => header[name as keyof typeof header] as Json | undefined);
      return canonicalJson(was) === canonicalJson(is) ? [] : deepDifferences(`/header/${name}`, was, is);
    });
  }

  private begin({ input }: Pick<StepLine, "input">): Retaken {
    const { taken, fault, refusal } = begin(this.runnable, beginOptions(this.header, input));
    return retaken(taken ? [taken] : [], refusal, fault);
  }

  private step(before: Situation, line: StepLine): Retaken {
    const input = inputFrom(line);
    const { taken, refusal, fault } = step(this.runnable, before, input, NOW);
    const came = retaken(taken, refusal, fault);
    if (this.sameRules || input.dice || !came.taken || rollsAsIn(line, came.taken)) return came;
    const again = step(this.runnable, before, { ...input, dice: line.dice.map(({ value }) => value) }, NOW);
    if (again.fault?.code === "badRoll") return { ...came, rolls: "stream" };
    return { ...retaken(again.taken, again.refusal, again.fault), rolls: "record" };
  }

  private compare(recorded: StepLine, replayed: StepLine, situation: Situation): Difference[] {
    const differences: Difference[] = [];
    const add = (path: string, was: unknown, is: unknown): void => {
      if (canonicalJson(was) !== canonicalJson(is))
        differences.push({
          path,
          ...(was !== undefined && { recorded: was as Json }),
          ...(is !== undefined && { replayed: is as Json }),
        });
    };
    add("time", recorded.time, replayed.time);
    add("dice", recorded.dice.map(withoutSource), replayed.dice.map(withoutSource));
    add("states", recorded.states, replayed.states);
    add("notes", recorded.notes, replayed.notes);
    differences.push(...compareChanges(recorded, replayed));
    if (recorded.digest !== undefined && differences.length === 0) {
      const digest = replayed.digest ?? situationDigest(this.runnable, situation);
      if (digest !== recorded.digest) differences.push({ path: "digest", recorded: recorded.digest, replayed: digest });
    }
    return differences;
  }

  /** The present situation as JSON, for showing. */
  json(): Json {
    return this.situation ? situationJson(this.runnable.machine, this.situation) : null;
  }
}

/**
 * How the line of a step begins, up to its input, as it is written; what follows its input; how one with a digest ends.
 */
const TO_INPUT = /^\{"step":\d+,"time":"([^"]+)","input":(?=\{)/;
const BEHIND_INPUT = ',"dice":[';
const MOST_ENDS = 3;
const DIGESTED = ',"digest":"';
const DIGEST_TO_END = DIGESTED.length + 64 + 2;

/**
 * What was asked for in the line of a step, with its time, as it is written: no more of it is read. Undefined where it
 * is written in another way; a line that is taken for more than it says is none that would be written.
 */
function askedIn(text: string): (LineInput & { readonly time: number }) | undefined {
  const [begin, at] = TO_INPUT.exec(text) ?? [];
  const time = at === undefined ? Number.NaN : timeFrom(at);
  if (begin === undefined || Number.isNaN(time)) return undefined;
  // Dice that are set, and an argument of that name, stand in the input itself.
  for (let end = begin.length, tried = 0; tried < MOST_ENDS; tried++) {
    end = text.indexOf(BEHIND_INPUT, end + 1);
    if (end < 0) return undefined;
    // The time becomes its last member: the input ends with a brace.
    const input = parsed(`${text.slice(begin.length, end - 1)},"time":${time}}`);
    if (input !== undefined) return isInput(input) ? (input as LineInput & { time: number }) : undefined;
  }
  return undefined;
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}

/** Every step is put into words, so they are made as it is taken. */
const NOW = { happenings: "now" } as const;

/** How a match is begun again from its header, and the input of step 0, which has the rolls that were set. */
export function beginOptions(header: Header, { dice = [] }: Pick<LineInput, "dice"> = {}): BeginOptions {
  return {
    ...(header.from !== undefined && { from: header.from }),
    ...(dice.length > 0 && { dice }),
    seed: header.seed,
    seats: header.seats.length,
    ...(header.open && { open: header.open }),
    ...(header.given && { given: header.given }),
    now: Date.parse(header.begun),
  };
}

/** The input of a line, for the engine. */
export function inputFrom({ input, time }: Pick<StepLine, "input" | "time">): Input {
  return inputAt(input, time);
}

function inputAt(input: LineInput, time: string): Input {
  return { ...(input as LineInput & { kind: Exclude<LineInput["kind"], "begin"> }), time: timeFrom(time) } as Input;
}

/** @param taken timers that were due come first; the step itself is the last, when it was taken */
function retaken(taken: readonly Taken[], refusal: Refusal | undefined, fault: FaultReport | undefined): Retaken {
  const refused = fault
    ? { kind: "fault" as const, code: fault.code, words: fault.words }
    : refusal && { kind: "refusal" as const, code: refusal.code, words: refusal.words };
  const last = refused ? undefined : taken.at(-1);
  const earlier = last ? taken.slice(0, -1) : taken;
  return { earlier, ...(last && { taken: last }), ...(refused && { refused }), rolls: "seed" };
}

/** Whether a step rolled what was recorded. */
function rollsAsIn(line: StepLine, { happenings }: Taken): boolean {
  const { rolls } = happenings;
  return rolls.length === line.dice.length && rolls.every(({ value }, i) => value === line.dice[i]?.value);
}

function withoutSource(roll: StepLine["dice"][number]): unknown {
  const { source: _, ...rest } = roll;
  return rest;
}

function compareChanges(recorded: StepLine, replayed: StepLine): Difference[] {
  const differences: Difference[] = [];
  const left = new Map(replayed.changes.map((change) => [change.path, change]));
  for (const change of recorded.changes) {
    const other = left.get(change.path);
    left.delete(change.path);
    if (!other) differences.push({ path: change.path, ...(change.value !== undefined && { recorded: change.value }) });
    else if (canonicalJson(change.value) !== canonicalJson(other.value))
      differences.push(...deepDifferences(change.path, change.value, other.value));
  }
  for (const change of left.values())
    differences.push({ path: change.path, ...(change.value !== undefined && { replayed: change.value }) });
  return differences;
}

/** Goes down to the parts that differ, so that a path names a field and not a whole record. */
function deepDifferences(path: string, was: Json | undefined, is: Json | undefined): Difference[] {
  if (isObject(was) && isObject(is)) {
    const keys = new Set([...Object.keys(was), ...Object.keys(is)]);
    return [...keys].flatMap((key) =>
      canonicalJson(was[key]) === canonicalJson(is[key]) ? [] : deepDifferences(`${path}/${key}`, was[key], is[key]),
    );
  }
  return [{ path, ...(was !== undefined && { recorded: was }), ...(is !== undefined && { replayed: is }) }];
}

function isObject(value: Json | undefined): value is { readonly [key: string]: Json } {
  return value !== null && typeof value === "object" && !Array.isArray(value);
}
