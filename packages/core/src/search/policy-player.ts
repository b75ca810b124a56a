/**
 * A bot that follows a policy of the machine; where that has nothing open and does not say `wait`, it plays at random.
 */

import type { Policy } from "../check/machine.js";
import { ReadyPolicy } from "../engine/matches/policy.js";
import { engineOf, type Runnable } from "../engine/matches/runnable.js";
import { options } from "../engine/matches/view.js";
import type { Input, Situation } from "../engine/situation/situation.js";
import type { Player } from "./player.js";
import { RandomPlayer } from "./random-player.js";

export class PolicyPlayer implements Player {
  private readonly policy: ReadyPolicy;
  private readonly random: RandomPlayer;

  /** @param seed of the dice in the policy, and of the random choices that are left when no entry is open */
  constructor(
    private readonly runnable: Runnable,
    policy: Policy,
    private readonly seed: string,
  ) {
    this.policy = new ReadyPolicy(engineOf(runnable), policy);
    this.random = new RandomPlayer(runnable, seed);
  }

  choose(situation: Situation, seat: string): (Input & { kind: "action" }) | undefined {
    for (const call of this.policy.calls(situation, seat, `${this.seed} ${seat} ${situation.step}`)) {
      if (call === "wait") return undefined;
      const { action, args } = call;
      const [option] = options(this.runnable, situation, seat, { action, args });
      if (option?.open) return { kind: "action", seat, action, args };
    }
    return this.random.choose(situation, seat);
  }
}
