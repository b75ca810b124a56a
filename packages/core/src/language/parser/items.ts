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
  Visibility,
  WhenTest,
} from "../syntax.js";
import type { Token } from "../scanner.js";
import { isReserved } from "../words.js";
import { BlockParser } from "./blocks.js";
import { SyntaxFailure } from "./cursor.js";

/** A state body that a line suggests has ended, though its brace has not come. */
interface Suspect {
  readonly name: string;
  readonly position: number;
}

export class ItemParser extends BlockParser {
  /** The first line that is set out no further than the body around it: where a lost brace would be. */
  protected suspect: Suspect | undefined;

  protected startsItem(): boolean {
    return this.begins("item");
  }

  /** The `{ items }` of a state or overlay. */
  private body(owner: Name, column: number): ItemNode[] {
    const open = this.expect("{", `to open the body of ${owner.text}`);
    const items: ItemNode[] = [];
    while (!this.is("}")) {
      const { kind, leads } = this.token;
      if (kind === "end" || this.begins("top")) {
        this.reportLostBrace(owner, open.from);
        return items;
      }
      if (leads && this.indent() <= column) this.suspect ??= { name: owner.text, position: this.lastToken.to };
      const begun = this.nextToken;
      try {
        this.accepts();
        if (this.is("}")) break;
        items.push(this.item());
      } catch (error) {
        if (!(error instanceof SyntaxFailure)) throw error;
        this.lose(begun);
        this.skipItem();
      }
    }
    this.take();
    return items;
  }

  private reportLostBrace(owner: Name, open: number): void {
    const suspect = this.suspect ?? { name: owner.text, position: this.lastToken.to };
    this.messages.error(
      "missing-brace",
      { from: suspect.position - 1, to: suspect.position },
      `A "}" is missing after this: the body of ${suspect.name} is still open.`,
      undefined,
      { from: open, to: open + 1, words: `The body of ${owner.text} was opened here.` },
    );
  }

  /** Names of what could not be read, so that nobody is told that they are unknown. */
  protected readonly lost: string[] = [];

  /** @param begun the token behind the word that began it */
  protected lose(begun: Token): void {
    if (begun.kind === "word") this.lost.push(begun.text);
  }

  /** Skips to the next item on this level, over balanced braces. */
  protected skipItem(): void {
    let depth = 0;
    let first = true;
    for (;;) {
      const { kind, text, leads } = this.token;
      if (kind === "end") return;
      if (depth === 0 && text === "}") return;
      if (!first && depth <= 0 && leads && kind === "word" && (this.begins("item") || this.begins("top"))) return;
      if (text === "{") depth++;
      if (text === "}") depth--;
      this.take();
      first = false;
    }
  }

  protected item(): ItemNode {
    const from = this.token.from;
    const word = this.token.text;
    if (this.token.kind === "word") {
      switch (word) {
        case "data":
          return this.data();
        case "start":
          this.take();
          return { kind: "start", target: this.name('a state after "start"'), ...this.span(from) };
        case "turn": {
          this.take();
          this.expect("of", 'after "turn"');
          const each = this.is("each") && this.isName(this.nextToken) ? this.accept("each") : false;
          return { kind: "turn", each, of: this.expression(), ...this.span(from) };
        }
        case "state":
        case "parallel":
        case "stub":
          return this.state();
        case "action":
        case "sealed":
          return this.action();
        case "enter": {
          this.take();
          const block = this.is("{") ? this.block() : undefined;
          const arrow = this.optionalArrow();
          if (!block && !arrow) this.fail("syntax", `Expected "{" or "->" after "enter", but found ${this.found()}.`);
          return { kind: "enter", ...(block && { block }), ...(arrow && { arrow }), ...this.span(from) };
        }
        case "exit":
          this.take();
          return { kind: "exit", block: this.block(), ...this.span(from) };
        case "after": {
          this.take();
          const each = this.isEach();
          if (each) this.take();
          const delay = this.expression();
          const test = this.condition();
          const rest = this.blockAndArrow("after");
          return { kind: "after", each, delay, ...(test && { test }), ...rest, ...this.span(from) };
        }
        case "on":
          return this.listener();
        case "when":
          return this.when();
        case "final":
          this.take();
          return { kind: "final", name: this.name("the name of a final state"), ...this.span(from) };
        default:
      }
    }
    return this.fail(
      "syntax",
      `Expected an item of a state, but found ${this.found()}.`,
      "Items are: data, start, state, turn of, action, enter, exit, after, on, when, final.",
    );
  }

  /** "each" after "after": with a delay behind it on the line; else it is a name. */
  private isEach(): boolean {
    if (!this.is("each")) return false;
    const { kind, text, leads, touching } = this.nextToken;
    if (leads || kind === "end") return false;
    return kind === "mark" ? text === "(" && !touching : !isReserved(text) || text === "if";
  }

  /** `when C` behind a timer or a listener. It belongs there only on the same line; on a new one it is an item. */
  private condition(): ExprNode | undefined {
    return this.is("when") && !this.token.leads && this.accept("when") ? this.expression() : undefined;
  }

  private data(): ItemNode {
    const from = this.take().from;
    const fields = this.fields("data");
    return { kind: "data", fields, ...this.span(from) };
  }

  /** `{ [private|hidden] name [per seat]: type [= value] ... }` */
  protected fields(owner: string): FieldNode[] {
    this.expect("{", `after ${owner}`);
    const fields: FieldNode[] = [];
    while (!this.is("}")) {
      this.accepts();
      if (this.is("}")) break;
      const begun = this.token;
      const { from } = begun;
      if (this.token.kind === "end" || (this.startsItem() && !this.nextIs(":"))) {
        const end = this.lastToken;
        this.messages.error(
          "missing-brace",
          { from: end.to - 1, to: end.to },
          `A "}" is missing after this: the fields of ${owner} are still open.`,
        );
        return fields;
      }
      try {
        let visibility: Visibility = "public";
        if ((this.is("private") || this.is("hidden")) && !this.nextIs(":")) visibility = this.take().text as Visibility;
        const name = this.name("the name of a field");
        let perSeat = false;
        if (this.accept("per")) {
          this.seatWord();
          perSeat = true;
        }
        this.expect(":", `after "${name.text}"`);
        const type = this.type();
        const initial = this.accept("=") ? this.expression() : undefined;
        this.accept(",");
        fields.push({ name, visibility, perSeat, type, ...(initial && { initial }), ...this.span(from) });
      } catch (error) {
        if (!(error instanceof SyntaxFailure)) throw error;
        this.lose(begun);
        this.skipField();
      }
    }
    this.take();
    return fields;
  }

  /**
   * Skips what is left of a field: to the end of its line and of the brackets opened in it, or to the next field on the
   * line.
   */
  private skipField(): void {
    let depth = 0;
    for (;;) {
      const { text, kind } = this.token;
      if (kind === "end" || (depth <= 0 && text === "}")) return;
      if (text === "(" || text === "[" || text === "{") depth++;
      if (text === ")" || text === "]" || text === "}") depth--;
      this.take();
      if (depth <= 0 && (this.token.leads || (this.isName() && this.nextIs(":")))) return;
    }
  }

  private seatWord(): void {
    if (!this.accept("seat")) this.fail("syntax", `Expected "seat" after "per", but found ${this.found()}.`);
  }

  /** `(name: type [= value], ...)` when it stands here, touching. */
  protected parameters(): ParameterNode[] {
    if (!this.is("(")) return [];
    this.take();
    return this.list(")", "the parameters", () => {
      const from = this.token.from;
      const name = this.name("the name of a parameter");
      this.expect(":", `after "${name.text}", then its type`);
      const type = this.type();
      const initial = this.accept("=") ? this.expression() : undefined;
      return { name, type, ...(initial && { initial }), ...this.span(from) };
    });
  }

  protected state(): StateNode {
    return this.nested(() => {
      const doc = this.doc();
      const { from } = this.token;
      const column = this.indent();
      let parallel = false;
      let stub = false;
      while (this.is("parallel") || this.is("stub")) {
        if (this.take().text === "parallel") parallel = true;
        else stub = true;
      }
      const kind = this.is("overlay") ? "overlay" : "state";
      this.expect(kind, "here");
      const name = this.name(`the name of the ${kind}`);
      const parameters = this.parameters();
      const items = this.is("{") ? this.body(name, column) : [];
      return { kind, ...(doc !== undefined && { doc }), parallel, stub, name, parameters, items, ...this.span(from) };
    });
  }

  private action(): ActionNode {
    const doc = this.doc();
    const { from } = this.token;
    const sealed = this.accept("sealed");
    this.expect("action", "here");
    const name = this.name("the name of the action");
    const parameters = this.accept("(") ? this.list(")", "the parameters", () => this.actionParameter()) : [];
    let by: "anyone" | ExprNode | undefined;
    if (this.accept("by")) by = this.accept("anyone") ? "anyone" : this.expression();
    const needs: { test: ExprNode; reason?: ExprNode }[] = [];
    while (this.accept("needs")) {
      const test = this.expression();
      const reason = this.reason();
      needs.push({ test, ...(reason && { reason }) });
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
      ...this.span(from),
    };
  }

  private actionParameter(): ActionParameterNode {
    const from = this.token.from;
    const name = this.name("the name of a parameter");
    this.expect(":", `after "${name.text}", then its type`);
    const type = this.type();
    const domain = this.accept("in") ? this.expression() : undefined;
    const where = this.accept("where") ? this.expression() : undefined;
    const reason = this.reason();
    return {
      name,
      type,
      ...(domain && { domain }),
      ...(where && { where }),
      ...(reason && { reason }),
      ...this.span(from),
    };
  }

  private reason(): ExprNode | undefined {
    if (!this.is("else") || this.nextToken.kind !== "text") return undefined;
    this.take();
    return this.text();
  }

  private listener(): ItemNode {
    const from = this.take().from;
    const signal = this.name('a signal after "on"');
    const names = this.accept("(")
      ? this.list(")", "the signal's values", () => this.name("a name for the signal's value"))
      : [];
    const test = this.condition();
    const rest = this.blockAndArrow("on");
    return { kind: "on", signal, names, ...(test && { test }), ...rest, ...this.span(from) };
  }

  private when(): ItemNode {
    const from = this.take().from;
    const testFrom = this.token.from;
    let test: WhenTest;
    if (this.is("all") && this.nextIs("ready")) {
      this.take();
      this.take();
      test = { kind: "allReady", ...this.span(testFrom) };
    } else if (this.is("done") && this.isName(this.nextToken)) {
      this.take();
      test = { kind: "done", final: this.name("a final state"), ...this.span(testFrom) };
    } else {
      test = { kind: "holds", test: this.expression(), ...this.span(testFrom) };
    }
    const rest = this.blockAndArrow("when");
    return { kind: "when", test, ...rest, ...this.span(from) };
  }

  /** A block, an arrow, or both; with neither there is nothing to do, except where the checker says it better. */
  private blockAndArrow(what: string, mayBeEmpty = false) {
    const block = this.is("{") ? this.block() : undefined;
    const arrow = this.optionalArrow();
    if (!block && !arrow && !mayBeEmpty) {
      const help =
        this.is("when") && this.token.leads && (what === "on" || what === "after")
          ? `A condition of "${what}" stands on the same line; on a line of its own "when" begins an item of the state.`
          : undefined;
      this.fail("syntax", `Expected "{" or "->" to complete ${what}, but found ${this.found()}.`, help);
    }
    return { ...(block && { block }), ...(arrow && { arrow }) };
  }
}
