/**
 * Grouped commits: everything asked for in one turn of the event loop is one transaction, so that many writes share
 * one flush to the disk. A promise is kept only after that flush. What is much, or goes to a slow disk, is written by a
 * thread of its own when it is plain data, so that nobody waits for the disk but those whose writes it takes; what is
 * asked for meanwhile is the next transaction. A little on a quick disk is written sooner than it is handed over.
 *
 * A disk that does not take what is written is a state of the service, not its end: what was asked for is refused and
 * may be asked for again, reading goes on, and a small write is tried now and then until there is room again.
 */

import type { Logger } from "pino";
import { Problem } from "../problems.js";
import { type Committed, type Outcome, timedCommit } from "./commit.js";
import { storageFailure } from "./driver.js";
import type { Entry, Store } from "./store.js";
import { WRITING, WritingThread } from "./writing-thread.js";

/** What is written: an entry, or what is found out and done inside the transaction, synchronously. */
export type Write = Entry | (() => void);

interface Job {
  readonly writes: readonly Write[];
  readonly resolve: () => void;
  readonly reject: (error: unknown) => void;
}

/** How many batches the thread is given at a time: one that it writes, and the next. */
const MOST_AWAY = 2;
/** From how many jobs on the thread writes a batch, and from how long a wait for the disk on, in milliseconds. */
const MUCH = 8;
const LONG = 1;
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
  private thread: WritingThread | undefined;
  private scheduled = false;
  /** The batches that the thread has, the first of which it writes now. */
  private away: (readonly Job[])[] = [];
  private idle: (() => void) | undefined;
  /** How long the last commit took, in milliseconds. */
  private waited = 0;
  /** Why it has ended by itself, in words. */
  private lost: string | undefined;
  private why: string | undefined;
  private trying: NodeJS.Timeout | undefined;
  private readonly told: ((failing: string | undefined) => void)[] = [];

  constructor(
    private readonly store: Store,
    private readonly log: Logger,
  ) {}

  /**
   * Lets a thread of its own write, as soon as it is there.
   *
   * @param file the database's file
   * @param program the program of the thread
   * @param there is told when it is there
   */
  startThread(file: string, program = WRITING, there = (): void => {}): void {
    this.thread = new WritingThread(file, program, {
      textOf: (statement) => this.store.textOf(statement),
      ready: there,
      ended: (why) => this.threadEnded(why),
    });
  }

  /** Why nothing can be written now, in words; undefined while all is well. */
  get failing(): string | undefined {
    return this.lost ?? this.why;
  }

  /** Calls `then` whenever the disk begins to fail, and when it takes what is written again. */
  onChange(then: (failing: string | undefined) => void): void {
    this.told.push(then);
  }

  /**
   * Writes all of it, in order, in the next transaction. Resolves once it is on the disk.
   *
   * @throws StorageFails when the disk does not take it; whatever is thrown inside
   */
  write(...writes: readonly Write[]): Promise<void> {
    return new Promise((resolve, reject) => {
      this.waiting.push({ writes, resolve, reject });
      this.schedule();
    });
  }

  /** Stops trying a failing disk; what the thread writes now is waited for. */
  async close(): Promise<void> {
    clearTimeout(this.trying);
    while (this.away.length > 0) await new Promise<void>((resolve) => (this.idle = resolve));
    await this.thread?.close();
  }

  private schedule(): void {
    if (this.scheduled || this.away.length >= MOST_AWAY) return;
    this.scheduled = true;
    setImmediate(() => {
      this.scheduled = false;
      this.flush();
    });
  }

  private flush(): void {
    const jobs = this.waiting;
    if (this.lost !== undefined) {
      this.waiting = [];
      for (const { reject } of jobs) reject(new StorageFails(this.lost));
    } else if (this.thread?.isReady && this.isWorthIt(jobs) && jobs.every(isPlain)) {
      this.waiting = [];
      this.away.push(jobs);
      this.thread.commit(
        jobs.map(({ writes }) => writes),
        (committed) => this.back(committed),
      );
    } else if (this.away.length === 0) {
      this.waiting = [];
      const runs = jobs.map(
        ({ writes }) =>
          (): void =>
            this.run(writes),
      );
      this.settle(jobs, this.committed(runs));
    }
  }

  /** Whether a batch is better written by the thread; behind one that it has, each is. */
  private isWorthIt(jobs: readonly Job[]): boolean {
    return jobs.length >= MUCH || this.waited >= LONG || this.away.length > 0;
  }

  /** The thread has written a batch, or not. */
  private back(committed: Committed): void {
    const jobs = this.away.shift() ?? [];
    this.settle(jobs, this.judged(committed));
    if (this.waiting.length > 0) this.flush();
    else if (this.away.length === 0) this.idle?.();
  }

  private run(writes: readonly Write[]): void {
    for (const write of writes)
      if (typeof write === "function") write();
      else this.store.enter(write);
  }

  private settle(jobs: readonly Job[], outcomes: readonly Outcome[]): void {
    for (const [i, { resolve, reject }] of jobs.entries()) {
      const error = outcomes[i];
      if (error === undefined) resolve();
      else reject(error);
    }
  }

  private committed(jobs: readonly (() => void)[]): readonly Outcome[] {
    return this.judged(timedCommit(jobs, (work) => this.store.transaction(work)));
  }

  /** Outcomes with a failure of the disk as `StorageFails`; it is told when that begins and ends. */
  private judged({ outcomes, waited }: Committed): readonly Outcome[] {
    this.waited = waited;
    if (outcomes.includes(undefined)) this.works();
    return outcomes.map((error) => {
      const why = error && storageFailure(error);
      if (why === undefined) return error;
      this.fails(why, error);
      return new StorageFails(why);
    });
  }

  /**
   * What became of the last batch is known only to the disk, so nothing more is written on top of it: after a start it
   * is read from there.
   */
  private threadEnded(why: string): void {
    this.lost = "the thread that writes has ended; start the service again";
    this.log.error(`nothing can be written: ${this.lost} (${why})`);
    for (const then of this.told) then(this.lost);
    const jobs = this.away.flat();
    this.away = [];
    for (const { reject } of jobs) reject(new StorageFails(this.lost));
    this.flush();
    this.idle?.();
  }

  private fails(why: string, error: unknown): void {
    const before = this.why;
    this.why = why;
    if (before === undefined) this.log.error({ err: error }, `nothing can be written: ${why}`);
    if (before !== why) for (const then of this.told) then(why);
    clearTimeout(this.trying);
    this.trying = setTimeout(() => this.committed([() => this.store.touch()]), TRY_AGAIN);
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

/** A job that can be written by the thread. */
function isPlain(job: Job): job is Job & { readonly writes: readonly Entry[] } {
  return job.writes.every((write) => typeof write !== "function");
}
