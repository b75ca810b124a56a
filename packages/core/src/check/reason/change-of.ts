/** What an assignment adds to a number or takes from it, however it is written. */

import type { Expr, Machine, Statement } from "../machine.js";

export interface Change {
  readonly op: "+=" | "-=";
  /** How much. */
  readonly value: Expr;
}

/**
 * `x -= e`, `x = x - e`, `x = max(0, x - e)` and their like with `+`.
 *
 * @returns undefined for what is set to something else
 */
export function changeOf(machine: Machine, statement: Statement & { kind: "assign" }): Change | undefined {
  const { op, value, target } = statement;
  if (op !== "=") return { op, value };
  const written = machine.sources.text(target);
  const kept = value.kind === "numeric" && (value.name === "max" || value.name === "min") ? value.args : [value];
  for (const e of kept)
    if (e.kind === "binary" && (e.op === "+" || e.op === "-") && machine.sources.text(e.left) === written)
      return { op: `${e.op}=`, value: e.right };
  return undefined;
}
