/** A bot that follows a policy of the machine; where the policy has nothing open, it plays at random. */

import type { Policy } from "../check/machine.js";
import { options } from "../engine/looking.js";
import type { Runnable } from "../engine/play.js";
import { Fault } from "../engine/fault.js";
import type { Input, Situation } from "../engine/situation.js";
import { type Json, toJson } from "../engine/values.js";
import type { Player } from "./player.js";
import { RandomPlayer } from "./random-player.js";

export class PolicyPlayer implements Player {
  private readonly entries: readonly {
    readonly action: string;
    readonly test: () => boolean;
    readonly args: () => Record<string, Json>;
  }[];
  private readonly random: RandomPlayer;

  /** @param seed of the random choices that are left when no entry is open */
  constructor(
    private readonly runnable: Runnable,
    policy: Policy,
    seed: string,
  ) {
    const { expressions, naming } = runnable.engine;
    this.entries = policy.entries.map(({ test, call }) => {
      const args = [...call.args].map(([name, e]) => ({ name, type: e.type, get: expressions.compile(e) }));
      return {
        action: call.action,
        test: test ? expressions.condition(test) : () => true,
        args: () => Object.fromEntries(args.map(({ name, type, get }) => [name, toJson(type, get(), naming)])),
      };
    });
    this.random = new RandomPlayer(runnable, seed);
  }

  choose(situation: Situation, seat: string): (Input & { kind: "action" }) | undefined {
    for (const entry of this.entries) {
      const args = this.argsOf(entry, situation, seat);
      if (!args) continue;
      const [option] = options(this.runnable, situation, seat, { action: entry.action, args });
      if (option?.open) return { kind: "action", seat, action: entry.action, args };
    }
    return this.random.choose(situation, seat);
  }

  /** The arguments of an entry whose condition holds; an entry that cannot be worked out is skipped. */
  private argsOf(
    entry: PolicyPlayer["entries"][number],
    situation: Situation,
    seat: string,
  ): Record<string, Json> | undefined {
    const { engine } = this.runnable;
    engine.load(situation);
    engine.rt.happenings = null;
    engine.rt.me = engine.naming.seats.indexOf(seat);
    try {
      return entry.test() ? entry.args() : undefined;
    } catch (error) {
      if (error instanceof Fault) return undefined;
      throw error;
    }
  }
}
