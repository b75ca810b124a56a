/** One core's share of a simulation, in a thread of its own. */

import { parentPort, workerData } from "node:worker_threads";
import { compile, ownMeasures, Runnable, simulate, type SimulateOptions } from "@zany/core";

const { text, parts, of, options } = workerData as {
  text: string;
  parts: Readonly<Record<string, string>>;
  of: readonly string[];
  options: SimulateOptions;
};
const EVERY = 25;
const findPart = (path: string): string | undefined => parts[path];
const own = of.length > 0 ? ownMeasures(text, of, findPart) : undefined;
const { machine } = own?.runnable ?? compile(text, undefined, findPart, { errorsOnly: true });
const tally = simulate(own?.runnable ?? new Runnable(machine), {
  ...options,
  ...(own && { measures: own.measures }),
  progress: (played, wins) => {
    if (played % EVERY === 0) parentPort?.postMessage({ played, wins: Object.fromEntries(wins) });
  },
});
parentPort?.postMessage({ tally });
