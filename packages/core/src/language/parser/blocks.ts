/** Effect blocks, their statements, and arrows. */

import type {
  AcceptNode,
  ArrowNode,
  BlockNode,
  BranchNode,
  ExprNode,
  ReferenceNode,
  StatementNode,
} from "../syntax.js";
import { type Cursor, SyntaxFailure } from "./cursor.js";
import type { Expressions } from "./expressions.js";
import { skipStatement } from "./skip.js";

/** Reads blocks of effects and arrows at the cursor. */
export class Blocks {
  /** What is silenced anywhere in the file. */
  readonly accepted: AcceptNode[] = [];

  constructor(
    private readonly cursor: Cursor,
    private readonly expressions: Expressions,
  ) {}

  /** `{ statements }`. A broken statement is skipped to the next line; a lost brace is reported where it is missing. */
  block(): BlockNode {
    return this.cursor.nested(() => {
      const open = this.cursor.expect("{", "to open a block");
      const statements: StatementNode[] = [];
      while (!this.cursor.is("}")) {
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
        try {
          this.accepts();
          if (this.cursor.is("}")) break;
          statements.push(this.statement());
        } catch (error) {
          if (!(error instanceof SyntaxFailure)) throw error;
          skipStatement(this.cursor);
        }
      }
      this.cursor.take();
      return { statements, ...this.cursor.span(open.from) };
    });
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
    if (kind === "end" || text === "->") return true;
    return this.cursor.begins("item") || (this.cursor.begins("top") && text !== "seats");
  }

  private statement(): StatementNode {
    const from = this.cursor.token.from;
    switch (this.cursor.token.text) {
      case "let": {
        this.cursor.take();
        const name = this.cursor.name('a name after "let"');
        this.cursor.expect("=", `after "let ${name.text}"`);
        const value = this.expressions.expression();
        return { kind: "let", name, value, ...this.cursor.span(from) };
      }
      case "note": {
        this.cursor.take();
        const audience = this.cursor.accept("to") ? this.expressions.expression() : undefined;
        if (this.cursor.token.kind !== "text")
          this.cursor.fail("syntax", `Expected a text in quotes after "note", but found ${this.cursor.found()}.`);
        return {
          kind: "note",
          ...(audience && { audience }),
          text: this.expressions.text(),
          ...this.cursor.span(from),
        };
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
        const variable = this.cursor.name('a name after "for"');
        this.cursor.expect("in", `after "for ${variable.text}"`);
        const source = this.expressions.expression();
        const where = this.cursor.accept("where") ? this.expressions.expression() : undefined;
        const body = this.block();
        return { kind: "for", variable, source, ...(where && { where }), body, ...this.cursor.span(from) };
      }
      case "if":
        return this.ifStatement();
      case "return":
        this.cursor.take();
        return { kind: "return", value: this.expressions.expression(), ...this.cursor.span(from) };
      default:
    }
    return this.assignmentOrCall();
  }

  private ifStatement(): StatementNode {
    const from = this.cursor.token.from;
    const branches: { test: ExprNode; body: BlockNode }[] = [];
    let otherwise: BlockNode | undefined;
    do {
      this.cursor.expect("if", "after else");
      const test = this.expressions.expression();
      branches.push({ test, body: this.block() });
      if (!this.cursor.accept("else")) break;
      if (!this.cursor.is("if")) otherwise = this.block();
    } while (!otherwise);
    return { kind: "if", branches, ...(otherwise && { otherwise }), ...this.cursor.span(from) };
  }

  private assignmentOrCall(): StatementNode {
    const from = this.cursor.token.from;
    if (!this.cursor.isName())
      this.cursor.fail(
        "syntax",
        `Expected a statement, but found ${this.cursor.found()}.`,
        "A statement sets data (x = 1), calls an effect, or begins with let, if, for, note, raise, eliminate, reopen or return.",
      );
    const target = this.assignable();
    if (this.cursor.is("=") || this.cursor.is("+=") || this.cursor.is("-=")) {
      const op = this.cursor.take().text as "=" | "+=" | "-=";
      const value = this.expressions.expression();
      return { kind: "assign", target, op, value, ...this.cursor.span(from) };
    }
    if (target.kind !== "call")
      this.cursor.fail("syntax", `Expected "=", "+=" or "-=" after this, but found ${this.cursor.found()}.`);
    return { kind: "call", call: target, ...this.cursor.span(from) };
  }

  /** The left side of an assignment or a call: never a comparison, so `=` after it is free. */
  private assignable(): ExprNode {
    const first = this.cursor.name("a name");
    let of: ExprNode = { kind: "name", name: first, from: first.from, to: first.to };
    for (;;) {
      if (this.cursor.is(".") && this.cursor.nextToken.kind === "word") {
        this.cursor.take();
        const token = this.cursor.take();
        of = {
          kind: "member",
          of,
          name: { text: token.text, from: token.from, to: token.to },
          ...this.cursor.span(first.from),
        };
      } else if (this.cursor.is("[") && this.cursor.token.touching) {
        this.cursor.take();
        const key = this.expressions.expression();
        this.cursor.expect("]", "after an index");
        of = { kind: "index", of, key, ...this.cursor.span(first.from) };
      } else if (this.cursor.is("(") && this.cursor.token.touching) {
        const args = this.expressions.arguments();
        return { kind: "call", of, args, ...this.cursor.span(first.from) };
      } else {
        return of;
      }
    }
  }

  // ---- arrows ----------------------------------------------------------------------------------

  /** `-> ...` when one stands here. */
  optionalArrow(): ArrowNode | undefined {
    return this.cursor.is("->") ? this.arrow() : undefined;
  }

  arrow(): ArrowNode {
    return this.cursor.nested(() => {
      const from = this.cursor.expect("->", "and where it leads").from;
      switch (this.cursor.token.text) {
        case "stay":
        case "ready":
        case "return": {
          const kind = this.cursor.take().text as "stay" | "ready" | "return";
          return { kind, ...this.cursor.span(from) };
        }
        case "again": {
          this.cursor.take();
          return {
            kind: "to",
            again: true,
            inner: false,
            target: this.expressions.reference("the state to enter anew"),
            ...this.cursor.span(from),
          };
        }
        case "history": {
          this.cursor.take();
          const deep =
            this.cursor.is("deep") && this.cursor.isName(this.cursor.nextToken) && this.cursor.accept("deep");
          return {
            kind: "history",
            deep,
            target: this.cursor.name("the state whose history counts"),
            ...this.cursor.span(from),
          };
        }
        case "choose":
          return this.choose(from);
        case "odds":
          return this.odds(from);
        default: {
          const inner =
            this.cursor.is("inner") && this.cursor.isName(this.cursor.nextToken) && this.cursor.accept("inner");
          const target: ReferenceNode = this.expressions.reference("a state, an overlay or an ending after the arrow");
          return { kind: "to", again: false, inner, target, ...this.cursor.span(from) };
        }
      }
    });
  }

  private choose(from: number): ArrowNode {
    this.cursor.take();
    this.cursor.expect("{", 'after "choose"');
    const branches: BranchNode[] = [];
    let otherwise: BranchNode | undefined;
    while (!this.cursor.is("}")) {
      this.accepts();
      const branchFrom = this.cursor.token.from;
      if (this.cursor.accept("when")) {
        const test = this.expressions.expression();
        const block = this.cursor.is("{") ? this.block() : undefined;
        const arrow = this.arrow();
        if (otherwise)
          this.cursor.messages.error(
            "else-not-last",
            { from: branchFrom, to: arrow.to },
            "This branch stands after the else, so it is never taken.",
            "Move the else to the end.",
          );
        branches.push({ test, ...(block && { block }), arrow, ...this.cursor.span(branchFrom) });
      } else if (this.cursor.accept("else")) {
        const block = this.cursor.is("{") ? this.block() : undefined;
        const arrow = this.arrow();
        if (otherwise)
          this.cursor.messages.error(
            "else-not-last",
            { from: branchFrom, to: arrow.to },
            "A choice has one else.",
            "Remove one of them.",
          );
        otherwise = { ...(block && { block }), arrow, ...this.cursor.span(branchFrom) };
      } else {
        this.cursor.fail("syntax", `Expected "when", "else" or "}" in a choice, but found ${this.cursor.found()}.`);
      }
    }
    this.cursor.take();
    return { kind: "choose", branches, ...(otherwise && { otherwise }), ...this.cursor.span(from) };
  }

  private odds(from: number): ArrowNode {
    this.cursor.take();
    this.cursor.expect("{", 'after "odds"');
    const entries: { weight: ExprNode; target: ReferenceNode }[] = [];
    while (!this.cursor.is("}")) {
      const weight = this.expressions.expression();
      this.cursor.expect("->", "after a weight");
      entries.push({ weight, target: this.expressions.reference("a state after the arrow") });
    }
    this.cursor.take();
    return { kind: "odds", entries, ...this.cursor.span(from) };
  }
}
