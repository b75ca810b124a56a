/** Going on from a situation that was kept as JSON. */

import { situationFrom } from "../situation/situation-json.js";
import type { Situation } from "../situation/situation.js";
import type { Json } from "../values/json.js";
import { engineOf, type Runnable } from "./runnable.js";

/**
 * The situation that `situationJson` wrote, ready to be played on: whatever follows is what would have followed.
 *
 * @param runnable a machine of the same rules as the one it was written with
 * @param seed the match's, from its header
 * @throws WrongValue when it is no situation of this machine
 */
export function restore(runnable: Runnable, json: Json, seed: string): Situation {
  const { machine, memory } = engineOf(runnable);
  return situationFrom(machine, memory.configurations, json, seed);
}
