/** Why a machine came to a value that a log tells otherwise: what its step did to it, or what wrote it. */

import { traceStep } from "../engine/matches/trace.js";
import type { Runnable } from "../engine/matches/runnable.js";
import type { Input, Situation, Taken } from "../engine/situation/situation.js";
import { traceLines } from "../formats/trace-lines.js";

/** Why something is as it is by the machine. */
export interface Reason {
  /** Such as `24:7 is kites.south.lift 40 -> 28  (...)`. */
  readonly lines: readonly string[];
  /** What wrote it, in the machine. */
  readonly position?: number;
}

/** How many lines are told. */
const MOST = 8;

/**
 * @param path the datum, as a JSON Pointer; undefined where it is none
 * @returns no lines when there was no step
 */
export function whyTold(
  runnable: Runnable,
  before: Situation,
  taken: Taken | undefined,
  path: string | undefined,
): Reason {
  if (!taken || path === undefined || taken.input.kind === "begin") return { lines: [] };
  const dice = taken.happenings.rolls.map(({ value }) => value);
  const input = { ...taken.input, ...(dice.length > 0 && { dice }) } as Input;
  const trace = traceStep(runnable, before, input).at(-1);
  if (!trace) return { lines: [] };
  const lines = traceLines(runnable.machine, trace, { of: path });
  const written = lines.findLast(({ mark }) => mark === "change");
  if (!written) return { lines: ["nothing in this step wrote it"] };
  const told = lines.slice(-MOST).map(({ from, rule, text, because }) => {
    const { line, column } = runnable.machine.sources.place(from);
    return `${line}:${column}  ${rule === "" ? "" : `${rule}  `}${text}${because === "" ? "" : `  (${because})`}`;
  });
  return { lines: told, position: written.from };
}
