/**
 * Why a step did what it did. The step is taken again in a second engine that records: what was asked and what it came
 * to, what was taken and what was passed over, what was written by which line. Play pays nothing for it.
 */

import type { Machine } from "../../check/machine.js";
import { type NamedRule, ruleAt } from "../../check/rule-names.js";
import type { Recorded } from "../code/recorder.js";
import { changesWithBefore, type FullChange } from "../situation/situation-json.js";
import type { FaultReport, Input, Refusal, Situation, Taken } from "../situation/situation.js";
import { type BeginOptions, beginOn } from "./begin.js";
import { advance } from "./one-input.js";
import { recordingEngineOf, type Runnable } from "./runnable.js";

/** The version of what a trace looks like; see docs/trace.md. */
export const TRACE_FORMAT = 1;

/** A change of a step, with what wrote it. */
export interface TracedChange extends FullChange {
  /** Where the last statement or arrow stands that wrote it; left out when nothing in the machine did. */
  readonly position?: number;
  /** The rule it stands in, such as `Turn.slash.effects`. */
  readonly rule?: string;
}

/** A timer that began to run, was stopped, or ran. */
export interface TracedTimer {
  readonly timer: string;
  readonly what: "started" | "stopped" | "ran";
  /** When it is due, or was, in milliseconds since 1970 UTC. */
  readonly due: number;
}

/** What a step did, and why. */
export interface Trace {
  readonly format: typeof TRACE_FORMAT;
  /** The number of the step; of one that was not taken, the number it would have had. */
  readonly step: number;
  readonly input: Taken["input"];
  readonly nodes: readonly Recorded[];
  /** How many nodes there was no room for. */
  readonly lost: number;
  readonly changes: readonly TracedChange[];
  readonly timers: readonly TracedTimer[];
  /** Why it was not taken; what was recorded up to there is in the nodes. */
  readonly refusal?: Refusal;
  readonly fault?: FaultReport;
}

/**
 * What an input does in a situation: a trace of each timer that is due before it, and of itself.
 *
 * @param input `step` in it is not looked at, so that a step that went long ago can be traced
 */
export function traceStep(runnable: Runnable, before: Situation, input: Input): Trace[] {
  const engine = recordingEngineOf(runnable);
  const { recorder } = engine;
  const traces: Trace[] = [];
  let current = before;
  recorder.begin();
  const { step: _, ...asked } = input as Input & { step?: number };
  const { refusal, fault } = advance(engine, before, asked as Input, (taken) => {
    traces.push(traceOf(engine, current, taken, recorder.end()));
    current = taken.situation;
    recorder.begin();
  });
  if (refusal || fault) {
    const end = recorder.end();
    const why = { ...(refusal && { refusal }), ...(fault && { fault }) };
    const input = asked as Taken["input"];
    traces.push({ format: TRACE_FORMAT, step: current.step + 1, input, ...end, changes: [], timers: [], ...why });
  }
  return traces;
}

/** What beginning a match does. */
export function traceBegin(runnable: Runnable, options: BeginOptions): Trace {
  const engine = recordingEngineOf(runnable);
  const { recorder } = engine;
  recorder.begin();
  const { taken, refusal, fault } = beginOn(engine, options);
  const end = recorder.end();
  if (taken) return traceOf(engine, undefined, taken, end);
  const why = { ...(refusal && { refusal }), ...(fault && { fault }) };
  const input = { kind: "begin", time: options.now ?? 0 } as const;
  return { format: TRACE_FORMAT, step: 0, input, ...end, changes: [], timers: [], ...why };
}

function traceOf(
  { machine, recorder }: ReturnType<typeof recordingEngineOf>,
  before: Situation | undefined,
  { input, situation }: Taken,
  { nodes, lost }: { readonly nodes: readonly Recorded[]; readonly lost: number },
): Trace {
  const changes = before ? changesWithBefore(machine, before, situation) : [];
  return {
    format: TRACE_FORMAT,
    step: situation.step,
    input,
    nodes,
    lost,
    changes: changes.map((change) => ({ ...change, ...writerOf(recorder.rules, nodes, change.path) })),
    timers: timersOf(machine, before, input, situation),
  };
}

/** What wrote a path last: a statement whose change is of it, of a part of it or of what is around it, or an arrow. */
function writerOf(
  rules: readonly NamedRule[],
  nodes: readonly Recorded[],
  path: string,
): Pick<TracedChange, "position" | "rule"> {
  const [, place, state = ""] = path.split("/");
  let from: number | undefined;
  const visit = (node: Recorded): void => {
    if (node.changes?.some((change) => touches(change.path, path))) from = node.from;
    if (place === "local" && (node.entered?.includes(state) || node.left?.includes(state))) from = node.from;
    for (const part of node.parts ?? []) visit(part);
  };
  for (const node of nodes) visit(node);
  if (from === undefined) return {};
  const rule = ruleAt(rules, from);
  return { position: from, ...(rule !== undefined && { rule }) };
}

/** Whether one path is the other, or leads to something in it. */
export function touches(one: string, other: string): boolean {
  return one === other || one.startsWith(`${other}/`) || other.startsWith(`${one}/`);
}

function timersOf(
  { timers }: Machine,
  before: Situation | undefined,
  input: Taken["input"],
  after: Situation,
): TracedTimer[] {
  return timers.flatMap(({ id, name }): TracedTimer[] => {
    const was = before?.timers[id] ?? Number.NaN;
    const is = after.timers[id] ?? Number.NaN;
    const ran = input.kind === "timer" && input.timer === name;
    const told: TracedTimer[] = [];
    if (ran) told.push({ timer: name, what: "ran", due: was });
    else if (!Number.isNaN(was) && was !== is) told.push({ timer: name, what: "stopped", due: was });
    if (!Number.isNaN(is) && was !== is) told.push({ timer: name, what: "started", due: is });
    return told;
  });
}
