/** Lets bots play many matches and counts. Match number i is the same whoever plays it, and on how many cores. */

import { begin } from "../engine/matches/begin.js";
import type { Given } from "../engine/matches/given.js";
import { run } from "../engine/matches/run.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { type Input, nextTimer, type SeatResultWord } from "../engine/situation/situation.js";
import { makeBot, RANDOM_BOT, wrongBot } from "./bot.js";
import type { Player } from "./player.js";
import { RandomGame } from "./random-game.js";

export interface SimulateOptions {
  readonly seed: string;
  /** The numbers of the matches: from `first` up to, not including, `end`. */
  readonly first: number;
  readonly end: number;
  /** The policy of each seat by name; other seats play at random. */
  readonly bots?: Readonly<Record<string, string>>;
  /** What every match begins with in place of the machine's own. */
  readonly given?: Given;
  /** How many seats, where the machine leaves it open. */
  readonly seats?: number;
  /** Steps after which a match counts as endless. */
  readonly limit?: number;
  /** Called after every match with how many have been played. */
  readonly progress?: (played: number) => void;
}

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
  /** Matches by how many steps they took. */
  readonly lengths: Readonly<Record<number, number>>;
  /** The first match of each ending, by number, to look at. */
  readonly examples: Readonly<Record<string, number>>;
  readonly faults: Readonly<Record<string, number>>;
}

/** Says what is wrong with the wish for a simulation. */
export class BadSimulation extends Error {}

const LIMIT = 10_000;

/**
 * Plays matches with bots.
 *
 * @throws BadSimulation for a seat or policy that the machine does not have, or when no match can begin
 */
export function simulate(runnable: Runnable, options: SimulateOptions): Tally {
  const { machine } = runnable;
  for (const [seat, policy] of Object.entries(options.bots ?? {})) {
    const wrong = wrongBot(runnable, machine.seats.names, seat, policy);
    if (wrong) throw new BadSimulation(wrong.words);
  }
  const tally = new Counter();
  for (let number = options.first; number < options.end; number++) {
    play(runnable, options, number, tally);
    options.progress?.(number - options.first + 1);
  }
  return tally.tally();
}

function play(runnable: Runnable, options: SimulateOptions, number: number, tally: Counter): void {
  const seed = `${options.seed} ${number}`;
  const begun = begin(runnable, {
    seed,
    ...(options.seats !== undefined && { seats: options.seats }),
    ...(options.given && { given: options.given }),
  });
  if (!begun.taken) {
    if (!begun.fault) throw new BadSimulation(begun.refusal?.words ?? "No match can begin.");
    tally.add(FAULTY, number, 0, [], begun.fault.words);
    return;
  }
  const players = new Map<string, Player>();
  const playerOf = (seat: string): Player => {
    let player = players.get(seat);
    if (!player) {
      player = makeBot(runnable, options.bots?.[seat] ?? RANDOM_BOT, `${seed} ${seat}`) as Player;
      players.set(seat, player);
    }
    return player;
  };
  const game = new RandomGame(runnable, seed);
  const limit = options.limit ?? LIMIT;
  let ended = STUCK;
  const result = run(runnable, begun.taken.situation, (moment): Input | undefined => {
    if (moment.step >= limit) {
      ended = ENDLESS;
      return undefined;
    }
    const { situation } = moment;
    for (const seat of moment.turn) {
      const input = playerOf(seat).choose(situation, seat);
      if (input) return input;
    }
    // Nobody can act: an event of the game happens, or time goes on to the next timer, when there is one.
    const due = nextTimer(runnable.machine, situation)?.due;
    return game.choose(situation, due !== undefined) ?? (due === undefined ? undefined : { kind: "time", time: due });
  });
  const { outcome, step } = result.situation;
  if (result.fault) tally.add(FAULTY, number, step, [], result.fault.words);
  else tally.add(outcome?.ending ?? ended, number, step, outcome?.results ?? []);
}

class Counter {
  private matches = 0;
  private readonly endings = new Map<string, number>();
  private readonly results = new Map<string, Record<SeatResultWord, number>>();
  private readonly lengths = new Map<number, number>();
  private readonly examples = new Map<string, number>();
  private readonly faults = new Map<string, number>();

  add(
    ending: string,
    number: number,
    steps: number,
    results: readonly { readonly seat: string; readonly result: SeatResultWord }[],
    fault?: string,
  ): void {
    this.matches++;
    this.endings.set(ending, (this.endings.get(ending) ?? 0) + 1);
    this.lengths.set(steps, (this.lengths.get(steps) ?? 0) + 1);
    if (!this.examples.has(ending)) this.examples.set(ending, number);
    if (fault !== undefined) this.faults.set(fault, (this.faults.get(fault) ?? 0) + 1);
    for (const { seat, result } of results) {
      const counts = this.results.get(seat) ?? { win: 0, loss: 0, draw: 0, none: 0 };
      counts[result]++;
      this.results.set(seat, counts);
    }
  }

  tally(): Tally {
    const sorted = <V>(map: ReadonlyMap<string, V>): Record<string, V> =>
      Object.fromEntries([...map].sort(([a], [b]) => (a < b ? -1 : 1)));
    return {
      matches: this.matches,
      endings: sorted(this.endings),
      results: Object.fromEntries(this.results),
      lengths: Object.fromEntries([...this.lengths].sort(([a], [b]) => a - b)),
      examples: sorted(this.examples),
      faults: sorted(this.faults),
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
  const seats = [...new Set(parts.flatMap((p) => Object.keys(p.results)))];
  const results = Object.fromEntries(
    seats.map((seat) => {
      const counts = { win: 0, loss: 0, draw: 0, none: 0 };
      for (const part of parts)
        for (const word of Object.keys(counts) as SeatResultWord[]) counts[word] += part.results[seat]?.[word] ?? 0;
      return [seat, counts];
    }),
  );
  const examples: Record<string, number> = {};
  for (const part of parts)
    for (const [ending, number] of Object.entries(part.examples))
      examples[ending] = Math.min(number, examples[ending] ?? number);
  return {
    matches: parts.reduce((n, p) => n + p.matches, 0),
    endings: sum((t) => t.endings),
    results,
    lengths: sum((t) => t.lengths),
    examples,
    faults: sum((t) => t.faults),
  };
}
