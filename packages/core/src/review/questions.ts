/**
 * Questions over a whole match: when a datum changed last, when a condition began or ceased to hold, when an action was
 * open to a seat and what closed it, and why a step did what it did.
 */

import { beginOptions, inputFrom, Replayer } from "../logbook/replay.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { type Trace, touches, traceBegin, traceStep } from "../engine/matches/trace.js";
import { options } from "../engine/matches/view.js";
import type { Situation } from "../engine/situation/situation.js";
import type { Change } from "../engine/situation/situation-json.js";
import type { Json } from "../engine/values/json.js";
import type { Logbook } from "../logbook/read.js";
import { BadQuestion, holdsIn, type OwnCondition } from "./own.js";

/** A match that was replayed up to a step. */
export interface ReplayedTo {
  /** The situation before the step; undefined for step 0. */
  readonly before: Situation | undefined;
  /** The first step up to this one that diverges from what was recorded; undefined when none does. */
  readonly otherwise: number | undefined;
}

/** @throws BadQuestion when the match has no such step */
export function replayTo(runnable: Runnable, { header, steps }: Logbook, step: number): ReplayedTo {
  if (step < 0 || step >= steps.length)
    throw new BadQuestion(`There is no step ${step}; the last is ${steps.length - 1}.`);
  const replayer = new Replayer(runnable, header);
  let before: Situation | undefined;
  let otherwise: number | undefined;
  for (const line of steps.slice(0, step + 1)) {
    before = replayer.situation;
    if (replayer.next(line).differences.length > 0) otherwise ??= line.step;
  }
  return { before, otherwise };
}

/** A step that was traced. */
export interface WhyStep extends Pick<ReplayedTo, "otherwise"> {
  readonly trace: Trace;
}

/**
 * Why a step did what it did. @throws BadQuestion when the match has no such step
 */
export function why(runnable: Runnable, logbook: Logbook, step: number): WhyStep {
  const { before, otherwise } = replayTo(runnable, logbook, step);
  const line = logbook.steps[step];
  const traces = before && line ? traceStep(runnable, before, inputFrom(line)) : [];
  const trace = traces.at(-1) ?? traceBegin(runnable, beginOptions(logbook.header, logbook.steps[0]?.input));
  return { trace, otherwise };
}

/**
 * The last step up to one that changed a datum, by what was recorded; undefined when none did.
 *
 * @param path a JSON Pointer such as `/data/kites/north/lift`
 */
export function lastChange({ steps }: Logbook, path: string, upTo = Number.POSITIVE_INFINITY): number | undefined {
  return steps.findLast((line) => line.step <= upTo && line.changes.some((change) => concerns(change, path)))?.step;
}

/** Whether a change is of a datum, of a part of it, or of something that holds it. */
function concerns({ path: changed, value }: Change, path: string): boolean {
  if (!touches(changed, path)) return false;
  if (!path.startsWith(`${changed}/`)) return true;
  let inside: Json | undefined = value;
  for (const part of path.slice(changed.length + 1).split("/"))
    inside =
      inside !== null && typeof inside === "object" && Object.hasOwn(inside, part)
        ? (inside as { readonly [name: string]: Json })[part]
        : undefined;
  return inside !== undefined;
}

/** The steps after which a condition of one's own began to hold, or ceased to. */
export function turningPoints(
  asked: OwnCondition,
  { header, steps }: Logbook,
): { readonly step: number; readonly holds: boolean }[] {
  const replayer = new Replayer(asked.runnable, header);
  const found: { step: number; holds: boolean }[] = [];
  for (const line of steps) {
    replayer.next(line);
    const holds = replayer.situation !== undefined && holdsIn(asked, replayer.situation);
    if (holds !== (found.at(-1)?.holds ?? false)) found.push({ step: line.step, holds });
  }
  return found;
}

/** When an action was open to a seat. */
export interface WhenOpen {
  /** The last step after which it was open; undefined when it never was. */
  readonly open: number | undefined;
  /** The step that closed it, with the reason it was closed for then; undefined while it is open. */
  readonly closed: { readonly step: number; readonly reason: string } | undefined;
}

/** When an action was open to a seat for the last time, up to a step, and what closed it. */
export function lastOpen(
  runnable: Runnable,
  { header, steps }: Logbook,
  seat: string,
  action: string,
  upTo = Number.POSITIVE_INFINITY,
): WhenOpen {
  const replayer = new Replayer(runnable, header);
  let open: number | undefined;
  let closed: WhenOpen["closed"];
  for (const line of steps) {
    if (line.step > upTo) break;
    replayer.next(line);
    if (!replayer.situation) continue;
    const option = options(runnable, replayer.situation, seat).find((o) => o.action === action);
    if (option?.open) {
      open = line.step;
      closed = undefined;
    } else closed ??= { step: line.step, reason: option?.reason ?? `${action} is not possible there.` };
  }
  return { open, closed: open === undefined && closed === undefined ? undefined : closed };
}
