/**
 * Grouped commits: everything asked for in one turn of the event loop is one transaction, so that many writes share
 * one flush to the disk. A promise is kept only after that flush.
 *
 * A disk that does not take what is written is a state of the service, not its end: what was asked for is refused and
 * may be asked for again, reading goes on, and a small write is tried now and then until there is room again.
 */

import type { Logger } from "pino";
import { Problem } from "../problems.js";
import { storageFailure } from "./driver.js";
import type { Store } from "./store.js";

interface Job {
  readonly run: () => void;
  readonly resolve: () => void;
  readonly reject: (error: unknown) => void;
}

/** How often a failing disk is tried, in milliseconds. */
const TRY_AGAIN = 1_000;

/** What a writer answers while the disk fails. Nothing of what was asked for is kept. */
export class StorageFails extends Problem {
  constructor(why: string) {
    super(
      503,
      "storageFails",
      `Nothing can be written at the moment: ${why}. Nothing was changed; send it again in a while.`,
      {},
      { "Retry-After": "5" },
    );
  }
}

export class Writer {
  private waiting: Job[] = [];
  private why: string | undefined;
  private trying: NodeJS.Timeout | undefined;
  private readonly told: ((failing: string | undefined) => void)[] = [];

  constructor(
    private readonly store: Store,
    private readonly log: Logger,
  ) {}

  /** Why nothing can be written now, in words; undefined while all is well. */
  get failing(): string | undefined {
    return this.why;
  }

  /** Calls `then` whenever the disk begins to fail, and when it takes what is written again. */
  onChange(then: (failing: string | undefined) => void): void {
    this.told.push(then);
  }

  /**
   * Runs `run`, which must be synchronous, in the next transaction. Resolves once it is on the disk.
   *
   * @throws StorageFails when the disk does not take it; whatever `run` throws
   */
  write(run: () => void): Promise<void> {
    return new Promise((resolve, reject) => {
      if (this.waiting.length === 0) setImmediate(() => this.flush());
      this.waiting.push({ run, resolve, reject });
    });
  }

  /** Stops trying a failing disk. */
  close(): void {
    clearTimeout(this.trying);
  }

  private flush(): void {
    const jobs = this.waiting;
    this.waiting = [];
    const error = this.failureOf(() => {
      for (const job of jobs) job.run();
    });
    if (error === undefined) for (const job of jobs) job.resolve();
    else if (error instanceof StorageFails || jobs.length === 1) for (const job of jobs) job.reject(error);
    // One of them is wrong: each on its own, so that only that one is refused.
    else
      for (const job of jobs) {
        const own = this.failureOf(job.run);
        if (own === undefined) job.resolve();
        else job.reject(own);
      }
  }

  /** Runs something in a transaction; gives what was thrown, a failure of the disk as `StorageFails`. */
  private failureOf(run: () => void): unknown {
    try {
      this.store.transaction(run);
      this.works();
      return undefined;
    } catch (error) {
      const why = storageFailure(error);
      if (why === undefined) return error ?? new Error("something was thrown that is no error");
      this.fails(why, error);
      return new StorageFails(why);
    }
  }

  private fails(why: string, error: unknown): void {
    const before = this.why;
    this.why = why;
    if (before === undefined) this.log.error({ err: error }, `nothing can be written: ${why}`);
    if (before !== why) for (const then of this.told) then(why);
    clearTimeout(this.trying);
    this.trying = setTimeout(() => this.failureOf(() => this.store.touch()), TRY_AGAIN);
    this.trying.unref();
  }

  private works(): void {
    if (this.why === undefined) return;
    this.why = undefined;
    clearTimeout(this.trying);
    this.log.info("the disk takes what is written again");
    for (const then of this.told) then(undefined);
  }
}
