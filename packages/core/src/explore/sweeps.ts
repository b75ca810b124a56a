/** Goes on from situations one after the other in one go, as long as that can be done. */

import type { Moves } from "../engine/matches/moves.js";
import type { ActionMove } from "../engine/situation/generated-steps.js";
import type { Met } from "./met.js";
import type { PackedEdges } from "./packed-edges.js";
import type { Stepping } from "./stepping.js";
import type { Sweeping, SweepingWatch } from "./striding-code.js";

/** After it came to nothing so often in a row, it is not tried any more. */
const MOST_NOTHING = 1_000;

/** The search that it is done for. */
export interface SweptSearch {
  /** Looks at a situation in which somebody else than the seat of the first move may be on turn. */
  lookAt(id: number, moves: readonly ActionMove[]): void;
  /** It has gone as far as it is to go. */
  isEnough(): boolean;
}

/** What is left to be done in a situation. */
export interface Left {
  readonly moves: readonly ActionMove[];
  /** The first of them that was not taken; the one before may have rolled, and was taken in one way then. */
  readonly from: number;
}

export class Sweeps implements SweepingWatch {
  readonly listed: ActionMove[] = [];
  listedCount = 0;
  /** What is left of the situation where the last has ended; undefined where nothing was done there. */
  left: Left | undefined;
  private over: Sweeping | undefined;
  private nothing = 0;

  constructor(
    private readonly stepping: Stepping,
    moves: Moves,
    edges: PackedEdges,
    met: Met,
    private readonly search: SweptSearch,
  ) {
    const steps = moves.actionsAlone;
    this.over = steps && { steps, list: moves, edges, met, watch: this };
  }

  /** @param to the situation where it ends @returns the first that it has not gone on from */
  goOn(from: number, to: number): number {
    this.left = undefined;
    if (!this.over) return from;
    const next = this.stepping.sweep(from, to, this.over);
    const { sweptMoves } = this.stepping;
    if (sweptMoves > 0) this.left = { moves: this.listed.slice(0, this.listedCount), from: sweptMoves };
    if (next > from || this.left) this.nothing = 0;
    else if (++this.nothing === MOST_NOTHING) this.over = undefined;
    return next;
  }

  lookAt(id: number): void {
    this.search.lookAt(id, this.listed.slice(0, this.listedCount));
  }

  isEnough(): boolean {
    return this.search.isEnough();
  }
}
