/** A player that takes any open action, each equally likely, and any open arguments. Seeded. */

import { openActions, options } from "../engine/matches/view.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { Dice, randomBelow } from "../engine/values/random.js";
import type { Input, Situation } from "../engine/situation/situation.js";
import { givesUp } from "./gives-up.js";
import type { Player } from "./player.js";

export interface RandomPlayerOptions {
  /** Actions it never takes. */
  readonly avoid?: readonly string[];
  /** It does not take what gives the match away, as long as something else is open. */
  readonly isWary?: boolean;
}

/**
 * Gives an input for a seat, or undefined when it has no open action. Actions that are open `by` others
 * than the turn are not taken: they are interruptions.
 */
export class RandomPlayer implements Player {
  private readonly dice: Dice;

  constructor(
    private readonly runnable: Runnable,
    seed: string,
    private readonly wishes: RandomPlayerOptions = {},
  ) {
    this.dice = Dice.from(seed, ["player"]);
  }

  choose(situation: Situation, seat: string): (Input & { kind: "action" }) | undefined {
    const open = openActions(this.runnable, situation, seat).filter(
      (action) => !this.wishes.avoid?.includes(action) && this.isOwn(action),
    );
    let last: (Input & { kind: "action" }) | undefined;
    while (open.length > 0) {
      const [action] = open.splice(randomBelow(this.dice, 0, open.length), 1) as [string];
      const args = this.fill(situation, seat, action, {});
      const input = args && ({ kind: "action", seat, action, args } as const);
      if (input && !(this.wishes.isWary && givesUp(this.runnable, situation, input))) return input;
      last ??= input;
    }
    return last;
  }

  private isOwn(action: string): boolean {
    return this.runnable.machine.actions.some((a) => a.name === action && a.by === undefined);
  }

  /** Chooses the arguments one after the other; undefined when none fits. */
  private fill(
    situation: Situation,
    seat: string,
    action: string,
    args: Record<string, unknown>,
  ): Record<string, unknown> | undefined {
    const [option] = options(this.runnable, situation, seat, { action, args });
    if (!option?.open) return undefined;
    const [parameter] = option.parameters;
    if (!parameter) return args;
    if (parameter.values) {
      const values = parameter.values.filter((v) => v.open);
      while (values.length > 0) {
        const [value] = values.splice(randomBelow(this.dice, 0, values.length), 1);
        const filled = this.fill(situation, seat, action, { ...args, [parameter.name]: value?.value });
        if (filled) return filled;
      }
      return undefined;
    }
    const value = parameter.range
      ? parameter.range.low +
        randomBelow(this.dice, 0, Math.min(parameter.range.high - parameter.range.low + 1, 2 ** 32))
      : "";
    return this.fill(situation, seat, action, { ...args, [parameter.name]: value });
  }
}
