/** Laws: those that hold after every step, and those about entering a state. Laws about writing are tested there. */

import { readsOf } from "../../check/reads.js";
import type { Expr, Law, Machine } from "../../check/machine.js";
import type { Span } from "../../language/source.js";
import type { Code } from "../code/code.js";
import type { Configuration } from "../situation/configuration.js";
import type { Memory } from "../situation/memory.js";
import type { Get, Run } from "../values/closure.js";
import { Fault } from "../values/fault.js";

/** A law that has to hold after every step. */
export interface ReadyLaw {
  readonly written: Expr;
  readonly test: Get<boolean>;
  /** Which slots it reads, as in `Memory.touched`; with `more` it reads other things too. */
  readonly mask: number;
  readonly more: boolean;
  /** Throws the fault of a broken law. */
  readonly broken: Run;
}

/** Where the whole of a step is meant. */
const NOWHERE: Span = { from: 0, to: 0 };

export class Laws {
  readonly holding: readonly ReadyLaw[];
  private readonly entering: readonly (Law & { form: "entered" })[];

  constructor(
    machine: Machine,
    private readonly memory: Memory,
    code: Code,
  ) {
    this.holding = machine.laws.flatMap((law) => (law.form === "holds" ? [readyLaw(machine, code, law)] : []));
    this.entering = machine.laws.filter((law) => law.form === "entered");
  }

  /** Tests those that read something this step has written. */
  test(): void {
    const { memory, holding } = this;
    for (let i = 0; i < holding.length; i++) {
      const law = holding[i] as ReadyLaw;
      if (memory.begun && !law.more && (memory.touched & law.mask) === 0) continue;
      if (!law.test()) law.broken();
    }
    memory.spend(0, NOWHERE);
  }

  /** True when some law is about entering. */
  get aboutEntering(): boolean {
    return this.entering.length > 0;
  }

  /** Tests the laws about entering some states, from a configuration. @param at the arrow that enters them */
  testEntering(isEntered: (state: number) => boolean, from: Configuration, at: Span): void {
    for (const law of this.entering) {
      if (!isEntered(law.target) || law.states.some((id) => from.active[id] === 1)) continue;
      throw new Fault("lawBroken", at, `The law "${law.words}" does not allow this arrow.`);
    }
  }
}

function readyLaw(machine: Machine, code: Code, law: Law & { form: "holds" }): ReadyLaw {
  const reads = readsOf(machine, law.test);
  return {
    written: law.test,
    test: code.condition(law.test),
    mask: [...reads.slots].reduce((mask, slot) => mask | (1 << (slot & 31)), 0),
    more: reads.more,
    broken: () => {
      throw new Fault("lawBroken", law, `The law "${law.words}" does not hold any more.`);
    },
  };
}
