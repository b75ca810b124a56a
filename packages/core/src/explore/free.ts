/**
 * The best that one seat can do against others that play by policies or at random: a Markov decision process, whose
 * values are worked out from below, circle by circle, until nothing gets better (value iteration: Bellman, 1957). A win
 * counts 1, a draw a half.
 */

import { circlesOf } from "./circles.js";
import type { Chain } from "./graph.js";

/** What that seat can do, taken down while situations are visited: where among the edges each of its moves begins. */
export class Free {
  private readonly starts = new Map<number, number[]>();
  private readonly actions = new Map<number, number[]>();

  /** @param seat its number */
  constructor(readonly seat: number) {}

  /** In a situation a move of the seat, of this action by its number, begins here among all edges. */
  note(id: number, edge: number, action: number): void {
    const known = this.starts.get(id);
    if (known) known.push(edge);
    else this.starts.set(id, [edge]);
    const actions = this.actions.get(id);
    if (actions) actions.push(action);
    else this.actions.set(id, [action]);
  }

  /** The action that is its so-manieth move in a situation, by its number. */
  actionOf(id: number, choice: number): number {
    return this.actions.get(id)?.[choice] ?? -1;
  }

  /** Where its moves begin in a situation; undefined where it is not its move. */
  startsOf(id: number): readonly number[] | undefined {
    return this.starts.get(id);
  }
}

/** What the best play of a seat comes to. */
export interface BestAgainst {
  /** How much it comes to at the beginning: 1 for a win, a half for a draw. */
  readonly worth: number;
  /** Of every situation in which it moves, which of its moves is best, by their order. */
  readonly choices: ReadonlyMap<number, number>;
}

/** Less than this is no improvement. */
const LEAST = 1e-12;
const MOST_ROUNDS = 20_000;

/** @param worthOf what a situation in which a match is over is worth to the seat */
export function bestAgainst(chain: Chain, free: Free, worthOf: (id: number) => number): BestAgainst {
  const worth = new Float64Array(chain.count + 1);
  const choices = new Map<number, number>();
  /**
   * Works out what one situation is worth, as far as what it leads to is known. @returns by how much more than before
   */
  const gain = (id: number): number => {
    const starts = free.startsOf(id);
    let [edge, group] = [chain.firstOf(id), 0];
    const sums = starts ? starts.map(() => 0) : [0];
    chain.each(id, (target, part, total) => {
      while (starts && group + 1 < starts.length && edge >= (starts[group + 1] as number)) group++;
      sums[group] = (sums[group] as number) + ((worth[target] as number) * part) / total;
      edge++;
    });
    const best = sums.reduce((most, sum) => Math.max(most, sum), 0);
    const more = best - (worth[id] as number);
    // A choice is kept until another is truly better: so none goes round in circles for nothing.
    if (more <= LEAST) return 0;
    worth[id] = best;
    if (starts) choices.set(id, sums.indexOf(best));
    return more;
  };
  for (let id = 0; id < chain.count; id++) if (chain.isLast(id)) worth[id] = worthOf(id);
  // What they lead to is known already, but for the others of the same circle.
  for (const circle of circlesOf(chain.count, chain.each))
    for (let round = 0, better = 1; round < MOST_ROUNDS && better > LEAST; round++) {
      better = 0;
      for (const id of circle) if (!chain.isLast(id)) better = Math.max(better, gain(id));
    }
  const begin = chain.begin.reduce((sum, { id, part, total }) => sum + ((worth[id] as number) * part) / total, 0);
  return { worth: begin, choices };
}

/** The same chain where the seat does what is best; of moves that are all worth nothing it takes the first. */
export function playedBest(chain: Chain, free: Free, { choices }: BestAgainst): Chain {
  return {
    ...chain,
    each: (id, tell) => {
      const starts = free.startsOf(id);
      if (!starts) return chain.each(id, tell);
      const chosen = choices.get(id) ?? 0;
      const [from, to] = [starts[chosen] as number, starts[chosen + 1] ?? Number.POSITIVE_INFINITY];
      let edge = chain.firstOf(id);
      chain.each(id, (target, part, total) => {
        if (edge >= from && edge < to) tell(target, part, total);
        edge++;
      });
    },
  };
}
