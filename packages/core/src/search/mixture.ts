/** Mixtures of bots for a seat: in each match one of them plays, drawn by their weights. */

import type { Runnable } from "../engine/matches/runnable.js";
import { Dice, randomBelow } from "../engine/values/random.js";
import { makeBot, wrongBot } from "./bot.js";
import type { Player } from "./player.js";

/** A bot of a mixture, and in how many of all matches it plays. */
interface Part {
  readonly name: string;
  readonly weight: number;
}

/** The greatest weight of a part. */
const MOST = 1_000_000;

/** A mixture as it is written: `careful:3,wary:1`; a name alone plays always. Undefined for weights that are none. */
function partsOf(written: string): Part[] | undefined {
  const parts: Part[] = [];
  for (const each of written.split(",")) {
    const [, name, weight = "1"] = /^\s*([^\s:]+)\s*(?::\s*(\d{1,7}))?\s*$/.exec(each) ?? [];
    if (name === undefined || Number(weight) < 1 || Number(weight) > MOST) return undefined;
    parts.push({ name, weight: Number(weight) });
  }
  return parts;
}

/** Why a seat cannot be played by a bot, or a mixture of them; undefined when it can. */
export function wrongMixture(
  runnable: Runnable,
  seats: readonly string[],
  seat: string,
  written: string,
): string | undefined {
  const parts = partsOf(written);
  if (!parts)
    return (
      `"${written}" is no bot, and no mixture of them. Write: POLICY, or POLICY:3,wary:1 for three ` +
      `matches of four.`
    );
  return parts.map(({ name }) => wrongBot(runnable, seats, seat, name)?.words).find((words) => words !== undefined);
}

/**
 * Who plays a seat in a match: a bot, or one of a mixture.
 *
 * @param written what `wrongMixture` finds nothing wrong with
 * @param seed of the match and the seat: the same one is drawn each time
 */
export function drawnBot(runnable: Runnable, written: string, seed: string): Player {
  const parts = partsOf(written) ?? [];
  const all = parts.reduce((sum, { weight }) => sum + weight, 0);
  let left = parts.length > 1 ? randomBelow(Dice.from(seed, ["mixture"]), 0, all) : 0;
  const drawn = parts.find(({ weight }) => (left -= weight) < 0);
  return makeBot(runnable, drawn?.name ?? written, seed) as Player;
}
