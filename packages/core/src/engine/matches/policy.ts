/** Policies made ready: what their entries call for in a situation. */

import type { Policy } from "../../check/machine.js";
import type { Situation } from "../situation/situation.js";
import type { Get } from "../values/closure.js";
import { Fault } from "../values/fault.js";
import { type Json, toJson } from "../values/json.js";
import { engineOf, type Runnable } from "./runnable.js";

/** An action a policy calls for. */
export interface PolicyCall {
  readonly action: string;
  readonly args: { readonly [name: string]: Json };
}

export class ReadyPolicy {
  private readonly entries: readonly {
    readonly action: string;
    readonly test: Get<boolean> | undefined;
    readonly args: Get<PolicyCall["args"]>;
  }[];

  constructor(
    private readonly runnable: Runnable,
    policy: Policy,
  ) {
    const { code, memory } = engineOf(runnable);
    this.entries = policy.entries.map(({ test, call }) => {
      const args = [...call.args].map(([name, e]) => ({ name, type: e.type, get: code.expressions.compile(e) }));
      return {
        action: call.action,
        test: test && code.expressions.condition(test),
        args: () => Object.fromEntries(args.map(({ name, type, get }) => [name, toJson(type, get(), memory.naming)])),
      };
    });
  }

  /** What the entries whose conditions hold call for, in their order; one that cannot be worked out is skipped. */
  *calls(situation: Situation, seat: string): Generator<PolicyCall> {
    for (const { action, test, args } of this.entries) {
      const found = this.evaluated(situation, seat, () => (!test || test() ? args() : undefined));
      if (found) yield { action, args: found };
    }
  }

  private evaluated<T>(situation: Situation, seat: string, get: Get<T | undefined>): T | undefined {
    const { memory } = engineOf(this.runnable);
    memory.load(situation);
    memory.happenings = null;
    memory.me = memory.naming.seats.indexOf(seat);
    try {
      return get();
    } catch (error) {
      if (error instanceof Fault) return undefined;
      throw error;
    }
  }
}
