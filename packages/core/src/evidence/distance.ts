/**
 * By how much a condition does not hold: 0 where it does, more the further its numbers are from where it would. It
 * leads searches (branch distances: Korel, 1990; their sums and least over "and" and "or": Tracey, 1998).
 */

import type { Expr } from "../check/machine.js";
import type { Type } from "../check/types.js";
import { someExpr } from "../check/visit.js";
import type { Engine } from "../engine/matches/runnable.js";
import type { Box } from "../engine/values/box.js";
import type { Get } from "../engine/values/closure.js";
import { Fault } from "../engine/values/fault.js";

/** How far a bool, or what is not compared, is from being otherwise. */
const OTHERWISE = 1;
/** A range that is wider says nothing of how far its values really go: most go so far. */
const WIDE = 1_000;
const USUAL = 100;
/** How many functions deep conditions are looked into. */
const DEPTH = 6;

/** How far it is where that cannot be worked out. */
const FAR = 10;

/** Like `distanceOf`, but what cannot be worked out is far away. */
export function aimAt(engine: Engine, e: Expr, wanted = true): () => number {
  return orFar(distanceOf(engine, e, wanted));
}

/**
 * Whether a condition can be asked of a situation at rest: it names neither who acts nor what they chose or what came
 * of it before, and no data that a state has only while it is active.
 */
export function isAskedAtRest(e: Expr): boolean {
  const bound = new Set<number>();
  someExpr(e, (part) => part.kind === "binder" && bound.add(part.slot) && false);
  return !someExpr(
    e,
    (part) =>
      part.kind === "me" ||
      part.kind === "others" ||
      (part.kind === "local" && !bound.has(part.slot)) ||
      (part.kind === "stateData" && part.of === undefined),
  );
}

function orFar(distance: Get<number>): Get<number> {
  return () => {
    try {
      return distance();
    } catch (error) {
      if (error instanceof Fault) return FAR;
      throw error;
    }
  };
}

/**
 * @param e a condition
 * @param wanted what it should come to
 * @returns works it out in the working memory; at fault where the condition is
 */
function distanceOf(engine: Engine, e: Expr, wanted = true, depth = 0): Get<number> {
  const { aside: expressions } = engine.code;
  const of = (part: Expr, is = wanted): Get<number> => distanceOf(engine, part, is, depth + 1);
  if (depth > DEPTH) return plain(engine, e, wanted);
  switch (e.kind) {
    case "not":
      return of(e.of, !wanted);
    case "if": {
      const [test, then, otherwise] = [expressions.condition(e.test), of(e.then), of(e.otherwise)];
      return () => (test() ? then() : otherwise());
    }
    case "call": {
      const { machine, memory } = engine;
      const { body, parameters = [] } = machine.functions[e.function] ?? {};
      if (!body) break;
      const args = e.args.map((arg) => expressions.compile(arg));
      const inner = of(body);
      return () => {
        const values = args.map((arg) => arg());
        for (const [i, { slot }] of parameters.entries()) memory.locals[slot] = values[i];
        return inner();
      };
    }
    case "binary":
      return binary(engine, e, wanted, of);
    case "binder": {
      const { word, source, slot, where, body } = e;
      if ((word !== "any" && word !== "all") || !body || source.type.kind !== "list") break;
      const { memory } = engine;
      const list = expressions.compile(source) as Get<Box>;
      const counts = where && expressions.condition(where);
      const inner = of(body);
      const least = (word === "any") === wanted;
      return () => {
        let [sum, best] = [0, OTHERWISE];
        for (const element of list().parts.slice()) {
          memory.locals[slot] = element;
          if (counts && !counts()) continue;
          const distance = inner();
          sum += distance;
          best = Math.min(best, distance);
        }
        return least ? best : sum;
      };
    }
    default:
  }
  return plain(engine, e, wanted);
}

function plain({ code }: Engine, e: Expr, wanted: boolean): Get<number> {
  const condition = code.aside.condition(e);
  return () => (condition() === wanted ? 0 : OTHERWISE);
}

function binary(
  engine: Engine,
  e: Expr & { readonly kind: "binary" },
  wanted: boolean,
  of: (part: Expr, is?: boolean) => Get<number>,
): Get<number> {
  const { op } = e;
  const { aside: expressions } = engine.code;
  if (op === "and" || op === "or" || op === "implies") {
    // What stands on the right may be worked out only where the left is so: else it is far away.
    const left = of(e.left, op === "implies" ? !wanted : wanted);
    const right = orFar(of(e.right));
    const sum = (op === "and") === wanted;
    if (sum) return () => left() + right();
    return () => {
      const distance = left();
      return distance === 0 ? 0 : Math.min(distance, right());
    };
  }
  const [left, right] = [expressions.compile(e.left), expressions.compile(e.right)];
  const isNumeric = ["int", "num"].includes(e.left.type.kind) && ["int", "num"].includes(e.right.type.kind);
  const apart = isNumeric ? APART[wanted ? op : (OPPOSITE[op] ?? op)] : undefined;
  if (apart) {
    const most = Math.max(1, widthOf(e.left.type), widthOf(e.right.type));
    return () => scaled(apart(left() as number, right() as number), most);
  }
  return plain(engine, e, wanted);
}

/** By how much two numbers miss what is asked of them. */
const APART: Readonly<Record<string, (left: number, right: number) => number>> = {
  "==": (left, right) => Math.abs(left - right),
  "!=": (left, right) => (left === right ? 1 : 0),
  "<": (left, right) => left - right + 1,
  "<=": (left, right) => left - right,
  ">": (left, right) => right - left + 1,
  ">=": (left, right) => right - left,
};

const OPPOSITE: Readonly<Record<string, string>> = {
  "==": "!=",
  "!=": "==",
  "<": ">=",
  "<=": ">",
  ">": "<=",
  ">=": "<",
};

/** How far apart two values of a type can be; nothing for a constant. */
function widthOf(type: Type): number {
  return type.kind === "int" ? type.high - type.low : 0;
}

/** At most 1, so that no part of a condition outweighs the others. */
function scaled(distance: number, most: number): number {
  if (distance <= 0) return 0;
  return most > WIDE ? distance / (distance + USUAL) : Math.min(1, distance / most);
}
