/** Units that are no seats, such as foes in a list: those that have fallen act on where nothing asks for them. */

import type { Messages } from "../../language/message.js";
import type { Block, Expr, Machine, Statement } from "../machine.js";
import { pathOf, pathOfLocation } from "../reason/accesses.js";
import { endingTests } from "../tree.js";
import { visitZeroTests } from "./fallen.js";
import { visitBlock, visitExpr, visitMachine } from "../visit.js";

type Loop = Statement & { readonly kind: "for" };

/** The stats that decide whether a record of a type has fallen: by the type's name, the fields. */
type Stats = ReadonlyMap<string, ReadonlySet<number>>;

export function checkFallenUnits(machine: Machine, messages: Messages): void {
  const stats = decidingStats(machine);
  if (stats.size === 0) return;
  visitMachine(machine, {
    statement: (s) => {
      if (s.kind === "for") checkLoop(machine, s, stats, messages);
    },
  });
}

function checkLoop(machine: Machine, loop: Loop, stats: Stats, messages: Messages): void {
  const list = loop.source.kind === "listProperty" && loop.source.property === "indices" ? loop.source.of : loop.source;
  const record = list.type.kind === "list" && list.type.of.kind === "record" ? list.type.of : undefined;
  const fields = record && stats.get(record.name);
  if (!record || !fields) return;
  const asks = (e: Expr | undefined): boolean =>
    throughCalls(machine, e, (part) => part.kind === "field" && isOf(part, record.name) && fields.has(part.field));
  if (asks(loop.source) || asks(loop.where) || asksInside(loop.body, asks)) return;
  if (!harms(machine, loop.body, pathOf(list), record.name)) return;
  const [field = 0] = fields;
  const name = record.fields[field]?.name ?? "";
  const text = machine.sources.written(list);
  messages.warning(
    "fallen-acts",
    loop.source,
    `Those of "${text}" that have fallen act here too: nothing asks for their "${name}".`,
    `Leave them out: for ... where ....${name} > 0.`,
  );
}

/** The stats of units whose 0 counts in conditions that lead to an ending. */
export function decidingStats(machine: Machine): Stats {
  const stats = new Map<string, Set<number>>();
  for (const test of endingTests(machine))
    visitZeroTests(machine, test, (stat) => {
      if (stat.kind !== "field" || stat.of.type.kind !== "record") return;
      const { of } = stat;
      const isUnit = of.kind === "local" || (of.kind === "index" && of.of.type.kind === "list");
      if (isUnit && of.type.kind === "record")
        stats.set(of.type.name, (stats.get(of.type.name) ?? new Set()).add(stat.field));
    });
  return stats;
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
function harms(machine: Machine, block: Block, units: string | undefined, record: string): boolean {
  let found = false;
  const isTheirs = (e: Expr): boolean =>
    throughCalls(machine, e, (part) => part.kind === "field" && isOf(part, record));
  visitBlock(block, {
    statement: (s) => {
      if (s.kind === "assign" && s.op !== "=" && s.target.base.kind !== "local")
        found ||= pathOfLocation(s.target)?.startsWith(units ?? "?") !== true && isTheirs(s.value);
      if (s.kind === "call") found ||= s.args.some(isTheirs);
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
