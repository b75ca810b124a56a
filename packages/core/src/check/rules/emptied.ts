/** Queues that are asked whether they are empty, and that nothing ever takes from. */

import type { Messages } from "../../language/message.js";
import type { Span } from "../../language/source.js";
import type { Block, Expr, Machine } from "../machine.js";
import { isPart, pathOf, slotsWritten } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import { someExpr, visitBlock, visitExpr, visitMachine } from "../visit.js";

/** A list that is asked whether it is empty, that grows, and that nothing ever takes from. */
export function checkEmptied(found: Findings, messages: Messages): void {
  const { machine, accesses } = found;
  const paths = new Map<string, Span>();
  const guards = new Set<Expr>();
  addFirstTimes(machine, guards);
  visitMachine(machine, {
    expr: (e) => {
      if (e.kind === "binary" && (e.op === "and" || e.op === "or" || e.op === "implies"))
        addGuards(e.left, [e.right], guards);
      if (e.kind === "if") addGuards(e.test, [e.then, e.otherwise], guards);
      if (e.kind !== "listProperty" || e.property !== "empty" || guards.has(e)) return;
      const path = pathOf(e.of);
      if (path && !paths.has(path)) paths.set(path, e);
    },
  });
  for (const [path, asked] of paths) {
    const writes = accesses
      .writes(path)
      .filter((a) => a.place.kind !== "test" && (a.path === path || isPart(path, a.path)));
    if (writes.length === 0) continue;
    const grows = writes.some(
      (a) =>
        !a.takes &&
        (a.statement?.kind === "assign" ||
          (a.statement?.kind === "change" && (a.statement.method === "push" || a.statement.method === "insert"))),
    );
    const shrinks = writes.some(
      (a) =>
        a.takes ||
        (a.statement?.kind === "change" && ["take", "takeLast", "remove", "clear"].includes(a.statement.method)) ||
        (a.statement?.kind === "assign" && (a.path !== path || mayShorten(a.statement.value))),
    );
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

/** Asking whether a list is empty before its first or last is looked at asks nothing about a queue. */
function addGuards(test: Expr, behind: readonly Expr[], guards: Set<Expr>): void {
  visitExpr(test, {
    expr: (asked) => {
      if (asked.kind !== "listProperty" || asked.property !== "empty") return;
      const path = pathOf(asked.of);
      const looks = (e: Expr): boolean =>
        ((e.kind === "listProperty" && (e.property === "first" || e.property === "last")) || e.kind === "index") &&
        pathOf(e.of) === path;
      if (path !== undefined && behind.some((e) => someExpr(e, looks))) guards.add(asked);
    },
  });
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

type Emptiness = Expr & { readonly kind: "listProperty" };

/** Tells of each list whose being empty makes a condition hold, also in the functions that it calls. */
function visitWanted(
  machine: Machine,
  test: Expr | undefined,
  wanted: boolean,
  tell: (list: Emptiness) => void,
  called: ReadonlySet<number> = new Set(),
): void {
  const into = (e: Expr | undefined, is = wanted): void => visitWanted(machine, e, is, tell, called);
  switch (test?.kind) {
    case "listProperty":
      if (test.property === "empty" && wanted) tell(test);
      return;
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
