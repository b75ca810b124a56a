/** Why a machine came to a value that a log tells otherwise: what its step did to it, or what wrote it. */

import { traceStep } from "../engine/matches/trace.js";
import type { Runnable } from "../engine/matches/runnable.js";
import type { Input, Situation, Taken } from "../engine/situation/situation.js";
import { traceLines } from "../formats/trace-lines.js";

/** How many lines are told. */
const MOST = 8;

/**
 * @param path the datum, as a JSON Pointer; undefined where it is none
 * @returns lines such as `24:7 is kites.south.lift 40 -> 28  (...)`; empty when there was no step
 */
export function whyTold(
  runnable: Runnable,
  before: Situation,
  taken: Taken | undefined,
  path: string | undefined,
): string[] {
  if (!taken || path === undefined || taken.input.kind === "begin") return [];
  const dice = taken.happenings.rolls.map(({ value }) => value);
  const input = { ...taken.input, ...(dice.length > 0 && { dice }) } as Input;
  const trace = traceStep(runnable, before, input).at(-1);
  if (!trace) return [];
  const lines = traceLines(runnable.machine, trace, { of: path });
  if (!lines.some(({ mark }) => mark === "change")) return ["nothing in this step wrote it"];
  return lines.slice(-MOST).map(({ from, rule, text, because }) => {
    const { line, column } = runnable.machine.sources.place(from);
    return `${line}:${column}  ${rule === "" ? "" : `${rule}  `}${text}${because === "" ? "" : `  (${because})`}`;
  });
}
