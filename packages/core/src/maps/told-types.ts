/**
 * The types of what rows tell. A log says nothing of types: what is told in an expression is of the type that its place
 * asks for, such as the other side of a comparison, an index or an argument.
 */

import type { Checked } from "../check/check.js";
import type { Where } from "../check/context.js";
import { Scope } from "../check/scope.js";
import { BOOL, CELL, describe, INT, listOf, NUM, SEAT, TEXT, type Type, UNKNOWN } from "../check/types.js";
import type { Span } from "../language/source.js";
import type { ExprNode, Name } from "../language/syntax.js";
import type { ParsedMap } from "./parse.js";
import type { ToldNode } from "./syntax.js";
import type { Told, ToldTable } from "./typed.js";

export class ToldTypes {
  constructor(
    private readonly parsed: ParsedMap,
    private readonly checked: Checked,
  ) {}

  /** Gives what is told in an expression its type, which follows from where it stands, and a place. */
  bind(node: ExprNode, wanted: Type | undefined, where: Where, told: Told[]): void {
    const { parsed } = this;
    const inside = (part: ExprNode, type?: Type): void => this.bind(part, type, where, told);
    /** Two that are of one type: the one without anything told says which. */
    const alike = (left: ExprNode, right: ExprNode, otherwise: Type | undefined): void => {
      const [first, second] = this.isTold(left) ? [right, left] : [left, right];
      inside(first, otherwise);
      // Where both are told, or the other side is a mistake, one message is enough.
      inside(second, this.isTold(first) ? (otherwise ?? UNKNOWN) : widened(this.typeOf(first, where)));
    };
    switch (node.kind) {
      case "name": {
        const found = parsed.told.get(node.name.text);
        if (found) this.declare(found, node.name, wanted, where, told);
        return;
      }
      case "member":
        inside(node.of);
        return;
      case "index": {
        inside(node.of);
        inside(node.key, this.isTold(node.key) ? keyOf(this.typeOf(node.of, where)) : undefined);
        return;
      }
      case "unary":
        inside(node.of, node.op === "not" ? BOOL : (wanted ?? INT));
        return;
      case "binary":
        switch (node.op) {
          case "and":
          case "or":
          case "implies":
            inside(node.left, BOOL);
            inside(node.right, BOOL);
            return;
          case "in": {
            if (this.isTold(node.right)) {
              inside(node.left);
              inside(node.right, listOf(widened(this.typeOf(node.left, where))));
              return;
            }
            const list = this.typeOf(node.right, where);
            inside(node.left, list.kind === "list" ? list.of : list.kind === "map" ? list.key : undefined);
            return;
          }
          case "==":
          case "!=":
            alike(node.left, node.right, undefined);
            return;
          case "<":
          case "<=":
          case ">":
          case ">=":
            alike(node.left, node.right, NUM);
            return;
          case "..":
            inside(node.left, INT);
            inside(node.right, INT);
            return;
          default:
            alike(node.left, node.right, wanted ?? INT);
            return;
        }
      case "if":
        inside(node.test, BOOL);
        inside(node.then, wanted);
        inside(node.otherwise, wanted);
        return;
      case "list":
        for (const item of node.items) inside(item, wanted?.kind === "list" ? wanted.of : undefined);
        return;
      case "call": {
        const signature =
          node.of.kind === "name"
            ? this.checked.tables.functions.find(({ name }) => node.of.kind === "name" && name === node.of.name.text)
            : undefined;
        if (node.of.kind === "member") inside(node.of.of);
        const builtIn = node.of.kind === "name" ? TAKEN_BY.get(node.of.name.text) : undefined;
        const element = node.of.kind === "member" ? this.typeOf(node.of.of, where) : undefined;
        for (const [i, { label, value }] of node.args.entries()) {
          const parameter = label
            ? signature?.parameters.find(({ name }) => name === label.text)
            : signature?.parameters[i];
          inside(
            value,
            parameter ? widened(parameter.type) : element && "of" in element ? element.of : (builtIn ?? wanted ?? INT),
          );
        }
        return;
      }
      case "binder": {
        inside(node.source);
        const source = this.isTold(node.source) ? UNKNOWN : this.typeOf(node.source, where);
        const inner: Where = { ...where, scope: new Scope(where.scope) };
        const of = source.kind === "list" ? source.of : source.kind === "map" ? source.key : UNKNOWN;
        const slot = this.checked.tables.newLocal();
        inner.scope.add(node.variable.text, {
          kind: "local",
          slot,
          type: of,
          writable: false,
          ...spanOf(node.variable),
        });
        // What is told is bound outside: it is the same for every element.
        if (node.where) this.bindInside(node.where, BOOL, inner, where, told);
        if (node.body)
          this.bindInside(node.body, node.word === "any" || node.word === "all" ? BOOL : NUM, inner, where, told);
        return;
      }
      case "text":
        for (const part of node.parts) if (typeof part !== "string") inside(part, TEXT);
        return;
      default:
    }
  }

  private bindInside(node: ExprNode, wanted: Type, inner: Where, outer: Where, told: Told[]): void {
    const before = told.length;
    this.bind(node, wanted, inner, told);
    for (const { node, slot, type } of told.slice(before)) {
      const name = nameOf(node, this.parsed.told);
      outer.scope.add(name, { kind: "local", slot, type, writable: false, from: node.from, to: node.to });
    }
  }

  private declare(node: ToldNode, name: Name, wanted: Type | undefined, { scope }: Where, told: Told[]): void {
    if (scope.find(name.text)) return;
    const { tables } = this.checked;
    const type = wanted ?? this.typeInTable(node) ?? UNKNOWN;
    if (type === UNKNOWN && wanted === undefined)
      tables.error(
        "wrong-type",
        name,
        `What ${name.text} stands for cannot be told from where it stands.`,
        "Compare it with data of the machine, or with a value.",
      );
    const slot = tables.newLocal();
    scope.add(name.text, { kind: "local", slot, type, writable: false, from: name.from, to: name.to });
    const table = node.table && this.table(node.table, type, this.typeInTable(node));
    told.push({ node, slot, type, ...(table && { table }) });
  }

  /** What a table makes of what is told says what it is where nothing else does. */
  private typeInTable({ table }: ToldNode): Type | undefined {
    const found = table && this.parsed.map.tables.find(({ name }) => name.text === table.text);
    const [first] = found?.entries ?? [];
    if (!first) return undefined;
    return widened(this.typeOf(first.value, { scope: this.checked.tables.global, effects: "a mapping", me: false }));
  }

  /** @param inTable the type of its first value: the table is of what of that type is in what is told */
  private table(name: Name, type: Type, inTable: Type | undefined): ToldTable | undefined {
    const found = this.parsed.map.tables.find((table) => table.name.text === name.text);
    if (!found) {
      this.checked.tables.unknown(
        "unknown-value",
        name,
        name.text,
        this.parsed.map.tables.map((table) => table.name.text),
        "table",
      );
      return undefined;
    }
    const where: Where = { scope: this.checked.tables.global, effects: "a mapping", me: false };
    const of = (inTable && insideOf(type, inTable)) ?? type;
    const values = new Map(
      found.entries.map(({ told, value }) => [
        told,
        this.checked.expressions.expect(value, of, where, `a value of ${name.text}`),
      ]),
    );
    return { of, values };
  }

  private typeOf(node: ExprNode, where: Where): Type {
    return this.checked.expressions.check(node, where).type;
  }

  /** Whether something of what a row tells stands in an expression. */
  private isTold(node: ExprNode): boolean {
    switch (node.kind) {
      case "name":
        return this.parsed.told.has(node.name.text);
      case "member":
        return this.isTold(node.of);
      case "index":
        return this.isTold(node.of);
      case "unary":
        return this.isTold(node.of);
      case "binary":
        return this.isTold(node.left) || this.isTold(node.right);
      case "if":
        return this.isTold(node.then) || this.isTold(node.otherwise);
      case "list":
        return node.items.some((item) => this.isTold(item));
      default:
        return false;
    }
  }
}

/** What is of another type in the elements, values and boards of a type: itself, where it is one. */
function insideOf(type: Type, wanted: Type): Type | undefined {
  if (describe(widened(type)) === describe(wanted)) return type;
  switch (type.kind) {
    case "list":
    case "maybe":
    case "perSeat":
    case "grid":
      return insideOf(type.of, wanted);
    case "map":
      return insideOf(type.value, wanted);
    default:
      return undefined;
  }
}

/** The type without its bounds: what a log tells is compared, and need not keep them. */
export function widened(type: Type): Type {
  return type.kind === "int" ? INT : type.kind === "maybe" ? { kind: "maybe", of: widened(type.of) } : type;
}

/** What functions of the language take that do not give what they take. */
const TAKEN_BY: ReadonlyMap<string, Type> = new Map([
  ["next", SEAT],
  ["canAct", SEAT],
  ["cell", INT],
  ["floor", NUM],
  ["ceil", NUM],
  ["nearest", NUM],
]);

/** What stands between the brackets of an index. */
function keyOf(of: Type): Type | undefined {
  switch (of.kind) {
    case "perSeat":
      return SEAT;
    case "map":
      return of.key;
    case "list":
      return INT;
    case "grid":
      return CELL;
    default:
      return undefined;
  }
}

function spanOf({ from, to }: Span): Span {
  return { from, to };
}

function nameOf(node: ToldNode, told: ReadonlyMap<string, ToldNode>): string {
  for (const [name, each] of told) if (each === node) return name;
  return "";
}
