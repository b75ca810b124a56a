/** Endings that leave a seat without a result. */

import type { Messages } from "../../language/message.js";
import type { Ending, Expr, Machine } from "../machine.js";

export function checkResults(machine: Machine, messages: Messages): void {
  for (const ending of machine.endings) {
    const missing = seatsWithoutResult(machine, ending);
    if (missing)
      messages.error(
        "seat-without-result",
        ending.nameSpan,
        `The ending "${ending.name}" gives no result to ${missing}.`,
        'Name every seat; "others" are all that have not been named: "loses others".',
      );
  }
}

/** Who goes without a result, in words; undefined when everyone surely or possibly has one. */
function seatsWithoutResult(machine: Machine, ending: Ending): string | undefined {
  const named = new Set<number>();
  let unknownSeats = 0;
  const add = (expr: Expr): boolean => {
    switch (expr.kind) {
      case "seats":
      case "others":
        return true;
      case "constant":
        if (typeof expr.value === "number") named.add(expr.value);
        return false;
      case "list":
        return expr.items.map(add).some(Boolean);
      default:
        if (expr.type.kind === "list" && expr.kind !== "inPlay") return true;
        if (expr.type.kind === "seat") unknownSeats++;
        return false;
    }
  };
  for (const rule of ending.results) {
    const everyone = rule.kind === "ranks" ? add(rule.list) : rule.kind === "result" ? add(rule.seats) : false;
    if (everyone) return undefined;
  }
  const { names } = machine.seats;
  if (named.size + unknownSeats >= names.length && names.length > 0) return undefined;
  if (ending.results.length === 0) return "anyone";
  const left = names.filter((_, seat) => !named.has(seat));
  return unknownSeats > 0 ? "every seat" : left.join(", ");
}
