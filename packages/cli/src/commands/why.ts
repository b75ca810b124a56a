/** `zany why`: why a step of a match did what it did, and when something was so for the last time. */

import {
  type OwnCondition,
  ownCondition,
  BadQuestion,
  inputInWords,
  lastChange,
  lastOpen,
  type Logbook,
  type Machine,
  type StepLine,
  pathInWords,
  type Trace,
  type TraceLine,
  type TraceMark,
  traceJson,
  traceLines,
  turningPoints,
  why as whyStep,
} from "@zany/core";
import { findPartOf, logbookFile, readText, runnableFile, UsedWrongly } from "../files.js";
import { columns, pad, say, sayJson, style, wrap } from "../terminal.js";

interface WhyOptions {
  readonly machine: string;
  readonly step?: number;
  readonly of?: string;
  readonly when?: string;
  readonly open?: string;
  readonly json?: boolean;
}

export async function why(file: string, options: WhyOptions): Promise<number> {
  const logbook = logbookFile(file);
  const runnable = runnableFile(options.machine);
  if (!runnable) return 1;
  const { machine } = runnable;
  if (machine.name !== logbook.header.machine.name)
    throw new UsedWrongly(
      `"${file}" is a match of ${logbook.header.machine.name}, and "${options.machine}" is ${machine.name}.`,
    );
  try {
    if (options.when !== undefined) return tellTurns(logbook, asked(options.machine, options.when), options);
    if (options.open !== undefined) {
      const [seat = "", action = ""] = options.open.split(/[\s.]+/);
      if (!logbook.header.seats.includes(seat) || !machine.actions.some(({ name }) => name === action))
        throw new UsedWrongly(`"${options.open}" is no action of a seat; write it as: --open "north brace"`);
      return tellOpen(lastOpen(runnable, logbook, seat, action, options.step), options);
    }
    const of = options.of === undefined ? undefined : pointerFrom(machine, options.of);
    const step = of === undefined ? (options.step ?? logbook.steps.length - 1) : lastChange(logbook, of, options.step);
    if (step === undefined) {
      say(`Nothing has changed ${options.of}${options.step === undefined ? "" : ` up to step ${options.step}`}.`);
      return 1;
    }
    const { trace, otherwise } = whyStep(runnable, logbook, step);
    if (options.json) sayJson({ ...(otherwise !== undefined && { otherwise }), ...traceJson(machine, trace) });
    else {
      if (otherwise !== undefined)
        say(style("red", `From step ${otherwise} on it diverges on this machine from what was recorded.`));
      showTrace(machine, trace, logbook.steps[trace.step], of);
    }
    return 0;
  } catch (error) {
    if (error instanceof BadQuestion) throw new UsedWrongly(error.message);
    throw error;
  }
}

function asked(machine: string, condition: string): OwnCondition {
  return ownCondition(readText(machine), condition, findPartOf(machine));
}

/** A datum as people name it, `kites.north.lift` or `Turn.left`, as a JSON Pointer; a pointer stays one. */
export function pointerFrom(machine: Machine, text: string): string {
  if (text.startsWith("/")) return text;
  const [first = "", ...rest] = text.split(".");
  const place = machine.data.some(({ name }) => name === first)
    ? "data"
    : machine.states.some(({ name }) => name === first)
      ? "local"
      : machine.seats.names.includes(first)
        ? "seats"
        : undefined;
  if (place === undefined)
    throw new UsedWrongly(
      `There is no datum "${first}"; there are ${machine.data.map(({ name }) => name).join(", ") || "none"}.`,
    );
  return `/${[place, first, ...rest].join("/")}`;
}

/** How each kind of line begins. */
const MARKS: Readonly<Record<TraceMark, readonly [string, Parameters<typeof style>[0]]>> = {
  yes: ["yes", "green"],
  no: ["no ", "yellow"],
  change: ["is ", "cyan"],
  roll: ["die", "cyan"],
  note: ["say", "dim"],
  arrow: ["to ", "bold"],
  signal: ["sig", "bold"],
  fault: ["!! ", "red"],
  plain: ["   ", "dim"],
};

/** @param line the step as it was recorded, where that is at hand @param of only what led to changes of this datum */
export function showTrace(machine: Machine, trace: Trace, line?: StepLine, of?: string): void {
  const states = line && (line.states.join(" > ") || "(over)");
  say(
    `${style("bold", `step ${trace.step}`)}  ${line ? inputInWords(line.input) : trace.input.kind}` +
      (line && states ? `  ${style("dim", line.time)}  -> ${style("cyan", states)}` : ""),
  );
  for (const each of traceLines(machine, trace, of === undefined ? {} : { of })) showLine(machine, each);
  for (const { timer, what } of of === undefined ? trace.timers : [])
    say(style("dim", `        timer ${timer} ${what}`));
  for (const change of trace.changes) {
    if (change.rule !== undefined || of !== undefined) continue;
    say(style("dim", `        ${pathInWords(change.path)} was written by no statement`));
  }
  if (trace.refusal) say(style("yellow", `  refused (${trace.refusal.code}): ${trace.refusal.words}`));
  if (trace.fault) say(style("red", `  fault (${trace.fault.code}): ${trace.fault.words}`));
}

function showLine(machine: Machine, { depth, mark, rule, text, because, from }: TraceLine): void {
  const { line, column } = machine.sources.place(from);
  const [sign, look] = MARKS[mark];
  const place = style("dim", pad(`${line}:${column}`, 7));
  const named = rule === "" ? "" : style("dim", `${rule}  `);
  const why = because === "" ? "" : style("dim", `  (${because})`);
  const indent = "  ".repeat(depth);
  for (const part of wrap(
    `${place} ${style(look, sign)} ${indent}${named}${text}${why}`,
    columns(),
    " ".repeat(14 + indent.length),
  ))
    say(part);
}

function tellTurns(logbook: Logbook, asked: OwnCondition, { when, step, json }: WhyOptions): number {
  const found = turningPoints(asked, logbook);
  if (json) {
    sayJson(found);
    return found.length > 0 ? 0 : 1;
  }
  if (found.length === 0) say(`It never holds: ${when}`);
  const next = step === undefined ? undefined : found.find((turn) => turn.step > step);
  const before = step === undefined ? undefined : found.findLast((turn) => turn.step <= step);
  for (const turn of step === undefined ? found : [before, next]) {
    if (!turn) continue;
    const line = logbook.steps[turn.step];
    say(
      `${pad(`step ${turn.step}`, 10)} ` +
        `${turn.holds ? style("green", "begins to hold") : style("yellow", "ceases to   ")}` +
        `  ${line ? inputInWords(line.input) : ""}`,
    );
  }
  return found.length > 0 ? 0 : 1;
}

function tellOpen({ open, closed }: ReturnType<typeof lastOpen>, { open: what, json }: WhyOptions): number {
  if (json) sayJson({ open: open ?? null, closed: closed ?? null });
  else if (open === undefined) say(`${what} was never open${closed ? `: ${closed.reason}` : "."}`);
  else if (!closed) say(`${what} is open after step ${open}.`);
  else say(`${what} was open last after step ${open}. Step ${closed.step} closed it: ${closed.reason}`);
  return open === undefined ? 1 : 0;
}
