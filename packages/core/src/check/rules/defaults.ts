/** First values: data get theirs from top to bottom, so none is made of what comes after it. */

import type { Messages } from "../../language/message.js";
import type { DataField, Expr, Machine } from "../machine.js";
import { readsOf } from "../reads.js";
import type { Type } from "../types.js";
import { visitExpr } from "../visit.js";

export function checkDefaults(machine: Machine, messages: Messages): void {
  for (const field of machine.data) {
    const made = field.initial ? [field.initial] : defaultsOf(machine, field.type, new Set());
    const late = made.flatMap((e) => tooEarly(machine, field, e)).at(0);
    if (late) tell(machine, field, late, messages);
  }
}

/** Data that are read, at the data themselves or at what reads them. */
interface Late {
  readonly read: DataField;
  readonly at: Expr;
}

/** What of an expression reads data that have no value yet. */
function tooEarly(machine: Machine, { slot }: DataField, e: Expr): Late[] {
  const found: Late[] = [];
  visitExpr(e, {
    expr: (part) => {
      const slots = part.kind === "data" ? [part.slot] : part.kind === "call" ? readsOf(machine, part).slots : [];
      for (const one of slots) {
        const read = machine.data[one];
        if (read && one >= slot) found.push({ read, at: part });
      }
    },
  });
  return found;
}

/** The written defaults that the value of a type is made of, where none is given. */
function defaultsOf(machine: Machine, type: Type, known: Set<string>): readonly Expr[] {
  switch (type.kind) {
    case "record": {
      if (known.has(type.name)) return [];
      known.add(type.name);
      const initials = machine.recordInitials.get(type.name) ?? [];
      return type.fields.flatMap((field, i) => {
        const initial = initials[i];
        return initial ? [initial] : defaultsOf(machine, field.type, known);
      });
    }
    case "perSeat":
    case "grid":
      return defaultsOf(machine, type.of, known);
    default:
      return [];
  }
}

function tell({ sources }: Machine, field: DataField, { read, at }: Late, messages: Messages): void {
  const { name, nameFrom } = field;
  const isHere = at.from >= field.from && at.to <= field.to;
  const reader = isHere ? `"${sources.written(at)}"` : "What its type begins with";
  const isDirect = isHere && at.kind === "data";
  messages.error(
    "used-too-early",
    isHere ? at : { from: nameFrom, to: nameFrom + name.length },
    isDirect ? `"${read.name}" has no value yet.` : `${reader} reads "${read.name}", which has no value yet.`,
    read.slot === field.slot
      ? `Begin "${name}" with a value that does not need itself.`
      : `Data get their first values from top to bottom: declare "${read.name}" above "${name}".`,
  );
}
