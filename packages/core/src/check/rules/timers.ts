/** Timers that never run, because the state is always left before. */

import type { Messages } from "../../language/message.js";
import type { Machine, State, Timer } from "../machine.js";
import { ends, isInside } from "../tree.js";

export function checkTimers(machine: Machine, messages: Messages): void {
  for (const state of machine.states) {
    const { name, timers } = state;
    const leaving = timers.find((timer) => leavesInAnyCase(machine, state, timer));
    if (!leaving) continue;
    const until = delayOf(leaving) as number;
    for (const timer of timers) {
      const after = delayOf(timer);
      const isLater = after !== undefined && (after > until || (after === until && timer.from > leaving.from));
      if (timer === leaving || !isLater) continue;
      messages.warning(
        "timer-never-runs",
        timer,
        `This timer never runs: "${name}" is left after ${machine.sources.written(leaving.delay)} in any case.`,
        "Give it less time than the one that leaves, or let that one come later.",
        { from: leaving.from, to: leaving.to, words: "It is left here." },
      );
    }
  }
}

/** How long it takes, where that is always the same, in milliseconds. */
function delayOf({ delay }: Timer): number | undefined {
  return delay.kind === "constant" && typeof delay.value === "number" ? delay.value : undefined;
}

/** An overlay only lies over the state, and what leads inside it does not leave it. */
function leavesInAnyCase(machine: Machine, { id }: State, timer: Timer): boolean {
  const { test, arrow } = timer;
  if (delayOf(timer) === undefined || test || !arrow) return false;
  return ends(arrow).every((end) => {
    if (end.kind !== "to") return false;
    if (end.target.kind === "ending") return true;
    const { state: target } = end.target;
    if (end.again && isInside(machine, id, target)) return true;
    return machine.states[target]?.kind !== "overlay" && !isInside(machine, target, id);
  });
}
