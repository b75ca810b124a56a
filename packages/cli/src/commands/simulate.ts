/** `zany simulate`: bots play many matches on all cores; endings, results and lengths are counted. */

import { availableParallelism } from "node:os";
import { join } from "node:path";
import { Worker } from "node:worker_threads";
import {
  addTallies,
  BadSimulation,
  ENDLESS,
  FAULTY,
  type Machine,
  STUCK,
  simulate as play,
  type SimulateOptions,
  type Tally,
} from "@zany/core";
import { botOptions, compileFile, givenOptions, readText, runnableFile, UsedWrongly } from "../files.js";
import { bar, count, pad, printable, say, sayJson, style } from "../terminal.js";

/** The bundle beside this one that plays a share. */
const WORKER: string = "simulate-worker.cjs";

interface Wish {
  readonly matches: number;
  readonly seed: string;
  readonly bot: readonly string[];
  readonly given: readonly string[];
  readonly seats?: number;
  readonly cores?: number;
  readonly json?: boolean;
}

export async function simulate(file: string, wish: Wish): Promise<number> {
  const runnable = runnableFile(file);
  if (!runnable) return 1;
  const options = {
    seed: wish.seed,
    bots: botOptions(wish.bot),
    given: givenOptions(wish.given),
    ...(wish.seats !== undefined && { seats: wish.seats }),
  };
  try {
    // One match here first: a wish that makes no sense for this machine is told before any core is busy.
    play(runnable, { ...options, first: 0, end: Math.min(1, wish.matches) });
  } catch (error) {
    if (error instanceof BadSimulation) throw new UsedWrongly(error.message);
    throw error;
  }
  const tally = await onAllCores(
    { text: readText(file), parts: compileFile(file, { errorsOnly: true }).parts },
    options,
    wish,
  );
  if (wish.json) sayJson(tally);
  else tell(runnable.machine, tally, wish.seed);
  return tally.endings[STUCK] || tally.endings[ENDLESS] || tally.endings[FAULTY] ? 1 : 0;
}

/** Shares the matches out evenly; the sum is the same however they are shared. */
async function onAllCores(
  machine: { readonly text: string; readonly parts: Readonly<Record<string, string>> },
  options: Pick<SimulateOptions, "seed" | "bots" | "given">,
  wish: Wish,
): Promise<Tally> {
  const cores = Math.max(1, Math.min(wish.cores ?? availableParallelism(), wish.matches));
  const played = new Array<number>(cores).fill(0);
  const progress = process.stderr.isTTY === true && !wish.json;
  const show = (): void => {
    const total = played.reduce((a, b) => a + b, 0);
    if (progress)
      process.stderr.write(`\r${printable(`${bar(total, 0, wish.matches, 30)} ${total} of ${wish.matches} `)}`);
  };
  const parts = played.map(
    (_, core) =>
      new Promise<Tally>((resolve, reject) => {
        const share = {
          ...options,
          first: Math.floor((wish.matches * core) / cores),
          end: Math.floor((wish.matches * (core + 1)) / cores),
        };
        const worker = new Worker(join(__dirname, WORKER), { workerData: { ...machine, options: share } });
        worker.on("error", reject);
        worker.on("message", (message: { played?: number; tally?: Tally }) => {
          if (message.tally) resolve(message.tally);
          played[core] = message.played ?? share.end - share.first;
          show();
        });
      }),
  );
  const tally = addTallies(await Promise.all(parts));
  if (progress) process.stderr.write("\r\u001b[K");
  return tally;
}

function tell(machine: Machine, tally: Tally, seed: string): void {
  say(`${style("bold", count(tally.matches, "match", "matches"))} of ${machine.name} ${style("dim", `seed ${seed}`)}`);
  say();
  say("endings");
  const width = Math.max(8, ...Object.keys(tally.endings).map((e) => e.length)) + 2;
  for (const [ending, n] of Object.entries(tally.endings).sort((a, b) => b[1] - a[1])) {
    say(
      `  ${pad(ending, width)} ${bar(n, 0, tally.matches, 24)} ${pad(String(n), 7)} ${percent(n, tally.matches)} ` +
        ` ${style("dim", `first: match ${tally.examples[ending]}`)}`,
    );
  }
  const never = machine.endings.map((e) => e.name).filter((name) => !Object.hasOwn(tally.endings, name));
  if (never.length > 0) say(style("yellow", `  never: ${never.join(", ")}`));
  say();
  say(`${pad("results", width + 2)} ${["win", "loss", "draw", "none"].map((w) => pad(w, 14)).join("")}`.trimEnd());
  for (const [seat, counts] of Object.entries(tally.results)) {
    const shares = (["win", "loss", "draw", "none"] as const).map((word) =>
      pad(`${counts[word]} ${percent(counts[word], tally.matches)}`, 14),
    );
    say(`  ${pad(seat, width)} ${shares.join("")}`.trimEnd());
  }
  say();
  const { least, median, most, mean } = lengthsOf(tally);
  say(`lengths   least ${least}, median ${median}, mean ${mean.toFixed(1)}, most ${most} steps`);
  for (const [words, n] of Object.entries(tally.faults)) say(style("red", `fault     ${n} times: ${words}`));
}

function percent(n: number, of: number): string {
  return `${((100 * n) / Math.max(1, of)).toFixed(1)}%`;
}

function lengthsOf(tally: Tally): { least: number; median: number; most: number; mean: number } {
  const entries = Object.entries(tally.lengths).map(([steps, n]) => [Number(steps), n] as const);
  const sum = entries.reduce((total, [steps, n]) => total + steps * n, 0);
  let seen = 0;
  const median = entries.find(([, n]) => (seen += n) * 2 >= tally.matches)?.[0] ?? 0;
  return {
    least: entries[0]?.[0] ?? 0,
    median,
    most: entries.at(-1)?.[0] ?? 0,
    mean: sum / Math.max(1, tally.matches),
  };
}
