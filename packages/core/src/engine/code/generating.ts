/** What the tables of generated code may ask of the generator. */

import type { Block, Expr, Location, Machine, Statement } from "../../check/machine.js";
import type { Span } from "../../language/source.js";
import type { PackedData } from "./packed-data.js";
import type { CodeScope } from "./scope.js";
import type { Statements } from "./statements.js";
import type { WordTest } from "./word-tests.js";

/** A piece of JavaScript. */
export type Code = string;

/** Where the one who generates whole steps does better, knowing the configuration. */
export interface GeneratorHooks {
  /** True for effects that are written out where they are called. */
  inlines(effect: number): boolean;
  /** Rolls are decided one by one by somebody else, so none may be rolled past the working memory. */
  readonly isSearched: boolean;
  /** The data that stand in words; undefined where all stand in boxes. */
  readonly packed: PackedData | undefined;
  /** True when so many operations more may be written out instead of being called or gone through. */
  takesOn(operations: number): boolean;
  /** The code of raising a signal; undefined to raise it as usual. */
  raised(s: Statement & { kind: "raise" }, scope: CodeScope): Code | undefined;
}

export interface Generating {
  readonly machine: Machine;
  readonly statements: Statements;
  readonly hooks: GeneratorHooks;
  /** What code tests that looks at the bits of a word, by the code. */
  readonly tests: Map<Code, WordTest>;
  /** Makes code run; what it gives is what the code says. */
  build(code: Code): unknown;
  /** Code that refers to an object. */
  keep(value: unknown): Code;
  /** Code that refers to a place in the machine's text. */
  at(span: Span): Code;
  /** A name that no other code uses. */
  variable(): Code;
  expression(e: Expr, scope: CodeScope): Code;
  /** An expression whose value will stand in a second place. */
  storedCode(e: Expr, scope: CodeScope): Code;
  blockCode(block: Block, outer: CodeScope): Code;
  /** Calls a closure, after putting the variables of generated code where closures look for them. */
  closure(get: unknown, scope: CodeScope): Code;
  /** Refers to a function of the machine, which is generated when it is first called for. */
  functionCode(id: number): Code;
  /** Refers to an effect of the machine, which is generated when it is first called for. */
  effectCode(id: number): Code;
  /** A function's body in place of its call, when that is small and its arguments are names or numbers. */
  inlinedCall(id: number, args: readonly Code[], scope: CodeScope): Code | undefined;
  /** True when an expression may be written out so many times. */
  takesOn(e: Expr, times: number): boolean;
  /**
   * Code that pays for what is written out right behind it; undefined where that is paid with what is around it.
   *
   * @param at what costs so much
   */
  paid(cost: number, at: Span, scope: CodeScope): Code | undefined;
  /** Generates what runs any number of times: it pays for itself each time. */
  repeated<T>(make: () => T): T;
  /** A word in which data stand, by code of its number. */
  wordCode(word: Code): Code;
  /** Pays the cost of an element of a loop over `source`. */
  spent(at: Span, source: Expr, cost: number, scope: CodeScope): Code;
  /** The box that directly holds a location, as the step's own, and the slot in it. */
  location(target: Location, scope: CodeScope): { setup: Code; holder: Code; slot: Code };
}
