/** An action by its name, among those that the states that are active declare. */

import type { Action, Machine } from "../check/machine.js";
import type { Situation } from "../engine/situation/situation.js";

/** @returns undefined when no state that is active declares one of this name */
export function activeAction(
  { actions, states }: Machine,
  { configuration: { leaves } }: Situation,
  name: string,
): Action | undefined {
  const isActive = (state: number): boolean =>
    leaves.some((leaf) => state <= leaf && leaf <= (states[state]?.last ?? 0));
  return actions.find((each) => each.name === name && isActive(each.state));
}
