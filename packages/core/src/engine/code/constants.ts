/**
 * Whether a machine's constants can be worked out at all: what `compile` asks, so that a machine that compiles runs.
 */

import type { Expr, Machine } from "../../check/machine.js";
import { someExpr } from "../../check/visit.js";
import { Memory } from "../situation/memory.js";
import { Fault } from "../values/fault.js";
import { Expressions } from "./expressions.js";

/** The first constant that is a fault when it is worked out; all of them together may take what one step may. */
export function constantFault(machine: Machine): Fault | undefined {
  if (machine.constants.every(({ value }) => isPlain(value))) return undefined;
  try {
    new Expressions(machine, new Memory(machine), () => false);
    return undefined;
  } catch (error) {
    if (error instanceof Fault) return error;
    throw error;
  }
}

/** True for values as they are written. */
function isPlain(e: Expr): boolean {
  return !someExpr(e, ({ kind }) => kind !== "constant" && kind !== "list" && kind !== "record");
}
