/**
 * What two seats come to when both play as well as can be: for every situation whether who moves wins, loses or draws,
 * and in how many steps, worked out from the ends backwards (retrograde analysis). Only where one seat at a time can
 * act, nothing is hidden and nothing is left to chance or time.
 */

import type { Machine } from "../check/machine.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { Exploration } from "./explore.js";
import type { ExploreOptions } from "./options.js";
import { CannotExplore, type Explored, type Move } from "./report.js";
import { type Game, Movers } from "./graph.js";

/** What is known of a whole game. */
export interface Best {
  readonly explored: Explored;
  /** What the seat that moves first in it comes to, from the beginning on. */
  readonly seat: string;
  readonly result: "win" | "loss" | "draw";
  /** In how many steps, when both play as well as can be: the winner shortest, the loser longest. A draw has none. */
  readonly steps?: number;
  /** One match of best play; of a draw as far as it goes without coming round. */
  readonly line: readonly Move[];
  /** By what who moves comes to, how many situations there are in which somebody moves. */
  readonly situations: Readonly<Record<"win" | "loss" | "draw", number>>;
}

/**
 * @throws CannotExplore when the game has no such value, or not all of it was visited
 */
export function bestPlay(
  runnable: Runnable,
  options: Pick<ExploreOptions, "seats" | "given" | "most" | "progress">,
): Best {
  const { machine } = runnable;
  refuseSecrets(machine);
  const movers = new Movers();
  const exploration = new Exploration(runnable, { ...options, movers });
  const explored = exploration.run();
  if (movers.unfit !== undefined) throw new CannotExplore(movers.unfit);
  if (!explored.complete)
    throw new CannotExplore(`Not all of it was visited: ${explored.incomplete.map(({ words }) => words).join("; ")}.`);
  const game = exploration.game();
  const values = new Values(game, movers);
  const first = movers.of(game.begin);
  if (first < 0) throw new CannotExplore("Nobody can move at the beginning.");
  const value = values.of(game.begin);
  return {
    explored,
    seat: machine.seats.names[first] ?? "",
    result: WORDS[value],
    ...(value !== 0 && { steps: values.steps(game.begin) }),
    line: exploration.line(values.line()),
    situations: values.counts(),
  };
}

const WORDS = { "1": "win", "0": "draw", "-1": "loss" } as const;

/** Who plays as well as can be knows all there is. @throws CannotExplore where something is hidden */
export function refuseSecrets(machine: Machine): void {
  const secret = secretOf(machine);
  if (secret !== undefined)
    throw new CannotExplore(`Best play means nothing where something is hidden: ${secret} is not seen by all.`);
}

/** What is not seen by everybody. */
function secretOf({ data, states, streams }: Machine): string | undefined {
  const fields = [...data, ...states.flatMap(({ fields }) => fields)];
  return (
    fields.find(({ visibility }) => visibility !== "public") ??
    streams.find(({ visibility }) => visibility !== "public")
  )?.name;
}

type Worth = -1 | 0 | 1;

class Values {
  /**
   * What who moves comes to; 0 while it is not known, and in the end for a draw. At an ending, what the seat before
   * has.
   */
  private readonly worth: Int8Array;
  private readonly depth: Uint32Array;
  private readonly known: Uint8Array;

  constructor(
    private readonly game: Game,
    private readonly movers: Movers,
  ) {
    const { count } = game;
    this.worth = new Int8Array(count);
    this.depth = new Uint32Array(count);
    this.known = new Uint8Array(count);
    this.work();
  }

  private work(): void {
    const { game, movers } = this;
    const before: number[][] = Array.from({ length: game.count }, () => []);
    const open = new Uint32Array(game.count);
    for (let id = 0; id < game.count; id++)
      game.each(id, (target) => {
        (before[target] as number[]).push(id);
        open[id] = (open[id] as number) + 1;
      });
    // Ends first, then what leads to them: in the order of their depth, as a queue.
    const queue: number[] = [];
    for (let id = 0; id < game.count; id++) if (movers.of(id) < 0) queue.push(id);
    for (let at = 0; at < queue.length; at++) {
      const id = queue[at] as number;
      for (const from of before[id] as number[]) {
        if (this.known[from] === 1) continue;
        open[from] = (open[from] as number) - 1;
        const worth = this.worthFor(id, movers.of(from));
        // The first win that is met is a shortest; a loss is known when nothing else is left, and then the longest.
        if (worth === 1) this.settle(from, 1, id, queue);
        else if (open[from] === 0 && this.allLost(from)) this.settle(from, -1, id, queue);
      }
    }
  }

  private settle(id: number, worth: Worth, by: number, queue: number[]): void {
    this.known[id] = 1;
    this.worth[id] = worth;
    this.depth[id] = (this.depth[by] as number) + 1;
    queue.push(id);
  }

  private allLost(id: number): boolean {
    let all = true;
    this.game.each(id, (target) => {
      if (this.worthFor(target, this.movers.of(id)) !== -1) all = false;
    });
    return all;
  }

  /** What a situation is worth to a seat. */
  private worthFor(id: number, seat: number): Worth {
    const mover = this.movers.of(id);
    if (mover < 0) {
      const result = this.game.resultOf(id, seat);
      return result === "win" ? 1 : result === "loss" ? -1 : 0;
    }
    const own = this.worth[id] as Worth;
    return mover === seat ? own : ((own === 0 ? 0 : -own) as Worth);
  }

  of(id: number): Worth {
    return this.worth[id] as Worth;
  }

  steps(id: number): number {
    return this.depth[id] as number;
  }

  /** The situations of one match of best play. */
  line(): number[] {
    const { game, movers } = this;
    const line = [game.begin];
    const seen = new Set(line);
    for (let at = game.begin; movers.of(at) >= 0; ) {
      const seat = movers.of(at);
      const wanted = this.worth[at] as Worth;
      let best = -1;
      game.each(at, (target) => {
        if (this.worthFor(target, seat) !== wanted) return;
        const isBetter =
          best < 0 ||
          (wanted === 1 && this.steps(target) < this.steps(best)) ||
          (wanted === -1 && this.steps(target) > this.steps(best));
        if (isBetter && (wanted !== 0 || !seen.has(target))) best = target;
      });
      if (best < 0) break;
      line.push(best);
      seen.add(best);
      at = best;
    }
    return line;
  }

  counts(): Record<"win" | "loss" | "draw", number> {
    const counts = { win: 0, loss: 0, draw: 0 };
    for (let id = 0; id < this.game.count; id++)
      if (this.movers.of(id) >= 0) counts[WORDS[String(this.worth[id]) as keyof typeof WORDS]]++;
    return counts;
  }
}
