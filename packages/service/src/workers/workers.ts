/**
 * Work on texts from anybody, beside the matches: one worker does it, task by task, with limits in memory and time. The
 * texts' own limits are counted; these here are the last guard, and tell that they are.
 */

import { Worker } from "node:worker_threads";
import { Problem } from "../problems.js";
import type { Tasks } from "./tasks.js";

/** The program of a worker, built beside the service. */
export const WORKER = new URL("./worker.mjs", import.meta.url);
/** The most memory that a task may take, in megabytes, and the most time, in milliseconds. */
const MEMORY = 512;
const TIME = 20_000;
/** How many tasks may wait. */
const MOST_WAITING = 100;

interface Waiting {
  readonly name: keyof Tasks;
  readonly input: unknown;
  readonly resolve: (result: never) => void;
  readonly reject: (error: unknown) => void;
}

export class Workers {
  private worker: Worker | undefined;
  private readonly waiting: Waiting[] = [];
  private current: Waiting | undefined;
  private timer: NodeJS.Timeout | undefined;

  /** @param program where the worker's program is */
  constructor(private readonly program: URL) {}

  /**
   * Does a task when its turn comes.
   *
   * @throws Problem 429 when too many wait; 422 when it took more memory or time than any text should
   */
  run<Name extends keyof Tasks>(name: Name, input: Parameters<Tasks[Name]>[0]): Promise<ReturnType<Tasks[Name]>> {
    if (this.waiting.length >= MOST_WAITING)
      return Promise.reject(
        new Problem(429, "tooManyWaiting", "Too many texts are being looked at.", {}, { "Retry-After": "2" }),
      );
    return new Promise((resolve, reject) => {
      this.waiting.push({ name, input, resolve, reject });
      this.next();
    });
  }

  async close(): Promise<void> {
    clearTimeout(this.timer);
    await this.worker?.terminate();
  }

  private next(): void {
    if (this.current) return;
    const next = this.waiting.shift();
    if (!next) return;
    this.current = next;
    this.worker ??= this.started();
    this.worker.postMessage({ name: next.name, input: next.input });
    this.timer = setTimeout(() => this.stopped(tooMuch(`${TIME / 1000} seconds`)), TIME);
  }

  private started(): Worker {
    const worker = new Worker(this.program, { resourceLimits: { maxOldGenerationSizeMb: MEMORY } });
    worker.on("message", (result: unknown) => {
      clearTimeout(this.timer);
      const done = this.current;
      this.current = undefined;
      done?.resolve(result as never);
      this.next();
    });
    worker.on("error", (error: NodeJS.ErrnoException) =>
      this.stopped(error.code === "ERR_WORKER_OUT_OF_MEMORY" ? tooMuch(`${MEMORY} megabytes`) : error),
    );
    // What waits for it keeps the service awake by its own connection.
    worker.unref();
    return worker;
  }

  /** Gives the task at hand up, and goes on with another worker. */
  private stopped(why: unknown): void {
    clearTimeout(this.timer);
    const failed = this.current;
    this.current = undefined;
    void this.worker?.terminate();
    this.worker = undefined;
    failed?.reject(why);
    this.next();
  }
}

function tooMuch(what: string): Problem {
  return new Problem(422, "gaveUp", `This text took more than ${what}, so it was given up. Nothing was changed.`);
}
