/** Costs that need not be paid: something done for a resource that may be used up already. */

import type { Messages } from "../../language/message.js";
import type { Span } from "../../language/source.js";
import type { Action, Arrow, Expr, Location, Machine, State, Statement } from "../machine.js";
import { type Access, type DataPath, pathOf, pathOfLocation } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import { type IntType, MAX_INT } from "../types.js";
import { chainOf, ends, isInside } from "../tree.js";
import { someExpr, visitExpr } from "../visit.js";
import { writesOf } from "./holds-for-good.js";

export function checkCosts(found: Findings, messages: Messages): void {
  const { actions } = found.machine;
  const resources = askedFor(actions);
  for (const action of actions) {
    checkTaken(found, action, messages);
    checkSold(found.machine, action, messages);
    for (const cost of assignments(action)) checkPaid(found, action, cost, resources, messages);
  }
}

type Assignment = Statement & { readonly kind: "assign" };

/** What an action sets by itself, under no condition. */
function assignments({ block }: Action): Assignment[] {
  return (block?.statements ?? []).filter((s) => s.kind === "assign");
}

/** A price that is taken where there may be less, and nobody asks. @param resources what some action asks for */
function checkPaid(
  found: Findings,
  action: Action,
  cost: Assignment,
  resources: ReadonlySet<DataPath>,
  messages: Messages,
): void {
  const { machine } = found;
  const path = pathOfLocation(cost.target);
  const { type } = cost.target;
  if (cost.op !== "-=" || path === undefined || type.kind !== "int") return;
  if (someExpr(cost.value, (e) => pathOf(e) === path)) return;
  const statements = action.block?.statements ?? [];
  const done = assignments(action);
  const isMoved = movesAll(cost, done, action);
  const isAsked = isAskedElsewhere(found, action, path, cost);
  if (!isOwn(machine, cost.target) && !isOnlyOnes(machine, cost.target) && !isMoved && !isAsked) return;
  const isChosen = dependsOn(cost.value, action);
  const gained = done.find((s) => s.op === "+=" && pathOfLocation(s.target) !== path)?.target;
  const bought = statements.find((s) => s.kind === "change" && s.method === "push" && isOwn(machine, s.target));
  // What is done to whom one chooses is done for the price, too.
  const against = done.find(({ target }) => isOfChosen(target, action));
  // A thing that is got is bought, and as much as one chooses, whether or not others ask before they pay; else it may
  // be a burden that is eased. Of what is traded nobody has less than nothing, also where no bounds say so; where they
  // say less, it may be owed.
  const isTraded = isChosen && gained !== undefined && isOwn(machine, gained) && !mayBeOwed(type);
  // What is put on something is recorded there, as much as it is.
  const isStaked = isChosen && type.low === 0 && statements.some((s) => s !== cost && records(machine, s, cost.value));
  const isPrice =
    bought ||
    isTraded ||
    isStaked ||
    isAsked ||
    isMoved ||
    (resources.has(path) && (isChosen || ((gained || against) && cost.value.kind === "constant")));
  const least = isTraded ? 0 : type.low;
  const value = found.written.get(cost)?.value;
  if (!isPrice || !value || value.low >= least || asks(machine, action, path, isChosen)) return;
  const taken = machine.sources.text(cost.target);
  const thing = bought?.kind === "change" ? bought.target : gained;
  const given = thing ? `gives "${machine.sources.text(thing)}"` : "is done";
  const price = machine.sources.text(cost.value);
  messages.warning(
    "unpaid-cost",
    cost,
    `"${action.name}" takes ${price} from "${taken}", where there may be less, and ${given} all the same.`,
    isChosen
      ? `Ask for it where it is chosen: where ${price} <= ${taken} else "...".`
      : `Ask for it: needs ${taken} >= ${price} else "...".`,
  );
}

/**
 * Whether a fixed amount is taken of what all other actions ask for before they take of it, and nothing but actions
 * takes of it: at least two of them, so that it is a habit.
 */
function isAskedElsewhere(found: Findings, action: Action, path: DataPath, { value, target }: Assignment): boolean {
  const { machine } = found;
  if (value.kind !== "constant" || target.path.length > 0) return false;
  const taking = writesOf(found, path).filter(takes);
  const others = machine.actions.filter((one) => one !== action && taking.some((a) => isWithin(a, one)));
  return (
    others.length >= 2 &&
    others.every((one) => needsEnough(one, path)) &&
    taking.every((a) => [action, ...others].some((one) => isWithin(a, one)))
  );
}

function takes({ statement }: Access): boolean {
  return statement?.kind === "assign" && statement.op === "-=";
}

function isWithin({ from, to }: Access, around: Span): boolean {
  return around.from <= from && to <= around.to;
}

/** Whether an action needs that there is enough of a datum. */
function needsEnough({ needs }: Action, path: DataPath): boolean {
  return needs.some(({ test }) => amountsAsked(test).some((amount) => pathOf(amount) === path));
}

/**
 * What an action asks for and does not take, while all that take of it are other actions that ask for it, too: then it
 * is something to spend, and neither a strength nor the right to do something.
 */
function checkTaken(found: Findings, action: Action, messages: Messages): void {
  const { machine } = found;
  const { needs, block, arrow, name } = action;
  if (!block) return;
  for (const amount of needs.flatMap(({ test }) => amountsAsked(test))) {
    const path = pathOf(amount);
    // What leads on may end a turn, whatever is left of it: there it is asked whether it goes on at all.
    const goesOn = (end: Arrow): boolean =>
      end.kind === "stay" || (path !== undefined && comesBack(found, action, path, end));
    if (path === undefined || !ends(arrow).some(goesOn)) continue;
    const writes = writesOf(found, path);
    const taking = writes.filter(takes);
    if (taking.length === 0 || writes.some((a) => a.place.kind === "effect" || isWithin(a, action))) continue;
    if (!taking.every((a) => machine.actions.some((one) => isWithin(a, one) && needsEnough(one, path)))) continue;
    const other = taking[0]?.statement;
    if (!other) continue;
    messages.warning(
      "unpaid-cost",
      amount,
      `"${name}" asks for "${machine.sources.text(amount)}" as others do that take of it, and takes nothing: it ` +
        "can be done again and again.",
      `Take it where it is used, as others do: ${machine.sources.written(other)}; or leave the question out.`,
      { from: other.from, to: other.to, words: "It is taken here." },
    );
  }
}

/**
 * Whether an arrow leads to a state that is passed at once, from which the same seat may be back in that of the action,
 * with as much as it had.
 */
function comesBack(found: Findings, action: Action, resource: DataPath, end: Arrow): boolean {
  const { machine } = found;
  if (end.kind !== "to" || end.target.kind !== "state") return false;
  const passed = machine.states[end.target.state] as State;
  const onward = passed.whens.filter(({ test }) => test.kind === "entered").flatMap((when) => ends(when.arrow));
  const isBack = (back: Arrow): boolean =>
    back.kind === "to" && back.target.kind === "state" && isInside(machine, action.state, back.target.state);
  if (!onward.some(isBack)) return false;
  const turn = chainOf(machine, action.state).find((state) => state.turn)?.turn;
  const path = turn && pathOf(turn.of);
  const isWritten = (on: DataPath): boolean =>
    writesOf(found, on).some((write) => isWithin(write, passed) || isWithin(write, action));
  return !isWritten(resource) && (path === undefined ? turn?.of.kind === "constant" : !isWritten(path));
}

/**
 * What an action gives something for, as much as is chosen of what one has, and does not take, while another action
 * gives it the other way round: what is sold is still there.
 */
function checkSold(machine: Machine, action: Action, messages: Messages): void {
  const done = action.block?.statements ?? [];
  if (!done.every((s) => s.kind === "assign" || s.kind === "note")) return;
  for (const { slot, where } of action.parameters) {
    if (where?.kind !== "binary" || where.op !== "<=" || where.left.kind !== "local" || where.left.slot !== slot)
      continue;
    const stock = pathOf(where.right);
    const gained = done.find((s) => s.kind === "assign" && s.op === "+=" && dependsOn(s.value, action));
    const price = gained?.kind === "assign" && isOwn(machine, gained.target) && pathOfLocation(gained.target);
    if (stock === undefined || !price || changes(done, "any", stock)) continue;
    const buys = machine.actions.find(
      ({ block }) => changes(block?.statements ?? [], "-=", price) && changes(block?.statements ?? [], "+=", stock),
    );
    if (!buys) continue;
    const [sold, chosen] = [machine.sources.text(where.right), machine.sources.text(where.left)];
    messages.warning(
      "unpaid-cost",
      where.right,
      `"${action.name}" gives "${machine.sources.text(gained.target)}" for ${chosen} of "${sold}" and takes none of ` +
        "it: it can be sold again and again.",
      `Take it: ${sold} -= ${chosen}.`,
      { from: buys.nameSpan.from, to: buys.nameSpan.to, words: `"${buys.name}" gives it the other way round here.` },
    );
  }
}

/** Whether some statements add to a datum, take from it, or change it at all. */
function changes(statements: readonly Statement[], op: "+=" | "-=" | "any", path: DataPath): boolean {
  return statements.some(
    (s) => s.kind === "assign" && (op === "any" || s.op === op) && pathOfLocation(s.target) === path,
  );
}

/**
 * What a condition asks enough of for something that costs a fixed amount: one's own, or what all have in common. Of
 * several conditions that must all hold each asks.
 */
function amountsAsked(test: Expr): Expr[] {
  if (test.kind !== "binary") return [];
  const { op, left, right } = test;
  if (op === "and") return [...amountsAsked(left), ...amountsAsked(right)];
  if (!/^>=?$/.test(op) || right.kind !== "constant") return [];
  return isOwnAmount(left) ? [left] : [];
}

/** `oil`, `oil[me]`, `crew[me].oil`. */
function isOwnAmount(e: Expr): boolean {
  if (e.kind === "field") return isOwnAmount(e.of);
  return e.kind === "index" ? e.key.kind === "me" && e.of.kind === "data" : e.kind === "data";
}

/** Whether as much as is chosen is taken from what all have in common, and the same is added elsewhere. */
function movesAll(
  { op, target, value, from }: Assignment,
  done: readonly Assignment[],
  { parameters }: Action,
): boolean {
  if (op !== "-=" || value.kind !== "local" || target.base.kind !== "data" || target.path.length > 0) return false;
  if (target.type.kind !== "int" || target.type.low !== 0) return false;
  const { slot } = value;
  if (!parameters.some((p) => p.slot === slot)) return false;
  return done.some((s) => s.from !== from && s.op === "+=" && s.value.kind === "local" && s.value.slot === slot);
}

/** Whether a statement is what the acting seat pays of its own, in an action that asks for it. */
export function isPaid({ machine }: Findings, statement: Statement): boolean {
  if (statement.kind !== "assign" || statement.op !== "-=" || !isOwn(machine, statement.target)) return false;
  const path = pathOfLocation(statement.target);
  return machine.actions.some(
    (action) =>
      path !== undefined &&
      action.from <= statement.from &&
      statement.to <= action.to &&
      asks(machine, action, path, dependsOn(statement.value, action)),
  );
}

/** Whether the bounds of a number say that there may be less than nothing of it. */
function mayBeOwed({ low }: IntType): boolean {
  return low < 0 && low > -MAX_INT;
}

/** What is kept by kind, such as goods in a map, where there is only one seat. */
function isOnlyOnes({ seats, data }: Machine, { base, path: [first, ...rest] }: Location): boolean {
  if (seats.names.length > 1 || base.kind !== "data" || first?.kind !== "index" || rest.length > 0) return false;
  return data.some(({ slot, type }) => slot === base.slot && type.kind === "map");
}

/** Whether a statement keeps just what is chosen: sets something to it, or adds a record that holds it. */
function records({ sources }: Machine, s: Statement, chosen: Expr): boolean {
  if (chosen.kind !== "local") return false;
  const isChosen = (e: Expr): boolean => e.kind === "local" && e.slot === chosen.slot;
  if (s.kind === "assign") return s.op === "=" && isChosen(s.value) && sources.text(s.target).includes("[me]");
  const pushed = s.kind === "change" && s.method === "push" ? s.args[0] : undefined;
  return pushed?.kind === "record" && pushed.fields.some((f) => f.kind !== "default" && isChosen(f));
}

/** Whether what is written belongs to a seat that the acting one chooses. */
function isOfChosen({ base, path: [first] }: Location, { parameters }: Action): boolean {
  if (base.kind === "local" || first?.kind !== "index" || first.key.kind !== "local") return false;
  const { slot } = first.key;
  return parameters.some((p) => p.slot === slot && p.type.kind === "seat");
}

/** Whether a price is set by what a seat chooses. */
function dependsOn(price: Expr, { parameters }: Action): boolean {
  return someExpr(price, (e) => e.kind === "local" && parameters.some(({ slot }) => slot === e.slot));
}

/** What actions ask for before they take from it. */
function askedFor(actions: readonly Action[]): Set<DataPath> {
  const paths = new Set<DataPath>();
  const look = (test: Expr | undefined): void =>
    visitExpr(test, {
      expr: (e) => {
        if (e.kind !== "binary") return;
        const path = /^>=?$/.test(e.op) ? pathOf(e.left) : /^<=?$/.test(e.op) ? pathOf(e.right) : undefined;
        if (path !== undefined) paths.add(path);
      },
    });
  for (const { needs, parameters } of actions) {
    for (const { test } of needs) look(test);
    for (const { where } of parameters) look(where);
  }
  return paths;
}

/**
 * Whether an action asks for a datum anywhere: in its needs, in what can be chosen, or where it leads. That something
 * is left of it is no answer to whether it is enough for what was chosen.
 */
function asks(machine: Machine, { needs, parameters, arrow }: Action, path: DataPath, isChosen: boolean): boolean {
  let found = false;
  const isWhetherLeft = (test: Expr | undefined): boolean =>
    test?.kind === "binary" && test.right.kind === "constant" && test.right.value === 0 && pathOf(test.left) === path;
  const look = (e: Expr | undefined, called = false): void =>
    visitExpr(e, {
      expr: (part) => {
        // What somebody has who is chosen is another question.
        if (!called && part.kind === "index" && part.key.kind === "local" && part.key.type.kind === "seat")
          return false;
        found ||= pathOf(part) === path;
        if (part.kind === "call") look(machine.functions[part.function]?.body, true);
        return undefined;
      },
    });
  const branches = arrow.kind === "choose" ? arrow.branches : [];
  const tests = [...needs, ...branches].map(({ test }) => test);
  for (const e of [...tests, ...parameters.flatMap(({ domain, where }) => [domain, where])])
    if (!isChosen || !isWhetherLeft(e)) look(e);
  return found;
}

/** The acting seat's own; where there is only one seat, all is. */
function isOwn({ seats }: Machine, { base, path }: Location): boolean {
  if (seats.names.length === 1) return base.kind !== "local" && path.every((step) => step.kind === "field");
  return base.kind !== "local" && path[0]?.kind === "index" && path[0].key.kind === "me";
}
