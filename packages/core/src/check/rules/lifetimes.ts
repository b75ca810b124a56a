/** Data that live longer than what they belong to: flags never cleared, what is left over from the last time. */

import { visitExpr } from "../visit.js";
import type { Messages } from "../../language/message.js";
import type { Arrow, Expr, Machine, State, Statement } from "../machine.js";
import { readsOf } from "../reads.js";
import { type Access, type DataPath, pathOf } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import type { Type } from "../types.js";
import { type Possible, truth } from "../reason/possible.js";
import { isInside } from "../tree.js";

export function checkLifetimes(found: Findings, messages: Messages): void {
  const { machine, accesses } = found;
  const visit = (
    path: DataPath,
    name: string,
    type: Type,
    initial: Expr | undefined,
    at: { from: number; to: number },
  ): void => {
    if (type.kind === "perSeat") {
      visit(path, name, type.of, initial, at);
      return;
    }
    if (type.kind === "record") {
      const spans = machine.recordSpans.get(type.name) ?? [];
      for (const [i, f] of type.fields.entries())
        visit(`${path}.${i}`, f.name, f.type, machine.recordInitials.get(type.name)?.[i], spans[i] ?? at);
    }
    const uses = accesses
      .touching(path)
      .filter((a) => a.place.kind === "state" || a.place.kind === "function" || a.place.kind === "effect");
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
export function comesAgain(found: Findings, state: number): boolean {
  const { machine, moves } = found;
  const next = new Map<number, Set<number>>();
  let again = false;
  for (const { from, to, arrow } of moves) {
    if (!("state" in to)) continue;
    // Whoever comes back to where it was goes on, and begins nothing.
    if (arrow.kind === "history" && isInside(machine, to.state, state)) continue;
    if (arrow.kind === "to" && arrow.again && to.state === state) again = true;
    // Into a state means into what it begins with; out of a leaf means out of all around it.
    next.set(from, (next.get(from) ?? new Set()).add(to.state));
  }
  if (again) return true;
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

function flag(
  found: Findings,
  path: DataPath,
  name: string,
  initial: Expr | undefined,
  writes: readonly Access[],
  uses: readonly Access[],
  messages: Messages,
): void {
  const begins = initial?.kind === "constant" ? initial.value === true : false;
  const sets = writes.filter(
    (a) =>
      a.path === path &&
      a.statement?.kind === "assign" &&
      a.statement.value.kind === "constant" &&
      a.statement.value.value === !begins,
  );
  if (sets.length !== writes.length) return;
  const state = holder(found, uses);
  if (state === 0 || !comesAgain(found, state)) {
    const way = leavesBy(found, path, uses, truth(!begins));
    if (way)
      messages.warning(
        "flag-never-cleared",
        sets[0] as Access,
        `"${name}" is set to ${!begins} here and never back: the next time it leads from "${way.from}" to ` +
          `"${way.to}" at once.`,
        `Clear it where it has been used: ${name} = ${begins}.`,
        { ...way.at, words: "It is asked here." },
      );
    return;
  }
  const within = found.machine.states[state] as State;
  messages.warning(
    "flag-never-cleared",
    sets[0] as Access,
    `"${name}" is set to ${!begins} here and never back: it still holds when "${within.name}" is entered the ` +
      `next time.`,
    `Clear it where "${within.name}" begins, or make it data of that state, which is made anew at each entry.`,
  );
}

/** Where a sum that only ever grows is paid out whole, in states that come again; undefined when it is not. */
function givenAway(
  found: Findings,
  path: DataPath,
  writes: readonly Access[],
  uses: readonly Access[],
): (Statement & { readonly kind: "assign" }) | undefined {
  const grows = writes.every((a) => a.path === path && a.statement?.kind === "assign" && a.statement.op === "+=");
  if (!grows || !/^d\d+$/.test(path) || !comesAgain(found, holder(found, uses))) return undefined;
  for (const statement of found.written.keys())
    if (statement.kind === "assign" && statement.op === "+=" && pathOf(statement.value) === path) return statement;
  return undefined;
}

/**
 * A condition on a datum that leads out of all the states that use it, to a place from where they can be entered
 * again: whoever comes back then finds it still holding.
 *
 * @param last what the datum comes to and stays; undefined when the caller asks whether the condition lasts
 */
function leavesBy(
  found: Findings,
  path: DataPath,
  uses: readonly Access[],
  last: Possible | undefined,
):
  | {
      readonly from: string;
      readonly to: string;
      readonly test: Expr;
      readonly at: { readonly from: number; readonly to: number };
    }
  | undefined {
  const { machine, accesses } = found;
  const users = new Set<number>();
  for (const use of uses) for (const id of accesses.statesOf(use.place)) users.add(id);
  if (users.size === 0 || users.has(0)) return undefined;
  const outside = (target: number): boolean =>
    [...users].every((id) => !isInside(machine, id, target) && !isInside(machine, target, id));
  const asks = (test: Expr | undefined): boolean => test !== undefined && asksFor(machine, test, path);
  const ways: { test: Expr; arrow: Arrow; state: State }[] = [];
  const visit = (arrow: Arrow, state: State): void => {
    if (arrow.kind !== "choose") return;
    for (const b of arrow.branches) {
      if (b.test && asks(b.test)) ways.push({ test: b.test, arrow: b.arrow, state });
      visit(b.arrow, state);
    }
  };
  for (const id of users) {
    const state = machine.states[id] as State;
    for (const when of state.whens) {
      if (when.test.kind === "holds" && asks(when.test.test))
        ways.push({ test: when.test.test, arrow: when.arrow, state });
      visit(when.arrow, state);
    }
    for (const item of [...state.actions, ...state.timers]) if (item.arrow) visit(item.arrow, state);
  }
  for (const { test, arrow, state } of ways) {
    if (arrow.kind !== "to" || arrow.target.kind !== "state" || !outside(arrow.target.state)) continue;
    if (last && !holdsWith(found, state, test, path, last)) continue;
    const back = reachesFrom(found, arrow.target.state);
    if ([...users].some((id) => [...back].some((at) => isInside(machine, at, id))))
      return {
        from: state.name,
        to: machine.states[arrow.target.state]?.name ?? "",
        test,
        at: { from: test.from, to: test.to },
      };
  }
  return undefined;
}

/**
 * True when a comparison that once holds goes on holding while the number only grows, or only falls: a limit reached,
 * or a bound.
 */
function lasts(test: Expr, path: DataPath, grows: boolean): boolean {
  if (test.kind !== "binary" || pathOf(test.left) !== path) return false;
  const { left, right, op } = test;
  if (op === (grows ? ">=" : "<=") || op === (grows ? ">" : "<")) return true;
  return (
    op === "==" &&
    left.type.kind === "int" &&
    right.kind === "constant" &&
    right.value === (grows ? left.type.high : left.type.low)
  );
}

/** True when a condition surely holds in a state once a datum, everywhere where there are several, is at its last. */
function holdsWith({ flow }: Findings, state: State, test: Expr, path: DataPath, last: Possible): boolean {
  const at = /^d(\d+)((?:\.\d+)*)$/.exec(path);
  const point = [...flow.points.values()].find((p) => isInside(flow.machine, p.leaf, state.id));
  // Of data of a state, and of a state passed through, it is taken for granted.
  if (!at || !point) return true;
  const slot = Number(at[1]);
  const fields = (at[2] ?? "").split(".").filter(Boolean).map(Number);
  const into = (now: Possible, way: readonly number[]): Possible => {
    if (now.kind === "perSeat") return { kind: "perSeat", seats: now.seats.map((one) => into(one, way)) };
    const [field, ...rest] = way;
    if (field === undefined) return last;
    if (now.kind !== "record") return now;
    return { kind: "record", fields: now.fields.map((f, i) => (i === field ? into(f, rest) : f)) };
  };
  const now = point.store.data[slot];
  return (
    now === undefined ||
    flow.standing(point, () => flow.values.truth(test, point.store.write(slot, into(now, fields))) === 2)
  );
}

/** True when a condition is about one datum alone and who is in play, through the functions it calls. */
function asksFor(machine: Machine, test: Expr, path: DataPath): boolean {
  const { slots, states } = readsOf(machine, test);
  if (states || slots.size !== 1) return false;
  let asked = false;
  const look = (e: Expr): void => {
    if (e.kind === "call") visitExpr(machine.functions[e.function]?.body, { expr: look });
    if (pathOf(e) === path) asked = true;
  };
  visitExpr(test, { expr: look });
  return asked;
}

/** The states that a match can come to from one, itself among them. */
function reachesFrom({ machine, moves }: Findings, state: number): Set<number> {
  const seen = new Set<number>([state]);
  const work = [state];
  while (work.length > 0) {
    const at = work.pop() as number;
    for (const { from, to } of moves) {
      if (!("state" in to) || seen.has(to.state) || !(isInside(machine, from, at) || isInside(machine, at, from)))
        continue;
      seen.add(to.state);
      work.push(to.state);
    }
  }
  return seen;
}

/**
 * Data of the machine that only a battle uses, a state beside which people play on, and that nothing sets anew when it
 * begins again.
 */
function leftOver(
  found: Findings,
  path: DataPath,
  name: string,
  at: { from: number; to: number },
  writes: readonly Access[],
  uses: readonly Access[],
  messages: Messages,
): void {
  const { machine } = found;
  const given = givenAway(found, path, writes, uses);
  if (given) {
    const to = machine.sources.written(given.target);
    messages.warning(
      "outlives-state",
      given,
      `"${name}" is given to "${to}" here and kept as well: the next time it is given once more.`,
      `Set it back where it has been given: ${name} = 0.`,
    );
    return;
  }
  const way = leavesBy(found, path, uses, undefined);
  const signs = new Set(writes.map((a) => (a.statement?.kind === "assign" && a.path === path ? a.statement.op : "=")));
  if (way && signs.size === 1 && !signs.has("=") && lasts(way.test, path, signs.has("+="))) {
    messages.warning(
      "outlives-state",
      at,
      `"${name}" leads from "${way.from}" to "${way.to}", and still does so the next time: nothing ever sets it back.`,
      `Set it anew where "${way.from}" is entered, or make it data of that state, which are made anew at each entry.`,
      { ...way.at, words: "It is asked here." },
    );
    return;
  }
  if (path.includes(".")) return;
  let state = holder(found, uses);
  while (state > 0 && !isBattle(found, machine.states[state] as State)) state = machine.states[state]?.parent ?? 0;
  if (state === 0) return;
  const within = machine.states[state] as State;
  const begins = (a: Access): boolean =>
    a.statement?.kind === "assign" &&
    a.statement.op === "=" &&
    a.path === path &&
    [...found.accesses.statesOf(a.place)].some((id) => id === state || id === startOf(machine, state)) &&
    isEntered(machine, a);
  if (writes.some((a) => begins(a) || (a.statement?.kind === "change" && a.statement.method === "clear"))) return;
  // What a seat chooses, or turns up and down, such as a setting, may be meant to last.
  const ops = new Set(writes.map(({ statement }) => (statement?.kind === "assign" ? statement.op : "=")));
  const turned = ops.has("+=") && ops.has("-=");
  const chosen = writes.every(
    ({ statement }) =>
      statement?.kind === "assign" &&
      (statement.op === "=" ? isParameter(machine, statement.value) : turned && statement.value.kind === "constant"),
  );
  messages[chosen ? "hint" : "warning"](
    "outlives-state",
    at,
    `"${name}" is used only in "${within.name}", but outlives it: the next "${within.name}" begins with what the ` +
      `last one left.`,
    `Declare it in "${within.name}", whose data are made anew at each entry, or set it when it is entered.`,
  );
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
  return (
    state?.enters.some(({ block }) => block && access.from >= block.from && access.to <= block.to) ??
    access.place.kind === "effect"
  );
}

/** Somebody acts outside too, so this is a part of a longer journey and not just one phase of every turn. */
function playedBeside(machine: Machine, state: State): boolean {
  return machine.states.some(
    (other) =>
      !isInside(machine, other.id, state.id) &&
      !isInside(machine, state.id, other.id) &&
      other.kind !== "overlay" &&
      other.actions.length > 0,
  );
}

function isParameter(machine: Machine, e: Expr): boolean {
  return e.kind === "local" && machine.actions.some((a) => a.parameters.some((p) => p.slot === e.slot));
}
