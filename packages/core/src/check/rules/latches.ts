/**
 * Conditions that hold for good once they hold, because nothing sets back what they ask for. Where such a condition is
 * what ends a state, the state is over at once whenever it is entered again.
 */

import type { Messages } from "../../language/message.js";
import type { Arrow, Block, Expr, Machine, State, Statement, When } from "../machine.js";
import { type Access, type DataPath, pathOf, pathOfLocation } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import { ends, isInside } from "../tree.js";
import type { IntType } from "../types.js";
import { someExpr, visitMachine } from "../visit.js";
import { comesBack } from "./lifetimes.js";

export function checkLatches(found: Findings, messages: Messages): void {
  const { machine } = found;
  checkBudgets(found, messages);
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
function everyWrite({ accesses }: Findings, path: DataPath, so: (statement: Assign) => boolean): boolean {
  const isSo = (a: Access): boolean => a.path === path && a.statement?.kind === "assign" && so(a.statement);
  const writes = accesses.touching(path).filter(({ kind, place }) => kind === "write" && place.kind !== "test");
  return writes.length > 0 && writes.every(isSo);
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
