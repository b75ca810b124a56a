/** The program of a thread that does one piece of long work. */

import { parentPort, workerData } from "node:worker_threads";
import type { Parts } from "@zany/client/api";
import {
  CannotWork,
  type JobWish,
  type Kept,
  work,
  type WorkedOn,
  type WorkProgress,
  type WorkResults,
} from "@zany/core";
import { giveWay } from "../workers/give-way.js";

export interface ToThread {
  readonly wish: JobWish;
  readonly text: string;
  readonly parts: Parts;
  /** What a simulation had done when it was stopped. */
  readonly from?: Kept;
  /** Kept matches that count for coverage. */
  readonly kept?: NonNullable<WorkedOn["kept"]>;
}

export type FromThread =
  | { readonly progress: WorkProgress; readonly kept: Kept | undefined }
  | { readonly result: WorkResults[JobWish["kind"]] }
  | { readonly problem: string };

/** Matches come first; what a search packs may take this much, in bytes. */
const GIVES_WAY = 10;
const MOST_BYTES = 600_000_000;
/** How often it tells how far it came, in milliseconds. */
const TELL_EVERY = 300;

giveWay(GIVES_WAY);
const { wish, text, parts, from, kept } = workerData as ToThread;
const tell = (message: FromThread): void => parentPort?.postMessage(message);
let told = 0;
try {
  const say = (progress: WorkProgress, done?: Kept): void => {
    if (Date.now() - told < TELL_EVERY) return;
    told = Date.now();
    tell({ progress, kept: done });
  };
  const findPart = (path: string): string | undefined => (Object.hasOwn(parts, path) ? parts[path] : undefined);
  tell({
    result: work(wish, { text, findPart, ...(kept && { kept }) }, { say, bytes: MOST_BYTES, ...(from && { from }) }),
  });
} catch (error) {
  if (!(error instanceof CannotWork)) throw error;
  tell({ problem: error.message });
}
