/** What is reached, used up or marked once and never set back, although what it decides comes again. */

import type { Messages } from "../../language/message.js";
import type { Action, Arrow, Block, Expr, Machine, State } from "../machine.js";
import { readsOf } from "../reads.js";
import { type DataPath, pathOf, pathOfLocation } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import { branchTests, ends, isInside } from "../tree.js";
import type { RecordType } from "../types.js";
import { someExpr, visitMachine } from "../visit.js";
import { throughCalls } from "./fallen-units.js";
import { everyWrite, holdsForGood, isConstant, writesOf } from "./holds-for-good.js";
import { comesBack } from "./comes-back.js";

export function checkLatches(found: Findings, messages: Messages): void {
  checkOver(found, messages);
  checkBudgets(found, messages);
  checkUnitFlags(found, messages);
}

/**
 * Where a condition that holds for good is what ends a state, the state is over at once whenever it is entered again.
 */
function checkOver(found: Findings, messages: Messages): void {
  const { machine } = found;
  for (const state of machine.states) {
    if (state.id === 0 || !waits(state)) continue;
    const inside = machine.states.filter(({ id }) => isInside(machine, id, state.id));
    const leaves = (arrow: Arrow | undefined): boolean =>
      arrow !== undefined && ends(arrow).some((one) => leadsOut(machine, one, state.id));
    // Whoever may leave before has not come to the end of it.
    if (inside.some((s) => [...s.actions, ...s.listeners.filter(isTold(machine))].some(({ arrow }) => leaves(arrow))))
      continue;
    for (const { test: asking, arrow } of state.whens) {
      if (asking.kind !== "holds" || !leavesToPlay(machine, arrow, state)) continue;
      const lasting = holdsForGood(found, asking.test);
      const [asked] = lasting;
      if (!asked || !comesBack(found, state.id) || isToldOf(found, asked, messages)) continue;
      if (isMinded(machine, state.id, lasting)) continue;
      const name = machine.sources.written(asked);
      messages.warning(
        "outlives-state",
        asking.test,
        `Once this holds it holds for good, as nothing ever sets "${name}" back: the next time ` +
          `"${state.name}" is over ` +
          "as soon as it is entered.",
        `Set it anew where "${state.name}" is entered, or make it data of that state, which are made anew at ` +
          `each entry.`,
      );
    }
  }
}

/** Whether something outside a state decides by the same data, such as whether one may go there once more. */
function isMinded(machine: Machine, state: number, lasting: readonly Expr[]): boolean {
  const slots = new Set(lasting.flatMap((e) => [...readsOf(machine, e).slots]));
  const asks = (test: Expr | undefined): boolean =>
    test !== undefined && [...readsOf(machine, test).slots].some((slot) => slots.has(slot));
  return machine.states.some((other) => !isInside(machine, other.id, state) && testsOf(other).some(asks));
}

/** All conditions of a state. */
function testsOf({ actions, whens, listeners, timers }: State): (Expr | undefined)[] {
  return [
    ...actions.flatMap(({ needs, parameters }) => [
      ...needs.map(({ test }) => test),
      ...parameters.flatMap(({ domain, where }) => [domain, where]),
    ]),
    ...whens.map(({ test }) => (test.kind === "holds" ? test.test : undefined)),
    ...[...listeners, ...timers].map(({ test }) => test),
    ...[...actions, ...whens, ...listeners, ...timers].flatMap(({ arrow }) => (arrow ? branchTests(arrow) : [])),
  ];
}

/** Whether a flag was told of where it is set. */
function isToldOf(found: Findings, asked: Expr, { list }: Messages): boolean {
  const path = asked.type.kind === "bool" ? pathOf(asked) : undefined;
  if (path === undefined) return false;
  const sets = writesOf(found, path);
  return list.some(({ name, from }) => name === "flag-never-cleared" && sets.some((set) => set.from === from));
}

/** Where the turn is passed on once something is used up that nothing gives back: the next has none of it. */
function checkBudgets(found: Findings, messages: Messages): void {
  const { machine } = found;
  const turns = new Set(machine.states.flatMap(({ turn }) => (turn ? pathOf(turn.of) : undefined) ?? []));
  const passes = (block: Block | undefined): boolean =>
    block?.statements.some((s) => s.kind === "assign" && turns.has(pathOfLocation(s.target) ?? "")) ?? false;
  let ways = 0;
  visitMachine(machine, {
    statement: (s) => {
      if (s.kind === "assign" && turns.has(pathOfLocation(s.target) ?? "")) ways++;
    },
  });
  const look = (test: Expr, block: Block | undefined): void => {
    if (passes(block) && ways === 1) {
      const [flag] = holdsForGood(found, test, false);
      const [set] = flag ? writesOf(found, pathOf(flag) ?? "") : [];
      if (flag && set)
        messages.warning(
          "flag-never-cleared",
          set,
          `"${machine.sources.written(flag)}" is set here and never back: from then on the turn is not passed on any ` +
            "more.",
          "Clear it where it has been asked for, or where the next turn begins.",
          { from: test.from, to: test.to, words: "It is asked here." },
        );
    }
    const [asked] = passes(block) ? holdsForGood(found, test) : [];
    // What belongs to one seat, such as its strength, is used up for that one alone.
    if (!asked || someExpr(asked, ({ kind }) => kind === "index")) return;
    // A flag, such as an alarm, may well change how turns go from then on.
    if (!goesUpOrDown(found, pathOf(asked) ?? "")) return;
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
function waits({ actions, listeners, timers }: State): boolean {
  return actions.length > 0 || listeners.length > 0 || timers.some(({ block }) => block);
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
function leavesToPlay(machine: Machine, arrow: Arrow, { id }: State): boolean {
  return ends(arrow).every(
    (one) => one.kind === "to" && one.target.kind === "state" && !isInside(machine, one.target.state, id),
  );
}
