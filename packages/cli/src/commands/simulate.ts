/** `zany simulate`: bots play many matches on all cores; endings, results and lengths are counted. */

import { join } from "node:path";
import {
  BadSimulation,
  ENDLESS,
  exampleMatch,
  FAULTY,
  type GamePlayer,
  plotsOfTally,
  plotsSvg,
  type Runnable,
  STUCK,
  simulate as play,
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
import { sayJson, sayText } from "../terminal.js";
import { type Shared, SimulationThreads, type SimulationOptions } from "./simulation-threads.js";
import { sweep } from "./sweep.js";

interface Wish extends Shared {
  readonly seed: string;
  readonly bot: readonly string[];
  readonly given: readonly string[];
  readonly seats?: number;
  readonly vary: readonly string[];
  readonly rolls?: boolean;
  readonly game?: GamePlayer;
  readonly csv?: boolean;
  readonly svg?: string;
  /** Where the first match of each ending is written to. */
  readonly out?: string;
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
    ...(wish.game !== undefined && { game: wish.game }),
  };
  try {
    // One match here first: a wish that makes no sense for this machine is told before any core is busy.
    play(runnable, { ...options, first: 0, end: Math.min(1, wish.matches) });
  } catch (error) {
    if (error instanceof BadSimulation) throw new UsedWrongly(error.message);
    throw error;
  }
  const machine = { text: readText(file), parts: compileFile(file, { errorsOnly: true }).parts };
  const threads = new SimulationThreads(machine, wish);
  try {
    if (wish.vary.length > 0) return await sweep(wish, (given) => threads.play({ ...options, given }));
    return tell(await threads.play(options), runnable, options, wish);
  } finally {
    await threads.end();
  }
}

/** Says what a simulation came to, and writes what was wished of it. @returns the exit code */
function tell(tally: Tally, runnable: Runnable, options: SimulationOptions, wish: Wish): number {
  const { out } = wish;
  if (wish.json) sayJson(tally);
  else if (wish.csv) sayText(tallyCsv(tally));
  else showTally(runnable.machine, tally, options);
  if (out !== undefined)
    for (const [ending, number] of Object.entries(tally.examples)) {
      const match = exampleMatch(runnable, options, number);
      if (match) writeText(join(out, `${ending.replace(/[()]/g, "")}-${number}.jsonl`), match.logbook);
    }
  if (wish.svg !== undefined) writeText(wish.svg, plotsSvg(runnable.machine.name, plotsOfTally(tally)));
  return tally.endings[STUCK] || tally.endings[ENDLESS] || tally.endings[FAULTY] ? 1 : 0;
}
