/** Expressions that reckon and compare. */

import { nearest, type NumberFunctionName } from "../../check/builtins.js";
import type { Expr } from "../../check/machine.js";
import { isBoxed } from "../../check/types.js";
import { Box } from "../values/box.js";
import type { Get } from "../values/closure.js";
import type { ExpressionCode, ExpressionTable } from "./compiler.js";
import {
  checkedCell,
  checkedDivisor,
  checkedInt,
  checkedNum,
  comparesTexts,
  contains,
  isIndices,
  mapSlot,
  mayOverflow,
  modulo,
  rangeOf,
  sameCharged,
} from "./support.js";

/** How each function of numbers is computed. */
const FUNCTIONS: { readonly [N in NumberFunctionName]: (...args: number[]) => number } = {
  floor: Math.floor,
  ceil: Math.ceil,
  nearest,
  abs: Math.abs,
  sign: Math.sign,
  min: Math.min,
  max: Math.max,
};

export const NUMBERS: ExpressionTable<"not" | "negate" | "binary" | "range" | "cell" | "numeric"> = {
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
    const { memory } = code;
    return () => {
      const items = rangeOf(low(), high(), e);
      memory.charge(items.length, e);
      return new Box(0, items);
    };
  },

  cell(code, e) {
    const x = code.number(e.x);
    const y = code.number(e.y);
    return () => checkedCell(x(), y(), e);
  },

  numeric(code, e) {
    const compute = FUNCTIONS[e.name];
    const [first, second, ...rest] = e.args.map((arg) => code.number(arg)) as [Get<number>, ...Get<number>[]];
    const whole = e.type.kind === "int";
    const result = (value: number): number => (whole ? checkedInt(value + 0, e) : value);
    if (!second) return () => result(compute(first()));
    if (rest.length === 0) return () => result(compute(first(), second()));
    const all = [first, second, ...rest];
    return () => result(compute(...all.map((get) => get())));
  },
};

type Binary = Expr & { kind: "binary" };

function membership(code: ExpressionCode, e: Binary): Get<boolean> {
  const { left: value, right: among } = e;
  const left = code.compile(value);
  if (among.kind === "range") {
    const low = code.number(among.low);
    const high = code.number(among.high);
    return () => {
      const number = left() as number;
      return number >= low() && number <= high();
    };
  }
  if (isIndices(value, among)) {
    const list = code.list(among.of);
    return () => {
      const number = left() as number;
      return number >= 0 && number < list().parts.length;
    };
  }
  const right = code.list(among);
  if (among.type.kind === "map") return () => mapSlot(right().parts, left()) >= 0;
  const { memory } = code;
  // The left side is computed first, as everywhere.
  return () => {
    const wanted = left();
    return contains(memory, right(), wanted, e);
  };
}

function equality(code: ExpressionCode, e: Binary): Get<boolean> {
  const left = code.compile(e.left);
  const right = code.compile(e.right);
  const { memory } = code;
  const compound = isBoxed(e.left.type) || isBoxed(e.right.type) || comparesTexts(e.left.type, e.right.type);
  if (e.op === "==") return compound ? () => sameCharged(memory, left(), right(), e) : () => left() === right();
  return compound ? () => !sameCharged(memory, left(), right(), e) : () => left() !== right();
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
