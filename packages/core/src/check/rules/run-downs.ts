/** Numbers that are set so that something lasts a while, such as being dazed for two rounds, and that never run down. */

import type { Messages } from "../../language/message.js";
import type { Expr, Machine, Statement } from "../machine.js";
import { type DataPath, pathOf } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import type { Type } from "../types.js";
import { visitMachine } from "../visit.js";
import { isConstant, writesOf } from "./holds-for-good.js";
import { comesAgain } from "./lifetimes.js";

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
          if (field.type.kind === "int") visit(`${path}.${i}`, field.name, field.type, own, isField);
        }
        return;
      case "int":
        if (!initial || isConstant(initial, 0)) look(found, path, name, is, messages);
        return;
      default:
    }
  };
  for (const { slot, name, type, initial } of machine.data) visit(`d${slot}`, name, type, initial, () => false);
}

/** Whether an expression reads a number, from whatever holds it. */
type IsRead = (e: Expr) => boolean;

function look(found: Findings, path: DataPath, name: string, isField: IsRead, messages: Messages): void {
  const sets = lastingSets(found, path);
  const [set] = sets;
  if (!set || !isOnlyAskedForZero(found.machine, (e) => pathOf(e) === path || isField(e))) return;
  messages.warning(
    "flag-never-cleared",
    set,
    `"${name}" is set to ${found.machine.sources.text(set.value)} here, and nothing ever counts it down: it lasts for good.`,
    `Count it down where a turn or a round is over: ${name} -= 1; or make it a bool when it is meant to last.`,
  );
}

/**
 * Where a number is given its size, which is more than 1; none where it is written in any other way, but for what is made
 * once, at the beginning.
 */
function lastingSets(found: Findings, path: DataPath): (Statement & { readonly kind: "assign" })[] {
  const sets: (Statement & { readonly kind: "assign" })[] = [];
  for (const { path: at, statement: s, place } of writesOf(found, path)) {
    if (at !== path && place.kind === "state" && !comesAgain(found, place.id)) continue;
    if (at !== path || s?.kind !== "assign" || s.op !== "=") return [];
    if (s.value.kind !== "constant" || typeof s.value.value !== "number" || s.value.value < 2) return [];
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
