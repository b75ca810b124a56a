/** Entering and leaving states: their data, their timers, their `enter` and `exit`, and what history remembers. */

import type { Arrow, Machine, State } from "../check/machine.js";
import { Box } from "./box.js";
import type { Get } from "./expressions.js";
import type { Runtime } from "./runtime.js";
import type { Run } from "./statements.js";

/** What of a state runs or is made on the way in and out. All have the same shape, which keeps reading them fast. */
interface Rooms {
  readonly name: string;
  /** Slots of its data and of who is ready, or -1. */
  readonly slot: number;
  readonly readySlot: number;
  readonly timers: readonly number[];
  readonly initials: readonly Get[];
  /** It has data, timers or a count of who is ready. */
  readonly keeps: boolean;
  readonly enter: Run | undefined;
  readonly exit: Run | undefined;
}

/** How `enter`, `exit`, defaults and delays are made ready. */
interface Making {
  readonly block: (block: State["exits"][number]) => Run;
  readonly initial: (field: State["fields"][number]) => unknown;
  readonly number: (e: Machine["timers"][number]["delay"]) => Get<number>;
}

export class Moving {
  private readonly rooms: readonly Rooms[];
  /** Most delays are plain durations; the others are worked out at entry. */
  private readonly delays: readonly (number | Get<number>)[];
  readonly keepsHistory: boolean;

  constructor(
    private readonly machine: Machine,
    private readonly rt: Runtime,
    making: Making,
  ) {
    this.rooms = machine.states.map((state): Rooms => {
      const readySlot = state.turn?.readySlot ?? -1;
      return {
        name: state.name,
        slot: state.slot,
        readySlot,
        timers: state.timers.map((t) => t.id),
        initials: state.fields.map(
          (field): Get =>
            () =>
              making.initial(field),
        ),
        keeps: state.slot >= 0 || state.timers.length > 0 || readySlot >= 0,
        enter: sequence(state.enters.flatMap((e) => (e.block ? [making.block(e.block)] : []))),
        exit: sequence(state.exits.map((block) => making.block(block))),
      };
    });
    this.delays = machine.timers.map(({ delay }) =>
      delay.kind === "constant" ? (delay.value as number) : making.number(delay),
    );
    this.keepsHistory = machine.states.some((state) =>
      [...state.actions, ...state.timers, ...state.listeners, ...state.whens].some(
        (item) => item.arrow && usesHistory(item.arrow),
      ),
    );
  }

  /** Makes a state's data, runs its `enter`, then starts its timers. `args` become its first data. */
  enter(id: number, args: readonly unknown[]): void {
    const { rt } = this;
    const rooms = this.rooms[id] as Rooms;
    if (rooms.keeps) this.makeRoom(rooms, args);
    if (rt.happenings) rt.happenings.moves.push({ kind: "enter", state: rooms.name });
    rooms.enter?.();
    const { timers } = rooms;
    for (let i = 0; i < timers.length; i++) {
      const timer = timers[i] as number;
      rt.setTimer(timer, rt.now + Math.max(0, this.delayOf(timer)));
    }
  }

  /** Runs a state's `exit`. Its data and timers are still there: `forget` ends them. */
  exit(id: number): void {
    const { rt } = this;
    const rooms = this.rooms[id] as Rooms;
    rooms.exit?.();
    if (rt.happenings) rt.happenings.moves.push({ kind: "leave", state: rooms.name });
  }

  /** Ends a state's timers and drops its data. */
  forget(id: number): void {
    const rooms = this.rooms[id] as Rooms;
    if (!rooms.keeps) return;
    const { timers, slot, readySlot } = rooms;
    for (let i = 0; i < timers.length; i++) this.rt.setTimer(timers[i] as number, Number.NaN);
    if (slot >= 0) this.setRoot(slot, null);
    if (readySlot >= 0) this.setRoot(readySlot, 0);
  }

  /** Timers under an overlay keep what they had left: due times become remainders, and back. */
  shiftTimers(id: number, by: number): void {
    for (const timer of this.machine.states[id]?.timers ?? []) {
      const value = this.rt.timers[timer.id] as number;
      if (!Number.isNaN(value)) this.rt.setTimer(timer.id, value + by);
    }
  }

  /** The timer's delay, in milliseconds, as it is now. */
  delayOf(timer: number): number {
    const delay = this.delays[timer] as number | Get<number>;
    return typeof delay === "number" ? delay : delay();
  }

  /** Keeps for each of the states `outers` which innermost states were active in it. */
  remember(leaves: readonly number[], outers: Iterable<number>): void {
    const { rt } = this;
    const history = rt.history.slice();
    for (const outer of outers) {
      const inside = leaves
        .filter((leaf) => leaf > outer && leaf <= (this.machine.states[outer]?.last ?? -1))
        .sort((a, b) => a - b);
      if (inside.length > 0) history[outer] = inside;
    }
    rt.history = history;
  }

  /**
   * What `-> history STATE` leads to: the inner states last active in it, or the state itself when it was never left.
   */
  remembered(state: number, deep: boolean): readonly number[] {
    const leaves = this.rt.history[state];
    if (!leaves) return [state];
    if (deep) return leaves;
    const children = this.machine.states[state]?.children ?? [];
    return children.filter((child) =>
      leaves.some((leaf) => leaf >= child && leaf <= (this.machine.states[child]?.last ?? -1)),
    );
  }

  private makeRoom({ slot, readySlot, initials }: Rooms, args: readonly unknown[]): void {
    const { rt } = this;
    if (slot >= 0) {
      const box = new Box(rt.epoch, []);
      this.setRoot(slot, box);
      // One after the other, as a default may use the fields before it.
      for (const [i, initial] of initials.entries()) box.at.push(i < args.length ? args[i] : initial());
    }
    if (readySlot >= 0) this.setRoot(readySlot, 0);
  }

  private setRoot(slot: number, value: unknown): void {
    this.rt.ownRoot(slot).at[slot] = value;
  }
}

/** One after the other; undefined when there is nothing to run. */
function sequence(runs: readonly Run[]): Run | undefined {
  const [first] = runs;
  return runs.length <= 1
    ? first
    : () => {
        for (const run of runs) run();
      };
}

function usesHistory(arrow: Arrow): boolean {
  if (arrow.kind === "history") return true;
  return (
    arrow.kind === "choose" &&
    [...arrow.branches, ...(arrow.otherwise ? [arrow.otherwise] : [])].some((b) => usesHistory(b.arrow))
  );
}
