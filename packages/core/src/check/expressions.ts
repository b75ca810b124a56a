/** Checks expressions: resolves names, infers types, and turns syntax into typed expressions. */

import { asWritten } from "./conversions.js";
import { FOREIGN_MEMBERS, FOREIGN_VALUES } from "../language/foreign.js";
import type { Fix } from "../language/message.js";
import type { Span } from "../language/source.js";
import type { ArgumentNode, ExprNode, FieldNode, Name } from "../language/syntax.js";
import { Scope, type ValueSymbol } from "./scope.js";
import { Calls } from "./calls.js";
import { Contents } from "./contents.js";
import type { ExpressionParts, Tables, Where } from "./context.js";
import type { DataField, Expr, Location, Parameter } from "./machine.js";
import {
  BOOL,
  CELL,
  common,
  describe,
  describeKind,
  fits,
  INT,
  intBetween,
  isOrdered,
  listOf,
  NATURAL,
  NOTHING,
  NUM,
  SEAT,
  TEXT,
  type Type,
  UNKNOWN,
} from "./types.js";
import { operationsOf, propertiesOf, propertyOf } from "./members.js";
import { Places } from "./places.js";
import { Rolls } from "./rolls.js";
import { onlyCompared, seatNamed } from "./seat-names.js";
import { unknownAt, unwrapped } from "./typed.js";
import type { Typing } from "./typing.js";
import { article, capital, withArticle } from "./wording.js";

/** Checks expressions; calls, rolls and places to write have parts of their own. */
export class ExpressionChecker implements ExpressionParts {
  private readonly calls: Calls;
  private readonly rolls: Rolls;
  private readonly places: Places;
  private readonly contents: Contents;

  constructor(
    private readonly tables: Tables,
    private readonly typing: Typing,
  ) {
    this.calls = new Calls(tables, typing, this);
    this.rolls = new Rolls(tables, this);
    this.places = new Places(tables, this);
    this.contents = new Contents(tables, typing, this);
  }

  // ---- entry points ----------------------------------------------------------------------------

  /** An expression that must fit `wanted`; `what` names it in messages. */
  expect(node: ExprNode, wanted: Type, where: Where, what: string): Expr {
    return this.coerce(this.check(node, where, wanted), wanted, what);
  }

  condition(node: ExprNode, where: Where, what: string): Expr {
    return this.expect(node, BOOL, where, what);
  }

  /** A seat, or a list of seats. */
  seats(node: ExprNode, where: Where, what: string): Expr {
    const expr = this.check(node, where);
    const ok =
      expr.type.kind === "seat" ||
      (expr.type.kind === "list" && fits(expr.type.of, SEAT)) ||
      expr.type.kind === "unknown";
    if (!ok)
      this.tables.wrongType(
        expr,
        `${capital(what)} is a seat or a list of seats, not ${withArticle(describeKind(expr.type))}.`,
        expr.type.kind === "maybe"
          ? `Say that nobody is meant where it is none: filter(s in inPlay where s == ${this.tables.written(expr)}).`
          : this.tables.instead(expr, SEAT),
      );
    return expr;
  }

  /** Matches arguments to parameters by position and name; missing ones take the parameter's default. */
  arguments(
    args: readonly ArgumentNode[],
    parameters: readonly Parameter[],
    where: Where,
    what: string,
    at: Span,
  ): Expr[] {
    return this.calls.arguments(args, parameters, where, what, at);
  }

  location(node: ExprNode, where: Where): Location | undefined {
    return this.places.location(node, where);
  }

  /** Makes an expression fit a type, or reports that it does not. */
  coerce(expr: Expr, wanted: Type, what: string): Expr {
    if (fits(expr.type, wanted)) return expr;
    if (expr.type.kind === "maybe" && expr.type.of.kind !== "nothing" && fits(expr.type.of, wanted))
      return unwrapped(expr, expr.type.of);
    if (expr.type.kind === "num" && wanted.kind === "int") {
      this.tables.error(
        "wrong-type",
        expr,
        `${capital(what)} is a whole number, but "${this.tables.written(expr)}" is a num.`,
        "Say how to round: floor(...), ceil(...) or nearest(...).",
      );
    } else {
      this.tables.wrongType(
        expr,
        `${capital(what)} is ${withArticle(describeKind(wanted))}, but ${asWritten(this.tables.written(expr))} ` +
          `is ${withArticle(describeKind(expr.type))}.`,
        this.tables.instead(expr, wanted),
      );
    }
    return { ...expr, type: UNKNOWN };
  }

  /** The written default of a field of data. A field without one needs a type that has a value of its own. */
  fieldInitial(node: FieldNode, type: Type, where: Where): Expr | undefined {
    const plain = type.kind === "perSeat" ? type.of : type;
    // Of data per seat the outer keys are always seats.
    if (node.initial?.kind === "keyed" && type.kind === "perSeat") return this.check(node.initial, where, type);
    if (node.initial) return this.expect(node.initial, plain, where, `"${node.name.text}"`);
    if (!this.typing.hasDefault(plain)) {
      this.tables.error(
        "no-default",
        node,
        `"${node.name.text}" has no value to begin with: ${withArticle(describe(plain))} has no default.`,
        `Give it one (= ...), or write ${describe(plain)}? to begin with none.`,
      );
    }
    return undefined;
  }

  // ---- the checker itself ----------------------------------------------------------------------

  check(node: ExprNode, where: Where, wanted?: Type): Expr {
    const at = { from: node.from, to: node.to };
    switch (node.kind) {
      case "number":
        return {
          kind: "constant",
          value: node.value,
          type: node.whole ? intBetween(node.value, node.value) : NUM,
          ...at,
        };
      case "duration":
        return { kind: "constant", value: node.value, type: intBetween(node.value, node.value), ...at };
      case "bool":
        return { kind: "constant", value: node.value, type: BOOL, ...at };
      case "none":
        return { kind: "constant", value: null, type: { kind: "maybe", of: NOTHING }, ...at };
      case "text":
        return this.text(node, where);
      case "missing":
        return unknownAt(at);
      case "name":
        return this.name(node.name, where);
      case "member":
        return this.member(node, where);
      case "index": {
        const of = this.check(node.of, where);
        const { key, type } = this.element(of.type, node.key, where, node.of);
        return { kind: "index", of, key, type, ...at };
      }
      case "call":
        return this.calls.call(node, where);
      case "list":
        return this.contents.rows(node, where, wanted) ?? this.list(node, where, wanted);
      case "keyed":
        return this.contents.keyed(node, where, wanted);
      case "unary":
        return this.unary(node, where);
      case "binary":
        return this.binary(node, where);
      case "if":
        return this.either(node, where, wanted);
      case "inState":
        return this.inState(node);
      case "binder":
        return this.binder(node, where);
      case "roll":
      case "chance":
      case "pick":
      case "shuffle":
        return this.rolls.roll(node, where);
    }
  }

  private text(node: ExprNode & { kind: "text" }, where: Where): Expr {
    const at = { from: node.from, to: node.to };
    const parts = node.parts.map((part) => (typeof part === "string" ? part : this.check(part, where)));
    if (parts.length === 1 && typeof parts[0] === "string")
      return { kind: "constant", value: parts[0], type: TEXT, ...at };
    return { kind: "text", parts, type: TEXT, ...at };
  }

  private list(node: ExprNode & { kind: "list" }, where: Where, wanted?: Type): Expr {
    const at = { from: node.from, to: node.to };
    const wantedElement = wanted?.kind === "list" ? wanted.of : undefined;
    const items = node.items.map((item) => this.check(item, where, wantedElement));
    let of: Type = NOTHING;
    for (const item of items) {
      const both = common(of, item.type);
      if (!both)
        this.tables.wrongType(
          item,
          `A list holds one type, but ${asWritten(this.tables.written(item))} ` +
            `is ${withArticle(describe(item.type))} and the ones before are ${describe(of)}.`,
          this.tables.instead(item, of),
        );
      else of = both;
    }
    if (of.kind === "unknown") return unknownAt(at);
    if (wantedElement && fits(of, wantedElement)) of = wantedElement;
    return { kind: "list", items, type: listOf(of), ...at };
  }

  private unary(node: ExprNode & { kind: "unary" }, where: Where): Expr {
    const at = { from: node.from, to: node.to };
    if (node.op === "not") return this.negated(node, where);
    const of = this.number(node.of, where, 'what follows "-"');
    return {
      kind: "negate",
      of,
      type: of.type.kind === "int" ? intBetween(-of.type.high, -of.type.low) : of.type,
      ...at,
    };
  }

  private negated(node: ExprNode & { kind: "unary" }, where: Where): Expr {
    const of = this.condition(node.of, where, 'what follows "not"');
    // Of what is no condition it has been said already.
    return { kind: "not", of, type: of.type.kind === "unknown" ? UNKNOWN : BOOL, from: node.from, to: node.to };
  }

  private either(node: ExprNode & { kind: "if" }, where: Where, wanted?: Type): Expr {
    const at = { from: node.from, to: node.to };
    const test = this.condition(node.test, where, "the condition of an if");
    const then = this.check(node.then, where, wanted);
    const otherwise = this.check(node.otherwise, where, wanted);
    const type = common(then.type, otherwise.type);
    if (!type)
      this.tables.wrongType(
        otherwise,
        `Both values of an if have one type, but "${this.tables.written(then)}" ` +
          `is ${withArticle(describe(then.type))} and "${this.tables.written(otherwise)}" ` +
          `is ${withArticle(describe(otherwise.type))}.`,
        this.tables.instead(otherwise, then.type),
      );
    return { kind: "if", test, then, otherwise, type: type ?? UNKNOWN, ...at };
  }

  private inState(node: ExprNode & { kind: "inState" }): Expr {
    const at = { from: node.from, to: node.to };
    const place = this.tables.targets.get(node.state.text);
    if (place) this.tables.names.use(node.state, place);
    if (!place) this.tables.unknown("unknown-state", node.state, node.state.text, this.tables.targets.keys(), "state");
    else if (place.kind === "ending")
      this.tables.error(
        "wrong-place",
        node.state,
        `"${node.state.text}" is an ending; nothing is tested in an ending.`,
      );
    return place?.kind === "state"
      ? { kind: "inState", state: place.id, type: BOOL, ...at }
      : { ...unknownAt(at), type: BOOL };
  }

  private name(name: Name, where: Where): Expr {
    const at = { from: name.from, to: name.to };
    switch (name.text) {
      case "me":
        if (!where.me) this.tables.nobodyActs(name, where.routine);
        return { kind: "me", type: SEAT, ...at };
      case "seats":
        return { kind: "seats", type: listOf(SEAT), ...at };
      case "inPlay":
      case "seated":
        return { kind: name.text, type: listOf(SEAT), ...at };
      case "others":
        if (!where.me && !where.ending)
          this.tables.error(
            "no-me",
            name,
            '"others" are those in play but "me", and nobody acts here.',
            "Write filter(s in inPlay where s != ...).",
          );
        return { kind: "others", type: listOf(SEAT), ...at };
      case "now":
        if (where.effects !== true)
          this.tables.error(
            "no-time-here",
            name,
            `"now" can be read in effects only, not in ${where.effects}.`,
            "Keep the time in data when it matters, or use after.",
          );
        return { kind: "now", type: NATURAL, ...at };
      case "all":
        if (where.ending) return { kind: "seats", type: listOf(SEAT), ...at };
        break;
      default:
    }
    const symbol = where.scope.find(name.text);
    if (!symbol) return this.foreign(name, where) ?? this.unknown(name, where);
    this.tables.names.use(name, symbol);
    switch (symbol.kind) {
      case "data":
        return { kind: "data", slot: symbol.slot, type: symbol.type, ...at };
      case "stateData":
        return { kind: "stateData", slot: symbol.slot, field: symbol.field, type: symbol.type, ...at };
      case "local":
        return { kind: "local", slot: symbol.slot, type: symbol.type, ...at };
      case "constant":
        return { kind: "named", constant: symbol.id, type: symbol.type, ...at };
      case "member":
        return { kind: "constant", value: symbol.value, type: symbol.type, ...at };
      case "seat":
        return seatNamed(symbol.value, this.tables.least, at);
      case "team":
        return {
          kind: "list",
          items: symbol.seats.map((value) => ({ kind: "constant", value, type: SEAT, ...at })),
          type: listOf(SEAT),
          ...at,
        };
      default:
        this.uncalled(name, symbol);
        return unknownAt(at);
    }
  }

  /** A function or an effect by its name alone. */
  private uncalled(name: Name, symbol: ValueSymbol & { readonly kind: "function" | "effect" }): void {
    const declared = symbol.kind === "function" ? this.tables.functions[symbol.id] : undefined;
    const call = `${name.text}(${declared?.parameters.map((p) => p.name).join(", ") ?? "..."})`;
    const fix = declared?.parameters.length === 0 && {
      title: `Write ${call}`,
      edits: [{ from: name.to, to: name.to, text: "()" }],
    };
    const words = `"${name.text}" is ${article(symbol)}, not a value.`;
    this.tables.messages.error("wrong-type", name, words, `Call it: ${call}.`, undefined, fix || undefined);
  }

  private unknown(name: Name, where: Where): Expr {
    this.tables.unknownValue(name, where);
    return unknownAt(name);
  }

  /** A value that other languages call so; it is read as what it is called here. */
  private foreign({ text, from, to }: Name, where: Where): Expr | undefined {
    const ours = Object.hasOwn(FOREIGN_VALUES, text) ? FOREIGN_VALUES[text] : undefined;
    if (ours === undefined || (ours === "me" && !where.me)) return undefined;
    this.tables.messages.error(
      "other-language",
      { from, to },
      `There is no "${text}": it is called "${ours}".`,
      `Write "${ours}".`,
      undefined,
      { title: `Write "${ours}"`, edits: [{ from, to, text: ours }] },
    );
    if (ours === "me") return { kind: "me", type: SEAT, from, to };
    if (ours === "seats") return { kind: "seats", type: listOf(SEAT), from, to };
    if (ours === "none") return { kind: "constant", value: null, type: { kind: "maybe", of: NOTHING }, from, to };
    return { kind: "constant", value: ours === "true", type: BOOL, from, to };
  }

  /** `State.name`: the data of a state, read from anywhere; a fault while it is not active. */
  private dataOfState(node: ExprNode & { kind: "member" }, where: Where): Expr | undefined {
    if (node.of.kind !== "name" || where.scope.find(node.of.name.text)) return undefined;
    const place = this.tables.targets.get(node.of.name.text);
    if (place?.kind !== "state") return undefined;
    const at = { from: node.from, to: node.to };
    const { slot = -1, fields = [] } = this.tables.stateData.get(place.id) ?? {};
    const field = fields.findIndex((f) => f.name === node.name.text);
    const found = fields[field];
    this.tables.names.use(node.of.name, place);
    if (found) {
      this.tables.names.use(node.name, { from: (found as DataField).nameFrom, to: 0 });
      return { kind: "stateData", slot, field, of: place.id, type: found.type, ...at };
    }
    this.tables.unknown(
      "unknown-field",
      node.name,
      node.name.text,
      fields.map((f) => f.name),
      `data of "${node.of.name.text}" called`,
    );
    return unknownAt(at);
  }

  /** `Mood.calm` of other languages: a member stands by itself. */
  private memberOfType(node: ExprNode & { kind: "member" }, where: Where): Expr | undefined {
    if (node.of.kind !== "name" || where.scope.find(node.of.name.text)) return undefined;
    const type = this.tables.types.get(node.of.name.text);
    if (type?.kind !== "enum" || !type.members.includes(node.name.text)) return undefined;
    const { from, to, name } = node;
    this.tables.messages.error(
      "other-language",
      node.of,
      "A member of a type stands by itself.",
      `Write: ${name.text}`,
      undefined,
      { title: `Write "${name.text}"`, edits: [{ from, to, text: name.text }] },
    );
    return this.check({ kind: "name", name, from: name.from, to: name.to }, where);
  }

  private member(node: ExprNode & { kind: "member" }, where: Where): Expr {
    const foreign = this.dataOfState(node, where) ?? this.memberOfType(node, where);
    if (foreign) return foreign;
    let of = this.check(node.of, where);
    if (of.type.kind === "maybe") of = unwrapped(of, of.type.of);
    const at = { from: node.from, to: node.to };
    const { type } = of;
    const { text } = node.name;
    if (type.kind === "unknown") return unknownAt(at);
    if (type.kind === "record") {
      const field = type.fields.findIndex((f) => f.name === text);
      const found = type.fields[field];
      if (found) this.tables.useField(node.name, type.name, field);
      if (found) return { kind: "field", of, field, type: found.type, ...at };
      this.tables.unknownField(node.name, type);
      return unknownAt(at);
    }
    if (type.kind === "seat") {
      this.tables.fieldOfSeat(node, where);
      return unknownAt(at);
    }
    const properties = propertiesOf(type);
    if (Object.hasOwn(properties, text)) return { ...propertyOf(of, text, properties[text] as Type), ...at };
    const operations = operationsOf(type);
    const words = `${capital(withArticle(describe(type)))} has no field "${text}".`;
    const ours = Object.hasOwn(FOREIGN_MEMBERS, text) ? FOREIGN_MEMBERS[text] : undefined;
    if (ours !== undefined && (Object.hasOwn(properties, ours) || operations.includes(ours))) {
      const call = operations.includes(ours) && !Object.hasOwn(properties, ours) ? `${ours}(...)` : ours;
      this.tables.error("unknown-field", node.name, words, `It is called "${call}" here.`);
      return { ...unknownAt(at), type: properties[ours] ?? UNKNOWN };
    }
    if (operations.includes(text)) this.tables.error("unknown-field", node.name, words, `It is called: ${text}(...).`);
    else if (type.kind === "perSeat")
      this.tables.error("unknown-field", node.name, words, `Say whose: ${this.tables.written(node.of)}[seat].${text}`);
    else
      this.tables.misspelt(
        "unknown-field",
        node.name,
        words,
        text,
        [...Object.keys(properties), ...operations],
        "field",
      );
    return unknownAt(at);
  }

  element(of: Type, keyNode: ExprNode, where: Where, ofNode: ExprNode): { key: Expr; type: Type } {
    switch (of.kind) {
      case "perSeat":
        return { key: this.expect(keyNode, SEAT, where, "the key"), type: of.of };
      case "list":
        return { key: this.expect(keyNode, INT, where, "the index of a list"), type: of.of };
      case "map":
        return { key: this.expect(keyNode, of.key, where, "the key"), type: of.value };
      case "grid":
        return { key: this.expect(keyNode, CELL, where, "the index of a grid"), type: of.of };
      case "unknown":
        return { key: this.check(keyNode, where), type: UNKNOWN };
      default:
        this.tables.error(
          "wrong-type",
          ofNode,
          `"${this.tables.written(ofNode)}" is ${withArticle(describe(of))} and has no elements.`,
          "Only lists, maps, grids and data per seat are indexed.",
        );
        return { key: this.check(keyNode, where), type: UNKNOWN };
    }
  }

  private binary(node: ExprNode & { kind: "binary" }, where: Where): Expr {
    const at = { from: node.from, to: node.to };
    const { op } = node;
    switch (op) {
      case "and":
      case "or":
      case "implies": {
        const left = this.condition(node.left, where, `the left of "${op}"`);
        const right = this.condition(node.right, where, `the right of "${op}"`);
        return { kind: "binary", op, left, right, type: BOOL, ...at };
      }
      case "==":
      case "!=": {
        const left = this.check(node.left, where);
        const right = this.check(node.right, where);
        if (!common(left.type, right.type)) {
          this.tables.wrongType(
            at,
            `${asWritten(this.tables.written(left))} is ${withArticle(describeKind(left.type))} ` +
              `and ${asWritten(this.tables.written(right))} is ${withArticle(describeKind(right.type))}: they are ` +
              `never equal.`,
            right.kind === "constant" ? this.tables.instead(right, left.type) : this.tables.instead(left, right.type),
          );
        }
        return { kind: "binary", op, left: onlyCompared(left), right: onlyCompared(right), type: BOOL, ...at };
      }
      case "<":
      case "<=":
      case ">":
      case ">=": {
        const [left, right] = this.numbers(op, this.check(node.left, where), this.check(node.right, where), at);
        return { kind: "binary", op, left, right, type: BOOL, ...at };
      }
      case "in":
        return this.membership(node, where);
      case "..": {
        const low = this.expect(node.left, INT, where, "the beginning of a range");
        const high = this.expect(node.right, INT, where, "the end of a range");
        const type =
          low.type.kind === "int" && high.type.kind === "int"
            ? intBetween(low.type.low, Math.max(low.type.low, high.type.high))
            : INT;
        return { kind: "range", low, high, type: listOf(type), ...at };
      }
      case "/": {
        const left = this.number(node.left, where, 'the left of "/"');
        const right = this.number(node.right, where, 'the right of "/"');
        return { kind: "binary", op, left, right, type: NUM, ...at };
      }
      default: {
        // Checked once only: in a long sum each left side holds all that stands before it.
        const first = this.check(node.left, where);
        if (op === "+" && first.type.kind === "text") {
          this.tables.wrongType(at, "Texts are not added.", 'Put values into one text: "{a} and {b}".');
          this.check(node.right, where);
          return { ...unknownAt(at), type: TEXT };
        }
        const [left, right] = this.numbers(op, first, this.check(node.right, where), at);
        return { kind: "binary", op, left, right, type: arithmetic(op, left.type, right.type), ...at };
      }
    }
  }

  /** `filter` and `count` with a value: the element itself, or a condition that belongs behind `where`. */
  private needless(node: ExprNode & { kind: "binder" }, body: ExprNode): void {
    const { word, variable, where } = node;
    const isElement = body.kind === "name" && body.name.text === variable.text;
    const behind = (where ?? node.source).to;
    const change = (title: string, to: number, text: string): Fix => ({ title, edits: [{ from: behind, to, text }] });
    const [help, fix]: [string, Fix?] = isElement
      ? ["Leave it out.", change(`Remove ": ${variable.text}"`, body.to, "")]
      : where
        ? ['Put all of the condition after "where"; what is made of each element is told by map.']
        : ['Put the condition after "where".', change('Write "where"', body.from, " where ")];
    const words =
      word === "filter" && isElement
        ? 'filter gives the elements themselves, and takes no value after ":".'
        : `${word} takes no value after ":".`;
    this.tables.messages.error("wrong-arguments", body, words, help, undefined, fix);
  }

  private membership(node: ExprNode & { kind: "binary" }, where: Where): Expr {
    const at = { from: node.from, to: node.to };
    const left = this.check(node.left, where);
    const right = this.check(node.right, where);
    const of =
      right.type.kind === "list"
        ? right.type.of
        : right.type.kind === "map"
          ? right.type.key
          : right.type.kind === "unknown"
            ? UNKNOWN
            : undefined;
    if (!of)
      this.tables.wrongType(
        right,
        `What follows "in" is a list, but "${this.tables.written(right)}" is ${withArticle(describe(right.type))}.`,
        this.tables.instead(right, listOf(left.type)),
      );
    else if (!common(left.type, of))
      this.tables.wrongType(
        left,
        `${asWritten(this.tables.written(left))} is ${withArticle(describe(left.type))}, but the list ` +
          `holds ${describe(of)}.`,
        this.tables.instead(left, of),
      );
    return { kind: "binary", op: "in", left: onlyCompared(left), right, type: BOOL, ...at };
  }

  /** Both sides as numbers; that neither is one is told once. */
  private numbers(op: string, left: Expr, right: Expr, at: Span): [Expr, Expr] {
    const { kind } = left.type;
    if (kind !== right.type.kind || kind === "unknown" || kind === "maybe" || isOrdered(left.type))
      return [this.asNumber(left, `the left of "${op}"`), this.asNumber(right, `the right of "${op}"`)];
    const written = [left, right].map((side) => asWritten(this.tables.written(side)));
    this.tables.wrongType(
      at,
      `"${op}" stands between numbers, and ${written.join(" and ")} are each ${withArticle(describeKind(left.type))}.`,
      this.tables.instead(left, INT),
    );
    return [
      { ...left, type: INT },
      { ...right, type: INT },
    ];
  }

  number(node: ExprNode, where: Where, what: string): Expr {
    return this.asNumber(this.check(node, where), what);
  }

  private asNumber(checked: Expr, what: string): Expr {
    const expr =
      checked.type.kind === "maybe" && isOrdered(checked.type.of) ? unwrapped(checked, checked.type.of) : checked;
    if (!isOrdered(expr.type)) {
      this.coerce(expr, INT, what);
      return { ...expr, type: INT };
    }
    return expr.type.kind === "unknown" ? { ...expr, type: INT } : expr;
  }

  /** What a binder is asked for stands behind a colon; of `any` and `all` alone it can stand behind `where`. */
  private bodiless({ word, variable, source, where: asked, ...at }: ExprNode & { kind: "binder" }): void {
    const { tables } = this;
    const each = `${word}(${variable.text} in ${tables.written(source)}`;
    if (!asked || (word !== "any" && word !== "all")) {
      const words = `${word} needs what to take of each element.`;
      tables.error("wrong-arguments", at, words, `Write ${each}: ...).`);
      return;
    }
    const where = { from: source.to, to: asked.from };
    const isAll = /^\s+where\s+$/.test(tables.sources.text(where));
    tables.messages.error(
      "wrong-arguments",
      at,
      `What ${word} asks of each stands behind a colon.`,
      `Write ${each}: ${tables.written(asked)}).`,
      undefined,
      isAll ? { title: 'Write ":" in place of "where"', edits: [{ ...where, text: ": " }] } : undefined,
    );
  }

  private binder(node: ExprNode & { kind: "binder" }, where: Where): Expr {
    const at = { from: node.from, to: node.to };
    const { word } = node;
    const source = this.check(node.source, where);
    const element = this.elementOf(source);
    const scope = new Scope(where.scope);
    const slot = this.tables.local(scope, node.variable, element);
    const inner: Where = {
      ...where,
      scope,
      rolls: false,
      effects: where.effects === true ? `${word}(...)` : where.effects,
    };
    const test = node.where ? this.condition(node.where, inner, `the condition after "where"`) : undefined;
    const needsBody = word !== "count" && word !== "filter";
    if (needsBody && !node.body) this.bodiless(node);
    if (!needsBody && node.body) this.needless(node, node.body);
    if (node.ties && !["minBy", "maxBy", "sort", "sortDown"].includes(word))
      this.tables.error("wrong-arguments", node, `${word} has no ties.`, "Only sort, sortDown, minBy and maxBy have.");
    let body: Expr | undefined;
    let type: Type = BOOL;
    switch (word) {
      case "any":
      case "all":
        body = node.body && this.condition(node.body, inner, `the condition of ${word}`);
        break;
      case "count":
        type = NATURAL;
        break;
      case "sum":
        body = node.body && this.number(node.body, inner, "what is summed");
        type = body?.type.kind === "num" ? NUM : INT;
        break;
      case "filter":
        type = listOf(element);
        break;
      case "map":
        body = node.body && this.check(node.body, inner);
        type = listOf(body?.type ?? UNKNOWN);
        break;
      case "minBy":
      case "maxBy":
        body = node.body && this.number(node.body, inner, "what is compared");
        type = element;
        break;
      default:
        body = node.body && this.number(node.body, inner, "what is sorted by");
        type = listOf(element);
    }
    if (node.ties === "byLot" && where.effects !== true && !where.rolls)
      this.rolls.notAllowed(node, where, "ties byLot");
    return {
      kind: "binder",
      word,
      slot,
      source,
      ...(test && { where: test }),
      ...(body && { body }),
      ties: node.ties ?? "inOrder",
      tiesStated: node.ties !== undefined,
      type,
      ...at,
    };
  }

  /** The type of the elements of a list, map (its keys) or range. */
  elementOf(source: Expr): Type {
    if (source.type.kind === "list") return source.type.of;
    if (source.type.kind === "map") return source.type.key;
    if (source.type.kind !== "unknown")
      this.tables.wrongType(
        source,
        `"${this.tables.written(source)}" is ${withArticle(describe(source.type))}, not a list.`,
        source.type.kind === "int"
          ? `To count, write a range: 1..${this.tables.written(source)}.`
          : this.tables.instead(source, listOf(UNKNOWN)),
      );
    return UNKNOWN;
  }
}

function arithmetic(op: string, a: Type, b: Type): Type {
  if (a.kind !== "int" || b.kind !== "int") return a.kind === "num" || b.kind === "num" ? NUM : INT;
  switch (op) {
    case "+":
      return intBetween(a.low + b.low, a.high + b.high);
    case "-":
      return intBetween(a.low - b.high, a.high - b.low);
    case "*": {
      const corners = [a.low * b.low, a.low * b.high, a.high * b.low, a.high * b.high];
      return intBetween(Math.min(...corners), Math.max(...corners));
    }
    default: {
      const most = Math.max(Math.abs(b.low), Math.abs(b.high)) - 1;
      return intBetween(b.low < 0 ? -most : 0, b.high > 0 ? most : 0);
    }
  }
}
