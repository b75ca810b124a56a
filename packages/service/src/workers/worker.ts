/** The program of a worker: takes one task after the other and answers with what it comes to. */

import { parentPort, workerData } from "node:worker_threads";
import { giveWay } from "./give-way.js";
import { TASKS, type Tasks } from "./tasks.js";

export interface WorkerOptions {
  /** By how much its priority is lowered, 0 to 19. */
  readonly givesWay: number;
}

/** A task, or a piece of its long text, or that it has come whole. */
export type ToWorker =
  | { readonly name: keyof Tasks; readonly input: unknown; readonly text: boolean }
  | { readonly piece: Uint8Array }
  | "whole";

/** What it comes to; words when its text is none. */
export type FromWorker = { readonly result: unknown } | { readonly noText: string };

type Task = (input: unknown, text: string) => unknown;

let task: { readonly name: keyof Tasks; readonly input: unknown } | undefined;
let pieces: Uint8Array[] = [];

// What nobody waits for gives way to the matches.
const { givesWay } = workerData as WorkerOptions;
if (givesWay > 0) giveWay(givesWay);

parentPort?.on("message", (message: ToWorker) => {
  if (message === "whole") answer(textOf(Buffer.concat(pieces)));
  else if ("piece" in message) pieces.push(message.piece);
  else {
    task = message;
    if (!message.text) answer("");
  }
});

/** Does the task at hand. @param text undefined when it is none */
function answer(text: string | undefined): void {
  if (!task) return;
  const { name, input } = task;
  task = undefined;
  pieces = [];
  const come: FromWorker =
    text === undefined ? { noText: "It is no UTF-8 text." } : { result: (TASKS[name] as Task)(input, text) };
  parentPort?.postMessage(come);
}

function textOf(bytes: Uint8Array): string | undefined {
  try {
    return new TextDecoder("utf-8", { fatal: true, ignoreBOM: true }).decode(bytes);
  } catch {
    return undefined;
  }
}
