/** Plays the game's part: events at random, of those that are heard, as a running game would tell of them. Seeded. */

import type { ParameterOption } from "../engine/matches/options.js";
import { events } from "../engine/matches/view.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { Dice, randomBelow } from "../engine/values/random.js";
import type { Input, Situation } from "../engine/situation/situation.js";

/** Numbers without near bounds are told as 0 to this. */
const MOST = 9;

export class RandomGame {
  private readonly dice: Dice;

  constructor(
    private readonly runnable: Runnable,
    seed: string,
  ) {
    this.dice = Dice.from(seed, ["game"]);
  }

  /**
   * An event that is heard now; undefined when there is none.
   *
   * @param mayWait in one of four cases nothing happens, so that time can pass instead
   */
  choose(situation: Situation, mayWait: boolean): (Input & { kind: "event" }) | undefined {
    const heard = events(this.runnable, situation).filter((r) => r.heard);
    const chosen = heard[this.below(heard.length)];
    if (!chosen || (mayWait && this.below(4) === 0)) return undefined;
    return {
      kind: "event",
      event: chosen.event,
      args: Object.fromEntries(chosen.parameters.map((p) => [p.name, this.valueOf(p)])),
    };
  }

  private valueOf({ values, range }: ParameterOption): unknown {
    if (values) return values[this.below(values.length)]?.value;
    if (!range) return "";
    const low = Math.max(range.low, Math.min(0, range.high));
    return low + this.below(Math.min(range.high - low, MOST) + 1);
  }

  private below(count: number): number {
    return randomBelow(this.dice, 0, Math.max(1, count));
  }
}
