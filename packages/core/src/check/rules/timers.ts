/** Timers that never run, because the state is always left before. */

import type { Messages } from "../../language/message.js";
import type { Machine, Timer } from "../machine.js";
import { ends } from "../tree.js";

export function checkTimers(machine: Machine, messages: Messages): void {
  for (const { name, timers } of machine.states) {
    const leaving = timers.find(leavesInAnyCase);
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

function leavesInAnyCase(timer: Timer): boolean {
  const { test, arrow } = timer;
  return delayOf(timer) !== undefined && !test && !!arrow && ends(arrow).every(({ kind }) => kind === "to");
}
