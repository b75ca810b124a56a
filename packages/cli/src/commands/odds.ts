/** `zany odds`: exactly how likely every ending and result is, when every seat plays by a policy or at random. */

import {
  type Best,
  bestPlay,
  CannotExplore,
  inputInWords,
  type Machine,
  neverIn,
  type LineInput,
  type Odds,
  oddsOf,
  playersInWords,
  type Probability,
  RANDOM_BOT,
  type Runnable,
} from "@zany/core";
import { givenOptions, measuredFile, UsedWrongly } from "../files.js";
import { binned } from "../show-tally.js";
import { bar, count, pad, say, sayJson, style } from "../terminal.js";
import { exploreProgress, knownBots, tellIncomplete } from "./explore.js";

interface OddsWish {
  readonly bot: readonly string[];
  readonly given: readonly string[];
  readonly seats?: number;
  readonly limit?: number;
  readonly best?: boolean;
  readonly free?: string;
  readonly of: readonly string[];
  readonly chances?: boolean;
  readonly tries: number;
  readonly json?: boolean;
}

export async function odds(file: string, wish: OddsWish): Promise<number> {
  const measured = measuredFile(file, wish.of);
  if (!measured) return 1;
  const { runnable, measures } = measured;
  const bots = knownBots(runnable, wish.bot);
  if (wish.best && wish.bot.length > 0)
    throw new UsedWrongly("With --best both seats play as well as can be: leave --bot out.");
  if (wish.best && (wish.of.length > 0 || wish.chances))
    throw new UsedWrongly("With --best nothing is left to chance: leave --of and --chances out.");
  const { names } = runnable.machine.seats;
  if (wish.free !== undefined && !names.includes(wish.free))
    throw new UsedWrongly(`There is no seat "${wish.free}". There are: ${names.join(", ")}.`);
  if (wish.free !== undefined && (wish.best || wish.free in bots))
    throw new UsedWrongly("A free seat plays as well as can be by itself: leave --best and its --bot out.");
  const shown = exploreProgress(wish.json ?? false);
  const options = {
    ...(wish.seats !== undefined && { seats: wish.seats }),
    ...(wish.given.length > 0 && { given: givenOptions(wish.given) }),
    ...(wish.limit !== undefined && { most: { situations: wish.limit } }),
    progress: shown.show,
  };
  try {
    if (wish.best) {
      const best = bestPlay(runnable, options);
      shown.end();
      if (wish.json) sayJson(bestJson(best));
      else tellBest(best);
      return 0;
    }
    const found = oddsOf(runnable, { bots, measures, ...options, ...(wish.free !== undefined && { free: wish.free }) });
    shown.end();
    if (wish.json) sayJson(found);
    else {
      const free = wish.free === undefined ? {} : { [wish.free]: "as well as can be" };
      say(style("dim", `played by ${playersInWords(runnable.machine.seats.names, { ...bots, ...free }, RANDOM_BOT)}`));
      tell(runnable, found);
      if (wish.chances) tellChances(runnable.machine, found, wish.tries);
    }
    return found.complete ? 0 : 1;
  } catch (error) {
    shown.end();
    if (error instanceof CannotExplore) throw new UsedWrongly(error.message);
    throw error;
  }
}

function tell(runnable: Runnable, odds: Odds): void {
  const { situations, complete, incomplete, endings, stuck, fault, endless, results, length, exact, values, best } =
    odds;
  if (best) {
    const uses = Object.entries(best.uses).sort((a, b) => b[1] - a[1]);
    const told = uses.map(([action, n]) => `${action} in ${count(n, "situation")}`).join(", ");
    say(
      `${style("bold", best.seat)} plays as well as can be against the ` +
        `others: worth ${complete ? "" : "at least "}${digits(best.worth)}`,
    );
    say(style("dim", `a win counts 1, a draw a half; best is ${told || "anything"}`));
  }
  const lines = [
    ...endings.map(({ ending, probability }) => [ending, probability] as const),
    ["(stuck)", stuck] as const,
    ["(fault)", fault] as const,
    ["(endless)", endless] as const,
  ].filter(([, { least, most }], i) => i < endings.length || least > 0 || (complete && most > 0));
  const width = Math.max(8, ...lines.map(([name]) => name.length)) + 2;
  say("endings");
  for (const [name, probability] of lines)
    say(`  ${pad(name, width)} ${bar(probability.least, 0, 1, 24)} ${share(probability)}`);
  if (results.length > 0) say("results");
  for (const { seat, results: words } of results) {
    const told = Object.entries(words).filter(([, { least, most }]) => least > 0 || (complete && most > 0));
    for (const [i, [word, probability]] of told.entries())
      say(`  ${pad(i === 0 ? seat : "", width)} ${pad(word, 5)} ${share(probability)}`);
  }
  say(`length   ${exact ? "" : "at least "}${Number(length.toFixed(6))} steps on average`);
  for (const { of, values: each } of values) tellValues(of, each);
  tellIncomplete(runnable, incomplete, "yellow");
  say(
    complete
      ? style("dim", `${count(situations, "situation")}, all there are`)
      : style(
          "yellow",
          `${situations} situations were visited, and not all there are: what lies behind them may come to anything.`,
        ),
  );
}

/** How many values of a measure are told. */
const MOST_VALUES = 24;

/** How likely each value is at the end, numbers in their order with their mean. */
function tellValues(of: string, values: Odds["values"][number]["values"]): void {
  say(`at the end ${style("bold", of)}`);
  const isNumeric = values.every(({ value }) => value !== "" && Number.isFinite(Number(value)));
  const all = values.reduce((sum, { probability }) => sum + probability.least, 0);
  const mean = values.reduce((sum, { value, probability }) => sum + Number(value) * probability.least, 0) / all;
  const known = new Map(values.map(({ value, probability }) => [value, probability]));
  // Neighbouring numbers are put together where they are many.
  const told = isNumeric
    ? binned(Object.fromEntries(values.map(({ value, probability }) => [value, probability.least])), MOST_VALUES)
    : values.map(({ value, probability }) => [value, probability.least] as const);
  const width = Math.max(8, ...told.map(([value]) => value.length)) + 2;
  for (const [value, least] of told.slice(0, MOST_VALUES))
    say(`  ${pad(value, width)} ${bar(least, 0, 1, 24)} ${share(known.get(value) ?? { least, most: least })}`);
  if (told.length > MOST_VALUES) say(style("dim", `  and ${told.length - MOST_VALUES} other values`));
  if (isNumeric && all > 0) say(`  ${pad("mean", width)} ${Number(mean.toFixed(6))}`);
}

/** Each chance for itself, and how likely it is never seen in so many tries. */
function tellChances(machine: Machine, { chances, complete }: Odds, tries: number): void {
  if (chances.length === 0) {
    say("chances  there are none in the rules");
    return;
  }
  const words = chances.map(({ words }) => words);
  const width = Math.max(8, ...words.map((one) => one.length)) + 2;
  say(`${pad("chances", width + 9)}  ${pad("each time", 19)} never in ${count(tries, "try", "tries")}`);
  for (const { position, words, probability } of chances) {
    const where = pad(`line ${machine.sources.place(position).line}`, 9);
    if (!probability) {
      say(
        `  ${where}${pad(words, width)}${style("dim", complete ? "never rolled" : "not rolled in what was visited")}`,
      );
      continue;
    }
    const { least, most } = probability;
    const between = (low: string, high: string): string => (low === high ? low : `${low} to ${high}`);
    const each = between(percent(least), percent(most));
    say(
      `  ${where}${pad(words, width)}${pad(each, 20)}` +
        `${between(percent(neverIn(most, tries)), percent(neverIn(least, tries)))}`,
    );
  }
}

function percent(probability: number): string {
  const points = 100 * probability;
  return `${points === 0 || points >= 0.01 ? Number(points.toFixed(2)) : points.toExponential(1)}%`;
}

const RESULTS = { win: "wins", loss: "loses", draw: "draws" } as const;

function tellBest({ seat, result, steps, line, situations, explored }: Best): void {
  const inSteps = steps === undefined ? "" : ` in ${count(steps, "step")}`;
  say(
    `${style("bold", seat)} moves first and ${style("bold", RESULTS[result])}` +
      `${inSteps}, when both play as well as can be`,
  );
  for (const [i, { input }] of line.slice(0, MOST_STEPS).entries())
    say(`  ${i + 1}. ${inputInWords(input as LineInput)}`);
  if (line.length > MOST_STEPS) say(style("dim", `  and ${line.length - MOST_STEPS} more`));
  const { win, loss, draw } = situations;
  say(`Who moves wins in ${count(win, "situation")}, loses in ${loss}, draws in ${draw}.`);
  say(style("dim", `${explored.situations} situations, all there are: proven`));
}

function bestJson({ seat, result, steps, line, situations, explored }: Best): unknown {
  return {
    seat,
    result,
    ...(steps !== undefined && { steps }),
    line: line.map(({ input }) => inputInWords(input as LineInput)),
    moves: situations,
    situations: explored.situations,
  };
}

/** How many steps of a match are told. */
const MOST_STEPS = 40;

/** A probability: as a fraction where it is known whole, with its bounds where it is not exact. */
function share({ least, most, fraction }: Probability): string {
  if (fraction !== undefined) return `${digits(least)}  ${style("dim", fraction)}`;
  return most - least < 1e-9 ? digits(least) : `${digits(least)} to ${digits(most)}`;
}

function digits(value: number): string {
  return value === 0 || value >= 1e-4 ? String(Number(value.toFixed(9))) : value.toExponential(6);
}
