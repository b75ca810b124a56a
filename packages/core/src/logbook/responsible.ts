/**
 * Which rule is responsible when a step of a match diverges from what was recorded. With the version it was played
 * on at hand, the first thing that the two do differently; else what in the new one decided the piece that differs.
 */

import type { Arrow, Machine } from "../check/machine.js";
import { perMachine } from "../check/per-machine.js";
import { type NamedRule, ruleAt, rulesOf } from "../check/rule-names.js";
import { branchesOf, visitMachine } from "../check/visit.js";
import type { Recorded } from "../engine/code/recorder.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { type Trace, touches, traceBegin, traceStep } from "../engine/matches/trace.js";
import type { Input, Situation } from "../engine/situation/situation.js";
import { pointerParts } from "../engine/values/pointer.js";
import type { Header, RefusedLine, StepLine } from "./format.js";
import { passedOver } from "./passed-over.js";
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
  const first = before && firstDifferent(machine, trace, then.runnable.machine, before);
  if (first) {
    const { node, old, declared } = first;
    const rule = old && ruleAt(rulesOf(then.runnable.machine), old.from);
    // What stood in the old version alone stood here.
    const gone =
      old && (goneFrom(then.runnable.machine, machine, old) ?? placeNow(then.runnable.machine, machine, old.from));
    if (declared) return at(machine, rules, firstApart(then.runnable.machine, machine)?.now ?? node?.from ?? 0);
    if (node) return at(machine, rules, node.from);
    if (gone !== undefined) return { ...at(machine, rules, gone), ...(rule !== undefined && { rule }) };
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

function at(machine: Machine, rules: readonly NamedRule[], position: number): Responsible {
  const rule = ruleAt(rules, position);
  return { ...(rule !== undefined && { rule }), position, source: sourceOf(machine, position) };
}

/** What is responsible for it that something is not refused any more: the action that was asked for. */
export function responsibleForRefused({ machine }: Runnable, { refused }: RefusedLine): Responsible {
  const action = machine.actions.find(({ name }) => refused.kind === "action" && name === refused.action);
  if (!action) return {};
  const { name, from } = action;
  return { rule: `${machine.states[action.state]?.name}.${name}`, position: from, source: sourceOf(machine, from) };
}

// ---- both versions --------------------------------------------------------------------------------

/** Where two traces part: a piece of each, or of one alone. */
interface Parting {
  readonly node: Recorded | undefined;
  readonly old: Recorded | undefined;
  /** The same is written down there, of the same values: what it comes to is said where the data are declared. */
  readonly declared?: true;
}

/** The first piece of two traces of the same step that is not the same: what was asked, came of it, or was written. */
function firstDifferent(now: Machine, { nodes }: Trace, then: Machine, { nodes: old }: Trace): Parting | undefined {
  const isSame = (node: Recorded, other: Recorded): boolean =>
    node.kind === other.kind && now.sources.written(node) === then.sources.written(other);
  const compare = (ours: readonly Recorded[], theirs: readonly Recorded[]): Parting | undefined => {
    for (let i = 0; i < Math.max(ours.length, theirs.length); i++) {
      const [node, other] = [ours[i], theirs[i]];
      if (!node || !other) return { node, old: other };
      const same = isSame(node, other);
      if (!same) {
        // Where one of them is missing, the other stands a little further on.
        if (ours.slice(i + 1).some((later) => isSame(later, other))) return { node, old: undefined };
        if (theirs.slice(i + 1).some((later) => isSame(node, later))) return { node: undefined, old: other };
      }
      if (node.kind !== other.kind) return { node, old: other };
      // What follows an arrow follows from it, and what a rule asks is the rule's.
      if (!same && (node.kind === "arrow" || node.kind === "rule")) return { node, old: other };
      const inside = compare(node.parts ?? [], other.parts ?? []);
      if (inside) return inside;
      const alike = json([node.value, node.changes, node.rolls]) === json([other.value, other.changes, other.rolls]);
      if (!alike) return same ? { node, old: other, declared: true } : { node, old: other };
      // The text of these is that of all that is in them, and of what was passed over.
      if (!same && node.kind !== "taken" && node.kind !== "element" && !node.parts) return { node, old: other };
    }
    return undefined;
  };
  return compare(nodes, old);
}

/** Where something of the old texts would stand in the new ones. */
function placeNow(then: Machine, now: Machine, position: number): number | undefined {
  const place = then.sources.place(position);
  const index = then.sources.files.findIndex(({ name }) => name === place.file);
  const [old, text] = [then.sources.files[index], now.sources.files[index]];
  if (!old || !text) return undefined;
  const { prefix, suffix } = around(old.text, text.text);
  const at = position - old.base;
  if (at <= prefix) return text.base + Math.min(at, text.text.length);
  if (at >= old.text.length - suffix) return text.base + at + text.text.length - old.text.length;
  return text.base + prefix;
}

/** Where something was left out of what stood in the old texts, when that is the first place where they differ. */
function goneFrom(then: Machine, now: Machine, { from, to }: Recorded): number | undefined {
  const first = firstApart(then, now);
  return first && first.old >= from && first.old < to ? first.now : undefined;
}

/** The first place where the new texts are not the old ones, in both. */
function firstApart(then: Machine, now: Machine): { readonly old: number; readonly now: number } | undefined {
  for (const [i, file] of now.sources.files.entries()) {
    const old = then.sources.files[i];
    if (!old || old.text === file.text) continue;
    const { prefix } = around(old.text, file.text);
    return { old: old.base + prefix, now: file.base + prefix };
  }
  return undefined;
}

/** How much two texts have in common at both ends. */
function around(one: string, other: string): { readonly prefix: number; readonly suffix: number } {
  const most = Math.min(one.length, other.length);
  let prefix = 0;
  while (prefix < most && one[prefix] === other[prefix]) prefix++;
  let suffix = 0;
  while (suffix < most - prefix && one[one.length - 1 - suffix] === other[other.length - 1 - suffix]) suffix++;
  return { prefix, suffix };
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
  const nodes = flatten(trace.nodes);
  const here = (node: Recorded | undefined): Responsible => (node ? at(machine, rules, node.from) : {});
  /** A condition, at the place inside it that decided. */
  const decided = (node: Recorded | undefined): Responsible =>
    node ? { ...here(decider(node)), ...(node.name !== undefined && { rule: node.name }) } : {};
  if (trace.fault?.code === "lawBroken") {
    const law = nodes.findLast(({ name, value }) => value === false && name?.startsWith("law ") === true);
    if (law) return decided(law);
  }
  if (trace.fault?.position !== undefined) return at(machine, rules, trace.fault.position);
  if (refused) {
    if (refused.code === "notYourTurn") return here(nodes.findLast(({ name }) => /(^|\.)turn$/.test(name ?? "")));
    if (refused.code === "notDue") return timerOf(machine, line.input.timer);
    if (refused.code === "badArgument") return notInDomain(nodes, line, decided);
    return decided(nodes.findLast(({ kind, value }) => kind === "rule" && value === false));
  }
  const [ran] = earlier;
  if (ran?.input.kind === "timer") return timerOf(machine, ran.input.timer);
  const paths = differences.map(({ path }) => path);
  if (paths.includes("time")) return timerOf(machine, line.input.timer);
  const stuck = stuckIn(machine, differences.find(({ path }) => path === "states")?.replayed);
  if (stuck !== undefined) return at(machine, rules, stuck);
  if (paths.includes("dice")) {
    const rolled = nodes.flatMap((node) => (node.rolls ?? []).map((roll) => ({ node, roll })));
    const other = rolled.find(
      ({ roll }, i) => roll.value !== line.dice[i]?.value || roll.range !== line.dice[i]?.range,
    );
    const number = other ? rolled.indexOf(other) : line.dice.length - 1;
    const recorded = line.dice[number];
    // The same roll with another range or value is its own doing; one that was not rolled there, of what led to it.
    if (other && recorded?.source === sourceOf(machine, other.node.from)) return here(other.node);
    const led = wayTo(machine, trace.nodes, line.states, other?.node);
    return led ? decided(led) : here(other?.node ?? rolled.at(-1)?.node);
  }
  if (paths.includes("states") || paths.includes("result")) {
    const led = wayTo(machine, trace.nodes, line.states, undefined);
    return led ? decided(led) : here(lastArrow(nodes));
  }
  const path = paths.find((each) => each.startsWith("/"));
  if (path !== undefined) {
    const written = trace.changes.find((change) => touches(change.path, path));
    if (written?.position !== undefined) return at(machine, rules, written.position);
    // What was written again as it was is no change.
    const [, name = ""] = pointerParts(path);
    const again = nodes.findLast((node) => node.kind === "statement" && machine.sources.written(node).startsWith(name));
    if (again) return here(again);
    const places = writersOf(machine, path);
    const passed = passedOver(machine, nodes, places);
    if (passed) return decided(passed);
    const writers = places.map((place) => ruleAt(rules, place)).filter((rule) => rule !== undefined);
    return { writers: [...new Set(writers)] };
  }
  if (paths.includes("notes")) {
    const told = nodes.filter(({ notes }) => notes !== undefined);
    // A note that is missing was not come to.
    if (told.length < line.notes.length)
      return decided(
        passedOver(machine, nodes, notesIn(machine)) ??
          nodes.findLast(({ kind, value }) => isCondition(kind) && value === false),
      );
    return here(told.at(-1));
  }
  return {};
}

/** The nodes of a trace, each before its parts. */
export function flatten(nodes: readonly Recorded[]): Recorded[] {
  return nodes.flatMap((node) => [node, ...flatten(node.parts ?? [])]);
}

/**
 * The innermost condition inside one that decided it: of several that were asked, the last, or the one that is
 * otherwise.
 */
function decider(node: Recorded): Recorded {
  const inside = (node.parts ?? []).filter(({ value }) => typeof value === "boolean");
  const last = inside.at(-1);
  if (!last || (inside.length > 1 && inside.every(({ value }) => value === last.value))) return node;
  return decider(last);
}

/** Why an argument is not in its domain: what was asked of the very value, where that was asked. */
function notInDomain(
  nodes: readonly Recorded[],
  line: StepLine,
  decided: (node: Recorded | undefined) => Responsible,
): Responsible {
  const rule = nodes.findLast(({ kind, name }) => kind === "rule" && name?.endsWith(")") === true);
  if (!rule) return {};
  const [, parameter = ""] = /\((\w+)\)$/.exec(rule.name ?? "") ?? [];
  const value = json(line.input.args?.[parameter]);
  const element = flatten([rule]).find((node) => node.kind === "element" && json(node.value) === value);
  const asked = element?.parts?.find((part) => part.value === false);
  return { ...decided(asked ?? rule), ...(rule.name !== undefined && { rule: rule.name }) };
}

// ---- ways -------------------------------------------------------------------------------------------

/**
 * The first arrow, or the condition that chose it, that leads where the recorded states cannot be come to: of those
 * followed before a node, or of all. Which states a state can lead to within a step is read from the text.
 */
function wayTo(
  machine: Machine,
  nodes: readonly Recorded[],
  recorded: readonly string[],
  before: Recorded | undefined,
): Recorded | undefined {
  const goal = recorded.at(-1);
  const leads = (name: string): boolean => {
    const reached = reachedFrom(machine, name);
    return goal === undefined ? machine.endings.some((ending) => reached.has(ending.name)) : reached.has(goal);
  };
  let found: Recorded | undefined;
  let last: Recorded | undefined;
  let met = false;
  const visit = (list: readonly Recorded[]): void => {
    for (const [i, node] of list.entries()) {
      if (found || met) return;
      if (node === before) {
        met = true;
        return;
      }
      if (node.kind === "arrow") {
        const chosen = list.slice(0, i).findLast(({ kind }) => kind === "rule");
        const target = node.entered?.at(-1);
        const way = chosen?.value === true ? chosen : node;
        // Of branches that were passed over, one that leads there should have been taken.
        const passed = list
          .slice(0, i)
          .filter(({ kind, value, name }) => kind === "rule" && value === false && /\.choose\[\d+\]$/.test(name ?? ""));
        if (target !== undefined && !leads(target)) {
          found = passed.find(({ name }) => branchLeads(machine, name ?? "", leads)) ?? way;
          return;
        }
        last = way;
      }
      visit(node.parts ?? []);
    }
  };
  visit(nodes);
  return found ?? (before ? last : undefined);
}

/** Whether the arrow of a branch, by the branch's name, leads somewhere from where it goes on as wanted. */
function branchLeads(machine: Machine, name: string, leads: (state: string) => boolean): boolean {
  const rule = rulesOf(machine).find((each) => each.name === `${name}.arrow`);
  return rule !== undefined && targetsOf(machine, rule.at as Arrow).some(leads);
}

/** What was reached, by where it began. */
const reachable = perMachine(() => new Map<string, ReadonlySet<string>>());

/**
 * The states and endings that a state leads to without anybody doing anything, itself and those around and in it
 * included.
 */
function reachedFrom(machine: Machine, name: string): ReadonlySet<string> {
  const known = reachable(machine);
  const before = known.get(name);
  if (before) return before;
  const reached = new Set<string>([name]);
  for (const each of reached) {
    const state = machine.states.find((s) => s.name === each);
    if (!state) continue;
    const inside = machine.states.filter(({ parent }) => parent === state.id);
    const outer = machine.states[state.parent];
    for (const next of [...inside, ...(outer && outer.id > 0 ? [outer] : [])]) reached.add(next.name);
    for (const { arrow } of [...state.whens, ...state.listeners])
      if (arrow) for (const target of targetsOf(machine, arrow)) reached.add(target);
  }
  known.set(name, reached);
  return reached;
}

/**
 * Where an arrow is missing, when a step comes to rest in a state in which nobody can do anything and nothing happens
 * by itself: at the end of what is done when it is entered.
 */
function stuckIn(machine: Machine, states: unknown): number | undefined {
  const name = Array.isArray(states) ? states.at(-1) : undefined;
  const state = machine.states.find((each) => each.name === name);
  for (let each = state; each; each = machine.states[each.parent]) {
    const { turn, timers, actions, listeners, whens, enters } = each;
    const goesOn = turn ?? timers[0] ?? actions[0] ?? whens[0] ?? enters.find(({ arrow }) => arrow);
    // What is heard anywhere, such as somebody leaving, is no way on of this state.
    if (goesOn || (each.id > 0 && listeners.length > 0)) return undefined;
  }
  const entered = state?.enters.findLast(({ block }) => block)?.block;
  return entered ? entered.to - 1 : state?.from;
}

/** The states and endings that an arrow can lead to. */
function targetsOf(machine: Machine, arrow: Arrow): string[] {
  const nameOf = (target: (Arrow & { kind: "to" })["target"]): string =>
    (target.kind === "state" ? machine.states[target.state]?.name : machine.endings[target.ending]?.name) ?? "";
  switch (arrow.kind) {
    case "to":
      return [nameOf(arrow.target)];
    case "history":
      return [machine.states[arrow.state]?.name ?? ""];
    case "choose":
      return branchesOf(arrow).flatMap((branch) => targetsOf(machine, branch.arrow));
    case "odds":
      return arrow.entries.map(({ target }) => nameOf(target));
    default:
      return [];
  }
}

function sourceOf({ sources }: Machine, position: number): string {
  const { file, line, column } = sources.place(position);
  return position > (sources.files[0]?.text.length ?? 0) ? `${file}:${line}:${column}` : `${line}:${column}`;
}

function isCondition(kind: Recorded["kind"]): boolean {
  return kind === "rule" || kind === "if" || kind === "where";
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

/** Where the machine tells notes. */
function notesIn(machine: Machine): number[] {
  const found: number[] = [];
  visitMachine(machine, {
    statement(s) {
      if (s.kind === "note") found.push(s.from);
    },
  });
  return found;
}

/** Where a datum can be written. */
function writersOf(machine: Machine, path: string): number[] {
  const [place, first, field] = pointerParts(path);
  const slot =
    place === "data"
      ? machine.data.find(({ name }) => name === first)?.slot
      : machine.states.find(({ name }) => name === first)?.slot;
  const found: number[] = [];
  visitMachine(machine, {
    location({ base, from }) {
      if (base.kind === "local" || base.slot !== slot) return;
      if (base.kind === "stateData") {
        const fields = machine.states.find((state) => state.slot === base.slot)?.fields;
        if (field !== undefined && fields?.[base.field]?.name !== field) return;
      }
      found.push(from);
    },
  });
  return found;
}
