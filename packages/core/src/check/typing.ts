/** Type nodes to types; constant bounds; which types have a value without being given one. */

import { FOREIGN_COLLECTIONS, FOREIGN_TYPES } from "../language/foreign.js";
import type { Span } from "../language/source.js";
import type { Bound, ExprNode, FieldNode, TypeNode } from "../language/syntax.js";
import type { Tables } from "./context.js";
import { BOOL, CELL, describe, INT, intBetween, NUM, SEAT, TEXT, type Type, UNKNOWN } from "./types.js";

const PLAIN: Readonly<Record<string, Type>> = { bool: BOOL, num: NUM, seat: SEAT, cell: CELL };
const BUILT_IN_TYPES = ["bool", "int", "num", "text", "seat", "cell", "list", "map", "grid"];

/** The limits of what one value may hold, so that a small text cannot ask for a huge situation. */
const MAX_GRID_SIDE = 1000;
const MAX_GRID_CELLS = 250_000;

export class Typing {
  /** Constants whose value is a whole number, as far as they are known. */
  private readonly wholeConstants = new Map<string, ExprNode>();

  /** The constants that bounds use. */
  readonly boundConstants = new Set<string>();

  constructor(private readonly tables: Tables) {}

  addConstant(name: string, value: ExprNode): void {
    this.wholeConstants.set(name, value);
  }

  type(node: TypeNode): Type {
    switch (node.kind) {
      case "named":
        return this.named(node.name.text, node.name);
      case "int": {
        if (!node.low || !node.high) return INT;
        const low = this.bound(node.low);
        const high = this.bound(node.high);
        if (low > high)
          this.tables.error(
            "empty-range",
            node,
            `The bounds ${low}..${high} leave no value.`,
            "The lower bound comes first.",
          );
        return intBetween(Math.min(low, high), Math.max(low, high));
      }
      case "text":
        return node.max ? { kind: "text", max: this.bound(node.max) } : TEXT;
      case "list": {
        const of = this.type(node.of);
        return node.max ? { kind: "list", of, max: this.bound(node.max) } : { kind: "list", of };
      }
      case "map": {
        const key = this.type(node.key);
        if (!["int", "text", "seat", "enum", "bool", "cell", "unknown"].includes(key.kind)) {
          this.tables.error(
            "wrong-type",
            node.key,
            `A map's key cannot be a ${describe(key)}.`,
            "Keys are int, text, seat, cell, bool or an enumeration.",
          );
        }
        return { kind: "map", key, value: this.type(node.value) };
      }
      case "grid": {
        const width = this.bound(node.width);
        const height = this.bound(node.height);
        if (
          width < 1 ||
          height < 1 ||
          width > MAX_GRID_SIDE ||
          height > MAX_GRID_SIDE ||
          width * height > MAX_GRID_CELLS
        ) {
          this.tables.error(
            "too-large",
            node,
            `A grid of ${width} by ${height} is not possible.`,
            `Sides go from 1 to ${MAX_GRID_SIDE}, with at most ${MAX_GRID_CELLS} cells.`,
          );
          return UNKNOWN;
        }
        return { kind: "grid", width, height, of: this.type(node.of) };
      }
      case "maybe":
        return { kind: "maybe", of: this.type(node.of) };
    }
  }

  /** The type of a field of data; `per seat` makes one value for each seat. */
  fieldType(node: FieldNode): Type {
    const plain = this.type(node.type);
    return node.perSeat ? { kind: "perSeat", of: plain } : plain;
  }

  private named(text: string, at: Span): Type {
    const plain = Object.hasOwn(PLAIN, text) ? PLAIN[text] : undefined;
    const declared = plain ?? this.tables.types.get(text);
    const span = plain ? undefined : this.tables.typeSpans.get(text);
    if (span) this.tables.names.use(at, span);
    if (declared) return declared;
    const ours = Object.hasOwn(FOREIGN_TYPES, text) ? FOREIGN_TYPES[text] : undefined;
    if (ours !== undefined) {
      this.tables.error(
        "other-language",
        at,
        `There is no type "${text}": it is called "${ours}".`,
        `Write "${ours}".`,
      );
      return PLAIN[ours] ?? UNKNOWN;
    }
    const collection = Object.hasOwn(FOREIGN_COLLECTIONS, text) ? FOREIGN_COLLECTIONS[text] : undefined;
    if (collection !== undefined) {
      this.tables.error("other-language", at, `There is no type "${text}".`, `Write: ${collection}.`);
      return UNKNOWN;
    }
    this.tables.unknown("unknown-type", at, text, [...BUILT_IN_TYPES, ...this.tables.types.keys()], "type");
    return UNKNOWN;
  }

  private bound(bound: Bound): number {
    if (bound.kind === "number") return bound.value;
    const value = this.wholeConstants.get(bound.name.text);
    if (!value) {
      this.tables.unknown("unknown-value", bound.name, bound.name.text, this.wholeConstants.keys(), "constant");
      return 0;
    }
    this.boundConstants.add(bound.name.text);
    const symbol = this.tables.global.find(bound.name.text);
    if (symbol) this.tables.names.use(bound.name, symbol);
    const folded = this.fold(value, 0);
    if (folded === undefined) {
      this.tables.error(
        "wrong-type",
        bound,
        `The bound "${bound.name.text}" is not a plain whole number.`,
        "Bounds are whole numbers, or constants made of them with + - *.",
      );
      return 0;
    }
    return folded;
  }

  private fold(node: ExprNode, depth: number): number | undefined {
    if (depth > 50) return undefined;
    if (node.kind === "number") return node.whole ? node.value : undefined;
    if (node.kind === "name") {
      const value = this.wholeConstants.get(node.name.text);
      return value && this.fold(value, depth + 1);
    }
    if (node.kind === "unary" && node.op === "-") {
      const of = this.fold(node.of, depth + 1);
      return of === undefined ? undefined : -of;
    }
    if (node.kind !== "binary") return undefined;
    const left = this.fold(node.left, depth + 1);
    const right = this.fold(node.right, depth + 1);
    if (left === undefined || right === undefined) return undefined;
    if (node.op === "+") return left + right;
    if (node.op === "-") return left - right;
    return node.op === "*" ? left * right : undefined;
  }

  /** True when data of this type has a value without being given one. */
  hasDefault(type: Type, known = new Map<Type, boolean>()): boolean {
    const before = known.get(type);
    if (before !== undefined) return before;
    // Where it comes back to itself it decides nothing; that it may not is told elsewhere.
    known.set(type, true);
    const has = this.defaultIn(type, known);
    known.set(type, has);
    return has;
  }

  private defaultIn(type: Type, known: Map<Type, boolean>): boolean {
    switch (type.kind) {
      case "seat":
      case "cell":
        return false;
      case "record": {
        const initials = this.tables.recordInitials.get(type.name) ?? [];
        return type.fields.every((field, i) => initials[i] !== undefined || this.hasDefault(field.type, known));
      }
      case "perSeat":
      case "grid":
        return this.hasDefault(type.of, known);
      default:
        return true;
    }
  }
}
