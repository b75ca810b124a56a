/** Scores that decide several rounds, one after the other. */

import type { Expr, State } from "../machine.js";
import { type DataPath, pathOf } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import { conditionalArrows, endingTests } from "../tree.js";
import { throughCalls } from "./fallen-units.js";
import { everyWrite, writesOf } from "./holds-for-good.js";

/**
 * What each seat counts up to a limit, at which it has won one of several rounds: where nothing sets it back, the next
 * round goes on from there.
 *
 * @param path of data of the machine
 * @returns what asks for the limit, and the state in which the round is counted
 */
export function keptScore(found: Findings, path: DataPath): { readonly test: Expr; readonly to: State } | undefined {
  const { machine } = found;
  const scores = machine.data.flatMap(({ slot, type }) =>
    type.kind === "perSeat" && type.of.kind === "int" ? [`d${slot}`] : [],
  );
  if (!scores.includes(path) || !everyWrite(found, path, (s) => s.op === "+=")) return undefined;
  const endings = endingTests(machine);
  const rounds = scores.filter(
    (other) => other !== path && endings.some((e) => throughCalls(machine, e, (part) => isUpTo(part, other, 2))),
  );
  for (const { test, arrow } of conditionalArrows(machine)) {
    const to = arrow.kind === "to" && arrow.target.kind === "state" ? machine.states[arrow.target.state] : undefined;
    if (!to || !throughCalls(machine, test, (e) => isUpTo(e, path, 1))) continue;
    if (rounds.some((other) => isCountedIn(found, other, to))) return { test, to };
  }
  return undefined;
}

/** Whether a comparison asks if a number has come up to a limit. */
function isUpTo(e: Expr, path: DataPath, least: number): boolean {
  if (e.kind !== "binary" || ![">=", ">", "=="].includes(e.op) || pathOf(e.left) !== path) return false;
  return e.right.kind === "constant" && Number(e.right.value) >= least;
}

/** Whether something is counted in a state. */
function isCountedIn(found: Findings, path: DataPath, { from, to }: State): boolean {
  return writesOf(found, path).some(
    ({ statement: s }) => s?.kind === "assign" && s.op === "+=" && from <= s.from && s.to <= to,
  );
}
