/** Expressions that reckon and compare. */

import type { Expr } from "../../check/machine.js";
import { isBoxed } from "../../check/types.js";
import { Box, sameValue } from "../values/box.js";
import type { Get } from "../values/closure.js";
import type { ExpressionCode, ExpressionTable } from "./compiler.js";
import {
  checkedCell,
  checkedDivisor,
  checkedInt,
  checkedNum,
  contains,
  mapSlot,
  mayOverflow,
  modulo,
  nearest,
  rangeOf,
} from "./support.js";

const ROUNDING = { floor: Math.floor, ceil: Math.ceil, nearest } as const;

export const NUMBERS: ExpressionTable<
  "not" | "negate" | "binary" | "range" | "cell" | "round" | "least" | "greatest" | "abs"
> = {
  not(code, e) {
    const of = code.condition(e.of);
    return () => !of();
  },

  negate(code, e) {
    const of = code.number(e.of);
    return () => 0 - of();
  },

  binary(code, e) {
    switch (e.op) {
      case "in":
        return membership(code, e);
      case "==":
      case "!=":
        return equality(code, e);
      case "and":
      case "or":
      case "implies":
        return logic(code, e);
      case "<":
      case "<=":
      case ">":
      case ">=":
        return comparison(code, e);
      default:
        return arithmetic(code, e);
    }
  },

  range(code, e) {
    const low = code.number(e.low);
    const high = code.number(e.high);
    return () => new Box(0, rangeOf(low(), high(), e));
  },

  cell(code, e) {
    const x = code.number(e.x);
    const y = code.number(e.y);
    return () => checkedCell(x(), y(), e);
  },

  round(code, e) {
    const of = code.number(e.of);
    const round = ROUNDING[e.how];
    return () => checkedInt(round(of()) + 0, e);
  },

  least: (code, e) => extreme(code, e.args, true),
  greatest: (code, e) => extreme(code, e.args, false),

  abs(code, e) {
    const of = code.number(e.of);
    return () => Math.abs(of());
  },
};

type Binary = Expr & { kind: "binary" };

function membership(code: ExpressionCode, { left: value, right: among }: Binary): Get<boolean> {
  const left = code.compile(value);
  if (among.kind === "range") {
    const low = code.number(among.low);
    const high = code.number(among.high);
    return () => {
      const number = left() as number;
      return number >= low() && number <= high();
    };
  }
  const right = code.list(among);
  if (among.type.kind === "map") return () => mapSlot(right().parts, left()) >= 0;
  return () => contains(right().parts, left());
}

function equality(code: ExpressionCode, e: Binary): Get<boolean> {
  const left = code.compile(e.left);
  const right = code.compile(e.right);
  const compound = isBoxed(e.left.type) || isBoxed(e.right.type);
  if (e.op === "==") return compound ? () => sameValue(left(), right()) : () => left() === right();
  return compound ? () => !sameValue(left(), right()) : () => left() !== right();
}

function logic(code: ExpressionCode, e: Binary): Get<boolean> {
  const left = code.condition(e.left);
  const right = code.condition(e.right);
  if (e.op === "and") return () => left() && right();
  return e.op === "or" ? () => left() || right() : () => !left() || right();
}

function comparison(code: ExpressionCode, e: Binary): Get<boolean> {
  const left = code.number(e.left);
  const right = code.number(e.right);
  switch (e.op) {
    case "<":
      return () => left() < right();
    case "<=":
      return () => left() <= right();
    case ">":
      return () => left() > right();
    default:
      return () => left() >= right();
  }
}

function arithmetic(code: ExpressionCode, e: Binary): Get<number> {
  const left = code.number(e.left);
  const right = code.number(e.right);
  if (e.op === "/")
    return () => {
      const value = left();
      return checkedNum(value / checkedDivisor(right(), e), e);
    };
  if (e.op === "mod")
    return () => {
      const value = left();
      return modulo(value, right(), e);
    };
  const compute: Get<number> =
    e.op === "+" ? () => left() + right() : e.op === "-" ? () => left() - right() : () => left() * right() + 0;
  if (e.type.kind === "num") return () => checkedNum(compute(), e);
  return mayOverflow(e.type) ? () => checkedInt(compute(), e) : compute;
}

function extreme(code: ExpressionCode, args: readonly Expr[], least: boolean): Get<number> {
  const [first, second, ...rest] = args.map((arg) => code.number(arg)) as [Get<number>, Get<number>, ...Get<number>[]];
  if (rest.length > 0) {
    const all = [first, second, ...rest];
    return () => (least ? Math.min(...all.map((get) => get())) : Math.max(...all.map((get) => get())));
  }
  return () => {
    const a = first();
    const b = second();
    return a < b === least ? a : b;
  };
}
