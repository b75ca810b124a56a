/** Effect blocks and their statements. */

import type { AcceptNode, BlockNode, ExprNode, StatementNode } from "../syntax.js";
import { FOREIGN_LETS, FOREIGN_STATEMENTS } from "../foreign.js";
import { type Cursor, SyntaxFailure } from "./cursor.js";
import type { Expressions } from "./expressions.js";
import { skipStatement } from "./skip.js";

/** Words that begin a statement, and no expression. */
const STATEMENTS: readonly string[] = ["let", "note", "raise", "for", "eliminate", "reopen"];
/** The arguments of an arrow in a block are no longer than so many tokens. */
const MOST_ARGUMENTS = 60;

/** Reads blocks of effects at the cursor. */
export class Blocks {
  /** What is silenced anywhere in the file. */
  readonly accepted: AcceptNode[] = [];
  /** Where an arrow stands in a block. */
  private readonly inside = new Set<number>();
  /** How many blocks are open, and how many arrows were found in the outermost one. */
  private open = 0;
  private arrows = 0;

  constructor(
    private readonly cursor: Cursor,
    private readonly expressions: Expressions,
  ) {}

  /** A block when one stands here, also one whose `{` is missing. */
  optional(): BlockNode | undefined {
    const isBlock = this.cursor.is("{") || (!this.cursor.is("->") && this.cursor.isClosed());
    return isBlock ? this.block() : undefined;
  }

  /** `{ statements }`, and whether an arrow stands in it. */
  block(): BlockNode {
    if (this.open === 0) this.arrows = 0;
    const before = this.arrows;
    this.open++;
    try {
      const block = this.cursor.nested(() => this.anyBlock());
      return this.arrows > before ? { ...block, leads: true } : block;
    } finally {
      this.open--;
    }
  }

  /** Whether a statement stands here, where a branch of a choice is meant. */
  statementBegins(): boolean {
    const { token, nextToken } = this.cursor;
    if (this.cursor.isName() && !(FOREIGN_LETS.has(token.text) && nextToken.kind === "word"))
      for (let i = 1, sets = false; ; i++) {
        const { text, leads, kind } = this.cursor.ahead(i);
        // With an arrow behind it, it is a condition with a single "=".
        if (text === "->") return false;
        if (leads || kind === "end" || ["{", "}", "when", "else"].includes(text)) return sets;
        sets ||= ["=", "+=", "-="].includes(text);
      }
    const begins = STATEMENTS.includes(token.text) || FOREIGN_LETS.has(token.text);
    return begins && (nextToken.kind === "word" || nextToken.kind === "text") && !nextToken.leads;
  }

  /** The statement that stands here; undefined at the end of the block, and for one that cannot be read. */
  oneStatement(): StatementNode | undefined {
    const { token: first, taken } = this.cursor;
    try {
      this.accepts();
      return this.cursor.is("}") ? undefined : this.statement();
    } catch (error) {
      if (!(error instanceof SyntaxFailure)) throw error;
      // What begins the next line, where this one breaks off, is a statement of its own.
      if (this.cursor.token === first || !this.cursor.token.leads || !this.statementBegins())
        skipStatement(this.cursor, first);
      this.cursor.lose(taken);
      return undefined;
    }
  }

  /** A broken statement is skipped to the next line; a lost brace is reported where it is missing. */
  private anyBlock(): BlockNode {
    if (this.cursor.is("then")) return this.untilEnd();
    if (!this.cursor.is("{") && this.cursor.token.leads && !this.cursor.isClosed()) return this.bare();
    const open = this.cursor.open("to open a block", () => false);
    const statements: StatementNode[] = [];
    while (!this.cursor.is("}")) {
      if (this.arrowInside()) continue;
      if (this.blockIsLost()) {
        const end = this.cursor.lastToken;
        this.cursor.messages.error(
          "missing-brace",
          { from: end.to - 1, to: end.to },
          `A "}" is missing after this: ${this.cursor.found()} cannot stand inside a block of effects.`,
          undefined,
          { from: open.from, to: open.to, words: "The block was opened here." },
        );
        return { statements, ...this.cursor.span(open.from) };
      }
      const statement = this.oneStatement();
      if (statement) statements.push(statement);
    }
    this.cursor.take();
    return { statements, ...this.cursor.span(open.from) };
  }

  /** An arrow that stands in a block, up to the block's end: it is told, and read over. */
  private arrowInside(): boolean {
    const { cursor } = this;
    if (!cursor.is("->") || cursor.nextToken.kind !== "word") return false;
    const length = 2 + this.argumentsAhead(2);
    const end = cursor.ahead(length);
    // Behind a brace that is lost, the next thing of the state follows on a line of its own.
    if (end.text !== "}" || (cursor.token.leads && !end.leads)) return false;
    const { from, to } = cursor.take();
    const target = cursor.token;
    for (let i = 1; i < length; i++) cursor.take();
    const text = cursor.written({ from: target.from, to: cursor.lastToken.to });
    // Of several in one block, or in those inside, the first is told.
    if (this.arrows++ > 0) return true;
    this.inside.add(from);
    cursor.foreign(
      { from, to },
      "Effects lead nowhere: an arrow stands behind the whole block.",
      `Write: { ... } -> choose { when COND -> ${text}  else -> stay }`,
    );
    return true;
  }

  /** How many tokens what stands in parentheses some way ahead takes; 0 where nothing does, or it does not end soon. */
  private argumentsAhead(from: number): number {
    if (this.cursor.ahead(from).text !== "(") return 0;
    for (let i = from, depth = 0; i < from + MOST_ARGUMENTS; i++) {
      const { text } = this.cursor.ahead(i);
      if (text === "(") depth++;
      if (text === ")" && --depth === 0) return i - from + 1;
    }
    return 0;
  }

  /** `then ... end` of other languages. */
  private untilEnd(): BlockNode {
    const { from } = this.cursor.take();
    this.cursor.foreign(
      { from, to: from + "then".length },
      "What an if does stands in braces.",
      "Write: if COND { ... } else { ... }.",
    );
    const statements: StatementNode[] = [];
    const stop = ["end", "else", "elseif", "elif", "endif", "}"];
    while (!stop.some((word) => this.cursor.is(word)) && !this.blockIsLost()) statements.push(this.statement());
    if (!this.cursor.accept("end")) this.cursor.accept("endif");
    return { statements, ...this.cursor.span(from) };
  }

  /** One statement on the next line, where a block was meant. */
  private bare(): BlockNode {
    const { to } = this.cursor.lastToken;
    this.cursor.messages.error(
      "missing-brace",
      { from: to - 1, to },
      'A "{" is missing after this: what follows stands in braces.',
      "Write { ... } around it.",
    );
    const statements = this.blockIsLost() || this.cursor.is("}") ? [] : [this.statement()];
    return { statements, ...this.cursor.span(to) };
  }

  /** Where a brace is missing, an arrow may only seem to stand in a block. */
  forgetArrowsInside(): void {
    const { messages } = this.cursor;
    if (messages.list.some((m) => m.name === "missing-brace"))
      messages.remove((m) => m.name === "other-language" && this.inside.has(m.from));
  }

  /** Reads what is silenced here. */
  accepts(): void {
    while (this.cursor.is("accept") && this.cursor.nextToken.kind === "word") {
      const from = this.cursor.take().from;
      const first = this.cursor.take();
      let to = first.to;
      while (this.cursor.is("-") && this.cursor.token.touching) {
        this.cursor.take();
        to = this.cursor.take().to;
      }
      const offset = this.cursor.file.base;
      const message = { text: this.cursor.file.text.slice(first.from - offset, to - offset), from: first.from, to };
      this.accepted.push({ message, reason: this.expressions.plainText("the reason"), ...this.cursor.span(from) });
    }
  }

  /** Inside effects an item's word, an arrow at the start of a line or the end of the text mean a lost brace. */
  private blockIsLost(): boolean {
    const { kind, text } = this.cursor.token;
    if (kind === "end" || text === "->" || (text === "else" && !this.cursor.isMisnamed)) return true;
    if (text === "const" && this.cursor.ahead(2).text === "=") return false;
    return this.cursor.begins("item") || (this.cursor.begins("top") && text !== "seats");
  }

  private statement(): StatementNode {
    const from = this.cursor.token.from;
    const foreign = this.foreignStatement();
    if (foreign) return foreign;
    if (this.cursor.isMisnamed) return this.assignmentOrCall();
    switch (this.cursor.token.text) {
      case "let": {
        this.cursor.take();
        const name = this.cursor.name('a name after "let"');
        this.typeOfLet(name.to);
        this.cursor.expect("=", `after "let ${name.text}"`);
        const value = this.expressions.expression();
        return { kind: "let", name, value, ...this.cursor.span(from) };
      }
      case "note": {
        this.cursor.take();
        const audience = this.cursor.accept("to") ? this.expressions.expression() : undefined;
        const text = this.cursor.token.kind === "text" ? this.expressions.text() : this.noText();
        this.foreignAddition();
        return { kind: "note", ...(audience && { audience }), text, ...this.cursor.span(from) };
      }
      case "raise": {
        this.cursor.take();
        const { name: signal, args } = this.expressions.reference("a signal");
        return { kind: "raise", signal, args, ...this.cursor.span(from) };
      }
      case "eliminate":
      case "reopen": {
        // Before anything but a seat on the same line it is a name.
        if (
          this.cursor.nextToken.leads ||
          this.cursor.nextToken.kind !== "word" ||
          !this.cursor.isName(this.cursor.nextToken)
        )
          break;
        const word = this.cursor.take().text as "eliminate" | "reopen";
        return { kind: word, seat: this.expressions.expression(), ...this.cursor.span(from) };
      }
      case "for": {
        this.cursor.take();
        if (this.cursor.is("(")) {
          const { token } = this.cursor;
          this.cursor.foreign(
            token,
            "A loop goes through a list.",
            "Write: for i in 0..2 { ... }, or for x in LIST { ... }.",
          );
          throw new SyntaxFailure("for");
        }
        if (this.cursor.is("each") && this.cursor.isName(this.cursor.nextToken) && this.cursor.ahead(2).text === "in")
          this.cursor.takeForeign("A loop names each element at once.", "", 'Leave out "each".');
        const variable = this.cursor.name('a name after "for"');
        const isOf = this.cursor.is("of");
        if (isOf) {
          const { from: at, to } = this.cursor.take();
          this.cursor.foreign({ from: at, to }, 'A loop goes through what stands "in" a list.', 'Write "in".', {
            title: 'Write "in"',
            edits: [{ from: at, to, text: "in" }],
          });
        }
        const source = isOf ? this.expressions.expression() : this.loopSource(variable.text);
        const where = this.cursor.accept("where") ? this.expressions.expression() : undefined;
        const body = this.block();
        return { kind: "for", variable, source, ...(where && { where }), body, ...this.cursor.span(from) };
      }
      case "if":
        return this.ifStatement();
      case "return": {
        const word = this.cursor.take();
        if (this.cursor.token.leads || this.cursor.is("}")) {
          const at = { from: word.from, to: word.to };
          return { kind: "return", value: { kind: "missing", ...at }, ...at };
        }
        return { kind: "return", value: this.expressions.expression(), ...this.cursor.span(from) };
      }
      default:
    }
    return this.assignmentOrCall();
  }

  /** What a loop goes through; `= 1 to 3` of other languages is told. */
  private loopSource(variable: string): ExprNode {
    if (!this.cursor.is("=")) {
      this.cursor.expect("in", `after "for ${variable}"`);
      return this.expressions.expression();
    }
    const { from, to } = this.cursor.take();
    const low = this.expressions.expression();
    const up = this.cursor.is("to") ? this.cursor.take() : undefined;
    const high = up && this.expressions.expression();
    const list = high ? `${this.cursor.written(low)}..${this.cursor.written(high)}` : this.cursor.written(low);
    this.cursor.foreign({ from, to }, "A loop goes through a list.", `Write: for ${variable} in ${list} { ... }`, {
      title: `Write "in ${list}"`,
      edits: [{ from, to: (high ?? low).to, text: `in ${list}` }],
    });
    return high ? { kind: "binary", op: "..", left: low, right: high, from: low.from, to: high.to } : low;
  }

  /** A type behind the name of a local value. */
  private typeOfLet(from: number): void {
    if (!this.cursor.is(":")) return;
    const at = { from: this.cursor.token.from, to: this.cursor.token.to };
    while (!this.cursor.is("=") && !this.cursor.token.leads) this.cursor.take();
    const { to } = this.cursor.lastToken;
    this.cursor.foreign(at, "A local value is of the type of what it is set to.", "Leave the type out.", {
      title: "Remove the type",
      edits: [{ from, to, text: "" }],
    });
  }

  /** `elseif` and its like, of other languages. */
  private foreignElse(): boolean {
    if (!["elseif", "elif", "elsif"].some((word) => this.cursor.is(word))) return false;
    const { from, to } = this.cursor.take();
    this.cursor.foreign({ from, to }, "Another condition is written in two words.", 'Write "else if".', {
      title: 'Write "else if"',
      edits: [{ from, to, text: "else if" }],
    });
    return true;
  }

  /** A statement that begins with a word of another language; it is told and read over. */
  private foreignStatement(): StatementNode | undefined {
    const { kind, text, from, to } = this.cursor.token;
    const { nextToken } = this.cursor;
    const set = this.cursor.ahead(2);
    const isLet = FOREIGN_LETS.has(text) && nextToken.kind === "word" && !nextToken.leads && set.text === "=";
    if (kind === "word" && isLet) {
      this.cursor.take();
      this.cursor.foreign({ from, to }, 'A local value begins with "let".', `Write: let ${nextToken.text} = ...`, {
        title: 'Write "let"',
        edits: [{ from, to, text: "let" }],
      });
      const name = this.cursor.name("a name");
      this.cursor.take();
      return { kind: "let", name, value: this.expressions.expression(), ...this.cursor.span(from) };
    }
    const help = FOREIGN_STATEMENTS.get(text);
    const isName = nextToken.touching || ["=", "+=", "-=", ".", "["].includes(nextToken.text);
    if (kind !== "word" || help === undefined || isName) return undefined;
    this.cursor.foreign({ from, to }, `There is no "${text}" here.`, help);
    throw new SyntaxFailure(text);
  }

  /** `if let b = buyer`: what may be none is itself once it is known to be there. @throws SyntaxFailure */
  private noLet(): never {
    return this.cursor.fail(
      "other-language",
      'There is no "if let" here: what may be none is asked for, and is itself from then on.',
      "Write: if NAME != none { ... NAME ... }",
    );
  }

  /** The condition of an if; where it cannot be read and a block stands behind it, that goes on. */
  private test(): ExprNode {
    const { from } = this.cursor.token;
    const { taken } = this.cursor;
    try {
      return this.expressions.expression();
    } catch (error) {
      if (!(error instanceof SyntaxFailure)) throw error;
      while (!this.cursor.is("{")) {
        if (this.cursor.token.leads || this.cursor.is("}") || this.cursor.token.kind === "end") throw error;
        this.cursor.take();
      }
      this.cursor.lose(taken);
      return { kind: "missing", ...this.cursor.span(from) };
    }
  }

  private ifStatement(): StatementNode {
    const from = this.cursor.token.from;
    const branches: { test: ExprNode; body: BlockNode }[] = [];
    let otherwise: BlockNode | undefined;
    let again = false;
    do {
      if (!again) this.cursor.expect("if", "after else");
      if (this.cursor.is("let") && !this.cursor.isMisnamed) this.noLet();
      branches.push({ test: this.test(), body: this.block() });
      again = this.foreignElse();
      if (!again && !this.cursor.accept("else")) break;
      this.cursor.oneMore(branches.length, "branches");
      if (!again && !this.cursor.is("if")) otherwise = this.block();
    } while (!otherwise);
    return { kind: "if", branches, ...(otherwise && { otherwise }), ...this.cursor.span(from) };
  }

  private assignmentOrCall(): StatementNode {
    const from = this.cursor.token.from;
    if (!this.cursor.isName())
      this.cursor.fail(
        "syntax",
        `Expected a statement, but found ${this.cursor.found()}.`,
        "A statement sets data (x = 1), calls an effect, or begins with let, if, for, note, raise, eliminate, " +
          "reopen or return.",
      );
    const target = this.assignable();
    const step = this.foreignStep(target) ?? this.foreignProduct(target);
    if (step) return step;
    if (this.cursor.is("=") || this.cursor.is("+=") || this.cursor.is("-=")) {
      const op = this.cursor.take().text as "=" | "+=" | "-=";
      const value = this.expressions.expression();
      this.conditionAfter(from);
      return { kind: "assign", target, op, value, ...this.cursor.span(from) };
    }
    if (target.kind !== "call") this.cursor.expected('"=", "+=" or "-=" after this');
    return { kind: "call", call: target, ...this.cursor.span(from) };
  }

  /** `x = 1 if COND` of other languages: a condition with no block behind it on its line. */
  private conditionAfter(from: number): void {
    if (!this.cursor.is("if") || this.cursor.token.leads) return;
    const done = this.cursor.written(this.cursor.span(from));
    for (let i = 1; ; i++) {
      const { text, leads, kind } = this.cursor.ahead(i);
      if (text === "{") return;
      if (leads || kind === "end" || text === "}") break;
    }
    const { from: at, to } = this.cursor.take();
    const test = this.cursor.written(this.expressions.expression());
    const text = `if ${test} { ${done} }`;
    this.cursor.foreign({ from: at, to }, "A condition stands before what it decides.", `Write: ${text}`, {
      title: `Write "if ${test} { ... }"`,
      edits: [{ from, to: this.cursor.lastToken.to, text }],
    });
  }

  /** `"..." + value` of other languages, behind a text. */
  private foreignAddition(): void {
    if (!this.cursor.is("+") || this.cursor.token.leads) return;
    const { from, to } = this.cursor.token;
    this.cursor.foreign(
      { from, to },
      "Texts are not added up.",
      'Values stand in the text, in braces: "... {value} ...".',
    );
    while (this.cursor.accept("+")) this.expressions.expression();
  }

  /** `x *= 2` and `x /= 2` of other languages. */
  private foreignProduct(target: ExprNode): StatementNode | undefined {
    const { token, nextToken } = this.cursor;
    if (!(token.text === "*" || token.text === "/") || nextToken.text !== "=" || !nextToken.touching) return undefined;
    this.cursor.take();
    this.cursor.take();
    const right = this.expressions.expression();
    const written = this.cursor.written(target);
    const factor = right.kind === "binary" ? `(${this.cursor.written(right)})` : this.cursor.written(right);
    const text = `${written} = ${written} ${token.text} ${factor}`;
    const at = { from: token.from, to: nextToken.to };
    this.cursor.foreign(at, `Only "+=" and "-=" change a value by another.`, `Write: ${text}`, {
      title: `Write "${text}"`,
      edits: [{ from: target.from, to: right.to, text }],
    });
    const span = this.cursor.span(target.from);
    const value: ExprNode = { kind: "binary", op: token.text, left: target, right, ...span };
    return { kind: "assign", target, op: "=", value, ...span };
  }

  /** `x++` and `x--` of other languages. */
  private foreignStep(target: ExprNode): StatementNode | undefined {
    const { token, nextToken } = this.cursor;
    if (!(token.text === "+" || token.text === "-") || nextToken.text !== token.text || !nextToken.touching)
      return undefined;
    const op = `${token.text}=` as "+=" | "-=";
    this.cursor.take();
    const { to } = this.cursor.take();
    const at = { from: token.from, to };
    this.cursor.foreign(at, `A number is counted with "${op}".`, `Write: ... ${op} 1.`, {
      title: `Write "${op} 1"`,
      edits: [{ ...at, text: ` ${op} 1` }],
    });
    const value: ExprNode = { kind: "number", value: 1, whole: true, ...at };
    return { kind: "assign", target, op, value, ...this.cursor.span(target.from) };
  }

  /** The left side of an assignment or a call: never a comparison, so `=` after it is free. */
  private assignable(): ExprNode {
    const first = this.cursor.name("a name");
    let of: ExprNode = { kind: "name", name: first, from: first.from, to: first.to };
    for (;;) {
      if (this.cursor.isMember) {
        this.cursor.take();
        const token = this.cursor.take();
        of = {
          kind: "member",
          of,
          name: { text: token.text, from: token.from, to: token.to },
          ...this.cursor.span(first.from),
        };
      } else if (this.cursor.is(".")) {
        this.cursor.take();
        this.cursor.expected('the name of a field after "."');
      } else if (this.cursor.is("[") && this.cursor.token.touching) {
        this.cursor.take();
        const key = this.expressions.key();
        of = { kind: "index", of, key, ...this.cursor.span(first.from) };
      } else if (this.cursor.is("(") && this.cursor.token.touching) {
        const args = this.expressions.arguments();
        return { kind: "call", of, args, ...this.cursor.span(first.from) };
      } else {
        return of;
      }
    }
  }

  /** A note whose text is a value without quotes. */
  private noText(): ExprNode {
    const { token } = this.cursor;
    if (token.text === "(" && this.cursor.nextToken.kind === "text") {
      this.cursor.take();
      const text = this.expressions.text();
      const { from: close, to } = this.cursor.expect(")", "after what is noted");
      this.cursor.foreign(
        token,
        "What is noted stands without parentheses.",
        `Write: note ${this.cursor.written(text)}`,
        {
          title: "Remove the parentheses",
          edits: [
            { from: token.from, to: token.to, text: token.touching ? " " : "" },
            { from: close, to, text: "" },
          ],
        },
      );
      return text;
    }
    if (token.leads || (token.kind !== "int" && token.kind !== "num" && !this.cursor.isName()))
      this.cursor.expected('a text in quotes after "note"');
    const value = this.expressions.expression();
    const { from, to } = value;
    const text = `"{${this.cursor.written(value)}}"`;
    this.cursor.messages.error(
      "syntax",
      value,
      "What is noted is a text in quotes.",
      `Write: note ${text}`,
      undefined,
      {
        title: `Write ${text}`,
        edits: [{ from, to, text }],
      },
    );
    return { kind: "text", parts: [value], from, to };
  }
}
