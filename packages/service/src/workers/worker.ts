/** The program of a worker: takes one task after the other and answers with what it comes to. */

import { parentPort } from "node:worker_threads";
import { TASKS, type Tasks } from "./tasks.js";

parentPort?.on("message", ({ name, input }: { name: keyof Tasks; input: never }) => {
  parentPort?.postMessage((TASKS[name] as (input: never) => unknown)(input));
});
