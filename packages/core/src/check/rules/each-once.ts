/**
 * In a `turn of each` a seat that is ready is not on turn any more, so what it used up in its part keeps nobody from
 * acting. Where nothing else touches what a condition asks, whoever is on turn is as at the entry of the state.
 */

import type { Action, Arrow, Block, Expr, Location, Machine, State } from "../machine.js";
import { readsOf } from "../reads.js";
import { slotsWritten } from "../reason/accesses.js";
import { ends } from "../tree.js";
import { type Visitor, visitArrow, visitBlock } from "../visit.js";

/** True when seats on turn find the data that some conditions ask as they were when the state was entered. */
export function isAsEntered(machine: Machine, chain: readonly State[], tests: readonly Expr[]): boolean {
  const asked = new Set<number>();
  for (const test of tests) {
    const { slots, states, players } = readsOf(machine, test);
    if (states || players) return false;
    for (const slot of slots) asked.add(slot);
  }
  const touches = (block: Block | undefined, arrow?: Arrow): boolean =>
    writesAny(machine, asked, (visitor) => {
      visitBlock(block, visitor);
      visitArrow(arrow, visitor);
    });
  for (const state of machine.states) {
    const isHere = chain.includes(state);
    // What lies over it or beside it may change anything.
    if (!isHere && state.kind !== "overlay") continue;
    const others = [...state.timers, ...state.listeners, ...state.whens];
    if (others.some(({ block, arrow }) => touches(block, arrow))) return false;
    for (const action of state.actions)
      if (touches(action.block, action.arrow) && !(isHere && endsItsPart(machine, action, asked))) return false;
  }
  return true;
}

/** The seat that acts changes its own alone, and is ready then. */
function endsItsPart(machine: Machine, { block, arrow }: Action, asked: ReadonlySet<number>): boolean {
  if (ends(arrow).some((a) => a.kind === "stay" || a.kind === "missing")) return false;
  const isForeign = ({ base, path }: Location): boolean =>
    base.kind !== "local" && asked.has(base.slot) && !(path[0]?.kind === "index" && path[0].key.kind === "me");
  let foreign = false;
  const visitor: Visitor = {
    location: (target) => {
      foreign ||= isForeign(target);
    },
    statement: (s) => {
      if (s.kind === "call")
        foreign ||= writesAny(machine, asked, (v) => visitBlock(machine.effects[s.effect]?.body, v));
    },
  };
  visitBlock(block, visitor);
  visitArrow(arrow, visitor);
  return !foreign;
}

function writesAny(machine: Machine, slots: ReadonlySet<number>, visit: (visitor: Visitor) => void): boolean {
  return [...slotsWritten(machine, visit)].some((slot) => slots.has(slot));
}
