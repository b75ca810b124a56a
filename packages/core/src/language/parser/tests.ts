/** Tests: lines that play a match, and what they expect of it. */

import {
  type DiceNode,
  type Name,
  type ReferenceNode,
  type ExpectationNode,
  type ExprNode,
  RESULT_WORDS,
  type ResultWord,
  type TestLineNode,
  type TestNode,
} from "../syntax.js";
import { type Cursor, SyntaxFailure } from "./cursor.js";
import type { Expressions } from "./expressions.js";
import { skipLine } from "./skip.js";

const RESULTS: ReadonlySet<string> = new Set(RESULT_WORDS);

/** Words that a line begins with elsewhere, and what is written here; the reserved ones among them name no seat. */
const FOREIGN_LINES: ReadonlyMap<string, string> = new Map([
  ["set", "given"],
  ["let", "given"],
  ["after", "wait"],
  ["raise", "event"],
  ["emit", "event"],
  ["fire", "event"],
  ["check", "expect"],
]);

/** Reads a machine's tests at the cursor. */
export class Tests {
  /** @param isSeat whether the seats declared so far have this name */
  constructor(
    private readonly cursor: Cursor,
    private readonly expressions: Expressions,
    private readonly isSeat: (name: string) => boolean,
  ) {}

  test(): TestNode {
    const from = this.cursor.take().from;
    const words = this.expressions.plainText("what the test shows");
    this.cursor.open("before the test's lines", () => this.cursor.token.leads, 'Write: test "WORDS" { ... }');
    const lines: TestLineNode[] = [];
    while (!this.cursor.is("}")) {
      if (this.cursor.token.kind === "end") {
        const { to } = this.cursor.lastToken;
        const message = 'A "}" is missing after this: the test is still open.';
        this.cursor.messages.error("missing-brace", { from: to - 1, to }, message);
        throw new SyntaxFailure(message);
      }
      try {
        lines.push(this.testLine());
        if (this.cursor.is(",")) this.cursor.takeForeign("Nothing separates the lines of a test.", "", "Leave it out.");
      } catch (error) {
        if (!(error instanceof SyntaxFailure)) throw error;
        skipLine(this.cursor);
      }
    }
    this.cursor.take();
    return { kind: "test", words, lines, ...this.cursor.span(from) };
  }

  private testLine(): TestLineNode {
    const missing = this.foreignLine();
    const from = this.cursor.token.from;
    const { nextToken } = this.cursor;
    const isStart = this.cursor.is("start") && this.cursor.isName(nextToken) && !nextToken.leads;
    if (isStart) this.cursor.takeForeign('Where a test begins is said by "at".', "at", `Write: at ${nextToken.text}`);
    if (isStart || this.cursor.accept("at")) {
      const target = this.expressions.reference("a state");
      if (this.cursor.is("dice")) {
        const at = this.cursor.token;
        const words = 'The dice with which a test begins stand behind "given".';
        this.cursor.foreign({ from: at.from, to: at.to }, words, "Write on a line of its own: given dice ...", {
          title: 'Write "given" before them',
          edits: [{ from: at.from, to: at.from, text: "given " }],
        });
        this.setDice();
      }
      return { kind: "at", target, ...this.cursor.span(from) };
    }
    if (missing === "given" || this.cursor.accept("given")) {
      const values: { target: ExprNode; value: ExprNode }[] = [];
      if (!this.cursor.is("dice")) {
        do {
          const target = this.valuePath();
          if (this.cursor.is("==")) this.cursor.takeForeign('Data are set with one "=".', "=");
          else this.cursor.expect("=", "after the data");
          values.push({ target, value: this.expressions.expression() });
        } while (this.cursor.accept(","));
      }
      return { kind: "given", values, ...this.setDice(), ...this.cursor.span(from) };
    }
    if (this.cursor.accept("wait")) {
      const time = this.expressions.time();
      return { kind: "wait", time, ...this.setDice(), ...this.cursor.span(from) };
    }
    if (missing === "event") {
      const event = this.expressions.reference("an event");
      return { kind: "event", event, ...this.setDice(), ...this.cursor.span(from) };
    }
    if (
      this.cursor.is("event") &&
      this.cursor.isName(this.cursor.nextToken) &&
      !this.cursor.nextToken.leads &&
      !this.isSeat("event")
    ) {
      this.cursor.take();
      const event = this.expressions.reference("an event");
      return { kind: "event", event, ...this.setDice(), ...this.cursor.span(from) };
    }
    if (this.cursor.is("seats") && (this.cursor.nextToken.kind === "int" || this.cursor.nextToken.leads)) {
      this.cursor.take();
      if (this.cursor.token.kind !== "int") this.cursor.expected("how many seats there are");
      return { kind: "seats", count: this.cursor.take().value, ...this.cursor.span(from) };
    }
    const { kind, leads } = this.cursor.nextToken;
    if (this.cursor.is("open") && kind === "word" && !leads && !this.isSeat("open")) {
      this.cursor.take();
      return { kind: "open", seat: this.cursor.name("a seat"), ...this.cursor.span(from) };
    }
    if (this.cursor.accept("expect")) {
      const expectations = [this.expectation()];
      while (this.cursor.accept(",") || this.joined()) expectations.push(this.expectation());
      return { kind: "expect", expectations, ...this.cursor.span(from) };
    }
    if (this.cursor.is("assert") && !this.isSeat("assert")) {
      const { from: at, to } = this.cursor.token;
      this.cursor.foreign({ from: at, to }, 'What must be so begins with "expect".', "Write: expect COND.");
      throw new SyntaxFailure("assert");
    }
    const seat = this.cursor.name(
      "a line of a test: seats, open, at, given, wait, event, expect, or a seat and its action",
    );
    // With arguments it is an action of that name.
    const joinsOrLeaves = (this.cursor.is("joins") || this.cursor.is("leaves")) && !this.cursor.nextIs("(");
    if (joinsOrLeaves) {
      const kind = this.cursor.take().text as "joins" | "leaves";
      return { kind, seat, ...this.refused(), ...this.cursor.span(from) };
    }
    if ((this.cursor.is(".") || this.cursor.is(":")) && this.cursor.isName(this.cursor.nextToken)) {
      const help = `Write: ${seat.text} ${this.cursor.nextToken.text}`;
      this.cursor.takeForeign("An action stands right behind its seat.", " ", help);
    }
    const action = this.withBareArguments(this.expressions.reference(`an action of ${seat.text}`));
    const dice = this.setDice();
    return { kind: "act", seat, action, ...dice, ...this.refused(), ...this.cursor.span(from) };
  }

  /** Words of other languages that a line begins with. @returns the word that is left out */
  private foreignLine(): "given" | "event" | undefined {
    const { token, nextToken } = this.cursor;
    if (this.leadsIn()) this.cursor.takeForeign("A line of a test begins with its seat.", "", "Leave it out.");
    const ours = token.kind === "word" && !this.isSeat(token.text) ? FOREIGN_LINES.get(token.text) : undefined;
    if (ours !== undefined && nextToken.kind !== "mark")
      this.cursor.takeForeign(`There is no "${token.text}" in a test.`, ours);
    const isWritten = nextToken.text === "=" || nextToken.text === "(";
    if (ours !== undefined || !isWritten || !this.cursor.isName() || this.isSeat(token.text)) return undefined;
    const word = nextToken.text === "=" ? "given" : "event";
    const words =
      word === "given" ? 'What a test begins with stands behind "given".' : 'What the game tells is an "event".';
    this.cursor.foreign({ from: token.from, to: token.to }, words, `Write: ${word} ${token.text}...`, {
      title: `Write "${word}"`,
      edits: [{ from: token.from, to: token.from, text: `${word} ` }],
    });
    return word;
  }

  /** `ann strike ben`: arguments that stand behind an action without parentheses. */
  private withBareArguments(action: ReferenceNode): ReferenceNode {
    const { token } = this.cursor;
    // A seat with a name behind it is the next line.
    const isSeat = token.kind === "word" && this.isSeat(token.text) && !this.cursor.isName(this.cursor.nextToken);
    const isValue = token.kind === "int" || token.kind === "text" || isSeat;
    if (action.args.length > 0 || token.leads || !isValue) return action;
    const args: ReferenceNode["args"][number][] = [];
    do {
      const value = this.expressions.expression();
      args.push({ value, from: value.from, to: value.to });
    } while (this.cursor.accept(","));
    const { to } = this.cursor.lastToken;
    this.cursor.foreign(
      { from: token.from, to },
      "The arguments of an action stand in parentheses.",
      `Write: ${action.name.text}(${this.cursor.written({ from: token.from, to })})`,
      {
        title: "Write parentheses",
        edits: [
          { from: action.to, to: token.from, text: "(" },
          { from: to, to, text: ")" },
        ],
      },
    );
    return { ...action, args, to };
  }

  /** A word before a seat and its action, such as "do ann go". */
  private leadsIn(): boolean {
    const { token, nextToken } = this.cursor;
    const isWord = ["do", "then", "when", "and", "let", "run", "play"].includes(token.text) && !this.isSeat(token.text);
    return isWord && this.isSeat(nextToken.text) && !nextToken.leads;
  }

  /** Words that join conditions, behind an expectation that is none: a result, an ending, who has the turn. */
  private joined(): boolean {
    if (this.cursor.is("and")) {
      this.cursor.takeForeign("Things that are expected stand with commas between them.", ",");
      return true;
    }
    if (!this.cursor.is("or") && !this.cursor.is("implies")) return false;
    const { from, to, text } = this.cursor.take();
    const words = `"${text}" joins conditions, and what stands before it is none: it is expected by itself.`;
    this.cursor.foreign({ from, to }, words, "Leave one of them out, or write a test for each.");
    return true;
  }

  private refused(): { refused?: Name } {
    if (!this.cursor.accept("refused")) return {};
    if (!this.cursor.isName())
      this.cursor.fail(
        "syntax",
        `Expected the code of the refusal, but found ${this.cursor.found()}.`,
        "Write why it is refused: refused needsFailed, notYourTurn, badArgument, notOpenHere, matchOver.",
      );
    return { refused: this.cursor.name("the code of the refusal") };
  }

  private valuePath(): ExprNode {
    const first = this.cursor.name("data to begin with");
    let of: ExprNode = { kind: "name", name: first, from: first.from, to: first.to };
    for (;;) {
      if (this.cursor.accept(".")) {
        const name = this.cursor.name("a field");
        of = { kind: "member", of, name, ...this.cursor.span(first.from) };
      } else if (this.cursor.is("[")) {
        this.cursor.take();
        const key = this.expressions.expression();
        this.cursor.expect("]", "after an index");
        of = { kind: "index", of, key, ...this.cursor.span(first.from) };
      } else {
        return of;
      }
    }
  }

  /** `dice 3, any, true, ...` */
  private setDice(): { dice?: DiceNode } {
    if (!this.cursor.accept("dice")) return {};
    const values: (ExprNode | "any")[] = [];
    do {
      if (this.cursor.accept("...")) return { dice: { values, rest: true } };
      const isAny = this.cursor.is("any") && !this.cursor.nextIs("(");
      values.push(isAny && this.cursor.accept("any") ? "any" : this.expressions.expression());
    } while (this.cursor.accept(",") || this.lacksComma());
    return { dice: { values, rest: false } };
  }

  /** Whether another die stands on the same line without a comma before it, which is told. */
  private lacksComma(): boolean {
    const { kind, leads } = this.cursor.token;
    const isDie =
      kind === "int" || kind === "num" || ["any", "...", "true", "false"].some((word) => this.cursor.is(word));
    if (leads || !isDie) return false;
    this.cursor.missingComma();
    return true;
  }

  /** "ended" and the like before the name of an ending. */
  private endedElsewhere(): boolean {
    const { nextToken } = this.cursor;
    const isWord = ["ended", "ends", "end", "finished", "over"].some((word) => this.cursor.is(word));
    if (!isWord || !this.cursor.isName(nextToken) || nextToken.leads || RESULTS.has(nextToken.text)) return false;
    this.cursor.takeForeign('How a match ended is its "ending".', "ending", `Write: ending ${nextToken.text}`);
    return true;
  }

  private expectation(): ExpectationNode {
    const from = this.cursor.token.from;
    if (this.cursor.accept("ending") || this.endedElsewhere())
      return { kind: "ending", ending: this.expressions.reference("an ending"), ...this.cursor.span(from) };
    if (this.cursor.accept("turn")) {
      const { lastToken } = this.cursor;
      if (this.cursor.isName() && !this.cursor.is("of") && !this.cursor.token.leads)
        this.cursor.foreign(lastToken, 'Whose turn it is, is "turn of".', `Write: turn of ${this.cursor.token.text}`, {
          title: 'Write "turn of"',
          edits: [{ from: lastToken.to, to: lastToken.to, text: " of" }],
        });
      else this.cursor.expect("of", 'after "turn"');
      return { kind: "turn", seats: this.expressions.expression(), ...this.cursor.span(from) };
    }
    if (this.cursor.accept("note"))
      return { kind: "note", text: this.expressions.plainText("a note's text"), ...this.cursor.span(from) };
    if ((this.cursor.is("open") || this.cursor.is("closed")) && this.cursor.isName(this.cursor.nextToken)) {
      const kind = this.cursor.take().text as "open" | "closed";
      const seat = this.cursor.name("a seat");
      const action = this.expressions.reference("an action");
      const reason =
        kind === "closed" && this.cursor.token.kind === "text" ? this.expressions.plainText("the reason") : undefined;
      return { kind, seat, action, ...(reason !== undefined && { reason }), ...this.cursor.span(from) };
    }
    if (this.cursor.isName() && RESULTS.has(this.cursor.nextToken.text) && this.cursor.nextToken.kind === "word") {
      const seat = this.cursor.name("a seat");
      const word = this.cursor.take().text as ResultWord;
      return { kind: "result", seat, word, ...this.cursor.span(from) };
    }
    if (this.cursor.isName() && (this.cursor.nextIs("rank") || this.cursor.nextIs("score"))) {
      const seat = this.cursor.name("a seat");
      const what = this.cursor.take().text as "rank" | "score";
      return { kind: "standing", seat, what, value: this.expressions.expression(), ...this.cursor.span(from) };
    }
    return { kind: "holds", test: this.expressions.expression(), ...this.cursor.span(from) };
  }
}
