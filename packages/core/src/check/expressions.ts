/** Checks expressions: resolves names, infers types, and turns syntax into typed expressions. */

import {
  BUILT_IN_FUNCTIONS,
  BUILT_IN_VALUES,
  isTaken,
  isNumberFunction,
  NUMBER_FUNCTIONS,
  type NumberFunction,
  type NumberFunctionName,
} from "./builtins.js";
import type { Span } from "../language/source.js";
import type { ArgumentNode, ExprNode, FieldNode, Name } from "../language/syntax.js";
import { Scope, SYMBOL_WORDS, type ValueSymbol } from "./scope.js";
import type { Tables, Where } from "./context.js";
import type { DataField, Expr, GridProperty, ListProperty, Location, LocationStep, Parameter } from "./machine.js";
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
  MAX_INT,
  NATURAL,
  NOTHING,
  NUM,
  SEAT,
  TEXT,
  type Type,
  UNKNOWN,
} from "./types.js";
import type { Typing } from "./typing.js";

const LIST_PROPERTIES: readonly string[] = ["size", "empty", "first", "last", "rest", "indices"];
const LIST_METHODS: readonly string[] = ["has", "push", "take", "takeLast", "remove", "insert", "clear", "fill"];
const MAP_PROPERTIES: readonly string[] = ["size", "empty", "keys", "values"];
const GRID_PROPERTIES: readonly string[] = ["cells", "width", "height"];
const GRID_METHODS: readonly string[] = ["neighbours", "distance", "reach", "line", "inside"];

export class ExpressionChecker {
  constructor(
    private readonly tables: Tables,
    private readonly typing: Typing,
  ) {}

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
    if (!ok) this.wrongType(expr, `${what} is a seat or a list of seats, not ${describe(expr.type)}.`);
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
    const given: (Expr | undefined)[] = parameters.map(() => undefined);
    let position = 0;
    let mislabelled = false;
    for (const arg of args) {
      let index = position;
      if (arg.label) {
        const label = arg.label;
        index = parameters.findIndex((p) => p.name === label.text);
        if (index < 0) {
          mislabelled = true;
          this.tables.misspelt(
            "unknown-argument",
            label,
            `${what} has no parameter "${label.text}".`,
            label.text,
            parameters.map((p) => p.name),
            "parameter",
          );
          this.check(arg.value, where);
          continue;
        }
        const declared = parameters[index] as Parameter;
        if (declared.from !== at.from)
          this.tables.names.use(label, { from: declared.from, to: declared.from + declared.name.length });
      } else {
        position++;
      }
      const parameter = parameters[index];
      if (!parameter) {
        this.tables.error(
          "wrong-arguments",
          arg,
          `${what} takes ${countOf(parameters.length, "argument")}, but this is number ${index + 1}.`,
          signatureHelp(what, parameters),
        );
        this.check(arg.value, where);
      } else if (given[index]) {
        this.tables.error("wrong-arguments", arg, `"${parameter.name}" is given twice.`);
      } else {
        given[index] = this.expect(arg.value, parameter.type, where, `"${parameter.name}" of ${what}`);
      }
    }
    const missing = parameters.filter((p, i) => !given[i] && !p.initial);
    // With a misspelt name the one that is missing is most likely the one that was meant.
    if (missing.length > 0 && position <= parameters.length && !mislabelled) {
      this.tables.error(
        "wrong-arguments",
        at,
        `${what} also needs ${missing.map((p) => `"${p.name}"`).join(", ")}.`,
        signatureHelp(what, parameters),
      );
    }
    return parameters.map((p, i) => given[i] ?? p.initial ?? unknownAt(at));
  }

  /** A place to write to. Reports what cannot be written. */
  location(node: ExprNode, where: Where): Location | undefined {
    const path: LocationStep[] = [];
    const segments: string[] = [];
    let base: Location["base"] | undefined;
    const walk = (n: ExprNode): Type | undefined => {
      if (n.kind === "name") {
        const symbol = where.scope.find(n.name.text);
        if (!symbol) {
          this.unknownValue(n.name, where);
          return undefined;
        }
        if (symbol.kind === "data") base = { kind: "data", slot: symbol.slot };
        else if (symbol.kind === "stateData") base = { kind: "stateData", slot: symbol.slot, field: symbol.field };
        else if (symbol.kind === "local" && symbol.writable) base = { kind: "local", slot: symbol.slot };
        else {
          this.tables.error(
            "not-assignable",
            n,
            `"${n.name.text}" cannot be changed: it is ${symbol.kind === "local" ? "given from outside" : `${article(symbol)}`}.`,
            symbol.kind === "local"
              ? `Keep it in a value of your own: let copy = ${n.name.text}.`
              : "Only data and values made with let can be changed.",
          );
          return undefined;
        }
        segments.push(n.name.text);
        this.tables.names.use(n.name, symbol);
        return "type" in symbol ? symbol.type : UNKNOWN;
      }
      if (n.kind === "member") {
        const of = walk(n.of);
        if (!of || of.kind === "unknown") return of;
        if (of.kind !== "record") {
          this.tables.error(
            "not-assignable",
            n.name,
            `"${n.name.text}" of ${describe(of)} cannot be set.`,
            "Only fields of records, elements and whole data can be set.",
          );
          return undefined;
        }
        const field = of.fields.findIndex((f) => f.name === n.name.text);
        const found = of.fields[field];
        if (!found) {
          this.unknownField(n.name, of);
          return undefined;
        }
        path.push({ kind: "field", field });
        this.useField(n.name, of.name, field);
        segments.push(n.name.text);
        return found.type;
      }
      if (n.kind === "index") {
        const of = walk(n.of);
        if (!of) {
          this.check(n.key, where);
          return undefined;
        }
        const { key, type } = this.indexOf(of, n.key, where, n.of);
        path.push({ kind: "index", of, key });
        return type;
      }
      if (n.kind !== "missing")
        this.tables.error(
          "not-assignable",
          n,
          "This cannot be changed.",
          "Only data, their fields and their elements can.",
        );
      return undefined;
    };
    const type = walk(node);
    if (!type || !base) return undefined;
    const watched =
      base.kind === "data" ? this.tables.watches.filter((w) => overlaps(w.segments, segments)).map((w) => w.law) : [];
    return { base, path, type, watched, from: node.from, to: node.to };
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
      this.wrongType(
        expr,
        `${capital(what)} is ${withArticle(describeKind(wanted))}, but "${this.tables.written(expr)}" is ${withArticle(describeKind(expr.type))}.`,
      );
    }
    return { ...expr, type: UNKNOWN };
  }

  /** The written default of a field of data. A field without one needs a type that has a value of its own. */
  fieldInitial(node: FieldNode, type: Type, where: Where): Expr | undefined {
    const plain = type.kind === "perSeat" ? type.of : type;
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
      case "text": {
        const parts = node.parts.map((part) => (typeof part === "string" ? part : this.check(part, where)));
        if (parts.length === 1 && typeof parts[0] === "string")
          return { kind: "constant", value: parts[0], type: TEXT, ...at };
        return { kind: "text", parts, type: TEXT, ...at };
      }
      case "missing":
        return unknownAt(at);
      case "name":
        return this.name(node.name, where);
      case "member":
        return this.member(node, where);
      case "index": {
        const of = this.check(node.of, where);
        const { key, type } = this.indexOf(of.type, node.key, where, node.of);
        return { kind: "index", of, key, type, ...at };
      }
      case "call":
        return this.call(node, where);
      case "list": {
        const wantedElement = wanted?.kind === "list" ? wanted.of : undefined;
        const items = node.items.map((item) => this.check(item, where, wantedElement));
        let of: Type = NOTHING;
        for (const item of items) {
          const both = common(of, item.type);
          if (!both)
            this.wrongType(
              item,
              `A list holds one type, but "${this.tables.written(item)}" is ${withArticle(describe(item.type))} and the ones before are ${describe(of)}.`,
            );
          else of = both;
        }
        if (wantedElement && fits(of, wantedElement)) of = wantedElement;
        return { kind: "list", items, type: listOf(of), ...at };
      }
      case "unary": {
        if (node.op === "not")
          return { kind: "not", of: this.condition(node.of, where, 'what follows "not"'), type: BOOL, ...at };
        const of = this.number(node.of, where, 'what follows "-"');
        return {
          kind: "negate",
          of,
          type: of.type.kind === "int" ? intBetween(-of.type.high, -of.type.low) : of.type,
          ...at,
        };
      }
      case "binary":
        return this.binary(node, where);
      case "if": {
        const test = this.condition(node.test, where, "the condition of an if");
        const then = this.check(node.then, where, wanted);
        const otherwise = this.check(node.otherwise, where, wanted);
        const type = common(then.type, otherwise.type);
        if (!type)
          this.wrongType(
            otherwise,
            `Both values of an if have one type, but "${this.tables.written(then)}" is ${withArticle(describe(then.type))} and "${this.tables.written(otherwise)}" is ${withArticle(describe(otherwise.type))}.`,
          );
        return { kind: "if", test, then, otherwise, type: type ?? UNKNOWN, ...at };
      }
      case "inState": {
        const place = this.tables.targets.get(node.state.text);
        if (place) this.tables.names.use(node.state, place);
        if (!place)
          this.tables.unknown("unknown-state", node.state, node.state.text, this.tables.targets.keys(), "state");
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
      case "binder":
        return this.binder(node, where);
      case "roll":
      case "chance":
      case "pick":
      case "shuffle":
        return this.roll(node, where);
    }
  }

  private name(name: Name, where: Where): Expr {
    const at = { from: name.from, to: name.to };
    switch (name.text) {
      case "me":
        if (!where.me)
          this.tables.error(
            "no-me",
            name,
            '"me" is the seat acting, and nobody acts here.',
            "It can be used in actions and policies.",
          );
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
    if (!symbol) {
      this.unknownValue(name, where);
      return unknownAt(at);
    }
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
        return { kind: "constant", value: symbol.value, type: SEAT, ...at };
      case "team":
        return {
          kind: "list",
          items: symbol.seats.map((value) => ({ kind: "constant", value, type: SEAT, ...at })),
          type: listOf(SEAT),
          ...at,
        };
      default:
        this.tables.error(
          "wrong-type",
          name,
          `"${name.text}" is ${article(symbol)}, not a value.`,
          `Call it: ${name.text}(...).`,
        );
        return unknownAt(at);
    }
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

  private member(node: ExprNode & { kind: "member" }, where: Where): Expr {
    const foreign = this.dataOfState(node, where);
    if (foreign) return foreign;
    let of = this.check(node.of, where);
    if (of.type.kind === "maybe") of = unwrapped(of, of.type.of);
    const at = { from: node.from, to: node.to };
    const { type } = of;
    const { text } = node.name;
    switch (type.kind) {
      case "unknown":
        return unknownAt(at);
      case "record": {
        const field = type.fields.findIndex((f) => f.name === text);
        const found = type.fields[field];
        if (found) this.useField(node.name, type.name, field);
        if (found) return { kind: "field", of, field, type: found.type, ...at };
        this.unknownField(node.name, type);
        return unknownAt(at);
      }
      case "cell":
        if (text === "x" || text === "y") return { kind: "coordinate", of, axis: text, type: NATURAL, ...at };
        break;
      case "list":
        if (LIST_PROPERTIES.includes(text)) {
          const property = text as ListProperty;
          const size = intBetween(0, type.max ?? MAX_INT);
          const types: Record<ListProperty, Type> = {
            size,
            empty: BOOL,
            first: type.of,
            last: type.of,
            rest: listOf(type.of),
            indices: listOf(intBetween(0, Math.max(0, size.high - 1))),
          };
          return { kind: "listProperty", of, property, type: types[property], ...at };
        }
        break;
      case "map":
        if (MAP_PROPERTIES.includes(text)) {
          const property = text as "size" | "empty" | "keys" | "values";
          const types = { size: NATURAL, empty: BOOL, keys: listOf(type.key), values: listOf(type.value) };
          return { kind: "mapProperty", of, property, type: types[property], ...at };
        }
        break;
      case "grid":
        if (GRID_PROPERTIES.includes(text)) {
          const property = text as GridProperty;
          return { kind: "gridProperty", of, property, type: property === "cells" ? listOf(CELL) : NATURAL, ...at };
        }
        break;
      default:
    }
    const known =
      type.kind === "list"
        ? [...LIST_PROPERTIES, ...LIST_METHODS]
        : type.kind === "map"
          ? MAP_PROPERTIES
          : type.kind === "grid"
            ? [...GRID_PROPERTIES, ...GRID_METHODS]
            : type.kind === "cell"
              ? ["x", "y"]
              : [];
    const isMethod =
      (type.kind === "list" && LIST_METHODS.includes(text)) || (type.kind === "grid" && GRID_METHODS.includes(text));
    const words = `${capital(withArticle(describe(type)))} has no field "${text}".`;
    if (isMethod) this.tables.error("unknown-field", node.name, words, `It is called: ${text}(...).`);
    else if (type.kind === "perSeat")
      this.tables.error("unknown-field", node.name, words, `Say whose: ${this.tables.written(node.of)}[seat].${text}`);
    else this.tables.misspelt("unknown-field", node.name, words, text, known, "field");
    return unknownAt(at);
  }

  private indexOf(of: Type, keyNode: ExprNode, where: Where, ofNode: ExprNode): { key: Expr; type: Type } {
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
          this.wrongType(
            at,
            `"${this.tables.written(left)}" is ${withArticle(describeKind(left.type))} and "${this.tables.written(right)}" is ${withArticle(describeKind(right.type))}: they are never equal.`,
          );
        }
        return { kind: "binary", op, left, right, type: BOOL, ...at };
      }
      case "<":
      case "<=":
      case ">":
      case ">=": {
        const left = this.number(node.left, where, `the left of "${op}"`);
        const right = this.number(node.right, where, `the right of "${op}"`);
        return { kind: "binary", op, left, right, type: BOOL, ...at };
      }
      case "in": {
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
          this.wrongType(
            right,
            `What follows "in" is a list, but "${this.tables.written(right)}" is ${withArticle(describe(right.type))}.`,
          );
        else if (!common(left.type, of))
          this.wrongType(
            left,
            `"${this.tables.written(left)}" is ${withArticle(describe(left.type))}, but the list holds ${describe(of)}.`,
          );
        return { kind: "binary", op, left, right, type: BOOL, ...at };
      }
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
          this.wrongType(at, "Texts are not added.", 'Put values into one text: "{a} and {b}".');
          this.check(node.right, where);
          return { ...unknownAt(at), type: TEXT };
        }
        const left = this.asNumber(first, `the left of "${op}"`);
        const right = this.number(node.right, where, `the right of "${op}"`);
        return { kind: "binary", op, left, right, type: arithmetic(op, left.type, right.type), ...at };
      }
    }
  }

  private number(node: ExprNode, where: Where, what: string): Expr {
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

  private binder(node: ExprNode & { kind: "binder" }, where: Where): Expr {
    const at = { from: node.from, to: node.to };
    const { word } = node;
    const source = this.check(node.source, where);
    const element = this.elementOf(source);
    const slot = this.tables.newLocal();
    const scope = new Scope(where.scope);
    this.tables.declare(scope, node.variable, {
      kind: "local",
      slot,
      type: element,
      writable: false,
      from: node.variable.from,
      to: node.variable.to,
    });
    const inner: Where = { ...where, scope, effects: where.effects === true ? `${word}(...)` : where.effects };
    const test = node.where ? this.condition(node.where, inner, `the condition after "where"`) : undefined;
    const needsBody = word !== "count" && word !== "filter";
    if (needsBody && !node.body)
      this.tables.error(
        "wrong-arguments",
        node,
        `${word} needs what to take of each element.`,
        `Write ${word}(${node.variable.text} in ${this.tables.written(node.source)}: ...).`,
      );
    if (!needsBody && node.body)
      this.tables.error(
        "wrong-arguments",
        node.body,
        `${word} takes no value after ":".`,
        `Put the condition after "where".`,
      );
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
    if (node.ties === "byLot" && where.effects !== true) this.rollNotAllowed(node, where, "ties byLot");
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
      this.wrongType(
        source,
        `"${this.tables.written(source)}" is ${withArticle(describe(source.type))}, not a list.`,
        source.type.kind === "grid"
          ? `Its cells are a list: ${this.tables.written(source)}.cells`
          : source.type.kind === "perSeat"
            ? "Go through seats, and index it by each."
            : undefined,
      );
    return UNKNOWN;
  }

  private roll(node: ExprNode & { kind: "roll" | "chance" | "pick" | "shuffle" }, where: Where): Expr {
    const at = { from: node.from, to: node.to };
    if (where.effects !== true) this.rollNotAllowed(node, where, node.kind);
    let stream = 0;
    if (node.stream) {
      stream = this.tables.streams.get(node.stream.text) ?? 0;
      this.tables.names.use(node.stream, `dice ${node.stream.text}`);
      if (!this.tables.streams.has(node.stream.text))
        this.tables.unknown(
          "unknown-value",
          node.stream,
          node.stream.text,
          this.tables.streams.keys(),
          "stream of dice",
        );
    }
    const inner: Where = { ...where, effects: where.effects === true ? "the range of a roll" : where.effects };
    switch (node.kind) {
      case "roll": {
        const times = node.times && this.expect(node.times, INT, inner, "how many dice");
        if (node.range.kind !== "binary" || node.range.op !== "..") {
          this.tables.error(
            "wrong-arguments",
            node.range,
            "A roll needs a range.",
            "Write roll(1..6), roll(2 of 1..6) or roll(0.5..1.5).",
          );
          return { ...unknownAt(at), type: INT };
        }
        const low = this.number(node.range.left, inner, "the lowest face");
        const high = this.number(node.range.right, inner, "the highest face");
        const whole = low.type.kind === "int" && high.type.kind === "int";
        if (!whole && times)
          this.tables.error("wrong-arguments", node, "Several dice are rolled in whole numbers only.");
        let type: Type = NUM;
        if (low.type.kind === "int" && high.type.kind === "int") {
          if (low.type.low > high.type.high)
            this.tables.error("empty-range", node.range, "This range holds no face.", "The lower bound comes first.");
          const least = times?.type.kind === "int" ? Math.max(0, times.type.low) : 1;
          const most = times?.type.kind === "int" ? times.type.high : 1;
          type = intBetween(
            Math.min(low.type.low * least, low.type.low * most),
            Math.max(high.type.high * most, high.type.high * least),
          );
        }
        return { kind: "roll", stream, ...(times && { times }), low, high, whole, type, ...at };
      }
      case "chance": {
        const part = this.number(node.part, inner, "the chance");
        const whole = node.whole && this.expect(node.whole, INT, inner, "what the chance is out of");
        if (whole && part.type.kind !== "int")
          this.wrongType(part, "A chance out of a whole number is a whole number.");
        return { kind: "chance", stream, part, ...(whole && { whole }), type: BOOL, ...at };
      }
      case "pick": {
        const list = this.check(node.list, inner);
        const element = this.elementOf(list);
        let weight: { slot: number; body: Expr } | undefined;
        if (node.weight) {
          const slot = this.tables.newLocal();
          const scope = new Scope(where.scope);
          const { variable } = node.weight;
          this.tables.declare(scope, variable, {
            kind: "local",
            slot,
            type: element,
            writable: false,
            from: variable.from,
            to: variable.to,
          });
          weight = { slot, body: this.expect(node.weight.body, INT, { ...inner, scope }, "a weight") };
        }
        return { kind: "pick", stream, list, ...(weight && { weight }), type: element, ...at };
      }
      case "shuffle": {
        const list = this.check(node.list, inner);
        return { kind: "shuffle", stream, list, type: listOf(this.elementOf(list)), ...at };
      }
    }
  }

  private rollNotAllowed(at: Span, where: Where, what: string): void {
    const place = where.effects === true ? "here" : `in ${where.effects}`;
    this.tables.error(
      "roll-not-allowed",
      at,
      `Nothing is rolled ${place}, so "${what}" cannot stand here.`,
      "Roll in an effect, keep the value with let or in data, and use that.",
    );
  }

  // ---- calls -----------------------------------------------------------------------------------

  private call(node: ExprNode & { kind: "call" }, where: Where): Expr {
    const at = { from: node.from, to: node.to };
    if (node.of.kind === "member") return this.methodCall(node, node.of, where);
    if (node.of.kind !== "name") {
      this.tables.error("wrong-type", node.of, "This cannot be called.");
      return unknownAt(at);
    }
    const { name } = node.of;
    const own = isTaken(name.text) ? undefined : where.scope.find(name.text);
    const builtIn = own ? undefined : this.builtInCall(name, node, where);
    if (builtIn) return builtIn;
    const record = this.tables.types.get(name.text);
    if (record?.kind === "record") {
      const initials = this.tables.recordInitials.get(record.name) ?? [];
      this.tables.names.use(name, this.tables.typeSpans.get(record.name) ?? name);
      const spans = this.tables.fieldSpans.get(record.name) ?? [];
      const parameters: Parameter[] = record.fields.map((f, i) => {
        const initial =
          initials[i] ??
          (this.typing.hasDefault(f.type)
            ? ({ kind: "default", type: f.type, from: at.from, to: at.to } as const)
            : undefined);
        return {
          name: f.name,
          type: f.type,
          slot: i,
          ...(initial && { initial }),
          from: spans[i]?.from ?? at.from,
          to: spans[i]?.to ?? at.to,
        };
      });
      return {
        kind: "record",
        fields: this.arguments(node.args, parameters, where, record.name, at),
        type: record,
        ...at,
      };
    }
    const symbol = where.scope.find(name.text);
    if (symbol?.kind === "function") {
      const signature = this.tables.functions[symbol.id];
      if (!signature) return unknownAt(at);
      this.tables.names.use(name, symbol);
      const args = this.arguments(node.args, signature.parameters, where, name.text, at);
      return { kind: "call", function: symbol.id, args, type: signature.type, ...at };
    }
    if (symbol?.kind === "effect") {
      this.tables.error(
        "wrong-type",
        name,
        `"${name.text}" is an effect; it gives no value.`,
        "Call it as a statement of its own. To compute a value, write a function.",
      );
    } else if (symbol) {
      this.tables.error("wrong-type", name, `"${name.text}" is ${article(symbol)} and cannot be called.`);
    } else {
      const known = [
        ...where.scope.all().filter((n) => where.scope.find(n)?.kind === "function"),
        ...this.tables.types.keys(),
        ...BUILT_IN_FUNCTIONS,
      ];
      this.tables.unknown("unknown-value", name, name.text, known, "function");
    }
    for (const arg of node.args) this.check(arg.value, where);
    return unknownAt(at);
  }

  private builtInCall(name: Name, node: ExprNode & { kind: "call" }, where: Where): Expr | undefined {
    const at = { from: node.from, to: node.to };
    if (isNumberFunction(name.text)) return this.numberFunction(name.text, node, where);
    switch (name.text) {
      case "next":
      case "canAct": {
        if (node.args.length !== 1)
          this.tables.error("wrong-arguments", at, `${name.text} takes one seat.`, `Write ${name.text}(seat).`);
        const arg = node.args[0];
        const seat = arg ? this.expect(arg.value, SEAT, where, `the argument of ${name.text}`) : unknownAt(at);
        return { kind: name.text, seat, type: name.text === "next" ? SEAT : BOOL, ...at };
      }
      case "cell": {
        const parameters: Parameter[] = ["x", "y"].map((n, slot) => ({ name: n, type: INT, slot, ...at }));
        const [x, y] = this.arguments(node.args, parameters, where, "cell", at) as [Expr, Expr];
        return { kind: "cell", x, y, type: CELL, ...at };
      }
      default:
        return undefined;
    }
  }

  private numberFunction(name: NumberFunctionName, node: ExprNode & { kind: "call" }, where: Where): Expr {
    const at = { from: node.from, to: node.to };
    const { count, gives, range }: NumberFunction = NUMBER_FUNCTIONS[name];
    const [least, most] = count;
    const args = node.args.map((arg) => this.number(arg.value, where, `an argument of ${name}`));
    if (args.length < least || args.length > most) {
      const wanted = least === most ? countOf(least, "argument") : `at least ${countOf(least, "argument")}`;
      this.tables.error("wrong-arguments", at, `${name} takes ${wanted}, but gets ${args.length}.`);
      return unknownAt(at);
    }
    const ints = args.map((arg) => arg.type).filter((type) => type.kind === "int");
    if (ints.length < args.length) return { kind: "numeric", name, args, type: gives === "int" ? INT : NUM, ...at };
    const { low, high } = range(...ints);
    return { kind: "numeric", name, args, type: intBetween(low, high), ...at };
  }

  private methodCall(node: ExprNode & { kind: "call" }, callee: ExprNode & { kind: "member" }, where: Where): Expr {
    const at = { from: node.from, to: node.to };
    const method = callee.name.text;
    const of = this.check(callee.of, where);
    const argument = (wanted: Type, what: string): Expr => {
      if (node.args.length !== 1) this.tables.error("wrong-arguments", at, `${method} takes one argument.`);
      const arg = node.args[0];
      return arg ? this.expect(arg.value, wanted, where, what) : unknownAt(at);
    };
    if (of.type.kind === "list" && method === "has")
      return { kind: "listHas", of, value: argument(of.type.of, "what is looked for"), type: BOOL, ...at };
    if (of.type.kind === "map" && method === "has")
      return { kind: "binary", op: "in", left: argument(of.type.key, "the key"), right: of, type: BOOL, ...at };
    if (of.type.kind === "list" && (method === "take" || method === "takeLast")) {
      if (where.effects !== true) {
        this.tables.error(
          "effect-not-allowed",
          at,
          `"${method}" changes the list, and nothing is changed in ${where.effects}.`,
          `To look without taking, use ${method === "take" ? "first" : "last"}.`,
        );
      }
      const target = this.location(callee.of, where);
      if (node.args.length > 0) this.tables.error("wrong-arguments", at, `${method} takes no argument.`);
      return target ? { kind: "take", target, method, type: of.type.of, ...at } : unknownAt(at);
    }
    if (of.type.kind === "grid" && GRID_METHODS.includes(method)) {
      const shapes: Record<string, { parameters: [string, Type][]; type: Type }> = {
        neighbours: { parameters: [["of", CELL]], type: listOf(CELL) },
        distance: {
          parameters: [
            ["from", CELL],
            ["to", CELL],
          ],
          type: NATURAL,
        },
        inside: {
          parameters: [
            ["x", INT],
            ["y", INT],
          ],
          type: BOOL,
        },
        line: {
          parameters: [
            ["from", CELL],
            ["to", CELL],
          ],
          type: listOf(CELL),
        },
        reach: {
          parameters: [
            ["from", CELL],
            ["steps", INT],
          ],
          type: listOf(CELL),
        },
      };
      const shape = shapes[method];
      if (shape) {
        const parameters: Parameter[] = shape.parameters.map(([n, type], slot) => ({ name: n, type, slot, ...at }));
        const args = this.arguments(node.args, parameters, where, method, at);
        return { kind: "gridCall", of, method: method as "neighbours", args, type: shape.type, ...at };
      }
    }
    for (const arg of node.args) this.check(arg.value, where);
    if (of.type.kind === "unknown") return unknownAt(at);
    const known =
      of.type.kind === "list"
        ? LIST_METHODS
        : of.type.kind === "map"
          ? ["has", "remove", "clear"]
          : of.type.kind === "grid"
            ? [...GRID_METHODS, "fill"]
            : [];
    if (known.includes(method))
      this.tables.error(
        "wrong-type",
        callee.name,
        `"${method}" changes the data and gives no value.`,
        "Write it as a statement of its own.",
      );
    else
      this.tables.misspelt(
        "unknown-field",
        callee.name,
        `${capital(withArticle(describe(of.type)))} has nothing called "${method}".`,
        method,
        known,
        "operation",
      );
    return unknownAt(at);
  }

  // ---- complaints ------------------------------------------------------------------------------

  private unknownValue(name: Name, where: Where): void {
    const values = Object.keys(BUILT_IN_VALUES).filter((value) => where.me || (value !== "me" && value !== "others"));
    const known = [...where.scope.all(), ...values];
    // What could not be declared has been told; that it is unknown here only follows.
    if (this.tables.refused.has(name.text)) return;
    const place = this.tables.targets.get(name.text);
    if (place) {
      this.tables.error(
        "unknown-value",
        name,
        `"${name.text}" is a state or an ending, not a value.`,
        `To ask whether the match is there, write "in ${name.text}"; to read its data, "${name.text}.name".`,
      );
    } else {
      this.tables.unknown("unknown-value", name, name.text, known, "value");
    }
  }

  private useField(at: Span, record: string, field: number): void {
    const span = this.tables.fieldSpans.get(record)?.[field];
    if (span) this.tables.names.use(at, span);
  }

  private unknownField(name: Name, type: Type & { kind: "record" }): void {
    this.tables.misspelt(
      "unknown-field",
      name,
      `${type.name} has no field "${name.text}".`,
      name.text,
      type.fields.map((f) => f.name),
      "field",
    );
  }

  private wrongType(at: Span, words: string, help?: string): void {
    this.tables.error("wrong-type", at, words, help);
  }
}

// ---- small helpers -----------------------------------------------------------------------------

function unwrapped(of: Expr, type: Type): Expr {
  return { kind: "unwrap", of, type, from: of.from, to: of.to };
}

export function unknownAt(at: Span): Expr {
  return { kind: "constant", value: null, type: UNKNOWN, from: at.from, to: at.to };
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

function overlaps(a: readonly string[], b: readonly string[]): boolean {
  const shorter = Math.min(a.length, b.length);
  for (let i = 0; i < shorter; i++) if (a[i] !== b[i]) return false;
  return true;
}

function article(symbol: ValueSymbol): string {
  return SYMBOL_WORDS[symbol.kind];
}

function countOf(n: number, noun: string): string {
  return n === 0 ? `no ${noun}s` : n === 1 ? `one ${noun}` : `${n} ${noun}s`;
}

function signatureHelp(what: string, parameters: readonly Parameter[]): string {
  return `It is written ${what}(${parameters.map((p) => `${p.name}: ${describe(p.type)}`).join(", ")}).`;
}

function capital(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}

function withArticle(text: string): string {
  if (["none", "nothing", "something unknown"].includes(text)) return text;
  return /^[aeiou]/i.test(text) ? `an ${text}` : `a ${text}`;
}
