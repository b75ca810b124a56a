/**
 * Expressions. Precedence, loosest first: if, implies, or, and, not, comparison, `..`, sum, product, sign,
 * postfix.
 */

import { FOREIGN_BINDERS, FOREIGN_CONNECTIVES } from "../foreign.js";
import { endOfValue } from "../scanner.js";
import type { Span } from "../source.js";
import {
  type ArgumentNode,
  BINDER_WORDS,
  type BinaryOperator,
  type BinderWord,
  type ExprNode,
  type Name,
  type ReferenceNode,
  type TextPart,
  type Ties,
} from "../syntax.js";
import { Cursor, SyntaxFailure } from "./cursor.js";

const BINDERS: ReadonlySet<string> = new Set(BINDER_WORDS);
/** What puts a list in order by a second value, for what goes by a first. */
const SORTED_BEFORE: ReadonlyMap<string, string> = new Map([
  ["sort", "sort"],
  ["sortDown", "sortDown"],
  ["minBy", "sort"],
  ["maxBy", "sortDown"],
]);

/** What goes through several lists at once, one inside the other: the word of the outer one. */
const OF_SEVERAL: ReadonlyMap<string, BinderWord> = new Map([
  ["any", "any"],
  ["all", "all"],
  ["sum", "sum"],
  ["count", "sum"],
]);
const COMPARISONS: ReadonlySet<string> = new Set(["==", "!=", "<", "<=", ">", ">=", "in"]);
const ROLLS: ReadonlySet<string> = new Set(["roll", "chance", "pick", "shuffle"]);

/** Units of time as they are written elsewhere. */
const UNITS: Readonly<Record<string, string>> = {
  ms: "ms",
  millisecond: "ms",
  s: "s",
  sec: "s",
  second: "s",
  m: "m",
  min: "m",
  minute: "m",
  h: "h",
  hour: "h",
  d: "d",
  day: "d",
};

/** Reads expressions, arguments, references and texts at the cursor. */
export class Expressions {
  constructor(private readonly cursor: Cursor) {}

  expression(): ExprNode {
    const value = this.cursor.nested(() => (this.cursor.is("if") ? this.ifExpression() : this.implication()));
    return this.cursor.is("?") ? this.ternary(value) : value;
  }

  /** `a ? b : c` of other languages. */
  private ternary(test: ExprNode): ExprNode {
    this.cursor.foreign(
      this.cursor.take(),
      "A choice between two values is written with words.",
      "Write: if COND then VALUE else VALUE.",
    );
    const then = this.expression();
    this.cursor.expect(":", "between the two values");
    const otherwise = this.expression();
    return { kind: "if", test, then, otherwise, ...this.cursor.span(test.from) };
  }

  private ifExpression(): ExprNode {
    const from = this.cursor.take().from;
    const test = this.expression();
    this.cursor.expect("then", "after the condition of an if expression");
    const then = this.expression();
    this.cursor.expect(
      "else",
      "in an if expression, which always has both values",
      "Write: if COND then VALUE else VALUE",
    );
    const otherwise = this.expression();
    return { kind: "if", test, then, otherwise, ...this.cursor.span(from) };
  }

  private implication(): ExprNode {
    const left = this.disjunction();
    if (!this.cursor.is("implies")) return left;
    this.cursor.take();
    const right = this.cursor.nested(() => (this.cursor.is("if") ? this.ifExpression() : this.implication()));
    return { kind: "binary", op: "implies", left, right, ...this.cursor.span(left.from) };
  }

  private disjunction(): ExprNode {
    return this.leftAssociative(["or"], () => this.conjunction(), "or");
  }

  private conjunction(): ExprNode {
    return this.leftAssociative(["and"], () => this.negation(), "and");
  }

  private negation(): ExprNode {
    const isForeign =
      this.isConnective("not") && (this.cursor.nextIs("(") || this.cursor.isName(this.cursor.nextToken));
    if (!this.cursor.is("not") && !isForeign) return this.comparison();
    const { from } = this.cursor.token;
    this.connective("not");
    const of = this.cursor.nested(() => this.negation());
    return { kind: "unary", op: "not", of, ...this.cursor.span(from) };
  }

  private comparison(): ExprNode {
    const left = this.range();
    if (this.cursor.is("=") && !this.cursor.token.leads) {
      const { from, to } = this.cursor.take();
      this.cursor.messages.error(
        "syntax",
        { from, to },
        'A single "=" sets a value; to compare, write "==".',
        'Write "==".',
        undefined,
        { title: 'Write "=="', edits: [{ from, to, text: "==" }] },
      );
      return { kind: "binary", op: "==", left, right: this.range(), ...this.cursor.span(left.from) };
    }
    if (this.cursor.is("not") && this.cursor.nextIs("in") && !this.cursor.token.leads) return this.notIn(left);
    if (this.cursor.is("is") && !this.cursor.token.leads) return this.isEqual(left);
    if (!COMPARISONS.has(this.cursor.token.text) || this.cursor.token.kind === "text") return left;
    const op = this.cursor.take().text as BinaryOperator;
    const right = this.range();
    if (COMPARISONS.has(this.cursor.token.text) && !this.cursor.is("in"))
      this.cursor.fail("syntax", "Comparisons do not chain.", 'Write "a < b and b < c".');
    return { kind: "binary", op, left, right, ...this.cursor.span(left.from) };
  }

  /** `a is b` and `a is not b` of other languages. */
  private isEqual(left: ExprNode): ExprNode {
    const { from } = this.cursor.take();
    const op = this.cursor.accept("not") ? "!=" : "==";
    const at = { from, to: this.cursor.lastToken.to };
    this.cursor.foreign(at, `Two values are compared with "${op}".`, `Write "${op}".`, {
      title: `Write "${op}"`,
      edits: [{ ...at, text: op }],
    });
    return { kind: "binary", op, left, right: this.range(), ...this.cursor.span(left.from) };
  }

  /** `a not in b` of other languages. */
  private notIn(left: ExprNode): ExprNode {
    const { from } = this.cursor.take();
    const { to } = this.cursor.take();
    const right = this.range();
    const text = `not (${this.cursor.written(left)} in ${this.cursor.written(right)})`;
    this.cursor.foreign({ from, to }, 'What is not so begins with "not".', `Write: ${text}`, {
      title: `Write "${text}"`,
      edits: [{ from: left.from, to: right.to, text }],
    });
    const span = this.cursor.span(left.from);
    return { kind: "unary", op: "not", of: { kind: "binary", op: "in", left, right, ...span }, ...span };
  }

  private range(): ExprNode {
    const left = this.sum();
    if (!this.cursor.accept("..")) return left;
    const right = this.sum();
    return { kind: "binary", op: "..", left, right, ...this.cursor.span(left.from) };
  }

  private sum(): ExprNode {
    return this.leftAssociative(["+", "-"], () => this.product());
  }

  private product(): ExprNode {
    let left = this.leftAssociative(["*", "/", "mod"], () => this.sign());
    // `chance(35%)` ends with the sign; anywhere else it is the remainder of other languages.
    while (this.cursor.is("%") && !this.cursor.nextIs(")")) {
      const { from, to } = this.cursor.take();
      if (!this.beginsValue()) {
        this.cursor.foreign(
          { from: left.from, to },
          "A percentage stands only in a chance.",
          "Write a share as a number, 0.3 for 30%, or as a whole number of hundredths, and chance(n in 100).",
        );
        continue;
      }
      this.cursor.foreign({ from, to }, 'The remainder of a division is written "mod".', 'Write "mod".', {
        title: 'Write "mod"',
        edits: [{ from, to, text: "mod" }],
      });
      const right = this.sign();
      left = { kind: "binary", op: "mod", left, right, ...this.cursor.span(left.from) };
    }
    const { token, nextToken } = this.cursor;
    const isDivision = token.text === "div" && !token.leads && !nextToken.leads;
    // Before anything but a value it is a name.
    const divides = nextToken.kind === "int" || nextToken.kind === "num" || this.cursor.isName(nextToken);
    return isDivision && divides ? this.wholeDivision(left) : left;
  }

  /** `a div b` of other languages. */
  private wholeDivision(left: ExprNode): ExprNode {
    const { from, to } = this.cursor.take();
    const right = this.sign();
    const text = `floor(${this.cursor.written(left)} / ${this.cursor.written(right)})`;
    this.cursor.foreign({ from, to }, "A division without a rest is rounded down.", `Write: ${text}`, {
      title: `Write "${text}"`,
      edits: [{ from: left.from, to: right.to, text }],
    });
    const span = this.cursor.span(left.from);
    const value: ExprNode = { kind: "binary", op: "/", left, right, ...span };
    const of: ExprNode = { kind: "name", name: { text: "floor", ...span }, ...span };
    return { kind: "call", of, args: [{ value, ...span }], ...span };
  }

  /** True when a value goes on in the same line. */
  private beginsValue(): boolean {
    const { kind, leads } = this.cursor.token;
    return !leads && (kind === "int" || kind === "num" || this.cursor.isName() || this.cursor.is("("));
  }

  /** @param word what may stand in capitals, too, by mistake */
  private leftAssociative(ops: readonly string[], operand: () => ExprNode, word?: "and" | "or"): ExprNode {
    let left = operand();
    for (let count = 1; ops.some((op) => this.cursor.is(op)) || (word && this.isConnective(word)); count++) {
      this.cursor.oneMore(count, `terms with ${ops.map((op) => `"${op}"`).join(" or ")}`);
      const op = word ? this.connective(word) : (this.cursor.take().text as BinaryOperator);
      const right = operand();
      left = { kind: "binary", op, left, right, ...this.cursor.span(left.from) };
    }
    return left;
  }

  /** Whether "and", "or" or "not" stands here as another language writes it. */
  private isConnective(word: "and" | "or" | "not"): boolean {
    const { token } = this.cursor;
    return !token.leads && FOREIGN_CONNECTIVES.get(token.text) === word;
  }

  /** Takes "and", "or" or "not", however it is written. */
  private connective<Word extends "and" | "or" | "not">(word: Word): Word {
    if (this.cursor.is(word)) this.cursor.take();
    else this.cursor.takeForeign(`It is written "${word}".`, word);
    return word;
  }

  private sign(): ExprNode {
    if (!this.cursor.is("-")) return this.postfix();
    const from = this.cursor.take().from;
    const of = this.cursor.nested(() => this.sign());
    if (of.kind === "number") return { ...of, value: -of.value, ...this.cursor.span(from) };
    return { kind: "unary", op: "-", of, ...this.cursor.span(from) };
  }

  private postfix(): ExprNode {
    let of = this.primary();
    for (let count = 0; ; count++) {
      this.cursor.oneMore(count, "members and calls");
      if (this.cursor.isMember) {
        this.cursor.take();
        const token = this.cursor.take();
        of = {
          kind: "member",
          of,
          name: { text: token.text, from: token.from, to: token.to },
          ...this.cursor.span(of.from),
        };
      } else if (this.cursor.is(".")) {
        this.cursor.take();
        this.cursor.expected('the name of a field after "."');
      } else if (this.cursor.is("[") && this.cursor.token.touching) {
        this.cursor.take();
        const key = this.key();
        of = { kind: "index", of, key, ...this.cursor.span(of.from) };
      } else if (this.cursor.is("(") && this.cursor.token.touching && (of.kind === "name" || of.kind === "member")) {
        of = this.call(of);
      } else {
        return of;
      }
    }
  }

  /** What stands between the brackets of an index, and the one that closes them; `x, y` in place of a cell is told. */
  key(): ExprNode {
    const key = this.expression();
    if (!this.cursor.is(",")) {
      this.cursor.expect("]", "after an index");
      return key;
    }
    this.cursor.take();
    const second = this.expression();
    const text = `cell(${this.cursor.written(key)}, ${this.cursor.written(second)})`;
    const span = this.cursor.span(key.from);
    this.cursor.foreign(span, "The place on a grid is one value, a cell.", `Write: ${text}`, {
      title: `Write "${text}"`,
      edits: [{ ...span, text }],
    });
    this.cursor.expect("]", "after an index");
    const of: ExprNode = { kind: "name", name: { text: "cell", ...span }, ...span };
    return {
      kind: "call",
      of,
      args: [key, second].map((value) => ({ value, from: value.from, to: value.to })),
      ...span,
    };
  }

  private call(of: ExprNode & { kind: "name" | "member" }): ExprNode {
    if (ROLLS.has(of.name.text) && (of.kind === "name" || of.of.kind === "name")) return this.roll(of);
    if (of.kind === "name" && BINDERS.has(of.name.text)) return this.binder(of.name);
    if (of.kind === "name" && this.isBinder()) return this.foreignBinder(of.name);
    const args = this.arguments();
    return { kind: "call", of, args, ...this.cursor.span(of.from) };
  }

  /** Whether what stands in the parentheses goes through a list: `x in LIST`, then what is said of each. */
  private isBinder(): boolean {
    const { cursor } = this;
    if (cursor.ahead(1).kind !== "word" || cursor.ahead(2).text !== "in") return false;
    for (let depth = 0, i = 0; ; i++) {
      const { text, kind } = cursor.ahead(i);
      if (kind === "end") return false;
      if (text === "(" || text === "[") depth++;
      else if (text === ")" || text === "]") {
        if (--depth === 0) return false;
      } else if (depth === 1 && text === ",") return false;
      else if (depth === 1 && (text === ":" || text === "where" || text === "ties")) return true;
    }
  }

  /** A list is gone through by a word of another language, or by one that does something else here. */
  private foreignBinder(word: Name): ExprNode {
    const meant = FOREIGN_BINDERS.get(word.text);
    if (!meant) {
      const known = BINDER_WORDS.join(", ");
      return this.cursor.fail("syntax", `"${word.text}" does not go through a list.`, `What does: ${known}.`);
    }
    if ((meant === "minBy" || meant === "maxBy") && !word.text.startsWith("arg")) return this.extreme(word, meant);
    const { from, to } = word;
    this.cursor.foreign({ from, to }, `What goes through a list like this is "${meant}".`, `Write: ${meant}`, {
      title: `Write "${meant}"`,
      edits: [{ from, to, text: meant }],
    });
    return this.binder({ text: meant, from, to });
  }

  /**
   * `max(x in list: ...)`: the greatest number is meant, but what goes through a list gives the element. The type of
   * what is there is left open, so that nothing is told of what is done with the number.
   */
  private extreme(word: Name, meant: BinderWord): ExprNode {
    const node = this.binder({ ...word, text: meant });
    const span = this.cursor.span(word.from);
    const element = meant + this.cursor.written({ from: word.to, to: span.to });
    const number =
      node.kind === "binder" && node.body ? this.writtenWith(node.body, node.variable.text, element) : undefined;
    const text = number ?? element;
    this.cursor.foreign(
      { from: word.from, to: word.to },
      `What goes through a list like this is "${meant}", and gives the element, not the number.`,
      `Write: ${text}`,
      { title: `Write "${text}"`, edits: [{ ...span, text }] },
    );
    return { kind: "missing", ...span };
  }

  /** What is written at a place, with something else for a name in it; nothing where it does not hold it just once. */
  private writtenWith(at: Span, name: string, instead: string): string | undefined {
    const [before, after, ...more] = this.cursor.written(at).split(new RegExp(`(?<![\\w.])${name}\\b`));
    return before === undefined || after === undefined || more.length > 0 ? undefined : before + instead + after;
  }

  /** `( [label:] expression, ... )` */
  arguments(): ArgumentNode[] {
    this.cursor.expect("(", "before arguments");
    return this.cursor.list(")", "the arguments", () => {
      const from = this.cursor.token.from;
      // A word of the language is no name, but where it is declared as one that has been told.
      if (this.cursor.token.kind === "word" && this.cursor.nextIs(":")) {
        const { text, from: start, to } = this.cursor.take();
        const label: Name = { text, from: start, to };
        this.cursor.take();
        const value = this.expression();
        return { label, value, ...this.cursor.span(from) };
      }
      const value = this.expression();
      return { value, ...this.cursor.span(from) };
    });
  }

  private binder(word: Name): ExprNode {
    this.cursor.expect("(", `after ${word.text}`);
    const node = this.elements(word);
    this.cursor.expect(")", `to close ${word.text}(...)`);
    return { ...node, ...this.cursor.span(word.from) };
  }

  /** `any x in list: ...` without its parentheses. */
  private bareBinder(): ExprNode {
    const { text, from, to } = this.cursor.take();
    const first = this.cursor.token.from;
    const node = this.elements({ text, from, to });
    const { to: end } = this.cursor.lastToken;
    this.cursor.foreign(
      { from, to },
      `What "${text}" goes through stands in parentheses.`,
      `Write: ${text}(x in LIST: ...)`,
      {
        title: "Write parentheses",
        edits: [
          { from: to, to: first, text: "(" },
          { from: end, to: end, text: ")" },
        ],
      },
    );
    return { ...node, from, to: end };
  }

  /** What stands between the parentheses of a binder. */
  private elements(word: Name): ExprNode {
    const variable = this.cursor.name(`a name for each element, as in ${word.text}(x in list: ...)`);
    if (this.cursor.is(",")) {
      const { text, from, to } = variable;
      const where = word.text === "count" || word.text === "filter" ? " where" : ":";
      const help = `Write: ${word.text}(x in ${text}${where} ...)`;
      this.cursor.foreign({ from, to }, "What goes through a list names each element before the list.", help);
      throw new SyntaxFailure(text);
    }
    this.cursor.expect("in", `in ${word.text}(x in list: ...)`);
    const source = this.expression();
    const outer = OF_SEVERAL.get(word.text);
    if (outer !== undefined && this.cursor.is(",")) {
      const { from, to } = this.cursor.take();
      const { text } = this.cursor.token;
      this.cursor.foreign(
        { from, to },
        `"${word.text}" goes through one list.`,
        `Write one inside the other: ${outer}(${variable.text} in ...: ${word.text}(${text} in ...)).`,
      );
      const body = this.elements(word);
      return { kind: "binder", word: outer, variable, source, body, ...this.cursor.span(word.from) };
    }
    const where = this.cursor.accept("where") ? this.expression() : undefined;
    const body = this.cursor.accept(":") ? this.expression() : undefined;
    if (body && this.cursor.is(",")) this.secondValue(word, variable, source, body);
    let ties: Ties | undefined;
    if (this.cursor.accept("ties")) {
      if (!this.cursor.is("inOrder") && !this.cursor.is("byLot"))
        this.cursor.fail("syntax", `Expected "inOrder" or "byLot" after "ties", but found ${this.cursor.found()}.`);
      ties = this.cursor.take().text as Ties;
    }
    return {
      kind: "binder",
      word: word.text as BinderWord,
      variable,
      source,
      ...(where && { where }),
      ...(body && { body }),
      ...(ties && { ties }),
      ...this.cursor.span(word.from),
    };
  }

  /** `sortDown(x in list: a, b)`: what is equal by one value keeps its order, so the other puts it in order first. */
  private secondValue(word: Name, { text: name }: Name, source: ExprNode, body: ExprNode): never {
    const { cursor } = this;
    const { from, to } = cursor.take();
    const second = cursor.written(this.expression());
    const [list, first] = [cursor.written(source), cursor.written(body)];
    const before = SORTED_BEFORE.get(word.text);
    const written = `${word.text}(${name} in ${before}(${name} in ${list}: ${second}): ${first} ties inOrder)`;
    cursor.foreign(
      { from, to },
      `"${word.text}" goes by one value.`,
      before ? `What is equal stays in the order of the list. Write: ${written}` : "Leave out the second.",
    );
    throw new SyntaxFailure(name);
  }

  private roll(of: ExprNode & { kind: "name" | "member" }): ExprNode {
    const roll = this.rollOf(of);
    // A loop may stand behind it.
    if (!this.cursor.is("for") || this.cursor.token.leads || this.cursor.ahead(2).text === "in") return roll;
    this.cursor.take();
    return { ...roll, owner: this.postfix(), to: this.cursor.lastToken.to } as ExprNode;
  }

  /** `roll(1, 6)` in place of `roll(1..6)`. */
  private foreignRange(word: string, low: ExprNode): ExprNode {
    if (!this.cursor.is(",")) return low;
    const { from, to } = this.cursor.take();
    const high = this.expression();
    const written = `${word}(${this.cursor.written(low)}..${this.cursor.written(high)})`;
    this.cursor.foreign({ from, to }, "The faces of a die are a range.", `Write: ${written}`, {
      title: 'Write ".."',
      edits: [{ from: low.to, to: high.from, text: ".." }],
    });
    return { kind: "binary", op: "..", left: low, right: high, from: low.from, to: high.to };
  }

  private rollOf(of: ExprNode & { kind: "name" | "member" }): ExprNode {
    const stream = of.kind === "member" && of.of.kind === "name" ? { stream: of.of.name } : {};
    this.cursor.expect("(", `after ${of.name.text}`);
    const first = of.name.text === "chance" ? this.sum() : this.expression();
    switch (of.name.text) {
      case "roll": {
        if (this.cursor.accept("of")) {
          const range = this.expression();
          this.cursor.expect(")", "to close roll(...)");
          return { kind: "roll", ...stream, times: first, range, ...this.cursor.span(of.from) };
        }
        const range = this.foreignRange(of.name.text, first);
        this.cursor.expect(")", "to close roll(...)");
        return { kind: "roll", ...stream, range, ...this.cursor.span(of.from) };
      }
      case "chance": {
        if (this.cursor.accept("%")) {
          this.cursor.expect(")", "to close chance(...)");
          return { kind: "chance", ...stream, part: first, ...this.cursor.span(of.from) };
        }
        if (!this.cursor.accept("in")) {
          this.cursor.messages.error(
            "syntax",
            first,
            "A chance says what it is out of.",
            "Write chance(35%) or chance(1 in 5).",
          );
          this.cursor.expect(")", "to close chance(...)");
          return { kind: "chance", ...stream, part: first, ...this.cursor.span(of.from) };
        }
        const whole = this.sum();
        this.cursor.expect(")", "to close chance(...)");
        return { kind: "chance", ...stream, part: first, whole, ...this.cursor.span(of.from) };
      }
      case "pick": {
        let weight: { variable: Name; body: ExprNode } | undefined;
        if (this.cursor.accept("weighted")) {
          this.cursor.expect("by", 'after "weighted"');
          const variable = this.cursor.name("a name for each element");
          this.cursor.expect(":", "before the weight");
          weight = { variable, body: this.expression() };
        }
        this.cursor.expect(")", "to close pick(...)");
        return { kind: "pick", ...stream, list: first, ...(weight && { weight }), ...this.cursor.span(of.from) };
      }
      default:
        this.cursor.expect(")", "to close shuffle(...)");
        return { kind: "shuffle", ...stream, list: first, ...this.cursor.span(of.from) };
    }
  }

  /** A value without operators. Maps of logs have one kind more. */
  protected primary(): ExprNode {
    const token = this.cursor.token;
    const { from, to } = token;
    switch (token.kind) {
      case "int":
      case "num":
        this.cursor.take();
        return { kind: "number", value: token.value, whole: token.kind === "int", from, to };
      case "duration":
        this.cursor.take();
        return { kind: "duration", value: token.value, from, to };
      case "text":
        return this.text();
      case "word":
        if (token.text === "true" || token.text === "false") {
          this.cursor.take();
          return { kind: "bool", value: token.text === "true", from, to };
        }
        if (this.cursor.accept("none")) return { kind: "none", from, to };
        if (token.text === "in") {
          this.cursor.take();
          const state = this.cursor.name('the name of a state after "in"');
          return { kind: "inState", state, ...this.cursor.span(from) };
        }
        if (token.text === "new" && this.cursor.nextToken.kind === "word" && !this.cursor.nextToken.leads) {
          this.cursor.takeForeign("A value of a record is made by its name alone.", "", 'Leave out "new".');
          return this.primary();
        }
        if (this.isRecordInBraces()) return this.recordInBraces();
        if (BINDERS.has(token.text) && this.cursor.nextToken.kind === "word" && this.cursor.ahead(2).text === "in")
          return this.bareBinder();
        if (this.cursor.isName()) return { kind: "name", name: this.cursor.name("a value"), from, to };
        break;
      case "mark":
        if (this.cursor.accept("(")) {
          const inner = this.expression();
          this.cursor.expect(")", "to close the parenthesis");
          return inner;
        }
        if (this.cursor.accept("[")) return this.bracketed(from);
        if (this.cursor.is("{") && this.cursor.ahead(2).text === ":") return this.braced(from);
        break;
      default:
    }
    return this.cursor.expected("a value");
  }

  /** Whether `Bird { wings: 2 }` of other languages stands here: no block begins with a name and a colon. */
  private isRecordInBraces(): boolean {
    const { cursor } = this;
    const isOpen = cursor.isName() && cursor.nextIs("{") && !cursor.nextToken.leads;
    return isOpen && cursor.ahead(2).kind === "word" && cursor.ahead(3).text === ":";
  }

  private recordInBraces(): ExprNode {
    const name = this.cursor.name("the name of a record");
    const open = this.cursor.take();
    const args = this.cursor.list("}", "the fields", (): ArgumentNode => {
      const label = this.cursor.name("the name of a field");
      this.cursor.expect(":", "before the field's value");
      const value = this.expression();
      return { label, value, ...this.cursor.span(label.from) };
    });
    const span = this.cursor.span(name.from);
    const { to } = span;
    this.cursor.foreign(open, "The fields of a record stand in parentheses.", `Write: ${name.text}(FIELD: VALUE)`, {
      title: "Write parentheses",
      edits: [
        { from: name.to, to: open.to, text: "(" },
        { from: to - 1, to, text: ")" },
      ],
    });
    return { kind: "call", of: { kind: "name", name, from: name.from, to: name.to }, args, ...span };
  }

  /** `{ key: a }` of other languages. */
  private braced(from: number): ExprNode {
    const open = this.cursor.take();
    const contents = this.bracketed(from, "}");
    const { to } = contents;
    this.cursor.foreign(open, "What stands under keys is written in brackets.", "Write: [KEY: VALUE, ...]", {
      title: "Write brackets",
      edits: [
        { from: open.from, to: open.to, text: "[" },
        { from: to - 1, to, text: "]" },
      ],
    });
    return contents;
  }

  /** `[a, b]`, or `[key: a, else: b]`; the bracket has been taken. */
  private bracketed(from: number, close: "]" | "}" = "]"): ExprNode {
    const items: ExprNode[] = [];
    const entries: { key: ExprNode; value: ExprNode }[] = [];
    let otherwise: ExprNode | undefined;
    this.cursor.list(close, "the list", () => {
      if (this.cursor.is("else")) {
        const word = this.cursor.take();
        this.cursor.expect(":", 'after "else" in a list with keys');
        const value = this.expression();
        if (otherwise)
          this.cursor.messages.error("else-not-last", word, "A list with keys has one else.", "Remove one of them.");
        otherwise = value;
        return;
      }
      const first = this.expression();
      if (this.cursor.accept(":")) entries.push({ key: first, value: this.expression() });
      else items.push(first);
    });
    const span = this.cursor.span(from);
    const [bare] = items;
    if (entries.length === 0 && !otherwise) return { kind: "list", items, ...span };
    if (bare)
      this.cursor.messages.error(
        "syntax",
        bare,
        "This stands in a list with keys, but has none.",
        "Write its key before it, as in key: value.",
      );
    return { kind: "keyed", entries, ...(otherwise && { otherwise }), ...span };
  }

  /** A text with its `{expr}` parts taken apart. */
  text(): ExprNode {
    const token = this.cursor.take();
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
          this.cursor.messages.error(
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
        const behind = endOfValue(raw, i, end);
        if (behind === undefined) {
          this.cursor.messages.error(
            "syntax",
            { from: token.from + i, to: token.from + end },
            'This "{" opens a value in the text, but no "}" closes it.',
            'For a plain brace write "{{".',
          );
          break;
        }
        if (literal) parts.push(literal);
        literal = "";
        parts.push(this.embedded({ from: token.from + i + 1, to: token.from + behind - 1 }));
        i = behind;
      } else {
        literal += c;
        i++;
      }
    }
    if (literal || parts.length === 0) parts.push(literal);
    return { kind: "text", parts, from: token.from, to: token.to };
  }

  private embedded(span: Span): ExprNode {
    const { file, messages } = this.cursor;
    const cursor = new Cursor(file, messages, span.from - file.base, span.to - file.base);
    cursor.depth = this.cursor.depth;
    try {
      const value = this.within(cursor).expression();
      if (cursor.token.kind !== "end")
        cursor.fail("syntax", `Expected the end of this value, but found ${cursor.found()}.`);
      return value;
    } catch (error) {
      if (!(error instanceof SyntaxFailure)) throw error;
      return { kind: "missing", ...span };
    }
  }

  /** What reads the values in a text: as those around it are read. */
  protected within(cursor: Cursor): Expressions {
    return new Expressions(cursor);
  }

  /** A time; `30 seconds` in place of `30s` is told. */
  time(): ExprNode {
    const time = this.expression();
    const { kind, text, leads, from, to } = this.cursor.token;
    const unit = kind === "word" && !leads ? (UNITS[text] ?? UNITS[text.replace(/s$/, "")]) : undefined;
    if (time.kind !== "number" || unit === undefined) return time;
    this.cursor.take();
    const written = `${time.value}${unit}`;
    this.cursor.foreign({ from, to }, "A unit of time stands right behind its number.", `Write ${written}.`, {
      title: `Write "${written}"`,
      edits: [{ from: time.from, to, text: written }],
    });
    return time;
  }

  /** A text without values in it, as tests and laws carry. */
  plainText(what: string): string {
    if (this.cursor.isName() && !this.cursor.token.leads) {
      const { text } = this.cursor.token;
      this.cursor.takeForeign(`What is told in words, ${what}, stands in quotes.`, `"${text}"`);
      return text;
    }
    if (this.cursor.token.kind !== "text") this.cursor.expected(`${what} in quotes`);
    const node = this.text();
    if (node.kind !== "text") return "";
    if (node.parts.some((p) => typeof p !== "string"))
      this.cursor.messages.error(
        "syntax",
        node,
        `${what} cannot hold values in braces.`,
        'For a plain brace write "{{".',
      );
    return node.parts.filter((p) => typeof p === "string").join("");
  }

  /** `Name` or `Name(args)`, the parenthesis touching. */
  reference(what: string): ReferenceNode {
    const name = this.cursor.name(what);
    const args = this.cursor.is("(") && this.cursor.token.touching ? this.arguments() : [];
    return { name, args, ...this.cursor.span(name.from) };
  }
}
