/**
 * What lasts a while and never ends: numbers that are set for it, such as being dazed for two rounds, and stances, such
 * as being braced until one's own next turn.
 */

import type { Messages } from "../../language/message.js";
import type { Expr, Machine, Statement } from "../machine.js";
import { type DataPath, pathOf, pathOfLocation } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import type { RecordType, Type } from "../types.js";
import { someExpr, visitExpr, visitMachine, type Visitor } from "../visit.js";
import { isConstant, writesOf } from "./holds-for-good.js";
import { comesAgain } from "./comes-back.js";

export function checkRunDowns(found: Findings, messages: Messages): void {
  const { machine } = found;
  const visit = (path: DataPath, name: string, type: Type, initial: Expr | undefined, is: IsRead): void => {
    switch (type.kind) {
      case "perSeat":
      case "list":
      case "grid":
        visit(path, name, type.of, type.kind === "perSeat" ? initial : undefined, is);
        return;
      case "record":
        for (const [i, field] of type.fields.entries()) {
          const isField = (e: Expr): boolean =>
            e.kind === "field" && e.field === i && e.of.type.kind === "record" && e.of.type.name === type.name;
          const own = machine.recordInitials.get(type.name)?.[i];
          // What holds its own kind has no end of parts.
          if (field.type.kind === "int" || field.type.kind === "bool")
            visit(`${path}.${i}`, field.name, field.type, own, isField);
        }
        return;
      case "int":
        if (!initial || isConstant(initial, 0)) look(found, path, name, is, messages);
        return;
      case "bool":
        if (!initial || isConstant(initial, false)) lookAtStance(found, path, name, messages);
        return;
      default:
    }
  };
  for (const { slot, name, type, initial } of machine.data) visit(`d${slot}`, name, type, initial, () => false);
  checkMade(found, messages);
}

/** What is made for a while in the course of a match, as a status that lasts three turns, and never grows older. */
function checkMade(found: Findings, messages: Messages): void {
  const { machine } = found;
  const changed = new Set<string>();
  const made = new Map<string, Expr>();
  visitMachine(machine, {
    statement: (s) => {
      if (s.kind === "assign") changed.add(machine.sources.text(s.target).split(".").at(-1) ?? "");
      if (isMadeAnew(found, s)) return;
      visitStatementRecords(s, (type, i, value) => {
        const key = `${type.name}.${i}`;
        const lasts = value.kind === "constant" ? typeof value.value === "number" && value.value >= 2 : true;
        if (lasts && value.kind !== "default" && !made.has(key)) made.set(key, value);
      });
    },
  });
  for (const type of machine.types) {
    if (type.kind !== "record") continue;
    for (const [i, { name, type: of }] of type.fields.entries()) {
      const value = made.get(`${type.name}.${i}`);
      const isField = (e: Expr): boolean =>
        e.kind === "field" && e.field === i && e.of.type.kind === "record" && e.of.type.name === type.name;
      if (!value || of.kind !== "int" || changed.has(name) || !isOnlyAskedForZero(machine, isField)) continue;
      messages.warning(
        "flag-never-cleared",
        value,
        `"${name}" is set to ${machine.sources.text(value)} here, and nothing ever counts it down: it lasts for good.`,
        `Count each of them down where a turn or a round is over: ${name} -= 1; or make it a bool when it is to last.`,
      );
    }
  }
}

/** Whether the record as it is made of nothing takes the place of what a statement sets: it lasts until then. */
function isMadeAnew(found: Findings, s: Statement): boolean {
  if (s.kind !== "assign") return false;
  const path = pathOfLocation(s.target);
  const { recordInitials } = found.machine;
  const isEmpty = (e: Expr): boolean =>
    e.kind === "record" &&
    e.type.kind === "record" &&
    e.fields.every((field, i) => field.kind === "default" || field === recordInitials.get(typeName(e))?.[i]);
  return (
    path !== undefined &&
    writesOf(found, path).some(
      (a) => a.path === path && a.statement?.kind === "assign" && someExpr(a.statement.value, isEmpty),
    )
  );
}

function typeName({ type }: Expr): string {
  return type.kind === "record" ? type.name : "";
}

/** Tells of the values that records are made of in a statement. */
function visitStatementRecords(s: Statement, tell: (type: RecordType, field: number, value: Expr) => void): void {
  const visitor: Visitor = {
    expr: (e) => {
      if (e.kind === "record" && e.type.kind === "record")
        for (const [i, value] of e.fields.entries()) tell(e.type, i, value);
    },
  };
  if (s.kind === "assign") visitExpr(s.value, visitor);
  else if (s.kind === "change") for (const arg of s.args) visitExpr(arg, visitor);
}

/** Whether an expression reads a number, from whatever holds it. */
type IsRead = (e: Expr) => boolean;

function look(found: Findings, path: DataPath, name: string, isField: IsRead, messages: Messages): void {
  const least = STANCE.test(name) ? 1 : 2;
  const [set] = lastingSets(found, path, ({ value }) => typeof value === "number" && value >= least);
  if (!set || !isOnlyAskedForZero(found.machine, (e) => pathOf(e) === path || isField(e))) return;
  const value = found.machine.sources.text(set.value);
  const done = set.op === "=" ? `"${name}" is set to ${value}` : `${value} is added to "${name}"`;
  messages.warning(
    "flag-never-cleared",
    set,
    `${done} here, and nothing ever counts it down: it lasts for good.`,
    `Count it down where a turn or a round is over: ${name} -= 1; or make it a bool when it is meant to last.`,
  );
}

/** What one takes up for a moment, by its usual words. */
const STANCE = /^(is)?(brac(ed|ing)|guard(ed|ing)?|defending|parrying|dodging|ducking|stunned|dazed|acted|moved)$/i;

/** A stance that is taken again and again, and never left. */
function lookAtStance(found: Findings, path: DataPath, name: string, messages: Messages): void {
  const { machine, accesses } = found;
  if (!STANCE.test(name)) return;
  const sets = lastingSets(found, path, ({ value }) => value === true);
  const [set] = sets;
  if (!set || messages.list.some((m) => m.name === "flag-never-cleared" && m.from === set.from)) return;
  const reads = accesses.touching(path).filter(({ kind, place }) => kind === "read" && place.kind !== "test");
  const taking = machine.actions.filter(({ from, to }) => sets.some((s) => from <= s.from && s.to <= to));
  // Who may take it but once asks for it.
  const isOnce = taking.some(({ needs, parameters }) =>
    [...needs.map(({ test }) => test), ...parameters].some((asking) =>
      reads.some((a) => asking.from <= a.from && a.to <= asking.to),
    ),
  );
  const isTakenAgain = taking.some(({ arrow, state }) => arrow.kind === "stay" || comesAgain(found, state));
  if (reads.length === 0 || isOnce || !isTakenAgain) return;
  messages.warning(
    "flag-never-cleared",
    set,
    `"${name}" is set to true here, and nothing ever sets it back: it lasts for the rest of the match.`,
    `Set it back where it is over, such as where the next turn begins: ${name} = false.`,
  );
}

type Constant = Expr & { readonly kind: "constant" };

/**
 * Where data are given a value that lasts; none where they are written in any other way, but for what is made once, at
 * the beginning.
 */
function lastingSets(
  found: Findings,
  path: DataPath,
  lasts: (value: Constant) => boolean,
): (Statement & { readonly kind: "assign" })[] {
  const sets: (Statement & { readonly kind: "assign" })[] = [];
  for (const { path: at, statement: s, place } of writesOf(found, path)) {
    if (at !== path && place.kind === "state" && !comesAgain(found, place.id)) continue;
    if (at !== path || s?.kind !== "assign" || s.op === "-=") return [];
    if (s.value.kind !== "constant" || !lasts(s.value)) return [];
    sets.push(s);
  }
  return sets;
}

/** Whether a number is read at all, and each time compared with 0. */
function isOnlyAskedForZero(machine: Machine, isRead: IsRead): boolean {
  const compared = new Set<Expr>();
  let [reads, others] = [0, 0];
  visitMachine(machine, {
    expr: (e) => {
      if (e.kind === "binary" && isWithZero(e)) compared.add(e.left);
      if (!isRead(e) || machine.tests.some(({ from, to }) => from <= e.from && e.to <= to)) return;
      reads++;
      if (!compared.has(e)) others++;
    },
  });
  return reads > 0 && others === 0;
}

function isWithZero({ op, right }: Expr & { readonly kind: "binary" }): boolean {
  return op === ">=" || op === "<"
    ? isConstant(right, 1)
    : (op === ">" || op === "==" || op === "!=") && isConstant(right, 0);
}
