/** `zany simulate`: bots play many matches on all cores; endings, results and lengths are counted. */

import { availableParallelism } from "node:os";
import { join } from "node:path";
import { Worker } from "node:worker_threads";
import {
  addTallies,
  compareTallies,
  BadSimulation,
  ENDLESS,
  FAULTY,
  histogramOf,
  intervalOf,
  type Machine,
  meanOf,
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
  needFolder,
  readText,
  runnableFile,
  UsedWrongly,
  writeText,
} from "../files.js";
import { bar, count, duration, pad, printable, say, sayJson, sayText, style } from "../terminal.js";

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
  readonly csv?: boolean;
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
  const machine = { text: readText(file), parts: compileFile(file, { errorsOnly: true }).parts };
  if (wish.vary.length > 0) return sweep(machine, options, wish);
  const tally = await onAllCores(machine, options, wish);
  if (wish.json) sayJson(tally);
  else if (wish.csv) sayText(tallyCsv(tally));
  else tell(runnable.machine, tally, wish.seed);
  return tally.endings[STUCK] || tally.endings[ENDLESS] || tally.endings[FAULTY] ? 1 : 0;
}

/** The most points of a grid of values. */
const MOST_POINTS = 2_000;

/** A datum and the values it is given, one after the other. */
interface Varied {
  readonly path: string;
  readonly values: readonly string[];
}

/** `kites.north.pull=5..15`, `..15 by 2`, or `=3,5,8`. */
function variedFrom(text: string): Varied {
  const [, path = "", values = ""] = /^([^=]+)=(.+)$/.exec(text) ?? [];
  const [, low, high, by = "1"] = /^(-?\d+)\.\.(-?\d+)(?: by (\d+))?$/.exec(values) ?? [];
  if (path === "" || Number(by) < 1)
    throw new UsedWrongly(`"${text}" is not of the form path=5..15, path=5..15 by 2, or path=3,5,8.`);
  if (low === undefined || high === undefined) return { path, values: values.split(",") };
  if (Number(low) > Number(high)) throw new UsedWrongly(`"${text}" has no values: ${low} is more than ${high}.`);
  const list: string[] = [];
  for (let value = Number(low); value <= Number(high) && list.length <= MOST_POINTS; value += Number(by))
    list.push(String(value));
  return { path, values: list };
}

/**
 * Plays the same matches for every value, or every combination of several: by the same seeds, so that what differs
 * comes of the values.
 */
async function sweep(
  machine: { readonly text: string; readonly parts: Readonly<Record<string, string>> },
  options: Pick<SimulateOptions, "seed" | "bots" | "given">,
  wish: Wish,
): Promise<number> {
  const varied = wish.vary.map(variedFrom);
  const points = varied.reduce<string[][]>(
    (all, { values }) => all.flatMap((point) => values.map((value) => [...point, value])),
    [[]],
  );
  if (points.length > MOST_POINTS)
    throw new UsedWrongly(`This is ${points.length} combinations; ${MOST_POINTS} are the most.`);
  const found: { readonly values: Readonly<Record<string, string>>; readonly tally: Tally }[] = [];
  for (const point of points) {
    const given = givenOptions([...wish.given, ...point.map((value, i) => `${varied[i]?.path}=${value}`)]);
    const values = Object.fromEntries(point.map((value, i) => [varied[i]?.path ?? "", value]));
    found.push({ values, tally: await onAllCores(machine, { ...options, given }, wish) });
  }
  if (wish.json) sayJson(found);
  else if (wish.csv) sayCsv(varied, found);
  else for (const each of found) tellPoint(each);
  return 0;
}

function sayCsv(varied: readonly Varied[], found: readonly { readonly values: object; readonly tally: Tally }[]): void {
  const seats = [...new Set(found.flatMap(({ tally }) => Object.keys(tally.results)))];
  const heads = seats.flatMap((seat) => [`${seat} win`, `${seat} win low`, `${seat} win high`]);
  say([...varied.map(({ path }) => path), "matches", ...heads, "mean length"].join(","));
  for (const { values, tally } of found) {
    const shares = seats.flatMap((seat) => {
      const { share, low, high } = intervalOf(tally.results[seat]?.win ?? 0, tally.matches);
      return [share, low, high].map((n) => n.toFixed(6));
    });
    say([...Object.values(values), tally.matches, ...shares, lengthsOf(tally).mean.toFixed(3)].join(","));
  }
}

function tellPoint({
  values,
  tally,
}: {
  readonly values: Readonly<Record<string, string>>;
  readonly tally: Tally;
}): void {
  const point = Object.entries(values)
    .map(([path, value]) => `${path}=${value}`)
    .join(" ");
  const [seat, counts] = Object.entries(tally.results)[0] ?? ["", undefined];
  const { share, low, high } = intervalOf(counts?.win ?? 0, tally.matches);
  say(
    `${pad(point, 28)} ${seat} wins ${bar(share, 0, 1, 24)} ${(100 * share).toFixed(1)}%` +
      `  ${style("dim", `${(100 * low).toFixed(1)} to ${(100 * high).toFixed(1)}%`)}  ${lengthsOf(tally).mean.toFixed(1)} steps`,
  );
}

/** `zany tally add FILE...`: the sum of what parts of a simulation have counted. */
export async function tallyAdd(files: readonly string[], { out }: { readonly out?: string }): Promise<number> {
  if (out !== undefined) needFolder(out);
  const sum = addTallies(files.map(tallyFile));
  if (out === undefined) sayJson(sum);
  else writeText(out, `${JSON.stringify(sum)}\n`);
  return 0;
}

/** Which of what two tallies count differs by more than chance would have it. */
export async function tallyCompare(
  first: string,
  second: string,
  { json }: { readonly json?: boolean },
): Promise<number> {
  const { shares, length } = compareTallies(tallyFile(first), tallyFile(second));
  if (json) {
    sayJson({ shares, length });
    return 0;
  }
  const width = Math.max(8, ...shares.map(({ name }) => name.length)) + 2;
  const said = (chance: number): string =>
    chance < SURE ? style("yellow", `differs (by chance ${shown(chance)})`) : style("dim", "may be chance");
  for (const { what, name, first: one, second: two, difference, chance } of shares)
    say(
      `${pad(what, 7)} ${pad(name, width)} ${pad(points(one.share), 6)} -> ${pad(points(two.share), 6)}  ` +
        `${signed(difference.share)} ${style("dim", `${signed(difference.low)} to ${signed(difference.high)}`)}  ${said(chance)}`,
    );
  say(
    `${pad("length", 7)} ${pad("", width)} ${pad(length.first.toFixed(1), 6)} -> ${pad(length.second.toFixed(1), 6)}  ` +
      `${length.difference < 0 ? "" : "+"}${length.difference.toFixed(1)} steps  ${said(length.chance)}`,
  );
  return 0;
}

/** What is told as different would come of chance in fewer than 5 of 100 such comparisons. */
const SURE = 0.05;

function points(share: number): string {
  return `${(100 * share).toFixed(1)}%`;
}

function signed(share: number): string {
  return `${share < 0 ? "" : "+"}${(100 * share).toFixed(1)}`;
}

function shown(chance: number): string {
  return chance < 0.0001 ? "less than 0.01%" : `${(100 * chance).toFixed(2)}%`;
}

function tallyFile(file: string): Tally {
  try {
    const tally = JSON.parse(readText(file)) as Partial<Tally> | null;
    if (tally && typeof tally.matches === "number" && tally.endings && tally.results && tally.began && tally.actions)
      return tally as Tally;
  } catch (error) {
    if (!(error instanceof SyntaxError)) throw error;
  }
  throw new UsedWrongly(`"${file}" is no tally, as zany simulate --json prints it.`);
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
          first: wish.first + Math.floor((wish.matches * core) / cores),
          end: wish.first + Math.floor((wish.matches * (core + 1)) / cores),
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
  say(style("dim", `${pad("results", width + 2)} share, and between what it is with 95% certainty`));
  for (const [seat, counts] of Object.entries(tally.results)) tellResults(seat, counts, tally.matches, width);
  const began = Object.values(tally.began);
  if (began.length > 1 || Object.keys(tally.results).length > 1) {
    const all = began.reduce((sum, counts) => sum + counts.win + counts.loss + counts.draw + counts.none, 0);
    const first = { win: 0, loss: 0, draw: 0, none: 0 };
    for (const counts of began) for (const word of WORDS) first[word] += counts[word];
    if (all > 0) tellResults("who began", first, all, width);
  }
  say();
  for (const [seat, counts] of Object.entries(tally.scores)) {
    const { mean, spread } = meanOf(counts);
    say(`score     ${pad(seat, width)} mean ${mean.toFixed(2)}, spread ${spread.toFixed(2)}`);
  }
  const taken = Object.values(tally.actions).reduce((sum, n) => sum + n, 0);
  const used = Object.entries(tally.actions).sort((a, b) => b[1] - a[1]);
  if (used.length > 0) say(`actions   ${used.map(([action, n]) => `${action} ${percent(n, taken)}`).join(", ")}`);
  // What is open `by` others than the turn no player takes: it interrupts.
  const own = machine.actions.filter(({ by }) => by === undefined).map(({ name }) => name);
  const unused = [...new Set(own)].filter((name) => !Object.hasOwn(tally.actions, name));
  if (unused.length > 0) say(style("yellow", `never     ${unused.join(", ")}`));
  const { least, median, most, mean } = lengthsOf(tally);
  say(`          ${histogram(tally.lengths)}`);
  say(`lengths   least ${least}, median ${median}, mean ${mean.toFixed(1)}, most ${most} steps`);
  if (tally.seconds > 0)
    say(`time      mean ${duration(Math.round((tally.seconds / tally.matches) * 1_000))} by the clock of a match`);
  for (const [kind, words] of Object.entries(tally.stood))
    say(style("yellow", `${pad(kind, 9)} match ${tally.examples[kind]} stands ${words}`));
  for (const [words, n] of Object.entries(tally.faults)) say(style("red", `fault     ${n} times: ${words}`));
}

/** How many columns a histogram takes at most. */
const COLUMNS = 60;
const HEIGHTS = "▁▂▃▄▅▆▇█";

/** How many matches took how long, as a line of bars. */
function histogram(counts: Readonly<Record<number, number>>): string {
  const { low, width, columns: bins } = histogramOf(counts, COLUMNS);
  const most = Math.max(...bins);
  const bars = bins.map((n) => (n === 0 ? " " : (HEIGHTS[Math.min(7, Math.floor((8 * n) / most))] ?? "")));
  return `${bars.join("")} ${style("dim", `${width === 1 ? "a step" : `${width} steps`} a column, from ${low}`)}`;
}

const WORDS = ["win", "loss", "draw", "none"] as const;

/** The results of a seat, each with its share and the interval around it. */
function tellResults(
  name: string,
  counts: Readonly<Record<(typeof WORDS)[number], number>>,
  all: number,
  width: number,
): void {
  const told = WORDS.filter((word) => counts[word] > 0);
  for (const [i, word] of told.entries()) {
    const { low, high } = intervalOf(counts[word], all);
    say(
      `  ${pad(i === 0 ? name : "", width)} ${pad(word, 5)} ${pad(String(counts[word]), 7)} ${percent(counts[word], all)}` +
        `  ${style("dim", `${(100 * low).toFixed(1)} to ${(100 * high).toFixed(1)}%`)}`,
    );
  }
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
