/** One logbook out of many, verified: what the command and its threads do with each file. */

import { type Runnable, type Verdict, verify, verifyText } from "@zany/core";
import { linesOf, smallText } from "./files.js";

/** What threads that share many files are given. */
export interface SharedFiles {
  readonly files: readonly string[];
  /** The number of the first file that nobody has taken yet. */
  readonly taken: Int32Array;
}

/** The number of the next file that is to be verified; undefined when all were taken. */
export function nextFile({ files, taken }: SharedFiles): number | undefined {
  const number = Atomics.add(taken, 0, 1);
  return number < files.length ? number : undefined;
}

/** @param playedOn the version it was played on, when it is at hand */
export async function verifyFile(runnable: Runnable, file: string, playedOn: Runnable | undefined): Promise<Verdict> {
  const text = smallText(file);
  return text === undefined
    ? await verify(runnable, linesOf(file), { playedOn })
    : verifyText(runnable, text, { playedOn });
}
