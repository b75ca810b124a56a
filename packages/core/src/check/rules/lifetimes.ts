/** Data that live longer than what they belong to: flags never cleared, what is left over from the last time. */

import type { Messages } from "../../language/message.js";
import type { Span } from "../../language/source.js";
import type { Action, Arrow, Block, Expr, Machine, State, Statement } from "../machine.js";
import { readsOf } from "../reads.js";
import { type Access, type DataPath, pathOf } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import type { Type } from "../types.js";
import { type Possible, truth } from "../reason/possible.js";
import { chainOf, endingTests, ends, isInside } from "../tree.js";
import { branchesOf, visitExpr, visitMachine } from "../visit.js";
import { comesAgain, comesBack, isBegunAnew } from "./comes-back.js";
import { everyWrite } from "./holds-for-good.js";
import { keptScore } from "./scores.js";

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
  const everybody = state === 0 && !found.accesses.isToldAtEnd(path) ? setByEverybody(found, sets, uses) : undefined;
  if (everybody) {
    messages.warning(
      "flag-never-cleared",
      sets[0] as Access,
      `"${name}" is set to ${!begins} here by everybody, and never back: it still holds when "${everybody.name}" ` +
        "is entered the next time.",
      `Clear it where "${everybody.name}" begins, for every seat: ${name} = ${begins}.`,
    );
    return;
  }
  if (state === 0 || !comesAgain(found, state)) {
    const way = leavesBy(
      found,
      path,
      uses,
      (test, holds, at) => holds && holdsWith(found, at, test, path, truth(!begins)),
    );
    if (way)
      messages.warning(
        "flag-never-cleared",
        sets[0] as Access,
        `"${name}" is set to ${!begins} here and never back: the next time it leads from ` +
          `"${way.from.name}" to "${way.to.name}" at once.`,
        `Clear it where it has been used: ${name} = ${begins}.`,
        { ...way.at, words: "It is asked here." },
      );
    return;
  }
  if (found.accesses.isToldAtEnd(path)) return;
  const reads = uses.filter((a) => a.kind === "read" && !a.own);
  // What only leads to an ending matters no more behind it; that it is done once is asked for that alone.
  const others = reads.filter((a) => !isOwnGuard(found.machine, a, sets));
  if (others.length > 0 && standIn(others, endingConditions(found.machine))) return;
  const meant =
    sets.every((a) => isSetByTest(found.machine, a) || isAtOneCount(found, a)) || isOnceAMatch(found.machine, reads);
  const within = found.machine.states[state] as State;
  messages[meant ? "hint" : "warning"](
    "flag-never-cleared",
    sets[0] as Access,
    `"${name}" is set to ${!begins} here and never back: it still holds when "${within.name}" is entered the ` +
      `next time.`,
    `Clear it where "${within.name}" begins, or make it data of that state, which is made anew at each entry.`,
  );
}

/**
 * A state in which each seat acts once, that comes again, and whose every action sets a flag of the seat's own as it
 * makes it ready, which is asked for elsewhere: after the first time everybody has it.
 */
function setByEverybody(found: Findings, sets: readonly Access[], uses: readonly Access[]): State | undefined {
  const { machine } = found;
  return machine.states.find((state) => {
    const acting = state.actions.filter(({ arrow }) => ends(arrow).some(({ kind }) => kind === "ready"));
    if (!state.turn?.each || acting.length === 0 || !comesBack(found, state.id)) return false;
    const sure = acting.map(({ block }) => block?.statements ?? []);
    const isOwn = ({ statement }: Access): boolean =>
      statement?.kind === "assign" &&
      statement.target.path[0]?.kind === "index" &&
      statement.target.path[0].key.kind === "me" &&
      sure.some((statements) => statements.includes(statement));
    if (!sets.every(isOwn) || !sure.every((statements) => sets.some((a) => statements.some((s) => s === a.statement))))
      return false;
    return uses.some((a) => a.kind === "read" && !a.own && !standIn([a], [state]));
  });
}

/** What is asked before a match ends: in the machine's own conditions, and in the needs of actions that end it. */
function endingConditions(machine: Machine): Span[] {
  const isEnd = ({ arrow }: Action): boolean =>
    ends(arrow).every((one) => one.kind === "to" && one.target.kind === "ending");
  return [...endingTests(machine), ...machine.actions.filter(isEnd).flatMap(({ needs }) => needs.map((n) => n.test))];
}

/** Whether a flag is asked for by an action that sets it itself. */
function isOwnGuard(machine: Machine, read: Access, sets: readonly Access[]): boolean {
  return machine.actions.some(
    (action) =>
      standIn(
        [read],
        action.needs.map((n) => n.test),
      ) && sets.some((set) => standIn([set], [action])),
  );
}

/** True when each of the uses stands in one of the places. */
function standIn(uses: readonly Access[], places: readonly Span[]): boolean {
  return uses.every((a) => places.some((p) => p.from <= a.from && a.to <= p.to));
}

/** What is set under a condition, such as a rage below six points, may be meant to last as that does. */
function isSetByTest(machine: Machine, set: Access): boolean {
  const blocks: Span[] = [];
  visitMachine(machine, {
    statement: (s) => {
      if (s.kind === "if") for (const { body } of s.branches) blocks.push(body);
    },
    arrow: (a) => {
      if (a.kind === "choose") for (const { test, block } of a.branches) if (test && block) blocks.push(block);
    },
  });
  return standIn([set], blocks);
}

/** Whether an action sets it at one count alone, such as behind the first move, and that is never come to again. */
function isAtOneCount(found: Findings, set: Access): boolean {
  const parts = (e: Expr): Expr[] =>
    e.kind === "binary" && e.op === "and" ? [...parts(e.left), ...parts(e.right)] : [e];
  const needs = found.machine.actions.flatMap((action) => (standIn([set], [action]) ? action.needs : []));
  return needs
    .flatMap(({ test }) => parts(test))
    .some((e) => {
      const path = e.kind === "binary" && e.op === "==" && e.right.kind === "constant" ? pathOf(e.left) : undefined;
      return path !== undefined && everyWrite(found, path, (s) => s.op === "+=");
    });
}

/** What the reason of a condition says that holds for the match as a whole, and not for a turn of it. */
const FOR_THE_MATCH = /\b(match|game|ever|already|(only|just) (once|one)|no second|used up|spent)\b/i;
const FOR_LESS = /\b(turn|round|lap|day|night|hand|bout|battle)s?\b/i;

/** True when a datum is only asked for in what actions need, for reasons that say that it is meant for the match. */
function isOnceAMatch(machine: Machine, reads: readonly Access[]): boolean {
  const needs = machine.actions.flatMap((action) => action.needs);
  return reads.every((a) =>
    needs.some(({ test, reason }) => {
      if (!standIn([a], [test]) || reason === undefined) return false;
      const words = machine.sources.written(reason);
      return FOR_THE_MATCH.test(words) && !FOR_LESS.test(words);
    }),
  );
}

/** Where a sum that grows is paid out whole and not set back, in states that come again; undefined when it is not. */
function givenAway(
  found: Findings,
  path: DataPath,
  writes: readonly Access[],
  uses: readonly Access[],
): (Statement & { readonly kind: "assign" }) | undefined {
  const { machine, written } = found;
  const added = writes.filter((a) => a.path === path && a.statement?.kind === "assign" && a.statement.op === "+=");
  // What is set back by another action, which need not be taken, is not set back when it has been paid.
  const others = writes.filter((a) => !added.includes(a));
  const chosen = machine.actions.filter((action) => others.some((a) => standIn([a], [action])));
  if (added.length === 0 || !standIn(others, chosen)) return undefined;
  if (!/^d\d+$/.test(path) || !comesAgain(found, holder(found, uses))) return undefined;
  for (const statement of written.keys()) {
    if (statement.kind !== "assign" || statement.op !== "+=" || pathOf(statement.value) !== path) continue;
    if (!chosen.some(({ from, to }) => from <= statement.from && statement.to <= to)) return statement;
  }
  return undefined;
}

/**
 * A condition on a datum that leads out of all the states that use it, to a place from where they can be entered
 * again: whoever comes back then finds it still holding.
 *
 * @param stays whether a condition that once holds, or once does not, stays so in a state
 */
function leavesBy(
  found: Findings,
  path: DataPath,
  uses: readonly Access[],
  stays: (test: Expr, holds: boolean, state: State) => boolean,
):
  | {
      readonly from: State;
      readonly to: State;
      readonly at: Span;
    }
  | undefined {
  const { machine, accesses } = found;
  const users = new Set<number>();
  for (const use of uses) for (const id of accesses.statesOf(use.place)) users.add(id);
  if (users.size === 0 || users.has(0)) return undefined;
  const outside = (target: number): boolean =>
    [...users].every((id) => !isInside(machine, id, target) && !isInside(machine, target, id));
  const asks = (test: Expr | undefined): boolean => test !== undefined && asksFor(machine, test, path);
  const ways: { test: Expr; holds: boolean; arrow: Arrow; state: State }[] = [];
  const visit = (arrow: Arrow, state: State): void => {
    if (arrow.kind !== "choose") return;
    const branches = branchesOf(arrow);
    for (const [i, b] of branches.entries()) {
      visit(b.arrow, state);
      const { test } = b;
      if (!test || !asks(test)) continue;
      ways.push({ test, holds: true, arrow: b.arrow, state });
      // While it holds nothing is left; where it does not any more it goes on with those behind it.
      if (b.arrow.kind !== "stay") continue;
      for (const behind of branches.slice(i + 1)) ways.push({ test, holds: false, arrow: behind.arrow, state });
    }
  };
  for (const id of users) {
    const state = machine.states[id] as State;
    for (const when of state.whens) {
      if (when.test.kind === "holds" && asks(when.test.test))
        ways.push({ test: when.test.test, holds: true, arrow: when.arrow, state });
      visit(when.arrow, state);
    }
    for (const item of [...state.actions, ...state.timers]) if (item.arrow) visit(item.arrow, state);
  }
  for (const { test, holds, arrow, state } of ways) {
    if (arrow.kind !== "to" || arrow.target.kind !== "state" || !outside(arrow.target.state)) continue;
    if (!stays(test, holds, state)) continue;
    const to = machine.states[arrow.target.state] as State;
    const back = reachesFrom(found, to.id);
    if ([...users].some((id) => [...back].some((at) => isInside(machine, at, id) || startsIn(machine, at, id))))
      return { from: state, to, at: { from: test.from, to: test.to } };
  }
  return undefined;
}

/** What holds where a comparison does not. */
const OPPOSITES: ReadonlyMap<string, string> = new Map([
  ["<", ">="],
  ["<=", ">"],
  [">", "<="],
  [">=", "<"],
  ["!=", "=="],
]);

/**
 * True when a comparison that once holds, or once does not, stays so while the number only grows, or only falls: a
 * limit reached, or a bound.
 */
function lasts(test: Expr, holds: boolean, path: DataPath, grows: boolean): boolean {
  if (test.kind !== "binary" || pathOf(test.left) !== path) return false;
  const { left, right } = test;
  const op = holds ? test.op : OPPOSITES.get(test.op);
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

/** Whether a state begins in one of its inner states. */
function startsIn(machine: Machine, outer: number, inner: number): boolean {
  for (let id = outer; id >= 0; id = startOf(machine, id)) if (id === inner) return true;
  return false;
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
  const kept = /^d\d+$/.test(path) ? keptScore(found, path) : undefined;
  if (kept) {
    messages.warning(
      "outlives-state",
      kept.test,
      `"${name}" is counted up to here, and nothing ever sets it back: behind "${kept.to.name}" it goes on from there.`,
      `Set it back where the next one begins: ${name} = [else: 0].`,
    );
    return;
  }
  const signs = new Set(writes.map((a) => (a.statement?.kind === "assign" && a.path === path ? a.statement.op : "=")));
  const way =
    signs.size === 1 && !signs.has("=")
      ? leavesBy(found, path, uses, (test, holds) => lasts(test, holds, path, signs.has("+=")))
      : undefined;
  if (way) {
    const { from, to } = way;
    // From some round on there may be more to go through in each.
    const isDetour = from.whens.some(({ test }) => test.kind === "entered") && !leavesBattle(found, from, to);
    if (mayLeaveBefore(machine, from, to)) return;
    messages[isDetour ? "hint" : "warning"](
      "outlives-state",
      at,
      `"${name}" leads from "${from.name}" to "${to.name}", and still does so the next time: nothing ever ` +
        `sets it back.`,
      `Set it anew where "${from.name}" is entered, or make it data of that state, which are made anew at each entry.`,
      { ...way.at, words: "It is asked here." },
    );
    return;
  }
  if (path.includes(".")) return;
  let state = holder(found, uses);
  while (state > 0 && !isBattle(found, machine.states[state] as State)) state = machine.states[state]?.parent ?? 0;
  if (state === 0 || found.accesses.isToldAtEnd(path)) return;
  const within = machine.states[state] as State;
  const begins = (a: Access): boolean =>
    a.statement?.kind === "assign" &&
    a.statement.op === "=" &&
    a.path === path &&
    [...found.accesses.statesOf(a.place)].some((id) => id === state || id === startOf(machine, state)) &&
    isEntered(machine, a);
  if (writes.some((a) => begins(a) || (a.statement?.kind === "change" && a.statement.method === "clear"))) return;
  // What is only counted on with each entry is how often it was entered, as long as it is left once only.
  const counts = (a: Access): boolean =>
    a.place.kind === "state" &&
    a.place.id === state &&
    a.statement?.kind === "assign" &&
    a.statement.op !== "=" &&
    isEntered(machine, a);
  if (writes.every(counts) && !comesBack(found, state)) return;
  if (uses.every((a) => a.kind === "write" || isSetFirst(machine, a, writes))) return;
  // What a seat chooses, or turns up and down, such as a setting, may be meant to last.
  const ops = new Set(writes.map(({ statement }) => (statement?.kind === "assign" ? statement.op : "=")));
  const turned = ops.has("+=") && ops.has("-=");
  const chosen = writes.every(
    ({ statement }) =>
      statement?.kind === "assign" &&
      (statement.op === "=" ? isParameter(machine, statement.value) : turned && statement.value.kind === "constant"),
  );
  // What is won on the way out is carried home.
  const won = writes.some((a) => standIn([a], blocksOnTheWayOut(machine, within)));
  // What goes on from round to round may go on from battle to battle.
  messages[chosen || won || isHome(found, state) || isBegunAnew(found, state) ? "hint" : "warning"](
    "outlives-state",
    at,
    `"${name}" is used only in "${within.name}", but outlives it: the next "${within.name}" begins with what the ` +
      `last one left.`,
    `Declare it in "${within.name}", whose data are made anew at each entry, or set it when it is entered.`,
  );
}

/** Whether somebody may go from a state to another before all is used up there: then it may be passed through later. */
function mayLeaveBefore(machine: Machine, { id, actions }: State, to: State): boolean {
  return actions.some(({ arrow }) =>
    ends(arrow).some((one) => {
      const target = one.kind === "to" && one.target.kind === "state" ? one.target.state : id;
      return arrow === one && !isInside(machine, target, id) && isInside(machine, to.id, target);
    }),
  );
}

/** Whether a way leads out of a battle. */
function leavesBattle(found: Findings, from: State, to: State): boolean {
  const { machine } = found;
  return chainOf(machine, from.id).some((s) => s.id > 0 && isBattle(found, s) && !isInside(machine, to.id, s.id));
}

/** The blocks that run as a state is left: before the arrows that lead out of it. */
function blocksOnTheWayOut(machine: Machine, state: State): Span[] {
  const blocks: Span[] = [];
  const leaves = (arrow: Arrow): boolean =>
    arrow.kind === "return"
      ? state.kind === "overlay"
      : arrow.kind === "to" && (arrow.target.kind === "ending" || !isInside(machine, arrow.target.state, state.id));
  const visit = (block: Block | undefined, arrow: Arrow | undefined): void => {
    if (!arrow) return;
    if (block && leaves(arrow)) blocks.push(block);
    if (arrow.kind === "choose") for (const b of branchesOf(arrow)) visit(b.block, b.arrow);
  };
  for (const inner of machine.states.filter(({ id }) => isInside(machine, id, state.id)))
    for (const item of [...inner.actions, ...inner.timers, ...inner.listeners, ...inner.whens])
      visit(item.block, item.arrow);
  return blocks;
}

/** A state with inner states, or an overlay, that people come back to from where they play too. */
function isBattle(found: Findings, state: State): boolean {
  const whole = state.kind === "overlay" || (state.children.length > 0 && !state.parallel);
  return whole && playedBeside(found.machine, state) && comesBack(found, state.id);
}

function startOf(machine: Machine, id: number): number {
  return machine.states[id]?.start ?? -1;
}

/**
 * Whether a match begins in a state, and only ever leaves it from where it then comes back to: what went on there goes
 * on.
 */
function isHome({ machine, moves }: Findings, state: number): boolean {
  const begins = leafOf(machine, state);
  const leaves = moves.filter(
    ({ from, to }) => "state" in to && isInside(machine, from, state) && !isInside(machine, to.state, state),
  );
  return isInside(machine, leafOf(machine, 0), state) && leaves.every(({ from }) => from === begins);
}

/** What a state begins with, innermost. */
function leafOf(machine: Machine, state: number): number {
  const inner = startOf(machine, state);
  return inner < 0 ? state : leafOf(machine, inner);
}

/** Whether what is read has been set right before, in the same block or the one before the arrow that asks for it. */
function isSetFirst(machine: Machine, read: Access, writes: readonly Access[]): boolean {
  const items = machine.states.flatMap((s) => [...s.actions, ...s.timers, ...s.listeners, ...s.whens]);
  const around = items.find((item) => standIn([read], [item]));
  return (around?.block?.statements ?? []).some(
    (s) =>
      s.kind === "assign" &&
      s.op === "=" &&
      s.to <= read.from &&
      writes.some((w) => w.statement === s && w.path === read.path && !w.indexed),
  );
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
