/** Lists with a greatest length that are added to without anybody asking how long they are. */

import type { Messages } from "../../language/message.js";
import type { Expr, Machine, Statement } from "../machine.js";
import { type DataPath, pathOf, pathOfLocation } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import { branchTests } from "../tree.js";
import { visitArrow, visitBlock, visitExpr, visitMachine, type Visitor } from "../visit.js";

export function checkFullLists({ machine, accesses }: Findings, messages: Messages): void {
  const asked = askedFor(machine);
  for (const action of machine.actions) {
    const told = new Set<DataPath>();
    const visitor: Visitor = {
      statement: (s) => {
        if (s.kind !== "change" || (s.method !== "push" && s.method !== "insert")) return;
        const { type } = s.target;
        const path = pathOfLocation(s.target);
        if (type.kind !== "list" || type.max === undefined || path === undefined || asked.has(path) || told.has(path))
          return;
        if (accesses.writes(path).some((a) => a.place.kind !== "test" && replaces(a.statement))) return;
        told.add(path);
        const name = machine.sources.written(s.target);
        messages.warning(
          "list-may-be-full",
          s,
          `"${name}" may be full here, with ${type.max} in it, and the match would stop with a fault.`,
          `Ask first: needs ${name}.size < ${type.max} else "...".`,
        );
      },
    };
    visitBlock(action.block, visitor);
    visitArrow(action.arrow, visitor);
  }
}

/** What sees to it that there is room: the list is emptied, or another put in its place. */
function replaces(statement: Statement | undefined): boolean {
  if (statement?.kind === "assign") return statement.op === "=" && statement.target.type.kind === "list";
  return statement?.kind === "change" && statement.method === "clear";
}

/** The lists of which some condition asks how many are in it, or who, in itself or through the functions it calls. */
function askedFor(machine: Machine): Set<DataPath> {
  const asked = new Set<DataPath>();
  const look = (test: Expr | undefined): void =>
    visitExpr(test, {
      expr: (e) => {
        const list =
          e.kind === "listHas" || (e.kind === "listProperty" && /^(size|empty)$/.test(e.property))
            ? e.of
            : e.kind === "binder" && e.word !== "map" && !/^sort/.test(e.word)
              ? e.source
              : undefined;
        const path = list && pathOf(list);
        if (path !== undefined) asked.add(path);
        if (e.kind === "call") look(machine.functions[e.function]?.body);
      },
    });
  visitMachine(
    { ...machine, laws: [], policies: [], tests: [] },
    {
      statement: (s) => {
        if (s.kind === "if") for (const { test } of s.branches) look(test);
      },
      arrow: (a) => {
        for (const test of branchTests(a)) look(test);
      },
    },
  );
  for (const { needs, parameters } of machine.actions) {
    for (const { test } of needs) look(test);
    for (const { domain, where } of parameters) for (const e of [domain, where]) look(e);
  }
  for (const { whens } of machine.states) for (const { test } of whens) if (test.kind === "holds") look(test.test);
  return asked;
}
