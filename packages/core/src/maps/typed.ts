/**
 * A checked mapping: names are numbers, expressions are typed, and what is told has its type and a place of its own.
 */

import type { Expr, Location } from "../check/machine.js";
import type { Type } from "../check/types.js";
import type { Span } from "../language/source.js";
import type { ResultWord } from "../language/syntax.js";
import type { ContinuedNode, EachNode, Literal, MapNode, PatternNode, ToldNode } from "./syntax.js";

/** What is told, in an expression: it is put into a local value before the expression is worked out. */
export interface Told {
  readonly node: ToldNode;
  readonly slot: number;
  readonly type: Type;
  /** What the table in it says the told values stand for, and of which type that is: `type`, or something inside it. */
  readonly table?: ToldTable;
}

export interface ToldTable {
  readonly of: Type;
  readonly values: ReadonlyMap<Literal, Expr>;
}

/** An expression and what is told in it. */
export interface Value extends Span {
  readonly expr: Expr;
  readonly told: readonly Told[];
  /** Set where nothing but what is told stands. */
  readonly bare?: ToldNode;
}

export interface TypedMap
  extends Pick<MapNode, "read" | "time" | "match" | "ignoresCase" | "diceUnknown" | "otherwise"> {
  readonly name: string;
  readonly seats: ReadonlyMap<Literal, number>;
  readonly continued: readonly ContinuedNode[];
  readonly rows: readonly TypedRow[];
  /** Timers that rows tell of: one that runs without being told is a finding. */
  readonly timers: ReadonlySet<string>;
  /** Some row tells rolls of the row before it. */
  readonly tellsLater: boolean;
  /** Some row begins the match; without one it begins before the first row. */
  readonly begins: boolean;
}

export interface TypedRow extends Span {
  readonly pattern?: PatternNode;
  readonly tests: readonly { readonly told: ToldNode; readonly values: readonly Literal[] }[];
  readonly where?: Value;
  readonly moves: readonly (readonly Move[])[];
}

type OnlyIf = "told" | Value;

interface MoveBase extends Span {
  readonly dice?: Dice;
  readonly tells: readonly Tell[];
  readonly onlyIf?: OnlyIf;
  /** Everything that is told in it, its dice and tells left out. */
  readonly told: readonly ToldNode[];
}

export type Move = MoveBase &
  (
    | { readonly kind: "nothing" | "skip" | "refuse" | "wait" | "more" }
    | {
        readonly kind: "begin";
        readonly seats?: ToldNode | number;
        readonly given: readonly { readonly target: Location; readonly told: readonly Told[]; readonly value: Value }[];
      }
    | { readonly kind: "sits"; readonly who: ToldNode; readonly at?: Value }
    | { readonly kind: "timer"; readonly timer: string }
    | { readonly kind: "event"; readonly event: string; readonly args: readonly Arg[] }
    | {
        readonly kind: "act";
        readonly seat: Value;
        readonly action: string;
        readonly args: readonly Arg[];
        readonly refused?: string | true;
      }
    | { readonly kind: "joins" | "leaves"; readonly seat: Value }
    | (EachNode & { readonly kind: "for"; readonly moves: readonly Move[] })
  );

export interface Arg {
  readonly name: string;
  readonly type: Type;
  readonly value: Value;
  /** The local value that stands for the argument in a condition: then `value` is what it must meet. */
  readonly slot?: number;
}

export interface Dice extends Span {
  readonly unknown: boolean;
  readonly items: readonly DiceItem[];
}

export type DiceItem = Span &
  (
    | { readonly kind: "any" }
    | { readonly kind: "value"; readonly value: Value; readonly ifTold: boolean }
    | { readonly kind: "sum"; readonly value: Value; readonly of: number }
    /** With what is shuffled, as it is written in the mapping. */
    | { readonly kind: "shuffle"; readonly list?: Span; readonly order: Value }
  );

export type Tell = Span & { readonly ifTold: boolean; readonly told: readonly ToldNode[] } & (
    | { readonly kind: "holds"; readonly test: Value; readonly within?: number }
    | { readonly kind: "changed"; readonly what: Value; readonly by: Value; readonly within?: number }
    | { readonly kind: "ending"; readonly ending: string }
    | { readonly kind: "endingBy"; readonly by: ToldNode; readonly names: ReadonlyMap<Literal, string> }
    | { readonly kind: "result"; readonly seat: Value; readonly word: ResultWord }
    | { readonly kind: "standing"; readonly seat: Value; readonly what: "rank" | "score"; readonly value: Value }
    | { readonly kind: "turn"; readonly seats: Value }
    | { readonly kind: "note"; readonly text: Value }
    | (EachNode & { readonly kind: "for"; readonly tell: Tell })
  );

/** Whether a move tells rolls of the row before it: by itself, or for each of a list. */
export function isMore(move: Move): boolean {
  return move.kind === "for" ? move.moves.every(isMore) : move.kind === "more";
}
