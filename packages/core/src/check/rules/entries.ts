/** States that lead, as soon as they are entered, to where they begin anyway: that state is entered twice. */

import type { Messages } from "../../language/message.js";
import type { Machine, State } from "../machine.js";
import { ends, isInside } from "../tree.js";

export function checkEntries(machine: Machine, messages: Messages): void {
  // There an arrow inwards leaves its own state, whatever is active in it.
  if (machine.standardOrder) return;
  for (const state of machine.states) {
    for (const { test, arrow } of state.whens) {
      if (test.kind !== "entered") continue;
      for (const end of ends(arrow)) {
        if (end.kind !== "to" || end.again || end.target.kind !== "state") continue;
        const begun = begunIn(machine, state, end.target.state);
        if (!begun) continue;
        const leadsOn = begun.whens.some((when) => when.test.kind === "entered");
        const first = leadsOn ? "where that has led on to is left again" : "what it does on entering is done twice";
        messages.warning(
          "entered-twice",
          end,
          `"${state.name}" begins in "${begun.name}" by itself and then leads there once more: ${first}.`,
          `Leave this arrow out: start ${begun.name} is enough.`,
        );
      }
    }
  }
}

/** The state that a state starts in, when an arrow leads there and it does something as it is entered. */
function begunIn(machine: Machine, state: State, target: number): State | undefined {
  for (let id = state.start; id >= 0; ) {
    const inner = machine.states[id] as State;
    if (isInside(machine, inner.id, target) && target !== state.id) {
      const does = inner.enters.length > 0 || inner.whens.some(({ test }) => test.kind === "entered");
      if (does) return inner;
    }
    id = inner.start;
  }
  return undefined;
}
