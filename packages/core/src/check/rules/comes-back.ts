/** Whether states come again in the course of a match. */

import type { Findings } from "../reason/findings.js";
import { isInside } from "../tree.js";

/** A state is entered again in the course of a match: by itself, or once it was left. */
export function comesAgain(found: Findings, state: number): boolean {
  return isBegunAnew(found, state) || comesBack(found, state);
}

/** A state is left and entered at once, as a round is. */
export function isBegunAnew({ moves }: Findings, state: number): boolean {
  return moves.some(({ to, arrow }) => "state" in to && to.state === state && arrow.kind === "to" && arrow.again);
}

/** A state is left, and entered again later. */
export function comesBack(found: Findings, state: number): boolean {
  const { machine, moves } = found;
  const next = new Map<number, Set<number>>();
  for (const { from, to, arrow } of moves) {
    if (!("state" in to)) continue;
    // Whoever comes back to where it was goes on, and begins nothing.
    if (arrow.kind === "history" && isInside(machine, to.state, state)) continue;
    // Into a state means into what it begins with; out of a leaf means out of all around it.
    next.set(from, (next.get(from) ?? new Set()).add(to.state));
  }
  const seen = new Set<number>();
  const work: number[] = [];
  for (const { from, to } of moves)
    if ("state" in to && isInside(machine, from, state) && !isInside(machine, to.state, state)) work.push(to.state);
  for (const s of machine.states) if (s.kind === "overlay" && isInside(machine, state, s.id)) return true;
  while (work.length > 0) {
    const at = work.pop() as number;
    if (seen.has(at)) continue;
    seen.add(at);
    if (isInside(machine, at, state) || isInside(machine, state, at)) return true;
    for (const [leaf, targets] of next) if (isInside(machine, leaf, at)) work.push(...targets);
  }
  return false;
}
