/** Bots by name: the machine's policies, and two that play at random. */

import { noSuchSeat } from "../engine/matches/admission.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { whichExist } from "../language/suggest.js";
import type { Player } from "./player.js";
import { PolicyPlayer } from "./policy-player.js";
import { RandomPlayer } from "./random-player.js";

/** The bots that every machine has. A policy of such a name would be taken instead. */
export const RANDOM_BOT = "random";
/**
 * At random, too, but it looks a step ahead: it does not give the match away while something else is open. Where many
 * matches are played it plays the seats of which nothing is said: giving up tells nothing of the rules.
 */
export const WARY_BOT = "wary";

/** The names of the bots a machine has. */
export function policyNames(runnable: Runnable): string[] {
  return [...new Set([...runnable.machine.policies.map((p) => p.name), RANDOM_BOT, WARY_BOT])];
}

/**
 * Who plays whom, as people read it: `north careful, the others wary`.
 *
 * @param seats all there may be @param bots the bots of some of them @param other the bot of all others
 */
export function playersInWords(
  seats: readonly string[],
  bots: Readonly<Record<string, string>>,
  other: string,
): string {
  const named = seats.flatMap((seat) => (bots[seat] === undefined ? [] : [`${seat} ${bots[seat]}`]));
  if (named.length === 0) return `every seat ${other}`;
  return [...named, ...(named.length < seats.length ? [`the others ${other}`] : [])].join(", ");
}

/** Why a seat of a match cannot be given to a bot of this name; undefined when it can. */
export function wrongBot(
  runnable: Runnable,
  seats: readonly string[],
  seat: string,
  policy: string,
): { readonly code: "noSuchSeat" | "noSuchPolicy"; readonly words: string } | undefined {
  if (!seats.includes(seat)) return { code: "noSuchSeat", words: noSuchSeat(seat, seats) };
  const policies = policyNames(runnable);
  if (policies.includes(policy)) return undefined;
  return { code: "noSuchPolicy", words: `There is no policy "${policy}". ${whichExist(policy, policies)}` };
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
  if (name !== RANDOM_BOT && name !== WARY_BOT) return undefined;
  return new RandomPlayer(runnable, seed, { isWary: name === WARY_BOT });
}
