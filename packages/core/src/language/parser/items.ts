/** States, actions and everything else that stands inside a state. */

import type {
  ActionNode,
  ActionParameterNode,
  ExprNode,
  FieldNode,
  ItemNode,
  Name,
  ParameterNode,
  StateNode,
  TypeNode,
  Visibility,
  WhenTest,
} from "../syntax.js";
import { FOREIGN_FIELD_WORDS, FOREIGN_ITEMS } from "../foreign.js";
import { isReserved, WORDS } from "../words.js";
import type { Arrows } from "./arrows.js";
import type { Blocks } from "./blocks.js";
import { type Cursor, SyntaxFailure } from "./cursor.js";
import type { Expressions } from "./expressions.js";
import { skipField, skipItem } from "./skip.js";
import type { Types } from "./types.js";

/** Words that stand before what an action needs in other languages. */
const FOREIGN_NEEDS: readonly string[] = ["where", "when", "if", "require", "requires", "provided", "guard"];

/** Who sees data, and how that is said. */
const SEEN: Readonly<Record<Visibility, string>> = {
  public: "A datum begins with its name; everybody sees it where nothing else is said.",
  private: "What a seat alone sees of its own is private.",
  hidden: "What nobody sees is hidden.",
};

/** Reads items of states, fields and parameters at the cursor. */
export class Items {
  private readonly said: ItemNode[] = [];

  constructor(
    private readonly cursor: Cursor,
    private readonly expressions: Expressions,
    private readonly types: Types,
    private readonly blocks: Blocks,
    private readonly arrows: Arrows,
  ) {}

  /** Items that were said beside the last one, in the way of another language. */
  besides(): ItemNode[] {
    return this.said.splice(0);
  }

  /** The `{ items }` of a state or overlay. */
  private body(owner: Name, column: number): ItemNode[] {
    const colon = this.cursor.is(":") ? this.cursor.take() : undefined;
    if (colon)
      this.cursor.foreign(colon, "The body of a state stands in braces.", "Write { in place of the colon.", {
        title: 'Write "{"',
        edits: [{ from: colon.from, to: colon.to, text: this.cursor.is("{") ? "" : " {" }],
      });
    const brace = colon && this.cursor.is("{") ? this.cursor.take() : undefined;
    const open = brace ?? colon ?? this.cursor.open(`to open the body of ${owner.text}`, () => false);
    const items: ItemNode[] = [];
    while (!this.cursor.is("}")) {
      const { kind, leads } = this.cursor.token;
      if (kind === "end" || this.cursor.begins("top")) {
        this.reportLostBrace(owner, open.from);
        return items;
      }
      if (leads && this.cursor.indent() <= column)
        this.cursor.suspect ??= { name: owner.text, position: this.cursor.lastToken.to };
      const { token: first, taken } = this.cursor;
      try {
        this.blocks.accepts();
        if (this.cursor.is("}")) break;
        items.push(this.item(), ...this.besides());
      } catch (error) {
        if (!(error instanceof SyntaxFailure)) throw error;
        skipItem(this.cursor, first);
        this.cursor.lose(taken);
      }
    }
    this.cursor.take();
    return items;
  }

  private reportLostBrace(owner: Name, open: number): void {
    const suspect = this.cursor.suspect ?? { name: owner.text, position: this.cursor.lastToken.to };
    this.cursor.messages.error(
      "missing-brace",
      { from: suspect.position - 1, to: suspect.position },
      `A "}" is missing after this: the body of ${suspect.name} is still open.`,
      undefined,
      { from: open, to: open + 1, words: `The body of ${owner.text} was opened here.` },
    );
  }

  item(): ItemNode {
    const from = this.cursor.token.from;
    const word = this.cursor.token.text;
    if (this.cursor.token.kind === "word") {
      switch (word) {
        case "data":
          return this.data();
        case "start":
          this.cursor.take();
          return { kind: "start", target: this.cursor.name('a state after "start"'), ...this.cursor.span(from) };
        case "turn": {
          this.cursor.take();
          if (this.cursor.is(":"))
            this.cursor.takeForeign('Whose turn it is stands behind "turn of".', " of", "Write: turn of SEAT");
          else this.cursor.expect("of", 'after "turn"', "Write: turn of SEAT");
          const everybody = this.everybody();
          if (everybody) return { kind: "turn", each: true, of: everybody, ...this.cursor.span(from) };
          const each = this.isEach() && this.cursor.accept("each");
          return { kind: "turn", each, of: this.expressions.expression(), ...this.cursor.span(from) };
        }
        case "state":
        case "parallel":
        case "stub":
          return this.state();
        case "action":
        case "sealed":
          return this.action();
        case "enter":
          this.cursor.take();
          return this.enter(from);
        case "exit":
          this.cursor.take();
          return { kind: "exit", block: this.blocks.block(), ...this.cursor.span(from) };
        case "after": {
          this.cursor.take();
          const each = this.isEach();
          if (each) this.cursor.take();
          const delay = this.expressions.time();
          const test = this.condition();
          const rest = this.blockAndArrow("after");
          return { kind: "after", each, delay, ...(test && { test }), ...rest, ...this.cursor.span(from) };
        }
        case "on":
          if (["enter", "exit", "entry"].some((word) => this.cursor.nextIs(word))) return this.onTheWay();
          if (["all", "done", "not"].some((word) => this.cursor.nextIs(word)) && this.cursor.ahead(2).text !== "(") {
            this.cursor.takeForeign('What becomes so is told by "when"; "on" hears signals.', "when");
            return this.when();
          }
          this.refuseTime();
          return this.listener();
        case "when":
          return this.when();
        case "final":
          this.cursor.take();
          return { kind: "final", name: this.cursor.name("the name of a final state"), ...this.cursor.span(from) };
        default:
      }
    }
    if (this.cursor.is("->")) return this.bareArrow();
    if (word === "all" && this.cursor.nextIs("ready")) return this.bareCondition();
    if (word === "initial" && this.cursor.isName(this.cursor.nextToken) && !this.cursor.nextToken.leads) {
      this.cursor.takeForeign('There is no "initial" here.', "start");
      return { kind: "start", target: this.cursor.name("a state"), ...this.cursor.span(from) };
    }
    this.refuseForeign();
    return this.cursor.fail(
      "syntax",
      `Expected an item of a state, but found ${this.cursor.found()}.`,
      "Items are: data, start, state, turn of, action, enter, exit, after, on, when, final.",
    );
  }

  /** An item under a word of another language. @throws SyntaxFailure when there is one */
  refuseForeign(): void {
    const { token } = this.cursor;
    const help = token.kind === "word" ? FOREIGN_ITEMS.get(token.text) : undefined;
    if (help === undefined) return;
    this.cursor.foreign({ from: token.from, to: token.to }, `There is no "${token.text}" here.`, help);
    throw new SyntaxFailure(token.text);
  }

  /** An arrow with nothing before it: what a state does at once stands behind `enter`. */
  private bareArrow(): ItemNode {
    const { from, to } = this.cursor.token;
    this.cursor.messages.error(
      "syntax",
      { from, to },
      "An arrow stands behind what it follows: enter, an action, after, on or when.",
      "Where the state is left at once: enter -> ...",
      undefined,
      { title: 'Write "enter"', edits: [{ from, to: from, text: "enter " }] },
    );
    const arrow = this.arrows.optional();
    return { kind: "enter", ...(arrow && { arrow }), ...this.cursor.span(from) };
  }

  /** `all ready -> ...` with nothing before it. */
  private bareCondition(): ItemNode {
    const { from } = this.cursor.token;
    this.cursor.foreign(
      { from, to: this.cursor.nextToken.to },
      'What becomes so is told by "when".',
      "Write: when all ready",
      {
        title: 'Write "when"',
        edits: [{ from, to: from, text: "when " }],
      },
    );
    return this.whenOf(from);
  }

  /** `on enter` and `on exit`, which are one word here. */
  private onTheWay(): ItemNode {
    const { from, to } = this.cursor.take();
    const { text, from: next, to: end } = this.cursor.token;
    const ours = text === "entry" ? "enter" : text;
    this.cursor.foreign({ from, to }, `What happens on the way is written "${ours}", without "on".`, `Write: ${ours}`, {
      title: text === ours ? 'Remove "on"' : `Write "${ours}"`,
      edits: [text === ours ? { from, to: next, text: "" } : { from, to: end, text: ours }],
    });
    if (text === ours) return this.item();
    this.cursor.take();
    return this.enter(from);
  }

  /** What stands behind "enter". */
  private enter(from: number): ItemNode {
    const written = this.blocks.optional();
    const arrow = this.arrows.optional();
    const block = this.arrows.effects(written, arrow);
    if (!block && !arrow) this.cursor.expected('"{" or "->" after "enter"');
    return { kind: "enter", ...(block && { block }), ...(arrow && { arrow }), ...this.cursor.span(from) };
  }

  /** "each" after "after" or "turn of": with what it goes over behind it on the line; else it is a name. */
  private isEach(): boolean {
    if (!this.cursor.is("each")) return false;
    const { kind, text, leads, touching } = this.cursor.nextToken;
    if (leads || kind === "end") return false;
    return kind === "mark" ? (text === "(" || text === "[") && !touching : !isReserved(text) || text === "if";
  }

  /** "each" alone after "turn of": whose turn it is once is not said. */
  private everybody(): ExprNode | undefined {
    const { token, nextToken } = this.cursor;
    const isItem = isReserved(nextToken.text) && nextToken.text !== "if";
    const isAlone = nextToken.leads || nextToken.kind === "end" || nextToken.text === "}" || isItem;
    if (!this.cursor.is("each") || !isAlone) return undefined;
    const { from, to } = this.cursor.take();
    this.cursor.foreign(token, '"turn of each" does not say of whom.', "Write: turn of each inPlay", {
      title: 'Write "each inPlay"',
      edits: [{ from: to, to, text: " inPlay" }],
    });
    return { kind: "name", name: { text: "inPlay", from, to }, from, to };
  }

  /** `when C` behind a timer or a listener. It belongs there only on the same line; on a new one it is an item. */
  private condition(): ExprNode | undefined {
    if (this.cursor.token.leads) return undefined;
    if (this.cursor.is("if")) this.cursor.takeForeign('What is heard on a condition says "when".', "when");
    else if (!this.cursor.accept("when")) return undefined;
    return this.expressions.expression();
  }

  private data(): ItemNode {
    const from = this.cursor.take().from;
    const fields = this.fields("data");
    return { kind: "data", fields, ...this.cursor.span(from) };
  }

  /** `{ [private|hidden] name [per seat]: type [= value] ... }` */
  fields(owner: string): FieldNode[] {
    this.cursor.open(`after ${owner}`, () => this.cursor.token.leads && this.cursor.nextIs(":"));
    const fields: FieldNode[] = [];
    while (!this.cursor.is("}")) {
      this.blocks.accepts();
      if (this.cursor.is("}")) break;
      const { token: begun, taken } = this.cursor;
      const { from } = begun;
      const isField = this.cursor.nextIs(":") || this.cursor.nextIs("per");
      const isItem = !isField && (this.cursor.begins("item") || this.cursor.begins("top"));
      if (this.cursor.token.kind === "end" || isItem) {
        const end = this.cursor.lastToken;
        this.cursor.messages.error(
          "missing-brace",
          { from: end.to - 1, to: end.to },
          `A "}" is missing after this: the fields of ${owner} are still open.`,
        );
        return fields;
      }
      try {
        let visibility: Visibility = "public";
        if ((this.cursor.is("private") || this.cursor.is("hidden")) && !this.cursor.nextIs(":"))
          visibility = this.cursor.take().text as Visibility;
        else visibility = this.foreignVisibility() ?? visibility;
        if (this.cursor.is("per") && this.cursor.nextIs("seat")) this.cursor.nameless("the name of a field");
        const first = this.cursor.name("the name of a field");
        const name = this.typeFirst(first) ?? first;
        let perSeat = false;
        if (this.cursor.accept("per")) {
          this.seatWord();
          perSeat = true;
        }
        perSeat ||= this.indexedBySeat(name);
        const type =
          name === first
            ? this.typeOfField(name, perSeat)
            : ({ kind: "named", name: first, from: first.from, to: first.to } as const);
        perSeat ||= this.perSeatBehind(name);
        if (this.cursor.is(":") && !this.cursor.token.leads)
          this.cursor.takeForeign("A first value is set.", " = ", "Write: = VALUE");
        const sets = this.cursor.accept("=") || this.cursor.lastToken.text === ":";
        const initial = sets ? this.expressions.expression() : undefined;
        this.cursor.accept(",");
        fields.push({ name, visibility, perSeat, type, ...(initial && { initial }), ...this.cursor.span(from) });
      } catch (error) {
        if (!(error instanceof SyntaxFailure)) throw error;
        skipField(this.cursor, begun, taken);
        this.cursor.lose(taken);
      }
    }
    this.cursor.take();
    return fields;
  }

  /** `coins[seat]: int`. */
  private indexedBySeat({ text, to }: Name): boolean {
    const { cursor } = this;
    const isIndex = cursor.is("[") && (cursor.nextIs("seat") || cursor.nextIs("seats") || cursor.nextIs("player"));
    if (!isIndex || cursor.ahead(2).text !== "]") return false;
    const { from } = cursor.take();
    cursor.take();
    const { to: end } = cursor.take();
    cursor.foreign({ from, to: end }, 'What each seat has of its own is "per seat".', `Write: ${text} per seat: TYPE`, {
      title: 'Write "per seat"',
      edits: [{ from: to, to: end, text: " per seat" }],
    });
    return true;
  }

  private typeOfField(name: Name, perSeat: boolean): TypeNode {
    if (this.cursor.is("=")) this.untyped(name, `NAME${perSeat ? " per seat" : ""}: TYPE = VALUE`);
    this.cursor.expect(":", `after "${name.text}"`, `Write: ${name.text}${perSeat ? " per seat" : ""}: TYPE`);
    if (this.cursor.token.leads) this.cursor.expected(`the type of ${name.text}`);
    return this.types.type();
  }

  /** A word before the name of a field as other languages have it: what it comes to here. */
  private foreignVisibility(): Visibility | undefined {
    const { token, nextToken } = this.cursor;
    const visibility = FOREIGN_FIELD_WORDS.get(token.text);
    const isName = nextToken.kind === "word" && !nextToken.leads && nextToken.text !== "per";
    if (!visibility || token.kind !== "word" || !isName) return undefined;
    const instead = visibility === "public" ? "" : `${visibility} `;
    this.cursor.takeForeign(SEEN[visibility], instead.trimEnd(), `Write: ${instead}${nextToken.text}`);
    return visibility;
  }

  /** A value with no type before it, which is certain when it is written out. */
  untyped(name: Name, form: string): never {
    const { kind, text } = this.cursor.nextToken;
    const isBool = kind === "word" && (text === "true" || text === "false");
    const type = isBool ? "bool" : kind === "int" || kind === "num" || kind === "text" ? kind : undefined;
    const { to } = this.cursor.lastToken;
    return this.cursor.fail(
      "syntax",
      `"${name.text}" does not say its type.`,
      `Write: ${form.replace("NAME", name.text).replace("TYPE", type ?? "TYPE")}`,
      type && { title: `Write ": ${type}"`, edits: [{ from: to, to, text: `: ${type}` }] },
    );
  }

  /** `int amount` in place of `amount: int`. @returns the name, when it is written so */
  private typeFirst(type: Name): Name | undefined {
    const isType = WORDS.get(type.text)?.role === "type" || /^[A-Z]/.test(type.text);
    if (!isType || !this.cursor.isName() || this.cursor.token.leads) return undefined;
    const name = this.cursor.name("the name of a parameter");
    this.cursor.foreign(
      { from: type.from, to: name.to },
      "The name comes first, then its type.",
      `Write: ${name.text}: ${type.text}`,
      {
        title: `Write "${name.text}: ${type.text}"`,
        edits: [{ from: type.from, to: name.to, text: `${name.text}: ${type.text}` }],
      },
    );
    return name;
  }

  /** `per seat` behind the type. */
  private perSeatBehind({ to }: Name): boolean {
    if (!this.cursor.is("per") || !this.cursor.nextIs("seat") || this.cursor.token.leads) return false;
    const { to: before } = this.cursor.lastToken;
    const { from } = this.cursor.take();
    const { to: end } = this.cursor.take();
    this.cursor.foreign(
      { from, to: end },
      "That each seat has its own stands behind the name.",
      "Write: NAME per seat: TYPE",
      {
        title: 'Put "per seat" behind the name',
        edits: [
          { from: to, to, text: " per seat" },
          { from: before, to: end, text: "" },
        ],
      },
    );
    return true;
  }

  private seatWord(): void {
    if (this.cursor.accept("seat")) return;
    if (["player", "seats", "side", "person", "team"].some((word) => this.cursor.is(word)))
      this.cursor.takeForeign('What each seat has of its own is "per seat".', "seat", "Write: NAME per seat: TYPE");
    else this.cursor.expected('"seat" after "per"');
  }

  /** Takes the parenthesis before parameters, when they stand here; one that is missing is told. */
  private opens(): boolean {
    if (this.cursor.accept("(")) return true;
    const { token, lastToken } = this.cursor;
    if (token.leads || !this.cursor.isName() || !this.cursor.nextIs(":")) return false;
    const { to } = lastToken;
    this.cursor.messages.error("syntax", lastToken, 'A "(" is missing after this.', undefined, undefined, {
      title: 'Write "("',
      edits: [{ from: to, to: token.from, text: "(" }],
    });
    return true;
  }

  /** `(name: type [= value], ...)` when it stands here, touching. */
  parameters(): ParameterNode[] {
    if (!this.opens()) return [];
    return this.cursor.list(")", "the parameters", () => {
      const from = this.cursor.token.from;
      const first = this.cursor.name("the name of a parameter");
      const name = this.typeFirst(first) ?? first;
      if (WORDS.get(first.text)?.role === "type" && (this.cursor.is(",") || this.cursor.is(")"))) {
        const help = `Write: amount: ${first.text}, with a name of your own.`;
        this.cursor.messages.error("syntax", first, "A parameter has a name before its type.", help);
        throw new SyntaxFailure(first.text);
      }
      if (name === first) this.cursor.expect(":", `after "${name.text}", then its type`, `Write: ${name.text}: TYPE`);
      else return { name, type: { kind: "named", name: first, ...this.cursor.span(from) }, ...this.cursor.span(from) };
      const type = this.types.type();
      const initial = this.cursor.accept("=") ? this.expressions.expression() : undefined;
      return { name, type, ...(initial && { initial }), ...this.cursor.span(from) };
    });
  }

  /** `state Home initial`: where it starts is said by itself. */
  private isFirst(state: Name): boolean {
    const isWord = ["initial", "start", "default", "first"].some((word) => this.cursor.is(word));
    if (!isWord || this.cursor.token.leads || !this.cursor.nextIs("{")) return false;
    this.cursor.takeForeign("Where it starts is said by itself.", "", `Write above it: start ${state.text}`);
    return true;
  }

  state(): StateNode {
    return this.cursor.nested(() => {
      const doc = this.cursor.doc();
      const { from } = this.cursor.token;
      const column = this.cursor.indent();
      let parallel = false;
      let stub = false;
      while (this.cursor.is("parallel") || this.cursor.is("stub")) {
        if (this.cursor.take().text === "parallel") parallel = true;
        else stub = true;
      }
      const kind = this.cursor.is("overlay") ? "overlay" : "state";
      this.cursor.expect(kind, "here");
      const name = this.cursor.name(`the name of the ${kind}`);
      const parameters = this.parameters();
      const isFirst = this.isFirst(name);
      const hasBody = this.cursor.is("{") || this.cursor.is(":") || this.cursor.isClosed();
      const items = hasBody ? this.body(name, column) : [];
      if (isFirst) this.said.push({ kind: "start", target: name, from: name.from, to: name.to });
      return {
        kind,
        ...(doc !== undefined && { doc }),
        parallel,
        stub,
        name,
        parameters,
        items,
        ...this.cursor.span(from),
      };
    });
  }

  private action(): ActionNode {
    const doc = this.cursor.doc();
    const { from } = this.cursor.token;
    const sealed = this.cursor.accept("sealed");
    this.cursor.expect("action", "here");
    const name = this.cursor.name("the name of the action");
    const parameters = this.opens() ? this.cursor.list(")", "the parameters", () => this.actionParameter()) : [];
    let by = this.whoMay();
    const needs: { test: ExprNode; reason?: ExprNode }[] = [];
    while (this.needs(parameters[0]?.name.text, needs.length > 0)) {
      const test = this.expressions.expression();
      const reason = this.reason() ?? this.foreignReason();
      needs.push({ test, ...(reason && { reason }) });
      const late = this.cursor.token;
      const found = this.whoMay();
      if (!found) continue;
      const at = this.cursor.span(late.from);
      const help = `Write: action ${name.text} ${this.cursor.written(at)} needs ...`;
      this.cursor.messages.error("syntax", at, '"by" comes before "needs".', help);
      by ??= found;
    }
    const rest = this.blockAndArrow("an action", true);
    return {
      kind: "action",
      ...(doc !== undefined && { doc }),
      sealed,
      name,
      parameters,
      ...(by && { by }),
      needs,
      ...rest,
      ...this.cursor.span(from),
    };
  }

  /**
   * Takes `needs`, or what is written in its place behind the parameters.
   *
   * @param again one stands before it
   */
  private needs(first: string | undefined, again: boolean): boolean {
    if (this.cursor.accept("needs")) return true;
    if (again && this.cursor.is("and")) {
      this.cursor.takeForeign("Behind its reason, another condition begins with its own word.", "needs");
      return true;
    }
    const isForeign = FOREIGN_NEEDS.some((word) => this.cursor.is(word));
    if (!isForeign || this.cursor.token.leads) return false;
    this.cursor.takeForeign(
      'Behind its parameters, what an action needs is written "needs".',
      "needs",
      first === undefined
        ? "Write: needs COND"
        : `Of an argument alone: (${first}: TYPE where COND). Of more: needs COND`,
    );
    return true;
  }

  /** A reason behind a comma. */
  private foreignReason(): ExprNode | undefined {
    if (!this.cursor.is(",") || this.cursor.nextToken.kind !== "text") return undefined;
    const { from, to } = this.cursor.take();
    this.cursor.foreign({ from, to }, 'The reason stands behind "else".', 'Write: needs COND else "reason"', {
      title: 'Write "else"',
      edits: [{ from, to, text: " else" }],
    });
    return this.expressions.text();
  }

  private whoMay(): "anyone" | ExprNode | undefined {
    if (!this.cursor.accept("by")) return undefined;
    return this.cursor.accept("anyone") ? "anyone" : this.expressions.expression();
  }

  private actionParameter(): ActionParameterNode {
    const from = this.cursor.token.from;
    const name = this.cursor.name("the name of a parameter");
    this.cursor.expect(":", `after "${name.text}", then its type`);
    const type = this.types.type();
    const domain = this.cursor.accept("in") ? this.expressions.expression() : undefined;
    const where = this.cursor.accept("where") ? this.expressions.expression() : undefined;
    const reason = this.reason();
    this.noDefault();
    return {
      name,
      type,
      ...(domain && { domain }),
      ...(where && { where }),
      ...(reason && { reason }),
      ...this.cursor.span(from),
    };
  }

  /** A default of a parameter of an action. */
  private noDefault(): void {
    if (!this.cursor.is("=")) return;
    const { from: at, to: end } = this.cursor.token;
    const { to: before } = this.cursor.lastToken;
    this.cursor.take();
    this.expressions.expression();
    const { to } = this.cursor.lastToken;
    this.cursor.foreign(
      { from: at, to: end },
      "Who takes an action tells all of its arguments: there are no defaults.",
      "Leave it out; what need not be told is of a type that may be none: TYPE?",
      { title: "Remove the default", edits: [{ from: before, to, text: "" }] },
    );
  }

  private reason(): ExprNode | undefined {
    if (!this.cursor.is("else") || this.cursor.nextToken.kind !== "text") return undefined;
    this.cursor.take();
    return this.expressions.text();
  }

  /** `on timeout 20s`. @throws SyntaxFailure */
  private refuseTime(): void {
    const { token, nextToken } = this.cursor;
    if (
      !["timeout", "timer", "time", "tick", "after"].includes(nextToken.text) ||
      this.cursor.ahead(2).kind !== "duration"
    )
      return;
    const { to } = nextToken;
    this.cursor.foreign(
      { from: token.from, to },
      'What time does is told by "after".',
      `Write: after ${this.cursor.ahead(2).text} -> STATE`,
    );
    throw new SyntaxFailure("on");
  }

  private listener(): ItemNode {
    const from = this.cursor.take().from;
    const signal = this.cursor.name('a signal after "on"');
    const names = this.cursor.accept("(") ? this.cursor.list(")", "the signal's values", () => this.signalValue()) : [];
    const test = this.condition();
    const rest = this.blockAndArrow("on");
    return { kind: "on", signal, names, ...(test && { test }), ...rest, ...this.cursor.span(from) };
  }

  /** A name for a value of a signal; its type is the signal's. */
  private signalValue(): Name {
    const name = this.cursor.name("a name for the signal's value");
    if (!this.cursor.is(":")) return name;
    const { from, to: end } = this.cursor.take();
    this.types.type();
    const { to } = this.cursor.lastToken;
    this.cursor.foreign({ from, to: end }, "Of what is heard the names alone are written.", `Write: ${name.text}`, {
      title: "Remove the type",
      edits: [{ from: name.to, to, text: "" }],
    });
    return name;
  }

  private when(): ItemNode {
    return this.whenOf(this.cursor.take().from);
  }

  /** What stands behind "when". */
  private whenOf(from: number): ItemNode {
    const testFrom = this.cursor.token.from;
    let test: WhenTest;
    if (this.cursor.is("all") && this.cursor.nextIs("ready")) {
      this.cursor.take();
      this.cursor.take();
      test = { kind: "allReady", ...this.cursor.span(testFrom) };
    } else if (this.cursor.is("done") && this.cursor.isName(this.cursor.nextToken)) {
      this.cursor.take();
      test = { kind: "done", final: this.cursor.name("a final state"), ...this.cursor.span(testFrom) };
    } else {
      test = { kind: "holds", test: this.expressions.expression(), ...this.cursor.span(testFrom) };
    }
    const rest = this.blockAndArrow("when");
    return { kind: "when", test, ...rest, ...this.cursor.span(from) };
  }

  /** A block, an arrow, or both; with neither there is nothing to do, except where the checker says it better. */
  private blockAndArrow(what: string, mayBeEmpty = false) {
    if (this.cursor.is(":")) this.cursor.takeForeign("Nothing stands before a block or an arrow.", "", "Leave it out.");
    const written = this.blocks.optional();
    const arrow = this.arrows.optional() ?? (written && this.arrows.noArrow());
    if (arrow) this.arrows.conditionBehind(arrow);
    const block = this.arrows.effects(written, arrow);
    if (mayBeEmpty && !arrow && !this.cursor.isBetween)
      this.cursor.expected(block ? '"->" and where it leads' : `"{" or "->" to complete ${what}`);
    if (!block && !arrow && !mayBeEmpty) {
      const help =
        this.cursor.is("when") && this.cursor.token.leads && (what === "on" || what === "after")
          ? `A condition of "${what}" stands on the same line; on a line of its own "when" begins an item of the state.`
          : undefined;
      this.cursor.expected(`"{" or "->" to complete ${what}`, help);
    }
    return { ...(block && { block }), ...(arrow && { arrow }) };
  }
}
