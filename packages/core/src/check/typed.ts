/** Typed expressions that stand for what was not written. */

import type { Span } from "../language/source.js";
import type { Expr, Location, Machine } from "./machine.js";
import { type Field, type Type, UNKNOWN } from "./types.js";

/** What a value that may be none holds, taken for granted; a fault when there is none. */
export function unwrapped(of: Expr, type: Type): Expr {
  return { kind: "unwrap", of, type, from: of.from, to: of.to };
}

/** Stands where an expression could not be read; whatever is asked of it, it fits. */
export function unknownAt(at: Span): Expr {
  return { kind: "constant", value: null, type: UNKNOWN, from: at.from, to: at.to };
}

/** What is read where a place in the match's data is written; undefined where that is inside a state's own data. */
export function readOf(
  { data }: Machine,
  { base, path, from, to }: Pick<Location, "base" | "path" | keyof Span>,
): Expr | undefined {
  const declared = base.kind === "data" ? data[base.slot] : undefined;
  if (base.kind !== "data" || !declared) return undefined;
  let read: Expr = { kind: "data", slot: base.slot, type: declared.type, from, to };
  for (const step of path) {
    const type: Type = read.type;
    if (step.kind === "field") {
      const field: Field | undefined = type.kind === "record" ? type.fields[step.field] : undefined;
      if (!field) return undefined;
      read = { kind: "field", of: read, field: step.field, type: field.type, from, to };
    } else if (step.kind === "present") {
      read = unwrapped(read, step.type);
    } else {
      const parts = step.of.kind === "map" ? step.of.value : "of" in step.of ? step.of.of : undefined;
      if (!parts) return undefined;
      read = { kind: "index", of: read, key: step.key, type: parts, from, to };
    }
  }
  return read;
}
