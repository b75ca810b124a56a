/** Whether an action gives the match away: it ends it at once, and whoever takes it neither wins nor draws. */

import { keepsSecrets } from "../engine/matches/view.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { step } from "../engine/matches/step.js";
import type { Input, Situation } from "../engine/situation/situation.js";

/**
 * Takes the action, and looks. What dice or secrets may decide is not looked at: nobody could know it.
 *
 * @param input one that is open
 */
export function givesUp(runnable: Runnable, situation: Situation, input: Input & { readonly kind: "action" }): boolean {
  if (keepsSecrets(runnable) && !leadsToEnding(runnable, situation, input.action)) return false;
  const { taken, situation: after } = step(runnable, situation, input);
  const result = after.outcome?.results.find(({ seat }) => seat === input.seat)?.result;
  const last = taken.at(-1);
  return (result === "loss" || result === "none") && last?.happenings.rolls.length === 0;
}

/** Whether an action of the active states leads to an ending whatever happens. */
function leadsToEnding({ machine }: Runnable, { configuration: { leaves } }: Situation, name: string): boolean {
  const { actions, states } = machine;
  const isActive = (state: number): boolean =>
    leaves.some((leaf) => state <= leaf && leaf <= (states[state]?.last ?? 0));
  const arrow = actions.find((action) => action.name === name && isActive(action.state))?.arrow;
  return arrow?.kind === "to" && arrow.target.kind === "ending";
}
