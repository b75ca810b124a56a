/** Walks over the typed machine: every arrow of a state, every arrow inside an arrow. */

import { branchesOf } from "./visit.js";
import type { Arrow, Expr, Machine, State } from "./machine.js";

/** All arrows that stand in a state itself, choices and odds taken apart into their ends. */
export function arrowsOf(state: State): Arrow[] {
  const arrows: Arrow[] = [];
  for (const action of state.actions) arrows.push(...ends(action.arrow));
  for (const timer of state.timers) if (timer.arrow) arrows.push(...ends(timer.arrow));
  for (const listener of state.listeners) if (listener.arrow) arrows.push(...ends(listener.arrow));
  for (const when of state.whens) arrows.push(...ends(when.arrow));
  return arrows;
}

/** An arrow without its choices: the arrows it can come to. */
export function ends(arrow: Arrow): Arrow[] {
  if (arrow.kind === "choose") return branchesOf(arrow).flatMap((b) => ends(b.arrow));
  if (arrow.kind === "odds")
    return arrow.entries.map((e) => ({
      kind: "to",
      again: false,
      inner: false,
      target: e.target,
      from: arrow.from,
      to: arrow.to,
    }));
  return [arrow];
}

/** Every arrow of the machine as written, choices whole. */
export function writtenArrows(machine: Machine): Arrow[] {
  const found: Arrow[] = [];
  const visit = (arrow: Arrow): void => {
    found.push(arrow);
    if (arrow.kind === "choose") for (const branch of branchesOf(arrow)) visit(branch.arrow);
  };
  for (const state of machine.states) {
    for (const item of [...state.actions, ...state.timers, ...state.listeners, ...state.whens])
      if (item.arrow) visit(item.arrow);
  }
  return found;
}

/** True when `inner` is `outer` or lies inside it. */
export function isInside(machine: Machine, inner: number, outer: number): boolean {
  return inner >= outer && inner <= (machine.states[outer]?.last ?? -1);
}

/** A state and all around it, from the inside out; an overlay lies beside everything but the machine. */
export function chainOf({ states }: Machine, leaf: number): State[] {
  const chain: State[] = [];
  for (let state = states[leaf]; state; state = states[state.parent]) chain.push(state);
  return chain;
}

/** The overlay that a leaf lies in, or -1. */
export function overlayOf({ states }: Machine, leaf: number): number {
  for (let state = states[leaf]; state && state.id > 0; state = states[state.parent])
    if (state.kind === "overlay") return state.id;
  return -1;
}

/** The states from below one to another inside it, from the outside in. */
export function pathTo({ states }: Machine, target: number, below: number): number[] {
  const path: number[] = [];
  for (let id = target; id >= 0 && id !== below; id = (states[id] as State).parent) path.unshift(id);
  return path;
}

/** What an arrow leaves up to: the nearest state around both its ends; for `again` the one around the target. */
export function commonOf(machine: Machine, source: number, target: number, again: boolean): number {
  const parentOf = (id: number): number => (machine.states[id] as State).parent;
  if (again) return parentOf(target);
  let id = source;
  while (id > 0 && !isInside(machine, target, id)) id = parentOf(id);
  return id === target ? parentOf(target) : id;
}

/**
 * The leaves that stay active when everything inside a state is left: those in other branches beside the one that is
 * left.
 *
 * @param from the leaf that is left; -1 for none
 */
export function stillActive(machine: Machine, peers: ReadonlySet<number>, upTo: number, from = -1): Set<number> {
  const staying = new Set<number>();
  const isParallel = upTo >= 0 && (machine.states[upTo] as State).parallel;
  for (const peer of peers) {
    const isBeside = isParallel && branchIn(machine, peer, upTo) !== branchIn(machine, from, upTo);
    if (isBeside || !isInside(machine, peer, upTo)) staying.add(peer);
  }
  return staying;
}

/** The branch of a parallel state that a leaf lies in. */
function branchIn({ states }: Machine, leaf: number, parallel: number): number {
  let id = leaf;
  while (id > 0 && states[id]?.parent !== parallel) id = states[id]?.parent ?? 0;
  return id;
}

/** Where a state comes to rest when it is entered: its starts, down to the leaf. */
export function leavesIn(machine: Machine, id: number): number[] {
  const state = machine.states[id] as State;
  if (state.start >= 0) return leavesIn(machine, state.start);
  return state.parallel ? state.children.flatMap((child) => leavesIn(machine, child)) : [id];
}

/** True for an arrow to an ending. */
function toEnding(arrow: Arrow): boolean {
  return arrow.kind === "to" && arrow.target.kind === "ending";
}

/** True when an arrow can lead anywhere, an overlay included. */
export function leads(arrow: Arrow): boolean {
  return ends(arrow).some((a) => a.kind !== "stay" && a.kind !== "ready" && a.kind !== "missing");
}

/** True when an arrow can lead on for good: an overlay only lies over its state for a while. */
export function leadsOut(machine: Machine, arrow: Arrow): boolean {
  return ends(arrow).some((a) =>
    a.kind === "to"
      ? a.target.kind === "ending" || machine.states[a.target.state]?.kind !== "overlay"
      : a.kind === "return" || a.kind === "history",
  );
}

/** True when something besides the seats on turn leads on: a timer, an event, an action that anyone may take. */
export function goesOnAlone(machine: Machine, chain: readonly State[]): boolean {
  return chain.some(
    (state) =>
      state.timers.some((t) => (t.arrow && leads(t.arrow)) || (t.block && (t.repeats || t.test))) ||
      state.listeners.some((l) => machine.signals[l.signal]?.origin === "event" && (l.arrow || l.block)) ||
      state.actions.some((a) => a.by === "anyone" && a.needs.length === 0 && leadsOut(machine, a.arrow)),
  );
}

/** Arrows with the condition each is taken on, of branches and of states. */
export function conditionalArrows(machine: Machine): { readonly test: Expr; readonly arrow: Arrow }[] {
  const found: { readonly test: Expr; readonly arrow: Arrow }[] = [];
  for (const state of machine.states)
    for (const { test, arrow } of state.whens) if (test.kind === "holds") found.push({ test: test.test, arrow });
  for (const arrow of writtenArrows(machine))
    if (arrow.kind === "choose")
      for (const { test, arrow: inner } of arrow.branches) if (test) found.push({ test, arrow: inner });
  return found;
}

/** The conditions that lead to an ending, of branches and of states. */
export function endingTests(machine: Machine): Expr[] {
  return conditionalArrows(machine).flatMap(({ test, arrow }) => (toEnding(arrow) ? test : []));
}

/** The conditions of an arrow's branches. */
export function branchTests(arrow: Arrow): Expr[] {
  return arrow.kind === "choose" ? branchesOf(arrow).flatMap((b) => b.test ?? []) : [];
}
