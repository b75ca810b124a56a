/**
 * The steps of one machine: its parts, its actions made ready, and the order in which an input is taken to
 * rest. Everything happens in one `Memory`; no situation that was given out before is touched.
 */

import type { Action, Machine, Timer } from "../../check/machine.js";
import type { Code } from "../code/code.js";
import type { PackedData } from "../code/packed-data.js";
import type { Memory } from "../situation/memory.js";
import { LazyTable } from "../values/lazy.js";
import { type ReadyAction, readyAction } from "./actions.js";
import type { StepOrder } from "./order.js";
import { StepParts } from "./parts.js";
import { StandardOrder } from "./standard-order.js";
import { StepGenerator } from "./step-generator.js";
import type { Turns } from "./turns.js";
import { TurnOrder } from "./turn-order.js";

export class Steps {
  readonly actions: LazyTable<ReadyAction>;
  readonly order: StepOrder;
  readonly turns: Turns;
  /** Whole steps as generated code; undefined where nothing is generated, and in the standard order. */
  readonly generator: StepGenerator | undefined;
  private readonly parts: StepParts;
  /** The generator of steps over data in words, made last. */
  private packing: StepGenerator | undefined;
  private readonly generating: ((packed?: PackedData) => StepGenerator) | undefined;

  constructor(
    machine: Machine,
    readonly memory: Memory,
    code: Code,
    /** How often what a step does is done in the ordinary way before it is generated. */
    after: number,
    /** Rolls are decided one by one by somebody else. */
    isSearched: boolean,
  ) {
    this.parts = new StepParts(machine, memory, code);
    this.turns = this.parts.turns;
    const turnOrder = machine.standardOrder ? undefined : new TurnOrder(this.parts);
    const order: StepOrder = turnOrder ?? new StandardOrder(this.parts);
    this.order = order;
    this.actions = new LazyTable((id) => {
      const action = machine.actions[id] as Action;
      return readyAction(code, action, order.ready(action));
    });
    this.generating =
      turnOrder && code.isGenerated
        ? (packed) => new StepGenerator(this.parts, turnOrder, this.actions, after, isSearched, packed)
        : undefined;
    this.generator = this.generating?.();
  }

  /** Whole steps over data that stand in words; undefined as `generator` is. */
  generatorOver(packed: PackedData): StepGenerator | undefined {
    if (this.packing?.packed !== packed) this.packing = this.generating?.(packed);
    return this.packing;
  }

  /** Goes on until nothing is left to be done, then tests laws and turns. */
  settle(): void {
    this.order.rest();
    this.parts.finish();
  }

  /** Runs a timer that is due. */
  runTimer(timer: Timer): void {
    this.parts.timers.rings(timer);
    this.order.timer(timer);
  }
}
