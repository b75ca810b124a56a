/** One transaction for many, as both threads that write do it. */

import { storageFailure } from "./driver.js";

/** What became of one that was to be written: undefined when it was, else what was thrown. */
export type Outcome = Error | undefined;

/**
 * Runs all of them in one transaction. When one of them is wrong, each in its own, so that only that one is refused;
 * when the disk does not take it, none is written.
 */
export function commit(jobs: readonly (() => void)[], transaction: (work: () => void) => void): readonly Outcome[] {
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
