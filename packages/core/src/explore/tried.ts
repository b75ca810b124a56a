/** What of a machine has more values than can be tried, and which of them are. */

import type { Expr, Machine } from "../check/machine.js";
import { perMachine } from "../check/per-machine.js";
import { visitMachine } from "../check/visit.js";

/** Whole numbers that the machine compares something with. */
export const comparedIn = perMachine((machine: Machine): readonly number[] => {
  const found = new Set<number>();
  visitMachine(machine, {
    expr: (e) => {
      if (e.kind !== "binary" || !["==", "!=", "<", "<=", ">", ">="].includes(e.op)) return true;
      for (const side of [e.left, e.right])
        if (side.kind === "constant" && typeof side.value === "number" && Number.isInteger(side.value))
          found.add(side.value);
      return true;
    },
  });
  return [...found].slice(0, 20);
});

/** Where a machine makes something of the time. */
export const readsOfTime = perMachine((machine: Machine): readonly Expr[] => {
  const found: Expr[] = [];
  visitMachine(machine, {
    expr: (e) => {
      if (e.kind === "now") found.push(e);
      return true;
    },
  });
  return found;
});
