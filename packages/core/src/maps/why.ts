/** Why a machine came to a value that a log tells otherwise: what its step did to it, or what wrote it. */

import { touches, traceStep } from "../engine/matches/trace.js";
import type { Runnable } from "../engine/matches/runnable.js";
import type { Input, Situation, Taken } from "../engine/situation/situation.js";
import { changesBetween } from "../engine/situation/situation-json.js";
import { traceLines } from "../formats/trace-lines.js";
import type { LineInput } from "../logbook/format.js";
import { inputInWords } from "../logbook/words.js";

/** Why something is as it is by the machine. */
export interface Reason {
  /** Such as `24:7 is kites.south.lift 40 -> 28  (...)`. */
  readonly lines: readonly string[];
  /** What wrote it, in the machine. */
  readonly position?: number;
}

/** A step, with what it was taken in. */
export interface TakenStep {
  readonly before: Situation;
  readonly taken: Taken;
}

/** How many lines are told, and how many steps back it is looked for what wrote something. */
const MOST = 8;
const MOST_BACK = 1_000;

/**
 * @param steps the last step, and those before it @param isRow the last is of the row that tells it
 * @param path the datum, as a JSON Pointer; undefined where it is none
 * @returns no lines when there was no step
 */
export function whyTold(
  runnable: Runnable,
  steps: Iterable<TakenStep>,
  isRow: boolean,
  path: string | undefined,
): Reason {
  if (path === undefined) return { lines: [] };
  const said: string[] = [];
  let back = 0;
  for (const step of steps) {
    const isLast = back === 0;
    if (step.taken.input.kind === "begin" || ++back > MOST_BACK) break;
    const own = isLast && isRow;
    if (!own && !hasWritten(runnable, step, path)) continue;
    const reason = writtenIn(runnable, step, path);
    if (reason && own) return reason;
    if (own) said.push("nothing in this step wrote it");
    if (!reason) continue;
    const { situation, input } = step.taken;
    const wrote = `step ${situation.step}, ${inputInWords(input as LineInput)}, wrote it last:`;
    return { ...reason, lines: [...said, wrote, ...reason.lines] };
  }
  return { lines: back === 0 || back > MOST_BACK ? said : [...said, "nothing has written it since the match began"] };
}

function hasWritten({ machine }: Runnable, { before, taken }: TakenStep, path: string): boolean {
  return changesBetween(machine, before, taken.situation).some((change) => touches(change.path, path));
}

/** How a step wrote a datum; undefined when it did not. */
function writtenIn(runnable: Runnable, { before, taken }: TakenStep, path: string): Reason | undefined {
  const dice = taken.happenings.rolls.map(({ value }) => value);
  const input = { ...taken.input, ...(dice.length > 0 && { dice }) } as Input;
  const trace = traceStep(runnable, before, input).at(-1);
  const lines = trace ? traceLines(runnable.machine, trace, { of: path }) : [];
  const written = lines.findLast(({ mark }) => mark === "change");
  if (!written) return undefined;
  const told = lines.slice(-MOST).map(({ from, rule, text, because }) => {
    const { line, column } = runnable.machine.sources.place(from);
    return `${line}:${column}  ${rule === "" ? "" : `${rule}  `}${text}${because === "" ? "" : `  (${because})`}`;
  });
  return { lines: told, position: written.from };
}
