/**
 * How much a declaration comes to when everything it uses is written out: the work of functions and
 * effects, the values of types. All of it is known before anything runs, because nothing calls itself
 * and no type holds itself; loops are counted while they run. A machine's text comes from anybody, and a few
 * lines that each use the one before twice come to more than any computer can do.
 */

import type { Block, Expr, Machine } from "./machine.js";
import { type Visitor, visitBlock, visitExpr } from "./visit.js";
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

/** True when data can hold lists in lists, or long texts in lists: little writing then makes much to write down. */
export function growsDeep(machine: Pick<Machine, "data" | "states">): boolean {
  const seen = new Map<Type, number>();
  const depth = (type: Type): number => {
    const known = seen.get(type);
    if (known !== undefined) return known;
    seen.set(type, 0);
    const inside =
      type.kind === "record"
        ? Math.max(0, ...type.fields.map((f) => depth(f.type)))
        : type.kind === "map"
          ? 1 + Math.max(depth(type.key), depth(type.value))
          : type.kind === "list"
            ? 1 + depth(type.of)
            : type.kind === "perSeat" || type.kind === "grid" || type.kind === "maybe"
              ? depth(type.of)
              : type.kind === "text" && (type.max ?? SHORT + 1) > SHORT
                ? 1
                : 0;
    seen.set(type, inside);
    return inside;
  };
  return [...machine.data, ...machine.states.flatMap((s) => s.fields)].some((field) => depth(field.type) > 1);
}

/** Texts of up to this many characters count as small. */
const SHORT = 1_000;

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
