/** One core's share of a simulation, in a thread of its own. */

import { parentPort, workerData } from "node:worker_threads";
import { compile, Runnable, simulate, type SimulateOptions } from "@zany/core";

const { text, parts, options } = workerData as {
  text: string;
  parts: Readonly<Record<string, string>>;
  options: SimulateOptions;
};
const EVERY = 25;
const tally = simulate(new Runnable(compile(text, undefined, (path) => parts[path], { errorsOnly: true }).machine), {
  ...options,
  progress: (played) => {
    if (played % EVERY === 0) parentPort?.postMessage({ played });
  },
});
parentPort?.postMessage({ tally });
