/** Where a step leads: arrows, choices, odds. */

import { FOREIGN_CHOICES } from "../foreign.js";
import type { Token } from "../scanner.js";
import type { ArrowNode, BlockNode, BranchNode, ExprNode, ReferenceNode, StatementNode } from "../syntax.js";
import { WORDS } from "../words.js";
import type { Blocks } from "./blocks.js";
import { type Cursor, SyntaxFailure } from "./cursor.js";
import type { Expressions } from "./expressions.js";
import { skipBranch } from "./skip.js";

/** Reads arrows at the cursor. */
export class Arrows {
  constructor(
    private readonly cursor: Cursor,
    private readonly expressions: Expressions,
    private readonly blocks: Blocks,
  ) {}

  /** `-> ...` when one stands here. */
  optional(): ArrowNode | undefined {
    return this.cursor.is("->") ? this.arrow() : undefined;
  }

  arrow(): ArrowNode {
    return this.cursor.nested(() => {
      const from = this.arrowSign();
      switch (this.cursor.token.text) {
        case "if":
        case "{": {
          const { from: at, to, text } = this.cursor.token;
          if (text === "if")
            this.cursor.foreign(
              { from: at, to },
              "Where an arrow leads is chosen by conditions.",
              "Write: -> choose { when COND -> A  else -> B }",
            );
          else
            this.cursor.foreign({ from: at, to }, "What happens stands before the arrow.", "Write: { ... } -> STATE");
          throw new SyntaxFailure(text);
        }
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
          const help = this.cursor.nextIs("{") ? FOREIGN_CHOICES.get(this.cursor.token.text) : undefined;
          if (help !== undefined) {
            const { from: at, to, text } = this.cursor.token;
            this.cursor.foreign({ from: at, to }, `There is no "${text}" here.`, help);
            throw new SyntaxFailure(text);
          }
          const inner =
            this.cursor.is("inner") && this.cursor.isName(this.cursor.nextToken) && this.cursor.accept("inner");
          const target: ReferenceNode = this.expressions.reference("a state, an overlay or an ending after the arrow");
          return { kind: "to", again: false, inner, target, ...this.cursor.span(from) };
        }
      }
    });
  }

  /** `->`; a colon in its place is told. @returns where it begins */
  private arrowSign(): number {
    if (!this.cursor.is(":")) return this.cursor.expect("->", "and where it leads").from;
    const { from, to } = this.cursor.take();
    this.cursor.foreign({ from, to }, 'Where it leads is written with an arrow: "->".', "Write: -> STATE", {
      title: 'Write "->"',
      edits: [{ from, to, text: " ->" }],
    });
    return from;
  }

  /** A state behind a block, with a word or nothing in place of the arrow. */
  noArrow(): ArrowNode | undefined {
    const { token, nextToken } = this.cursor;
    if (token.leads || !this.cursor.isName()) return undefined;
    const isWord = token.text === "goto" && nextToken.kind === "word";
    const follows = isWord ? this.cursor.ahead(2) : nextToken;
    if (!isWord && !/^[A-Z]/.test(token.text)) return undefined;
    if (!follows.leads && follows.text !== "}") return undefined;
    const { from, to } = token;
    this.cursor.foreign({ from, to }, 'Where it leads is written with an arrow: "->".', "Write: -> STATE", {
      title: 'Write "->"',
      edits: [isWord ? { from, to, text: "->" } : { from, to: from, text: "-> " }],
    });
    if (isWord) this.cursor.take();
    const target = this.expressions.reference("a state");
    return { kind: "to", again: false, inner: false, target, ...this.cursor.span(from) };
  }

  /** A condition behind an arrow, where no item of the state follows that begins so. */
  conditionBehind(arrow: ArrowNode): void {
    if (arrow.kind !== "to" || !this.cursor.is("when") || this.cursor.token.leads) return;
    for (let i = 1; ; i++) {
      const { text, leads, kind } = this.cursor.ahead(i);
      if (text === "->" || text === "{") return;
      if (leads || kind === "end" || text === "}") break;
    }
    const { from, to } = this.cursor.take();
    const test = this.cursor.written(this.expressions.expression());
    const target = this.cursor.written(arrow.target);
    const text = `-> choose { when ${test} -> ${target}  else -> stay }`;
    this.cursor.foreign({ from, to }, "A condition stands before its arrow, in a choice.", `Write: ${text}`, {
      title: "Write a choice",
      edits: [{ from: arrow.from, to: this.cursor.lastToken.to, text }],
    });
  }

  private choose(from: number): ArrowNode {
    this.cursor.take();
    this.cursor.open('after "choose"', () => this.cursor.is("when"));
    const branches: BranchNode[] = [];
    let otherwise: BranchNode | undefined;
    // Stands for the else, which it may have been.
    let unread: BranchNode | undefined;
    const before: StatementNode[] = [];
    while (!this.cursor.is("}")) {
      this.blocks.accepts();
      if (this.blocks.statementBegins()) {
        this.effectInside(before);
        continue;
      }
      const begun = this.cursor.token;
      if (this.cursor.accept("when") || this.foreignBranch()) {
        const branch = this.branch(begun, () => this.expressions.expression());
        if (otherwise)
          this.cursor.messages.error(
            "else-not-last",
            branch ?? begun,
            "This branch stands after the else, so it is never taken.",
            "Move the else to the end.",
          );
        if (branch) branches.push(branch);
      } else if (this.cursor.accept("else")) {
        const branch = this.branch(begun);
        if (otherwise)
          this.cursor.messages.error("else-not-last", branch ?? begun, "A choice has one else.", "Remove one of them.");
        // One that could not be read is there, and is not asked for once more.
        const { to } = begun;
        otherwise = branch ?? { arrow: { kind: "stay", from: begun.from, to }, from: begun.from, to };
      } else if (this.cursor.token.kind === "end" || this.cursor.begins("item") || this.cursor.begins("top")) {
        const { to } = this.cursor.lastToken;
        this.cursor.messages.error(
          "missing-brace",
          { from: to - 1, to },
          'A "}" is missing after this: the choice is still open.',
        );
        return { kind: "choose", branches, ...(otherwise && { otherwise }), ...this.cursor.span(from) };
      } else {
        const words = `Expected "when", "else" or "}" in a choice, but found ${this.cursor.found()}.`;
        this.cursor.messages.error("syntax", begun, words);
        skipBranch(this.cursor, begun);
        unread ??= { arrow: { kind: "stay", from: begun.from, to: begun.to }, from: begun.from, to: begun.to };
      }
    }
    this.cursor.take();
    otherwise ??= unread;
    const misplaced = before.length > 0 ? { before } : {};
    return { kind: "choose", branches, ...(otherwise && { otherwise }), ...misplaced, ...this.cursor.span(from) };
  }

  /** An effect among the branches of a choice: the first is told, and all are read as what stands before it. */
  private effectInside(before: StatementNode[]): void {
    const { from } = this.cursor.token;
    const statement = this.blocks.oneStatement();
    if (before.length === 0)
      this.cursor.foreign(
        this.cursor.span(from),
        "A choice holds branches alone; what is done before it is chosen stands before the arrow.",
        "Write: { ... } -> choose { when COND -> A  else -> B }",
      );
    if (statement) before.push(statement);
  }

  /** The effects before an arrow, together with those that stand in it by mistake. */
  effects(block: BlockNode | undefined, arrow: ArrowNode | undefined): BlockNode | undefined {
    if (arrow?.kind !== "choose" || !arrow.before) return block;
    const { from, to } = block ?? arrow;
    return { statements: [...(block?.statements ?? []), ...arrow.before], from, to };
  }

  /**
   * What stands behind the word that begins a branch; undefined when it cannot be read, and those behind it can.
   *
   * @param condition reads its condition, where it has one
   */
  private branch(begun: Token, condition?: () => ExprNode): BranchNode | undefined {
    try {
      const test = condition?.();
      const written = this.blocks.optional();
      const arrow = this.arrow();
      const block = this.effects(written, arrow);
      return { ...(test && { test }), ...(block && { block }), arrow, ...this.cursor.span(begun.from) };
    } catch (error) {
      if (!(error instanceof SyntaxFailure)) throw error;
      skipBranch(this.cursor, begun);
      return undefined;
    }
  }

  /** A branch of a choice that begins with its condition. */
  private foreignBranch(): boolean {
    const { kind, text, from, to } = this.cursor.token;
    const begins = this.cursor.isName() || text === "(" || text === "not" || kind === "int" || text === "if";
    if (!begins || this.cursor.begins("item") || this.cursor.begins("top")) return false;
    const isIf = text === "if";
    this.cursor.foreign(
      { from, to },
      'A branch begins with "when", the last one with "else".',
      "Write: when COND -> A",
      {
        title: 'Write "when"',
        edits: [isIf ? { from, to, text: "when" } : { from, to: from, text: "when " }],
      },
    );
    if (isIf) this.cursor.take();
    return true;
  }

  private odds(from: number): ArrowNode {
    this.cursor.take();
    this.cursor.expect("{", 'after "odds"');
    const entries: { weight: ExprNode; target: ReferenceNode }[] = [];
    while (!this.cursor.is("}")) {
      const begun = this.cursor.token;
      try {
        const weight = this.expressions.expression();
        const arrow = this.cursor.expect("->", "after a weight");
        if (WORDS.get(this.cursor.token.text)?.role === "arrow" && WORDS.get(this.cursor.token.text)?.reserved)
          this.otherArrow(arrow.from);
        else entries.push({ weight, target: this.expressions.reference("a state after the arrow") });
      } catch (error) {
        if (!(error instanceof SyntaxFailure)) throw error;
        skipBranch(this.cursor, begun);
        if (!this.cursor.is("}")) throw error;
      }
    }
    this.cursor.take();
    return { kind: "odds", entries, ...this.cursor.span(from) };
  }

  /** Odds lead to places; whatever else an arrow can do is chosen by what was rolled before. */
  private otherArrow(from: number): void {
    const word = this.cursor.take();
    if (word.text === "again" || word.text === "history") this.expressions.reference("a state");
    const written = this.cursor.written({ from: word.from, to: this.cursor.lastToken.to });
    this.cursor.messages.error(
      "wrong-place",
      this.cursor.span(from),
      `"${word.text}" cannot stand in odds: they lead to states, overlays and endings alone.`,
      `Roll before, and choose: { let rare = chance(1 in 3) } -> choose { when rare -> ${written}  else -> X }.`,
    );
  }
}
