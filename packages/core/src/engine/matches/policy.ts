/** Policies made ready: what their entries call for in a situation. */

import type { Policy } from "../../check/machine.js";
import { isRoll } from "../../check/rolling.js";
import { someExpr } from "../../check/visit.js";
import type { Situation } from "../situation/situation.js";
import { streamNames } from "../situation/streams.js";
import type { Get } from "../values/closure.js";
import { Fault } from "../values/fault.js";
import { type Json, toJson } from "../values/json.js";
import { newDice } from "../values/random.js";
import type { Engine } from "./runnable.js";

/** An action a policy calls for. */
export interface PolicyCall {
  readonly action: string;
  readonly args: { readonly [name: string]: Json };
}

export class ReadyPolicy {
  private readonly entries: readonly {
    readonly test: Get<boolean> | undefined;
    readonly call: Get<PolicyCall> | undefined;
  }[];
  /** Whether entries roll dice: the bot's own. */
  readonly rolls: boolean;

  constructor(
    private readonly engine: Engine,
    policy: Policy,
  ) {
    const { code, memory } = engine;
    this.entries = policy.entries.map(({ test, call }) => {
      const args = [...(call?.args ?? [])].map(([name, e]) => ({
        name,
        type: e.type,
        get: code.expressions.compile(e),
      }));
      return {
        test: test && code.expressions.condition(test),
        call:
          call &&
          (() => ({
            action: call.action,
            args: Object.fromEntries(args.map(({ name, type, get }) => [name, toJson(type, get(), memory.naming)])),
          })),
      };
    });
    this.rolls = policy.entries.some(({ test, call }) =>
      [test, ...(call?.args.values() ?? [])].some((e) => someExpr(e, isRoll)),
    );
  }

  /**
   * What the entries whose conditions hold call for, in their order; one that cannot be worked out is skipped.
   *
   * @param seed of the bot's dice, for this seat at this step: asking again gives the same answer
   * @returns "wait" for an entry that says so; nothing behind it counts
   */
  *calls(situation: Situation, seat: string, seed: string): Generator<PolicyCall | "wait"> {
    // The match's dice lie in the situation, and a bot may not know them: it has a stream for each of them.
    const own = this.rolls ? newDice(`${seed} bot`, streamNames(this.engine.machine)) : undefined;
    let before: Situation = own ? { ...situation, dice: own } : situation;
    for (const { test, call } of this.entries) {
      const found = this.evaluated(before, seat, () => (!test || test() ? (call?.() ?? "wait") : undefined));
      if (own) before = { ...before, dice: this.engine.memory.dice.state() };
      if (found) yield found;
      if (found === "wait") return;
    }
  }

  private evaluated<T>(situation: Situation, seat: string, get: Get<T | undefined>): T | undefined {
    const { memory } = this.engine;
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
