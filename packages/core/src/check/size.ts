/**
 * How much a declaration comes to when everything it uses is written out: the work of functions and
 * effects, the values of types. All of it is known before anything runs, because nothing calls itself
 * and no type holds itself; loops are counted while they run. A machine's text comes from anybody, and a few
 * lines that each use the one before twice come to more than any computer can do.
 */

import type { Arrow, Block, Expr, Location, Machine, State, Statement } from "./machine.js";
import { branchesOf, partsOf, type Visitor, visitBlock, visitExpr } from "./visit.js";
import type { Type } from "./types.js";

/** Counting stops here; it is far above every limit. */
const PLENTY = 1e9;

export interface RoutineSizes {
  /** By number: the operations of one use, calls written out. */
  readonly functions: readonly number[];
  readonly effects: readonly number[];
}

/** Counts the operations of all functions and effects of a machine. */
export function routineSizes({ functions, effects }: Pick<Machine, "functions" | "effects">): RoutineSizes {
  const sizes = { functions: [] as number[], effects: [] as number[] };
  const sizeOf = (list: "functions" | "effects", id: number): number => {
    const known = sizes[list][id];
    if (known !== undefined) return known;
    // While it is being counted it counts as nothing: calls in a circle are an error told elsewhere.
    sizes[list][id] = 0;
    const body = list === "functions" ? functions[id]?.body : effects[id]?.body;
    return (sizes[list][id] = operations(body, sizeOf));
  };
  for (const id of functions.keys()) sizeOf("functions", id);
  for (const id of effects.keys()) sizeOf("effects", id);
  return sizes;
}

/** The operations of an expression, calls written out. */
export function operationsIn(e: Expr, sizes: RoutineSizes): number {
  return operations(e, (list, id) => sizes[list][id] ?? 0);
}

function operations(
  body: Expr | Block | undefined,
  sizeOf: (list: "functions" | "effects", id: number) => number,
): number {
  let total = 0;
  const add = (count: number): void => {
    total = Math.min(PLENTY, total + count);
  };
  const visitor: Visitor = {
    expr: (e) => add(e.kind === "call" ? 1 + sizeOf("functions", e.function) : 1),
    statement: (s) => add(s.kind === "call" ? 1 + sizeOf("effects", s.effect) : 1),
    location: ({ path }) => add(1 + path.length),
  };
  if (body && "statements" in body) visitBlock(body, visitor);
  else visitExpr(body, visitor);
  return total;
}

/** How many elements, cells or characters count as one effect. */
export const PER_EFFECT = 4;

/** How many operations of an expression count as one: of a condition mostly a part is asked, and that is quick. */
const OPERATIONS_AN_EFFECT = 16;

/**
 * What some expressions cost each time they are worked out, in effects, beyond the one of the statement they stand in.
 * The bodies of binders and of functions count where they run; small ones cost nothing.
 */
export function costOf(...exprs: readonly (Expr | undefined)[]): number {
  let operations = 0;
  const count = (e: Expr): void => {
    operations++;
    const parts = e.kind === "binder" ? [e.source] : partsOf(e);
    for (const part of parts) count(part);
  };
  for (const e of exprs) if (e) count(e);
  return Math.floor(operations / OPERATIONS_AN_EFFECT);
}

/** What the statements of a block cost each time it runs, without what stands in blocks inside it. */
export function blockCost(block: Block): number {
  let cost = 0;
  for (const s of block.statements) cost += 1 + costOf(...exprsOf(s));
  return cost;
}

/** The expressions right in a statement, without those of the blocks and loops inside it. */
function exprsOf(s: Statement): readonly (Expr | undefined)[] {
  switch (s.kind) {
    case "let":
      return [s.value];
    case "assign":
      return [s.value, ...keysOf(s.target)];
    case "change":
      return [...s.args, ...keysOf(s.target)];
    case "call":
    case "raise":
      return s.args;
    case "eliminate":
    case "reopen":
      return [s.seat];
    case "for":
      return [s.source];
    case "if":
      return s.branches.map(({ test }) => test);
    // Notes are worked out only when somebody looks, so they cannot cost anything.
    case "note":
      return [];
  }
}

/** What asking everything costs that states ask by themselves: conditions, branches, turns. */
export function askingCost(state: State): number {
  let cost = 0;
  const arrow = (of: Arrow | undefined): void => {
    if (of?.kind !== "choose") return;
    for (const branch of branchesOf(of)) {
      cost += costOf(branch.test);
      arrow(branch.arrow);
    }
  };
  for (const { test, arrow: led } of state.whens) {
    cost += test.kind === "holds" ? costOf(test.test) : 0;
    arrow(led);
  }
  for (const item of [...state.listeners, ...state.timers]) {
    cost += costOf(item.test);
    arrow(item.arrow);
  }
  if (state.turn) cost += costOf(state.turn.of);
  return cost;
}

/** True for types whose values can be of any size: storing such a value once more is paid by what it holds. */
export function isOpenEnded(type: Type, known = new Map<Type, boolean>()): boolean {
  const before = known.get(type);
  if (before !== undefined) return before;
  known.set(type, false);
  const open =
    type.kind === "list" || type.kind === "map" || type.kind === "grid"
      ? true
      : type.kind === "record"
        ? type.fields.some((field) => isOpenEnded(field.type, known))
        : type.kind === "perSeat" || type.kind === "maybe"
          ? isOpenEnded(type.of, known)
          : false;
  known.set(type, open);
  return open;
}

/** How many values a type holds before anything is put into its lists and maps. */
export function valuesOf(type: Type, seats: number, known = new Map<Type, number>()): number {
  const before = known.get(type);
  if (before !== undefined) return before;
  let count = 1;
  if (type.kind === "record") {
    known.set(type, 0);
    for (const field of type.fields) count = Math.min(PLENTY, count + valuesOf(field.type, seats, known));
  } else if (type.kind === "perSeat") {
    count = Math.min(PLENTY, seats * valuesOf(type.of, seats, known));
  } else if (type.kind === "grid") {
    count = Math.min(PLENTY, type.width * type.height * valuesOf(type.of, seats, known));
  }
  known.set(type, count);
  return count;
}

function keysOf({ path }: Location): Expr[] {
  return path.flatMap((step) => (step.kind === "index" ? [step.key] : []));
}
