/** Contents of grids, maps and data per seat, written out: rows, and lists with keys. */

import type { Span } from "../language/source.js";
import type { ExprNode } from "../language/syntax.js";
import type { ExpressionParts, Tables, Where } from "./context.js";
import type { Expr } from "./machine.js";
import { unknownAt } from "./typed.js";
import { common, describe, SEAT, type Type, UNKNOWN } from "./types.js";
import type { Typing } from "./typing.js";
import { countOf, withArticle } from "./wording.js";

type Keyed = ExprNode & { readonly kind: "keyed" };

/** Checks what maps, grids and data per seat are filled with. */
export class Contents {
  constructor(
    private readonly tables: Tables,
    private readonly typing: Typing,
    private readonly parts: ExpressionParts,
  ) {}

  /** A list where a grid is wanted: its rows; an empty one where a map is wanted. Undefined for any other list. */
  rows(node: ExprNode & { kind: "list" }, where: Where, wanted: Type | undefined): Expr | undefined {
    const type = wanted?.kind === "maybe" ? wanted.of : wanted;
    const at = { from: node.from, to: node.to };
    if (type?.kind === "map" && node.items.length === 0) return { kind: "filled", keys: [], items: [], type, ...at };
    if (type?.kind !== "grid") return undefined;
    const { width, height } = type;
    const size = `The grid is ${width} by ${height}`;
    if (node.items.length !== height)
      this.tables.wrongType(
        node,
        `${size}, so it has ${countOf(height, "row")}, but ` +
          `here ${node.items.length === 1 ? "is" : "are"} ${countOf(node.items.length, "row")}.`,
        "Write each row as a list: [[a, b], [c, d]].",
      );
    const items = node.items.flatMap((row) => {
      if (row.kind !== "list") {
        this.parts.check(row, where);
        this.tables.wrongType(
          row,
          "A grid is filled row by row, and this is no row.",
          "Write the row as a list: [a, b].",
        );
        return [];
      }
      if (row.items.length !== width)
        this.tables.wrongType(
          row,
          `${size}, so a row has ${countOf(width, "cell")}, but this one has ${countOf(row.items.length, "cell")}.`,
          "Every row of a grid has the same number of cells.",
        );
      return row.items.map((cell) => this.parts.expect(cell, type.of, where, "a cell of the grid"));
    });
    return items.length === width * height ? { kind: "filled", keys: [], items, type, ...at } : unknownAt(at);
  }

  /** A list with keys: the contents of a map, or a value for each seat. */
  keyed(node: Keyed, where: Where, wanted: Type | undefined): Expr {
    const type = wanted?.kind === "maybe" ? wanted.of : wanted;
    if (type?.kind === "perSeat") return this.perSeat(node, where, type);
    if (type && type.kind !== "map" && type.kind !== "unknown") {
      this.tables.wrongType(
        node,
        `Keys belong to a map or to data per seat, and here ${withArticle(describe(type))} is wanted.`,
        type.kind === "list" ? "Leave the keys out: [a, b]." : "Write a value of that type.",
      );
      for (const { value } of node.entries) this.parts.check(value, where);
      return unknownAt(node);
    }
    return this.map(node, where, type?.kind === "map" ? type : undefined);
  }

  private map(node: Keyed, where: Where, wanted: (Type & { kind: "map" }) | undefined): Expr {
    if (node.otherwise)
      this.tables.wrongType(
        node.otherwise,
        "A map has the keys that are written and no others, so there is no else.",
        'Only data "per seat" has a value for every seat.',
      );
    const keys: Expr[] = [];
    const items: Expr[] = [];
    let key: Type = wanted?.key ?? { kind: "nothing" };
    let value: Type = wanted?.value ?? { kind: "nothing" };
    for (const entry of node.entries) {
      const checked = wanted
        ? this.parts.expect(entry.key, wanted.key, where, "a key of the map")
        : this.parts.check(entry.key, where);
      this.once(checked, keys);
      keys.push(checked);
      items.push(
        wanted
          ? this.parts.expect(entry.value, wanted.value, where, "a value of the map")
          : this.parts.check(entry.value, where),
      );
      key = common(key, checked.type) ?? UNKNOWN;
      value = common(value, (items.at(-1) as Expr).type) ?? UNKNOWN;
    }
    const type: Type = wanted ?? { kind: "map", key, value };
    return { kind: "filled", keys, items, type, from: node.from, to: node.to };
  }

  /** Reports a key that is no constant, or that stands there twice. */
  private once(key: Expr, before: readonly Expr[]): void {
    if (key.type.kind === "unknown") return;
    if (key.kind !== "constant" && key.kind !== "named" && key.kind !== "cell") {
      this.tables.wrongType(
        key,
        `A key is a constant, and "${this.tables.written(key)}" is worked out.`,
        "Set such an entry in an effect: map[key] = value.",
      );
      return;
    }
    const written = this.tables.written(key);
    const first = before.find((other) =>
      key.kind === "constant" && other.kind === "constant"
        ? key.value === other.value
        : this.tables.written(other) === written,
    );
    if (first)
      this.tables.error("duplicate-name", key, `The key ${written} stands here twice.`, "Leave one of them out.", {
        from: first.from,
        to: first.to,
        words: "The first one stands here.",
      });
  }

  private perSeat(node: Keyed, where: Where, type: Type & { kind: "perSeat" }): Expr {
    const at = { from: node.from, to: node.to };
    const { seatNames } = this.tables;
    const given: (Expr | undefined)[] = seatNames.map(() => undefined);
    const keys: Expr[] = [];
    for (const entry of node.entries) {
      const key = this.parts.expect(entry.key, SEAT, where, "a key of data per seat");
      const value = this.parts.expect(entry.value, type.of, where, `the value for ${this.tables.written(entry.key)}`);
      this.once(key, keys);
      keys.push(key);
      if (key.kind === "constant" && typeof key.value === "number") given[key.value] = value;
    }
    const rest = node.otherwise && this.parts.expect(node.otherwise, type.of, where, "the value for the others");
    const missing = seatNames.filter((_, seat) => !given[seat]);
    if (missing.length > 0 && !rest && !this.typing.hasDefault(type.of)) this.needsElse(node, missing, type.of);
    const items = given.map((value) => value ?? rest ?? this.byDefault(type.of, at));
    return { kind: "filled", keys: [], items, type, ...at };
  }

  private needsElse(at: Span, missing: readonly string[], type: Type): void {
    this.tables.error(
      "no-default",
      at,
      `There is no value for ${missing.join(", ")}: ${withArticle(describe(type))} has no default.`,
      "Give one, or write else: VALUE for all that are not named.",
    );
  }

  private byDefault(type: Type, at: Span): Expr {
    return { kind: "default", type, from: at.from, to: at.to };
  }
}
