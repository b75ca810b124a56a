/** A whole file: the top level, endings, laws, policies and tests. */

import type { Messages } from "../message.js";
import type { SourceFile, Span } from "../source.js";
import type {
  AcceptNode,
  EndingNode,
  ExpectationNode,
  ExprNode,
  FileNode,
  LawNode,
  Name,
  PolicyNode,
  ReferenceNode,
  ResultNode,
  ResultWord,
  SeatsNode,
  TestLineNode,
  TestNode,
  TopNode,
} from "../syntax.js";
import { SyntaxFailure } from "./cursor.js";
import { ItemParser } from "./items.js";

const RESULT_WORDS: ReadonlySet<string> = new Set(["wins", "loses", "draws", "none"]);

/**
 * Parses one file. Always gives a tree; what could not be read is left out of it and reported in
 * `messages`, so that one run names every independent mistake.
 */
export function parse(file: SourceFile, messages: Messages): FileNode {
  return new FileParser(file, messages).parseFile();
}

/** Parses a file that another includes: declarations alone. */
export function parsePart(file: SourceFile, messages: Messages): FileNode {
  return new FileParser(file, messages).parsePart();
}

class FileParser extends ItemParser {
  private readonly accepted: AcceptNode[] = [];
  private readonly includes: (Span & { path: string })[] = [];
  private seats: SeatsNode | undefined;

  parseFile(): FileNode {
    const from = this.token.from;
    let name: Name = { text: "", from, to: from };
    let standardOrder = false;
    const items: TopNode[] = [];
    try {
      this.expect(
        "machine",
        "at the beginning of the file",
        'A machine begins with "machine NAME"; a file of declarations alone is checked with the machine that includes it.',
      );
      name = this.name("the name of the machine");
      if (this.accept("order")) {
        this.expect("standard", 'after "order"');
        standardOrder = true;
      }
    } catch (error) {
      if (!(error instanceof SyntaxFailure)) throw error;
      this.skipItem();
    }
    this.tops(items);
    return {
      name,
      standardOrder,
      includes: this.includes,
      ...(this.seats && { seats: this.seats }),
      items,
      accepts: this.accepted,
      lost: this.lost,
      ...this.span(from),
    };
  }

  parsePart(): FileNode {
    const from = this.token.from;
    const name: Name = { text: "", from, to: from };
    const items: TopNode[] = [];
    if (this.is("machine")) {
      this.messages.error(
        "wrong-place",
        this.token,
        "This file is a machine of its own and cannot be included.",
        'A file to include holds declarations alone: remove its "machine" and "seats".',
      );
      return { name, standardOrder: false, includes: [], items, accepts: [], lost: [], ...this.span(from) };
    }
    this.tops(items);
    if (this.seats)
      this.messages.error(
        "wrong-place",
        this.seats,
        "The seats are the machine's own: an included file cannot declare them.",
        "Move this line into the file that includes this one.",
      );
    return {
      name,
      standardOrder: false,
      includes: this.includes,
      items,
      accepts: this.accepted,
      lost: this.lost,
      ...this.span(from),
    };
  }

  private tops(items: TopNode[]): void {
    while (this.token.kind !== "end") {
      const begun = this.nextToken;
      try {
        this.top(items);
      } catch (error) {
        if (!(error instanceof SyntaxFailure)) throw error;
        this.lose(begun);
        this.skipItem();
        if (this.is("}")) this.take();
      }
    }
  }

  private top(items: TopNode[]): void {
    this.accepts();
    const { from, kind, text } = this.token;
    if (kind === "end") return;
    if (text === "include") {
      this.take();
      this.includes.push({ path: this.plainText("a file's name"), ...this.span(from) });
    } else if (text === "seats") {
      if (this.seats)
        this.messages.error("duplicate-name", this.token, "The seats are declared twice.", undefined, {
          ...this.seats,
          words: "They were declared here.",
        });
      this.seats = this.seatList();
    } else if (text === "}") {
      this.messages.error(
        "extra-brace",
        this.token,
        'This "}" closes nothing.',
        "Remove it, or look for a body above that was closed too early.",
      );
      this.take();
    } else {
      items.push(this.topItem());
    }
  }

  protected override accepts(): void {
    while (this.is("accept") && this.nextToken.kind === "word") {
      const from = this.take().from;
      const first = this.take();
      let to = first.to;
      while (this.is("-") && this.token.touching) {
        this.take();
        to = this.take().to;
      }
      const offset = this.file.base;
      const message = { text: this.file.text.slice(first.from - offset, to - offset), from: first.from, to };
      this.accepted.push({ message, reason: this.plainText("the reason"), ...this.span(from) });
    }
  }

  private seatList(): SeatsNode {
    const from = this.take().from;
    if (this.token.kind === "int") {
      const low = this.take().value;
      this.expect("..", "between the least and the greatest number of seats");
      if (this.token.kind !== "int")
        this.fail("syntax", `Expected the greatest number of seats, but found ${this.found()}.`);
      const high = this.take().value;
      return { kind: "counted", low, high, name: this.name("what such a seat is called"), ...this.span(from) };
    }
    const names = [this.name("the name of a seat")];
    for (;;) {
      if (!this.accept(",")) {
        if (!this.isName() || this.token.leads) break;
        this.messages.error(
          "syntax",
          this.token,
          `A "," is missing between the seats, before ${this.found()}.`,
          `Write: seats ${names.map((n) => n.text).join(", ")}, ${this.token.text}`,
        );
      }
      names.push(this.name("the name of a seat"));
    }
    return { kind: "named", names, ...this.span(from) };
  }

  private topItem(): TopNode {
    const doc = this.doc();
    const documented = doc === undefined ? {} : { doc };
    const { from, text } = this.token;
    if (this.token.kind !== "word") this.fail("syntax", `Expected a declaration, but found ${this.found()}.`);
    switch (text) {
      case "type": {
        this.take();
        const name = this.name("the name of the type");
        if (this.accept("is")) {
          const members = [this.name("a member")];
          while (this.accept(",")) members.push(this.name("a member"));
          return { kind: "enum", ...documented, name, members, ...this.span(from) };
        }
        return { kind: "record", ...documented, name, fields: this.fields(`type ${name.text}`), ...this.span(from) };
      }
      case "const": {
        this.take();
        const name = this.name("the name of the constant");
        this.expect(":", "before the constant's type");
        const type = this.type();
        this.expect("=", "before the constant's value");
        return { kind: "const", ...documented, name, type, value: this.expression(), ...this.span(from) };
      }
      case "signal":
      case "event": {
        this.take();
        const name = this.name(`the name of the ${text}`);
        return { kind: text, ...documented, name, parameters: this.parameters(), ...this.span(from) };
      }
      case "function": {
        this.take();
        const name = this.name("the name of the function");
        const parameters = this.parameters();
        this.expect(":", "before the function's type");
        const type = this.type();
        this.expect("=", "before the function's value");
        return { kind: "function", ...documented, name, parameters, type, body: this.expression(), ...this.span(from) };
      }
      case "effect": {
        this.take();
        const name = this.name("the name of the effect");
        const parameters = this.parameters();
        return { kind: "effect", ...documented, name, parameters, body: this.block(), ...this.span(from) };
      }
      case "team": {
        this.take();
        const name = this.name("the name of the team");
        this.expect(":", "before the team's seats");
        const seats = [this.name("a seat")];
        while (this.accept(",")) seats.push(this.name("a seat"));
        return { kind: "team", name, seats, ...this.span(from) };
      }
      case "dice":
        this.take();
        return { kind: "dice", name: this.name("the name of the stream of dice"), ...this.span(from) };
      case "overlay":
        this.suspect = undefined;
        return this.state();
      case "ending":
        return this.ending(documented);
      case "law":
        return this.law();
      case "policy":
        return this.policy();
      case "test":
        return this.test();
      default:
        if (!this.startsItem())
          this.fail(
            "syntax",
            `Expected a declaration, but found ${this.found()}.`,
            "A file holds seats, type, const, signal, event, function, effect, data, start, state, overlay, ending, law, policy and test.",
          );
        this.suspect = undefined;
        return this.item();
    }
  }

  private ending(documented: { doc?: string }): EndingNode {
    const from = this.take().from;
    const name = this.name("the name of the ending");
    const parameters = this.parameters();
    this.expect("{", "before the ending's results");
    const results: ResultNode[] = [];
    while (!this.is("}")) {
      const at = this.token.from;
      if (this.is("ranks")) {
        this.take();
        results.push({ kind: "ranks", list: this.expression(), ...this.span(at) });
      } else if (this.is("scores")) {
        this.take();
        const variable = this.name("a name for the seat");
        this.expect("in", `after "scores ${variable.text}"`);
        const source = this.expression();
        this.expect(":", "before the score");
        results.push({ kind: "scores", variable, source, value: this.expression(), ...this.span(at) });
      } else if (RESULT_WORDS.has(this.token.text)) {
        const word = this.take().text as ResultWord;
        results.push({ kind: "result", word, seats: this.expression(), ...this.span(at) });
      } else {
        this.fail(
          "syntax",
          `Expected a result, but found ${this.found()}.`,
          'Results are: wins, loses, draws, none, ranks, scores, as in "wins winner loses others".',
        );
      }
    }
    this.take();
    return { kind: "ending", ...documented, name, parameters, results, ...this.span(from) };
  }

  private law(): LawNode {
    const from = this.take().from;
    const words = this.plainText("what the law says");
    this.expect(":", "after the law's words");
    if (this.is("changes")) {
      this.take();
      const path = this.expression();
      this.expect("only", "after the path");
      const states = this.statesAfter("in");
      return { kind: "law", words, form: "changes", path, states, ...this.span(from) };
    }
    if (this.isName() && this.nextIs("entered")) {
      const target = this.name("a state");
      this.take();
      this.expect("only", 'after "entered"');
      const states = this.statesAfter("from");
      return { kind: "law", words, form: "entered", target, states, ...this.span(from) };
    }
    return { kind: "law", words, form: "holds", test: this.expression(), ...this.span(from) };
  }

  private statesAfter(word: string): Name[] {
    this.expect(word, 'after "only"');
    const states = [this.name("a state")];
    while (this.accept(",")) states.push(this.name("a state"));
    return states;
  }

  private policy(): PolicyNode {
    const from = this.take().from;
    const name = this.name("the name of the policy");
    this.expect("{", "before the policy's entries");
    const entries: (Span & { test?: ExprNode; action: ReferenceNode })[] = [];
    while (!this.is("}")) {
      const at = this.token.from;
      let test: ExprNode | undefined;
      if (this.accept("when")) test = this.expression();
      else this.expect("else", "or when, in a policy");
      this.expect(":", "before the action");
      const action = this.reference("an action");
      entries.push({ ...(test && { test }), action, ...this.span(at) });
    }
    this.take();
    return { kind: "policy", name, entries, ...this.span(from) };
  }

  // ---- tests -----------------------------------------------------------------------------------

  private test(): TestNode {
    const from = this.take().from;
    const words = this.plainText("what the test shows");
    this.expect("{", "before the test's lines");
    const lines: TestLineNode[] = [];
    while (!this.is("}")) {
      if (this.token.kind === "end") this.fail("missing-brace", 'A "}" is missing: the test is still open.');
      try {
        lines.push(this.testLine());
      } catch (error) {
        if (!(error instanceof SyntaxFailure)) throw error;
        this.skipLine();
      }
    }
    this.take();
    return { kind: "test", words, lines, ...this.span(from) };
  }

  private skipLine(): void {
    do this.take();
    while (!this.is("}") && this.token.kind !== "end" && !this.token.leads);
  }

  private testLine(): TestLineNode {
    const from = this.token.from;
    if (this.is("at")) {
      this.take();
      return { kind: "at", target: this.reference("a state"), ...this.span(from) };
    }
    if (this.accept("given")) {
      const values: { target: ExprNode; value: ExprNode }[] = [];
      if (!this.is("dice")) {
        do {
          const target = this.valuePath();
          this.expect("=", "after the data");
          values.push({ target, value: this.expression() });
        } while (this.accept(","));
      }
      return { kind: "given", values, dice: this.setDice(), ...this.span(from) };
    }
    if (this.accept("wait")) {
      const time = this.expression();
      return { kind: "wait", time, dice: this.setDice(), ...this.span(from) };
    }
    if (this.is("event") && this.isName(this.nextToken) && !this.nextToken.leads && !this.isSeat("event")) {
      this.take();
      const event = this.reference("an event");
      return { kind: "event", event, dice: this.setDice(), ...this.span(from) };
    }
    if (this.accept("expect")) {
      const expectations = [this.expectation()];
      while (this.accept(",")) expectations.push(this.expectation());
      return { kind: "expect", expectations, ...this.span(from) };
    }
    const seat = this.name("a line of a test: at, given, wait, event, expect, or a seat and its action");
    // With arguments it is an action of that name.
    const joinsOrLeaves = (this.is("joins") || this.is("leaves")) && !this.nextIs("(");
    if (joinsOrLeaves && this.accept("joins")) return { kind: "joins", seat, ...this.span(from) };
    if (joinsOrLeaves && this.accept("leaves")) return { kind: "leaves", seat, ...this.span(from) };
    const action = this.reference(`an action of ${seat.text}`);
    const dice = this.setDice();
    const refused = this.accept("refused") ? this.name("the code of the refusal") : undefined;
    return { kind: "act", seat, action, dice, ...(refused && { refused }), ...this.span(from) };
  }

  /** Whether the seats declared so far have this name. */
  private isSeat(name: string): boolean {
    return this.seats?.kind === "named" && this.seats.names.some((n) => n.text === name);
  }

  private valuePath(): ExprNode {
    const first = this.name("data to begin with");
    let of: ExprNode = { kind: "name", name: first, from: first.from, to: first.to };
    for (;;) {
      if (this.accept(".")) {
        const name = this.name("a field");
        of = { kind: "member", of, name, ...this.span(first.from) };
      } else if (this.is("[")) {
        this.take();
        const key = this.expression();
        this.expect("]", "after an index");
        of = { kind: "index", of, key, ...this.span(first.from) };
      } else {
        return of;
      }
    }
  }

  private setDice(): ExprNode[] {
    if (!this.accept("dice")) return [];
    const values = [this.expression()];
    while (this.accept(",")) values.push(this.expression());
    return values;
  }

  private expectation(): ExpectationNode {
    const from = this.token.from;
    if (this.accept("ending")) return { kind: "ending", ending: this.name("an ending"), ...this.span(from) };
    if (this.accept("turn")) {
      this.expect("of", 'after "turn"');
      return { kind: "turn", seats: this.expression(), ...this.span(from) };
    }
    if (this.accept("note")) return { kind: "note", text: this.plainText("a note's text"), ...this.span(from) };
    if ((this.is("open") || this.is("closed")) && this.isName(this.nextToken)) {
      const kind = this.take().text as "open" | "closed";
      const seat = this.name("a seat");
      const action = this.reference("an action");
      const reason = kind === "closed" && this.token.kind === "text" ? this.plainText("the reason") : undefined;
      return { kind, seat, action, ...(reason !== undefined && { reason }), ...this.span(from) };
    }
    if (this.isName() && RESULT_WORDS.has(this.nextToken.text) && this.nextToken.kind === "word") {
      const seat = this.name("a seat");
      const word = this.take().text as ResultWord;
      return { kind: "result", seat, word, ...this.span(from) };
    }
    if (this.isName() && (this.nextIs("rank") || this.nextIs("score"))) {
      const seat = this.name("a seat");
      const what = this.take().text as "rank" | "score";
      return { kind: "standing", seat, what, value: this.expression(), ...this.span(from) };
    }
    return { kind: "holds", test: this.expression(), ...this.span(from) };
  }
}
