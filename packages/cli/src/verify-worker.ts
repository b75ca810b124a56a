/** Verifies logbooks in a thread of its own: one after the other, as they are asked for. */

import { parentPort, workerData } from "node:worker_threads";
import { compile, Runnable, type Texts, verify } from "@zany/core";
import { linesOf } from "./files.js";

const { now, old } = workerData as { readonly now: Texts; readonly old: Texts | undefined };

function runnableFrom(texts: Texts): Runnable {
  const { machine } = compile(texts[""] ?? "", "machine.zany", (path) => texts[path], { errorsOnly: true });
  return new Runnable(machine);
}

const runnable = runnableFrom(now);
const playedOn = old && runnableFrom(old);

parentPort?.on("message", (file: string) => {
  verify(runnable, linesOf(file), {
    playedOn,
    progress: (lines) => parentPort?.postMessage({ file, lines }),
  }).then(
    (verdict) => parentPort?.postMessage({ file, verdict }),
    (error: unknown) =>
      parentPort?.postMessage({ file, failed: error instanceof Error ? error.message : String(error) }),
  );
});
