/**
 * Which rule is responsible when a step of a match goes otherwise than it was recorded. With the version it was played
 * on at hand, the first thing that the two do differently; else what in the new one decided the piece that differs.
 */

import type { Machine } from "../check/machine.js";
import { type NamedRule, ruleAt, rulesOf } from "../check/rule-names.js";
import { visitMachine } from "../check/visit.js";
import type { Recorded } from "../engine/code/recorder.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { type Trace, touches, traceBegin, traceStep } from "../engine/matches/trace.js";
import type { Input, Situation } from "../engine/situation/situation.js";
import { pointerParts } from "../engine/values/pointer.js";
import type { Header, StepLine } from "./format.js";
import { beginOptions, inputFrom, type ReplayedStep } from "./replay.js";

/** The rule that is responsible, and where it stands. */
export interface Responsible {
  /** Such as `Turn.slash.needs[1]`; left out where nothing in the machine is. */
  readonly rule?: string;
  /** A position in the texts of the version that is replayed on; left out where the rule is in the other one alone. */
  readonly position?: number;
  /** The same as people read it: `line:column`. */
  readonly source?: string;
  /** Where nothing wrote a datum that had been written: the rules that can. */
  readonly writers?: readonly string[];
}

/** A version of a machine with the situation that a step met on it. */
export interface Standpoint {
  readonly runnable: Runnable;
  /** Undefined for step 0. */
  readonly before: Situation | undefined;
}

/**
 * @param now the version that is replayed on
 * @param then the version it was played on, when that is at hand
 */
export function responsibleFor(
  header: Header,
  line: StepLine,
  replayed: Pick<ReplayedStep, "differences" | "refused" | "earlier" | "rolls">,
  now: Standpoint,
  then: Standpoint | undefined,
): Responsible {
  const { machine } = now.runnable;
  const rules = rulesOf(machine);
  const trace = traceAt(now, header, line, replayed.rolls === "record");
  const before = then && traceAt(then, header, line, false);
  const first = before && firstDifferent(now.runnable.machine, trace, then.runnable.machine, before);
  if (first) {
    const { node, old } = first;
    if (node) return at(machine, rules, node.from);
    const rule = old && ruleAt(rulesOf(then.runnable.machine), old.from);
    if (rule !== undefined) return { rule };
  }
  return alone(machine, rules, trace, line, replayed);
}

function traceAt({ runnable, before }: Standpoint, header: Header, line: StepLine, recordedRolls: boolean): Trace {
  if (!before) return traceBegin(runnable, beginOptions(header, line.input));
  const input = inputFrom(line);
  const dice = line.dice.map(({ value }) => value);
  const traces = traceStep(runnable, before, recordedRolls && dice.length > 0 ? ({ ...input, dice } as Input) : input);
  return traces.at(-1) as Trace;
}

function at({ sources }: Machine, rules: readonly NamedRule[], position: number): Responsible {
  const rule = ruleAt(rules, position);
  const { file, line, column } = sources.place(position);
  const own = position <= (sources.files[0]?.text.length ?? 0);
  const source = own ? `${line}:${column}` : `${file}:${line}:${column}`;
  return { ...(rule !== undefined && { rule }), position, source };
}

// ---- both versions --------------------------------------------------------------------------------

/** The first piece of two traces of the same step that is not the same: what was asked, came of it, or was written. */
function firstDifferent(
  now: Machine,
  { nodes }: Trace,
  then: Machine,
  { nodes: old }: Trace,
): { readonly node: Recorded | undefined; readonly old: Recorded | undefined } | undefined {
  const compare = (
    ours: readonly Recorded[],
    theirs: readonly Recorded[],
  ): ReturnType<typeof firstDifferent> | undefined => {
    for (let i = 0; i < Math.max(ours.length, theirs.length); i++) {
      const [node, other] = [ours[i], theirs[i]];
      if (!node || !other) return { node, old: other };
      const texts = [now.sources.written(node), then.sources.written(other)];
      const inside = compare(node.parts ?? [], other.parts ?? []);
      if (node.kind !== other.kind) return { node, old: other };
      if (inside) return inside;
      // The same text around the same parts that comes to something else is the dice's or the data's doing.
      if (texts[0] !== texts[1] && !isAround(node)) return { node, old: other };
      if (json([node.value, node.changes, node.rolls]) !== json([other.value, other.changes, other.rolls]))
        return { node, old: other };
    }
    return undefined;
  };
  return compare(nodes, old);
}

/** Kinds whose text is that of all that is in them: what differs in it stands in one of its parts. */
function isAround({ kind, parts = [] }: Recorded): boolean {
  return parts.length > 0 && (kind === "taken" || kind === "element");
}

function json(value: unknown): string {
  return JSON.stringify(value);
}

// ---- the new version alone -------------------------------------------------------------------------

function alone(
  machine: Machine,
  rules: readonly NamedRule[],
  trace: Trace,
  line: StepLine,
  { differences, refused, earlier }: Pick<ReplayedStep, "differences" | "refused" | "earlier">,
): Responsible {
  const nodes = flat(trace.nodes);
  const here = (node: Recorded | undefined): Responsible => (node ? at(machine, rules, node.from) : {});
  if (trace.fault?.position !== undefined) return at(machine, rules, trace.fault.position);
  if (refused) {
    if (refused.code === "notYourTurn") return here(nodes.findLast(({ name }) => /(^|\.)turn$/.test(name ?? "")));
    if (refused.code === "notDue") return timerOf(machine, line.input.timer);
    return here(nodes.findLast(({ kind, value }) => kind === "rule" && value === false));
  }
  const [ran] = earlier;
  if (ran?.input.kind === "timer") return timerOf(machine, ran.input.timer);
  const paths = differences.map(({ path }) => path);
  if (paths.includes("time")) return timerOf(machine, line.input.timer);
  if (paths.includes("dice")) {
    const rolled = nodes.flatMap((node) => (node.rolls ?? []).map((roll) => ({ node, roll })));
    const other = rolled.find(
      ({ roll }, i) => roll.value !== line.dice[i]?.value || roll.range !== line.dice[i]?.range,
    );
    return here(other?.node ?? rolled.at(-1)?.node ?? nodes.findLast(({ kind }) => kind === "arrow"));
  }
  if (paths.includes("states")) return here(lastArrow(nodes));
  const path = paths.find((each) => each.startsWith("/"));
  if (path !== undefined) {
    const written = trace.changes.find((change) => touches(change.path, path));
    if (written?.position !== undefined) return at(machine, rules, written.position);
    return { writers: writersOf(machine, rules, path) };
  }
  if (paths.includes("notes")) return here(nodes.findLast(({ notes }) => notes !== undefined));
  return {};
}

/** The nodes of a trace, each before its parts. */
function flat(nodes: readonly Recorded[]): Recorded[] {
  return nodes.flatMap((node) => [node, ...flat(node.parts ?? [])]);
}

/** The last arrow that was followed to another state, or else the last of all. */
function lastArrow(nodes: readonly Recorded[]): Recorded | undefined {
  const arrows = nodes.filter(({ kind }) => kind === "arrow" || kind === "taken");
  return arrows.findLast(({ entered, left }) => entered ?? left) ?? arrows.at(-1);
}

function timerOf({ timers }: Machine, name: string | undefined): Responsible {
  const timer = timers.find((each) => each.name === name);
  return timer ? { rule: timer.name, position: timer.from } : {};
}

/** The rules with a statement that can write a datum. */
function writersOf(machine: Machine, rules: readonly NamedRule[], path: string): string[] {
  const [place, first, field] = pointerParts(path);
  const slot =
    place === "data"
      ? machine.data.find(({ name }) => name === first)?.slot
      : machine.states.find(({ name }) => name === first)?.slot;
  const found = new Set<string>();
  visitMachine(machine, {
    location({ base, from }) {
      if (base.kind === "local" || base.slot !== slot) return;
      if (base.kind === "stateData") {
        const fields = machine.states.find((state) => state.slot === base.slot)?.fields;
        if (field !== undefined && fields?.[base.field]?.name !== field) return;
      }
      const rule = ruleAt(rules, from);
      if (rule !== undefined) found.add(rule);
    },
  });
  return [...found];
}
