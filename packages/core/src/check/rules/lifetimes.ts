/** Data that live longer than what they belong to: flags never cleared, what is left over from the last time. */

import type { Messages } from "../../language/message.js";
import type { Expr, Machine, State } from "../machine.js";
import type { Access, DataPath } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import type { Type } from "../types.js";
import { isInside } from "../walk.js";

export function checkLifetimes(found: Findings, messages: Messages): void {
  const { machine, accesses } = found;
  const visit = (path: DataPath, name: string, type: Type, initial: Expr | undefined, at: { from: number; to: number }): void => {
    if (type.kind === "perSeat") {
      visit(path, name, type.of, initial, at);
      return;
    }
    if (type.kind === "record") {
      const spans = machine.recordSpans.get(type.name) ?? [];
      for (const [i, f] of type.fields.entries()) visit(`${path}.${i}`, f.name, f.type, machine.recordInitials.get(type.name)?.[i], spans[i] ?? at);
    }
    const uses = accesses.touching(path).filter((a) => a.place.kind === "state" || a.place.kind === "function" || a.place.kind === "effect");
    const writes = uses.filter((a) => a.kind === "write");
    const reads = uses.filter((a) => a.kind === "read" && !a.own);
    if (writes.length === 0 || reads.length === 0) return;
    if (type.kind === "bool") flag(found, path, name, initial, writes, uses, messages);
    else leftOver(found, path, name, at, writes, uses, messages);
  };
  for (const field of machine.data) visit(`d${field.slot}`, field.name, field.type, field.initial, field);
}

/** The innermost state that holds all uses; 0 when that is the machine. */
function holder(found: Findings, uses: readonly Access[]): number {
  const { machine, accesses } = found;
  let common: number | undefined;
  for (const use of uses) {
    for (const id of accesses.statesOf(use.place)) {
      if (common === undefined) common = id;
      while (common > 0 && !isInside(machine, id, common)) common = machine.states[common]?.parent ?? 0;
    }
  }
  return common ?? 0;
}

/** A state is left and entered again in the course of a match. */
function comesAgain(found: Findings, state: number): boolean {
  const { machine, moves } = found;
  const next = new Map<number, Set<number>>();
  let again = false;
  for (const { from, to, arrow } of moves) {
    if (!("state" in to)) continue;
    if (arrow.kind === "to" && arrow.again && to.state === state) again = true;
    // Into a state means into what it begins with; out of a leaf means out of all around it.
    next.set(from, (next.get(from) ?? new Set()).add(to.state));
  }
  if (again) return true;
  const seen = new Set<number>();
  const work: number[] = [];
  for (const { from, to } of moves) if ("state" in to && isInside(machine, from, state) && !isInside(machine, to.state, state)) work.push(to.state);
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

function flag(found: Findings, path: DataPath, name: string, initial: Expr | undefined, writes: readonly Access[], uses: readonly Access[], messages: Messages): void {
  const begins = initial?.kind === "constant" ? initial.value === true : false;
  const sets = writes.filter((a) => a.path === path && a.statement?.kind === "assign" && a.statement.value.kind === "constant" && a.statement.value.value === !begins);
  if (sets.length !== writes.length) return;
  const state = holder(found, uses);
  if (state === 0 || !comesAgain(found, state)) return;
  const within = found.machine.states[state] as State;
  messages.warning("flag-never-cleared", sets[0] as Access, `"${name}" is set to ${!begins} here and never back: it still holds when "${within.name}" is entered the next time.`, `Clear it where "${within.name}" begins, or make it data of that state, which is made anew at each entry.`);
}

/** Data of the machine that only a battle uses, a state beside which people play on, and that nothing sets anew when it begins again. */
function leftOver(found: Findings, path: DataPath, name: string, at: { from: number; to: number }, writes: readonly Access[], uses: readonly Access[], messages: Messages): void {
  const { machine } = found;
  if (path.includes(".")) return;
  let state = holder(found, uses);
  while (state > 0 && !isBattle(found, machine.states[state] as State)) state = machine.states[state]?.parent ?? 0;
  if (state === 0) return;
  const within = machine.states[state] as State;
  const begins = (a: Access): boolean => a.statement?.kind === "assign" && a.statement.op === "=" && a.path === path && [...found.accesses.statesOf(a.place)].some((id) => id === state || id === startOf(machine, state)) && isEntered(machine, a);
  if (writes.some((a) => begins(a) || (a.statement?.kind === "change" && a.statement.method === "clear"))) return;
  messages.warning("outlives-state", at, `"${name}" is used only in "${within.name}", but outlives it: the next "${within.name}" begins with what the last one left.`, `Declare it in "${within.name}", whose data are made anew at each entry, or set it when it is entered.`);
}

/** A state with inner states, or an overlay, that is entered again and again from where people play too. */
function isBattle(found: Findings, state: State): boolean {
  const whole = state.kind === "overlay" || (state.children.length > 0 && !state.parallel);
  return whole && playedBeside(found.machine, state) && comesAgain(found, state.id);
}

function startOf(machine: Machine, id: number): number {
  return machine.states[id]?.start ?? -1;
}

/** A write that stands in the `enter` of its state. */
function isEntered(machine: Machine, access: Access): boolean {
  const state = access.place.kind === "state" ? machine.states[access.place.id] : undefined;
  return state?.enters.some(({ block }) => block && access.from >= block.from && access.to <= block.to) ?? access.place.kind === "effect";
}

/** Somebody acts outside too, so this is a part of a longer journey and not just one phase of every turn. */
function playedBeside(machine: Machine, state: State): boolean {
  return machine.states.some((other) => !isInside(machine, other.id, state.id) && !isInside(machine, state.id, other.id) && other.kind !== "overlay" && other.actions.length > 0);
}
