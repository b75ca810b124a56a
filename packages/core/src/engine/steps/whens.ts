/** What a `when` waits for. */

import type { Machine, State, When } from "../../check/machine.js";
import type { Code } from "../code/code.js";
import { type Memory, PENDING } from "../situation/memory.js";
import type { Get, Run } from "../values/closure.js";
import type { Turns } from "./turns.js";

export class Whens {
  constructor(
    private readonly machine: Machine,
    private readonly memory: Memory,
    private readonly code: Code,
    private readonly turns: Turns,
  ) {}

  /** The test of a `when`; undefined for an arrow behind `enter` that is followed whenever its state is active. */
  test({ test, state }: When): Get<boolean> | undefined {
    switch (test.kind) {
      case "holds":
        return this.code.condition(test.test);
      case "done":
        return test.final >= 0 ? () => this.memory.configuration.active[test.final] === 1 : () => this.isDone(test.of);
      case "allReady": {
        const turn = this.turns.around(state);
        return () => turn >= 0 && this.turns.seatsOf(turn).length === 0;
      }
      case "entered":
        return test.pendingSlot < 0 ? undefined : () => this.memory.root.parts[test.pendingSlot] === PENDING;
    }
  }

  /** What is done first when a `when` is taken: an arrow behind `enter` is used up. */
  use({ test }: When): Run | undefined {
    if (test.kind !== "entered" || test.pendingSlot < 0) return undefined;
    const slot = test.pendingSlot;
    return () => {
      this.memory.ownRoot(slot).parts[slot] = null;
    };
  }

  /** True when a state stands in one of its finals, or, side by side, all its inner states do. */
  isDone(id: number): boolean {
    const state = this.machine.states[id] as State;
    if (state.parallel) return state.children.every((child) => this.isDone(child));
    return state.children.some(
      (child) => this.machine.states[child]?.kind === "final" && this.memory.configuration.active[child] === 1,
    );
  }
}
