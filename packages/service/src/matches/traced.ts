/** Why a step of a match did what it did: the step is taken again and recorded. */

import { beginOptions, inputFrom, keepsSecrets, type StepLine, traceBegin, traceJson, traceStep } from "@zany/core";
import type { TracedStep } from "@zany/client/api";
import { Problem } from "../problems.js";
import { type Asker, needHost } from "./askers.js";
import type { Host } from "./host.js";
import type { LiveMatch } from "./live.js";
import { situationAt } from "./loading.js";

/**
 * @param step its number; without, the last
 * @throws Problem 404 for a step that is not there, 401 or 403 while a match with secrets goes on, for anybody but its
 * host and the admin: a trace tells them all
 */
export async function tracedStep(
  { records }: Host,
  match: LiveMatch,
  asker: Asker,
  step = match.situation.step,
): Promise<TracedStep> {
  const { id, runnable, header, situation, cancelled } = match;
  const over = situation.outcome !== null || cancelled !== null;
  if (!over && keepsSecrets(runnable) && !asker.admin) needHost(asker);
  const [stored] = records.page(id, step - 1, 1);
  if (stored?.step !== step)
    throw new Problem(404, "noSuchStep", `There is no step ${step}; the last is ${situation.step}.`);
  const line = JSON.parse(stored.line) as StepLine;
  const trace =
    step === 0
      ? traceBegin(runnable, beginOptions(header, line.input))
      : traceStep(runnable, await situationAt(match, records, step - 1), inputFrom(line)).at(-1);
  if (!trace) throw new Problem(409, "doesNotReplay", `Step ${step} does not replay.`);
  return { machine: match.machine, trace: traceJson(runnable.machine, trace) };
}
