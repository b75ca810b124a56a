/** Why a machine came to a value that a log tells otherwise: what its step did to it, or what wrote it. */

import { touches, traceStep } from "../engine/matches/trace.js";
import type { Runnable } from "../engine/matches/runnable.js";
import type { Input, Situation, Taken } from "../engine/situation/situation.js";
import { changesBetween } from "../engine/situation/situation-json.js";
import { traceLines } from "../formats/trace-lines.js";
import type { LineInput } from "../logbook/format.js";
import { inputInWords } from "../logbook/words.js";
import { pointerOf } from "../engine/values/pointer.js";

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
 * @param paths the data that it is made of, as JSON Pointers; none where it is made of none
 * @returns no lines when there was no step
 */
export function whyTold(
  runnable: Runnable,
  steps: Iterable<TakenStep>,
  isRow: boolean,
  paths: readonly string[],
): Reason {
  if (paths.length === 0) return { lines: [] };
  const said: string[] = [];
  let back = 0;
  for (const step of steps) {
    const isLast = back === 0;
    if (step.taken.input.kind === "begin" || ++back > MOST_BACK) break;
    const own = isLast && isRow;
    const written = own ? paths : writtenBy(runnable, step, paths);
    const reason = written.length > 0 ? howWritten(runnable, step, written) : undefined;
    if (reason && own) return reason;
    if (own) said.push("nothing in this step wrote it");
    if (!reason) continue;
    const { situation, input } = step.taken;
    const wrote = `step ${situation.step}, ${inputInWords(input as LineInput)}, wrote it last:`;
    return { ...reason, lines: [...said, wrote, ...reason.lines] };
  }
  return { lines: back === 0 || back > MOST_BACK ? said : [...said, "nothing has written it since the match began"] };
}

/**
 * What wrote the data last that a refused input was refused by.
 *
 * @param steps those before it, the last first @param situation where it was asked for
 */
export function whyRefused(
  runnable: Runnable,
  steps: Iterable<TakenStep>,
  situation: Situation,
  input: Input,
): readonly string[] {
  const { machine } = runnable;
  const trace = traceStep(runnable, situation, input).at(-1);
  const asked = trace && traceLines(machine, trace).findLast(({ mark, rule }) => mark === "no" && rule !== "");
  const names = new Set(machine.data.map(({ name }) => name));
  const paths = (asked?.because.split(", ") ?? []).flatMap((value) => {
    const [, path = ""] = DATUM.exec(value) ?? [];
    const parts = path.split(/[.[\]]+/).filter((part) => part !== "");
    return parts[0] !== undefined && names.has(parts[0]) ? [pointerOf(["data", ...parts])] : [];
  });
  const { lines, position } = whyTold(runnable, steps, false, paths);
  return position === undefined ? [] : lines;
}

/** A datum with its value, as a trace says what decided: `kites[south].lift = 28`. */
const DATUM = /^(\w+(?:\.\w+|\[[\w-]+\])*) = /;

/** Those of some data that a step has changed. */
function writtenBy({ machine }: Runnable, { before, taken }: TakenStep, paths: readonly string[]): string[] {
  const changes = changesBetween(machine, before, taken.situation);
  return paths.filter((path) => changes.some((change) => touches(change.path, path)));
}

/** How a step wrote data; undefined when it wrote none of them. */
function howWritten(runnable: Runnable, { before, taken }: TakenStep, paths: readonly string[]): Reason | undefined {
  const dice = taken.happenings.rolls.map(({ value }) => value);
  const input = { ...taken.input, ...(dice.length > 0 && { dice }) } as Input;
  const trace = traceStep(runnable, before, input).at(-1);
  if (!trace) return undefined;
  const all = paths.map((of) => traceLines(runnable.machine, trace, { of }));
  const writing = all.filter((lines) => lines.some(({ mark }) => mark === "change"));
  const written = writing[0]?.findLast(({ mark }) => mark === "change");
  if (!written) return undefined;
  const told = writing
    .flatMap((lines) => lines.slice(-Math.ceil(MOST / writing.length)))
    .map(({ from, rule, text, because }) => {
      const { line, column } = runnable.machine.sources.place(from);
      return `${line}:${column}  ${rule === "" ? "" : `${rule}  `}${text}${because === "" ? "" : `  (${because})`}`;
    });
  return { lines: [...new Set(told)], position: written.from };
}
