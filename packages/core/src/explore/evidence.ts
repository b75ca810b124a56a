/** What a search has found as a match that can be opened: played with times, a logbook of it, and a test. */

import { begin, type BeginOptions } from "../engine/matches/begin.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { step } from "../engine/matches/step.js";
import { type Input, nextTimer, type Situation, type Taken } from "../engine/situation/situation.js";
import type { Json } from "../engine/values/json.js";
import { pathInWords } from "../formats/trace-lines.js";
import { matchTest } from "../local/match-test.js";
import type { LineInput } from "../logbook/format.js";
import { LogbookWriter } from "../logbook/write.js";
import { inputInWords, valueInWords } from "../logbook/words.js";
import type { Evidence } from "../language/message.js";
import type { Exploration } from "./explore.js";
import type { ExploreOptions } from "./options.js";
import type { Move, Way } from "./report.js";

/** How a match is begun, as far as a search was told. */
export type Setting = Pick<ExploreOptions, "seats" | "open" | "given">;

/** How a match begins, as far as it was told: with so many seats, with seats that nobody has taken, with other data. */
export function begunInWords({ seats, open = [], given }: Setting): Pick<Evidence, "begun"> {
  const parts = [
    ...(seats === undefined ? [] : [`${seats} seats`]),
    ...open.map((seat) => `${seat} open`),
    ...(given?.data ?? []).map(({ path, value }) => `${pathInWords(path)}=${valueInWords(value as Json)} given`),
  ];
  return parts.length === 0 ? {} : { begun: parts.join(", ") };
}

/** When the matches begin that are made here, in milliseconds since 1970 UTC. */
const BEGUN = Date.UTC(2026, 5, 1, 10);
const SEED = "explore";
/** How often another time is tried for a step, all steps together. */
const MOST_TRIED = 100_000;

/** Something that a search came to. */
interface Shown {
  readonly at: number;
  /** What is done there for it to show. */
  readonly move: Move | undefined;
  /** That stops with a fault. */
  readonly fails: boolean;
  /** A sign by its number, a finding by its key: what still has to show when the match is shortened. */
  readonly what: number | string | undefined;
}

/**
 * The match that leads to a situation, without what it does not need.
 *
 * @param shown the situation, what is done there, and what that shows
 * @param words what the test shows
 * @returns undefined when no times were found by which it goes so
 */
export function evidenceOf(
  runnable: Runnable,
  exploration: Exploration,
  setting: Setting,
  { at, move, fails, what }: Shown,
  words: string,
): Evidence | undefined {
  const found = exploration.wayTo(at);
  const whole = { ...found, moves: move ? [...found.moves, move] : found.moves };
  const way = what === undefined ? whole : exploration.shortened(whole, what, move !== undefined);
  if (!fails) return matchOf(runnable, way, setting, undefined, words);
  return matchOf(runnable, { ...way, moves: way.moves.slice(0, -1) }, setting, move, words);
}

/**
 * A match by its moves.
 *
 * @param way the rolls of step 0, and every move with its rolls
 */
function matchOf(
  runnable: Runnable,
  { dice, moves }: Pick<Way, "dice" | "moves">,
  setting: Setting,
  last: Move | undefined,
  words: string,
): Evidence | undefined {
  const { seats, open, given } = setting;
  const how: BeginOptions = {
    seed: SEED,
    now: BEGUN,
    ...(seats !== undefined && { seats }),
    ...(open && { open }),
    ...(given && { given }),
    ...(dice.length > 0 && { dice }),
  };
  const { taken: first } = begin(runnable, how);
  if (!first) return undefined;
  const found = timed(runnable, first, moves, last);
  if (!found) return undefined;
  const { taken, wait } = found;
  const evidence = courseEvidence(
    runnable,
    { how, first, taken },
    words,
    last && !last.asked ? { last: { wait, ...lastOf(last) }, expect: [] } : {},
  );
  const ends = last ? [`${inputInWords(last.input as LineInput)}${last.asked ? ": is it open?" : ""}`] : [];
  return { ...evidence, steps: [...evidence.steps, ...ends], ...begunInWords(setting) };
}

/**
 * A match that was played, as one that can be opened.
 *
 * @param course how it was begun, its step 0 and those after it
 * @param words what the test shows
 * @param end what the test ends with, when that is more than the steps
 */
export function courseEvidence(
  runnable: Runnable,
  { how, first, taken }: { readonly how: BeginOptions; readonly first: Taken; readonly taken: readonly Taken[] },
  words: string,
  end: Parameters<typeof matchTest>[5] = {},
): Evidence {
  let logbook = "";
  const writer = new LogbookWriter(runnable, how, first, (line) => {
    logbook += line;
  });
  for (const one of taken) writer.add(one);
  writer.close();
  const { situation } = taken.at(-1) ?? first;
  return {
    steps: taken.map(({ input }) => inputInWords(input as LineInput)),
    logbook,
    test: matchTest(runnable, how, [first, ...taken], words, situation.now, end),
  };
}

function lastOf({ input, dice }: Move): { readonly input: Input | undefined; readonly dice: readonly unknown[] } {
  if (input.kind === "timer") return { input: undefined, dice };
  return { input: { ...input, ...(dice.length > 0 && { dice }) } as Input, dice };
}

/**
 * Finds times for the steps, so that timers run in the order in which they should: at once, right before the next
 * timer, or halfway, one after the other; where it goes no further, the time of a step before is another.
 *
 * @param last what comes behind them, and is at fault
 */
function timed(runnable: Runnable, first: Taken, moves: readonly Move[], last: Move | undefined): Timed | undefined {
  const all = last ? [...moves, last] : moves;
  const taken: Taken[] = [];
  const tried: number[] = [];
  let count = 0;
  while (taken.length < all.length) {
    const { input, dice } = all[taken.length] as Move;
    const { situation } = taken.at(-1) ?? first;
    const choice = tried[taken.length] ?? 0;
    const time = timesOf(runnable, situation, input)[choice];
    if (time === undefined) {
      tried.length = taken.length;
      if (taken.pop() === undefined || ++count > MOST_TRIED) return undefined;
      tried[taken.length] = (tried[taken.length] ?? 0) + 1;
      continue;
    }
    tried[taken.length] = choice;
    const timed = { ...input, time, ...(dice.length > 0 && { dice }) } as Input;
    const result = step(runnable, situation, timed, NOW);
    const [one] = result.taken;
    if (last && taken.length === moves.length) {
      // That it is at fault at that time is what is shown; asked for what is open, it may just be refused.
      if ((result.fault || result.refusal) && !one) return { taken, wait: time - situation.now };
      tried[taken.length] = choice + 1;
    } else if (one && result.taken.length === 1 && !result.fault && !result.refusal) taken.push(one);
    else tried[taken.length] = choice + 1;
  }
  return { taken, wait: 0 };
}

/** Steps with their times, and how long the last one, which is not taken, is waited for. */
interface Timed {
  readonly taken: readonly Taken[];
  readonly wait: number;
}

/** Everything that happens is looked at. */
const NOW = { happenings: "now" } as const;

function timesOf({ machine }: Runnable, situation: Situation, input: Input): number[] {
  const next = nextTimer(machine, situation);
  if (input.kind === "timer") return next?.timer.name === input.timer ? [next.due] : [];
  const { now } = situation;
  if (!next) return [now];
  const latest = next.due - 1;
  return latest < now ? [] : [...new Set([now, latest, Math.floor((now + latest) / 2)])];
}
