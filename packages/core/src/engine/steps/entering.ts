/** Entering and leaving states: their data, their timers, their `enter` and `exit`, and what history remembers. */

import { branchesOf } from "../../check/visit.js";
import type { Arrow, Machine, State } from "../../check/machine.js";
import type { Code } from "../code/code.js";
import { type Memory, PENDING, pendingSlotsOf } from "../situation/memory.js";
import { Box } from "../values/box.js";
import type { Get, Run } from "../values/closure.js";
import { LazyTable } from "../values/lazy.js";
import type { Timers } from "./timers.js";

/** What of a state runs or is made on the way in and out. All have the same shape, which keeps reading them fast. */
interface ReadyState {
  readonly name: string;
  /** Slots of its data and of who is ready, or -1. */
  readonly slot: number;
  readonly readySlot: number;
  /** Slots that say which of its arrows behind `enter` are still to be followed. */
  readonly pendingSlots: readonly number[];
  readonly timers: readonly number[];
  readonly initials: readonly Get[];
  /** It has data, timers, a count of who is ready, or arrows to be followed. */
  readonly keeps: boolean;
  readonly enter: Run | undefined;
  readonly exit: Run | undefined;
}

export class Entering {
  private readonly states: LazyTable<ReadyState>;
  readonly keepsHistory: boolean;

  constructor(
    private readonly machine: Machine,
    private readonly memory: Memory,
    private readonly timers: Timers,
    code: Code,
  ) {
    this.states = new LazyTable((id): ReadyState => {
      const state = machine.states[id] as State;
      const readySlot = state.turn?.readySlot ?? -1;
      const pendingSlots = pendingSlotsOf(state);
      return {
        name: state.name,
        slot: state.slot,
        readySlot,
        pendingSlots,
        timers: state.timers.map((t) => t.id),
        initials: state.fields.map(
          (field): Get =>
            () =>
              code.first(field),
        ),
        keeps: state.slot >= 0 || state.timers.length > 0 || readySlot >= 0 || pendingSlots.length > 0,
        enter: sequence([
          ...(code.probes?.entered ? [() => code.probes?.entered?.(id)] : []),
          ...state.enters.flatMap((e) => (e.block ? [code.block(e.block)] : [])),
        ]),
        exit: sequence(state.exits.map((block) => code.block(block))),
      };
    });
    this.keepsHistory = machine.states.some((state) =>
      [...state.actions, ...state.timers, ...state.listeners, ...state.whens].some(
        (item) => item.arrow && usesHistory(item.arrow),
      ),
    );
  }

  /** Makes a state's data, runs its `enter`, then starts its timers. `args` become its first data. */
  enter(id: number, args: readonly unknown[]): void {
    const { memory } = this;
    const state = this.states.of(id);
    if (state.keeps) this.makeData(state, args);
    if (memory.happenings) memory.happenings.moves.push({ kind: "enter", state: state.name });
    state.enter?.();
    const { timers } = state;
    for (let i = 0; i < timers.length; i++) this.timers.start(timers[i] as number);
  }

  /** Runs a state's `exit`. Its data and timers are still there: `forget` ends them. */
  exit(id: number): void {
    const { memory } = this;
    const state = this.states.of(id);
    state.exit?.();
    if (memory.happenings) memory.happenings.moves.push({ kind: "leave", state: state.name });
  }

  /** Ends a state's timers and drops its data. */
  forget(id: number): void {
    const state = this.states.of(id);
    if (!state.keeps) return;
    const { timers, slot, readySlot, pendingSlots } = state;
    for (let i = 0; i < timers.length; i++) this.timers.stop(timers[i] as number);
    if (slot >= 0) this.setRoot(slot, null);
    if (readySlot >= 0) this.setRoot(readySlot, 0);
    for (let i = 0; i < pendingSlots.length; i++) this.setRoot(pendingSlots[i] as number, null);
  }

  /** A state is frozen under an overlay, or goes on: its timers keep what they had left. */
  shiftTimers(id: number, by: number): void {
    for (const timer of this.states.of(id).timers) this.timers.shift(timer, by);
  }

  /** Keeps for each of the states `outers` which innermost states were active in it. */
  remember(leaves: readonly number[], outers: Iterable<number>): void {
    const { memory } = this;
    const history = memory.history.slice();
    for (const outer of outers) {
      const inside = leaves
        .filter((leaf) => leaf > outer && leaf <= (this.machine.states[outer]?.last ?? -1))
        .sort((a, b) => a - b);
      if (inside.length > 0) history[outer] = inside;
    }
    memory.history = history;
  }

  /**
   * What `-> history STATE` leads to: the inner states last active in it, or the state itself when it was never left.
   */
  remembered(state: number, deep: boolean): readonly number[] {
    const leaves = this.memory.history[state];
    if (!leaves) return [state];
    if (deep) return leaves;
    const children = this.machine.states[state]?.children ?? [];
    return children.filter((child) =>
      leaves.some((leaf) => leaf >= child && leaf <= (this.machine.states[child]?.last ?? -1)),
    );
  }

  private makeData({ slot, readySlot, pendingSlots, initials }: ReadyState, args: readonly unknown[]): void {
    const { memory } = this;
    if (slot >= 0) {
      const box = new Box(memory.epoch, []);
      this.setRoot(slot, box);
      // One after the other, as a default may use the fields before it.
      for (const [i, initial] of initials.entries()) box.parts.push(i < args.length ? args[i] : initial());
    }
    if (readySlot >= 0) this.setRoot(readySlot, 0);
    for (let i = 0; i < pendingSlots.length; i++) this.setRoot(pendingSlots[i] as number, PENDING);
  }

  private setRoot(slot: number, value: unknown): void {
    this.memory.ownRoot(slot).parts[slot] = value;
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
  return arrow.kind === "choose" && branchesOf(arrow).some((b) => usesHistory(b.arrow));
}
