/** What came of many matches: counts that can be added up, and how sure shares are that were counted. */

import type { Measure } from "../engine/matches/measure.js";
import type { Json } from "../engine/values/json.js";
import { canonicalJson } from "../logbook/canonical.js";
import type { SeatResult, SeatResultWord } from "../engine/situation/situation.js";

/** How a simulated match came to its end. */
export const STUCK = "(stuck)";
export const ENDLESS = "(endless)";
export const FAULTY = "(fault)";

/** What was counted. Tallies of parts can be added up. */
export interface Tally {
  readonly matches: number;
  /** Matches by ending; `(stuck)`, `(endless)` and `(fault)` for those that came to none. */
  readonly endings: Readonly<Record<string, number>>;
  readonly results: Readonly<Record<string, Readonly<Record<SeatResultWord, number>>>>;
  /** The same of the seat that was on turn first, in matches in which it was. */
  readonly began: Readonly<Record<string, Readonly<Record<SeatResultWord, number>>>>;
  /** By seat, matches by its score, in machines that give scores. */
  readonly scores: Readonly<Record<string, Readonly<Record<number, number>>>>;
  /** How often each action was taken, by its name and the state that declares it: `Turn.slash`. */
  readonly actions: Readonly<Record<string, number>>;
  /** Matches by how many steps they took. */
  readonly lengths: Readonly<Record<number, number>>;
  /** Matches by how many turns they took: how often somebody else was on turn than before, the first included. */
  readonly turns: Readonly<Record<number, number>>;
  /** The first match of each ending, by number, to look at. */
  readonly examples: Readonly<Record<string, number>>;
  readonly faults: Readonly<Record<string, number>>;
  /** Of matches that came to no ending, how the first of each kind stands. */
  readonly stood: Readonly<Record<string, string>>;
  /** Of what was asked: matches by what it came to at their end. */
  readonly values: Readonly<Record<string, Readonly<Record<string, number>>>>;
  /** Of what was asked and is a number, or true (1) or false (0): by step, of how many matches, and the sum. */
  readonly courses: Readonly<Record<string, Readonly<Record<number, Counted>>>>;
  /** What rolls came to, by their place in the text: how often each value. */
  readonly rolls: Readonly<Record<number, Readonly<Record<string, number>>>>;
  /** Matches by how long they took by their own clocks, in milliseconds. */
  readonly times: Readonly<Record<number, number>>;
}

export interface Counted {
  readonly count: number;
  readonly sum: number;
}

/** Courses go no further than this step. */
const LONGEST_COURSE = 500;

/** What is added up is rounded to a fraction of a power of two: so the sum is the same in whatever order. */
const GRID = 2 ** 20;

/** A match that was played. */
export interface PlayedMatch {
  readonly ending: string;
  readonly number: number;
  readonly steps: number;
  readonly turns: number;
  readonly results?: readonly SeatResult[];
  readonly fault?: string;
  /** The seat that was on turn first. */
  readonly first?: string;
  /** How it stands, where it came to no ending. */
  readonly stood?: () => string;
  /** How long it took by its own clock, in milliseconds. */
  readonly time: number;
}

function noResults(): Record<SeatResultWord, number> {
  return { win: 0, loss: 0, draw: 0, none: 0 };
}

function countIn(map: Map<string, Record<SeatResultWord, number>>, seat: string): Record<SeatResultWord, number> {
  const counts = map.get(seat) ?? noResults();
  map.set(seat, counts);
  return counts;
}

function count(map: Map<string, Map<string, number>>, key: string, value: string): void {
  const counts = map.get(key) ?? new Map<string, number>();
  map.set(key, counts);
  counts.set(value, (counts.get(value) ?? 0) + 1);
}

/** By name: the same whatever was met first. */
function sorted<V>(map: Iterable<readonly [string, V]>): Record<string, V> {
  return Object.fromEntries([...map].sort(([a], [b]) => (a < b ? -1 : 1)));
}

/** What there is of some seats, in their order. */
function inOrder<V>(seats: readonly string[], of: ReadonlyMap<string, V>): Record<string, V> {
  return Object.fromEntries([...of].sort(([a], [b]) => seats.indexOf(a) - seats.indexOf(b)));
}

function nested(map: ReadonlyMap<string, ReadonlyMap<string, number>>): Record<string, Record<string, number>> {
  return Object.fromEntries([...map].map(([key, counts]) => [key, sorted(counts)]));
}

function byNumber<V>(map: ReadonlyMap<number, V>): Record<number, V> {
  return Object.fromEntries([...map].sort(([a], [b]) => a - b));
}

/** How a value that was measured is counted. */
export function measuredWords(value: Json | undefined): string {
  if (value === undefined) return "(cannot be worked out)";
  if (value === null) return "none";
  return typeof value === "string" ? value : canonicalJson(value);
}

/** Counts matches as they are played. */
export class Counter {
  private matches = 0;
  private readonly endings = new Map<string, number>();
  private readonly results = new Map<string, Record<SeatResultWord, number>>();
  private readonly lengths = new Map<number, number>();
  private readonly turns = new Map<number, number>();
  private readonly examples = new Map<string, number>();
  private readonly faults = new Map<string, number>();
  private readonly began = new Map<string, Record<SeatResultWord, number>>();
  private readonly scores = new Map<string, Map<number, number>>();
  private readonly actions = new Map<string, number>();
  private readonly stood = new Map<string, string>();
  private readonly values = new Map<string, Map<string, number>>();
  private readonly courses = new Map<string, Map<number, Counted>>();
  private readonly rolls = new Map<string, Map<string, number>>();
  private readonly times = new Map<number, number>();
  /** How often each seat has won so far. */
  readonly wins = new Map<string, number>();

  /** An action was taken. */
  used(action: string): void {
    this.actions.set(action, (this.actions.get(action) ?? 0) + 1);
  }

  /** Something that is asked came to a value; undefined where it could not be worked out. @param over at the end */
  measured({ words }: Measure, step: number, value: Json | undefined, over: boolean): void {
    if (over) count(this.values, words, measuredWords(value));
    const number = typeof value === "boolean" ? Number(value) : value;
    if (typeof number !== "number" || step > LONGEST_COURSE) return;
    const course = this.courses.get(words) ?? new Map<number, Counted>();
    this.courses.set(words, course);
    const before = course.get(step) ?? { count: 0, sum: 0 };
    course.set(step, { count: before.count + 1, sum: before.sum + Math.round(number * GRID) / GRID });
  }

  /** A roll came to a value. @param position where it stands in the text */
  rolled(position: number, value: Json): void {
    count(this.rolls, String(position), measuredWords(value));
  }

  add({ ending, number, steps, turns, time, results = [], fault, first, stood }: PlayedMatch): void {
    this.matches++;
    this.endings.set(ending, (this.endings.get(ending) ?? 0) + 1);
    this.lengths.set(steps, (this.lengths.get(steps) ?? 0) + 1);
    this.turns.set(turns, (this.turns.get(turns) ?? 0) + 1);
    this.times.set(time, (this.times.get(time) ?? 0) + 1);
    if (!this.examples.has(ending)) {
      this.examples.set(ending, number);
      if (stood) this.stood.set(ending, stood());
    }
    if (fault !== undefined) this.faults.set(fault, (this.faults.get(fault) ?? 0) + 1);
    for (const { seat, result, score } of results) {
      countIn(this.results, seat)[result]++;
      if (result === "win") this.wins.set(seat, (this.wins.get(seat) ?? 0) + 1);
      if (seat === first) countIn(this.began, seat)[result]++;
      if (score === undefined) continue;
      const scores = this.scores.get(seat) ?? new Map<number, number>();
      scores.set(score, (scores.get(score) ?? 0) + 1);
      this.scores.set(seat, scores);
    }
  }

  tally(): Tally {
    const seats = [...this.results.keys()];
    return {
      matches: this.matches,
      endings: sorted(this.endings),
      results: Object.fromEntries(this.results),
      began: inOrder(seats, this.began),
      scores: inOrder(seats, new Map([...this.scores].map(([seat, counts]) => [seat, byNumber(counts)]))),
      actions: sorted(this.actions),
      lengths: byNumber(this.lengths),
      turns: byNumber(this.turns),
      times: byNumber(this.times),
      examples: sorted(this.examples),
      faults: sorted(this.faults),
      stood: sorted(this.stood),
      values: nested(this.values),
      courses: Object.fromEntries([...this.courses].map(([words, course]) => [words, byNumber(course)])),
      rolls: nested(this.rolls),
    };
  }
}

/** Adds up the tallies of parts of a simulation. */
export function addTallies(parts: readonly Tally[]): Tally {
  const sum = <K extends string | number>(of: (t: Tally) => Readonly<Record<K, number>>): Record<K, number> => {
    const total = {} as Record<K, number>;
    for (const part of parts)
      for (const [key, n] of Object.entries(of(part)) as [K, number][]) total[key] = (total[key] ?? 0) + n;
    return Object.fromEntries(
      Object.entries(total).sort(([a], [b]) => Number(a) - Number(b) || (a < b ? -1 : 1)),
    ) as Record<K, number>;
  };
  const results = (of: (t: Tally) => Tally["results"]): Tally["results"] => {
    const seats = [...new Set(parts.flatMap((p) => Object.keys(of(p))))];
    return Object.fromEntries(
      seats.map((seat) => {
        const counts = noResults();
        for (const part of parts)
          for (const word of Object.keys(counts) as SeatResultWord[]) counts[word] += of(part)[seat]?.[word] ?? 0;
        return [seat, counts];
      }),
    );
  };
  const inner = (of: (t: Tally) => Tally["values"]): Record<string, Record<string, number>> => {
    const keys = [...new Set(parts.flatMap((p) => Object.keys(of(p))))];
    return Object.fromEntries(keys.map((key) => [key, sum<string>((t) => of(t)[key] ?? {})]));
  };
  const courses: Record<string, Record<number, Counted>> = {};
  for (const part of parts)
    for (const [words, course] of Object.entries(part.courses)) {
      const all = (courses[words] ??= {});
      for (const [step, { count, sum }] of Object.entries(course)) {
        const before = all[Number(step)] ?? { count: 0, sum: 0 };
        all[Number(step)] = { count: before.count + count, sum: before.sum + sum };
      }
    }
  const seats = [...new Set(parts.flatMap((p) => Object.keys(p.results)))];
  const scored = [...new Set(parts.flatMap((p) => Object.keys(p.scores)))];
  const examples: Record<string, number> = {};
  const stood: Record<string, string> = {};
  for (const part of parts)
    for (const [ending, number] of Object.entries(part.examples)) {
      if (number > (examples[ending] ?? number)) continue;
      examples[ending] = number;
      const words = part.stood[ending];
      if (words !== undefined) stood[ending] = words;
    }
  return {
    matches: parts.reduce((n, p) => n + p.matches, 0),
    endings: sum((t) => t.endings),
    results: results((t) => t.results),
    began: inOrder(seats, new Map(Object.entries(results((t) => t.began)))),
    scores: inOrder(seats, new Map(scored.map((seat) => [seat, sum<number>((t) => t.scores[seat] ?? {})]))),
    actions: sum((t) => t.actions),
    lengths: sum((t) => t.lengths),
    // A tally of an older version has neither.
    turns: sum((t) => t.turns ?? {}),
    times: sum((t) => t.times ?? {}),
    examples: sorted(Object.entries(examples)),
    faults: sum((t) => t.faults),
    stood: sorted(Object.entries(stood)),
    values: inner((t) => t.values),
    courses,
    rolls: inner((t) => t.rolls),
  };
}

/** A share, and between what it is in truth, as far as can be told from so many. */
export interface Share {
  readonly share: number;
  readonly low: number;
  readonly high: number;
}

/** 95% of all intervals that are made so hold the truth. */
const Z = 1.959963984540054;

/** The interval of Wilson (1927) for `count` of `all`. */
export function intervalOf(count: number, all: number): Share {
  if (all === 0) return { share: 0, low: 0, high: 1 };
  const share = count / all;
  const square = Z * Z;
  const middle = (share + square / (2 * all)) / (1 + square / all);
  const half = (Z * Math.sqrt((share * (1 - share)) / all + square / (4 * all * all))) / (1 + square / all);
  return { share, low: Math.max(0, middle - half), high: Math.min(1, middle + half) };
}

/** Counts of neighbouring values put together, so that they can be drawn. */
interface Histogram {
  readonly low: number;
  readonly high: number;
  /** How many values a column stands for. */
  readonly width: number;
  readonly columns: readonly number[];
}

/**
 * @param most how many columns there are at most; without any value there is none
 * @param grain what columns begin at and are wide is a multiple of it
 */
export function histogramOf(counts: Readonly<Record<number, number>>, most: number, grain = 1): Histogram {
  const values = Object.entries(counts).map(([value, count]) => [Number(value), count] as const);
  if (values.length === 0) return { low: 0, high: 0, width: 1, columns: [] };
  const least = values.reduce((low, [value]) => Math.min(low, value), Number.POSITIVE_INFINITY);
  const low = Math.floor(least / grain) * grain;
  const high = values.reduce((greatest, [value]) => Math.max(greatest, value), Number.NEGATIVE_INFINITY);
  const width = grain * Math.max(1, Math.ceil((high - low + 1) / most / grain));
  const columns = new Array<number>(Math.ceil((high - low + 1) / width)).fill(0);
  for (const [value, count] of values) {
    const at = Math.floor((value - low) / width);
    columns[at] = (columns[at] ?? 0) + count;
  }
  return { low, high, width, columns };
}

/** Wins by seat and matches by ending as comma-separated values, each with its share and the interval around it. */
export function tallyCsv({ results, endings, matches }: Tally): string {
  const row = (what: string, name: string, count: number): string => {
    const { share, low, high } = intervalOf(count, matches);
    return [what, name, count, ...[share, low, high].map((n) => n.toFixed(6))].join(",");
  };
  return [
    "what,name,count,share,low,high",
    ...Object.entries(results).map(([seat, { win }]) => row("win", seat, win)),
    ...Object.entries(endings).map(([name, count]) => row("ending", name, count)),
    "",
  ].join("\n");
}

/** The mean of values that were counted, and how far they spread (standard deviation). */
export function meanOf(counts: Readonly<Record<number, number>>): { readonly mean: number; readonly spread: number } {
  let all = 0;
  let sum = 0;
  let squares = 0;
  for (const [value, count] of Object.entries(counts)) {
    all += count;
    sum += Number(value) * count;
    squares += Number(value) ** 2 * count;
  }
  const mean = all === 0 ? 0 : sum / all;
  return { mean, spread: all === 0 ? 0 : Math.sqrt(Math.max(0, squares / all - mean ** 2)) };
}
