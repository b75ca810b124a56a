/**
 * The one walk over a typed machine. What is inside what stands here once, in a table with a line for every kind of
 * node; a kind without one does not compile, and a node of no kind at all is an error of this program.
 *
 * The order is that of the text, and a node comes before its parts.
 */

import type {
  Arrow,
  Block,
  Branch,
  Ending,
  Expr,
  Location,
  Machine,
  SetDice,
  Statement,
  State,
  Test,
  TestLine,
} from "./machine.js";

/** What a walk calls. What gives `false` is not followed inside. */
export interface Visitor {
  expr?(e: Expr): unknown;
  statement?(s: Statement): unknown;
  arrow?(a: Arrow): unknown;
  /** A location that is written, or taken from; the expressions in it come after. */
  location?(l: Location): unknown;
}

// ---- expressions -------------------------------------------------------------------------------

type Of<K extends Expr["kind"]> = Expr & { readonly kind: K };

/** The parts of a node: expressions, and for `take` the location. */
type Parts = readonly (Expr | undefined)[];

const none = (): Parts => [];
const of = ({ of: inner }: { readonly of: Expr }): Parts => [inner];

/** The expressions right inside one of each kind. Those of a `take` are in its location. */
const INSIDE: { readonly [K in Expr["kind"]]: (e: Of<K>) => Parts } = {
  constant: none,
  named: none,
  default: none,
  text: ({ parts }) => parts.filter((part) => typeof part !== "string"),
  local: none,
  data: none,
  stateData: none,
  field: of,
  coordinate: of,
  index: ({ of: list, key }) => [list, key],
  listProperty: of,
  listHas: ({ of: list, value }) => [list, value],
  mapProperty: of,
  gridProperty: of,
  gridCall: ({ of: grid, args }) => [grid, ...args],
  take: none,
  list: ({ items }) => items,
  filled: ({ keys, items }) => [...keys, ...items],
  record: ({ fields }) => fields,
  cell: ({ x, y }) => [x, y],
  not: of,
  negate: of,
  unwrap: of,
  binary: ({ left, right }) => [left, right],
  range: ({ low, high }) => [low, high],
  if: ({ test, then, otherwise }) => [test, then, otherwise],
  call: ({ args }) => args,
  numeric: ({ args }) => args,
  binder: ({ source, where, body }) => [source, where, body],
  me: none,
  seats: none,
  inPlay: none,
  seated: none,
  others: none,
  now: none,
  next: ({ seat }) => [seat],
  canAct: ({ seat }) => [seat],
  inState: none,
  roll: ({ times, low, high, owner }) => [times, low, high, owner],
  chance: ({ part, whole, owner }) => [part, whole, owner],
  pick: ({ list, weight, owner }) => [list, weight?.body, owner],
  shuffle: ({ list, owner }) => [list, owner],
};

/** The expressions right inside an expression, in the order of the text. */
export function partsOf(e: Expr): Expr[] {
  const inside = INSIDE[e.kind] as ((e: never) => Parts) | undefined;
  if (!inside) throw new Error(`There is no expression of kind "${(e as { kind: string }).kind}".`);
  const parts = e.kind === "take" ? keysOf(e.target) : inside(e as never);
  return parts.filter((part) => part !== undefined);
}

/** The expressions in a location: its indices. */
export function keysOf({ path }: Location): Expr[] {
  return path.flatMap((step) => (step.kind === "index" ? [step.key] : []));
}

/** Visits an expression and all inside it. */
export function visitExpr(e: Expr | undefined, visitor: Visitor): void {
  if (!e || visitor.expr?.(e) === false) return;
  if (e.kind === "take") {
    visitLocation(e.target, visitor);
    return;
  }
  for (const part of partsOf(e)) visitExpr(part, visitor);
}

/** True when some expression, or one inside it, is as asked. */
export function someExpr(e: Expr | undefined, is: (e: Expr) => boolean): boolean {
  return e !== undefined && (is(e) || partsOf(e).some((part) => someExpr(part, is)));
}

function visitLocation(target: Location, visitor: Visitor): void {
  if (visitor.location?.(target) === false) return;
  for (const key of keysOf(target)) visitExpr(key, visitor);
}

// ---- statements and arrows ---------------------------------------------------------------------

export function visitBlock(block: Block | undefined, visitor: Visitor): void {
  for (const s of block?.statements ?? []) visitStatement(s, visitor);
}

function visitStatement(s: Statement, visitor: Visitor): void {
  if (visitor.statement?.(s) === false) return;
  switch (s.kind) {
    case "let":
      visitExpr(s.value, visitor);
      return;
    case "assign":
      visitLocation(s.target, visitor);
      visitExpr(s.value, visitor);
      return;
    case "change":
      visitLocation(s.target, visitor);
      visitAll(s.args, visitor);
      return;
    case "call":
    case "raise":
      visitAll(s.args, visitor);
      return;
    case "note":
      visitAll([s.audience, s.text], visitor);
      return;
    case "eliminate":
    case "reopen":
      visitExpr(s.seat, visitor);
      return;
    case "for":
      visitAll([s.source, s.where], visitor);
      visitBlock(s.body, visitor);
      return;
    case "if":
      for (const { test, body } of s.branches) {
        visitExpr(test, visitor);
        visitBlock(body, visitor);
      }
      visitBlock(s.otherwise, visitor);
      return;
    default:
      throw new Error(`There is no statement of kind "${(s as { kind: string }).kind}".`);
  }
}

export function visitArrow(arrow: Arrow | undefined, visitor: Visitor): void {
  if (!arrow || visitor.arrow?.(arrow) === false) return;
  switch (arrow.kind) {
    case "stay":
    case "ready":
    case "return":
    case "history":
    case "missing":
      return;
    case "to":
      visitAll(arrow.target.args, visitor);
      return;
    case "choose":
      for (const branch of branchesOf(arrow)) {
        visitExpr(branch.test, visitor);
        visitBlock(branch.block, visitor);
        visitArrow(branch.arrow, visitor);
      }
      return;
    case "odds":
      for (const { weight, target } of arrow.entries) visitAll([weight, ...target.args], visitor);
      return;
    default:
      throw new Error(`There is no arrow of kind "${(arrow as { kind: string }).kind}".`);
  }
}

/** The branches of a choice, its else last. */
export function branchesOf(arrow: Arrow & { kind: "choose" }): Branch[] {
  return [...arrow.branches, ...(arrow.otherwise ? [arrow.otherwise] : [])];
}

function visitAll(exprs: readonly (Expr | undefined)[], visitor: Visitor): void {
  for (const e of exprs) visitExpr(e, visitor);
}

// ---- whole declarations ------------------------------------------------------------------------

/** What a state asks and does: its turn, actions, enters, exits, timers, listeners and whens; not its data. */
export function visitState(state: State, visitor: Visitor): void {
  visitExpr(state.turn?.of, visitor);
  for (const action of state.actions) {
    for (const { domain, where, reason } of action.parameters) visitAll([domain, where, reason], visitor);
    if (action.by !== "anyone") visitExpr(action.by, visitor);
    for (const { test, reason } of action.needs) visitAll([test, reason], visitor);
    visitBlock(action.block, visitor);
    visitArrow(action.arrow, visitor);
  }
  for (const timer of state.timers) {
    visitAll([timer.delay, timer.test], visitor);
    visitBlock(timer.block, visitor);
    visitArrow(timer.arrow, visitor);
  }
  visitPassing(state, visitor);
}

/** What happens when a state is entered, left, passed through or told something: no actions, no timers. */
export function visitPassing(state: State, visitor: Visitor): void {
  for (const { block, arrow } of state.enters) {
    visitBlock(block, visitor);
    visitArrow(arrow, visitor);
  }
  for (const block of state.exits) visitBlock(block, visitor);
  for (const listener of state.listeners) {
    visitExpr(listener.test, visitor);
    visitBlock(listener.block, visitor);
    visitArrow(listener.arrow, visitor);
  }
  for (const when of state.whens) {
    if (when.test.kind === "holds") visitExpr(when.test.test, visitor);
    visitBlock(when.block, visitor);
    visitArrow(when.arrow, visitor);
  }
}

export function visitEnding({ results }: Ending, visitor: Visitor): void {
  for (const rule of results) {
    if (rule.kind === "scores") visitAll([rule.source, rule.value], visitor);
    else visitExpr(rule.kind === "ranks" ? rule.list : rule.seats, visitor);
  }
}

/** The lines of a test. What `given` sets is a location. */
export function visitTest({ lines }: Test, visitor: Visitor): void {
  for (const line of lines) visitTestLine(line, visitor);
}

function diceOf(dice: SetDice | undefined): Expr[] {
  return (dice?.values ?? []).filter((value) => value !== null);
}

function visitTestLine(line: TestLine, visitor: Visitor): void {
  switch (line.kind) {
    case "given":
      for (const { target, value } of line.values) {
        visitLocation(target, visitor);
        visitExpr(value, visitor);
      }
      visitAll(diceOf(line.dice), visitor);
      return;
    case "at":
      visitAll(line.args, visitor);
      return;
    case "wait":
      visitAll([line.time, ...diceOf(line.dice)], visitor);
      return;
    case "event":
      visitAll([...line.args, ...diceOf(line.dice)], visitor);
      return;
    case "act":
      visitAll([...line.call.args.values(), ...diceOf(line.dice)], visitor);
      return;
    case "seats":
    case "open":
    case "joins":
    case "leaves":
      return;
    case "expect":
      for (const e of line.expectations) {
        if (e.kind === "standing") visitExpr(e.value, visitor);
        else if (e.kind === "ending") visitAll(e.args ?? [], visitor);
        else if (e.kind === "turn") visitExpr(e.seats, visitor);
        else if (e.kind === "open" || e.kind === "closed") visitAll([...e.call.args.values()], visitor);
        else if (e.kind === "holds") visitExpr(e.test, visitor);
      }
      return;
    default:
      throw new Error(`There is no line of a test of kind "${(line as { kind: string }).kind}".`);
  }
}

/** What runs in a match: states and their data, functions, effects, endings, first values, laws, policies, tests. */
export function visitMachine(machine: Machine, visitor: Visitor): void {
  for (const field of machine.data) visitExpr(field.initial, visitor);
  for (const initials of machine.recordInitials.values()) visitAll(initials, visitor);
  for (const { value } of machine.constants) visitExpr(value, visitor);
  for (const { parameters } of [...machine.functions, ...machine.effects, ...machine.endings, ...machine.states])
    for (const { initial } of parameters) visitExpr(initial, visitor);
  for (const { body } of machine.functions) visitExpr(body, visitor);
  for (const { body } of machine.effects) visitBlock(body, visitor);
  for (const state of machine.states) {
    for (const field of state.fields) visitExpr(field.initial, visitor);
    visitState(state, visitor);
  }
  for (const ending of machine.endings) visitEnding(ending, visitor);
  for (const law of machine.laws) if (law.form === "holds") visitExpr(law.test, visitor);
  for (const { entries } of machine.policies)
    for (const { test, call } of entries) visitAll([test, ...(call?.args.values() ?? [])], visitor);
  for (const test of machine.tests) visitTest(test, visitor);
}
