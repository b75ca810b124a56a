/** What can be left out when nobody looks: expressions that cannot go wrong, signals that only notes hear. */

import type { Block, Expr, Machine } from "./machine.js";
import { costOf } from "./size.js";

/** True when computing it cannot be a fault. Says no when in doubt. */
export function cannotFail(e: Expr): boolean {
  switch (e.kind) {
    case "constant":
    case "local":
    case "data":
    case "me":
    case "seats":
    case "inPlay":
    case "seated":
    case "inState":
      return true;
    case "stateData":
      return e.of === undefined;
    case "field":
    case "not":
    case "negate":
      return cannotFail(e.of);
    case "binary":
      return (
        ["and", "or", "implies", "==", "!=", "<", "<=", ">", ">="].includes(e.op) &&
        cannotFail(e.left) &&
        cannotFail(e.right)
      );
    default:
      return false;
  }
}

/** The numbers of the signals on which no listener does more than write notes, and that cost nothing to hear. */
export function quietSignals(machine: Machine): ReadonlySet<number> {
  const loud = new Set<number>();
  for (const state of machine.states) {
    for (const { signal, arrow, test, block } of state.listeners)
      if (arrow || (test && (!cannotFail(test) || costOf(test) > 0)) || !onlyNotes(block)) loud.add(signal);
  }
  return new Set(machine.signals.map((s) => s.id).filter((id) => !loud.has(id)));
}

function onlyNotes(block: Block | undefined): boolean {
  return block?.statements.every((s) => s.kind === "note") ?? true;
}
