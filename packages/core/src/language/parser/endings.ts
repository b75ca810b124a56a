/** Endings: what every seat has when a match stops. */

import { FOREIGN_RANKING, FOREIGN_RESULTS } from "../foreign.js";
import { type EndingNode, type ExprNode, RESULT_WORDS, type ResultNode, type ResultWord } from "../syntax.js";
import type { Cursor } from "./cursor.js";
import type { Expressions } from "./expressions.js";
import type { Items } from "./items.js";

const RESULTS: ReadonlySet<string> = new Set(RESULT_WORDS);

/** Reads endings at the cursor. */
export class Endings {
  constructor(
    private readonly cursor: Cursor,
    private readonly expressions: Expressions,
    private readonly items: Items,
  ) {}

  /** `ending NAME(parameters) { results }`. */
  ending(documented: { doc?: string }): EndingNode {
    const from = this.cursor.take().from;
    const name = this.cursor.name("the name of the ending");
    const parameters = this.items.parameters();
    this.cursor.expect("{", "before the ending's results", "Write: ending NAME { wins SEAT  loses others }");
    const results: ResultNode[] = [];
    while (!this.cursor.is("}")) {
      const at = this.cursor.token.from;
      if (this.isCalled("ranks")) {
        results.push({ kind: "ranks", list: this.ranked(), ...this.cursor.span(at) });
      } else if (this.isCalled("scores")) {
        results.push({ ...this.scores(), ...this.cursor.span(at) });
      } else if (this.isResult()) {
        const word = this.resultWord();
        results.push({ kind: "result", word, seats: this.seatsOfResult(), ...this.cursor.span(at) });
      } else if (this.cursor.isName() && RESULTS.has(this.cursor.nextToken.text)) {
        const { from, to, text } = this.cursor.take();
        const word = this.cursor.take();
        const instead = `${word.text} ${text}`;
        this.cursor.foreign({ from, to }, "The result comes first, then whose it is.", `Write: ${instead}`, {
          title: `Write "${instead}"`,
          edits: [{ from, to: word.to, text: instead }],
        });
        const seats: ExprNode = { kind: "name", name: { text, from, to }, from, to };
        results.push({ kind: "result", word: word.text as ResultWord, seats, ...this.cursor.span(at) });
        if (this.cursor.is(",")) this.noComma();
      } else {
        this.cursor.fail(
          "syntax",
          `Expected a result, but found ${this.cursor.found()}.`,
          'Results are: wins, loses, draws, none, ranks, scores, as in "wins winner loses others".',
        );
      }
    }
    this.cursor.take();
    return { kind: "ending", ...documented, name, parameters, results, ...this.cursor.span(from) };
  }

  /** Whether a word of an ending stands here, or one that it is called by elsewhere, which is told. */
  private isCalled(word: "ranks" | "scores"): boolean {
    if (this.cursor.is(word)) return true;
    const { text } = this.cursor.token;
    if (FOREIGN_RANKING.get(text) !== word || RESULTS.has(this.cursor.nextToken.text)) return false;
    const { from, to } = this.cursor.token;
    this.cursor.foreign({ from, to }, `There is no "${text}" here.`, `Write: ${word}`, {
      title: `Write "${word}"`,
      edits: [{ from, to, text: word }],
    });
    return true;
  }

  /** What stands behind "ranks": a list. By what it is in order is said where the list is made. */
  private ranked(): ExprNode {
    this.cursor.take();
    const { from } = this.cursor.token;
    const list = this.cursor.is("by") ? undefined : this.expressions.expression();
    if (!this.cursor.is("by") && !this.cursor.is(":")) return list as ExprNode;
    this.cursor.take();
    const value = this.cursor.written(this.expressions.expression());
    const source = list ? this.cursor.written(list) : "seats";
    const each = /^\w+ in /.test(source) ? source : `s in ${source}`;
    // The name of data that each seat has.
    const by = /^\w+$/.test(value) ? `${value}[${each.slice(0, each.indexOf(" "))}]` : value;
    const text = `sortDown(${each}: ${by})`;
    const span = this.cursor.span(from);
    this.cursor.foreign(span, "What is ranked is a list, from the first, who wins.", `Write: ranks ${text}`, {
      title: `Write "${text}"`,
      edits: [{ ...span, text }],
    });
    return { kind: "name", name: { text: "seats", ...span }, ...span };
  }

  private scores() {
    const kind = "scores" as const;
    this.cursor.take();
    const variable = this.cursor.name("a name for the seat");
    const { from, to } = variable;
    const asName = (text: string): ExprNode => ({ kind: "name", name: { text, from, to }, from, to });
    if (this.cursor.is("}") || this.isResult()) {
      // The name of data that each seat has.
      const text = `s in seats: ${variable.text}[s]`;
      this.cursor.foreign(variable, "Whose score it is comes first.", `Write: scores ${text}`, {
        title: `Write "${text}"`,
        edits: [{ from, to, text }],
      });
      return { kind, variable: { ...variable, text: "s" }, source: asName("seats"), value: asName(variable.text) };
    }
    if (!this.cursor.is(":")) {
      this.cursor.expect("in", `after "scores ${variable.text}"`);
      const source = this.expressions.expression();
      this.cursor.expect(":", "before the score");
      return { kind, variable, source, value: this.expressions.expression() };
    }
    this.cursor.take();
    const value = this.expressions.expression();
    const text = `${variable.text} in seats`;
    this.cursor.foreign(variable, "Whose scores are meant comes first.", `Write: scores ${text}: ...`, {
      title: `Write "${text}"`,
      edits: [{ from, to, text }],
    });
    return { kind, variable, source: asName("seats"), value };
  }

  private isResult(): boolean {
    const { text } = this.cursor.token;
    return RESULTS.has(text) || (FOREIGN_RESULTS.has(text) && !RESULTS.has(this.cursor.nextToken.text));
  }

  private resultWord(): ResultWord {
    const { text } = this.cursor.token;
    const ours = FOREIGN_RESULTS.get(text);
    if (ours === undefined) this.cursor.take();
    else this.cursor.takeForeign(`There is no "${text}" here.`, ours);
    if (this.cursor.is(":"))
      this.cursor.takeForeign("Nothing stands between a result and whose it is.", "", "Leave it out.");
    return ours ?? (text as ResultWord);
  }

  private noComma(): void {
    this.cursor.takeForeign("Nothing separates results.", "", "Leave it out.");
  }

  /** Whose a result is; several with commas between them are meant as a list. */
  private seatsOfResult(): ExprNode {
    const first = this.expressions.expression();
    if (!this.cursor.is(",")) return first;
    const { token, nextToken } = this.cursor;
    // "wins a, b loses" goes on with another result, too.
    if (RESULTS.has(nextToken.text) || nextToken.text === "}" || RESULTS.has(this.cursor.ahead(2).text)) {
      this.noComma();
      return first;
    }
    const items = [first];
    while (this.cursor.accept(",")) items.push(this.expressions.expression());
    const { from, to } = { ...this.cursor.span(first.from) };
    this.cursor.messages.error(
      "syntax",
      token,
      "Several seats are a list.",
      `Write: [${items.map((item) => this.cursor.written(item)).join(", ")}]`,
      undefined,
      {
        title: "Write a list",
        edits: [
          { from, to: from, text: "[" },
          { from: to, to, text: "]" },
        ],
      },
    );
    return { kind: "list", items, from, to };
  }
}
