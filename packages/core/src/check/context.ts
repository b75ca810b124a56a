/** What every part of the checker shares: the tables of names being built, and how mistakes are reported. */

import { FIELDS_OF_SEATS, FOREIGN_CALLS } from "../language/foreign.js";
import type { Fix, Message, Messages } from "../language/message.js";
import type { Sources, Span } from "../language/source.js";
import { didYouMean, nearest, respelling } from "../language/suggest.js";
import { type ExprNode, type Name, NAMELESS } from "../language/syntax.js";
import type { DiceStream, Expr, Location, Parameter, Signal } from "./machine.js";
import { instead } from "./conversions.js";
import { CURSOR, NameIndex } from "./names.js";
import { BUILT_IN_VALUES, isTaken } from "./builtins.js";
import { Scope, SYMBOL_WORDS, type ValueSymbol } from "./scope.js";
import { describe, type EnumType, type Field, type RecordType, type Type, UNKNOWN } from "./types.js";

/** How many local values can be used at one place: each is carried along through all that is reasoned there. */
const MAX_LOCALS = 500;
/** After so many comparisons of names nothing is suggested for further unknown ones. */
const MOST_COMPARED = 30_000;

/** A place that arrows can lead to. */
export type TargetSymbol = Span &
  ({ readonly kind: "state"; readonly id: number } | { readonly kind: "ending"; readonly id: number });

/** Signatures of functions and effects, known before any body is checked. */
export interface Signature extends Span {
  readonly name: string;
  readonly parameters: readonly Parameter[];
  /** What it gives; "nothing" for an effect without a value. */
  readonly type: Type;
  /** For an effect that gives a value: the local value that holds it. */
  readonly slot?: number;
}

/** What can be called: a function or an effect. */
export interface Routine {
  readonly kind: "function" | "effect";
  readonly name: Name;
}

/** Where an expression stands, and so what it may use. */
export interface Where {
  readonly scope: Scope;
  /**
   * Draws, `take` and `now` are allowed: the expression belongs to effects. Otherwise the words that say what it is.
   */
  readonly effects: true | string;
  readonly me: boolean;
  /** Dice may be rolled though nothing is changed: those of a bot, in its policy. */
  readonly rolls?: boolean;
  /** The function or effect it stands in. */
  readonly routine?: Routine;
  /** In an ending: `all` and `others` mean all seats, and those not named yet. */
  readonly ending?: boolean;
}

/** How the parts of the expression checker reach each other. */
export interface ExpressionParts {
  /** The typed expression; `wanted` helps where a literal alone could be of several types. */
  check(node: ExprNode, where: Where, wanted?: Type): Expr;
  /** One that must fit `wanted`; `what` names it in messages. */
  expect(node: ExprNode, wanted: Type, where: Where, what: string): Expr;
  /** One that must be a number. */
  number(node: ExprNode, where: Where, what: string): Expr;
  /** The key and the type of an element of something indexed. */
  element(of: Type, keyNode: ExprNode, where: Where, ofNode: ExprNode): { key: Expr; type: Type };
  /** The type of the elements of a list, map (its keys) or range. */
  elementOf(source: Expr): Type;
  /** A place to write to. Reports what cannot be written. */
  location(node: ExprNode, where: Where): Location | undefined;
}

/** The tables of one machine while it is being checked. */
export class Tables {
  readonly names = new NameIndex();
  /** Where the fields of each record stand. */
  readonly fieldSpans = new Map<string, readonly Span[]>();
  /** Where types are named. */
  readonly typeSpans = new Map<string, Span>();
  readonly global = new Scope();
  readonly types = new Map<string, EnumType | RecordType>();
  readonly recordInitials = new Map<string, (Expr | undefined)[]>();
  readonly targets = new Map<string, TargetSymbol>();
  /** What actions are called, of any state. */
  readonly actionNames = new Set<string>();
  readonly signals = new Map<string, Signal>();
  readonly functions: Signature[] = [];
  readonly effects: Signature[] = [];
  readonly constants = new Map<string, number>();
  /** The lists that the machine shuffles, as they are before. */
  readonly shuffled: Expr[] = [];
  readonly streams = new Map<string, DiceStream>([["main", { name: "main", visibility: "public", slot: 0 }]]);
  readonly seatNames: string[] = [];
  /** How many seats there are at least; as many as have names at most. */
  least = 0;
  /** Paths of the laws `PATH changes only in ...`: law number and segments. */
  readonly watches: { readonly law: number; readonly segments: readonly string[] }[] = [];
  /** How many names have been compared with misspelt ones. */
  private compared = 0;
  /** Unknown names that have been told, by file, with the places that the message's fix changes. */
  private readonly undeclared = new Map<
    string,
    { readonly message: Message; readonly edits: Fix["edits"][number][] }
  >();
  /** Routines of which it was told that they do not know who acts. */
  private readonly actorless = new Set<Name>();
  /** Names that could not be declared. */
  readonly refused = new Set<string>();
  /** The data of each state that has some, by the state's number. */
  readonly stateData = new Map<number, { readonly slot: number; readonly fields: readonly Field[] }>();
  locals = 0;
  /** The machine says `order standard`. */
  standardOrder = false;

  constructor(
    readonly sources: Sources,
    readonly messages: Messages,
  ) {}

  newLocal(): number {
    return this.locals++;
  }

  /** Declares a local value; gives its slot. */
  local(scope: Scope, name: Name, type: Type, writable = false): number {
    const slot = this.newLocal();
    this.declare(scope, name, { kind: "local", slot, type, writable, from: name.from, to: name.to });
    if (scope.locals === MAX_LOCALS + 1)
      this.error(
        "too-large",
        name,
        `With "${name.text}" more than ${MAX_LOCALS} local values can be used at once.`,
        "Take a part out into an effect or a function of its own, or keep them in a list.",
      );
    return slot;
  }

  /** Says that nobody acts where `me` stands, of a routine once. */
  nobodyActs(at: Span, routine: Routine | undefined): void {
    if (!routine) {
      this.error(
        "no-me",
        at,
        '"me" is the seat acting, and nobody acts here.',
        "It can be used in actions and policies.",
      );
      return;
    }
    const { kind, name } = routine;
    if (this.actorless.has(name)) return;
    this.actorless.add(name);
    this.error(
      "no-me",
      at,
      `"me" is the seat acting, and a${kind === "effect" ? "n" : ""} ${kind} does not know who that is.`,
      `Take the seat as an argument: ${kind} ${name.text}(who: seat, ...), called as ${name.text}(me, ...).`,
    );
  }

  error(name: string, at: Span, words: string, help?: string, related?: Span & { readonly words: string }): void {
    this.messages.error(name, at, words, help, related);
  }

  /** Declares a value's name in a scope; a name that is built in or taken is reported. */
  declare(scope: Scope, name: Name, symbol: ValueSymbol): void {
    if (isTaken(name.text)) {
      this.refused.add(name.text);
      this.error(
        "built-in-name",
        name,
        `"${name.text}" is built into the language and cannot be declared.`,
        "Choose another name.",
      );
      return;
    }
    const taken = scope.add(name.text, symbol);
    this.names.declare(SYMBOL_WORDS[symbol.kind], name, "type" in symbol ? describe(symbol.type) : "");
    if (!taken) return;
    this.duplicate(name, `${SYMBOL_WORDS[taken.kind]}`, taken);
    // Which of two things is meant is open from here on: nothing is told that follows from that.
    if (scope.find(name.text) === symbol || (taken.kind === symbol.kind && typeIn(taken) === typeIn(symbol))) return;
    const { from, to } = taken;
    scope.replace(name.text, { kind: "local", slot: this.newLocal(), type: UNKNOWN, writable: true, from, to });
  }

  /** Whether something of this name may be declared in what could not be read or declared, so that it has been told. */
  isLost(name: string): boolean {
    return this.refused.has(name) || this.refused.has(NAMELESS);
  }

  duplicate(name: Name, what: string, first: Span): void {
    this.error(
      "duplicate-name",
      name,
      `"${name.text}" is the name of ${what} already.`,
      "Give one of them another name.",
      { from: first.from, to: first.to, words: `The first "${name.text}" stands here.` },
    );
  }

  unknown(name: string, at: Span, written: string, known: Iterable<string>, kind: string): void {
    this.misspelt(name, at, `There is no ${kind} "${written}".`, written, known, kind);
  }

  /** An unknown name, with the nearest known one as its fix. */
  misspelt(name: string, at: Span, words: string, written: string, known: Iterable<string>, kind: string): void {
    if (this.isLost(written) && written !== CURSOR) return;
    const all = [...known];
    // Looking for what may have been meant takes long where both are many.
    this.compared += all.length;
    const names = this.compared > MOST_COMPARED && written !== CURSOR ? [] : all;
    if (written === CURSOR) this.names.want(names, kind);
    // The place may be longer than the name, such as a whole path; then only the name is fixed.
    const to = this.sources.text(at) === written ? at : undefined;
    const fix = to && respelling(written, to, names);
    const help = names.length > 0 ? didYouMean(written, names, kind) : undefined;
    // A name that is not known is one mistake, however often it is used; the fix changes all places.
    const key = `${this.sources.place(at.from).file} ${written}`;
    const told = this.undeclared.get(key);
    if (told) {
      if (fix && told.edits.at(-1)?.from !== at.from) told.edits.push(...fix.edits);
      return;
    }
    const edits = [...(fix?.edits ?? [])];
    const message = this.messages.error(name, at, words, help, undefined, fix && { title: fix.title, edits });
    if (message) this.undeclared.set(key, { message, edits });
  }

  /** Says of names that are not known at how many places they stand. */
  countUnknown(): void {
    for (const { message, edits } of this.undeclared.values())
      if (edits.length > 1)
        this.messages.replace(message, { ...message, help: `${message.help} It is written so ${edits.length} times.` });
  }

  /** A name that stands for no value here. */
  unknownValue(name: Name, where: Where): void {
    const values = Object.keys(BUILT_IN_VALUES).filter((value) => where.me || (value !== "me" && value !== "others"));
    const known = [...where.scope.all(), ...values];
    // What could not be declared has been told; that it is unknown here only follows.
    if (this.isLost(name.text) && name.text !== CURSOR) return;
    const place = this.targets.get(name.text);
    if (place) {
      this.error(
        "unknown-value",
        name,
        `"${name.text}" is a state or an ending, not a value.`,
        `To ask whether the match is there, write "in ${name.text}"; to read its data, "${name.text}.name".`,
      );
    } else if (this.actionNames.has(name.text) && nearest(name.text, known) === undefined) {
      this.error(
        "unknown-value",
        name,
        `"${name.text}" is an action, not a value.`,
        `What a seat did is kept in data that the action writes, such as: action ${name.text} { chose[me] = ... }`,
      );
    } else if (Object.hasOwn(FOREIGN_CALLS, name.text) && nearest(name.text, known) === undefined) {
      this.error("unknown-value", name, `There is no value "${name.text}".`, `Write: ${FOREIGN_CALLS[name.text]}`);
    } else if (where.effects === "a mapping" && !name.text.startsWith(".") && nearest(name.text, known) === undefined) {
      const { from, text } = name;
      const help = `What the row tells begins with a dot: .${text}. Of the machine there are: ${known.join(", ")}.`;
      this.messages.error("unknown-value", name, `There is no value "${text}".`, help, undefined, {
        title: `Write ".${text}"`,
        edits: [{ from, to: from, text: "." }],
      });
    } else {
      this.unknown("unknown-value", name, name.text, known, "value");
    }
  }

  /** A field of a seat, which has none: data per seat are indexed by it. */
  fieldOfSeat(node: ExprNode & { kind: "member" }, where: Where): void {
    const { text } = node.name;
    const symbol = where.scope.find(text);
    const seat = this.written(node.of);
    if (!symbol || !("type" in symbol) || symbol.type.kind !== "perSeat") {
      const ours = Object.hasOwn(FIELDS_OF_SEATS, text) ? FIELDS_OF_SEATS[text] : undefined;
      const help = ours?.replaceAll("SEAT", seat) ?? `What it has is data per seat: data { ${text} per seat: TYPE }`;
      this.error("unknown-field", node.name, `A seat has no field "${text}".`, help);
      return;
    }
    const written = `${text}[${seat}]`;
    this.messages.error(
      "unknown-field",
      node.name,
      `What belongs to a seat is data per seat, and "${text}" is indexed by the seat.`,
      `Write: ${written}`,
      undefined,
      { title: `Write "${written}"`, edits: [{ from: node.from, to: node.to, text: written }] },
    );
  }

  /** Notes where a field of a record is used. */
  useField(at: Span, record: string, field: number): void {
    const span = this.fieldSpans.get(record)?.[field];
    if (span) this.names.use(at, span);
  }

  /** A field that a record does not have. */
  unknownField(name: Name, type: Type & { kind: "record" }): void {
    this.misspelt(
      "unknown-field",
      name,
      `${type.name} has no field "${name.text}".`,
      name.text,
      type.fields.map((f) => f.name),
      "field",
    );
  }

  /** A value whose type does not fit. */
  wrongType(at: Span, words: string, help: string): void {
    this.error("wrong-type", at, words, help);
  }

  /** What to write where a value of another type is wanted. */
  instead(expr: Span & { readonly type: Type }, wanted: Type): string {
    return instead({ type: expr.type, text: this.written(expr) }, wanted, this.seatNames);
  }

  /** The piece of source an expression was written as. */
  written(span: Span): string {
    return this.sources.written(span);
  }
}

function typeIn(symbol: ValueSymbol): string {
  return "type" in symbol ? describe(symbol.type) : "";
}
