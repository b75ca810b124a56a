/**
 * Grouped commits: everything asked for in one turn of the event loop is one transaction, so that many
 * writes share one flush to the disk. A promise is kept only after that flush.
 */

import type { Store } from "./store.js";

interface Job {
  readonly run: () => void;
  readonly resolve: () => void;
  readonly reject: (error: unknown) => void;
}

export class Writer {
  private waiting: Job[] = [];

  constructor(private readonly store: Store) {}

  /** Runs `run`, which must be synchronous, in the next transaction. Resolves once it is on the disk. */
  write(run: () => void): Promise<void> {
    return new Promise((resolve, reject) => {
      if (this.waiting.length === 0) setImmediate(() => this.flush());
      this.waiting.push({ run, resolve, reject });
    });
  }

  private flush(): void {
    const jobs = this.waiting;
    this.waiting = [];
    try {
      this.store.transaction(() => {
        for (const job of jobs) job.run();
      });
    } catch {
      // One of them fails: each on its own, so that only that one is refused.
      for (const job of jobs) this.alone(job);
      return;
    }
    for (const job of jobs) job.resolve();
  }

  private alone(job: Job): void {
    try {
      this.store.transaction(job.run);
      job.resolve();
    } catch (error) {
      job.reject(error);
    }
  }
}
