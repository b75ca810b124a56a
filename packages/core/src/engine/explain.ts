/** Why a condition failed: the part that failed as it is written, and the values in it. */

import type { Expr } from "../check/machine.js";
import type { Engine } from "./engine.js";
import { Fault } from "./fault.js";
import type { Refusal } from "./situation.js";
import { toText } from "./values.js";

/**
 * Explains a condition that does not hold in the engine's working memory. Of an `and` only the parts
 * that fail are told; the values are those of the operands that are not written as plain values.
 */
export function explain(engine: Engine, condition: Expr): NonNullable<Refusal["condition"]> {
  const failed = failedParts(engine, condition);
  const values = new Map<string, string>();
  for (const part of failed) collect(engine, part, values);
  const text = failed.map((part) => written(engine, part)).join(" and ");
  return { text, values: [...values].map(([name, value]) => ({ text: name, value })) };
}

/** One sentence: "kites[me].tape > 0 is needed, but kites[me].tape is 0". */
export function explainInWords(engine: Engine, condition: Expr): string {
  const { text, values } = explain(engine, condition);
  const known = values.map((v) => `${v.text} is ${v.value}`).join(", ");
  return known ? `needs ${text}, but ${known}` : `needs ${text}`;
}

function failedParts(engine: Engine, e: Expr): Expr[] {
  if (e.kind !== "binary" || e.op !== "and") return [e];
  const failed = [e.left, e.right].filter((part) => engine.expressions.compile(part)() !== true);
  return failed.length === 0 ? [e] : failed.flatMap((part) => failedParts(engine, part));
}

function collect(engine: Engine, e: Expr, values: Map<string, string>): void {
  switch (e.kind) {
    case "constant":
    case "range":
      return;
    case "not":
      collect(engine, e.of, values);
      return;
    case "binary":
      if (["and", "or", "implies", "==", "!=", "<", "<=", ">", ">=", "in", "+", "-", "*", "/", "mod"].includes(e.op)) {
        collect(engine, e.left, values);
        collect(engine, e.right, values);
        return;
      }
      break;
    default:
  }
  try {
    values.set(written(engine, e), toText(e.type, engine.expressions.compile(e)(), engine.naming));
  } catch (error) {
    if (!(error instanceof Fault)) throw error;
  }
}

function written(engine: Engine, e: Expr): string {
  return engine.machine.sources.text(e).replace(/\s+/g, " ");
}
