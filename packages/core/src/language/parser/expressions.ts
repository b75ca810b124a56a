/**
 * Expressions and types. Precedence, loosest first: if, implies, or, and, not, comparison, `..`, sum, product, sign,
 * postfix.
 */

import type { Span } from "../source.js";
import {
  type ArgumentNode,
  BINDER_WORDS,
  type BinaryOperator,
  type BinderWord,
  type Bound,
  type ExprNode,
  type Name,
  type ReferenceNode,
  type TextPart,
  type Ties,
  type TypeNode,
} from "../syntax.js";
import { Cursor, SyntaxFailure } from "./cursor.js";

const BINDERS: ReadonlySet<string> = new Set(BINDER_WORDS);
const COMPARISONS: ReadonlySet<string> = new Set(["==", "!=", "<", "<=", ">", ">=", "in"]);
const ROLLS: ReadonlySet<string> = new Set(["roll", "chance", "pick", "shuffle"]);

export class ExpressionParser extends Cursor {
  expression(): ExprNode {
    return this.nested(() => (this.is("if") ? this.ifExpression() : this.implication()));
  }

  private ifExpression(): ExprNode {
    const from = this.take().from;
    const test = this.expression();
    this.expect("then", "after the condition of an if expression");
    const then = this.expression();
    this.expect("else", "in an if expression, which always has both values");
    const otherwise = this.expression();
    return { kind: "if", test, then, otherwise, ...this.span(from) };
  }

  private implication(): ExprNode {
    const left = this.disjunction();
    if (!this.is("implies")) return left;
    this.take();
    const right = this.nested(() => (this.is("if") ? this.ifExpression() : this.implication()));
    return { kind: "binary", op: "implies", left, right, ...this.span(left.from) };
  }

  private disjunction(): ExprNode {
    return this.leftAssociative(["or"], () => this.conjunction());
  }

  private conjunction(): ExprNode {
    return this.leftAssociative(["and"], () => this.negation());
  }

  private negation(): ExprNode {
    if (!this.is("not")) return this.comparison();
    const from = this.take().from;
    const of = this.nested(() => this.negation());
    return { kind: "unary", op: "not", of, ...this.span(from) };
  }

  private comparison(): ExprNode {
    const left = this.range();
    if (this.is("="))
      this.fail("syntax", 'A single "=" sets a value; to compare, write "==".', undefined, {
        title: 'Write "=="',
        edits: [{ from: this.token.from, to: this.token.to, text: "==" }],
      });
    if (!COMPARISONS.has(this.token.text) || this.token.kind === "text") return left;
    const op = this.take().text as BinaryOperator;
    const right = this.range();
    if (COMPARISONS.has(this.token.text) && !this.is("in"))
      this.fail("syntax", "Comparisons do not chain.", 'Write "a < b and b < c".');
    return { kind: "binary", op, left, right, ...this.span(left.from) };
  }

  private range(): ExprNode {
    const left = this.sum();
    if (!this.accept("..")) return left;
    const right = this.sum();
    return { kind: "binary", op: "..", left, right, ...this.span(left.from) };
  }

  private sum(): ExprNode {
    return this.leftAssociative(["+", "-"], () => this.product());
  }

  private product(): ExprNode {
    return this.leftAssociative(["*", "/", "mod"], () => this.sign());
  }

  private leftAssociative(ops: readonly string[], operand: () => ExprNode): ExprNode {
    let left = operand();
    while (ops.some((op) => this.is(op))) {
      const op = this.take().text as BinaryOperator;
      const right = operand();
      left = { kind: "binary", op, left, right, ...this.span(left.from) };
    }
    return left;
  }

  private sign(): ExprNode {
    if (!this.is("-")) return this.postfix();
    const from = this.take().from;
    const of = this.nested(() => this.sign());
    if (of.kind === "number") return { ...of, value: -of.value, ...this.span(from) };
    return { kind: "unary", op: "-", of, ...this.span(from) };
  }

  private postfix(): ExprNode {
    let of = this.primary();
    for (;;) {
      if (this.is(".") && this.nextToken.kind === "word") {
        this.take();
        const token = this.take();
        of = { kind: "member", of, name: { text: token.text, from: token.from, to: token.to }, ...this.span(of.from) };
      } else if (this.is(".")) {
        this.take();
        this.fail("syntax", `Expected the name of a field after ".", but found ${this.found()}.`);
      } else if (this.is("[") && this.token.touching) {
        this.take();
        const key = this.expression();
        this.expect("]", "after an index");
        of = { kind: "index", of, key, ...this.span(of.from) };
      } else if (this.is("(") && this.token.touching && (of.kind === "name" || of.kind === "member")) {
        of = this.call(of);
      } else {
        return of;
      }
    }
  }

  private call(of: ExprNode & { kind: "name" | "member" }): ExprNode {
    if (ROLLS.has(of.name.text) && (of.kind === "name" || of.of.kind === "name")) return this.roll(of);
    if (of.kind === "name" && BINDERS.has(of.name.text)) return this.binder(of.name);
    const args = this.arguments();
    return { kind: "call", of, args, ...this.span(of.from) };
  }

  /** `( [label:] expression, ... )` */
  protected arguments(): ArgumentNode[] {
    this.expect("(", "before arguments");
    return this.list(")", "the arguments", () => {
      const from = this.token.from;
      // A word of the language is no name, but where it is declared as one that has been told.
      if (this.token.kind === "word" && this.nextIs(":")) {
        const { text, from: start, to } = this.take();
        const label: Name = { text, from: start, to };
        this.take();
        const value = this.expression();
        return { label, value, ...this.span(from) };
      }
      const value = this.expression();
      return { value, ...this.span(from) };
    });
  }

  private binder(word: Name): ExprNode {
    this.expect("(", `after ${word.text}`);
    const variable = this.name(`a name for each element, as in ${word.text}(x in list: ...)`);
    this.expect("in", `in ${word.text}(x in list: ...)`);
    const source = this.expression();
    const where = this.accept("where") ? this.expression() : undefined;
    const body = this.accept(":") ? this.expression() : undefined;
    let ties: Ties | undefined;
    if (this.accept("ties")) {
      if (!this.is("inOrder") && !this.is("byLot"))
        this.fail("syntax", `Expected "inOrder" or "byLot" after "ties", but found ${this.found()}.`);
      ties = this.take().text as Ties;
    }
    this.expect(")", `to close ${word.text}(...)`);
    return {
      kind: "binder",
      word: word.text as BinderWord,
      variable,
      source,
      ...(where && { where }),
      ...(body && { body }),
      ...(ties && { ties }),
      ...this.span(word.from),
    };
  }

  private roll(of: ExprNode & { kind: "name" | "member" }): ExprNode {
    const stream = of.kind === "member" && of.of.kind === "name" ? { stream: of.of.name } : {};
    this.expect("(", `after ${of.name.text}`);
    const first = of.name.text === "chance" ? this.sum() : this.expression();
    switch (of.name.text) {
      case "roll": {
        if (this.accept("of")) {
          const range = this.expression();
          this.expect(")", "to close roll(...)");
          return { kind: "roll", ...stream, times: first, range, ...this.span(of.from) };
        }
        this.expect(")", "to close roll(...)");
        return { kind: "roll", ...stream, range: first, ...this.span(of.from) };
      }
      case "chance": {
        if (this.accept("%")) {
          this.expect(")", "to close chance(...)");
          return { kind: "chance", ...stream, part: first, ...this.span(of.from) };
        }
        if (!this.is("in"))
          this.fail("syntax", "A chance says what it is out of.", "Write chance(35%) or chance(1 in 5).");
        this.take();
        const whole = this.sum();
        this.expect(")", "to close chance(...)");
        return { kind: "chance", ...stream, part: first, whole, ...this.span(of.from) };
      }
      case "pick": {
        let weight: { variable: Name; body: ExprNode } | undefined;
        if (this.accept("weighted")) {
          this.expect("by", 'after "weighted"');
          const variable = this.name("a name for each element");
          this.expect(":", "before the weight");
          weight = { variable, body: this.expression() };
        }
        this.expect(")", "to close pick(...)");
        return { kind: "pick", ...stream, list: first, ...(weight && { weight }), ...this.span(of.from) };
      }
      default:
        this.expect(")", "to close shuffle(...)");
        return { kind: "shuffle", ...stream, list: first, ...this.span(of.from) };
    }
  }

  private primary(): ExprNode {
    const token = this.token;
    const { from, to } = token;
    switch (token.kind) {
      case "int":
      case "num":
        this.take();
        return { kind: "number", value: token.value, whole: token.kind === "int", from, to };
      case "duration":
        this.take();
        return { kind: "duration", value: token.value, from, to };
      case "text":
        return this.text();
      case "word":
        if (token.text === "true" || token.text === "false") {
          this.take();
          return { kind: "bool", value: token.text === "true", from, to };
        }
        if (this.accept("none")) return { kind: "none", from, to };
        if (token.text === "in") {
          this.take();
          const state = this.name('the name of a state after "in"');
          return { kind: "inState", state, ...this.span(from) };
        }
        if (this.isName()) return { kind: "name", name: this.name("a value"), from, to };
        break;
      case "mark":
        if (this.accept("(")) {
          const inner = this.expression();
          this.expect(")", "to close the parenthesis");
          return inner;
        }
        if (this.accept("[")) {
          const items = this.list("]", "the list", () => this.expression());
          return { kind: "list", items, ...this.span(from) };
        }
        break;
      default:
    }
    return this.fail("syntax", `Expected a value, but found ${this.found()}.`);
  }

  /** A text with its `{expr}` parts taken apart. */
  protected text(): ExprNode {
    const token = this.take();
    const raw = token.text;
    const end = raw.length - (raw.length > 1 && raw.endsWith('"') ? 1 : 0);
    const parts: TextPart[] = [];
    let literal = "";
    let i = 1;
    while (i < end) {
      const c = raw[i] as string;
      if (c === "\\") {
        const escaped = raw[i + 1] ?? "";
        const meaning = escaped === "n" ? "\n" : escaped === '"' || escaped === "\\" ? escaped : undefined;
        if (meaning === undefined)
          this.messages.error(
            "bad-escape",
            { from: token.from + i, to: token.from + i + 2 },
            `"\\${escaped}" is not an escape.`,
            'A text knows \\n, \\" and \\\\.',
          );
        literal += meaning ?? "";
        i += 2;
      } else if (c === "{" && raw[i + 1] === "{") {
        literal += "{";
        i += 2;
      } else if (c === "}") {
        literal += "}";
        i += raw[i + 1] === "}" ? 2 : 1;
      } else if (c === "{") {
        const close = raw.indexOf("}", i);
        if (close < 0 || close >= end) {
          this.messages.error(
            "syntax",
            { from: token.from + i, to: token.from + end },
            'This "{" opens a value in the text, but no "}" closes it.',
            'For a plain brace write "{{".',
          );
          break;
        }
        if (literal) parts.push(literal);
        literal = "";
        parts.push(this.embedded({ from: token.from + i + 1, to: token.from + close }));
        i = close + 1;
      } else {
        literal += c;
        i++;
      }
    }
    if (literal || parts.length === 0) parts.push(literal);
    return { kind: "text", parts, from: token.from, to: token.to };
  }

  private embedded(span: Span): ExprNode {
    const inner = new ExpressionParser(this.file, this.messages, span.from - this.file.base, span.to - this.file.base);
    inner.depth = this.depth;
    try {
      const value = inner.expression();
      if (inner.token.kind !== "end")
        inner.fail("syntax", `Expected the end of this value, but found ${inner.found()}.`);
      return value;
    } catch (error) {
      if (!(error instanceof SyntaxFailure)) throw error;
      return { kind: "missing", ...span };
    }
  }

  /** A text without values in it, as tests and laws carry. */
  protected plainText(what: string): string {
    if (this.token.kind !== "text") this.fail("syntax", `Expected ${what} in quotes, but found ${this.found()}.`);
    const node = this.text();
    if (node.kind !== "text") return "";
    if (node.parts.some((p) => typeof p !== "string"))
      this.messages.error("syntax", node, `${what} cannot hold values in braces.`, 'For a plain brace write "{{".');
    return node.parts.filter((p) => typeof p === "string").join("");
  }

  /** `Name` or `Name(args)`, the parenthesis touching. */
  protected reference(what: string): ReferenceNode {
    const name = this.name(what);
    const args = this.is("(") && this.token.touching ? this.arguments() : [];
    return { name, args, ...this.span(name.from) };
  }

  // ---- types -----------------------------------------------------------------------------------

  type(): TypeNode {
    return this.nested(() => {
      const from = this.token.from;
      let node = this.plainType();
      if (this.accept("?")) node = { kind: "maybe", of: node, ...this.span(from) };
      return node;
    });
  }

  private plainType(): TypeNode {
    const from = this.token.from;
    if (this.accept("(")) {
      const inner = this.type();
      this.expect(")", "to close the type");
      return inner;
    }
    const name = this.name("a type");
    switch (name.text) {
      case "int":
        if (!this.startsBound()) return { kind: "int", ...this.span(from) };
        return this.boundedInt(from);
      case "text":
        if (!this.accept("max")) return { kind: "text", ...this.span(from) };
        return { kind: "text", max: this.bound(), ...this.span(from) };
      case "list": {
        const max = this.accept("max") ? this.bound() : undefined;
        this.expect("of", 'after "list"');
        const of = this.type();
        return { kind: "list", ...(max && { max }), of, ...this.span(from) };
      }
      case "map": {
        this.expect("of", 'after "map"');
        const key = this.type();
        this.expect("to", "between a map's key and value types");
        const value = this.type();
        return { kind: "map", key, value, ...this.span(from) };
      }
      case "grid": {
        const width = this.bound();
        this.expect("by", "between a grid's width and height");
        const height = this.bound();
        this.expect("of", "before the type of a grid's cells");
        const of = this.type();
        return { kind: "grid", width, height, of, ...this.span(from) };
      }
      default:
        return { kind: "named", name, ...this.span(from) };
    }
  }

  /** After `int`, a bound follows only if `..` comes behind it: `f(x: int) needs` must not read on. */
  private startsBound(): boolean {
    return this.is("-") || this.token.kind === "int" || (this.isName() && this.nextIs(".."));
  }

  private boundedInt(from: number): TypeNode {
    const low = this.bound();
    this.expect("..", "between the bounds of an int");
    const high = this.bound();
    return { kind: "int", low, high, ...this.span(from) };
  }

  private bound(): Bound {
    const from = this.token.from;
    const negative = this.accept("-");
    if (this.token.kind === "int") {
      const { value } = this.take();
      return { kind: "number", value: negative ? -value : value, ...this.span(from) };
    }
    if (negative) this.fail("syntax", `Expected a whole number after "-", but found ${this.found()}.`);
    return { kind: "constant", name: this.name("a whole number or the name of a constant"), ...this.span(from) };
  }
}
