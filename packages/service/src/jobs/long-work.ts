/** A thread that does one piece of long work, tells how far it came, and can be stopped. */

import { Worker } from "node:worker_threads";
import type { JobWish, Kept, WorkProgress, WorkResults } from "@zany/core";
import type { FromThread, ToThread } from "./thread.js";

/** The program of the thread, built beside the service. */
const THREAD = new URL("./job.mjs", import.meta.url);
/** The most memory that it may take beside what a search packs, in megabytes, and the most time, in milliseconds. */
const MEMORY = 1_024;
const TIME = 60 * 60_000;

/** It came to nothing, in words for whoever wanted it. */
export class NotDone extends Error {}

export class LongWork {
  private readonly worker: Worker;
  private stopped = false;

  constructor(workerData: ToThread) {
    this.worker = new Worker(THREAD, { workerData, resourceLimits: { maxOldGenerationSizeMb: MEMORY } });
    this.worker.unref();
  }

  /**
   * What it comes to; undefined when it was stopped.
   *
   * @param say is told how far it came @throws NotDone
   */
  done(
    say: (progress: WorkProgress, kept: Kept | undefined) => void,
  ): Promise<WorkResults[JobWish["kind"]] | undefined> {
    return new Promise((resolve, reject) => {
      const end = (then: () => void): void => {
        clearTimeout(timer);
        void this.worker.terminate();
        then();
      };
      const timer = setTimeout(() => end(() => reject(tooMuch(`${TIME / 60_000} minutes`))), TIME).unref();
      this.worker.on("message", (told: FromThread) => {
        if (this.stopped) return;
        if ("progress" in told) say(told.progress, told.kept);
        else if ("problem" in told) end(() => reject(new NotDone(told.problem)));
        else end(() => resolve(told.result));
      });
      this.worker.on("error", (error: NodeJS.ErrnoException) =>
        end(() => reject(error.code === "ERR_WORKER_OUT_OF_MEMORY" ? tooMuch(`${MEMORY} megabytes`) : error)),
      );
      this.worker.on("exit", () => end(() => resolve(undefined)));
    });
  }

  stop(): void {
    this.stopped = true;
    void this.worker.terminate();
  }
}

function tooMuch(what: string): NotDone {
  return new NotDone(`This took more than ${what}, so it was given up. Ask for less.`);
}
