/** Bots by name: the machine's policies, and one that plays at random. */

import type { Runnable } from "../engine/matches/runnable.js";
import type { Player } from "./player.js";
import { PolicyPlayer } from "./policy-player.js";
import { RandomPlayer } from "./random-player.js";

/** The bot that every machine has. A policy of this name would be taken instead. */
export const RANDOM_BOT = "random";

/** The names of the bots a machine has. */
export function policyNames(runnable: Runnable): string[] {
  return [...new Set([...runnable.machine.policies.map((p) => p.name), RANDOM_BOT])];
}

/**
 * A bot by its name.
 *
 * @param seed of its own choices; the match's dice are not touched
 * @returns undefined when the machine has no bot of this name
 */
export function makeBot(runnable: Runnable, name: string, seed: string): Player | undefined {
  const policy = runnable.machine.policies.find((p) => p.name === name);
  if (policy) return new PolicyPlayer(runnable, policy, seed);
  return name === RANDOM_BOT ? new RandomPlayer(runnable, seed) : undefined;
}
