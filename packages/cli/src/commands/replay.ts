/** `zany replay`: a logbook step by step, as a list or one step in full. */

import { type Difference, inputInWords, noteInWords, type ReplayedStep, Replayer, type StepLine } from "@zany/core";
import { logbookFile, runnableFile, UsedWrongly } from "../files.js";
import { showOutcome } from "../show.js";
import { pad, say, sayJson, style } from "../terminal.js";

interface ReplayOptions {
  readonly machine?: string;
  readonly step?: number;
  readonly json?: boolean;
}

export async function replay(file: string, options: ReplayOptions): Promise<number> {
  const logbook = logbookFile(file);
  const differences = new Map<number, readonly Difference[]>();
  if (options.machine !== undefined) {
    const runnable = runnableFile(options.machine);
    if (!runnable) return 1;
    if (runnable.machine.name !== logbook.header.machine.name)
      throw new UsedWrongly(
        `"${file}" is a match of ${logbook.header.machine.name}, and "${options.machine}" is ${runnable.machine.name}.`,
      );
    const replayer = new Replayer(runnable, logbook.header);
    for (const line of logbook.steps) {
      const replayed: ReplayedStep = replayer.next(line);
      if (replayed.differences.length === 0) continue;
      differences.set(line.step, replayed.differences);
      break;
    }
  }
  const code = differences.size > 0 ? 1 : 0;
  if (options.json) {
    sayJson({ ...logbook, steps: logbook.steps.map((s) => ({ ...s, differences: differences.get(s.step) ?? [] })) });
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
    const different = differences.get(line.step);
    if (different) {
      say(style("red", `     diverges here:`));
      for (const d of different) say(`     ${differenceText(d)}`);
      break;
    }
  }
  if (logbook.closing?.result && differences.size === 0) showOutcome(logbook.closing.result);
  return code;
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
