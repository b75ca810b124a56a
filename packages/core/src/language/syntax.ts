/**
 * The syntax tree: the text of a machine, taken apart, before any name has a meaning.
 *
 * It covers the whole grammar. Every node carries the span of its text; names carry their own span so
 * that a message can point at exactly the word that is wrong. Nodes are plain, immutable data.
 */

import type { Span } from "./source.js";

/** A name where it is declared or used. */
export interface Name extends Span {
  readonly text: string;
}

// ---- types -------------------------------------------------------------------------------------

export type TypeNode = Span &
  (
    | { readonly kind: "named"; readonly name: Name }
    | { readonly kind: "int"; readonly low?: Bound; readonly high?: Bound }
    | { readonly kind: "text"; readonly max?: Bound }
    | { readonly kind: "list"; readonly max?: Bound; readonly of: TypeNode }
    | { readonly kind: "map"; readonly key: TypeNode; readonly value: TypeNode }
    | { readonly kind: "grid"; readonly width: Bound; readonly height: Bound; readonly of: TypeNode }
    | { readonly kind: "maybe"; readonly of: TypeNode }
  );

/** A bound of a type: a whole number or the name of a constant. */
export type Bound = Span &
  ({ readonly kind: "number"; readonly value: number } | { readonly kind: "constant"; readonly name: Name });

export type Visibility = "public" | "private" | "hidden";

export interface FieldNode extends Span {
  readonly name: Name;
  readonly visibility: Visibility;
  readonly perSeat: boolean;
  readonly type: TypeNode;
  readonly initial?: ExprNode;
}

// ---- expressions -------------------------------------------------------------------------------

export type BinaryOperator =
  | "and"
  | "or"
  | "implies"
  | "=="
  | "!="
  | "<"
  | "<="
  | ">"
  | ">="
  | "in"
  | ".."
  | "+"
  | "-"
  | "*"
  | "/"
  | "mod";

export const BINDER_WORDS = [
  "any",
  "all",
  "count",
  "sum",
  "minBy",
  "maxBy",
  "filter",
  "map",
  "sort",
  "sortDown",
] as const;
export type BinderWord = (typeof BINDER_WORDS)[number];

export type Ties = "inOrder" | "byLot";

export interface ArgumentNode extends Span {
  readonly label?: Name;
  readonly value: ExprNode;
}

/** Which dice are rolled: `loot.roll(...)`, `hand.shuffle(...) for SEAT`; without a stream, the unnamed ones. */
export interface OfStream {
  readonly stream?: Name;
  readonly owner?: ExprNode;
}

export type ExprNode = Span &
  (
    | { readonly kind: "number"; readonly value: number; readonly whole: boolean }
    | { readonly kind: "duration"; readonly value: number }
    | { readonly kind: "text"; readonly parts: readonly TextPart[] }
    | { readonly kind: "bool"; readonly value: boolean }
    | { readonly kind: "none" }
    | { readonly kind: "name"; readonly name: Name }
    | { readonly kind: "member"; readonly of: ExprNode; readonly name: Name }
    | { readonly kind: "index"; readonly of: ExprNode; readonly key: ExprNode }
    | { readonly kind: "call"; readonly of: ExprNode; readonly args: readonly ArgumentNode[] }
    | { readonly kind: "list"; readonly items: readonly ExprNode[] }
    /** `[key: value, else: value]`: the contents of a map, or a value for each seat. */
    | {
        readonly kind: "keyed";
        readonly entries: readonly { readonly key: ExprNode; readonly value: ExprNode }[];
        readonly otherwise?: ExprNode;
      }
    | { readonly kind: "unary"; readonly op: "not" | "-"; readonly of: ExprNode }
    | { readonly kind: "binary"; readonly op: BinaryOperator; readonly left: ExprNode; readonly right: ExprNode }
    | { readonly kind: "if"; readonly test: ExprNode; readonly then: ExprNode; readonly otherwise: ExprNode }
    | { readonly kind: "inState"; readonly state: Name }
    | {
        readonly kind: "binder";
        readonly word: BinderWord;
        readonly variable: Name;
        readonly source: ExprNode;
        readonly where?: ExprNode;
        readonly body?: ExprNode;
        readonly ties?: Ties;
      }
    | (OfStream & { readonly kind: "roll"; readonly times?: ExprNode; readonly range: ExprNode })
    | (OfStream & { readonly kind: "chance"; readonly part: ExprNode; readonly whole?: ExprNode })
    | (OfStream & {
        readonly kind: "pick";
        readonly list: ExprNode;
        readonly weight?: { readonly variable: Name; readonly body: ExprNode };
      })
    | (OfStream & { readonly kind: "shuffle"; readonly list: ExprNode })
    /** Stands where an expression could not be read; its mistake has been reported. */
    | { readonly kind: "missing" }
  );

export type TextPart = string | ExprNode;

// ---- statements and arrows ---------------------------------------------------------------------

/** Statements that look the same before and after names and types are known; `E` is the kind of expression. */
export type PlainStatement<E> =
  | { readonly kind: "note"; readonly audience?: E; readonly text: E }
  | { readonly kind: "eliminate" | "reopen"; readonly seat: E };

export type StatementNode = Span &
  (
    | PlainStatement<ExprNode>
    | { readonly kind: "let"; readonly name: Name; readonly value: ExprNode }
    | { readonly kind: "assign"; readonly target: ExprNode; readonly op: "=" | "+=" | "-="; readonly value: ExprNode }
    | { readonly kind: "call"; readonly call: ExprNode }
    /** The value of an effect; anywhere but at its end it is reported. */
    | { readonly kind: "return"; readonly value: ExprNode }
    | { readonly kind: "raise"; readonly signal: Name; readonly args: readonly ArgumentNode[] }
    | {
        readonly kind: "for";
        readonly variable: Name;
        readonly source: ExprNode;
        readonly where?: ExprNode;
        readonly body: BlockNode;
      }
    | {
        readonly kind: "if";
        readonly branches: readonly { readonly test: ExprNode; readonly body: BlockNode }[];
        readonly otherwise?: BlockNode;
      }
  );

export interface BlockNode extends Span {
  readonly statements: readonly StatementNode[];
  /** An arrow stands in it, or in a block inside, by mistake: that has been told. */
  readonly leads?: true;
}

export interface ReferenceNode extends Span {
  readonly name: Name;
  readonly args: readonly ArgumentNode[];
}

export type ArrowNode = Span &
  (
    | { readonly kind: "stay" | "ready" | "return" }
    | { readonly kind: "to"; readonly target: ReferenceNode; readonly again: boolean; readonly inner: boolean }
    | { readonly kind: "history"; readonly deep: boolean; readonly target: Name }
    | {
        readonly kind: "choose";
        readonly branches: readonly BranchNode[];
        readonly otherwise?: BranchNode;
        /** Effects that stand in it by mistake, before its branches: that has been told. */
        readonly before?: readonly StatementNode[];
      }
    | {
        readonly kind: "odds";
        readonly entries: readonly { readonly weight: ExprNode; readonly target: ReferenceNode }[];
      }
  );

export interface BranchNode extends Span {
  readonly test?: ExprNode;
  readonly block?: BlockNode;
  readonly arrow: ArrowNode;
}

// ---- items of states ---------------------------------------------------------------------------

export interface ParameterNode extends Span {
  readonly name: Name;
  readonly type: TypeNode;
  readonly initial?: ExprNode;
}

export interface ActionParameterNode extends Span {
  readonly name: Name;
  readonly type: TypeNode;
  readonly domain?: ExprNode;
  readonly where?: ExprNode;
  readonly reason?: ExprNode;
}

export interface ActionNode extends Span {
  readonly kind: "action";
  readonly doc?: string;
  readonly sealed: boolean;
  readonly name: Name;
  readonly parameters: readonly ActionParameterNode[];
  /** Who may act besides the turn: everyone, or the seats of an expression. */
  readonly by?: "anyone" | ExprNode;
  readonly needs: readonly { readonly test: ExprNode; readonly reason?: ExprNode }[];
  readonly block?: BlockNode;
  readonly arrow?: ArrowNode;
}

export interface StateNode extends Span {
  readonly kind: "state" | "overlay";
  readonly doc?: string;
  readonly parallel: boolean;
  readonly stub: boolean;
  readonly name: Name;
  readonly parameters: readonly ParameterNode[];
  readonly items: readonly ItemNode[];
}

export type WhenTest =
  | ({ readonly kind: "allReady" } & Span)
  | ({ readonly kind: "done"; readonly final: Name } & Span)
  | ({ readonly kind: "holds"; readonly test: ExprNode } & Span);

export type ItemNode =
  | StateNode
  | ActionNode
  | (Span & { readonly kind: "data"; readonly fields: readonly FieldNode[] })
  | (Span & { readonly kind: "start"; readonly target: Name })
  | (Span & { readonly kind: "turn"; readonly each: boolean; readonly of: ExprNode })
  | (Span & { readonly kind: "enter"; readonly block?: BlockNode; readonly arrow?: ArrowNode })
  | (Span & { readonly kind: "exit"; readonly block: BlockNode })
  | (Span & {
      readonly kind: "after";
      /** `after each`: again and again. */
      readonly each: boolean;
      readonly delay: ExprNode;
      readonly test?: ExprNode;
      readonly block?: BlockNode;
      readonly arrow?: ArrowNode;
    })
  | (Span & {
      readonly kind: "on";
      readonly signal: Name;
      readonly names: readonly Name[];
      readonly test?: ExprNode;
      readonly block?: BlockNode;
      readonly arrow?: ArrowNode;
    })
  | (Span & { readonly kind: "when"; readonly test: WhenTest; readonly block?: BlockNode; readonly arrow?: ArrowNode })
  | (Span & { readonly kind: "final"; readonly name: Name });

// ---- top level ---------------------------------------------------------------------------------

/** Words that begin a result, in endings and in what tests expect. */
export const RESULT_WORDS = ["wins", "loses", "draws", "none"] as const;
export type ResultWord = (typeof RESULT_WORDS)[number];

export type ResultNode = Span &
  (
    | { readonly kind: "result"; readonly word: ResultWord; readonly seats: ExprNode }
    | { readonly kind: "ranks"; readonly list: ExprNode }
    | { readonly kind: "scores"; readonly variable: Name; readonly source: ExprNode; readonly value: ExprNode }
  );

export interface EndingNode extends Span {
  readonly kind: "ending";
  readonly doc?: string;
  readonly name: Name;
  readonly parameters: readonly ParameterNode[];
  readonly results: readonly ResultNode[];
}

export type ChangeWay = "changes" | "falls" | "rises";

export type LawNode = Span & { readonly kind: "law"; readonly words: string } & (
    | { readonly form: "holds"; readonly test: ExprNode }
    | {
        readonly form: "changes";
        /** Whether every change counts, or only one that makes a number less, or more. */
        readonly way: ChangeWay;
        readonly path: ExprNode;
        readonly states: readonly Name[];
      }
    | { readonly form: "entered"; readonly target: Name; readonly states: readonly Name[] }
  );

/** `when COND: ACTION`, `else: ACTION`; without an action it says `wait`. */
export interface PolicyEntryNode extends Span {
  readonly test?: ExprNode;
  readonly action?: ReferenceNode;
}

export interface PolicyNode extends Span {
  readonly kind: "policy";
  readonly name: Name;
  readonly entries: readonly PolicyEntryNode[];
}

export type ExpectationNode = Span &
  (
    | { readonly kind: "ending"; readonly ending: ReferenceNode }
    | { readonly kind: "result"; readonly seat: Name; readonly word: ResultWord }
    | { readonly kind: "standing"; readonly seat: Name; readonly what: "rank" | "score"; readonly value: ExprNode }
    | { readonly kind: "turn"; readonly seats: ExprNode }
    | {
        readonly kind: "open" | "closed";
        readonly seat: Name;
        readonly action: ReferenceNode;
        readonly reason?: string;
      }
    | { readonly kind: "note"; readonly text: string }
    | { readonly kind: "holds"; readonly test: ExprNode }
  );

/** Rolls set by hand: `any` leaves one to chance, `...` at the end all the rest. */
export interface DiceNode {
  readonly values: readonly (ExprNode | "any")[];
  readonly rest: boolean;
}

export type TestLineNode = Span &
  (
    | { readonly kind: "at"; readonly target: ReferenceNode }
    | {
        readonly kind: "given";
        readonly values: readonly { readonly target: ExprNode; readonly value: ExprNode }[];
        readonly dice?: DiceNode;
      }
    | { readonly kind: "wait"; readonly time: ExprNode; readonly dice?: DiceNode }
    | { readonly kind: "event"; readonly event: ReferenceNode; readonly dice?: DiceNode }
    | { readonly kind: "seats"; readonly count: number }
    | { readonly kind: "open"; readonly seat: Name }
    | { readonly kind: "joins" | "leaves"; readonly seat: Name; readonly refused?: Name }
    | {
        readonly kind: "act";
        readonly seat: Name;
        readonly action: ReferenceNode;
        readonly dice?: DiceNode;
        readonly refused?: Name;
      }
    | { readonly kind: "expect"; readonly expectations: readonly ExpectationNode[] }
  );

export interface TestNode extends Span {
  readonly kind: "test";
  readonly words: string;
  readonly lines: readonly TestLineNode[];
}

export type TopNode =
  | ItemNode
  | EndingNode
  | LawNode
  | PolicyNode
  | TestNode
  | (Span & { readonly kind: "enum"; readonly doc?: string; readonly name: Name; readonly members: readonly Name[] })
  | (Span & {
      readonly kind: "record";
      readonly doc?: string;
      readonly name: Name;
      readonly fields: readonly FieldNode[];
    })
  | (Span & {
      readonly kind: "const";
      readonly doc?: string;
      readonly name: Name;
      readonly type: TypeNode;
      readonly value: ExprNode;
    })
  | (Span & {
      readonly kind: "signal" | "event";
      readonly doc?: string;
      readonly name: Name;
      readonly parameters: readonly ParameterNode[];
    })
  | (Span & {
      readonly kind: "function";
      readonly doc?: string;
      readonly name: Name;
      readonly parameters: readonly ParameterNode[];
      readonly type: TypeNode;
      readonly body: ExprNode;
    })
  | (Span & {
      readonly kind: "effect";
      readonly doc?: string;
      readonly name: Name;
      readonly parameters: readonly ParameterNode[];
      /** The type of the value it gives; left out when it gives none. */
      readonly type?: TypeNode;
      readonly body: BlockNode;
    })
  | (Span & { readonly kind: "team"; readonly name: Name; readonly seats: readonly Name[] })
  | (Span & { readonly kind: "dice"; readonly visibility: Visibility; readonly name: Name });

export type SeatsNode = Span &
  (
    | { readonly kind: "named"; readonly names: readonly Name[] }
    | { readonly kind: "counted"; readonly low: number; readonly high: number; readonly name: Name }
  );

/** `accept message-name "reason"`, silencing that message for what stands on the line below. */
export interface AcceptNode extends Span {
  readonly message: Name;
  readonly reason: string;
}

/** Stands among what could not be read for something that was not named at all. */
export const NAMELESS = "";

/** One file, whole. */
export interface FileNode extends Span {
  readonly name: Name;
  readonly standardOrder: boolean;
  readonly includes: readonly (Span & { readonly path: string })[];
  readonly seats?: SeatsNode;
  readonly items: readonly TopNode[];
  readonly accepts: readonly AcceptNode[];
  /**
   * Words in what could not be read: that something of such a name is unknown only follows. `NAMELESS` among them:
   * something was not named at all.
   */
  readonly lost: readonly string[];
}
