/** The tree of a mapping: what the rows of a game's own log mean for a machine. */

import type { Span } from "../language/source.js";
import type { ExprNode, Name, ResultWord } from "../language/syntax.js";

/** A part of the way to what a row tells: a member, an index, or what is told somewhere else, as in `.hits[.n]`. */
export type ToldStep = string | number | ToldNode;

/** What a row tells: `.roll.aim`, or `.card as Rank` by a table. */
export interface ToldNode extends Span {
  readonly path: readonly ToldStep[];
  readonly table?: Name;
}

/** A value as a log may write it. */
export type Literal = string | number | boolean;

export interface MapNode extends Span {
  readonly name: Name;
  /** The machine it is for, by its name. */
  readonly machine: Name;
  /** The machine's file, from the folder of the mapping. */
  readonly file?: { readonly path: string } & Span;
  readonly read: ReadNode;
  readonly time?: TimeNode;
  /** What tells the matches of one file apart. */
  readonly match?: ToldNode;
  readonly ignoresCase: boolean;
  /** Which values stand for which seats. */
  readonly seats: readonly { readonly told: Literal; readonly seat: Name }[];
  readonly tables: readonly TableNode[];
  /** Rolls are told by nobody: any that explain a row count. */
  readonly diceUnknown: boolean;
  /** The texts of lines that go on with the row before. */
  readonly continued: readonly ContinuedNode[];
  readonly rows: readonly RowNode[];
  /** What is done with rows that no other line is about. */
  readonly otherwise: "refuse" | "skip";
}

/** How a log is written. */
export type ReadNode =
  | { readonly kind: "json"; readonly inside?: ToldNode }
  | { readonly kind: "csv"; readonly separator: string; readonly decimalComma: boolean }
  | { readonly kind: "lines" };

/** How a log tells the time: numbers of a unit, times of the day, or dates as ISO 8601 has them. */
export interface TimeNode extends Span {
  readonly told: ToldNode;
  readonly unit: "ms" | "s" | "m" | "h" | "clock" | "date";
  /** How far from it something may have happened, in milliseconds. */
  readonly within: number;
}

export interface TableNode extends Span {
  readonly name: Name;
  readonly entries: readonly { readonly told: Literal; readonly value: ExprNode }[];
}

/** A line of text with places in it: `[{t}] {p} plays {card}`. */
export interface PatternNode extends Span {
  readonly text: string;
}

/** Lines that go on with the row before: what they tell is the row's own, or they make a list in it. */
export interface ContinuedNode extends PatternNode {
  readonly list?: string;
}

/** Rows of one kind and what they mean. */
export interface RowNode extends Span {
  readonly pattern?: PatternNode;
  /** What the row tells must be there; with values, one of them. */
  readonly tests: readonly { readonly told: ToldNode; readonly values: readonly Literal[] }[];
  readonly where?: ExprNode;
  /** Groups one after the other; what is in a group happens in any order. */
  readonly moves: readonly (readonly MoveNode[])[];
}

/** Whether something is only meant where the row tells it: what is told in it, or a condition. */
export type OnlyIf = "told" | ExprNode;

interface MoveBase extends Span {
  readonly dice?: MapDice;
  readonly tells: readonly TellNode[];
  readonly onlyIf?: OnlyIf;
}

export type MoveNode = MoveBase &
  (
    | { readonly kind: "nothing" | "skip" | "refuse" | "wait" | "more" }
    | {
        readonly kind: "begin";
        readonly seats?: ToldNode | number;
        readonly given: readonly { readonly target: ExprNode; readonly value: ExprNode }[];
      }
    | { readonly kind: "sits"; readonly who: ToldNode; readonly at?: ExprNode }
    | { readonly kind: "timer"; readonly timer: Name }
    | { readonly kind: "event"; readonly call: CallNode }
    | { readonly kind: "act"; readonly seat: ExprNode; readonly call: CallNode; readonly refused?: Name | true }
    | { readonly kind: "joins" | "leaves"; readonly seat: ExprNode }
    | (EachNode & { readonly kind: "for"; readonly moves: readonly MoveNode[] })
  );

/** `for .hit in .hits`, or `in .hits by ";"` where what stands between the entries of a text is said. */
export interface EachNode {
  readonly variable: string;
  readonly list: ToldNode;
  readonly by?: string;
}

/** An action or event with its arguments: values, or a condition that leads to them. */
export interface CallNode extends Span {
  readonly name: Name;
  readonly args: readonly ArgNode[];
}

export interface ArgNode extends Span {
  readonly label?: Name;
  /** The value; with `variable` the condition that it meets. */
  readonly value: ExprNode;
  readonly variable?: Name;
}

/** The rolls that a row tells. */
export interface MapDice extends Span {
  readonly unknown: boolean;
  readonly items: readonly DiceItem[];
}

export type DiceItem = Span &
  (
    | { readonly kind: "any" }
    /** One roll, or as many as a told list has. */
    | { readonly kind: "value"; readonly value: ExprNode; readonly ifTold: boolean }
    /** Several rolls of which the sum is told. */
    | { readonly kind: "sum"; readonly value: ExprNode; readonly of: number }
    /** A shuffle, by the order that came of it; the list is named where several are shuffled. */
    | { readonly kind: "shuffle"; readonly list?: ExprNode; readonly order: ExprNode }
  );

export type TellNode = Span & { readonly ifTold: boolean } & (
    | { readonly kind: "holds"; readonly test: ExprNode; readonly within?: number }
    | { readonly kind: "changed"; readonly what: ExprNode; readonly by: ExprNode; readonly within?: number }
    | { readonly kind: "ending"; readonly ending: Name }
    | {
        readonly kind: "endingBy";
        readonly told: ToldNode;
        readonly names: readonly { readonly told: Literal; readonly ending: Name }[];
      }
    | { readonly kind: "result"; readonly seat: ExprNode; readonly word: ResultWord }
    | {
        readonly kind: "standing";
        readonly seat: ExprNode;
        readonly what: "rank" | "score";
        readonly value: ExprNode;
      }
    | { readonly kind: "turn"; readonly seats: ExprNode }
    | { readonly kind: "note"; readonly text: ExprNode }
    | (EachNode & { readonly kind: "for"; readonly tell: TellNode })
  );

/** The name under which what is told stands in an expression: no name of a machine begins with a dot. */
export function toldName({ path, table }: ToldNode): string {
  const steps = path.map((step) =>
    typeof step === "object" ? `[${toldName(step)}]` : typeof step === "number" ? `[${step}]` : `.${step}`,
  );
  return `${steps.join("")}${table ? ` as ${table.text}` : ""}`;
}
