/**
 * The typed machine: what the checker makes of a syntax tree, and all that the engine, the diagram and
 * every later analysis read. Names are resolved to slots and numbers; every expression has its type.
 *
 * States are numbered in text order, the machine itself being number 0, so that "inside" is a
 * comparison of numbers (`id <= inner && inner <= last`). Data lives in slots of one root box: first
 * the machine's fields, then one slot for each state that has data or arguments.
 */

import type { NumberFunctionName } from "./builtins.js";
import type { Sources, Span } from "../language/source.js";
import type {
  BinaryOperator,
  BinderWord,
  ChangeWay,
  PlainStatement,
  ResultWord,
  Ties,
  Visibility,
} from "../language/syntax.js";
import type { NameIndex } from "./names.js";
import type { EnumType, Field, RecordType, Type } from "./types.js";

export interface Machine {
  readonly name: string;
  readonly sources: Sources;
  readonly standardOrder: boolean;
  readonly seats: SeatPlan;
  readonly teams: readonly { readonly name: string; readonly seats: readonly number[] }[];
  readonly types: readonly (EnumType | RecordType)[];
  /** For each record type, by name, the written defaults of its fields. */
  readonly recordInitials: ReadonlyMap<string, readonly (Expr | undefined)[]>;
  /** For each record type, by name, where its fields are declared. */
  readonly recordSpans: ReadonlyMap<string, readonly Span[]>;
  /** Where every name is declared and used. */
  readonly names: NameIndex;
  /** Constants that stand in the bounds of types. */
  readonly boundConstants: ReadonlySet<string>;
  readonly constants: readonly Constant[];
  /** The machine's own data, slots 0 to `data.length - 1` of the root box. */
  readonly data: readonly DataField[];
  readonly states: readonly State[];
  readonly endings: readonly Ending[];
  readonly signals: readonly Signal[];
  readonly functions: readonly FunctionDeclaration[];
  readonly effects: readonly EffectDeclaration[];
  /** The streams of dice; the first is the unnamed one, "main". */
  readonly streams: readonly DiceStream[];
  readonly laws: readonly Law[];
  readonly policies: readonly Policy[];
  readonly tests: readonly Test[];
  /** All actions and timers of all states, by their numbers. */
  readonly actions: readonly Action[];
  readonly timers: readonly Timer[];
  /** Size of the root box, and number of slots for local values. */
  readonly rootSize: number;
  readonly locals: number;
}

/** A stream of dice, or one for each seat when it is private. */
export interface DiceStream {
  readonly name: string;
  readonly visibility: Visibility;
  /** Its number; the first of as many as there can be seats when it is private. */
  readonly slot: number;
  /** Where it is declared; the unnamed one is not. */
  readonly nameSpan?: Span;
}

/** Which dice a roll takes. */
export interface OfStream {
  /** The number of the stream; of a private one, the number of the first seat's. */
  readonly stream: number;
  /** Whose private stream. */
  readonly owner?: Expr;
}

interface SeatPlan {
  /** All seat names there can be, in order. */
  readonly names: readonly string[];
  /** The least number of seats; the greatest is `names.length`. */
  readonly least: number;
}

export interface DataField extends Field, Span {
  readonly slot: number;
  /** Where its name begins. */
  readonly nameFrom: number;
  readonly initial?: Expr;
}

export interface Constant extends Span {
  readonly name: string;
  readonly nameSpan: Span;
  readonly doc?: string;
  readonly type: Type;
  readonly value: Expr;
}

export interface Signal extends Span {
  readonly id: number;
  readonly name: string;
  readonly doc?: string;
  readonly parameters: readonly Parameter[];
  /** Raised by the machine, announced by the game, or by the system (`Joined`, `Left`). */
  readonly origin: "machine" | "event" | "system";
}

/** A parameter of a function, effect, signal, state or ending. */
export interface Parameter extends Span {
  readonly name: string;
  readonly type: Type;
  /** The slot for local values; for states the field of its data. */
  readonly slot: number;
  readonly initial?: Expr;
}

export interface FunctionDeclaration extends Span {
  readonly name: string;
  readonly nameSpan: Span;
  readonly doc?: string;
  readonly parameters: readonly Parameter[];
  readonly type: Type;
  readonly body: Expr;
}

export interface EffectDeclaration extends Span {
  readonly name: string;
  readonly nameSpan: Span;
  readonly doc?: string;
  readonly parameters: readonly Parameter[];
  readonly body: Block;
  /** The local value that its last line sets, and that stands for it where it is called. */
  readonly result?: { readonly slot: number; readonly type: Type };
}

// ---- states ------------------------------------------------------------------------------------

export type StateKind = "machine" | "state" | "overlay" | "final";

export interface State extends Span {
  readonly id: number;
  readonly kind: StateKind;
  readonly name: string;
  readonly nameSpan: Span;
  readonly doc?: string;
  readonly parent: number;
  /** The greatest number of a state inside this one. */
  readonly last: number;
  readonly children: readonly number[];
  readonly depth: number;
  readonly parallel: boolean;
  readonly stub: boolean;
  /**
   * Parameters first, then data; one box of this many fields, in slot `slot` of the root, or -1 when there are none.
   */
  readonly fields: readonly DataField[];
  readonly parameters: readonly Parameter[];
  readonly slot: number;
  /** The inner state it begins in, or -1. */
  readonly start: number;
  readonly turn?: Turn;
  readonly actions: readonly Action[];
  readonly enters: readonly { readonly block?: Block; readonly arrow?: Arrow }[];
  readonly exits: readonly Block[];
  readonly timers: readonly Timer[];
  readonly listeners: readonly Listener[];
  readonly whens: readonly When[];
}

export interface Turn extends Span {
  readonly each: boolean;
  readonly of: Expr;
  /** The slot of the root that holds who is ready; -1 without `each`. */
  readonly readySlot: number;
}

export interface Action extends Span {
  readonly id: number;
  readonly name: string;
  readonly nameSpan: Span;
  readonly doc?: string;
  readonly state: number;
  readonly sealed: boolean;
  readonly parameters: readonly ActionParameter[];
  readonly by?: "anyone" | Expr;
  readonly needs: readonly { readonly test: Expr; readonly reason?: Expr }[];
  readonly block?: Block;
  readonly arrow: Arrow;
}

export interface ActionParameter extends Span {
  readonly name: string;
  readonly type: Type;
  readonly slot: number;
  readonly domain?: Expr;
  readonly where?: Expr;
  readonly reason?: Expr;
}

export interface Timer extends Span {
  readonly id: number;
  readonly state: number;
  /** A stable name, such as `Turn.after1`. */
  readonly name: string;
  readonly repeats: boolean;
  readonly delay: Expr;
  readonly test?: Expr;
  readonly block?: Block;
  readonly arrow?: Arrow;
}

export interface Listener extends Span {
  /** Its number among all listeners of the machine. */
  readonly id: number;
  readonly state: number;
  readonly signal: number;
  /** The slots that receive the signal's values. */
  readonly slots: readonly number[];
  readonly test?: Expr;
  readonly block?: Block;
  readonly arrow?: Arrow;
}

export interface When extends Span {
  /** Its number among all conditions of the machine. */
  readonly id: number;
  readonly state: number;
  /**
   * `done` waits for the state `of` to be done: in its final number `final`, or in any when that is -1. `entered` is
   * the arrow behind `enter`, asked once for each entry: the slot of the root says that it is still to be followed;
   * -1 where following it always leaves the state.
   */
  readonly test:
    | { readonly kind: "holds"; readonly test: Expr }
    | { readonly kind: "done"; readonly of: number; readonly final: number }
    | { readonly kind: "allReady" }
    | { readonly kind: "entered"; readonly pendingSlot: number };
  readonly block?: Block;
  readonly arrow: Arrow;
}

export interface Ending extends Span {
  readonly id: number;
  readonly name: string;
  readonly nameSpan: Span;
  readonly doc?: string;
  readonly parameters: readonly Parameter[];
  readonly results: readonly ResultRule[];
}

export type ResultRule = Span &
  (
    | { readonly kind: "result"; readonly word: ResultWord; readonly seats: Expr }
    | { readonly kind: "ranks"; readonly list: Expr }
    | { readonly kind: "scores"; readonly variable: number; readonly source: Expr; readonly value: Expr }
  );

export type Target =
  | { readonly kind: "state"; readonly state: number; readonly args: readonly Expr[] }
  | { readonly kind: "ending"; readonly ending: number; readonly args: readonly Expr[] };

export type Arrow = Span &
  (
    | { readonly kind: "stay" | "ready" | "return" }
    /** `inner`: in the standard order, an arrow inwards that does not leave its own state. */
    | { readonly kind: "to"; readonly again: boolean; readonly inner: boolean; readonly target: Target }
    | { readonly kind: "history"; readonly deep: boolean; readonly state: number }
    | { readonly kind: "choose"; readonly branches: readonly Branch[]; readonly otherwise?: Branch }
    | { readonly kind: "odds"; readonly entries: readonly { readonly weight: Expr; readonly target: Target }[] }
    /** Where the text gives no arrow that can be understood; such a machine does not run. */
    | { readonly kind: "missing" }
  );

export interface Branch extends Span {
  readonly test?: Expr;
  readonly block?: Block;
  readonly arrow: Arrow;
}

// ---- statements --------------------------------------------------------------------------------

export interface Block extends Span {
  readonly statements: readonly Statement[];
}

/** A place that can be written: data or a local value, then fields and indices. */
export interface Location extends Span {
  readonly base:
    | { readonly kind: "data"; readonly slot: number }
    | { readonly kind: "stateData"; readonly slot: number; readonly field: number }
    | { readonly kind: "local"; readonly slot: number };
  readonly path: readonly LocationStep[];
  readonly type: Type;
  /** Laws that say where this place changes, falls or rises, by number. */
  readonly watched: readonly number[];
}

export type LocationStep =
  | { readonly kind: "field"; readonly field: number }
  | { readonly kind: "index"; readonly of: Type; readonly key: Expr }
  /** What stands there may be none, and is taken for granted; a fault when there is none. */
  | ({ readonly kind: "present"; readonly type: Type } & Span);

export type ListMethod = "push" | "take" | "takeLast" | "remove" | "insert" | "clear" | "fill";

export type Statement = Span &
  (
    | PlainStatement<Expr>
    | { readonly kind: "let"; readonly slot: number; readonly value: Expr }
    | { readonly kind: "assign"; readonly target: Location; readonly op: "=" | "+=" | "-="; readonly value: Expr }
    | {
        readonly kind: "change";
        readonly target: Location;
        readonly method: ListMethod;
        readonly args: readonly Expr[];
      }
    | { readonly kind: "call"; readonly effect: number; readonly args: readonly Expr[] }
    | { readonly kind: "raise"; readonly signal: number; readonly args: readonly Expr[] }
    | {
        readonly kind: "for";
        readonly slot: number;
        readonly source: Expr;
        readonly where?: Expr;
        readonly body: Block;
      }
    | {
        readonly kind: "if";
        readonly branches: readonly { readonly test: Expr; readonly body: Block }[];
        readonly otherwise?: Block;
      }
  );

// ---- expressions -------------------------------------------------------------------------------

export type ListProperty = "size" | "empty" | "first" | "last" | "rest" | "indices";
export type GridProperty = "cells" | "width" | "height";

export type Expr = Span & { readonly type: Type } & (
    | { readonly kind: "constant"; readonly value: number | boolean | string | null }
    | { readonly kind: "named"; readonly constant: number }
    /** The value a type has without being given one. */
    | { readonly kind: "default" }
    | { readonly kind: "text"; readonly parts: readonly (string | Expr)[] }
    | { readonly kind: "local"; readonly slot: number }
    | { readonly kind: "data"; readonly slot: number }
    /** Data of a state. With `of`, read from outside that state, which may not be active. */
    | { readonly kind: "stateData"; readonly slot: number; readonly field: number; readonly of?: number }
    | { readonly kind: "field"; readonly of: Expr; readonly field: number }
    | { readonly kind: "coordinate"; readonly of: Expr; readonly axis: "x" | "y" }
    | { readonly kind: "index"; readonly of: Expr; readonly key: Expr }
    | { readonly kind: "listProperty"; readonly of: Expr; readonly property: ListProperty }
    | { readonly kind: "listHas"; readonly of: Expr; readonly value: Expr }
    | { readonly kind: "mapProperty"; readonly of: Expr; readonly property: "size" | "empty" | "keys" | "values" }
    | { readonly kind: "gridProperty"; readonly of: Expr; readonly property: GridProperty }
    | {
        readonly kind: "gridCall";
        readonly of: Expr;
        readonly method: "neighbours" | "distance" | "reach" | "line" | "inside";
        readonly args: readonly Expr[];
      }
    | { readonly kind: "take"; readonly target: Location; readonly method: "take" | "takeLast" }
    | { readonly kind: "list"; readonly items: readonly Expr[] }
    /** Contents of a map, by key; of a grid, row by row; or per seat, by the seat's number. Only a map has keys. */
    | { readonly kind: "filled"; readonly keys: readonly Expr[]; readonly items: readonly Expr[] }
    | { readonly kind: "record"; readonly fields: readonly Expr[] }
    | { readonly kind: "cell"; readonly x: Expr; readonly y: Expr }
    | { readonly kind: "not" | "negate"; readonly of: Expr }
    /** The value of something that can be none; none is a fault. */
    | { readonly kind: "unwrap"; readonly of: Expr }
    | { readonly kind: "binary"; readonly op: Exclude<BinaryOperator, "..">; readonly left: Expr; readonly right: Expr }
    | { readonly kind: "range"; readonly low: Expr; readonly high: Expr }
    | { readonly kind: "if"; readonly test: Expr; readonly then: Expr; readonly otherwise: Expr }
    | { readonly kind: "call"; readonly function: number; readonly args: readonly Expr[] }
    | { readonly kind: "numeric"; readonly name: NumberFunctionName; readonly args: readonly Expr[] }
    | {
        readonly kind: "binder";
        readonly word: BinderWord;
        readonly slot: number;
        readonly source: Expr;
        readonly where?: Expr;
        readonly body?: Expr;
        readonly ties: Ties /** The text says what happens to equal ones. */;
        readonly tiesStated: boolean;
      }
    | { readonly kind: "me" | "seats" | "inPlay" | "seated" | "others" | "now" }
    | { readonly kind: "next" | "canAct"; readonly seat: Expr }
    | { readonly kind: "inState"; readonly state: number }
    | (OfStream & {
        readonly kind: "roll";
        readonly times?: Expr;
        readonly low: Expr;
        readonly high: Expr;
        readonly whole: boolean;
      })
    | (OfStream & { readonly kind: "chance"; readonly part: Expr; readonly whole?: Expr })
    | (OfStream & {
        readonly kind: "pick";
        readonly list: Expr;
        readonly weight?: { readonly slot: number; readonly body: Expr };
      })
    | (OfStream & { readonly kind: "shuffle"; readonly list: Expr })
  );

// ---- laws, policies, tests ---------------------------------------------------------------------

export type Law = Span & { readonly id: number; readonly words: string } & (
    | { readonly form: "holds"; readonly test: Expr }
    | {
        readonly form: "changes";
        readonly way: ChangeWay;
        readonly path: string;
        /** The slot of the data, and the way to the numbers in it: fields by number, or every seat's. */
        readonly slot: number;
        readonly steps: readonly (number | "each")[];
        readonly states: readonly number[];
      }
    | { readonly form: "entered"; readonly target: number; readonly states: readonly number[] }
  );

export interface ActionCall extends Span {
  readonly action: string;
  /** Arguments by name; evaluated where the policy or test stands. */
  readonly args: ReadonlyMap<string, Expr>;
}

export interface Policy extends Span {
  readonly name: string;
  /** An entry without a call says `wait`: the bot does nothing until something happens. */
  readonly entries: readonly (Span & { readonly test?: Expr; readonly call?: ActionCall })[];
}

export type Expectation = Span &
  (
    | { readonly kind: "ending"; readonly ending: number; readonly args?: readonly Expr[] }
    | { readonly kind: "result"; readonly seat: number; readonly word: ResultWord }
    | { readonly kind: "standing"; readonly seat: number; readonly what: "rank" | "score"; readonly value: Expr }
    | { readonly kind: "turn"; readonly seats: Expr }
    | { readonly kind: "open" | "closed"; readonly seat: number; readonly call: ActionCall; readonly reason?: string }
    | { readonly kind: "note"; readonly text: string }
    | { readonly kind: "holds"; readonly test: Expr }
  );

/** Rolls set by hand; null leaves one to chance, `rest` all that are not listed. */
export interface SetDice {
  readonly values: readonly (Expr | null)[];
  readonly rest: boolean;
}

export type TestLine = Span &
  (
    | { readonly kind: "at"; readonly state: number; readonly args: readonly Expr[] }
    | {
        readonly kind: "given";
        readonly values: readonly { readonly target: Location; readonly value: Expr }[];
        readonly dice?: SetDice;
      }
    | { readonly kind: "wait"; readonly time: Expr; readonly dice?: SetDice }
    | {
        readonly kind: "event";
        readonly signal: number;
        readonly args: readonly Expr[];
        readonly dice?: SetDice;
      }
    | { readonly kind: "seats"; readonly count: number }
    | { readonly kind: "open"; readonly seat: number }
    | { readonly kind: "joins" | "leaves"; readonly seat: number; readonly refused?: string }
    | {
        readonly kind: "act";
        readonly seat: number;
        readonly call: ActionCall;
        readonly dice?: SetDice;
        readonly refused?: string;
      }
    | { readonly kind: "expect"; readonly expectations: readonly Expectation[] }
  );

export interface Test extends Span {
  readonly words: string;
  readonly lines: readonly TestLine[];
}
