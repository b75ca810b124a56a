/** From the text of a mapping to its tree. Expressions are the machine's own, with `.member` for what a row tells. */

import { Cursor, SyntaxFailure } from "../language/parser/cursor.js";
import { Expressions } from "../language/parser/expressions.js";
import type { Messages } from "../language/message.js";
import { MAP_PARTS } from "../language/words.js";
import type { SourceFile } from "../language/source.js";
import { type ExprNode, type Name, RESULT_WORDS, type ResultWord } from "../language/syntax.js";
import {
  type ArgNode,
  type CallNode,
  type ContinuedNode,
  type DiceItem,
  type EachNode,
  type Literal,
  type MapDice,
  type MapNode,
  type MoveNode,
  type OnlyIf,
  type PatternNode,
  type ReadNode,
  type RowNode,
  type TableNode,
  type TellNode,
  type TimeNode,
  type ToldNode,
  toldName,
  type ToldStep,
} from "./syntax.js";

/** Formats by other names, and what they are here. */
const FORMATS: ReadonlyMap<string, "json" | "lines" | "csv tab"> = new Map([
  ["jsonl", "json"],
  ["jsonlines", "json"],
  ["ndjson", "json"],
  ["text", "lines"],
  ["txt", "lines"],
  ["plain", "lines"],
  ["tsv", "csv tab"],
]);
const TABS: ReadNode = { kind: "csv", separator: "\t", decimalComma: false };

/** Words that mean that those of the log may be in any case. */
const ANY_CASE: ReadonlySet<string> = new Set(["lower", "upper", "lowercase", "uppercase", "insensitive", "any"]);

/** Units of time in full. */
const LONG_UNITS: ReadonlyMap<string, TimeNode["unit"]> = new Map([
  ["milliseconds", "ms"],
  ["millis", "ms"],
  ["seconds", "s"],
  ["sec", "s"],
  ["minutes", "m"],
  ["min", "m"],
  ["hours", "h"],
]);

const RESULTS: ReadonlySet<string> = new Set(RESULT_WORDS);
const UNITS: ReadonlySet<string> = new Set(["ms", "s", "m", "h", "clock", "date"]);
/** Expressions in which what a row tells stands as a name that begins with a dot. */
class ToldExpressions extends Expressions {
  constructor(
    private readonly at: Cursor,
    private readonly told: Map<string, ToldNode>,
  ) {
    super(at);
  }

  protected override primary(): ExprNode {
    return this.at.is(".") ? this.toldValue() : super.primary();
  }

  protected override within(cursor: Cursor): Expressions {
    return new ToldExpressions(cursor, this.told);
  }

  /** What is told, as a value. */
  toldValue(): ExprNode {
    const node = this.toldNode();
    const text = toldName(node);
    this.told.set(text, node);
    const { from, to } = node;
    return { kind: "name", name: { text, from, to }, from, to };
  }

  /** `.a.b[0]`, `."a b"`, `.hits[.n]`, and `as TABLE` behind it. */
  toldNode(): ToldNode {
    const { at } = this;
    const { from, text } = at.token;
    if (at.isName())
      at.foreign({ from, to: from + text.length }, "What the row tells begins with a dot.", `Write: .${text}`, {
        title: `Write ".${text}"`,
        edits: [{ from, to: from, text: "." }],
      });
    else at.expect(".", "before what the row tells");
    const path: ToldStep[] = [this.member()];
    for (let count = 0; ; count++) {
      at.oneMore(count, "members");
      if (at.is(".") && at.token.touching) {
        at.take();
        path.push(this.member());
      } else if (at.is("[") && at.token.touching) {
        at.take();
        if (at.is(".")) path.push(at.nested(() => this.toldNode()));
        else if (at.token.kind === "int") path.push(at.take().value);
        else at.fail("syntax", `Expected an index from 0, or what is told, but found ${at.found()}.`);
        at.expect("]", "after an index");
      } else break;
    }
    const table = at.accept("as") ? at.name("a table") : undefined;
    return { path, ...(table && { table }), ...at.span(from) };
  }

  private member(): string {
    const { at } = this;
    if (at.token.kind === "text") return this.plainText("the name of a member");
    if (at.token.kind === "word") return at.take().text;
    return at.fail("syntax", `Expected the name of what the row tells after ".", but found ${at.found()}.`);
  }
}

/** A mapping that was read, and everything that is told in it by the name it has in expressions. */
export interface ParsedMap {
  readonly map: MapNode;
  readonly told: ReadonlyMap<string, ToldNode>;
}

/** Reads a mapping. What cannot be read is reported and left out; never throws. */
export function parseMap(file: SourceFile, messages: Messages): ParsedMap {
  return new MapParser(file, messages).parse();
}

class MapParser {
  private readonly at: Cursor;
  private readonly told = new Map<string, ToldNode>();
  private readonly expressions: ToldExpressions;

  constructor(file: SourceFile, messages: Messages) {
    this.at = new Cursor(file, messages);
    this.expressions = new ToldExpressions(this.at, this.told);
  }

  parse(): ParsedMap {
    const { at } = this;
    const from = at.token.from;
    let name: Name = { text: "", from, to: from };
    let machine: Name = name;
    this.guarded(() => {
      at.expect("map", "at the beginning of a mapping", "Write: map NAME for MACHINE");
      name = at.name("the name of the mapping");
      at.expect("for", "after the name of the mapping", "Write: map NAME for MACHINE");
      machine = at.name("the name of the machine");
    });
    const parts: {
      file?: NonNullable<MapNode["file"]>;
      read: ReadNode;
      time?: TimeNode;
      match?: ToldNode;
      ignoresCase: boolean;
      seats: MapNode["seats"];
      diceUnknown: boolean;
      otherwise: MapNode["otherwise"];
    } = { read: { kind: "json" }, ignoresCase: false, seats: [], diceUnknown: false, otherwise: "refuse" };
    const tables: TableNode[] = [];
    const continued: ContinuedNode[] = [];
    const rows: RowNode[] = [];
    while (at.token.kind !== "end") {
      this.guarded(() => {
        const word = at.take();
        switch (word.kind === "word" ? word.text : "") {
          case "machine": {
            const { from, to } = at.token;
            parts.file = { path: this.expressions.plainText("the machine's file"), from, to };
            return;
          }
          case "read":
            parts.read = this.read();
            return;
          case "time":
            parts.time = this.time(word.from);
            return;
          case "match":
            parts.match = this.expressions.toldNode();
            return;
          case "words":
            if (ANY_CASE.has(at.token.text)) {
              at.takeForeign(
                'That words may be in any case is "ignore case".',
                "ignore case",
                "Write: words ignore case",
              );
              parts.ignoresCase = true;
              return;
            }
            at.expect("ignore", 'after "words"', "Write: words ignore case");
            at.expect("case", 'after "ignore"', "Write: words ignore case");
            parts.ignoresCase = true;
            return;
          case "seats":
            if ((at.isName() || at.is(".")) && !at.is(":")) this.whoIsCalled();
            parts.seats = this.commas(() => ({ told: this.literal(), seat: at.name("a seat") }));
            return;
          case "table": {
            const name = at.name("the name of the table");
            at.expect(":", "after the name of a table");
            const entries = this.commas(() => ({ told: this.literal(), value: this.expressions.expression() }));
            tables.push({ name, entries, ...at.span(word.from) });
            return;
          }
          case "dice":
            at.expect("unknown", 'after "dice"', "Write: dice unknown");
            parts.diceUnknown = true;
            return;
          case "continued":
            continued.push(this.continued());
            return;
          case "row": {
            if (!at.is("else")) {
              rows.push(this.row(word.from));
              return;
            }
            at.take();
            at.expect("->", 'after "row else"');
            if (!at.is("refuse") && !at.is("skip"))
              at.fail("syntax", `Expected "refuse" or "skip", but found ${at.found()}.`);
            parts.otherwise = at.take().text as "refuse" | "skip";
            return;
          }
          default:
            at.messages.error(
              "syntax",
              word,
              `Expected a part of a mapping, but found ${at.found(word)}.`,
              `A mapping is made of ${[...MAP_PARTS].slice(1).join(", ")}.`,
            );
            throw new SyntaxFailure(word.text);
        }
      });
    }
    return { map: { name, machine, ...parts, tables, continued, rows, ...at.span(from) }, told: this.told };
  }

  /** What cannot be read was reported: reading goes on at the next part. */
  private guarded(body: () => void): void {
    try {
      body();
    } catch (error) {
      if (!(error instanceof SyntaxFailure)) throw error;
      while (this.at.token.kind !== "end" && !(this.at.token.leads && MAP_PARTS.has(this.at.token.text)))
        this.at.take();
    }
  }

  /** `seats .p: 0 mira`: what tells the seats is not named here. */
  private whoIsCalled(): void {
    const { at } = this;
    const ahead = at.is(".") ? 2 : 1;
    if (at.ahead(ahead).text !== ":") return;
    const { from } = at.token;
    for (let i = 0; i < ahead; i++) at.take();
    const { to } = at.lastToken;
    at.foreign(
      { from, to },
      "What the log calls the seats is the same wherever it stands.",
      'Write: seats: "Red" ann',
      {
        title: "Leave it out",
        edits: [{ from, to, text: "" }],
      },
    );
  }

  private commas<T>(item: () => T): T[] {
    const items: T[] = [];
    this.at.accept(":");
    do items.push(item());
    while (this.at.accept(","));
    return items;
  }

  /** A value as a log writes it. */
  private literal(): Literal {
    const { at } = this;
    if (at.token.kind === "text") return this.expressions.plainText("a value of the log");
    const sign = at.accept("-") ? -1 : 1;
    if (at.token.kind === "int" || at.token.kind === "num") return sign * at.take().value;
    if (at.is("true") || at.is("false")) return at.take().text === "true";
    if (at.isName()) {
      const { from, to, text } = at.take();
      const quoted = JSON.stringify(text);
      at.messages.error("syntax", { from, to }, "A word of the log stands in quotes.", `Write: ${quoted}`, undefined, {
        title: `Write ${quoted}`,
        edits: [{ from, to, text: quoted }],
      });
      return text;
    }
    return at.fail("syntax", `Expected a text or a number as the log has it, but found ${at.found()}.`);
  }

  private read(): ReadNode {
    const { at } = this;
    const ours = FORMATS.get(at.token.text);
    if (ours !== undefined) {
      const { text } = at.token;
      at.takeForeign(`"${text}" is read as "${ours}".`, ours, `Write: read ${ours}`);
      return ours === "lines" ? { kind: "lines" } : ours === "json" ? { kind: "json" } : TABS;
    }
    if (at.accept("json"))
      return at.accept("in") ? { kind: "json", inside: this.expressions.toldNode() } : { kind: "json" };
    if (at.accept("lines")) return { kind: "lines" };
    if (!at.accept("csv")) at.fail("syntax", `Expected json, csv or lines, but found ${at.found()}.`);
    const { from, to } = at.token;
    const separator = at.accept("tab")
      ? "\t"
      : at.token.kind === "text"
        ? this.expressions.plainText("the separator")
        : ",";
    if (separator.length !== 1 || /["\r\n]/.test(separator))
      at.messages.error(
        "syntax",
        { from, to },
        "A separator is one character, and no quote.",
        'Write for example: read csv ";"',
      );
    const decimalComma = at.is("decimal") && at.nextIs("comma");
    if (decimalComma) {
      at.take();
      at.take();
    }
    return { kind: "csv", separator, decimalComma };
  }

  private time(from: number): TimeNode {
    const { at } = this;
    const told = this.expressions.toldNode();
    at.expect("in", "after what tells the time", "Write for example: time .t in s within 20ms");
    const short = LONG_UNITS.get(at.token.text);
    if (short !== undefined) at.takeForeign("Units of time are short.", short);
    else if (!UNITS.has(at.token.text))
      at.fail("syntax", `Expected ${[...UNITS].join(", ")}, but found ${at.found()}.`);
    const unit = short ?? (at.take().text as TimeNode["unit"]);
    let within = 0;
    if (at.accept("within")) {
      if (at.token.kind !== "duration")
        at.fail("syntax", `Expected a time such as 20ms after "within", but found ${at.found()}.`);
      within = at.take().value;
    }
    return { told, unit, within, ...at.span(from) };
  }

  private pattern(): PatternNode {
    const { from, to, kind, text } = this.at.token;
    if (kind !== "text") this.at.fail("syntax", `Expected a line of the log in quotes, but found ${this.at.found()}.`);
    this.at.take();
    return { text: text.slice(1, -1).replace(/\\(["\\])/g, "$1"), from, to };
  }

  /** `"   {who} has {c}" in .lines`: of several such lines each is an element of a list. */
  private continued(): ContinuedNode {
    const { at } = this;
    const pattern = this.pattern();
    if (!at.accept("in")) return pattern;
    const { path, table, from, to } = this.expressions.toldNode();
    const [list] = path;
    if (typeof list !== "string" || path.length > 1 || table)
      at.messages.error(
        "syntax",
        { from, to },
        "Such lines make a list of their row, which is called by one name.",
        'Write for example: continued "  {who} has {coins}" in .lines',
      );
    return typeof list === "string" ? { ...pattern, list } : pattern;
  }

  // ---- rows ------------------------------------------------------------------------------------

  private row(from: number): RowNode {
    const { at } = this;
    const pattern = at.nextToken.kind === "text" && at.accept("line") ? this.pattern() : undefined;
    const tests: { told: ToldNode; values: readonly Literal[] }[] = [];
    const isBare = at.isName() && !at.is("where") && !at.token.leads;
    while (at.is(".") || (tests.length === 0 && isBare) || (tests.length > 0 && at.is("and"))) {
      if (tests.length > 0 && !at.accept("and")) break;
      const told = this.expressions.toldNode();
      const values: Literal[] = [];
      if (["==", "=", ":"].some((sign) => at.is(sign)) || at.is("is"))
        at.takeForeign("The value that is meant stands right behind what the row tells.", "", 'Write: row .ev "throw"');
      if (this.isLiteral())
        do values.push(this.literal());
        while (at.accept(","));
      tests.push({ told, values });
    }
    const where = at.accept("where") ? this.expressions.expression() : undefined;
    if (!pattern && tests.length === 0 && !where)
      at.fail(
        "syntax",
        `Expected which rows are meant, but found ${at.found()}.`,
        'Write for example: row .ev "throw"',
      );
    const moves: MoveNode[][] = [];
    if (at.accept("->")) {
      do {
        const group = [this.move()];
        while (at.accept("also")) group.push(this.move());
        moves.push(group);
      } while (at.accept("then"));
    } else {
      const { from: start } = at.token;
      const tells = this.tells();
      if (tells.length === 0)
        at.fail(
          "syntax",
          `Expected "->" and what the row means, but found ${at.found()}.`,
          "Write -> nothing for a row that means nothing.",
        );
      moves.push([{ kind: "nothing", tells, ...at.span(start) }]);
    }
    return { ...(pattern && { pattern }), tests, ...(where && { where }), moves, ...at.span(from) };
  }

  private isLiteral(): boolean {
    const { kind, text } = this.at.token;
    return kind === "text" || kind === "int" || kind === "num" || text === "true" || text === "false" || text === "-";
  }

  /** @param whole false for one of which what is told belongs to what is around it */
  private move(whole = true): MoveNode {
    const { at } = this;
    return at.nested(() => {
      const from = at.token.from;
      const what = this.what();
      const dice = at.is("dice") ? this.dice() : undefined;
      const refused = what.kind === "act" && at.accept("refused") ? this.refusal() : undefined;
      const onlyIf = this.onlyIf();
      const tells = whole ? this.tells() : [];
      return {
        ...what,
        ...(dice && { dice }),
        ...(refused !== undefined && { refused }),
        ...(onlyIf !== undefined && { onlyIf }),
        tells,
        ...at.span(from),
      } as MoveNode;
    });
  }

  private refusal(): Name | true {
    return this.at.isName() && !this.at.token.leads && !["tells", "also"].includes(this.at.token.text)
      ? this.at.name("the code of the refusal")
      : true;
  }

  private onlyIf(): OnlyIf | undefined {
    if (!this.at.is("if")) return undefined;
    this.at.take();
    return this.at.accept("told") ? "told" : this.expressions.expression();
  }

  private ifTold(): boolean {
    if (!this.at.is("if") || !this.at.nextIs("told")) return false;
    this.at.take();
    this.at.take();
    return true;
  }

  /** What a move is, without its dice and what is told of it. */
  private what(): object & { kind: MoveNode["kind"] } {
    const { at } = this;
    const { from } = at.token;
    if (at.is("more") && at.nextIs("dice")) {
      at.take();
      return { kind: "more" };
    }
    for (const kind of ["nothing", "skip", "refuse", "wait"] as const) if (at.accept(kind)) return { kind };
    if (at.is("tells") || at.is("ending")) {
      const missing = at.is("tells") ? "nothing " : "nothing tells ";
      at.foreign({ ...at.token }, "A row in which nothing is done says so.", `Write: ${missing}${at.token.text} ...`, {
        title: `Write "${missing.trimEnd()}"`,
        edits: [{ from, to: from, text: missing }],
      });
      if (at.is("tells")) return { kind: "nothing" };
      throw new SyntaxFailure("ending");
    }
    if (at.accept("begin")) {
      let seats: ToldNode | number | undefined;
      if (at.accept("seats")) seats = at.token.kind === "int" ? at.take().value : this.expressions.toldNode();
      const given: { target: ExprNode; value: ExprNode }[] = [];
      if (at.accept("given"))
        do {
          const target = this.place();
          at.expect("=", "after the data");
          given.push({ target, value: this.expressions.expression() });
        } while (at.accept(","));
      return { kind: "begin", ...(seats !== undefined && { seats }), given } as never;
    }
    if (at.accept("timer")) {
      const first = at.name("a timer, such as Turn.after1");
      let text = first.text;
      while (at.accept(".")) text += `.${at.name("the rest of a timer's name").text}`;
      return { kind: "timer", timer: { text, ...at.span(first.from) } } as never;
    }
    if (at.accept("event")) return { kind: "event", call: this.callNode("an event") } as never;
    if (at.accept("for")) {
      const each = this.each();
      // In braces stands what is done and told for each; behind them, and without them, what is told after all.
      if (at.accept("{")) {
        const moves = [this.move()];
        while (at.accept("then")) moves.push(this.move());
        at.expect("}", "behind what is done for each");
        return { kind: "for", ...each, moves } as never;
      }
      at.expect(":", "before what is done for each");
      return { kind: "for", ...each, moves: [this.move(false)] } as never;
    }
    const seat = this.seat();
    if (at.accept("sits")) {
      const who = seat.kind === "name" ? this.told.get(seat.name.text) : undefined;
      if (!who) at.fail("syntax", "Who sits down is what the row tells, such as .id.");
      const place = at.accept("at") ? this.seat() : undefined;
      return { kind: "sits", who, ...(place && { at: place }), ...at.span(from) } as never;
    }
    if ((at.is("joins") || at.is("leaves")) && !at.nextIs("(")) return { kind: at.take().text, seat } as never;
    return { kind: "act", seat, call: this.callNode("an action") } as never;
  }

  private each(): EachNode {
    const { at } = this;
    at.expect(".", "before a name for each", "Write for example: for .hit in .hits: ...");
    const variable = at.name("a name for each").text;
    at.expect("in", "after the name");
    const list = this.expressions.toldNode();
    if (!at.accept("by")) return { variable, list };
    const { from, to } = at.token;
    const by = this.expressions.plainText("what stands between the entries");
    if (by === "")
      at.messages.error(
        "syntax",
        { from, to },
        "Something stands between the entries of a text.",
        'Write for example: for .m in .moves by ";"',
      );
    return { variable, list, by };
  }

  /** A seat, by name or as it is told. */
  private seat(): ExprNode {
    const { at } = this;
    if (at.is(".")) return this.expressions.toldValue();
    if (at.accept("(")) {
      const inner = this.expressions.expression();
      at.expect(")", "after a seat");
      return inner;
    }
    const name = at.name("a seat and its action, begin, timer, event, wait, more dice or nothing");
    return { kind: "name", name, from: name.from, to: name.to };
  }

  /** Data by name, with members and indices. */
  private place(): ExprNode {
    const { at } = this;
    const name = at.name("data to begin with");
    let of: ExprNode = { kind: "name", name, from: name.from, to: name.to };
    for (;;) {
      if (at.accept(".")) {
        const field = at.name("a field");
        of = { kind: "member", of, name: field, ...at.span(name.from) };
      } else if (at.accept("[")) {
        const key = this.expressions.expression();
        at.expect("]", "after an index");
        of = { kind: "index", of, key, ...at.span(name.from) };
      } else return of;
    }
  }

  private callNode(what: string): CallNode {
    const { at } = this;
    const name = at.name(what);
    if (!at.is("(") || !at.token.touching) return { name, args: [], from: name.from, to: name.to };
    at.take();
    const args = at.list(")", "the arguments", () => this.argument());
    return { name, args, ...at.span(name.from) };
  }

  private argument(): ArgNode {
    const { at } = this;
    const { from } = at.token;
    let label: Name | undefined;
    if (at.token.kind === "word" && at.nextIs(":")) {
      const { text, from, to } = at.take();
      at.take();
      label = { text, from, to };
    }
    const variable = at.isName() && at.nextIs("where") ? at.name("a name for the argument") : undefined;
    if (variable) at.take();
    const value = this.expressions.expression();
    return { ...(label && { label }), ...(variable && { variable }), value, ...at.span(from) };
  }

  private dice(): MapDice {
    const { at } = this;
    const from = at.take().from;
    if (at.accept("unknown")) return { unknown: true, items: [], ...at.span(from) };
    if (at.token.kind === "end" || at.is("tells") || (at.token.leads && MAP_PARTS.has(at.token.text))) {
      at.messages.error(
        "syntax",
        { from, to: from + "dice".length },
        "Nothing is told here of what is rolled.",
        "Write for example: dice .aim, any, sum .total of 2, shuffle deck to .order; or dice unknown",
      );
      return { unknown: true, items: [], ...at.span(from) };
    }
    const items: DiceItem[] = [];
    do items.push(this.diceItem());
    while (at.accept(","));
    return { unknown: false, items, ...at.span(from) };
  }

  private diceItem(): DiceItem {
    const { at, expressions } = this;
    const { from } = at.token;
    if (at.is("any") && !at.nextIs("(")) {
      at.take();
      return { kind: "any", ...at.span(from) };
    }
    if (at.is("sum") && !at.nextIs("(")) {
      at.take();
      const value = expressions.expression();
      at.expect("of", "after the sum", "Write for example: dice sum .total of 2");
      if (at.token.kind !== "int") at.fail("syntax", `Expected how many rolls, but found ${at.found()}.`);
      return { kind: "sum", value, of: at.take().value, ...at.span(from) };
    }
    if (at.is("shuffle") && !at.nextIs("(")) {
      at.take();
      const list = at.is("to") ? undefined : expressions.expression();
      at.expect("to", "after what is shuffled", "Write for example: dice shuffle deck to .order");
      return { kind: "shuffle", ...(list && { list }), order: expressions.expression(), ...at.span(from) };
    }
    const value = expressions.expression();
    return { kind: "value", value, ifTold: this.ifTold(), ...at.span(from) };
  }

  // ---- what is told ----------------------------------------------------------------------------

  private tells(): TellNode[] {
    const tells: TellNode[] = [];
    while (this.at.accept("tells")) {
      do tells.push(this.tell());
      while (this.at.accept(","));
    }
    return tells;
  }

  private tell(): TellNode {
    const { from } = this.at.token;
    const tell = this.at.nested(() => this.toldOf());
    return { ...tell, ifTold: this.ifTold(), ...this.at.span(from) } as TellNode;
  }

  private toldOf(): object {
    const { at, expressions } = this;
    if (at.accept("for")) {
      const each = this.each();
      at.expect(":", "before what is told of each");
      return { kind: "for", ...each, tell: this.tell() };
    }
    if (at.accept("ending")) {
      if (!at.accept("by")) return { kind: "ending", ending: at.name("an ending") };
      const told = expressions.toldNode();
      at.expect("(", "before the endings", 'Write for example: ending by .reason("SOAKED" Soaked, "BELL" Bell)');
      const names = at.list(")", "the endings", () => ({ told: this.literal(), ending: at.name("an ending") }));
      return { kind: "endingBy", told, names };
    }
    if (at.is("turn") && at.nextIs("of")) {
      at.take();
      at.take();
      return { kind: "turn", seats: expressions.expression() };
    }
    if (at.is("note") && !at.nextIs("(")) {
      at.take();
      return { kind: "note", text: expressions.expression() };
    }
    const value = expressions.expression();
    if (RESULTS.has(at.token.text) && at.token.kind === "word")
      return { kind: "result", seat: value, word: at.take().text as ResultWord };
    if (at.is("rank") || at.is("score"))
      return { kind: "standing", seat: value, what: at.take().text, value: expressions.expression() };
    if (at.is("changed") && at.nextIs("by")) {
      at.take();
      at.take();
      return { kind: "changed", what: value, by: expressions.expression(), ...this.within() };
    }
    return { kind: "holds", test: value, ...this.within() };
  }

  private within(): { within?: number } {
    const { at } = this;
    if (!at.accept("within")) return {};
    if (at.token.kind !== "int" && at.token.kind !== "num")
      at.fail("syntax", `Expected a number after "within", but found ${at.found()}.`);
    return { within: at.take().value };
  }
}
