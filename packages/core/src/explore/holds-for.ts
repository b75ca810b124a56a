/** What a search speaks of: for which matches what it found, and what it did not find, holds. */

import type { Machine } from "../check/machine.js";
import type { ExploreOptions } from "./options.js";

/**
 * The bounds of a search, each in words: how many sit down, who is missing, who leaves, who plays,
 * what the game tells, what the match begins with, and which times pass.
 */
export function holdsFor(machine: Machine, options: ExploreOptions): string[] {
  const { seats = machine.seats.least, open = [], leaving, given, noEvents, law } = options;
  const heard = new Set(machine.states.flatMap(({ listeners }) => listeners.map(({ signal }) => signal)));
  const hears = (isMeant: (signal: Machine["signals"][number]) => boolean): boolean =>
    machine.signals.some((signal) => heard.has(signal.id) && isMeant(signal));
  const words = [seats === 1 ? "1 seat" : `${seats} seats`];
  if (open.length > 0) words.push(`${open.join(", ")} open at the beginning`);
  if (hears(({ origin, name }) => origin === "system" && name === "Left"))
    words.push(
      leaving === "one" ? "one seat at most is left" : leaving ? "seats are left at any time" : "nobody leaves",
    );
  if (options.players) words.push("all seats are played");
  else if (options.bots) words.push("policies play the seats that were given to them");
  if (hears(({ origin }) => origin === "event"))
    words.push(noEvents ? "no events of the game" : "events of the game at any time");
  words.push(given ? "what was given to begin with" : "data as the machine begins with them");
  if (machine.timers.length > 0) words.push("all times");
  if (law !== undefined) words.push(`the law "${law}" alone`);
  return words;
}
