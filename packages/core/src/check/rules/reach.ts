/** States and endings that nothing leads to, and states that nothing leads out of. */

import type { Messages } from "../../language/message.js";
import type { Action, Arrow, Expr, Machine, State } from "../machine.js";
import type { Findings } from "../reason/findings.js";
import { arrowsOf, ends, isInside, leavesIn } from "../tree.js";

export function checkReach(machine: Machine, messages: Messages): void {
  const { states, endings } = reachable(machine);
  // Where a stub leads is not written yet: it may be to any of them.
  const isOpen = machine.states.some((state) => state.stub && states.has(state.id));
  for (const state of machine.states) {
    if (state.id === 0) continue;
    if (!states.has(state.id)) {
      if (isOpen || !states.has(state.parent)) continue;
      const what = state.kind === "overlay" ? "overlay" : state.kind === "final" ? "final" : "state";
      messages.warning(
        "unreachable-state",
        state.nameSpan,
        `Nothing leads to the ${what} "${state.name}".`,
        "Point an arrow at it, or remove it.",
      );
    } else if (isLeaf(state) && state.kind !== "final" && !state.stub && !hasWayOut(machine, state)) {
      messages.warning(
        "no-way-out",
        state.nameSpan,
        `Nothing leads out of "${state.name}": a match that comes here stays for ever.`,
        "Give it an arrow that leaves it, or make it an ending.",
      );
    }
  }
  checkTraps(machine, states, messages);
  for (const ending of machine.endings) {
    if (!isOpen && !endings.has(ending.id))
      messages.warning(
        "unreachable-ending",
        ending.nameSpan,
        `No match can end in "${ending.name}".`,
        "Point an arrow at it, or remove it.",
      );
  }
}

/** Several states that lead to each other and to no ending: told once, at the first of them. */
function checkTraps(machine: Machine, reached: ReadonlySet<number>, messages: Messages): void {
  const leaves = machine.states.filter((s) => s.id > 0 && reached.has(s.id) && isLeaf(s));
  const home = new Set<number>();
  for (let before = -1; before !== home.size; ) {
    before = home.size;
    for (const leaf of leaves) if (!home.has(leaf.id) && leadsHome(machine, leaf, home)) home.add(leaf.id);
  }
  // A match that cannot end from its beginning is told by its endings.
  if (leavesIn(machine, 0).some((id) => !home.has(id))) return;
  const caught = leaves.filter((leaf) => !home.has(leaf.id) && hasWayOut(machine, leaf));
  const [first] = caught;
  if (!first) return;
  const names = caught.map((leaf) => `"${leaf.name}"`);
  const listed = names.length > 4 ? `${names.slice(0, 4).join(", ")} and others` : names.join(" and ");
  messages.warning(
    "no-way-out",
    first.nameSpan,
    `From "${first.name}" a match comes to no ending any more: ${listed} lead only to each other.`,
    "Lead out of one of them, to an ending or to a state that comes to one.",
  );
}

/**
 * True when something but leaving the match leads from a leaf to an ending, or to a leaf that is known to come to one.
 */
function leadsHome(machine: Machine, leaf: State, home: ReadonlySet<number>): boolean {
  if (leaf.stub || leaf.kind === "final") return true;
  for (let id = leaf.id; id >= 0; id = machine.states[id]?.parent ?? -1) {
    const around = machine.states[id] as State;
    // What branches beside it do is not followed.
    if (around.parallel) return true;
    for (const arrow of arrowsBesideLeaving(machine, around))
      switch (arrow.kind) {
        case "return":
        case "history":
          return true;
        case "to":
          if (arrow.target.kind === "ending" || leavesIn(machine, arrow.target.state).some((to) => home.has(to)))
            return true;
          break;
        default:
      }
  }
  return false;
}

/** The arrows of a state itself; listeners for the system's signals do not count. */
function arrowsBesideLeaving(machine: Machine, state: State): Arrow[] {
  const items = [
    ...state.actions,
    ...state.timers,
    ...state.whens,
    ...state.listeners.filter((l) => machine.signals[l.signal]?.origin !== "system"),
  ];
  return items.flatMap((item) => (item.arrow ? ends(item.arrow) : []));
}

/** States and endings that arrows lead to, but no match comes to: the conditions on the way never hold. */
export function checkEntered({ machine, flow, tests, opened }: Findings, messages: Messages): void {
  const { states, endings } = reachable(machine);
  // What lies behind a branch that is never taken, or an action that is never open, has been explained there.
  const isDead = (test: Expr): boolean => tests.get(test)?.mask === 1 || !tests.has(test);
  const behind = behindDead(machine, isDead, (action) => flow.entered.has(action.state) && !opened.has(action));
  for (const state of machine.states) {
    if (
      behind.states.has(state.id) ||
      flow.entered.has(state.id) ||
      !states.has(state.id) ||
      !flow.entered.has(state.parent)
    )
      continue;
    messages.warning(
      "unreachable-state",
      state.nameSpan,
      `No match ever comes to "${state.name}": the conditions on every way that leads there can never hold.`,
      "Look at the conditions of the arrows that lead to it.",
    );
  }
  for (const ending of machine.endings) {
    if (behind.endings.has(ending.id) || flow.endings.has(ending.id) || !endings.has(ending.id)) continue;
    messages.warning(
      "unreachable-ending",
      ending.nameSpan,
      `No match can end in "${ending.name}": the conditions on every way that leads there can never hold.`,
      "Look at the conditions of the arrows that lead to it.",
    );
  }
}

/** All states and endings that arrows lead to from the start, or from some arrows, conditions taken as possible. */
function reachable(machine: Machine, from?: readonly Arrow[]): { states: Set<number>; endings: Set<number> } {
  const states = new Set<number>();
  const endings = new Set<number>();
  const work: Arrow[] = [];
  const activate = (id: number): void => {
    const state = machine.states[id];
    if (!state || states.has(id)) return;
    states.add(id);
    if (state.parent >= 0) {
      activate(state.parent);
      const parent = machine.states[state.parent];
      if (parent?.parallel) for (const sibling of parent.children) activate(sibling);
    }
    work.push(...arrowsOf(state));
  };
  const enter = (id: number): void => {
    activate(id);
    const state = machine.states[id];
    if (!state) return;
    if (state.start >= 0) enter(state.start);
    if (state.parallel) for (const child of state.children) enter(child);
  };
  if (from) work.push(...from);
  else enter(0);
  for (let arrow = work.pop(); arrow; arrow = work.pop()) {
    if (arrow.kind === "history") enter(arrow.state);
    if (arrow.kind !== "to") continue;
    if (arrow.target.kind === "state") enter(arrow.target.state);
    else endings.add(arrow.target.ending);
  }
  return { states, endings };
}

/** The states and endings that arrows of dead branches and actions lead to, and all that is reached from there. */
function behindDead(
  machine: Machine,
  isDead: (test: Expr) => boolean,
  isClosed: (action: Action) => boolean,
): { states: Set<number>; endings: Set<number> } {
  const arrows: Arrow[] = [];
  const visit = (arrow: Arrow | undefined, test: Expr | undefined): void => {
    if (arrow && test && isDead(test)) arrows.push(...ends(arrow));
    if (arrow?.kind === "choose") for (const branch of arrow.branches) visit(branch.arrow, branch.test);
  };
  for (const state of machine.states) {
    for (const item of [...state.timers, ...state.listeners]) visit(item.arrow, item.test);
    for (const when of state.whens) visit(when.arrow, when.test.kind === "holds" ? when.test.test : undefined);
    for (const action of state.actions) {
      visit(action.arrow, action.needs.find((n) => isDead(n.test))?.test);
      if (isClosed(action)) arrows.push(...ends(action.arrow));
    }
  }
  return reachable(machine, arrows);
}

function isLeaf(state: State): boolean {
  return state.start < 0 && !state.parallel;
}

/**
 * True when the state, or a state around it, has an arrow that leaves the state. Listeners for the
 * system's signals do not count: nobody should have to leave the match to get out of a state.
 */
function hasWayOut(machine: Machine, state: State): boolean {
  for (let id = state.id; id >= 0; id = machine.states[id]?.parent ?? -1) {
    const around = machine.states[id] as State;
    if (arrowsBesideLeaving(machine, around).some((arrow) => leaves(machine, arrow, state))) return true;
  }
  return false;
}

function leaves(machine: Machine, arrow: Arrow, state: State): boolean {
  switch (arrow.kind) {
    case "return":
      return true;
    case "history":
      return !isInside(machine, state.id, arrow.state) || state.id !== arrow.state;
    case "to":
      return arrow.target.kind === "ending" || arrow.target.state !== state.id;
    default:
      return false;
  }
}
