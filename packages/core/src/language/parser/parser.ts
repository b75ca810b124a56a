/** A whole file: the top level, declarations, endings, laws and policies. */

import type { Messages } from "../message.js";
import type { SourceFile, Span } from "../source.js";
import {
  type ChangeWay,
  type ExprNode,
  type FileNode,
  type LawNode,
  NAMELESS,
  type Name,
  type PolicyEntryNode,
  type PolicyNode,
  type SeatsNode,
  type TopNode,
  type Visibility,
} from "../syntax.js";
import { FOREIGN_DECLARATIONS, FOREIGN_TYPE_WORDS } from "../foreign.js";
import { Arrows } from "./arrows.js";
import { Blocks } from "./blocks.js";
import { Cursor, SyntaxFailure } from "./cursor.js";
import { Endings } from "./endings.js";
import { Expressions } from "./expressions.js";
import { Items } from "./items.js";
import { skipBranch, skipItem } from "./skip.js";
import { Tests } from "./tests.js";
import { Types } from "./types.js";

const WAYS: ReadonlySet<string> = new Set<ChangeWay>(["changes", "falls", "rises"]);

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

/** Puts the parts together over one cursor, and reads the top level. */
class FileParser {
  private readonly cursor: Cursor;
  private readonly expressions: Expressions;
  private readonly types: Types;
  private readonly blocks: Blocks;
  private readonly items: Items;
  private readonly endings: Endings;
  private readonly tests: Tests;
  private readonly includes: (Span & { path: string })[] = [];
  private seats: SeatsNode | undefined;

  constructor(file: SourceFile, messages: Messages) {
    this.cursor = new Cursor(file, messages);
    this.expressions = new Expressions(this.cursor);
    this.types = new Types(this.cursor);
    this.blocks = new Blocks(this.cursor, this.expressions);
    const arrows = new Arrows(this.cursor, this.expressions, this.blocks);
    this.items = new Items(this.cursor, this.expressions, this.types, this.blocks, arrows);
    this.endings = new Endings(this.cursor, this.expressions, this.items);
    this.tests = new Tests(
      this.cursor,
      this.expressions,
      (name) => this.seats?.kind === "named" && this.seats.names.some((n) => n.text === name),
    );
  }

  parseFile(): FileNode {
    const from = this.cursor.token.from;
    let name: Name = { text: "", from, to: from };
    let standardOrder = false;
    const items: TopNode[] = [];
    try {
      this.cursor.expect(
        "machine",
        "at the beginning of the file",
        'A machine begins with "machine NAME"; a file of declarations alone is checked with the machine that ' +
          "includes it.",
      );
      if (this.cursor.token.leads) this.cursor.nameless("the name of the machine");
      name = this.cursor.name("the name of the machine");
      if (this.cursor.accept("order")) {
        this.cursor.expect("standard", 'after "order"');
        standardOrder = true;
      }
    } catch (error) {
      if (!(error instanceof SyntaxFailure)) throw error;
      if (!this.cursor.token.leads) skipItem(this.cursor, this.cursor.token);
    }
    this.tops(items);
    // Who plays may be what could not be read.
    if (!this.seats && this.cursor.lost.size > 0) this.cursor.lost.add(NAMELESS);
    return {
      name,
      standardOrder,
      includes: this.includes,
      ...(this.seats && { seats: this.seats }),
      items,
      accepts: this.blocks.accepted,
      lost: [...this.cursor.lost],
      ...this.cursor.span(from),
    };
  }

  parsePart(): FileNode {
    const from = this.cursor.token.from;
    const name: Name = { text: "", from, to: from };
    const items: TopNode[] = [];
    if (this.cursor.is("machine")) {
      this.cursor.messages.error(
        "wrong-place",
        this.cursor.token,
        "This file is a machine of its own and cannot be included.",
        'A file to include holds declarations alone: remove its "machine" and "seats".',
      );
      return { name, standardOrder: false, includes: [], items, accepts: [], lost: [], ...this.cursor.span(from) };
    }
    this.tops(items);
    if (this.seats)
      this.cursor.messages.error(
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
      accepts: this.blocks.accepted,
      lost: [...this.cursor.lost],
      ...this.cursor.span(from),
    };
  }

  private tops(items: TopNode[]): void {
    while (this.cursor.token.kind !== "end") {
      const { token: first, taken } = this.cursor;
      try {
        this.top(items);
      } catch (error) {
        if (!(error instanceof SyntaxFailure)) throw error;
        skipItem(this.cursor, first);
        if (this.cursor.is("}")) this.cursor.take();
        this.cursor.lose(taken);
      }
    }
    this.blocks.forgetArrowsInside();
  }

  private top(items: TopNode[]): void {
    this.blocks.accepts();
    const { from, kind, text } = this.cursor.token;
    if (kind === "end") return;
    if (text === "include") {
      this.cursor.take();
      this.includes.push({ path: this.expressions.plainText("a file's name"), ...this.cursor.span(from) });
    } else if (text === "seats" || this.arePlayers()) {
      if (this.seats)
        this.cursor.messages.error("duplicate-name", this.cursor.token, "The seats are declared twice.", undefined, {
          ...this.seats,
          words: "They were declared here.",
        });
      this.seats = this.seatList();
    } else if (text === "}") {
      this.cursor.messages.error(
        "extra-brace",
        this.cursor.token,
        'This "}" closes nothing.',
        "Remove it, or look for a body above that was closed too early.",
      );
      this.cursor.take();
    } else {
      items.push(this.topItem(), ...this.items.besides());
    }
  }

  /** The seats under another word, which is told. */
  private arePlayers(): boolean {
    const { token, nextToken } = this.cursor;
    if (token.text !== "players" || nextToken.leads || (nextToken.kind !== "word" && nextToken.kind !== "int"))
      return false;
    const { from, to } = token;
    this.cursor.foreign({ from, to }, 'Who plays is said by "seats".', "Write: seats ann, ben", {
      title: 'Write "seats"',
      edits: [{ from, to, text: "seats" }],
    });
    return true;
  }

  private seatList(): SeatsNode {
    const from = this.cursor.take().from;
    if (this.cursor.token.kind === "int") {
      const least = this.cursor.take();
      const [low, high] = [least.value, this.mostSeats(least)];
      if (this.cursor.is("of")) {
        this.namedAndCounted(`${low}..${high}`);
        this.cursor.take();
        return { kind: "named", names: this.seatNames(), ...this.cursor.span(from) };
      }
      return {
        kind: "counted",
        low,
        high,
        name: this.cursor.name("what such a seat is called"),
        ...this.cursor.span(from),
      };
    }
    return { kind: "named", names: this.seatNames(), ...this.cursor.span(from) };
  }

  /** The greatest number of seats; as the least when only that one is written. */
  private mostSeats({ value: least, to }: { readonly value: number; readonly to: number }): number {
    const { token, messages } = this.cursor;
    if (this.cursor.isName()) {
      messages.error(
        "syntax",
        token,
        `Expected ".." between the least and the greatest number of seats, but found ${this.cursor.found()}.`,
        `Write both, also where they are the same: seats ${least}..${least} ${token.text}`,
        undefined,
        { title: `Write "${least}..${least}"`, edits: [{ from: to, to, text: `..${least}` }] },
      );
      return least;
    }
    this.cursor.expect("..", "between the least and the greatest number of seats");
    if (this.cursor.token.kind !== "int") this.cursor.expected("the greatest number of seats");
    return this.cursor.take().value;
  }

  private seatNames(): Name[] {
    const names = [this.cursor.name("the name of a seat")];
    for (;;) {
      if (!this.cursor.accept(",")) {
        if (!this.cursor.isName() || this.cursor.token.leads) break;
        // "at least 2", or a number right behind a word.
        let ahead = 1;
        while (ahead < 3 && this.cursor.isName(this.cursor.ahead(ahead)) && !this.cursor.ahead(ahead).leads) ahead++;
        const { kind, value, leads } = this.cursor.ahead(ahead);
        if (kind === "int" && !leads) {
          this.namedAndCounted(`${value}..${names.length}`);
          while (!this.cursor.token.leads) this.cursor.take();
          break;
        }
        this.cursor.messages.error(
          "syntax",
          this.cursor.token,
          `A "," is missing between the seats, before ${this.cursor.found()}.`,
          `Write: seats ${names.map((n) => n.text).join(", ")}, ${this.cursor.token.text}`,
        );
      }
      if (this.cursor.token.leads && this.cursor.begins("top")) this.cursor.nameless("the name of a seat");
      names.push(this.cursor.name("the name of a seat"));
    }
    return names;
  }

  /** Seats of their own names, and how many of them play: the machine says one or the other. */
  private namedAndCounted(range: string): void {
    this.cursor.messages.error(
      "syntax",
      this.cursor.token,
      "Seats that have names of their own all play; where their number varies they are counted.",
      `Write "seats reds, blues", or "seats ${range} crew" for crew1, crew2 and so on.`,
    );
  }

  private dice(visibility: Visibility, from: number): TopNode {
    this.cursor.take();
    const name = this.cursor.name("the name of the stream of dice");
    return { kind: "dice", visibility, name, ...this.cursor.span(from) };
  }

  private topItem(): TopNode {
    const doc = this.cursor.doc();
    const documented = doc === undefined ? {} : { doc };
    const { from, text } = this.cursor.token;
    if (this.cursor.token.kind !== "word")
      this.cursor.fail("syntax", `Expected a declaration, but found ${this.cursor.found()}.`);
    switch (text) {
      case "type":
        return this.typeNode(documented);
      case "const":
        return this.constNode(documented);
      case "signal":
      case "event": {
        this.cursor.take();
        const name = this.cursor.name(`the name of the ${text}`);
        return { kind: text, ...documented, name, parameters: this.items.parameters(), ...this.cursor.span(from) };
      }
      case "function":
        return this.functionNode(documented);
      case "effect":
        return this.effectNode(documented);
      case "team": {
        this.cursor.take();
        const name = this.cursor.name("the name of the team");
        this.cursor.expect(":", "before the team's seats");
        const seats = [this.cursor.name("a seat")];
        while (this.cursor.accept(",")) seats.push(this.cursor.name("a seat"));
        return { kind: "team", name, seats, ...this.cursor.span(from) };
      }
      case "dice":
        return this.dice("public", from);
      case "private":
      case "hidden":
        this.cursor.take();
        if (!this.cursor.is("dice"))
          this.cursor.fail(
            "syntax",
            `Expected "dice" behind "${text}", but found ${this.cursor.found()}.`,
            `Data that not all may see stand in a block: data { ${text} NAME: TYPE }.`,
          );
        return this.dice(text, from);
      case "overlay":
        this.cursor.suspect = undefined;
        return this.items.state();
      case "ending":
        return this.endings.ending(documented);
      case "law":
        return this.law();
      case "policy":
        return this.policy();
      case "test":
        return this.tests.test();
      default:
        if (FOREIGN_TYPE_WORDS.has(text) && this.cursor.nextToken.kind === "word") return this.foreignType(documented);
        this.foreignDeclaration();
        this.items.refuseForeign();
        if (!this.cursor.begins("item"))
          this.cursor.fail(
            "syntax",
            `Expected a declaration, but found ${this.cursor.found()}.`,
            "A file holds seats, type, const, signal, event, function, effect, data, start, state, overlay, " +
              "ending, law, policy and test.",
          );
        this.cursor.suspect = undefined;
        return this.items.item();
    }
  }

  /** A declaration that begins with a word of another language. */
  private foreignDeclaration(): void {
    const { token, nextToken } = this.cursor;
    const help =
      nextToken.kind === "word" || nextToken.kind === "text" ? FOREIGN_DECLARATIONS.get(token.text) : undefined;
    if (help === undefined) return;
    this.cursor.foreign({ from: token.from, to: token.to }, `There is no "${token.text}" here.`, help);
    throw new SyntaxFailure(token.text);
  }

  /** A type under a word of another language: what stands in its braces is read as it is meant. */
  private foreignType(documented: { doc?: string }): TopNode {
    const { token, nextToken } = this.cursor;
    const isMembers = token.text === "enum";
    const form = isMembers ? "is a, b" : "{ FIELD: TYPE }";
    this.cursor.foreign(token, `There is no "${token.text}" here.`, `Write: type ${nextToken.text} ${form}`);
    if (!isMembers || this.cursor.ahead(2).text !== "{") return this.typeNode(documented);
    const { from } = this.cursor.take();
    const name = this.cursor.name("the name of the type");
    this.cursor.take();
    const members = this.cursor.list("}", "the members", () => this.cursor.name("a member"));
    return { kind: "enum", ...documented, name, members, ...this.cursor.span(from) };
  }

  private typeNode(documented: { doc?: string }): TopNode {
    const from = this.cursor.take().from;
    if (this.cursor.is("is") && !this.cursor.nextIs("is") && !this.cursor.nextIs("{"))
      this.cursor.nameless("the name of the type");
    const name = this.cursor.name("the name of the type");
    if (this.cursor.is("=") && this.cursor.isName(this.cursor.nextToken))
      this.cursor.takeForeign('The members of a type stand behind "is".', "is", "Write: type NAME is a, b");
    if (this.cursor.accept("is") || this.cursor.lastToken.text === "=") {
      const members = [this.cursor.name("a member")];
      while (this.cursor.accept(",")) members.push(this.cursor.name("a member"));
      return { kind: "enum", ...documented, name, members, ...this.cursor.span(from) };
    }
    return {
      kind: "record",
      ...documented,
      name,
      fields: this.items.fields(`type ${name.text}`),
      ...this.cursor.span(from),
    };
  }

  private constNode(documented: { doc?: string }): TopNode {
    const from = this.cursor.take().from;
    const name = this.cursor.name("the name of the constant");
    if (this.cursor.is("=")) this.items.untyped(name, "const NAME: TYPE = VALUE");
    this.cursor.expect(":", "before the constant's type");
    const type = this.types.type();
    this.cursor.expect("=", "before the constant's value");
    return {
      kind: "const",
      ...documented,
      name,
      type,
      value: this.expressions.expression(),
      ...this.cursor.span(from),
    };
  }

  private functionNode(documented: { doc?: string }): TopNode {
    const from = this.cursor.take().from;
    const name = this.cursor.name("the name of the function");
    const parameters = this.items.parameters();
    const help =
      `A function is one value: function ${name.text}(...): TYPE = VALUE. ` +
      `What changes data is an effect: effect ${name.text}(...) { ... }`;
    if (this.cursor.is("->")) this.cursor.takeForeign('The type stands behind ":".', ":");
    else this.cursor.expect(":", "before the function's type", help);
    const type = this.types.type();
    this.cursor.expect("=", "before the function's value", help);
    return {
      kind: "function",
      ...documented,
      name,
      parameters,
      type,
      body: this.expressions.expression(),
      ...this.cursor.span(from),
    };
  }

  private effectNode(documented: { doc?: string }): TopNode {
    const from = this.cursor.take().from;
    const name = this.cursor.name("the name of the effect");
    const parameters = this.items.parameters();
    const type = this.cursor.accept(":") ? this.types.type() : undefined;
    if (this.cursor.is("=")) this.cursor.takeForeign("What an effect does stands in braces.", "", "Leave it out.");
    return {
      kind: "effect",
      ...documented,
      name,
      parameters,
      ...(type && { type }),
      body: this.blocks.block(),
      ...this.cursor.span(from),
    };
  }

  private law(): LawNode {
    const from = this.cursor.take().from;
    const words = this.expressions.plainText("what the law says");
    this.cursor.expect(":", "after the law's words", 'Write: law "WORDS": CONDITION');
    if (this.cursor.is("changes") && this.cursor.isName(this.cursor.nextToken)) this.pathFirst();
    const isWord = !this.cursor.nextToken.leads && ["word", "int"].includes(this.cursor.nextToken.kind);
    const opens = this.cursor.nextIs("(") && !this.cursor.nextToken.touching;
    if (isWord || opens) {
      if (this.cursor.is("always")) this.cursor.takeForeign("A law holds always.", "", "Leave it out.");
      else if (this.cursor.is("never")) this.cursor.takeForeign('What never is so is written "not".', "not");
    }
    if (this.cursor.isName() && this.cursor.nextIs("entered")) {
      const target = this.cursor.name("a state");
      this.cursor.take();
      this.cursor.expect("only", 'after "entered"');
      const states = this.statesAfter("from");
      return { kind: "law", words, form: "entered", target, states, ...this.cursor.span(from) };
    }
    const test = this.expressions.expression();
    if (this.cursor.is("never") && !this.cursor.token.leads) this.neverChanges(test);
    if (WAYS.has(this.cursor.token.text) && this.cursor.nextIs("only")) {
      const way = this.cursor.take().text as ChangeWay;
      this.cursor.take();
      return {
        kind: "law",
        words,
        form: "changes",
        way,
        path: test,
        states: this.statesAfter("in"),
        ...this.cursor.span(from),
      };
    }
    return { kind: "law", words, form: "holds", test, ...this.cursor.span(from) };
  }

  /** `PATH never falls`. */
  private neverChanges(path: ExprNode): never {
    const { from } = this.cursor.take();
    const way = WAYS.has(this.cursor.token.text) ? this.cursor.take().text : "changes";
    const written = this.cursor.written(path);
    this.cursor.foreign(
      { from, to: this.cursor.lastToken.to },
      "A law of change says in which states it may be.",
      `Write: ${written} ${way} only in STATE, with a state in which nothing does that.`,
    );
    throw new SyntaxFailure("never");
  }

  /** `changes PATH only in`, as it was written before the path came first. */
  private pathFirst(): never {
    const word = this.cursor.take();
    const path = this.expressions.expression();
    this.cursor.messages.error(
      "syntax",
      word,
      'In a law the path comes first, then "changes only in".',
      undefined,
      undefined,
      {
        title: "Put the path first",
        edits: [
          { from: word.from, to: path.from, text: "" },
          { from: path.to, to: path.to, text: " changes" },
        ],
      },
    );
    throw new SyntaxFailure("the path comes first");
  }

  private statesAfter(word: string): Name[] {
    this.cursor.expect(word, 'after "only"');
    if (this.cursor.is("state")) this.cursor.takeForeign("States are named alone.", "", "Leave it out.");
    const states = [this.cursor.name("a state")];
    while (this.cursor.accept(",")) states.push(this.cursor.name("a state"));
    return states;
  }

  /** `policy greedy for north`. */
  private forWhom(): void {
    const { from } = this.cursor.take();
    while (!this.cursor.is("{") && !this.cursor.token.leads && this.cursor.token.kind !== "end") this.cursor.take();
    const { to } = this.cursor.lastToken;
    this.cursor.foreign(
      { from, to },
      "A policy is for any seat: who plays by it is said when a match begins.",
      "Leave it out.",
      {
        title: "Leave it out",
        edits: [{ from, to, text: "" }],
      },
    );
  }

  private policy(): PolicyNode {
    const from = this.cursor.take().from;
    const name = this.cursor.name("the name of the policy");
    if (this.cursor.is("for") || this.cursor.is("of")) this.forWhom();
    this.cursor.open("before the policy's entries", () => this.cursor.is("when"));
    const entries: PolicyEntryNode[] = [];
    while (!this.cursor.is("}")) {
      const begun = this.cursor.token;
      try {
        entries.push(this.policyEntry());
      } catch (error) {
        if (!(error instanceof SyntaxFailure) || this.cursor.token.kind === "end") throw error;
        skipBranch(this.cursor, begun);
        if (this.cursor.begins("top")) throw error;
      }
    }
    this.cursor.take();
    return { kind: "policy", name, entries, ...this.cursor.span(from) };
  }

  private policyEntry(): PolicyEntryNode {
    const { from } = this.cursor.token;
    let test: ExprNode | undefined;
    if (this.cursor.accept("when")) test = this.expressions.expression();
    else if (!this.cursor.accept("else"))
      this.cursor.fail(
        "syntax",
        `Expected "when" or "else" in a policy, but found ${this.cursor.found()}.`,
        `Each line says when it counts: "when COND: ACTION", and the last "else: ACTION".`,
      );
    if (this.cursor.is("->")) this.cursor.takeForeign('An action of a policy stands behind ":".', ":");
    else this.cursor.expect(":", "before the action");
    const action = this.cursor.accept("wait") ? undefined : this.expressions.reference('an action, or "wait",');
    if (this.cursor.is(",")) this.cursor.takeForeign("Nothing separates the lines of a policy.", "", "Leave it out.");
    return { ...(test && { test }), ...(action && { action }), ...this.cursor.span(from) };
  }
}
