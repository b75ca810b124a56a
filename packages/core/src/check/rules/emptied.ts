/** Queues that are asked whether they are empty, and that nothing ever takes from. */

import type { Messages } from "../../language/message.js";
import type { Span } from "../../language/source.js";
import type { Arrow, Block, Expr, Machine } from "../machine.js";
import { type Access, isPart, pathOf, slotsWritten } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import { isForLeaving } from "./fallen.js";
import { branchesOf, type Visitor, visitArrow, visitBlock, visitExpr, visitMachine } from "../visit.js";

/** A list that is asked whether it is empty, that grows, and that nothing ever takes from. */
export function checkEmptied(found: Findings, messages: Messages): void {
  const { machine, accesses } = found;
  const paths = new Map<string, Span>();
  const guards = new Set<Expr>();
  addFirstTimes(machine, guards);
  addAllGuards(machine, guards);
  visitMachine(machine, {
    expr: (e) => {
      const asked = emptiness(e);
      if (!asked || guards.has(asked.size)) return;
      const path = pathOf(asked.size.of);
      if (path && !paths.has(path)) paths.set(path, e);
    },
  });
  for (const [path, asked] of paths) {
    if (!accesses.touching(path).some(({ place, from, to }) => IN_RULES.has(place.kind) && isWithin(asked, from, to)))
      continue;
    const writes = accesses
      .writes(path)
      .filter((a) => a.place.kind !== "test" && (a.path === path || isPart(path, a.path)));
    if (writes.length === 0 || writes.every(isChosen)) continue;
    const grows = writes.some(
      (a) =>
        !a.takes &&
        (a.statement?.kind === "assign" ||
          (a.statement?.kind === "change" && (a.statement.method === "push" || a.statement.method === "insert"))),
    );
    const fills = fillingAt(found, path);
    // What a seat that leaves had is used up by nobody.
    const shrinks = writes.some((a) => !isForLeaving(machine, a) && takesOut(a, path) && !(isMade(a) && fills(a)));
    if (!grows || shrinks) continue;
    for (const test of found.tests.keys())
      if (test.from <= asked.from && test.to >= asked.to) found.explained.add(test);
    messages.warning(
      "queue-never-emptied",
      asked,
      `"${machine.sources.written(asked)}" is asked here, but nothing ever takes anything out.`,
      "Take from it where an entry is used up: LIST.take().",
    );
  }
}

/** Whether something may be in a list no more, or in a part of it, after it was written. */
function takesOut({ takes, statement, path: at }: Access, path: string): boolean {
  if (takes) return true;
  if (statement?.kind === "change") return ["take", "takeLast", "remove", "clear"].includes(statement.method);
  return statement?.kind === "assign" && (at !== path || mayShorten(statement.value));
}

/** Whether a list is cleared, or made anew: where it is empty, that takes nothing out. */
function isMade({ takes, statement }: Access): boolean {
  return !takes && (statement?.kind === "assign" || (statement?.kind === "change" && statement.method === "clear"));
}

/** Whether a list is set to what somebody has chosen: that it is empty says that nobody has, and it is no queue. */
function isChosen({ statement }: Access): boolean {
  if (statement?.kind !== "assign" || statement.op !== "=" || statement.value.kind !== "list") return false;
  return statement.value.items.some(({ kind }) => kind === "local");
}

/** Where a match asks: what only tests and laws ask decides nothing. */
const IN_RULES: ReadonlySet<Access["place"]["kind"]> = new Set(["state", "function", "effect"]);

function isWithin(span: Span, from: number, to: number): boolean {
  return span.from <= from && to <= span.to;
}

/** Something about a list: whether it is empty, or how many are in it. */
type Size = Expr & { readonly kind: "listProperty" };

/** Comparisons of a size with a number that hold when the list is empty, and those that hold when it is not. */
const EMPTY: ReadonlySet<string> = new Set(["== 0", "<= 0", "< 1"]);
const FILLED: ReadonlySet<string> = new Set(["!= 0", "> 0", ">= 1"]);

/** What a condition asks of a list alone: whether it is empty, or whether it is not. */
function emptiness(e: Expr): { readonly size: Size; readonly isEmpty: boolean } | undefined {
  if (e.kind === "listProperty") return e.property === "empty" ? { size: e, isEmpty: true } : undefined;
  if (e.kind !== "binary" || e.left.kind !== "listProperty" || e.left.property !== "size") return undefined;
  const asked = e.right.kind === "constant" ? `${e.op} ${e.right.value}` : "";
  return EMPTY.has(asked) || FILLED.has(asked) ? { size: e.left, isEmpty: EMPTY.has(asked) } : undefined;
}

/**
 * Whether a write stands where the list is empty anyway: what is done because it is, or in a state that is entered for
 * no other reason. Clearing it there, or making it anew, takes nothing out.
 */
function fillingAt({ machine, moves }: Findings, path: string): (write: Access) => boolean {
  const arrows = new Set<Arrow>();
  const blocks: Span[] = [];
  const tells = (test: Expr | undefined, wanted: boolean): boolean => {
    let told = false;
    visitWanted(machine, test, wanted, (size) => {
      told ||= pathOf(size.of) === path;
    });
    return told;
  };
  const add = (block: Block | undefined, arrow?: Arrow): void => {
    if (block) blocks.push(block);
    if (arrow) arrows.add(arrow);
  };
  visitMachine(machine, {
    statement: (s) => {
      if (s.kind === "if") for (const { test, body } of s.branches) if (tells(test, true)) add(body);
    },
    arrow: (a) => {
      if (a.kind !== "choose") return;
      for (const [i, { test, block, arrow }] of branchesOf(a).entries())
        if (
          tells(test, true) ||
          branchesOf(a)
            .slice(0, i)
            .some((before) => tells(before.test, false))
        )
          add(block, arrow);
    },
  });
  for (const { whens } of machine.states)
    for (const { test, block, arrow } of whens) if (test.kind === "holds" && tells(test.test, true)) add(block, arrow);
  return ({ place, from, to }) => {
    if (blocks.some((block) => isWithin(block, from, to))) return true;
    const state = place.kind === "state" ? machine.states[place.id] : undefined;
    if (!state || state.id === 0 || state.children.length > 0) return false;
    const ways = moves.filter((move) => "state" in move.to && move.to.state === state.id);
    return (
      ways.length > 0 &&
      ways.every(({ arrow }) => arrows.has(arrow)) &&
      state.enters.some(({ block }) => block && isWithin(block, from, to))
    );
  };
}

/**
 * Asking whether a list is empty before its first, its last or one by its place is looked at asks nothing about a
 * queue.
 *
 * @param behind shows all that is worked out, or done, only if the condition holds
 */
function addGuards(test: Expr, behind: (visitor: Visitor) => void, guards: Set<Expr>): void {
  const looked = new Set<string | undefined>();
  behind({
    expr: (e) => {
      if ((e.kind === "listProperty" && (e.property === "first" || e.property === "last")) || e.kind === "index")
        looked.add(pathOf(e.of));
    },
  });
  if (looked.size === 0) return;
  visitExpr(test, {
    expr: (e) => {
      const asked = emptiness(e)?.size;
      const path = asked && pathOf(asked.of);
      if (path !== undefined && looked.has(path)) guards.add(asked as Expr);
    },
  });
}

/** What stands behind conditions: the rest of an expression, what an `if` does, and an action; no arrow of a choice. */
function addAllGuards(machine: Machine, guards: Set<Expr>): void {
  const inExprs =
    (...exprs: readonly Expr[]) =>
    (visitor: Visitor): void => {
      for (const e of exprs) visitExpr(e, visitor);
    };
  visitMachine(machine, {
    expr: (e) => {
      if (e.kind === "binary" && (e.op === "and" || e.op === "or" || e.op === "implies"))
        addGuards(e.left, inExprs(e.right), guards);
      if (e.kind === "if") addGuards(e.test, inExprs(e.then, e.otherwise), guards);
    },
    statement: (s) => {
      if (s.kind !== "if") return;
      const blocks = [...s.branches.map(({ body }) => body), s.otherwise];
      for (const { test } of s.branches)
        addGuards(test, (visitor) => blocks.forEach((block) => visitBlock(block, visitor)), guards);
    },
  });
  for (const { needs, block, parameters, arrow } of machine.actions)
    for (const { test } of needs)
      addGuards(
        test,
        (visitor) => {
          visitBlock(block, visitor);
          visitArrow(arrow, visitor);
          for (const { where } of parameters) if (where) visitExpr(where, visitor);
        },
        guards,
      );
}

/**
 * Who needs a list to be empty, or puts something in where it is, asks whether something happens for the first time.
 */
function addFirstTimes(machine: Machine, guards: Set<Expr>): void {
  for (const { needs, parameters } of machine.actions)
    for (const test of [...needs.map((need) => need.test), ...parameters.map(({ where }) => where)])
      visitWanted(machine, test, true, (list) => guards.add(list));
  for (const block of blocksOf(machine)) {
    const written = slotsWritten(machine, (visitor) => visitBlock(block, visitor));
    visitBlock(block, {
      statement: (s) => {
        if (s.kind !== "if") return;
        for (const { test } of s.branches)
          visitWanted(machine, test, true, (list) => {
            if ((list.of.kind === "data" || list.of.kind === "stateData") && written.has(list.of.slot))
              guards.add(list);
          });
      },
    });
  }
}

/** Each piece of text that does something as a whole. */
function blocksOf({ states, actions, effects }: Machine): Block[] {
  return [
    ...actions.map(({ block }) => block),
    ...effects.map(({ body }) => body),
    ...states.flatMap((state) => [
      ...state.exits,
      ...[...state.enters, ...state.timers, ...state.listeners, ...state.whens].map(({ block }) => block),
    ]),
  ].filter((block) => block !== undefined);
}

/** Tells of each list whose being empty makes a condition hold, also in the functions that it calls. */
function visitWanted(
  machine: Machine,
  test: Expr | undefined,
  wanted: boolean,
  tell: (list: Size) => void,
  called: ReadonlySet<number> = new Set(),
): void {
  const into = (e: Expr | undefined, is = wanted): void => visitWanted(machine, e, is, tell, called);
  const asked = test && emptiness(test);
  if (asked) {
    if (asked.isEmpty === wanted) tell(asked.size);
    return;
  }
  switch (test?.kind) {
    case "not":
      into(test.of, !wanted);
      return;
    case "binary":
      if (test.op !== "and" && test.op !== "or" && test.op !== "implies") return;
      into(test.left, test.op === "implies" ? !wanted : wanted);
      into(test.right);
      return;
    case "binder":
      if (test.word === "any" || test.word === "all") into(test.body);
      return;
    case "call":
      if (!called.has(test.function))
        visitWanted(machine, machine.functions[test.function]?.body, wanted, tell, new Set(called).add(test.function));
      return;
    default:
  }
}

/** A filter that asks no more than whether each is still there. */
function onlyPresent({ where }: Expr & { kind: "binder" }): boolean {
  return (
    where?.kind === "binary" && where.op === "in" && (where.right.kind === "inPlay" || where.right.kind === "seated")
  );
}

/** A value that may be a shorter list than before: the rest of one, what a filter leaves, an empty one. */
function mayShorten(value: Expr): boolean {
  switch (value.kind) {
    case "listProperty":
      return value.property === "rest";
    case "binder":
      // Leaving out those who are gone takes nobody off a queue whose turn has come.
      if (onlyPresent(value)) return value.source.kind !== "data" && mayShorten(value.source);
      return value.word === "filter" || value.where !== undefined || mayShorten(value.source);
    case "list":
      return value.items.length === 0;
    case "if":
      return mayShorten(value.then) || mayShorten(value.otherwise);
    case "call":
    case "data":
    case "stateData":
    case "local":
    case "index":
    case "field":
      return true;
    default:
      return false;
  }
}
