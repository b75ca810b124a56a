/** Many logbooks, verified on all cores: by this thread, and by one more for each other core. */

import { availableParallelism } from "node:os";
import { join } from "node:path";
import { Worker } from "node:worker_threads";
import type { Runnable, Texts, Verdict } from "@zany/core";
import { UsedWrongly } from "../files.js";
import { bar, printable, remaining } from "../terminal.js";
import { nextFile, verifyFile } from "../verify-file.js";
import type { VerifyAnswer, VerifyWork } from "../verify-worker.js";

/** The bundle beside this one that verifies in a thread. */
const WORKER: string = "verify-worker.cjs";
/** Most of what is read of a logbook is dropped at once: with more room for it, less is copied. */
const ROOMY = { maxYoungGenerationSizeMb: 64 };
/** How often the others are listened to, in milliseconds. */
const LISTEN_EVERY = 50;

/** A version of a machine as it runs here, and its texts, of which others make it anew. */
export interface Version {
  readonly runnable: Runnable;
  readonly texts: Texts;
}

/** @returns the verdicts in the files' order @throws UsedWrongly for a file that cannot be read */
export async function verifyOnCores(
  files: readonly string[],
  now: Version,
  old: Version | undefined,
  { cores = availableParallelism(), json = false }: { readonly cores?: number | undefined; readonly json?: boolean },
): Promise<Verdict[]> {
  const taken = new Int32Array(new SharedArrayBuffer(Int32Array.BYTES_PER_ELEMENT));
  const workerData: VerifyWork = { files, taken, now: now.texts, old: old?.texts };
  const verdicts = new Array<Verdict>(files.length);
  const shows = process.stderr.isTTY === true && !json;
  const since = performance.now();
  let done = 0;
  const show = (): void => {
    if (!shows || done === 0) return;
    const left = remaining(since, done, files.length);
    const words = `${bar(done, 0, files.length, 30)} ${done} of ${files.length}, ${left} to go`;
    process.stderr.write(`\r${printable(words)}\u001b[K`);
  };
  const isDone = (number: number, verdict: Verdict): boolean => {
    verdicts[number] = verdict;
    return ++done === files.length;
  };
  const count = Math.max(0, Math.min(cores, files.length) - 1);
  const workers = Array.from(
    { length: count },
    () => new Worker(join(__dirname, WORKER), { workerData, resourceLimits: ROOMY }),
  );
  try {
    await new Promise<void>((resolve, reject) => {
      for (const worker of workers) {
        worker.on("error", reject);
        worker.on("message", (answers: readonly VerifyAnswer[]) => {
          for (const answer of answers)
            if ("failed" in answer) reject(cannotRead(files[answer.number] ?? "", answer.failed));
            else if (isDone(answer.number, answer.verdict)) resolve();
        });
      }
      const own = async (): Promise<void> => {
        let listened = performance.now();
        for (let number = nextFile(workerData); number !== undefined; number = nextFile(workerData)) {
          const file = files[number] ?? "";
          const verdict = await verifyFile(now.runnable, file, old?.runnable).catch((error: unknown) => {
            throw cannotRead(file, error instanceof Error ? error.message : String(error));
          });
          if (isDone(number, verdict)) resolve();
          if (performance.now() - listened < LISTEN_EVERY) continue;
          show();
          await new Promise(setImmediate);
          listened = performance.now();
        }
      };
      own().catch(reject);
    });
  } finally {
    Atomics.store(taken, 0, files.length);
    await Promise.all(workers.map((worker) => worker.terminate()));
    if (shows) process.stderr.write("\r\u001b[K");
  }
  return verdicts;
}

function cannotRead(file: string, why: string): UsedWrongly {
  return new UsedWrongly(`Cannot read "${file}": ${why}`);
}
