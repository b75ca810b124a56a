/** Shares of simulations, one after the other, in a thread of its own. */

import { parentPort, workerData } from "node:worker_threads";
import { compile, ownMeasures, Runnable, simulate, type SimulateOptions } from "@zany/core";

const { text, parts, of } = workerData as {
  text: string;
  parts: Readonly<Record<string, string>>;
  of: readonly string[];
};
/** After how many matches it is told how far it is. */
const EVERY = 250;
const findPart = (path: string): string | undefined => parts[path];
const own = of.length > 0 ? ownMeasures(text, of, findPart) : undefined;
const runnable = own?.runnable ?? new Runnable(compile(text, undefined, findPart, { errorsOnly: true }).machine);

parentPort?.on("message", (options: SimulateOptions) => {
  const tally = simulate(runnable, {
    ...options,
    ...(own && { measures: own.measures }),
    progress: (played, wins) => {
      if (played % EVERY === 0) parentPort?.postMessage({ played, wins: Object.fromEntries(wins) });
    },
  });
  parentPort?.postMessage({ tally });
});
