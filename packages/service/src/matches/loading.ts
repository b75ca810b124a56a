/**
 * Loading a stored match: from its last snapshot, or from the beginning. Every step after that is taken again and
 * compared with its line, and the lines with the chain, so that nothing is played on that is not what was acknowledged.
 */

import {
  DIGEST_EVERY,
  type Difference,
  type Header,
  type Json,
  Replayer,
  restore,
  type Runnable,
  type Situation,
  sha256Hex,
  type StepLine,
  stepLine,
  WrongValue,
} from "@zany/core";
import { Problem } from "../problems.js";
import type { SnapshotRow } from "../storage/schema.js";
import { chained, chainOf, sealOf } from "./chain.js";
import type { LiveMatch } from "./live.js";
import { damaged, type MatchRecords, type StoredLine } from "./records.js";

/** Steps between two snapshots: those whose lines carry a digest of the situation. */
export const SNAPSHOT_EVERY = DIGEST_EVERY;
/** How long steps are taken again in one go, in milliseconds, before others get their turn. */
const PORTION = 10;
/** Most steps of a match that is carried over to another version: they are in memory then. */
const MOST_CARRIED = 200_000;

/** A match that was played again from what is stored of it. */
export interface Loaded {
  readonly situation: Situation;
  readonly chain: string;
}

/** What is stored of the match that is loaded. */
export interface Kept {
  readonly id: string;
  readonly header: Header;
  /** The header as it is stored. */
  readonly headerText: string;
  /** The number of the last step, and the chain there. */
  readonly step: number;
  readonly chain: string;
}

/**
 * @param snapshots the newest first; none to play it again from the beginning
 * @throws Problem 409 when what is stored does not fit together, or does not replay
 */
export async function loadMatch(
  kept: Kept,
  runnable: Runnable,
  records: MatchRecords,
  snapshots: readonly SnapshotRow[],
): Promise<Loaded> {
  const { id, header, headerText } = kept;
  const replayer = new Replayer(runnable, header);
  const start = fromSnapshot(kept, runnable, records, snapshots);
  if (start) replayer.situation = start.situation;
  let chain = start?.chain ?? chainOf(headerText);
  let step = start?.situation.step ?? -1;
  let since = performance.now();
  for (;;) {
    const lines = records.page(id, step);
    if (lines.length === 0) break;
    for (const { line } of lines) {
      chain = chained(chain, line);
      takeAgain(id, replayer, line, ++step);
      if (performance.now() - since < PORTION) continue;
      await new Promise((resolve) => setImmediate(resolve));
      since = performance.now();
    }
  }
  const { situation } = replayer;
  if (!situation || step !== kept.step) throw damaged(id, `it has ${step} of ${kept.step} steps`);
  if (chain !== kept.chain) throw damaged(id, "its lines are not those that were written");
  return { situation, chain };
}

/** A match whose inputs were replayed on another version of its machine. */
export interface CarriedOver extends Loaded {
  /** The first step that diverges there, with what differs; undefined when all go as they went. */
  readonly otherwise: { readonly step: number; readonly differences: readonly Difference[] } | undefined;
  /** The lines as they are there. */
  readonly lines: readonly Omit<StoredLine, "step">[];
}

/**
 * Replays the inputs of a match on another version of its machine.
 *
 * @param header the match's header, for that version
 * @param tellsAll whether a refusal may be told with all it says
 * @throws Problem 409 when an input is not taken there, or the match is too long
 */
export async function carriedOver(
  { id, header, headerText }: Pick<Kept, "id" | "header" | "headerText">,
  runnable: Runnable,
  records: MatchRecords,
  tellsAll: boolean,
): Promise<CarriedOver> {
  // The rolls that were told are kept where they fit: by the old rules they were played.
  const replayer = new Replayer(runnable, { ...header, machine: { ...header.machine, rules: "" } });
  const lines: Omit<StoredLine, "step">[] = [];
  let otherwise: CarriedOver["otherwise"];
  let chain = chainOf(headerText);
  let since = performance.now();
  for await (const page of records.lines(id))
    for (const { line: text, step, client } of page) {
      const line = lineFrom(text);
      if (line?.step !== step) throw damaged(id, `the line of step ${step} is missing or not readable`);
      let before = replayer.situation;
      const { earlier, taken, refused, differences } = replayer.next(line);
      if (refused)
        throw new Problem(
          409,
          "inputRefused",
          `Step ${step} is not taken by that version${tellsAll ? `: ${refused.words}` : "."} The match stays as it is.`,
          { step, ...(tellsAll && { input: line.input, refused }) },
        );
      if (differences.length > 0) otherwise ??= { step, differences };
      for (const one of taken ? [...earlier, taken] : earlier) {
        const written = JSON.stringify(stepLine(runnable, before, one));
        chain = chained(chain, written);
        lines.push({ line: written, client: one === taken ? client : null });
        before = one.situation;
      }
      if (lines.length > MOST_CARRIED)
        throw new Problem(409, "tooLong", `A match of more than ${MOST_CARRIED} steps is not carried over.`);
      if (performance.now() - since < PORTION) continue;
      await new Promise((resolve) => setImmediate(resolve));
      since = performance.now();
    }
  const { situation } = replayer;
  if (!situation) throw damaged(id, "it has no steps");
  return { situation, chain, otherwise, lines };
}

/**
 * The situation of a match as it was at a step, played again.
 *
 * @throws Problem 409 when what is stored does not replay
 */
export async function situationAt(
  { id, runnable, header }: Pick<LiveMatch, "id" | "runnable" | "header">,
  records: MatchRecords,
  step: number,
): Promise<Situation> {
  const replayer = new Replayer(runnable, header);
  for await (const lines of records.lines(id))
    for (const { line, step: number } of lines) {
      takeAgain(id, replayer, line, number);
      if (number === step && replayer.situation) return replayer.situation;
    }
  throw damaged(id, `step ${step} is missing`);
}

/** Takes the step of a line again. @throws Problem 409 when it is not that step, or goes another way */
function takeAgain(id: string, replayer: Replayer, text: string, step: number): void {
  const line = lineFrom(text);
  if (line?.step !== step) throw damaged(id, `the line of step ${step} is missing or not readable`);
  const [difference] = replayer.next(line).differences;
  if (difference)
    throw new Problem(
      409,
      "doesNotReplay",
      `The match "${id}" does not replay: step ${step} differs in ${difference.path}. Its logbook can be downloaded.`,
    );
}

function lineFrom(text: string): StepLine | undefined {
  try {
    return JSON.parse(text) as StepLine;
  } catch {
    return undefined;
  }
}

/** The situation of the newest snapshot that fits the header, the chain and the line of its step. */
function fromSnapshot(
  { id, header, headerText }: Kept,
  runnable: Runnable,
  records: MatchRecords,
  snapshots: readonly SnapshotRow[],
): Loaded | undefined {
  for (const { step, situation, chain, seal } of snapshots) {
    const line = lineFrom(records.page(id, step - 1, 1)[0]?.line ?? "");
    if (line?.step !== step || line.digest !== sha256Hex(situation)) continue;
    if (seal !== sealOf(headerText, chain, situation)) continue;
    try {
      return { situation: restore(runnable, JSON.parse(situation) as Json, header.seed), chain };
    } catch (error) {
      if (!(error instanceof WrongValue)) throw error;
    }
  }
  return undefined;
}
