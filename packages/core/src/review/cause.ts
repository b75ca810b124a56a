/**
 * Cause by trial: which changes between two versions make a match diverge. The match is replayed on the old version
 * with some of the changes made, until a smallest set is found that makes the difference: evidence, not a guess. What
 * does not compile by itself decides nothing.
 */

import { compile } from "../compile.js";
import { canonicalJson } from "../logbook/canonical.js";
import { Runnable } from "../engine/matches/runnable.js";
import type { Logbook } from "../logbook/read.js";
import { Replayer } from "../logbook/replay.js";
import { type Diverged, endDifferences } from "../logbook/verify.js";
import { changesOf, type PieceChange, type Texts, withChanges } from "./pieces.js";
import { smallest } from "./smallest.js";

/** How often a match is replayed at most in search of a cause. */
const MOST_TRIALS = 400;

/** What a search for a cause came to. */
export interface Cause {
  /** The smallest set of changes that makes the match diverge in that step; empty when none was found. */
  readonly changes: readonly PieceChange[];
  /** How often it was tried. */
  readonly trials: number;
  /** Whether the search came to its end, so that no change can be left out. */
  readonly complete: boolean;
}

/**
 * Looks for what made a match diverge.
 *
 * @param old the texts of the version it was played on @param now those of the version on which it diverges
 * @param diverged how it does; the same must come of the changes
 */
export function causeOf(
  old: Texts,
  now: Texts,
  logbook: Logbook,
  diverged: Pick<Diverged, "step" | "input" | "differences">,
): Cause {
  const changes = changesOf(old, now);
  let trials = 0;
  const makesIt = (some: readonly PieceChange[]): boolean | undefined => {
    if (trials >= MOST_TRIALS) return undefined;
    trials++;
    return divergesAt(withChanges(old, some), logbook, diverged);
  };
  // Mostly one change is enough, and mostly there are few.
  for (const change of changes) if (makesIt([change]) === true) return { changes: [change], trials, complete: true };
  if (makesIt(changes) !== true) return { changes: [], trials, complete: trials < MOST_TRIALS };
  const least = smallest(changes, makesIt);
  return { changes: least, trials, complete: trials < MOST_TRIALS };
}

/** Whether a match diverges on these texts, first in that step and in the same way; undefined when they do not run. */
function divergesAt(
  texts: Texts,
  { header, steps, refused, closing }: Logbook,
  { step, input, differences }: Pick<Diverged, "step" | "input" | "differences">,
): boolean | undefined {
  const { ok, machine } = compile(texts[""] ?? "", "machine.zany", (path) => texts[path], { errorsOnly: true });
  if (!ok) return undefined;
  const runnable = new Runnable(machine, false);
  const replayer = new Replayer(runnable, header);
  // What is found to be taken that was refused stands behind its step, which goes as it went.
  const isRefused = differences[0]?.path === "refused";
  for (const line of steps.slice(0, isRefused ? step + 1 : step)) {
    if (replayer.next(line).differences.length > 0) return false;
    const asked = refused.filter(({ after }) => after === line.step);
    const differs = asked.find((each) => replayer.refused(each) !== undefined);
    if (differs) return isRefused && line.step === step && canonicalJson(differs.refused) === canonicalJson(input);
  }
  if (isRefused) return false;
  const line = steps[step];
  let found = line ? replayer.next(line).differences : [];
  // A match whose steps go as they went may end otherwise.
  if (found.length === 0 && step === steps.length - 1 && closing && replayer.situation)
    found = endDifferences(runnable, replayer.situation, closing);
  return found.some(({ path }) => path === differences[0]?.path);
}
