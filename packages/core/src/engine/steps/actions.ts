/** Actions made ready: closures for everything that is asked before one is taken, and what taking it does. */

import type { Action, ActionParameter, Expr } from "../../check/machine.js";
import { usesLocals } from "../../check/reads.js";
import type { Type } from "../../check/types.js";
import type { Code } from "../code/code.js";
import type { Box } from "../values/box.js";
import type { Get, Run } from "../values/closure.js";
import { eachOnce, mayRepeat } from "./equal-choices.js";

export interface ReadyAction {
  readonly action: Action;
  readonly parameters: readonly ReadyParameter[];
  readonly by: Get<readonly number[]> | "anyone" | undefined;
  readonly needs: readonly ReadyNeed[];
  /** Of these the ones that no argument has a part in: asked once, they close it before any is chosen. */
  readonly needsApart: readonly ReadyNeed[];
  /** And the others, asked of every choice of arguments. */
  readonly needsOfArguments: readonly ReadyNeed[];
  readonly run: Run;
}

interface ReadyNeed {
  readonly test: Get<boolean>;
  readonly written: Expr;
  readonly reason: Get<string> | undefined;
}

export interface ReadyParameter {
  readonly name: string;
  readonly type: Type;
  readonly parameter: ActionParameter;
  readonly slot: number;
  readonly isSeat: boolean;
  /** Every object has something by this name, so it must be asked whether it is its own. */
  readonly inherited: boolean;
  /** True when the value that is set is open: in the domain, and the condition holds. */
  readonly open: Get<boolean>;
  /** The same for a value that comes from the domain. */
  readonly fits: Get<boolean>;
  /** The same as conditions. */
  readonly tests: readonly Expr[];
  /** The values to choose from, each once; nothing where any of the type will do. */
  readonly values: Get<readonly unknown[]> | undefined;
  /** The ends of a domain that is a range. */
  readonly ends: { readonly low: Get<number>; readonly high: Get<number> } | undefined;
  readonly inDomain: Get<boolean> | undefined;
  readonly reason: Get<string> | undefined;
}

const ALWAYS: Get<boolean> = () => true;

/** @param run the action's effects and arrow, as one function */
export function readyAction(code: Code, action: Action, run: Run): ReadyAction {
  const { expressions } = code;
  const slots = new Set(action.parameters.map(({ slot }) => slot));
  const needs = action.needs.map((need) => ({
    test: code.condition(need.test),
    written: need.test,
    reason: need.reason && (expressions.compile(need.reason) as Get<string>),
  }));
  return {
    action,
    parameters: action.parameters.map((parameter) => readyParameter(code, parameter)),
    by: action.by === undefined || action.by === "anyone" ? action.by : expressions.seats(action.by),
    needs,
    needsApart: needs.filter(({ written }) => !usesLocals(written, slots)),
    needsOfArguments: needs.filter(({ written }) => usesLocals(written, slots)),
    run,
  };
}

function readyParameter(code: Code, parameter: ActionParameter): ReadyParameter {
  const { expressions } = code;
  const { name, domain, where, reason, slot, type } = parameter;
  const value: Expr = { kind: "local", slot, type, from: parameter.from, to: parameter.to };
  const isIn = domain && isBoth("in", value, domain);
  const tests = [isIn, where].filter((test) => test !== undefined);
  return {
    name,
    type,
    parameter,
    slot,
    isSeat: type.kind === "seat",
    inherited: name in Object.prototype,
    tests,
    open: openTest(code, tests),
    values: domain && valuesOf(domain, expressions.list(domain)),
    ends:
      domain?.kind === "range"
        ? { low: expressions.number(domain.low), high: expressions.number(domain.high) }
        : undefined,
    inDomain: isIn && code.condition(isIn),
    fits: where ? code.condition(where) : ALWAYS,
    reason: reason && (expressions.compile(reason) as Get<string>),
  };
}

function valuesOf(domain: Expr, list: Get<Box>): Get<readonly unknown[]> {
  return mayRepeat(domain) ? () => eachOnce(list().parts) : () => list().parts;
}

function openTest(code: Code, [first, second]: readonly Expr[]): Get<boolean> {
  if (!first) return ALWAYS;
  return code.condition(second ? isBoth("and", first, second) : first);
}

/** A condition of two parts that nobody has written. */
function isBoth(op: "in" | "and", left: Expr, right: Expr): Expr {
  return { kind: "binary", op, left, right, type: { kind: "bool" }, from: right.from, to: right.to };
}
