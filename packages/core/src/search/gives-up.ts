/**
 * Whether an action gives the match away: it ends it at once, and whoever takes it neither wins nor draws. Where no
 * ending gives anybody that, one without a result is as good as any.
 */

import type { Ending } from "../check/machine.js";
import { keepsSecrets } from "../engine/matches/view.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { step } from "../engine/matches/step.js";
import type { Input, Situation } from "../engine/situation/situation.js";
import { activeAction } from "./active-action.js";

/**
 * Takes the action, and looks. What dice or secrets may decide is not looked at: nobody could know it.
 *
 * @param input one that is open
 */
export function givesUp(runnable: Runnable, situation: Situation, input: Input & { readonly kind: "action" }): boolean {
  const arrow = activeAction(runnable.machine, situation, input.action)?.arrow;
  const isPlain = arrow?.kind === "to" && arrow.target.kind === "ending";
  if (keepsSecrets(runnable) && !isPlain) return false;
  const { taken, situation: after } = step(runnable, situation, input);
  const result = after.outcome?.results.find(({ seat }) => seat === input.seat)?.result;
  const last = taken.at(-1);
  const isWorse = result === "loss" || (result === "none" && runnable.machine.endings.some(isWorthwhile));
  return isWorse && last?.happenings.rolls.length === 0;
}

/** An ending in which somebody wins, draws or is ranked. */
function isWorthwhile({ results }: Ending): boolean {
  return results.some(
    (rule) => rule.kind === "ranks" || (rule.kind === "result" && (rule.word === "wins" || rule.word === "draws")),
  );
}
