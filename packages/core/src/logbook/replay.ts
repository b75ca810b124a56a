/** Plays a logbook's inputs again and compares what is replayed with what was recorded. */

import type { BeginOptions } from "../engine/matches/begin.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { begin } from "../engine/matches/begin.js";
import { step } from "../engine/matches/step.js";
import type { Input, Situation, Taken } from "../engine/situation/situation.js";
import { situationJson } from "../engine/situation/situation-json.js";
import type { Json } from "../engine/values/json.js";
import { canonicalJson } from "./canonical.js";
import type { Header, LineInput, StepLine } from "./format.js";
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

/** One step of a replay. */
export interface ReplayedStep {
  readonly line: StepLine;
  /** What the step did now; missing when it could not be taken at all. */
  readonly taken?: Taken;
  /** Empty when it went as recorded. */
  readonly differences: readonly Difference[];
}

/** Takes the steps of one match again, one line at a time. */
export class Replayer {
  /** The situation after the last step that was taken. */
  situation: Situation | undefined;

  constructor(
    private readonly runnable: Runnable,
    private readonly header: Header,
  ) {}

  next(line: StepLine): ReplayedStep {
    const before = this.situation;
    const { taken, refused } = before ? this.step(before, line) : this.begin();
    if (!taken)
      return {
        line,
        differences: [{ path: "input", recorded: line.input as unknown as Json, replayed: refused ?? "refused" }],
      };
    this.situation = taken.situation;
    const differences = this.compare(line, stepLine(this.runnable, before, taken), taken.situation);
    return {
      line,
      taken,
      differences: before ? differences : [...this.compareHeader(taken.situation), ...differences],
    };
  }

  /** What in the header is not as the match began; that it was another text or version is told by its hashes. */
  private compareHeader(first: Situation): Difference[] {
    const { machine: _, ...recorded } = this.header;
    const { machine: __, ...replayed } = headerOf(this.runnable, beginOptions(this.header), first);
    return Object.keys({ ...recorded, ...replayed }).flatMap((name) => {
      const [was, is] = [recorded, replayed].map((header) => header[name as keyof typeof header] as Json | undefined);
      return canonicalJson(was) === canonicalJson(is) ? [] : deepDifferences(`/header/${name}`, was, is);
    });
  }

  private begin(): { taken?: Taken; refused?: string } {
    const result = begin(this.runnable, beginOptions(this.header));
    return result.taken ? { taken: result.taken } : { refused: result.fault?.words ?? result.refusal?.words ?? "" };
  }

  private step(before: Situation, line: StepLine): { taken?: Taken; refused?: string } {
    const result = step(this.runnable, before, inputFrom(line));
    const [taken] = result.taken;
    if (result.fault) return { refused: `fault ${result.fault.code}: ${result.fault.words}` };
    if (result.refusal) return { refused: `refused ${result.refusal.code}: ${result.refusal.words}` };
    if (result.taken.length !== 1 || !taken) return { refused: `${result.taken.length} steps: a timer was due first` };
    return { taken };
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

/** How a match is begun again from its header. */
export function beginOptions(header: Header): BeginOptions {
  return {
    seed: header.seed,
    seats: header.seats.length,
    ...(header.open && { open: header.open }),
    ...(header.given && { given: header.given }),
    now: Date.parse(header.begun),
  };
}

/** The input of a line, for the engine. */
export function inputFrom(line: StepLine): Input {
  return {
    ...(line.input as LineInput & { kind: Exclude<LineInput["kind"], "begin"> }),
    time: Date.parse(line.time),
  } as Input;
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
