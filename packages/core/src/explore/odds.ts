/**
 * Exact odds: with every seat played by a policy or at random, the situations are a Markov chain. What is likely is
 * found by letting the whole probability flow from the beginning until hardly any is left on its way: what has arrived
 * is a lower bound, what is still on its way the rest. Without circles everything arrives, and small ones are worked
 * out in fractions.
 */

import type { Runnable } from "../engine/matches/runnable.js";
import { type Measure, measuring } from "../engine/matches/measure.js";
import { measuredWords } from "../search/tally.js";
import { chancesOf, type NotedChances, NotingOdometer, type WrittenChance } from "./chances.js";
import type { SeatResultWord } from "../engine/situation/situation.js";
import { Exploration } from "./explore.js";
import type { ExploreOptions } from "./options.js";
import { CannotExplore, type Incomplete } from "./report.js";
import { refuseSecrets } from "./best.js";
import { type BestAgainst, bestAgainst, Free, playedBest } from "./free.js";
import type { Chain } from "./graph.js";
import { Players } from "./players.js";

export interface OddsOptions
  extends Pick<ExploreOptions, "seats" | "open" | "given" | "most" | "measures" | "progress"> {
  /** The policy of each seat; seats without one play at random. */
  readonly bots?: Readonly<Record<string, string>>;
  /** A seat that plays as well as can be against the others. */
  readonly free?: string;
}

/** A probability: between `least` and `most`, and as a fraction where it is known whole. */
export interface Probability {
  readonly least: number;
  readonly most: number;
  readonly fraction?: string;
}

export interface Odds {
  readonly situations: number;
  /** All situations that can come about were visited; else the probabilities are of those that were. */
  readonly complete: boolean;
  readonly incomplete: readonly Incomplete[];
  readonly endings: readonly { readonly ending: string; readonly probability: Probability }[];
  /** Nothing can happen any more, and it is not over; a step is at fault; it goes on for ever. */
  readonly stuck: Probability;
  readonly fault: Probability;
  readonly endless: Probability;
  readonly results: readonly {
    readonly seat: string;
    readonly results: Readonly<Record<SeatResultWord, Probability>>;
  }[];
  /**
   * How many steps a match has on average, those that go on for ever left out; at least so many where it is not exact.
   */
  readonly length: number;
  readonly exact: boolean;
  /** Of each measure, how likely each of its values is where a match comes to rest for good, the likeliest first. */
  readonly values: readonly {
    readonly of: string;
    readonly values: readonly { readonly value: string; readonly probability: Probability }[];
  }[];
  /** Of a free seat, what its best play comes to; all of the above is so when it plays so. */
  readonly best?: {
    readonly seat: string;
    /** A win counts 1, a draw a half; at least so much where not all was visited. */
    readonly worth: number;
    /** In how many situations each of its actions is best, by name. */
    readonly uses: Readonly<Record<string, number>>;
  };
  /** How likely each chance is for itself, whenever it is rolled. */
  readonly chances: readonly WrittenChance[];
}

/** What may still be on its way in the end. */
const LEFT = 1e-12;
const MOST_ROUNDS = 200_000;
/** With more edges than this nothing is worked out in fractions, whose numbers become long. */
const MOST_EXACT = 60_000;
/** Longer fractions than this are not told. */
const LONGEST = 24;

/** @throws CannotExplore when no match can be begun so, or it is not known what a policy does */
export function oddsOf(runnable: Runnable, { bots = {}, free: name, ...options }: OddsOptions): Odds {
  const { machine } = runnable;
  if (name !== undefined) refuseSecrets(machine);
  const free = name === undefined ? undefined : new Free(machine.seats.names.indexOf(name));
  const players = new Players(runnable, bots);
  if (players.unknown !== undefined)
    throw new CannotExplore(`There are no exact odds where ${players.unknown}; simulate it.`);
  const noted: NotedChances = new Map();
  const odometer = (): NotingOdometer => new NotingOdometer(noted);
  const exploration = new Exploration(runnable, { ...options, players, odometer, ...(free && { free }) });
  const explored = exploration.run();
  const whole = exploration.chain();
  const best = free && bestAgainst(whole, free, worthTo(whole, name ?? ""));
  const chain = free && best ? playedBest(whole, free, best) : whole;
  const flow = chain.isExact && chain.edges <= MOST_EXACT ? exactly(chain) : nearly(chain);
  const endings = new Map<string, number[]>();
  const results = new Map<string, Map<SeatResultWord, number[]>>();
  const beyond: number[] = [];
  const places = { stuck: [] as number[], fault: [chain.fault] };
  for (let id = 0; id < chain.count; id++) {
    const outcome = chain.outcomeOf(id);
    if (outcome) {
      listIn(endings, outcome.ending).push(id);
      for (const { seat, result } of outcome.results) {
        const words = results.get(seat) ?? new Map<SeatResultWord, number[]>();
        results.set(seat, words);
        listIn(words, result).push(id);
      }
    } else if (id >= chain.visited || (chain.isLast(id) && exploration.isCutShort(id))) beyond.push(id);
    else if (chain.isLast(id)) places.stuck.push(id);
  }
  // What was not gone on from may come to anything.
  const open = explored.complete ? 0 : flow.probability(beyond).least + flow.lost;
  const of = (ids: readonly number[]): Probability => {
    const found = flow.probability(ids);
    return open === 0 ? found : { least: found.least, most: Math.min(1, found.least + open) };
  };
  return {
    situations: explored.situations,
    complete: explored.complete,
    incomplete: explored.incomplete,
    endings: [...endings]
      .map(([ending, ids]) => ({ ending, probability: of(ids) }))
      .sort((a, b) => b.probability.least - a.probability.least),
    stuck: of(places.stuck),
    fault: of(places.fault),
    endless: open === 0 ? flow.endless : { least: flow.endless.least, most: Math.min(1, flow.endless.least + open) },
    results: machine.seats.names
      .filter((seat) => results.has(seat))
      .map((seat) => ({
        seat,
        results: Object.fromEntries(
          (["win", "loss", "draw", "none"] as const).map((word) => [word, of(results.get(seat)?.get(word) ?? [])]),
        ) as Record<SeatResultWord, Probability>,
      })),
    length: flow.length,
    exact: flow.exact && open === 0,
    values: valuesAtEnds(exploration, chain, options.measures ?? []).map(({ words, values }) => ({
      of: words,
      values: [...values]
        .map(([value, ids]) => ({ value, probability: of(ids) }))
        .sort((a, b) => b.probability.least - a.probability.least || (a.value < b.value ? -1 : 1)),
    })),
    ...(free && best && { best: { seat: name ?? "", worth: best.worth, uses: usesOf(machine, free, best) } }),
    chances: chancesOf(machine, noted),
  };
}

/** What an ending is worth to a seat. */
function worthTo({ outcomeOf }: Chain, name: string): (id: number) => number {
  return (id) => WORTH[outcomeOf(id)?.results.find(({ seat }) => seat === name)?.result ?? "none"];
}

const WORTH: Readonly<Record<SeatResultWord, number>> = { win: 1, draw: 0.5, loss: 0, none: 0 };

function usesOf({ actions }: Runnable["machine"], free: Free, { choices }: BestAgainst): Record<string, number> {
  const uses: Record<string, number> = {};
  for (const [id, choice] of choices) {
    const { name = "" } = actions[free.actionOf(id, choice)] ?? {};
    uses[name] = (uses[name] ?? 0) + 1;
  }
  return uses;
}

/** What measures come to in the situations in which nothing goes on. */
function valuesAtEnds(
  exploration: Exploration,
  chain: Chain,
  measures: readonly Measure[],
): { readonly words: string; readonly values: ReadonlyMap<string, number[]> }[] {
  const asked = measures.map((measure) => ({
    words: measure.words,
    ask: measuring(exploration.engine, measure),
    values: new Map<string, number[]>(),
  }));
  for (let id = 0; id < (asked.length > 0 ? chain.count : 0); id++) {
    // What was not gone on from is no end, but where the match is over.
    if (!chain.isLast(id) || (id >= chain.visited && !chain.outcomeOf(id))) continue;
    exploration.show(id);
    for (const { ask, values } of asked) listIn(values, measuredWords(ask())).push(id);
  }
  return asked;
}

function listIn<K>(map: Map<K, number[]>, key: K): number[] {
  const list = map.get(key) ?? [];
  map.set(key, list);
  return list;
}

interface Flow {
  readonly exact: boolean;
  /** What went where nothing was followed: ways of rolling that were not tried. */
  readonly lost: number;
  readonly length: number;
  readonly endless: Probability;
  probability(ids: readonly number[]): Probability;
}

/** Lets probability flow until hardly any is left on its way. */
function nearly(chain: Chain): Flow {
  const arrives = chain.arriving();
  let now = new Float64Array(chain.count + 1);
  let next = new Float64Array(chain.count + 1);
  const there = new Float64Array(chain.count + 1);
  for (const { id, part, total } of chain.begin) now[id] = (now[id] as number) + part / total;
  let endless = 0;
  let length = 0;
  let left = 1;
  for (let round = 0; round < MOST_ROUNDS && left > LEFT; round++) {
    next.fill(0);
    left = 0;
    for (let id = 0; id <= chain.count; id++) {
      const mass = now[id] as number;
      if (mass === 0) continue;
      if (id === chain.count || chain.isLast(id)) {
        there[id] = (there[id] as number) + mass;
        length += mass * round;
      } else if (arrives[id] !== 1) endless += mass;
      else {
        chain.each(id, (target, part, total) => {
          next[target] = (next[target] as number) + (mass * part) / total;
        });
        left += mass;
      }
    }
    [now, next] = [next, now];
  }
  const rest = left > LEFT ? left : 0;
  const probability = (ids: readonly number[]): Probability => {
    const least = Math.min(
      1,
      ids.reduce((sum, id) => sum + (there[id] as number), 0),
    );
    return { least, most: ids.length === 0 ? 0 : Math.min(1, least + rest) };
  };
  const arrived = there.reduce((sum, mass) => sum + mass, 0);
  return {
    exact: rest === 0,
    lost: Math.max(0, 1 - arrived - endless - left),
    length: arrived > 0 ? length / arrived : 0,
    endless: { least: endless, most: Math.min(1, endless + rest) },
    probability,
  };
}

/** A fraction of whole numbers, in its lowest terms. */
class Fraction {
  constructor(
    readonly part: bigint,
    readonly total: bigint,
  ) {}

  static of(part: bigint, total: bigint): Fraction {
    let [a, b] = [part, total];
    while (b > 0n) [a, b] = [b, a % b];
    return a > 1n ? new Fraction(part / a, total / a) : new Fraction(part, total);
  }

  plus(other: Fraction): Fraction {
    return Fraction.of(this.part * other.total + other.part * this.total, this.total * other.total);
  }

  times(part: bigint, total: bigint): Fraction {
    return Fraction.of(this.part * part, this.total * total);
  }

  get number(): number {
    // Both are cut to what a number holds, so that long ones do not overflow.
    const digits = Math.max(0, this.total.toString().length - 300);
    const by = 10n ** BigInt(digits);
    return Number(this.part / by) / Number(this.total / by);
  }

  get text(): string {
    return this.total === 1n ? String(this.part) : `${this.part}/${this.total}`;
  }
}

const NOTHING = new Fraction(0n, 1n);

/** Fractions, from the beginning on; there are no circles. */
function exactly(chain: Chain): Flow {
  const mass = new Array<Fraction>(chain.count + 1).fill(NOTHING);
  const add = (id: number, more: Fraction): void => {
    mass[id] = (mass[id] as Fraction).plus(more);
  };
  for (const { id, part, total } of chain.begin) add(id, Fraction.of(BigInt(part), BigInt(total)));
  let length = NOTHING;
  for (const id of chain.order) {
    const own = mass[id] as Fraction;
    if (own.part === 0n || chain.isLast(id)) continue;
    // Every step that is taken counts once, with the probability that it is come to.
    length = length.plus(own);
    chain.each(id, (target, part, total) => add(target, own.times(BigInt(part), BigInt(total))));
  }
  let arrived = NOTHING;
  for (const [id, own] of mass.entries()) if (id === chain.count || chain.isLast(id)) arrived = arrived.plus(own);
  return {
    exact: true,
    lost: Math.max(0, 1 - arrived.number),
    length: length.number,
    endless: { least: 0, most: 0, fraction: "0" },
    probability: (ids) => {
      const sum = ids.reduce((all, id) => all.plus(mass[id] as Fraction), NOTHING);
      const { number, text } = sum;
      return { least: number, most: number, ...(text.length <= LONGEST && { fraction: text }) };
    },
  };
}
