/** Timers: when they are due, and how long they had left under an overlay. */

import type { Machine, Timer } from "../../check/machine.js";
import type { Code } from "../code/code.js";
import type { Memory } from "../situation/memory.js";
import type { Get } from "../values/closure.js";
import { LazyTable } from "../values/lazy.js";

export class Timers {
  /** Most delays are plain durations; the others are worked out at entry. */
  private readonly delays: LazyTable<number | Get<number>>;

  constructor(
    machine: Machine,
    private readonly memory: Memory,
    code: Code,
  ) {
    this.delays = new LazyTable((id) => {
      const { delay } = machine.timers[id] as Timer;
      return delay.kind === "constant" ? (delay.value as number) : code.expressions.number(delay);
    });
  }

  /** Starts a timer, because its state was entered. */
  start(timer: number): void {
    this.memory.setTimer(timer, this.memory.now + Math.max(0, this.delayOf(timer)));
  }

  stop(timer: number): void {
    this.memory.setTimer(timer, Number.NaN);
  }

  /** A timer is run: it stops, or is due again. */
  rings({ id, repeats }: Timer): void {
    const due = this.memory.timers[id] as number;
    this.memory.setTimer(id, repeats ? due + Math.max(1, this.delayOf(id)) : Number.NaN);
  }

  /** Timers under an overlay keep what they had left: due times become remainders, and back. */
  shift(timer: number, by: number): void {
    const value = this.memory.timers[timer] as number;
    if (!Number.isNaN(value)) this.memory.setTimer(timer, value + by);
  }

  /** The timer's delay, in milliseconds, as it is now. */
  private delayOf(timer: number): number {
    const delay = this.delays.of(timer);
    return typeof delay === "number" ? delay : delay();
  }
}
