/** Effect blocks, their statements, and arrows. */

import type { ArrowNode, BlockNode, BranchNode, ExprNode, ReferenceNode, StatementNode } from "../syntax.js";
import { SyntaxFailure } from "./cursor.js";
import { ExpressionParser } from "./expressions.js";

export class BlockParser extends ExpressionParser {
  /** `{ statements }`. A broken statement is skipped to the next line; a lost brace is reported where it is missing. */
  block(): BlockNode {
    return this.nested(() => {
      const open = this.expect("{", "to open a block");
      const statements: StatementNode[] = [];
      while (!this.is("}")) {
        if (this.blockIsLost()) {
          const end = this.lastToken;
          this.messages.error(
            "missing-brace",
            { from: end.to - 1, to: end.to },
            `A "}" is missing after this: ${this.found()} cannot stand inside a block of effects.`,
            undefined,
            { from: open.from, to: open.to, words: "The block was opened here." },
          );
          return { statements, ...this.span(open.from) };
        }
        try {
          this.accepts();
          if (this.is("}")) break;
          statements.push(this.statement());
        } catch (error) {
          if (!(error instanceof SyntaxFailure)) throw error;
          this.skipStatement();
        }
      }
      this.take();
      return { statements, ...this.span(open.from) };
    });
  }

  /** Reads what is silenced here. Overridden by the file's parser, which keeps it. */
  protected accepts(): void {}

  /** Inside effects an item's word, an arrow at the start of a line or the end of the text mean a lost brace. */
  private blockIsLost(): boolean {
    const { kind, text } = this.token;
    if (kind === "end" || text === "->") return true;
    return this.begins("item") || (this.begins("top") && text !== "seats");
  }

  private skipStatement(): void {
    let depth = 0;
    for (let first = true; ; first = false) {
      const { kind, text, leads } = this.token;
      if (kind === "end") return;
      if (depth === 0 && (text === "}" || (leads && !first))) return;
      if (text === "{") depth++;
      if (text === "}") depth--;
      this.take();
    }
  }

  private statement(): StatementNode {
    const from = this.token.from;
    switch (this.token.text) {
      case "let": {
        this.take();
        const name = this.name('a name after "let"');
        this.expect("=", `after "let ${name.text}"`);
        const value = this.expression();
        return { kind: "let", name, value, ...this.span(from) };
      }
      case "note": {
        this.take();
        const audience = this.accept("to") ? this.expression() : undefined;
        if (this.token.kind !== "text")
          this.fail("syntax", `Expected a text in quotes after "note", but found ${this.found()}.`);
        return { kind: "note", ...(audience && { audience }), text: this.text(), ...this.span(from) };
      }
      case "raise": {
        this.take();
        const { name: signal, args } = this.reference("a signal");
        return { kind: "raise", signal, args, ...this.span(from) };
      }
      case "eliminate": {
        // Before anything but a seat on the same line it is a name.
        if (this.nextToken.leads || this.nextToken.kind !== "word" || !this.isName(this.nextToken)) break;
        this.take();
        return { kind: "eliminate", seat: this.expression(), ...this.span(from) };
      }
      case "for": {
        this.take();
        const variable = this.name('a name after "for"');
        this.expect("in", `after "for ${variable.text}"`);
        const source = this.expression();
        const where = this.accept("where") ? this.expression() : undefined;
        const body = this.block();
        return { kind: "for", variable, source, ...(where && { where }), body, ...this.span(from) };
      }
      case "if":
        return this.ifStatement();
      default:
    }
    return this.assignmentOrCall();
  }

  private ifStatement(): StatementNode {
    const from = this.token.from;
    const branches: { test: ExprNode; body: BlockNode }[] = [];
    let otherwise: BlockNode | undefined;
    do {
      this.expect("if", "after else");
      const test = this.expression();
      branches.push({ test, body: this.block() });
      if (!this.accept("else")) break;
      if (!this.is("if")) otherwise = this.block();
    } while (!otherwise);
    return { kind: "if", branches, ...(otherwise && { otherwise }), ...this.span(from) };
  }

  private assignmentOrCall(): StatementNode {
    const from = this.token.from;
    if (!this.isName())
      this.fail(
        "syntax",
        `Expected a statement, but found ${this.found()}.`,
        "A statement sets data (x = 1), calls an effect, or begins with let, if, for, note, raise or eliminate.",
      );
    const target = this.assignable();
    if (this.is("=") || this.is("+=") || this.is("-=")) {
      const op = this.take().text as "=" | "+=" | "-=";
      const value = this.expression();
      return { kind: "assign", target, op, value, ...this.span(from) };
    }
    if (target.kind !== "call")
      this.fail("syntax", `Expected "=", "+=" or "-=" after this, but found ${this.found()}.`);
    return { kind: "call", call: target, ...this.span(from) };
  }

  /** The left side of an assignment or a call: never a comparison, so `=` after it is free. */
  private assignable(): ExprNode {
    const first = this.name("a name");
    let of: ExprNode = { kind: "name", name: first, from: first.from, to: first.to };
    for (;;) {
      if (this.is(".") && this.nextToken.kind === "word") {
        this.take();
        const token = this.take();
        of = {
          kind: "member",
          of,
          name: { text: token.text, from: token.from, to: token.to },
          ...this.span(first.from),
        };
      } else if (this.is("[") && this.token.touching) {
        this.take();
        const key = this.expression();
        this.expect("]", "after an index");
        of = { kind: "index", of, key, ...this.span(first.from) };
      } else if (this.is("(") && this.token.touching) {
        const args = this.arguments();
        return { kind: "call", of, args, ...this.span(first.from) };
      } else {
        return of;
      }
    }
  }

  // ---- arrows ----------------------------------------------------------------------------------

  /** `-> ...` when one stands here. */
  protected optionalArrow(): ArrowNode | undefined {
    return this.is("->") ? this.arrow() : undefined;
  }

  protected arrow(): ArrowNode {
    return this.nested(() => {
      const from = this.expect("->", "and where it leads").from;
      switch (this.token.text) {
        case "stay":
        case "ready":
        case "return": {
          const kind = this.take().text as "stay" | "ready" | "return";
          return { kind, ...this.span(from) };
        }
        case "again": {
          this.take();
          return {
            kind: "to",
            again: true,
            inner: false,
            target: this.reference("the state to enter anew"),
            ...this.span(from),
          };
        }
        case "history": {
          this.take();
          const deep = this.is("deep") && this.isName(this.nextToken) && this.accept("deep");
          return { kind: "history", deep, target: this.name("the state whose history counts"), ...this.span(from) };
        }
        case "choose":
          return this.choose(from);
        case "odds":
          return this.odds(from);
        default: {
          const inner = this.is("inner") && this.isName(this.nextToken) && this.accept("inner");
          const target: ReferenceNode = this.reference("a state, an overlay or an ending after the arrow");
          return { kind: "to", again: false, inner, target, ...this.span(from) };
        }
      }
    });
  }

  private choose(from: number): ArrowNode {
    this.take();
    this.expect("{", 'after "choose"');
    const branches: BranchNode[] = [];
    let otherwise: BranchNode | undefined;
    while (!this.is("}")) {
      this.accepts();
      const branchFrom = this.token.from;
      if (this.accept("when")) {
        const test = this.expression();
        const block = this.is("{") ? this.block() : undefined;
        const arrow = this.arrow();
        if (otherwise)
          this.messages.error(
            "else-not-last",
            { from: branchFrom, to: arrow.to },
            "This branch stands after the else, so it is never taken.",
            "Move the else to the end.",
          );
        branches.push({ test, ...(block && { block }), arrow, ...this.span(branchFrom) });
      } else if (this.accept("else")) {
        const block = this.is("{") ? this.block() : undefined;
        const arrow = this.arrow();
        if (otherwise)
          this.messages.error(
            "else-not-last",
            { from: branchFrom, to: arrow.to },
            "A choice has one else.",
            "Remove one of them.",
          );
        otherwise = { ...(block && { block }), arrow, ...this.span(branchFrom) };
      } else {
        this.fail("syntax", `Expected "when", "else" or "}" in a choice, but found ${this.found()}.`);
      }
    }
    this.take();
    return { kind: "choose", branches, ...(otherwise && { otherwise }), ...this.span(from) };
  }

  private odds(from: number): ArrowNode {
    this.take();
    this.expect("{", 'after "odds"');
    const entries: { weight: ExprNode; target: ReferenceNode }[] = [];
    while (!this.is("}")) {
      const weight = this.expression();
      this.expect("->", "after a weight");
      entries.push({ weight, target: this.reference("a state after the arrow") });
    }
    this.take();
    return { kind: "odds", entries, ...this.span(from) };
  }
}
