/** `zany simulate`: bots play many matches on all cores; endings, results and lengths are counted. */

import { availableParallelism } from "node:os";
import { join } from "node:path";
import { Worker } from "node:worker_threads";
import {
  addTallies,
  BadSimulation,
  ENDLESS,
  exampleMatch,
  FAULTY,
  intervalOf,
  plotsOfTally,
  plotsSvg,
  STUCK,
  simulate as play,
  type SimulateOptions,
  type Tally,
  tallyCsv,
} from "@zany/core";
import {
  botOptions,
  compileFile,
  givenOptions,
  measuredFile,
  needFolder,
  needFolderItself,
  readText,
  UsedWrongly,
  writeText,
} from "../files.js";
import { showTally } from "../show-tally.js";
import { bar, duration, printable, sayJson, sayText } from "../terminal.js";
import { sweep } from "./sweep.js";

/** The bundle beside this one that plays a share. */
const WORKER: string = "simulate-worker.cjs";

interface Wish {
  readonly matches: number;
  /** The number of the first match. */
  readonly first: number;
  readonly seed: string;
  readonly bot: readonly string[];
  readonly given: readonly string[];
  readonly seats?: number;
  readonly cores?: number;
  readonly vary: readonly string[];
  readonly of: readonly string[];
  readonly rolls?: boolean;
  readonly csv?: boolean;
  readonly svg?: string;
  /** Where the first match of each ending is written to. */
  readonly out?: string;
  readonly json?: boolean;
}

export async function simulate(file: string, wish: Wish): Promise<number> {
  const { out } = wish;
  if (wish.svg !== undefined) needFolder(wish.svg);
  if (out !== undefined) needFolderItself(out);
  if (out !== undefined && wish.vary.length > 0)
    throw new UsedWrongly("--out writes matches of one simulation, and --vary makes many: leave one of them out.");
  const measured = measuredFile(file, wish.of);
  if (!measured) return 1;
  const { runnable } = measured;
  const options = {
    seed: wish.seed,
    bots: botOptions(wish.bot),
    given: givenOptions(wish.given),
    ...(wish.seats !== undefined && { seats: wish.seats }),
    ...(wish.rolls && { rolls: true }),
  };
  try {
    // One match here first: a wish that makes no sense for this machine is told before any core is busy.
    play(runnable, { ...options, first: 0, end: Math.min(1, wish.matches) });
  } catch (error) {
    if (error instanceof BadSimulation) throw new UsedWrongly(error.message);
    throw error;
  }
  const machine = { text: readText(file), parts: compileFile(file, { errorsOnly: true }).parts };
  if (wish.vary.length > 0) return sweep(wish, (given) => onAllCores(machine, { ...options, given }, wish));
  const tally = await onAllCores(machine, options, wish);
  if (wish.json) sayJson(tally);
  else if (wish.csv) sayText(tallyCsv(tally));
  else showTally(runnable.machine, tally, wish.seed);
  if (out !== undefined)
    for (const [ending, number] of Object.entries(tally.examples)) {
      const match = exampleMatch(runnable, options, number);
      if (match) writeText(join(out, `${ending.replace(/[()]/g, "")}-${number}.jsonl`), match.logbook);
    }
  if (wish.svg !== undefined) writeText(wish.svg, plotsSvg(runnable.machine.name, plotsOfTally(tally)));
  return tally.endings[STUCK] || tally.endings[ENDLESS] || tally.endings[FAULTY] ? 1 : 0;
}

/** Shares the matches out evenly; the sum is the same however they are shared. */
async function onAllCores(
  machine: { readonly text: string; readonly parts: Readonly<Record<string, string>> },
  options: Pick<SimulateOptions, "seed" | "bots" | "given" | "seats" | "rolls">,
  wish: Wish,
): Promise<Tally> {
  const cores = Math.max(1, Math.min(wish.cores ?? availableParallelism(), wish.matches));
  const played = new Array<number>(cores).fill(0);
  const wins: Record<string, number>[] = played.map(() => ({}));
  const progress = process.stderr.isTTY === true && !wish.json;
  const since = Date.now();
  const show = (): void => {
    if (!progress) return;
    const total = played.reduce((a, b) => a + b, 0);
    const seconds = Math.ceil(((Date.now() - since) / Math.max(1, total) / SECOND) * (wish.matches - total));
    const left = duration(seconds * SECOND);
    const words = `${bar(total, 0, wish.matches, 20)} ${total} of ${wish.matches}, ${left} to go${soFar(wins, total)}`;
    process.stderr.write(`\r${printable(words)}\u001b[K`);
  };
  const parts = played.map(
    (_, core) =>
      new Promise<Tally>((resolve, reject) => {
        const share = {
          ...options,
          first: wish.first + Math.floor((wish.matches * core) / cores),
          end: wish.first + Math.floor((wish.matches * (core + 1)) / cores),
        };
        const worker = new Worker(join(__dirname, WORKER), { workerData: { ...machine, of: wish.of, options: share } });
        worker.on("error", reject);
        worker.on("message", (message: { played?: number; wins?: Record<string, number>; tally?: Tally }) => {
          if (message.tally) resolve(message.tally);
          played[core] = message.played ?? share.end - share.first;
          if (message.wins) wins[core] = message.wins;
          show();
        });
      }),
  );
  const tally = addTallies(await Promise.all(parts));
  if (progress) process.stderr.write("\r\u001b[K");
  return tally;
}

/** How often each seat has won so far, and between what that is with 95% certainty; few seats fit into a line. */
function soFar(wins: readonly Readonly<Record<string, number>>[], played: number): string {
  const seats = [...new Set(wins.flatMap((own) => Object.keys(own)))].sort();
  if (seats.length === 0 || seats.length > MOST_TOLD) return "";
  const shares = seats.map((seat) => {
    const { share, low, high } = intervalOf(
      wins.reduce((sum, own) => sum + (own[seat] ?? 0), 0),
      played,
    );
    const half = ((high - low) / 2) * 100;
    return `${seat} ${(share * 100).toFixed(1)}% ± ${half.toFixed(1)}`;
  });
  return `; wins: ${shares.join(", ")}`;
}

const SECOND = 1_000;
/** Of so many seats it is told while matches are played how often they win. */
const MOST_TOLD = 3;
