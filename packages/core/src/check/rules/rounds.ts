/** What seats choose all at once, round after round: a choice that nobody took back counts again. */

import type { Messages } from "../../language/message.js";
import type { Span } from "../../language/source.js";
import type { Action, Expr, Location, Machine, State } from "../machine.js";
import { type Access, type DataPath, pathOf, pathOfLocation } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import { isForLeaving } from "./fallen.js";
import { isConstant } from "./holds-for-good.js";
import { comesAgain } from "./comes-back.js";
import { ends, isInside, leads } from "../tree.js";
import { someExpr, visitArrow, visitBlock, visitMachine, type Visitor } from "../visit.js";

/**
 * A choice per seat in a `turn of each` that comes again: where a seat can be ready, or be left behind, without
 * choosing, the choice of the last time counts once more, as nothing takes it back in between.
 */
export function checkRounds(found: Findings, messages: Messages): void {
  const { machine, accesses } = found;
  for (const state of machine.states) {
    if (!state.turn?.each || !comesAgain(found, state.id)) continue;
    const choosing = state.actions.map((action) => ({ action, chosen: choicesOf(machine, action) }));
    const isChoice = (use: Access): boolean => state.actions.some((a) => a.from <= use.from && use.to <= a.to);
    const usesElsewhere = (path: DataPath): Access[] =>
      accesses.touching(path).filter((a) => a.place.kind !== "test" && a.place.kind !== "law" && !isChoice(a));
    // What is written elsewhere may be taken back there, and then it says whether the rest of the choice counts.
    const isTakenBack = ({ chosen }: Choosing): boolean =>
      [...chosen].some(([path, { type }]) =>
        usesElsewhere(path).some(
          (a) => a.kind === "write" && !isForLeaving(machine, a) && !(type.kind === "maybe" && isSome(a)),
        ),
      );
    for (const { chosen } of choosing.filter((each) => !isTakenBack(each))) {
      const [path, first] = [...chosen].find(([each]) => usesElsewhere(each).some((a) => !a.own)) ?? [];
      const without = path !== undefined && passedBy(machine, state, choosing, path);
      if (!first || !without) continue;
      const name = machine.sources.written(first);
      messages.warning(
        "stale-choice",
        first,
        `Whoever does not choose in "${state.name}" keeps what "${name}" was the last time, and it counts again.`,
        `Take it back where "${state.name}" is entered, for every seat; or where it has been counted.`,
        { ...without, words: "Here it goes on without a choice." },
      );
      break;
    }
  }
}

/** Whether a value is set that is not none: chosen for who has not chosen. */
function isSome({ statement }: Access): boolean {
  if (statement?.kind !== "assign" || statement.op !== "=") return false;
  return statement.value.type.kind !== "maybe" && !isConstant(statement.value, null);
}

/** An action, and what a seat chooses by it. */
interface Choosing {
  readonly action: Action;
  readonly chosen: ReadonlyMap<DataPath, Location>;
}

/** The data of its own that a seat sets by an action, by their paths. */
function choicesOf(machine: Machine, { block, arrow }: Action): Map<DataPath, Location> {
  const chosen = new Map<DataPath, Location>();
  const visitor: Visitor = {
    statement: (s) => {
      if (s.kind === "call") visitBlock(machine.effects[s.effect]?.body, visitor);
      if (s.kind !== "assign" || s.op !== "=") return;
      const path = pathOfLocation(s.target);
      const { base, path: steps } = s.target;
      const [index] = steps;
      // Data of a state are made anew when it is entered.
      const isKept = base.kind === "data" && index?.kind === "index" && index.key.kind === "me";
      if (path !== undefined && isKept) chosen.set(path, s.target);
    },
  };
  visitBlock(block, visitor);
  visitArrow(arrow, visitor);
  return chosen;
}

/** Whether as much as an action sets is taken from something: there, or later from what it asks for. */
function isPaidFor(machine: Machine, action: Action, path: DataPath): boolean {
  return isPaidAtOnce(action, path) || isPaidLater(machine, action, path);
}

function isPaidLater(machine: Machine, { parameters }: Action, path: DataPath): boolean {
  let found = false;
  visitMachine(machine, {
    statement: (s) => {
      if (s.kind !== "assign" || s.op !== "-=" || pathOf(s.value) !== path) return;
      const paid = pathOfLocation(s.target);
      const isAsked = (e: Expr): boolean => paid !== undefined && pathOf(e) === paid;
      found ||= parameters.some(({ where }) => someExpr(where, isAsked));
    },
  });
  return found;
}

function isPaidAtOnce({ block }: Action, path: DataPath): boolean {
  const assigned = (block?.statements ?? []).filter((s) => s.kind === "assign");
  const set = assigned.find(({ op, target }) => op === "=" && pathOfLocation(target) === path)?.value;
  return (
    set?.kind === "local" &&
    assigned.some(({ op, value }) => op === "-=" && value.kind === "local" && value.slot === set.slot)
  );
}

/** Where a state goes on though a seat in it has not chosen: an action without the choice, a time that runs out. */
function passedBy(machine: Machine, state: State, choosing: readonly Choosing[], path: DataPath): Span | undefined {
  const isForOnce = choosing.some(
    ({ action, chosen }) =>
      chosen.get(path)?.type.kind === "maybe" ||
      (chosen.has(path) && (action.sealed || isPaidFor(machine, action, path))),
  );
  // A stance that lasts until another is taken is seen by all; what is chosen in secret, may be none, or is paid for as
  // it is chosen, is for once.
  if (!isForOnce) return undefined;
  const passes = choosing.find(
    ({ action, chosen }) => !chosen.has(path) && ends(action.arrow).some(({ kind }) => kind === "ready"),
  );
  if (passes) return { from: passes.action.nameSpan.from, to: passes.action.nameSpan.to };
  const timer = machine.states
    .filter(({ id }) => isInside(machine, state.id, id))
    .flatMap(({ timers }) => timers)
    .find(({ arrow }) => arrow && leads(arrow));
  return timer && { from: timer.from, to: timer.to };
}
