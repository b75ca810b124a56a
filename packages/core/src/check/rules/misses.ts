/** What may go wrong where an expression is worked out: a fault that stops the match in the middle of a step. */

import { seatAtTimes } from "../seat-names.js";
import type { Message, Messages } from "../../language/message.js";
import type { Span } from "../../language/source.js";
import type { Expr } from "../machine.js";
import { isInside, leavesIn } from "../tree.js";
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

/** What to do about a fault that a message of this name tells of; undefined for other messages. */
export function helpAgainst(name: string): string | undefined {
  return Object.values(MESSAGES).find((message) => message.name === name)?.help;
}

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
      messages.warning(name, at, words(written(found, at)), help, unsetWay(found, at));
      continue;
    }
    const what = written(found, at);
    const severity = kind === "missesIndex" && isAskedBefore(found, at) ? "hint" : "warning";
    if (seatAtTimes(at) !== undefined)
      messages[severity](
        name,
        at,
        `"${what}" does not sit down in every match, and where it does not the match would stop with a fault.`,
        `Ask first: if ${what} in seats { ... }`,
      );
    else messages[severity](name, at, words(what), help);
  }
}

/** The shortest way to where a datum is read on which nothing sets it: its last arrow, and the states on it. */
function unsetWay({ machine, moves }: Findings, at: Expr): Message["related"] {
  const name = at.kind === "data" ? `${at.slot}` : at.kind === "stateData" ? `${at.slot}:${at.field}` : undefined;
  const goal = machine.states.findLast((s) => s.id > 0 && s.from <= at.from && at.to <= s.to);
  if (name === undefined || !goal) return undefined;
  const before = new Map<number, { readonly leaf: number; readonly arrow: Span } | undefined>();
  const queue = leavesIn(machine, 0);
  for (const leaf of queue) before.set(leaf, undefined);
  for (const leaf of queue) {
    const last = before.get(leaf);
    if (isInside(machine, leaf, goal.id) && last) {
      const way: string[] = [];
      for (let id: number | undefined = leaf; id !== undefined; id = before.get(id)?.leaf)
        way.unshift(machine.states[id]?.name ?? "");
      return { from: last.arrow.from, to: last.arrow.to, words: `Nothing sets it on the way ${way.join(" -> ")}.` };
    }
    for (const { arrow, from, to, unset } of moves) {
      if (from !== leaf || !("state" in to) || !unset.has(name)) continue;
      for (const next of leavesIn(machine, to.state))
        if (!before.has(next)) {
          before.set(next, { leaf, arrow });
          queue.push(next);
        }
    }
  }
  return undefined;
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
  return found.machine.sources.written(at);
}
