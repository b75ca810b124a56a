/** The rules that look at the whole typed machine. Each family is a file of its own. */

import type { Messages } from "../../language/message.js";
import type { Machine } from "../machine.js";
import { type Findings, findOut } from "../reason/findings.js";
import { checkAmounts } from "./amounts.js";
import { checkChoices, checkSameWays } from "./choices.js";
import { checkConditions } from "./conditions.js";
import { checkCosts } from "./costs.js";
import { checkDecisions } from "./decisions.js";
import { checkDefaults } from "./defaults.js";
import { checkDepartures } from "./departures.js";
import { checkDice, checkShownRolls } from "./dice.js";
import { checkEliminated } from "./eliminated.js";
import { checkEmptied } from "./emptied.js";
import { checkEntries } from "./entries.js";
import { checkFallenUnits } from "./fallen-units.js";
import { checkFreeArguments } from "./free-arguments.js";
import { checkFullLists } from "./full-lists.js";
import { checkGiven } from "./given.js";
import { checkLatches } from "./latches.js";
import { checkLaws } from "./laws.js";
import { checkLifetimes } from "./lifetimes.js";
import { checkMisses } from "./misses.js";
import { checkQueues } from "./queues.js";
import { checkEntered, checkReach } from "./reach.js";
import { checkResults } from "./results.js";
import { checkRounds } from "./rounds.js";
import { checkRunDowns } from "./run-downs.js";
import { checkSameForAll } from "./same-for-all.js";
import { checkSecrets } from "./secrets.js";
import { checkSetOnce } from "./set-once.js";
import { checkSize } from "./size.js";
import { checkTexts } from "./texts.js";
import { checkTimers } from "./timers.js";
import { checkBySeats } from "./by-seats.js";
import { checkCircles, checkTurns } from "./turns.js";
import { checkUnusedLocals } from "./unused-locals.js";
import { checkUses } from "./uses.js";
import { checkWaits } from "./waits.js";

/** The rules that ask what the reasoning found out, causes before their consequences. They only ever warn. */
const REASONED: readonly ((found: Findings, messages: Messages) => void)[] = [
  checkWaits,
  checkUses,
  checkUnusedLocals,
  checkEmptied,
  checkConditions,
  checkTexts,
  checkEntered,
  checkMisses,
  checkFreeArguments,
  checkAmounts,
  checkCosts,
  checkTurns,
  checkBySeats,
  checkDepartures,
  checkLifetimes,
  checkLatches,
  checkSetOnce,
  checkRunDowns,
  checkRounds,
  checkFullLists,
  checkLaws,
  checkDecisions,
  checkSecrets,
];

/** Whether it is reasoned about what can happen, and which laws are believed to hold there. */
export type Reasoning = "none" | "believed" | "doubted" | "shown";

/**
 * Runs every family of rules. While names or types are wrong they stay silent: the cause comes before its
 * consequences.
 *
 * @param reason "none" leaves out all that only warns and takes long
 */
export function runRules(machine: Machine, messages: Messages, reason: Reasoning): void {
  if (messages.failed) return;
  checkDefaults(machine, messages);
  checkSize(machine, messages);
  checkChoices(machine, messages);
  checkResults(machine, messages);
  checkDice(machine, messages);
  checkCircles(machine, messages);
  if (messages.failed || reason === "none") return;
  checkReach(machine, messages);
  checkTimers(machine, messages);
  checkEntries(machine, messages);
  checkSameWays(machine, messages);
  checkSameForAll(machine, messages);
  checkShownRolls(machine, messages);
  checkGiven(machine, messages);
  checkEliminated(machine, messages);
  checkFallenUnits(machine, messages);
  checkQueues(machine, messages);
  const found = findOut(machine, reason);
  messages.givenUp = !found;
  if (found) for (const rule of REASONED) rule(found, messages);
}
