/** The parts that both orders of a step are built from, made once for a machine. */

import type { Machine } from "../../check/machine.js";
import type { Code } from "../code/code.js";
import type { Configurations } from "../situation/configuration.js";
import type { Memory } from "../situation/memory.js";
import { Endings } from "./endings.js";
import { Entering } from "./entering.js";
import { Laws } from "./laws.js";
import { Timers } from "./timers.js";
import { Turns } from "./turns.js";
import { Whens } from "./whens.js";

export class StepParts {
  readonly configurations: Configurations;
  readonly turns: Turns;
  readonly whens: Whens;
  readonly laws: Laws;
  readonly timers: Timers;
  readonly entering: Entering;
  readonly endings: Endings;

  constructor(
    readonly machine: Machine,
    readonly memory: Memory,
    readonly code: Code,
  ) {
    this.configurations = memory.configurations;
    this.turns = new Turns(machine, memory, code);
    this.whens = new Whens(machine, memory, code, this.turns);
    this.laws = new Laws(machine, memory, code);
    this.timers = new Timers(machine, memory, code);
    this.entering = new Entering(machine, memory, this.timers, code);
    this.endings = new Endings(machine, memory, code);
  }

  /** What is left to be done at rest: at an ending signals are dropped; laws and turns are tested. */
  finish(): void {
    const { memory } = this;
    if (memory.outcome || memory.configuration.stub >= 0) {
      if (memory.waiting > 0) {
        const dropped = memory.dropSignals();
        memory.happenings?.dropped.push(...dropped.flatMap((signal) => this.machine.signals[signal]?.name ?? []));
      }
      if (!memory.outcome) this.endings.stopAtStub();
    }
    this.laws.test();
    this.turns.test();
  }
}
