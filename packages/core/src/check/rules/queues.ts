/**
 * Queues that are made anew too often: the one in front has the turn, what is done takes it out, and coming back to the
 * turn puts everybody in again. The same seat, or whoever the dice like, is in front every time.
 */

import type { Messages } from "../../language/message.js";
import type { Span } from "../../language/source.js";
import type { Arrow, Block, Expr, Machine, State, Statement } from "../machine.js";
import { readsOf } from "../reads.js";
import { isInside } from "../tree.js";
import { visitBlock } from "../visit.js";

export function checkQueues(machine: Machine, messages: Messages): void {
  for (const state of machine.states) {
    const slot = state.turn && queueOf(state.turn.of);
    if (slot === undefined) continue;
    const made = madeIn(machine, state, slot);
    const taken = made && takenInVain(machine, state, slot);
    if (!made || !taken) continue;
    const name = machine.data[slot]?.name ?? "";
    messages.warning(
      "queue-made-anew",
      made,
      `"${name}" is made anew whenever "${state.name}" is entered: what was taken from it comes back.`,
      `Make it where a round begins: in a state around "${state.name}", or where "${name}" is empty.`,
      { from: taken.from, to: taken.to, words: "Taken here, and it goes on where it is made anew." },
    );
  }
}

/** The list whose first has the turn, by its slot. */
function queueOf(of: Expr): number | undefined {
  return of.kind === "listProperty" && of.property === "first" && of.of.kind === "data" ? of.of.slot : undefined;
}

/** Where entering a state gives the list another value in any case, which does not come from what it was. */
function madeIn(machine: Machine, { enters }: State, slot: number): Statement | undefined {
  return enters
    .flatMap(({ block }) => block?.statements ?? [])
    .find(
      (s) =>
        s.kind === "assign" &&
        s.op === "=" &&
        s.target.base.kind === "data" &&
        s.target.base.slot === slot &&
        s.target.path.length === 0 &&
        !readsOf(machine, s.value).slots.has(slot),
    );
}

/**
 * Where something is taken out for nobody to use, before it goes on into the state though the list need not be empty.
 */
function takenInVain(machine: Machine, into: State, slot: number): Span | undefined {
  for (const state of machine.states) {
    if (state.kind === "overlay") continue;
    const entered = state.enters.flatMap(({ block }) =>
      state.whens.filter(({ test }) => test.kind === "entered").map(({ arrow }) => ({ block, arrow })),
    );
    for (const { block, arrow } of [
      ...entered,
      ...state.actions,
      ...state.timers,
      ...state.listeners,
      ...state.whens,
    ]) {
      const taken = takenIn(block, slot);
      if (taken && arrow && leadsInto(machine, arrow, state, into, slot)) return taken;
    }
  }
  return undefined;
}

function takenIn(block: Block | undefined, slot: number): Span | undefined {
  let taken: Span | undefined;
  visitBlock(block, {
    statement: (s) => {
      if (s.kind !== "change" || (s.method !== "take" && s.method !== "takeLast")) return;
      if (s.target.base.kind === "data" && s.target.base.slot === slot && s.target.path.length === 0) taken ??= s;
    },
  });
  return taken;
}

/** Whether an arrow enters a state from outside, or anew, on a way that does not ask for the list. */
function leadsInto(machine: Machine, arrow: Arrow, from: State, into: State, slot: number): boolean {
  switch (arrow.kind) {
    case "to":
      return (
        arrow.target.kind === "state" &&
        (arrow.again || !isInside(machine, from.id, into.id)) &&
        enters(machine, arrow.target.state, into.id)
      );
    case "choose":
      return [...arrow.branches, ...(arrow.otherwise ? [arrow.otherwise] : [])].some(
        (branch) =>
          !("test" in branch && branch.test && readsOf(machine, branch.test).slots.has(slot)) &&
          leadsInto(machine, branch.arrow, from, into, slot),
      );
    default:
      return false;
  }
}

/** Whether entering one state enters another: itself, or one that it begins in. */
function enters({ states }: Machine, target: number, wanted: number): boolean {
  for (let id = target; id > 0; id = states[id]?.start ?? -1) if (id === wanted) return true;
  return false;
}
