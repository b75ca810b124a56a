/** What a simulation has counted, as a terminal shows it. */

import {
  WARY_BOT,
  histogramOf,
  intervalOf,
  type Machine,
  meanOf,
  neverCounted,
  playersInWords,
  rolledIn,
  type SimulateOptions,
  type Tally,
} from "@zany/core";
import { course, HEIGHTS } from "./show.js";
import { bar, count, duration, pad, say, style } from "./terminal.js";

/** Prints what was counted of the matches of a machine. */
export function showTally(
  machine: Machine,
  tally: Tally,
  { seed, bots = {}, game = "random" }: Pick<SimulateOptions, "seed" | "bots" | "game">,
): void {
  say(`${style("bold", count(tally.matches, "match", "matches"))} of ${machine.name} ${style("dim", `seed ${seed}`)}`);
  const told = machine.signals.some(({ origin }) => origin === "event") ? `; the game's events ${game}` : "";
  say(style("dim", `played by ${playersInWords(machine.seats.names, bots, WARY_BOT)}${told}`));
  say();
  say("endings");
  const width = Math.max(8, ...Object.keys(tally.endings).map((e) => e.length)) + 2;
  for (const [ending, n] of Object.entries(tally.endings).sort((a, b) => b[1] - a[1])) {
    say(
      `  ${pad(ending, width)} ${bar(n, 0, tally.matches, 24)} ${pad(String(n), 7)} ${percent(n, tally.matches)} ` +
        ` ${style("dim", `first: match ${tally.examples[ending]}`)}`,
    );
  }
  const never = neverCounted(machine, tally);
  if (never.endings.length > 0) say(style("yellow", `  never: ${never.endings.join(", ")}`));
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
    say(`          ${histogram(counts, "point")}`);
  }
  tellUses(machine, tally);
  if (never.actions.length > 0) say(style("yellow", `never     ${never.actions.join(", ")}`));
  tellLengths("lengths", tally.lengths, "step");
  tellLengths("turns", tally.turns, "turn");
  tellLengths("time", tally.times);
  for (const [words, counts] of Object.entries(tally.values)) tellMeasure(words, counts, tally);
  if (Object.keys(tally.rolls).length > 0) tellRolls(machine, tally);
  for (const [kind, words] of Object.entries(tally.stood))
    say(style("yellow", `${pad(kind, 9)} match ${tally.examples[kind]} stands ${words}`));
  for (const [words, n] of Object.entries(tally.faults)) say(style("red", `fault     ${n} times: ${words}`));
}

/** Of each state, how often which of its actions was taken. */
function tellUses({ states }: Machine, { actions }: Tally): void {
  const names = states
    .map(({ name }) => name)
    .filter((name) => Object.keys(actions).some((key) => key.startsWith(`${name}.`)));
  const width = Math.max(0, ...names.map((name) => name.length));
  for (const [i, name] of [...new Set(names)].entries()) {
    const own = Object.entries(actions).filter(([key]) => key.startsWith(`${name}.`));
    const taken = own.reduce((sum, [, n]) => sum + n, 0);
    const words = own
      .sort((a, b) => b[1] - a[1])
      .map(([key, n]) => `${key.slice(name.length + 1)} ${percent(n, taken)}`)
      .join(", ");
    say(`${pad(i === 0 ? "actions" : "", 9)} ${pad(name, width)}  ${words}`);
  }
}

/** How many values of an expression or roll are told. */
const MOST_VALUES = 16;

/** Numbers that were counted, neighbours put together where they are many: each as it is told, and how many. */
export function binned(counts: Readonly<Record<number, number>>, most: number): (readonly [string, number])[] {
  const { low, width, columns } = histogramOf(counts, most);
  if (width === 1 || Object.keys(counts).length <= most) return Object.entries(counts);
  return columns.map((n, i) => [`${low + i * width} to ${low + (i + 1) * width - 1}`, n] as const);
}

/** What an expression came to at the end of matches, and by step where it is a number or a condition. */
function tellMeasure(words: string, counts: Readonly<Record<string, number>>, tally: Tally): void {
  say(`at the end ${style("bold", words)}`);
  const isNumeric = Object.keys(counts).every((value) => Number.isFinite(Number(value)));
  const told = isNumeric ? binned(counts, MOST_VALUES) : Object.entries(counts).sort((a, b) => b[1] - a[1]);
  const width = Math.max(8, ...told.map(([value]) => value.length)) + 2;
  for (const [value, n] of told.slice(0, MOST_VALUES)) {
    const { low, high } = intervalOf(n, tally.matches);
    const between = style("dim", `${(100 * low).toFixed(1)} to ${(100 * high).toFixed(1)}%`);
    say(
      `  ${pad(value, width)} ${bar(n, 0, tally.matches, 24)} ` +
        `${pad(String(n), 7)} ${percent(n, tally.matches)}  ${between}`,
    );
  }
  if (told.length > MOST_VALUES) say(style("dim", `  and ${told.length - MOST_VALUES} other values`));
  if (isNumeric) {
    const { mean, spread } = meanOf(counts);
    say(`  ${pad("mean", width)} ${mean.toFixed(3)}, spread ${spread.toFixed(3)}`);
  }
  const means = Object.values(tally.courses[words] ?? {}).map(({ count, sum }) => sum / count);
  if (means.length > 1) say(`  ${course(means)} ${style("dim", "on average, by step")}`);
}

/** What each roll in the rules came to, and which never did. */
function tellRolls(machine: Machine, tally: Tally): void {
  const places = rolledIn(machine, tally);
  if (places.length === 0) return;
  say("rolls");
  const width = Math.max(...places.map(({ words }) => words.length));
  for (const { position, words, rolled, values } of places) {
    const where = pad(`line ${machine.sources.place(position).line}`, 9);
    const told = values.slice(0, MOST_VALUES).map(({ value, count: n }) => {
      const each = `${value} ${percent(n, rolled)}`;
      return n === 0 ? style("yellow", `${value} never`) : each;
    });
    const more = values.length > MOST_VALUES ? [`and ${values.length - MOST_VALUES} other values`] : [];
    const what =
      rolled === 0 ? style("yellow", "never rolled") : `${pad(`${rolled} times`, 14)} ${[...told, ...more].join(", ")}`;
    say(`  ${where}${pad(words, width)}  ${what}`);
  }
}

const SECOND = 1_000;

/** How many columns a histogram takes at most. */
const COLUMNS = 60;

/**
 * How many matches came to each number, as a line of bars.
 * @param one what a number stands for; a millisecond when left out
 */
function histogram(counts: Readonly<Record<number, number>>, one?: "step" | "turn" | "point"): string {
  const { low, width, columns: bins } = histogramOf(counts, COLUMNS, one === undefined ? SECOND : 1);
  const most = Math.max(...bins);
  const bars = bins.map((n) => (n === 0 ? " " : (HEIGHTS[Math.min(7, Math.floor((8 * n) / most))] ?? "")));
  const column = one === undefined ? duration(width) : width === 1 ? `a ${one}` : `${width} ${one}s`;
  return `${bars.join("")} ${style("dim", `${column} a column, from ${one === undefined ? duration(low) : low}`)}`;
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
      `  ${pad(i === 0 ? name : "", width)} ${pad(word, 5)} ` +
        `${pad(String(counts[word]), 7)} ${percent(counts[word], all)}` +
        `  ${style("dim", `${(100 * low).toFixed(1)} to ${(100 * high).toFixed(1)}%`)}`,
    );
  }
}

function percent(n: number, of: number): string {
  return `${((100 * n) / Math.max(1, of)).toFixed(1)}%`;
}

/** How long matches were; nothing where none had any length. @param one its unit; a millisecond when left out */
function tellLengths(name: string, counts: Readonly<Record<number, number>>, one?: "step" | "turn"): void {
  if (Object.keys(counts).every((length) => length === "0")) return;
  const words = (n: number): string =>
    one === undefined ? duration(n) : Number.isInteger(n) ? String(n) : n.toFixed(1);
  const { least, median, most } = lengthsOf(counts);
  const { mean, spread } = meanOf(counts);
  say(
    `${pad(name, 9)} least ${words(least)}, median ${words(median)}, mean ${words(mean)}, most ${words(most)}` +
      `${one === undefined ? "" : ` ${one}s`}; spread ${words(spread)}`,
  );
  say(`          ${histogram(counts, one)}`);
}

/** @param counts matches by how long they were */
function lengthsOf(counts: Readonly<Record<number, number>>): { least: number; median: number; most: number } {
  const entries = Object.entries(counts).map(([length, n]) => [Number(length), n] as const);
  const all = entries.reduce((total, [, n]) => total + n, 0);
  let seen = 0;
  const median = entries.find(([, n]) => (seen += n) * 2 >= all)?.[0] ?? 0;
  return { least: entries[0]?.[0] ?? 0, median, most: entries.at(-1)?.[0] ?? 0 };
}
