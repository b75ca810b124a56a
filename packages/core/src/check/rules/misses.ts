/** What may go wrong where an expression is worked out: a fault that stops the match in the middle of a step. */

import type { Messages } from "../../language/message.js";
import type { Expr } from "../machine.js";
import { someExpr } from "../visit.js";
import type { PossibleFault } from "../reason/evaluate.js";
import type { Findings } from "../reason/findings.js";

const MESSAGES: Readonly<
  Record<PossibleFault, { readonly name: string; readonly words: (what: string) => string; readonly help: string }>
> = {
  divisionByZero: {
    name: "may-divide-by-zero",
    words: (what) => `What "${what}" divides by can be 0 here, and the match would stop with a fault.`,
    help: "Ask first whether it is 0, or keep it away from 0 with max(1, ...).",
  },
  missesIndex: {
    name: "index-may-miss",
    words: (what) => `The index in "${what}" can lie outside here, and the match would stop with a fault.`,
    help: "Ask for the size first, or bring the index back inside with mod.",
  },
  emptyList: {
    name: "list-may-be-empty",
    words: (what) => `There may be nothing in the list of "${what}" here, and the match would stop with a fault.`,
    help: "Ask first: if not LIST.empty { ... }; or see to it that the list is filled on every way that leads here.",
  },
  noValue: {
    name: "may-be-none",
    words: (what) => `"${what}" can be none here, and the match would stop with a fault.`,
    help: 'Ask first: "!= none".',
  },
  unsetData: {
    name: "may-be-unset",
    words: (what) =>
      `"${what}" may not have been set on the way that leads here; it would hold the first value of its type.`,
    help: "Set it on every way, or give it a written default when that is what you mean.",
  },
  emptyRange: {
    name: "roll-empty",
    words: (what) => `The range of "${what}" can be empty here, and the match would stop with a fault.`,
    help: "See to it that the lower bound never exceeds the upper one.",
  },
};

export function checkMisses(found: Findings, messages: Messages): void {
  const unset = new Set<string>();
  for (const [at, kind] of found.possibleFaults) {
    const { name, words, help } = MESSAGES[kind];
    // Of data that may not be set the first use is the place; the others only follow.
    if (kind === "unsetData") {
      // The published order leaves states before effects run; what is set when is not followed there.
      if (found.machine.standardOrder) continue;
      const key = at.kind === "data" ? `d${at.slot}` : at.kind === "stateData" ? `s${at.slot}.${at.field}` : "";
      if (unset.has(key)) continue;
      unset.add(key);
    }
    messages[kind === "missesIndex" && isAskedBefore(found, at) ? "hint" : "warning"](
      name,
      at,
      words(written(found, at)),
      help,
    );
  }
}

/** Whether a cell is written in an action that asks, through whatever functions, whether cells lie inside. */
function isAskedBefore({ machine }: Findings, at: Expr): boolean {
  const action = machine.actions.find(({ block }) => block && block.from <= at.from && at.to <= block.to);
  const asks = (e: Expr | undefined): boolean =>
    someExpr(
      e,
      (part) =>
        (part.kind === "gridCall" && part.method === "inside") ||
        (part.kind === "call" && asks(machine.functions[part.function]?.body)),
    );
  return (
    at.type.kind === "cell" &&
    action !== undefined &&
    (action.needs.some((need) => asks(need.test)) || action.parameters.some((p) => asks(p.where)))
  );
}

function written(found: Findings, at: Expr): string {
  return found.machine.sources.text(at).replace(/\s+/g, " ");
}
