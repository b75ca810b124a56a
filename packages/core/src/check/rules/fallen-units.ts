/** Units that are no seats, such as foes in a list: those that have fallen act on where nothing asks for them. */

import type { Messages } from "../../language/message.js";
import type { Block, Expr, Machine, Statement } from "../machine.js";
import { pathOf, pathOfLocation } from "../reason/accesses.js";
import { branchTests, endingTests } from "../tree.js";
import { visitZeroTests } from "./fallen.js";
import { visitBlock, visitExpr, visitMachine } from "../visit.js";

type Loop = Statement & { readonly kind: "for" };

/** The stats that decide whether a record of a type has fallen: by the type's name, the fields. */
type Stats = ReadonlyMap<string, ReadonlySet<number>>;

export function checkFallenUnits(machine: Machine, messages: Messages): void {
  const deciding = decidingStats(machine);
  const leaving = leavingStats(machine);
  visitMachine(machine, {
    statement: (s) => {
      if (s.kind !== "for") return;
      if (!checkLoop(machine, s, deciding, false, messages)) checkLoop(machine, s, leaving, true, messages);
    },
  });
}

/** @param takes only what takes from others counts as acting @returns whether the loop is of units with such stats */
function checkLoop(machine: Machine, loop: Loop, stats: Stats, takes: boolean, messages: Messages): boolean {
  const list = loop.source.kind === "listProperty" && loop.source.property === "indices" ? loop.source.of : loop.source;
  const record = list.type.kind === "list" && list.type.of.kind === "record" ? list.type.of : undefined;
  const fields = record && stats.get(record.name);
  if (!record || !fields) return false;
  const asks = (e: Expr | undefined): boolean =>
    throughCalls(machine, e, (part) => part.kind === "field" && isOf(part, record.name) && fields.has(part.field));
  if (asks(loop.source) || asks(loop.where) || asksInside(loop.body, asks)) return true;
  if (!harms(machine, loop.body, pathOf(list), record.name, takes)) return true;
  const [field = 0] = fields;
  const name = record.fields[field]?.name ?? "";
  const text = machine.sources.written(list);
  messages.warning(
    "fallen-acts",
    loop.source,
    `Those of "${text}" that have fallen act here too: nothing asks for their "${name}".`,
    `Leave them out: for ... where ....${name} > 0.`,
  );
  return true;
}

/** The stats of units whose 0 counts in conditions that lead to an ending. */
export function decidingStats(machine: Machine): Stats {
  return statsAsked(machine, endingTests(machine), () => true);
}

/** The stats by which all units are asked whether any is left, where a state is over then, if they are taken from. */
function leavingStats(machine: Machine): Stats {
  const taken = fieldsTakenFrom(machine);
  return statsAsked(machine, leavingTests(machine), (name, counted) => counted && taken.has(name));
}

function statsAsked(
  machine: Machine,
  tests: readonly Expr[],
  decides: (name: string, counted: boolean) => boolean,
): Stats {
  const stats = new Map<string, Set<number>>();
  for (const test of tests)
    visitZeroTests(machine, test, (stat, counted) => {
      if (stat.kind !== "field" || stat.of.type.kind !== "record") return;
      const { of, field } = stat;
      const isUnit = of.kind === "local" || (of.kind === "index" && of.of.type.kind === "list");
      if (isUnit && of.type.kind === "record" && decides(of.type.fields[field]?.name ?? "", counted))
        stats.set(of.type.name, (stats.get(of.type.name) ?? new Set()).add(field));
    });
  return stats;
}

/** What a state asks by itself before it is left: in a `when`, or in a choice on the way in. */
function leavingTests({ states }: Machine): Expr[] {
  return states.flatMap(({ whens }) =>
    whens.flatMap(({ test, arrow }) => [...(test.kind === "holds" ? [test.test] : []), ...branchTests(arrow)]),
  );
}

/** The names of fields that are taken from somewhere. */
function fieldsTakenFrom(machine: Machine): Set<string> {
  const names = new Set<string>();
  visitMachine(machine, {
    statement: (s) => {
      if (s.kind === "assign" && s.op === "-=" && s.target.path.at(-1)?.kind === "field")
        names.add(machine.sources.text(s.target).split(".").at(-1) ?? "");
    },
  });
  return names;
}

/** Whether an `if` inside asks whether the unit stands. */
function asksInside(block: Block, asks: (e: Expr) => boolean): boolean {
  let asked = false;
  visitBlock(block, {
    statement: (s) => {
      if (s.kind === "if") asked ||= s.branches.some((b) => asks(b.test));
      if (s.kind === "for") asked ||= s.where !== undefined && asks(s.where);
    },
    expr: (e) => {
      if (e.kind === "if") asked ||= asks(e.test);
    },
  });
  return asked;
}

/** Whether something besides the units themselves changes by what they are. */
function harms(machine: Machine, block: Block, units: string | undefined, record: string, takes: boolean): boolean {
  let found = false;
  const isTheirs = (e: Expr): boolean =>
    throughCalls(machine, e, (part) => part.kind === "field" && isOf(part, record));
  visitBlock(block, {
    statement: (s) => {
      if (s.kind === "assign" && s.op !== "=" && !(takes && s.op === "+=") && s.target.base.kind !== "local")
        found ||= pathOfLocation(s.target)?.startsWith(units ?? "?") !== true && isTheirs(s.value);
      if (s.kind === "call" && !takes) found ||= s.args.some(isTheirs);
    },
  });
  return found;
}

function isOf(e: Expr & { readonly kind: "field" }, record: string): boolean {
  return e.of.type.kind === "record" && e.of.type.name === record;
}

/** Whether some part of an expression, or of a function it calls, is as asked. */
export function throughCalls(machine: Machine, e: Expr | undefined, is: (part: Expr) => boolean): boolean {
  const called = new Set<number>();
  let found = false;
  const look = (part: Expr): void => {
    found ||= is(part);
    if (part.kind !== "call" || called.has(part.function)) return;
    called.add(part.function);
    visitExpr(machine.functions[part.function]?.body, { expr: look });
  };
  visitExpr(e, { expr: look });
  return found;
}
