/** Types, and the bounds of whole numbers, texts, lists and grids. */

import type { Bound, Name, TypeNode } from "../syntax.js";
import { type Cursor, SyntaxFailure } from "./cursor.js";

/** Reads types at the cursor. */
export class Types {
  constructor(private readonly cursor: Cursor) {}

  type(): TypeNode {
    return this.cursor.nested(() => {
      const from = this.cursor.token.from;
      const optional = this.optional();
      if (optional) return optional;
      let node = this.plainType();
      const isSized = this.cursor.nextToken.kind === "int" && this.cursor.ahead(2).text === "]";
      if (this.cursor.is("[") && this.cursor.token.touching && (isSized || this.cursor.nextIs("]"))) {
        const open = this.cursor.take();
        if (isSized) this.cursor.take();
        const { to } = this.cursor.take();
        this.cursor.foreign({ from: open.from, to }, "A list's type is written in words.", "Write: list of TYPE.");
        node = { kind: "list", of: node, ...this.cursor.span(from) };
      }
      if (this.cursor.accept("?") || this.orNone()) node = { kind: "maybe", of: node, ...this.cursor.span(from) };
      return node;
    });
  }

  /** `maybe seat`, `optional seat`, `Option<seat>`. */
  private optional(): TypeNode | undefined {
    const { token, nextToken } = this.cursor;
    const isNamed = /^(maybe|optional|option|nullable)$/i.test(token.text) && !nextToken.leads;
    if (!isNamed || !(nextToken.text === "<" || this.cursor.isName(nextToken))) return undefined;
    this.cursor.take();
    const isBracketed = this.cursor.accept("<");
    if (!isBracketed) this.cursor.accept("of");
    const inner = this.cursor.token.from;
    const of = this.type();
    const { to } = this.cursor.lastToken;
    if (isBracketed) this.cursor.expect(">", "to close the type");
    const span = this.cursor.span(token.from);
    const text = this.cursor.written({ from: inner, to });
    const written = /^\w+$/.test(text) ? `${text}?` : `(${text})?`;
    this.cursor.foreign(span, "A type that may hold none ends with a question mark.", `Write: ${written}`, {
      title: 'Write "?"',
      edits: [{ ...span, text: written }],
    });
    return { kind: "maybe", of, ...span };
  }

  /** `seat or none`. */
  private orNone(): boolean {
    const { lastToken, token } = this.cursor;
    if (!this.cursor.is("or") || !this.cursor.nextIs("none")) return false;
    this.cursor.take();
    const { to } = this.cursor.take();
    this.cursor.foreign(
      { from: token.from, to },
      "A type that may hold none ends with a question mark.",
      "Write: TYPE?",
      {
        title: 'Write "?"',
        edits: [{ from: lastToken.to, to, text: "?" }],
      },
    );
    return true;
  }

  private plainType(): TypeNode {
    const from = this.cursor.token.from;
    if (this.cursor.accept("(")) {
      const inner = this.type();
      this.cursor.expect(")", "to close the type");
      return inner;
    }
    if (this.cursor.token.kind === "int" && this.cursor.nextIs("..")) {
      this.cursor.foreign(
        { from, to: this.cursor.token.to },
        'Whole numbers of a range say "int".',
        "Write: int 0..9",
        {
          title: 'Write "int"',
          edits: [{ from, to: from, text: "int " }],
        },
      );
      return this.boundedInt(from);
    }
    const name = this.named("a type");
    switch (name.text) {
      case "int":
        if ((this.cursor.is("(") || this.cursor.is("[")) && this.cursor.token.touching && !this.cursor.nextIs("]"))
          return this.parenthesised(from);
        if (!this.startsBound()) return { kind: "int", ...this.cursor.span(from) };
        return this.boundedInt(from);
      case "text":
        if (!this.cursor.accept("max")) return { kind: "text", ...this.cursor.span(from) };
        return { kind: "text", max: this.bound(), ...this.cursor.span(from) };
      case "list": {
        if (this.cursor.is("<")) return this.angled(from);
        const max = this.cursor.accept("max") ? this.bound() : undefined;
        this.cursor.expect("of", 'after "list"', "Write: list of TYPE");
        const of = this.type();
        return { kind: "list", ...(max && { max }), of, ...this.cursor.span(from) };
      }
      case "map": {
        this.cursor.expect("of", 'after "map"', "Write: map of KEY to VALUE");
        const key = this.type();
        this.cursor.expect("to", "between a map's key and value types", "Write: map of KEY to VALUE");
        const value = this.type();
        return { kind: "map", key, value, ...this.cursor.span(from) };
      }
      case "grid": {
        if (this.cursor.is("[") || this.cursor.is("(") || this.cursor.is("of")) this.unsized();
        const width = this.bound();
        this.cursor.expect("by", "between a grid's width and height");
        const height = this.bound();
        this.cursor.expect("of", "before the type of a grid's cells");
        const of = this.type();
        return { kind: "grid", width, height, of, ...this.cursor.span(from) };
      }
      default:
        return { kind: "named", name, ...this.cursor.span(from) };
    }
  }

  /** `grid[3][3] of int`, `grid(3, 3)`, or one without its size. */
  private unsized(): never {
    const { from, to } = this.cursor.lastToken;
    const numbers: number[] = [];
    while (
      !this.cursor.token.leads &&
      ["[", "]", "(", ")", ","].some((sign) => this.cursor.is(sign) || this.cursor.nextIs(sign))
    ) {
      const { kind, value } = this.cursor.take();
      if (kind === "int") numbers.push(value);
    }
    const [width = 3, height = width] = numbers;
    const help = `Write: grid ${width} by ${height} of TYPE`;
    this.cursor.messages.error("syntax", { from, to }, "A grid says how wide and how high it is.", help);
    throw new SyntaxFailure("grid");
  }

  /** `list<int>` of other languages. */
  private angled(from: number): TypeNode {
    this.cursor.foreign(this.cursor.take(), "A list's type is written in words.", "Write: list of TYPE.");
    const of = this.type();
    this.cursor.accept(">");
    return { kind: "list", of, ...this.cursor.span(from) };
  }

  /** `int(0..9)`, `int[0..9]`. */
  private parenthesised(from: number): TypeNode {
    const open = this.cursor.take();
    const type = this.boundedInt(from);
    const { from: close, to } = this.cursor.expect(open.text === "(" ? ")" : "]", "behind the bounds of an int");
    this.cursor.foreign({ from: open.from, to: open.to }, "Bounds stand without brackets.", "Write: int 0..9", {
      title: "Remove the brackets",
      edits: [
        { from: open.from, to: open.to, text: " " },
        { from: close, to, text: "" },
      ],
    });
    return type;
  }

  /** After `int`, a bound follows only if `..` comes behind it: `f(x: int) needs` must not read on. */
  private startsBound(): boolean {
    return (
      this.cursor.is("-") || this.cursor.token.kind === "int" || (this.cursor.isName() && this.cursor.nextIs(".."))
    );
  }

  private boundedInt(from: number): TypeNode {
    const low = this.bound();
    const isWord = (this.cursor.is("to") || this.cursor.is(",")) && this.cursor.nextToken.kind === "int";
    if (isWord || this.cursor.is("-")) this.cursor.takeForeign('Bounds stand with ".." between them.', "..");
    else this.cursor.expect("..", "between the bounds of an int", "Write: int 0..9");
    const high = this.bound();
    return { kind: "int", low, high, ...this.cursor.span(from) };
  }

  /** A name in a type; what begins the next line may be the next field, and no part of this one's type. */
  private named(what: string): Name {
    const { token } = this.cursor;
    if (token.leads && (this.cursor.nextIs(":") || this.cursor.nextIs("per"))) this.cursor.expected(what);
    return this.cursor.name(what);
  }

  private bound(): Bound {
    const from = this.cursor.token.from;
    const negative = this.cursor.accept("-");
    if (this.cursor.token.kind === "int") {
      const { value } = this.cursor.take();
      return { kind: "number", value: negative ? -value : value, ...this.cursor.span(from) };
    }
    if (negative) this.cursor.expected('a whole number after "-"');
    const name = this.named("a whole number or the name of a constant");
    this.refuseData(name);
    return { kind: "constant", name, ...this.cursor.span(from) };
  }

  /** Bounds that go with data, as in `1..purse[me]`: what they are made of is passed over. */
  private refuseData({ text, from }: Name): void {
    const { cursor } = this;
    const follows = (): boolean =>
      (cursor.token.touching && ["[", "(", "."].some((sign) => cursor.is(sign))) ||
      (!cursor.token.leads && ["+", "-", "*"].some((sign) => cursor.is(sign)));
    if (!follows()) return;
    for (let depth = 0; cursor.token.kind !== "end"; cursor.take()) {
      if (depth === 0 && ["=", ",", ")", "}", "where", "else"].some((sign) => cursor.is(sign))) break;
      if (depth === 0 && cursor.token.leads) break;
      if (["[", "("].some((sign) => cursor.is(sign))) depth++;
      if (["]", ")"].some((sign) => cursor.is(sign))) depth--;
    }
    cursor.messages.error(
      "syntax",
      { from, to: cursor.lastToken.to },
      "The bounds of a type are whole numbers or constants: they do not change with the data.",
      `Give it the widest bounds; for an argument, say the rest by a condition: (n: int 1..9 where n <= ` +
        `${cursor.written({ from, to: cursor.lastToken.to })}).`,
    );
    throw new SyntaxFailure(text);
  }
}
