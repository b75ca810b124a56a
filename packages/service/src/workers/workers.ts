/**
 * Work on texts from anybody, beside the matches: one worker does it, task by task, with limits in memory and time. The
 * texts' own limits are counted; these here are the last guard, and tell that they are.
 */

import { Worker } from "node:worker_threads";
import { Problem } from "../problems.js";
import type { Tasks } from "./tasks.js";
import type { FromWorker, ToWorker, WorkerOptions } from "./worker.js";

/** The program of a worker, built beside the service. */
export const WORKER = new URL("./worker.mjs", import.meta.url);
/** The most memory that a task may take, in megabytes, and the most time, in milliseconds. */
const MEMORY = 512;
const TIME = 20_000;
/** How many tasks may wait, and of how many characters all together. */
const MOST_WAITING = 100;
const MOST_CHARACTERS = 16_000_000;

interface Waiting {
  readonly name: keyof Tasks;
  readonly input: unknown;
  readonly text: AsyncIterable<Uint8Array> | undefined;
  readonly resolve: (result: never) => void;
  readonly reject: (error: unknown) => void;
}

export class Workers {
  private worker: Worker | undefined;
  private readonly waiting: Waiting[] = [];
  private current: Waiting | undefined;
  private timer: NodeJS.Timeout | undefined;

  /**
   * @param program where the worker's program is
   * @param givesWay how much its priority is lowered, 0 to 19: for work that nobody waits for
   */
  constructor(
    private readonly program: URL,
    private readonly givesWay = 0,
  ) {}

  /** Starts the worker before there is anything to do, so that the first task need not wait for it. */
  start(): void {
    this.worker ??= this.started();
  }

  /**
   * Does a task when its turn comes.
   *
   * @param text the bytes of its long text, for a task that has one
   * @throws Problem 429 when too many wait; 422 when it took more memory or time than any text should, or when its text
   * is no UTF-8
   */
  run<Name extends keyof Tasks>(
    name: Name,
    input: Parameters<Tasks[Name]>[0],
    text?: AsyncIterable<Uint8Array>,
  ): Promise<ReturnType<Tasks[Name]>> {
    const characters = this.waiting.reduce((sum, task) => sum + charactersOf(task.input), charactersOf(input));
    if (this.waiting.length >= MOST_WAITING || (this.waiting.length > 0 && characters > MOST_CHARACTERS))
      return Promise.reject(
        new Problem(429, "tooManyWaiting", "Too many texts are being looked at.", {}, { "Retry-After": "2" }),
      );
    return new Promise((resolve, reject) => {
      this.waiting.push({ name, input, text, resolve, reject });
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
    const worker = (this.worker ??= this.started());
    this.timer = setTimeout(() => this.stopped(tooMuch(`${TIME / 1000} seconds`)), TIME);
    this.send(worker, next).catch((error: unknown) => {
      if (this.current === next) this.stopped(error);
    });
  }

  private async send(worker: Worker, { name, input, text }: Waiting): Promise<void> {
    const post = (message: ToWorker): void => worker.postMessage(message);
    post({ name, input, text: text !== undefined });
    if (!text) return;
    for await (const piece of text) post({ piece });
    post("whole");
  }

  private started(): Worker {
    const workerData: WorkerOptions = { givesWay: this.givesWay };
    const worker = new Worker(this.program, { workerData, resourceLimits: { maxOldGenerationSizeMb: MEMORY } });
    worker.on("message", (come: FromWorker) => {
      clearTimeout(this.timer);
      const done = this.current;
      this.current = undefined;
      if ("noText" in come) done?.reject(new Problem(422, "notUtf8", come.noText));
      else done?.resolve(come.result as never);
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

function charactersOf(input: unknown): number {
  if (typeof input === "string") return input.length;
  if (input instanceof Uint8Array) return input.length;
  if (typeof input !== "object" || input === null) return 0;
  return Object.values(input).reduce((sum: number, value) => sum + charactersOf(value), 0);
}

function tooMuch(what: string): Problem {
  return new Problem(422, "gaveUp", `This text took more than ${what}, so it was given up. Nothing was changed.`);
}
