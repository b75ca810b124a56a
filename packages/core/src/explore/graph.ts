/** What a search has found as others look at it: a Markov chain, or a game of two. */

import type { Outcome, SeatResultWord } from "../engine/situation/situation.js";
import { type Edges, leadingTo } from "./edges.js";
import type { WeighedEdges } from "./weighed-edges.js";

/** The situations of a search as a Markov chain. */
export interface Chain {
  readonly count: number;
  /** Situations from this number on were not gone on from. */
  readonly visited: number;
  readonly edges: number;
  /** No situation leads round to itself, and all shares are of whole numbers. */
  readonly isExact: boolean;
  /** The number that stands for a step at fault, behind all situations. */
  readonly fault: number;
  readonly begin: readonly { readonly id: number; readonly part: number; readonly total: number }[];
  /** Situations in an order in which each comes behind those that lead to it; only without circles. */
  readonly order: readonly number[];
  outcomeOf(
    id: number,
  ): { readonly ending: string; readonly results: readonly { seat: string; result: SeatResultWord }[] } | null;
  /** Nothing leads on from it. */
  isLast(id: number): boolean;
  /** For every situation 1 when a last one can be reached from it. */
  arriving(): Uint8Array;
  each(id: number, edge: (target: number, part: number, total: number) => void): void;
  /** The number of a situation's first edge among all. */
  firstOf(id: number): number;
}

/** For a search: who moves in each situation, and what keeps a game from having a value. */
export class Movers {
  private seats = new Uint8Array(1_024);
  /** Why there is no value; undefined while there is one. */
  unfit: string | undefined;

  /** @param seat -1 where nobody moves */
  note(id: number, seat: number): void {
    if (id >= this.seats.length) {
      const larger = new Uint8Array(this.seats.length * 2);
      larger.set(this.seats);
      this.seats = larger;
    }
    this.seats[id] = seat + 1;
  }

  /** The seat that moves; -1 where nobody does. */
  of(id: number): number {
    return (this.seats[id] as number) - 1;
  }
}

/** How the situations of a search hang together, for working out what they are worth. */
export interface Game {
  readonly count: number;
  readonly begin: number;
  resultOf(id: number, seat: number): SeatResultWord | undefined;
  each(id: number, edge: (target: number) => void): void;
}

/** What a search has found, as far as a graph is made of it. */
export interface Packed {
  readonly count: number;
  readonly edges: Edges;
  /** How the match has ended in a situation; undefined where it has not. */
  resultOf(id: number): Outcome | null | undefined;
}

/**
 * The situations of a search as a Markov chain, where everybody plays.
 *
 * @param fault what stands among the edges for a step at fault
 */
export function chainOf(
  { count, edges, resultOf }: Omit<Packed, "edges"> & { readonly edges: WeighedEdges },
  { begin, visited, fault }: Pick<Chain, "begin" | "visited" | "fault">,
): Chain {
  const outcomes = new Map<number, Outcome | null>();
  for (let id = 0; id < count; id++) {
    const outcome = resultOf(id);
    if (outcome !== undefined) outcomes.set(id, outcome);
  }
  const order = edges.inOrder(count, fault);
  const isLast = (id: number): boolean => !edges.hasAny(id);
  return {
    count,
    visited,
    edges: edges.size,
    fault: count,
    begin,
    isExact: order !== undefined && edges.whole && begin.every(({ total }) => Number.isSafeInteger(total)),
    order: order ?? [],
    outcomeOf: (id) => outcomes.get(id) ?? null,
    isLast,
    arriving: () => {
      const last = new Uint8Array(count);
      for (let id = 0; id < count; id++) if (isLast(id) || edges.some(id, (target) => target === fault)) last[id] = 1;
      return leadingTo(edges, last);
    },
    each: (id, edge) => edges.each(id, (target, part, total) => edge(target === fault ? count : target, part, total)),
    firstOf: (id) => edges.firstOf(id),
  };
}

/** The situations of a search as a game of two, where it was noted who moves. */
export function gameOf({ count, edges, resultOf }: Packed): Game {
  return {
    count,
    begin: 0,
    resultOf: (id, seat) => resultOf(id)?.results[seat]?.result,
    each: (id, edge) => edges.each(id, edge),
  };
}
