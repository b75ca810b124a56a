/**
 * For searches: a step can stop halfway, where what a `when` leads to rolls dice. Whatever led there, what follows is
 * the same for the same data, so that it need be taken but once.
 */

import type { Arrow, Block, Machine } from "../../check/machine.js";
import { Rolling } from "../../check/rolling.js";
import type { Configuration, Configurations } from "../situation/configuration.js";

/** Whether steps are to stop, and whether the last one has. */
export class Halfway {
  /** Some step that is generated can stop. */
  isPossible = false;
  private isAsked = false;
  /** The last step has stopped: what it does at rest is still to be done, by `rest`. */
  stopped = false;

  /** The next step stops where it can. */
  ask(): void {
    this.isAsked = true;
    this.stopped = false;
  }

  /** Steps are taken whole. */
  cease(): void {
    this.isAsked = false;
    this.stopped = false;
  }

  /** Asked by a step, where it can stop. @returns true when it does */
  stops(): boolean {
    if (!this.isAsked) return false;
    this.isAsked = false;
    this.stopped = true;
    return true;
  }
}

/** Tells where dice are rolled on the way to rest. */
export class RollingOnTheWay {
  private readonly rolling: Rolling;

  constructor(
    private readonly machine: Machine,
    private readonly configurations: Configurations,
  ) {
    this.rolling = new Rolling(machine);
  }

  /** Whether a block, its arrow, or a state that is left or entered by it rolls dice. */
  by(block: Block | undefined, arrow: Arrow, source: number, configuration: Configuration): boolean {
    if (this.rolling.block(block)) return true;
    switch (arrow.kind) {
      case "odds":
        return true;
      case "choose":
        return [...arrow.branches, ...(arrow.otherwise ? [arrow.otherwise] : [])].some((branch) =>
          this.by(branch.block, branch.arrow, source, configuration),
        );
      case "to": {
        const { target } = arrow;
        if (target.args.some((arg) => this.rolling.expr(arg))) return true;
        if (target.kind === "ending") return false;
        const plan = this.configurations.way(configuration, source, [target.state], arrow.again);
        const state = (id: number): Machine["states"][number] | undefined => this.machine.states[id];
        return (
          plan !== undefined &&
          (plan.left.some((id) => state(id)?.exits.some((exit) => this.rolling.block(exit))) ||
            plan.entered.some(({ state: id }) => state(id)?.enters.some((enter) => this.rolling.block(enter.block))))
        );
      }
      default:
        return false;
    }
  }
}
