/**
 * The thread that writes: entries go to it as plain data, so that requests are read and answered while the disk is
 * waited for.
 */

import { Worker } from "node:worker_threads";
import type { Committed } from "./commit.js";
import type { SqlValue } from "./driver.js";
import type { Entry } from "./store.js";

/** The program of the thread, built beside the service. */
export const WRITING = new URL("./writing.mjs", import.meta.url);

/** What the thread is told. */
export interface ToWriting {
  /** Statements that it has not been told of: the number, the text, how many values it takes. */
  readonly statements: readonly (readonly [number, string, number])[];
  /** How many entries each job has. */
  readonly jobs: readonly number[];
  /** All entries, each the number of its statement and its values. One flat list is the cheapest to hand over. */
  readonly entries: readonly SqlValue[];
}

/** What it says: that it is there, or what became of each job. An error keeps its message and SQLite's code. */
export type FromWriting =
  | { readonly ready: true }
  | {
      readonly outcomes: readonly ({ readonly message: string; readonly errcode: unknown } | undefined)[];
      readonly waited: number;
    };

/** Who gives the thread its work. */
export interface WritingListener {
  /** The text of a statement, by its number. */
  textOf(statement: number): string;
  /** The thread is there. */
  ready(): void;
  /** It has ended by itself: what became of the batches under way is not known. */
  ended(why: string): void;
}

export class WritingThread {
  private readonly worker: Worker;
  private readonly told = new Set<number>();
  private there = false;
  private closed = false;
  private readonly answers: ((committed: Committed) => void)[] = [];

  /** @param file the database's file */
  constructor(
    file: string,
    program: URL,
    private readonly listener: WritingListener,
  ) {
    this.worker = new Worker(program, { workerData: file });
    let why = "it was stopped";
    this.worker.on("message", (message: FromWriting) => this.said(message));
    this.worker.on("error", (error) => {
      why = error.message;
    });
    this.worker.on("exit", () => {
      const lost = this.there && !this.closed;
      this.there = false;
      if (lost) listener.ended(why);
    });
  }

  /** Whether it can be given something. */
  get isReady(): boolean {
    return this.there;
  }

  /** Writes jobs in one transaction, after those it was given before. @param then is told what became of each */
  commit(jobs: readonly (readonly Entry[])[], then: (committed: Committed) => void): void {
    this.answers.push(then);
    const statements: [number, string, number][] = [];
    const entries: SqlValue[] = [];
    for (const job of jobs)
      for (const { statement, values } of job) {
        entries.push(statement);
        for (const value of values) entries.push(value);
        if (this.told.has(statement)) continue;
        this.told.add(statement);
        statements.push([statement, this.listener.textOf(statement), values.length]);
      }
    const lengths = jobs.map((job) => job.length);
    this.worker.postMessage({ statements, jobs: lengths, entries } satisfies ToWriting);
  }

  /** Ends it; nothing may be under way. */
  async close(): Promise<void> {
    this.closed = true;
    if (!this.there) return void (await this.worker.terminate());
    const gone = new Promise((resolve) => this.worker.once("exit", resolve));
    this.worker.postMessage("stop");
    await gone;
  }

  private said(message: FromWriting): void {
    if ("ready" in message) {
      this.there = true;
      this.listener.ready();
      return;
    }
    const { outcomes, waited } = message;
    const errors = outcomes.map((error) => error && Object.assign(new Error(error.message), error));
    this.answers.shift()?.({ outcomes: errors, waited });
  }
}
