/** One transaction for many, as both threads that write do it; and how long the disk was waited for. */

import { storageFailure } from "./driver.js";

/** What became of one that was to be written: undefined when it was, else what was thrown. */
export type Outcome = Error | undefined;

/** What became of all that was to be written, and how long the last commit took, in milliseconds. */
export interface Committed {
  readonly outcomes: readonly Outcome[];
  readonly waited: number;
}

/** The same as `commit`, timed. */
export function timedCommit(jobs: readonly (() => void)[], transaction: (work: () => void) => void): Committed {
  let written = performance.now();
  const outcomes = commit(jobs, (work) =>
    transaction(() => {
      work();
      written = performance.now();
    }),
  );
  return { outcomes, waited: performance.now() - written };
}

/**
 * Runs all of them in one transaction. When one of them is wrong, each in its own, so that only that one is refused;
 * when the disk does not take it, none is written.
 */
function commit(jobs: readonly (() => void)[], transaction: (work: () => void) => void): readonly Outcome[] {
  try {
    transaction(() => {
      for (const job of jobs) job();
    });
    return jobs.map(() => undefined);
  } catch (thrown) {
    const error = thrown instanceof Error ? thrown : new Error(String(thrown));
    if (jobs.length === 1 || storageFailure(error) !== undefined) return jobs.map(() => error);
    return jobs.flatMap((job) => commit([job], transaction));
  }
}
