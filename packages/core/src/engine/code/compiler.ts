/**
 * How expressions become closures: one function for every kind, in tables by subject. What they share stands here,
 * so that a table imports no other. A kind without an entry does not compile.
 */

import type { Expr, Machine } from "../../check/machine.js";
import type { Memory } from "../situation/memory.js";
import type { Box } from "../values/box.js";
import type { Get } from "../values/closure.js";

/** What the functions of the tables may ask. */
export interface ExpressionCode {
  readonly machine: Machine;
  readonly memory: Memory;
  /** Whether some action is open to a seat: only the rooms above know. */
  readonly canAct: (seat: number) => boolean;
  /** The closure of an expression. */
  compile(e: Expr): Get;
  number(e: Expr): Get<number>;
  condition(e: Expr): Get<boolean>;
  list(e: Expr): Get<Box>;
  /** Like `compile`, for a value that will stand in a second place. */
  stored(e: Expr): Get;
  /** What a binder or a `for` goes through: the elements of a list or range, the keys of a map. */
  source(e: Expr): Get<readonly unknown[]>;
  /** The value of a constant of the machine. */
  constant(id: number): unknown;
  /** The body of a function, compiled when it is first called for; functions never call themselves. */
  functionBody(id: number): Get;
}

/** An expression of one kind. */
type Of<K extends Expr["kind"]> = Expr & { readonly kind: K };

/** One function for every kind of a subject. */
export type ExpressionTable<K extends Expr["kind"]> = {
  readonly [P in K]: (code: ExpressionCode, e: Of<P>) => Get;
};

/** An entry, for looking one up by a kind that is not known beforehand. */
export type CompileExpression = (code: ExpressionCode, e: never) => Get;
