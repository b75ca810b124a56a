/** Verifies logbooks in a thread of its own: one after the other, as long as there are some that nobody has taken. */

import { parentPort, workerData } from "node:worker_threads";
import { compile, Runnable, type Texts, type Verdict } from "@zany/core";
import { nextFile, type SharedFiles, verifyFile } from "./verify-file.js";

export interface VerifyWork extends SharedFiles {
  readonly now: Texts;
  readonly old: Texts | undefined;
}

/** What became of a file, by its number. */
export type VerifyAnswer =
  | { readonly number: number; readonly verdict: Verdict }
  | { readonly number: number; readonly failed: string };

const work = workerData as VerifyWork;

function runnableFrom(texts: Texts): Runnable {
  const { machine } = compile(texts[""] ?? "", "machine.zany", (path) => texts[path], { errorsOnly: true });
  return new Runnable(machine);
}

async function answerTo(number: number): Promise<VerifyAnswer> {
  try {
    return { number, verdict: await verifyFile(runnable, work.files[number] ?? "", playedOn) };
  } catch (error) {
    return { number, failed: error instanceof Error ? error.message : String(error) };
  }
}

const runnable = runnableFrom(work.now);
const playedOn = work.old && runnableFrom(work.old);

/** How long answers are gathered, in milliseconds: a message for each of many short logbooks would cost much. */
const TELL_EVERY = 20;

void (async () => {
  let answers: VerifyAnswer[] = [];
  let told = performance.now();
  const tell = (): void => {
    parentPort?.postMessage(answers);
    answers = [];
    told = performance.now();
  };
  for (let number = nextFile(work); number !== undefined; number = nextFile(work)) {
    answers.push(await answerTo(number));
    if (performance.now() - told >= TELL_EVERY) tell();
  }
  tell();
})();
