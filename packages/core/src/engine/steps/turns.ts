/** Turns: whose it is in a state, and who is ready in a `turn of each`. */

import { cannotFail } from "../../check/cannot-fail.js";
import type { Machine, Turn } from "../../check/machine.js";
import type { Code } from "../code/code.js";
import { type Memory, SEAT_OUT } from "../situation/memory.js";
import type { Box } from "../values/box.js";
import type { Get, Run } from "../values/closure.js";
import { LazyTable } from "../values/lazy.js";

/** Whose turn it is in a state. */
interface ReadyTurn {
  readonly seats: Get<readonly number[]>;
  /** For a turn of one seat, not of each: that seat, without a list around it. */
  readonly seat: Get<number> | undefined;
  /** The slot of who is ready, or -1. */
  readonly readySlot: number;
  /** Working it out can be a fault. */
  readonly mayFail: boolean;
}

const NO_SEATS: readonly number[] = [];

export class Turns {
  /** By state; null for one without a turn. */
  private readonly turns: LazyTable<ReadyTurn | null>;
  /** For each seat a list of its name alone. */
  readonly alone: readonly (readonly string[])[];

  constructor(
    private readonly machine: Machine,
    private readonly memory: Memory,
    code: Code,
  ) {
    this.turns = new LazyTable((id) => {
      const turn = machine.states[id]?.turn;
      return turn ? readyTurn(code, turn) : null;
    });
    this.alone = machine.seats.names.map((name) => [name]);
  }

  /** The seats that a state's `turn of` names: in play, and not ready yet in a `turn of each`. */
  seatsOf(state: number): readonly number[] {
    const { memory } = this;
    const turn = this.turns.of(state);
    if (!turn) return NO_SEATS;
    const ready = turn.readySlot >= 0 ? (memory.root.parts[turn.readySlot] as number) : 0;
    const seats = turn.seats();
    for (let i = 0; i < seats.length; i++) {
      const seat = seats[i] as number;
      if (memory.seats[seat] === SEAT_OUT || (ready & (1 << seat)) !== 0)
        return seats.filter((s) => memory.seats[s] !== SEAT_OUT && (ready & (1 << s)) === 0);
    }
    return seats;
  }

  /** True when a state's `turn of` names this seat. */
  includes(state: number, seat: number): boolean {
    const only = this.turns.of(state)?.seat;
    return only ? only() === seat && this.memory.seats[seat] !== SEAT_OUT : this.seatsOf(state).includes(seat);
  }

  /** True when this seat is ready in the state's `turn of each`. */
  isReady(state: number, seat: number): boolean {
    const readySlot = this.turns.of(state)?.readySlot ?? -1;
    return readySlot >= 0 && ((this.memory.root.parts[readySlot] as number) & (1 << seat)) !== 0;
  }

  /** Seats on turn now, by number: those of every `turn of` that counts. */
  now(): readonly number[] {
    if (this.memory.outcome) return NO_SEATS;
    const { turns } = this.memory.configuration;
    if (turns.length <= 1) return turns.length === 0 ? NO_SEATS : this.seatsOf(turns[0] as number);
    return [...new Set(turns.flatMap((turn) => this.seatsOf(turn)))].sort((a, b) => a - b);
  }

  /** The names of the seats on turn now. */
  namesNow(): readonly string[] {
    return this.now().map((seat) => this.memory.naming.seats[seat] as string);
  }

  /** Whose turn it is can be told, or the step that led here is a fault: nobody finds out only by looking. */
  test(): void {
    for (const id of this.memory.configuration.turns) {
      const turn = this.turns.of(id);
      if (turn?.mayFail) turn.seats();
    }
  }

  /** The nearest state around one, itself included, that has a turn; -1 when there is none. */
  around(state: number): number {
    for (let id = state; id >= 0; id = this.machine.states[id]?.parent ?? -1)
      if (this.machine.states[id]?.turn) return id;
    return -1;
  }

  /** Makes the acting seat ready in the `turn of each` around a state. */
  ready(source: number): Run {
    const { memory } = this;
    const slot = this.machine.states[this.around(source)]?.turn?.readySlot ?? -1;
    return () => {
      const root = memory.ownRoot(slot);
      root.parts[slot] = (root.parts[slot] as number) | (1 << memory.me);
    };
  }
}

function readyTurn(code: Code, { of, each, readySlot }: Turn): ReadyTurn {
  const get = code.value(of);
  const mayFail = !cannotFail(of);
  if (of.type.kind === "list")
    return { seats: () => (get() as Box).parts as number[], seat: undefined, readySlot, mayFail };
  return { seats: () => [get() as number], seat: each ? undefined : (get as Get<number>), readySlot, mayFail };
}
