/** `zany replay`: a logbook step by step, as a list or one step in full. */

import {
  type Difference,
  inputInWords,
  type Json,
  noteInWords,
  type ReplayedStep,
  Replayer,
  type Situation,
  type StepLine,
  valueInWords,
  valuesFrom,
  valuesOf,
} from "@zany/core";
import { logbookFile, measuredFile, UsedWrongly } from "../files.js";
import { course, showOutcome } from "../show.js";
import { columns, pad, say, sayJson, style, wrap } from "../terminal.js";

interface ReplayOptions {
  readonly machine?: string;
  readonly step?: number;
  readonly of: readonly string[];
  readonly json?: boolean;
}

export async function replay(file: string, options: ReplayOptions): Promise<number> {
  const logbook = logbookFile(file);
  const differences = new Map<number, readonly Difference[]>();
  const watched: Watched[] = [];
  if (options.of.length > 0 && options.machine === undefined)
    throw new UsedWrongly("An expression is asked of a machine: add --machine FILE.");
  if (options.machine !== undefined) {
    const measured = measuredFile(options.machine, options.of);
    if (!measured) return 1;
    const { runnable, measures } = measured;
    if (runnable.machine.name !== logbook.header.machine.name)
      throw new UsedWrongly(
        `"${file}" is a match of ${logbook.header.machine.name}, and "${options.machine}" is ${runnable.machine.name}.`,
      );
    const replayer = new Replayer(runnable, logbook.header);
    const situations: (Situation | undefined)[] = [];
    for (const line of logbook.steps) {
      const replayed: ReplayedStep = replayer.next(line);
      situations.push(replayer.situation);
      if (replayed.differences.length === 0) continue;
      differences.set(line.step, replayed.differences);
      break;
    }
    for (const [i, values] of valuesOf(runnable, measures, situations).entries())
      watched.push({ of: measures[i]?.words ?? "", values });
  }
  const code = differences.size > 0 ? 1 : 0;
  if (options.json) {
    sayJson({
      ...logbook,
      steps: logbook.steps.map((s) => ({ ...s, differences: differences.get(s.step) ?? [] })),
      ...(watched.length > 0 && { watched }),
    });
    return code;
  }
  if (options.step !== undefined) {
    const line = logbook.steps.find((s) => s.step === options.step);
    if (!line)
      throw new UsedWrongly(`"${file}" has no step ${options.step}; its last is ${logbook.steps.at(-1)?.step ?? 0}.`);
    showStep(line, differences.get(line.step));
    return code;
  }
  const { machine, seed, begun } = logbook.header;
  say(`${style("bold", machine.name)} ${style("dim", `${machine.hash.slice(0, 8)}, seed ${seed}, begun ${begun}`)}`);
  for (const line of logbook.steps) {
    say(
      `${pad(String(line.step), 4)} ${pad(inputInWords(line.input), 30)}` +
        ` ${style("cyan", pad(line.states.join(" > "), 18))} ${line.notes.map(noteInWords).join("; ")}`.trimEnd(),
    );
    for (const { refused, after, words } of logbook.refused)
      if (after === line.step) say(style("yellow", `     refused: ${inputInWords(refused)}: ${words}`));
    const different = differences.get(line.step);
    if (different) {
      say(style("red", `     diverges here:`));
      for (const d of different) say(`     ${differenceText(d)}`);
      break;
    }
  }
  if (logbook.closing?.result && differences.size === 0) showOutcome(logbook.closing.result);
  for (const each of watched) showWatched(each);
  return code;
}

/** What an expression came to after each step. */
interface Watched {
  readonly of: string;
  readonly values: readonly (Json | undefined)[];
}

/** Its course as a line, where it is a number or a condition, and from which step on it had which value. */
function showWatched({ of, values }: Watched): void {
  const numbers = values.flatMap((value) =>
    typeof value === "number" || typeof value === "boolean" ? [Number(value)] : [],
  );
  const drawn = numbers.length === values.length ? course(numbers) : "";
  say(`${style("bold", of)}  ${drawn}`.trimEnd());
  const told = valuesFrom(values).map(
    ({ step, value }) => `step ${step}: ${value === undefined ? "not there" : valueInWords(value)}`,
  );
  for (const line of wrap(`  ${told.join("; ")}`, columns(), "  ")) say(line);
}

function showStep(line: StepLine, differences: readonly Difference[] | undefined): void {
  say(`${style("bold", `step ${line.step}`)}  ${inputInWords(line.input)}  ${style("dim", line.time)}`);
  say(`  states   ${line.states.join(" > ") || "(over)"}`);
  for (const d of line.dice)
    say(`  roll     ${d.value} of ${d.range}${d.stream ? ` from ${d.stream}` : ""}  ${style("dim", `at ${d.source}`)}`);
  for (const n of line.notes) say(`  note     ${noteInWords(n)}`);
  for (const c of line.changes)
    say(`  change   ${c.path} ${c.value === undefined ? "removed" : `= ${JSON.stringify(c.value)}`}`);
  if (differences) {
    say(style("red", "  diverges here:"));
    for (const d of differences) say(`  ${differenceText(d)}`);
  }
}

/** One difference in one line. */
export function differenceText(d: Difference): string {
  const text = (value: unknown): string => (value === undefined ? "nothing" : JSON.stringify(value));
  return `${d.path}: recorded ${text(d.recorded)}, replayed ${text(d.replayed)}`;
}
