/** Going on from a situation that was kept as JSON. */

import { situationFrom } from "../situation/situation-from.js";
import type { Situation } from "../situation/situation.js";
import { Fault } from "../values/fault.js";
import { type Json, WrongValue } from "../values/json.js";
import { type Engine, engineOf, type Runnable } from "./runnable.js";

/**
 * The situation that `situationJson` wrote, ready to be played on: whatever follows is what would have followed.
 *
 * @param runnable a machine of the same rules as the one it was written with
 * @param seed the match's, from its header
 * @throws WrongValue when it is no situation of this machine
 */
export function restore(runnable: Runnable, json: Json, seed: string): Situation {
  const engine = engineOf(runnable);
  const situation = situationFrom(engine.machine, engine.memory.configurations, json, seed);
  try {
    loadRestored(engine, situation);
  } catch (error) {
    if (error instanceof Fault) throw new WrongValue(`whose turn it is cannot be worked out: ${error.message}`);
    throw error;
  }
  return situation;
}

/** Puts a situation that was read into the working memory. @throws Fault when nobody can tell whose turn it is */
export function loadRestored({ memory, steps }: Engine, situation: Situation): void {
  memory.load(situation);
  if (!situation.outcome) steps.turns.now();
}
