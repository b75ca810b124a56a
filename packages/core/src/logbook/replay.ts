/** Plays a logbook's inputs again and compares what comes with what was written. */

import type { BeginOptions, Runnable } from "../engine/play.js";
import { begin, step } from "../engine/play.js";
import type { Input, Situation, Taken } from "../engine/situation.js";
import { situationJson } from "../engine/situation-json.js";
import type { Json } from "../engine/values.js";
import { canonicalJson } from "./canonical.js";
import type { Header, LineInput, StepLine } from "./format.js";
import { situationDigest, stepLine } from "./write.js";

/** One piece of a step that came out differently. */
export interface Difference {
  /**
   * What differs: a data path such as `/data/kites/north/lift`, or `input`, `draws`, `places`, `notes`, `digest`,
   * `result`.
   */
  readonly path: string;
  /** As the logbook has it; undefined when it has nothing there. */
  readonly expected?: Json;
  /** As it came now. */
  readonly came?: Json;
}

/** One step of a replay. */
export interface ReplayedStep {
  readonly line: StepLine;
  /** What the step did now; missing when it could not be taken at all. */
  readonly taken?: Taken;
  /** Empty when it went as written. */
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
        differences: [{ path: "input", expected: line.input as unknown as Json, came: refused ?? "refused" }],
      };
    this.situation = taken.situation;
    return { line, taken, differences: this.compare(line, stepLine(this.runnable, before, taken), taken.situation) };
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

  private compare(expected: StepLine, came: StepLine, situation: Situation): Difference[] {
    const differences: Difference[] = [];
    const add = (path: string, was: unknown, is: unknown): void => {
      if (canonicalJson(was) !== canonicalJson(is))
        differences.push({
          path,
          ...(was !== undefined && { expected: was as Json }),
          ...(is !== undefined && { came: is as Json }),
        });
    };
    add("time", expected.at, came.at);
    add("draws", expected.draws.map(withoutPlace), came.draws.map(withoutPlace));
    add("places", expected.places, came.places);
    add("notes", expected.notes, came.notes);
    differences.push(...compareChanges(expected, came));
    if (expected.digest !== undefined && differences.length === 0) {
      const digest = came.digest ?? situationDigest(this.runnable, situation);
      if (digest !== expected.digest) differences.push({ path: "digest", expected: expected.digest, came: digest });
    }
    return differences;
  }

  /** The present situation as JSON, for showing. */
  json(): Json {
    return this.situation ? situationJson(this.runnable.engine, this.situation) : null;
  }
}

/** How a match is begun again from its header. */
export function beginOptions(header: Header): BeginOptions {
  return {
    seed: header.seed,
    seats: header.seats.length,
    ...(header.open && { open: header.open }),
    overrides: header.overrides,
    ...(header.at && { at: header.at }),
    now: Date.parse(header.begun),
  };
}

/** The input of a line, for the engine. */
export function inputFrom(line: StepLine): Input {
  return {
    ...(line.input as LineInput & { kind: Exclude<LineInput["kind"], "begin"> }),
    at: Date.parse(line.at),
  } as Input;
}

function withoutPlace(draw: StepLine["draws"][number]): unknown {
  const { at: _, ...rest } = draw;
  return rest;
}

function compareChanges(expected: StepLine, came: StepLine): Difference[] {
  const differences: Difference[] = [];
  const left = new Map(came.changes.map((change) => [change.path, change]));
  for (const change of expected.changes) {
    const other = left.get(change.path);
    left.delete(change.path);
    if (!other) differences.push({ path: change.path, ...(change.value !== undefined && { expected: change.value }) });
    else if (canonicalJson(change.value) !== canonicalJson(other.value))
      differences.push(...deepDifferences(change.path, change.value, other.value));
  }
  for (const change of left.values())
    differences.push({ path: change.path, ...(change.value !== undefined && { came: change.value }) });
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
  return [{ path, ...(was !== undefined && { expected: was }), ...(is !== undefined && { came: is }) }];
}

function isObject(value: Json | undefined): value is { readonly [key: string]: Json } {
  return value !== null && typeof value === "object" && !Array.isArray(value);
}
