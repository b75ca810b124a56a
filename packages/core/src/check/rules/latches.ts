/**
 * Conditions that hold for good once they hold, because nothing sets back what they ask for. Where such a condition is
 * what ends a state, the state is over at once whenever it is entered again.
 */

import type { Messages } from "../../language/message.js";
import type { Action, Arrow, Block, Expr, Machine, State, Statement, When } from "../machine.js";
import { type Access, type DataPath, pathOf, pathOfLocation } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import { ends, isInside } from "../tree.js";
import type { IntType, RecordType } from "../types.js";
import { someExpr, visitMachine } from "../visit.js";
import { throughCalls } from "./fallen-units.js";
import { comesBack } from "./lifetimes.js";

export function checkLatches(found: Findings, messages: Messages): void {
  const { machine } = found;
  checkBudgets(found, messages);
  checkUnitFlags(found, messages);
  for (const state of machine.states) {
    if (state.id === 0 || !waits(state)) continue;
    const inside = machine.states.filter(({ id }) => isInside(machine, id, state.id));
    const leaves = (arrow: Arrow | undefined): boolean =>
      arrow !== undefined && ends(arrow).some((one) => leadsOut(machine, one, state.id));
    // Whoever may leave before has not come to the end of it.
    if (inside.some((s) => [...s.actions, ...s.listeners.filter(isTold(machine))].some(({ arrow }) => leaves(arrow))))
      continue;
    for (const when of state.whens) {
      const latch =
        when.test.kind === "holds" && leavesToPlay(machine, when, state) ? latchOf(found, when.test.test) : [];
      const [asked] = latch;
      if (!asked || when.test.kind !== "holds" || !comesBack(found, state.id)) continue;
      const name = machine.sources.written(asked);
      messages.warning(
        "outlives-state",
        when.test.test,
        `Once this holds it holds for good, as nothing ever sets "${name}" back: the next time "${state.name}" is over ` +
          "as soon as it is entered.",
        `Set it anew where "${state.name}" is entered, or make it data of that state, which are made anew at each entry.`,
      );
    }
  }
}

/** Where the turn is passed on once something is used up that nothing gives back: the next has none of it. */
function checkBudgets(found: Findings, messages: Messages): void {
  const { machine } = found;
  const turns = new Set(machine.states.flatMap(({ turn }) => (turn ? pathOf(turn.of) : undefined) ?? []));
  const passes = (block: Block | undefined): boolean =>
    block?.statements.some((s) => s.kind === "assign" && turns.has(pathOfLocation(s.target) ?? "")) ?? false;
  const look = (test: Expr, block: Block | undefined): void => {
    const [asked] = passes(block) ? latchOf(found, test) : [];
    // What belongs to one seat, such as its strength, is used up for that one alone.
    if (!asked || someExpr(asked, ({ kind }) => kind === "index")) return;
    const name = machine.sources.written(asked);
    messages.warning(
      "outlives-state",
      test,
      `Once this holds it holds for good, as nothing ever sets "${name}" back: from then on every turn is passed on ` +
        "as soon as it is asked.",
      `Set it anew where the turn is passed on: ${name} = ...`,
    );
  };
  visitMachine(machine, {
    statement: (s) => {
      if (s.kind === "if") for (const { test, body } of s.branches) look(test, body);
    },
    arrow: (a) => {
      if (a.kind === "choose") for (const { test, block } of a.branches) if (test) look(test, block);
    },
  });
}

/**
 * Units of a list that are marked as they act, and chosen only while they are not: where nothing takes the mark away,
 * each acts once in the whole match. What is used up so, such as tiles, has no strength that goes up and down.
 */
function checkUnitFlags(found: Findings, messages: Messages): void {
  const { machine } = found;
  for (const { slot, type } of machine.data) {
    const record = type.kind === "list" && type.of.kind === "record" ? type.of : undefined;
    if (!record?.fields.some((f, i) => f.type.kind === "int" && goesUpOrDown(found, `d${slot}.${i}`))) continue;
    const initials = machine.recordInitials.get(record.name) ?? [];
    for (const [i, { name, type: of }] of record.fields.entries()) {
      const path = `d${slot}.${i}`;
      const initial = initials[i];
      if (of.kind !== "bool" || (initial && !isConstant(initial, false))) continue;
      const marks = writesOf(found, path);
      if (!everyWrite(found, path, (s) => s.op === "=" && isConstant(s.value, true))) continue;
      const asks = (e: Expr): boolean => e.kind === "field" && e.field === i && pathOf(e) === path;
      const choosing = machine.actions.filter((action) => acts(action) && choosesFrom(machine, action, slot, record));
      const asked = choosing.every(({ needs, parameters }) =>
        [...needs.map(({ test }) => test), ...parameters.flatMap(({ domain, where }) => [domain, where])].some((e) =>
          throughCalls(machine, e, asks),
        ),
      );
      const [mark] = marks;
      if (choosing.length === 0 || !asked || !mark) continue;
      const list = machine.data.find((d) => d.slot === slot)?.name ?? "";
      messages.warning(
        "flag-never-cleared",
        mark,
        `"${name}" is set to true here and never back: each of "${list}" can do something once in the whole match.`,
        `Clear it where the next turn begins: for i in ${list}.indices { ${list}[i].${name} = false }`,
      );
    }
  }
}

function goesUpOrDown(found: Findings, path: DataPath): boolean {
  return writesOf(found, path).some(({ statement: s }) => s?.kind === "assign" && s.op !== "=");
}

/** An action that does more than tell. */
function acts({ block, arrow }: Action): boolean {
  return arrow.kind !== "stay" || (block?.statements.some(({ kind }) => kind !== "note") ?? false);
}

/** Whether an action lets one of a list be chosen, by its number; where they are of seats, one of one's own. */
function choosesFrom(machine: Machine, { parameters }: Action, slot: number, { fields, name }: RecordType): boolean {
  const isOwned = fields.some(({ type }) => type.kind === "seat");
  const isOwner = (e: Expr): boolean =>
    e.kind === "field" && e.type.kind === "seat" && e.of.type.kind === "record" && e.of.type.name === name;
  return parameters.some(({ domain, where }) => {
    const asks = (is: (e: Expr) => boolean): boolean => [domain, where].some((e) => throughCalls(machine, e, is));
    return (
      asks(
        (e) => e.kind === "listProperty" && e.of.kind === "data" && e.of.slot === slot && e.property === "indices",
      ) &&
      (!isOwned || asks((e) => e.kind === "binary" && e.op === "==" && isOwner(e.left)))
    );
  });
}

/** Something can happen in a state itself. */
function waits({ actions, listeners }: State): boolean {
  return actions.length > 0 || listeners.length > 0;
}

/** Whether a listener hears what is raised or told, and not that a seat has come or gone. */
function isTold({ signals }: Machine): (listener: State["listeners"][number]) => boolean {
  return ({ signal }) => signals[signal]?.origin !== "system";
}

function leadsOut(machine: Machine, arrow: Arrow, state: number): boolean {
  if (arrow.kind === "return" || arrow.kind === "history") return true;
  return arrow.kind === "to" && (arrow.target.kind === "ending" || !isInside(machine, arrow.target.state, state));
}

/** Whether a condition leads out of its state to another one, and not to an ending. */
function leavesToPlay(machine: Machine, { arrow }: When, { id }: State): boolean {
  return ends(arrow).every(
    (one) => one.kind === "to" && one.target.kind === "state" && !isInside(machine, one.target.state, id),
  );
}

/** What keeps a condition true once it is: the data that it asks for; none where it may become false again. */
function latchOf(found: Findings, test: Expr): Expr[] {
  if (test.kind === "binary" && (test.op === "and" || test.op === "or")) {
    const [left, right] = [latchOf(found, test.left), latchOf(found, test.right)];
    return test.op === "or" || (left.length > 0 && right.length > 0) ? [...left, ...right] : [];
  }
  if (test.kind === "binder" && (test.word === "all" || test.word === "any")) {
    const { source, where, body } = test;
    const isSame = source.kind === "inPlay" || source.kind === "seats";
    return isSame && !where && body ? latchOf(found, body) : [];
  }
  // Flags are told of where they are set.
  return test.kind === "binary" && staysSo(found, test) ? [test.left] : [];
}

/** Whether a comparison of a datum with a constant does not hold at first, and does after each time it is written. */
function staysSo(found: Findings, { op, left, right }: Expr & { readonly kind: "binary" }): boolean {
  const path = pathOf(left);
  if (path === undefined || right.kind !== "constant" || !Object.hasOwn(HOLDS, op)) return false;
  const limit = right.value;
  if (limit === null)
    return (
      op === "!=" &&
      beginsAsNone(found.machine, path) &&
      everyWrite(found, path, ({ value }) => value.type.kind !== "maybe" && !isConstant(value, null))
    );
  if (typeof limit !== "number" || left.type.kind !== "int") return false;
  const holds = HOLDS[op] as (low: number, high: number, limit: number) => boolean;
  const first = firstOf(found.machine, path);
  if (first === undefined || holds(first, first, limit)) return false;
  return everyWrite(found, path, (s) => {
    const { value, amount } = found.written.get(s) ?? {};
    if (s.op === "=") return value !== undefined && holds(value.low, value.high, limit);
    const { low, high } = left.type as IntType;
    const isBound = op === "==" && limit === (s.op === "+=" ? high : low);
    const onwards = s.op === "+=" ? op === ">" || op === ">=" : op === "<" || op === "<=";
    return (onwards || isBound) && amount !== undefined && amount.low >= 0;
  });
}

/** By operator, whether a comparison with a limit holds for all numbers of a range. */
const HOLDS: Readonly<Record<string, (low: number, high: number, limit: number) => boolean>> = {
  ">": (low, _, limit) => low > limit,
  ">=": (low, _, limit) => low >= limit,
  "<": (_, high, limit) => high < limit,
  "<=": (_, high, limit) => high <= limit,
  "==": (low, high, limit) => low === limit && high === limit,
  "!=": (low, high, limit) => high < limit || low > limit,
};

type Assign = Statement & { readonly kind: "assign" };

/** Whether a datum is written at all, and each time so. */
function everyWrite(found: Findings, path: DataPath, so: (statement: Assign) => boolean): boolean {
  const isSo = (a: Access): boolean => a.path === path && a.statement?.kind === "assign" && so(a.statement);
  const writes = writesOf(found, path);
  return writes.length > 0 && writes.every(isSo);
}

/** What is written to a datum, a part of it, or what it is part of; by tests is no such thing. */
function writesOf({ accesses }: Findings, path: DataPath): readonly Access[] {
  return accesses.touching(path).filter(({ kind, place }) => kind === "write" && place.kind !== "test");
}

function isConstant(e: Expr, value: unknown): boolean {
  return e.kind === "constant" && e.value === value;
}

/** What a whole number of the machine's data is at first, for every seat; undefined for others. */
function firstOf(machine: Machine, path: DataPath): number | undefined {
  const field = fieldOf(machine, path);
  const type = field?.type.kind === "perSeat" ? field.type.of : field?.type;
  if (!field || type?.kind !== "int") return undefined;
  const { initial } = field;
  if (initial === undefined) return Math.min(Math.max(0, type.low), type.high);
  return initial.kind === "constant" && typeof initial.value === "number" ? initial.value : undefined;
}

/** Whether data of the machine begin as none. */
function beginsAsNone(machine: Machine, path: DataPath): boolean {
  const field = fieldOf(machine, path);
  return field !== undefined && (field.initial === undefined || isConstant(field.initial, null));
}

/** The datum of the machine of a path; of what is part of one nothing is said. */
function fieldOf({ data }: Machine, path: DataPath): Machine["data"][number] | undefined {
  return data.find(({ slot }) => path === `d${slot}`);
}
