/** Seats that leave the match while it waits for them. */

import type { Messages } from "../../language/message.js";
import type { Expr, Machine, State } from "../machine.js";
import { readsOf } from "../reads.js";
import { slotsWritten } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import { branchTests, chainOf, ends, goesOnAlone, isInside, leads } from "../tree.js";
import { someExpr, visitArrow, visitBlock } from "../visit.js";

/** A seat that leaves falls out of its turn; then somebody has to lead on. Told once, at the first such state. */
export function checkDepartures(found: Findings, messages: Messages): void {
  const { machine, flow } = found;
  if (machine.seats.names.length < 2) return;
  const left = machine.signals.find((s) => s.name === "Left")?.id;
  // A machine that never hears it cannot be left.
  if (!machine.states.some((state) => state.listeners.some((l) => l.signal === left))) return;
  checkLeaversWin(machine, left, messages);
  const waiting = machine.states.filter((state) => {
    const { turn } = state;
    if (!turn || readsOf(machine, turn.of).more || (turn.each && state.whens.some((w) => w.test.kind === "allReady")))
      return false;
    if (turn.of.kind === "seats" || turn.of.kind === "inPlay") return false;
    const leaves = [...new Set([...flow.points.values()].map((p) => p.leaf))].filter(
      (leaf) => isInside(machine, leaf, state.id) && chainOf(flow.machine, leaf).find((s) => s.turn) === state,
    );
    return leaves.some((leaf) => {
      const chain = chainOf(flow.machine, leaf);
      if (goesOnAlone(machine, chain)) return false;
      const hears = chain.some((s) => s.listeners.some((l) => l.signal === left && mindsHolder(machine, l, turn.of)));
      const asks = chain.some((s) =>
        s.whens.some((w) => w.test.kind === "holds" && asksWhoIsLeft(machine, w.test.test)),
      );
      return !hears && !asks;
    });
  });
  checkLastMissing(found, left, messages);
  const [first] = waiting;
  if (!first?.turn) return;
  const others = waiting.length === 1 ? "" : ` So it is in ${waiting.length - 1} more.`;
  messages.warning(
    "out-on-turn",
    first.turn,
    `When the seat on turn leaves, nobody has the turn in "${first.name}" any more, and the match waits for ` +
      `ever.${others}`,
    "Say what happens then, for the whole machine: on Left(s) -> ...; or set a time: after 2d -> ...",
  );
}

/** Whoever leaves the match is given to an ending as who wins it. */
function checkLeaversWin(machine: Machine, left: number | undefined, messages: Messages): void {
  for (const { arrow, signal, slots } of machine.states.flatMap(({ listeners }) => listeners)) {
    if (signal !== left || !arrow) continue;
    for (const end of ends(arrow)) {
      if (end.kind !== "to" || end.target.kind !== "ending") continue;
      const { ending, args } = end.target;
      const { parameters = [], results = [] } = machine.endings[ending] ?? {};
      const leaver = args.findIndex((arg) => arg.kind === "local" && arg.slot === slots[0]);
      const wins = results.some(
        (rule) =>
          rule.kind === "result" &&
          rule.word === "wins" &&
          rule.seats.kind === "local" &&
          rule.seats.slot === parameters[leaver]?.slot,
      );
      const arg = args[leaver];
      if (!wins || !arg) continue;
      const name = machine.sources.text(arg);
      messages.warning(
        "leaver-wins",
        arg,
        `Whoever leaves wins: "${name}" has left, and "${machine.endings[ending]?.name}" makes it the winner.`,
        `Name another: next(${name}); or lead to an ending that ${name} loses.`,
      );
    }
  }
}

/**
 * An action that leads on when all in play have done something: when the last that is missing leaves instead, nobody
 * asks again.
 */
function checkLastMissing(found: Findings, left: number | undefined, messages: Messages): void {
  const { machine, flow } = found;
  for (const leaf of new Set([...flow.points.values()].map((p) => p.leaf))) {
    const chain = chainOf(flow.machine, leaf);
    const asks = (e: Expr | undefined): boolean => e !== undefined && readsOf(machine, e).players;
    const isAskedAgain =
      goesOnAlone(machine, chain) ||
      chain.some(
        (s) =>
          s.whens.some((w) => w.test.kind === "allReady" || (w.test.kind === "holds" && asks(w.test.test))) ||
          s.listeners.some((l) => l.signal === left && l.arrow && (leads(l.arrow) || branchTests(l.arrow).some(asks))),
      );
    if (isAskedAgain) continue;
    for (const action of flow.openings.actionsAt(leaf)) {
      const test = branchTests(action.arrow).find((e) => someExpr(e, isAllInPlay));
      if (!test) continue;
      messages.warning(
        "endless-wait",
        test,
        `When the last one that is missing leaves instead, nobody asks this again, and "${chain[0]?.name}" waits ` +
          `for ever.`,
        `Ask it as a condition of the state: when ${machine.sources.written(test)} -> STATE.`,
      );
      return;
    }
  }
}

/** Whether a condition may come to hold as one of a full table leaves: that few are left, it does not yet. */
function asksWhoIsLeft(machine: Machine, test: Expr): boolean {
  if (test.kind === "binary" && (test.op === "and" || test.op === "or"))
    return asksWhoIsLeft(machine, test.left) || asksWhoIsLeft(machine, test.right);
  const left = machine.seats.names.length - 1;
  if (test.kind === "listProperty" && test.property === "empty" && isThoseLeft(test.of)) return left === 0;
  if (test.kind !== "binary" || test.right.kind !== "constant" || typeof test.right.value !== "number")
    return readsOf(machine, test).more;
  const isNumber = test.left.kind === "listProperty" && test.left.property === "size" && isThoseLeft(test.left.of);
  if (!isNumber) return readsOf(machine, test).more;
  const { value } = test.right;
  if (test.op === "==") return left === value;
  return test.op === "<" ? left < value : test.op === "<=" ? left <= value : true;
}

function isThoseLeft({ kind }: Expr): boolean {
  return kind === "inPlay" || kind === "seated";
}

function isAllInPlay(e: Expr): boolean {
  return e.kind === "binder" && e.word === "all" && isThoseLeft(e.source);
}

/**
 * Whether a listener for seats that leave does something about one that was on turn: it leads on, or says who is next.
 * That few are left is no help while there are others.
 */
function mindsHolder(machine: Machine, { test, block, arrow }: State["listeners"][number], turn: Expr): boolean {
  const { slots } = readsOf(machine, turn);
  const written = slotsWritten(machine, (visitor) => {
    visitBlock(block, visitor);
    visitArrow(arrow, visitor);
  });
  // A seat that is opened again keeps its turn, for whoever takes it.
  let reopened = false;
  visitBlock(block, { statement: (s) => void (reopened ||= s.kind === "reopen") });
  if (reopened) return true;
  if ([...written].some((slot) => slots.has(slot))) return true;
  if (!arrow || !leads(arrow)) return false;
  const asked = (e: Expr): boolean => machine.seats.names.length === 2 || readsOf(machine, e).slots.size > 0;
  if (test) return asked(test);
  return ends(arrow).every((a) => a.kind !== "stay") || branchTests(arrow).some(asked);
}
