/**
 * Conditions that choose among several and ask the same of each: of another one, or of who acts, by a name that was
 * mixed up with the right one.
 */

import type { Messages } from "../../language/message.js";
import type { Action, Expr, Location, Machine } from "../machine.js";
import { type DataPath, pathOf } from "../reason/accesses.js";
import { describeKind, type Type } from "../types.js";
import { someExpr, visitArrow, visitBlock, visitExpr, visitMachine, type Visitor } from "../visit.js";

/** One of several: the name it is known by, and where that is kept. */
interface Each {
  readonly name: string;
  readonly slot: number;
  readonly type: Type;
}

export function checkSameForAll(machine: Machine, messages: Messages): void {
  for (const action of machine.actions) {
    for (const p of action.parameters) {
      const other = mixedUp(p.where, p, false);
      if (p.where && other && isUsedFor(action, p.slot, other.of)) tell(machine, messages, p.where, p, other.key);
    }
  }
  visitMachine(machine, {
    expr: (e) => {
      if (e.kind !== "binder" || e.source.type.kind !== "list") return;
      const asked = e.word === "any" || e.word === "all" ? [e.where, e.body] : [e.where];
      const name = nameOf(machine, e);
      const each = { name, slot: e.slot, type: e.source.type.of };
      for (const test of asked) {
        const other = mixedUp(test, each, true);
        if (test && other && !isAsked(asked, e.slot)) tell(machine, messages, test, each, other.key);
      }
    },
  });
}

function tell(machine: Machine, messages: Messages, test: Expr, { name }: Each, key: Expr): void {
  const [written, wrong] = [machine.sources.written(test), machine.sources.written(key)];
  messages.warning(
    "same-for-all",
    test,
    `"${written}" asks the same of every "${name}": it holds for all of them, or for none.`,
    `Ask of each: write "${name}" where "${wrong}" stands.`,
    undefined,
    { title: `Write "${name}" in place of "${wrong}"`, edits: [{ from: key.from, to: key.to, text: name }] },
  );
}

/** The name that a binder gives to each, as it is written: `any(NAME in ...`. */
function nameOf(machine: Machine, binder: Expr): string {
  return /^\w+\(\s*(\w+)/.exec(machine.sources.text(binder))?.[1] ?? "";
}

/** Where a condition that says nothing of each looks something up by another value of its type. */
interface Other {
  readonly of: DataPath | undefined;
  readonly key: Expr;
}

/** @param actor whether who acts counts as another: what a seat asks of itself may be meant */
function mixedUp(test: Expr | undefined, each: Each, actor: boolean): Other | undefined {
  if (!test || isAsked([test], each.slot)) return undefined;
  let other: Other | undefined;
  visitExpr(test, {
    expr: (e) => {
      if (e.kind !== "index" || describeKind(e.key.type) !== describeKind(each.type)) return;
      const { kind } = e.key;
      if (kind === "local" || kind === "stateData" || (kind === "me" && actor))
        other ??= { of: pathOf(e.of), key: e.key };
    },
  });
  return other;
}

function isAsked(tests: readonly (Expr | undefined)[], slot: number): boolean {
  return tests.some((test) => someExpr(test, (e) => e.kind === "local" && e.slot === slot));
}

/** Whether an argument says which of the same data an action is about. */
function isUsedFor(action: Action, slot: number, of: DataPath | undefined): boolean {
  let used = false;
  const isIt = (key: Expr): boolean => key.kind === "local" && key.slot === slot;
  const visitor: Visitor = {
    expr: (e) => {
      if (e.kind === "index" && isIt(e.key)) used ||= rootOf(pathOf(e.of)) === rootOf(of);
    },
    location: (target) => {
      if (target.path.some((step) => step.kind === "index" && isIt(step.key))) used ||= baseOf(target) === rootOf(of);
    },
  };
  visitBlock(action.block, visitor);
  visitArrow(action.arrow, visitor);
  return used && of !== undefined;
}

function rootOf(path: DataPath | undefined): string | undefined {
  return path && /^[ds]\d+/.exec(path)?.[0];
}

function baseOf({ base }: Location): string | undefined {
  return base.kind === "local" ? undefined : `${base.kind === "data" ? "d" : "s"}${base.slot}`;
}
