/** Text to tokens. Never fails: what it cannot read becomes a token of kind `bad` and a message. */

import type { Messages } from "./message.js";
import { FOREIGN_SIGNS } from "./foreign.js";
import type { SourceFile, Span } from "./source.js";

type TokenKind = "word" | "int" | "num" | "duration" | "text" | "mark" | "doc" | "comment" | "bad" | "end";

export interface Token {
  readonly kind: TokenKind;
  readonly from: number;
  readonly to: number;
  /** The token as written. */
  readonly text: string;
  /** For numbers the value; for durations milliseconds. */
  readonly value: number;
  /** No space before it: `f(x)` is a call, `f (x)` is not. */
  readonly touching: boolean;
  /** It is the first token on its line. */
  readonly leads: boolean;
}

/** What each unit of a duration is in milliseconds. */
const DURATION_UNITS: Readonly<Record<string, number>> = { ms: 1, s: 1000, m: 60_000, h: 3_600_000, d: 86_400_000 };

const MARKS = [
  "...",
  "->",
  "==",
  "!=",
  "<=",
  ">=",
  "+=",
  "-=",
  "..",
  "(",
  ")",
  "[",
  "]",
  "{",
  "}",
  ",",
  ":",
  ".",
  "=",
  "<",
  ">",
  "+",
  "-",
  "*",
  "/",
  "%",
  "?",
];
const WORD = /[A-Za-z_][A-Za-z0-9_]*/y;
const NUMBER = /[0-9][0-9_]*(?:\.[0-9]+)?/y;
const SPACE = /[ \t\r\n\uFEFF]+/y;

/**
 * Reads the tokens of `file` between the two offsets (the whole file by default). Doc comments
 * (`///`) are tokens, other comments only when `keepComments` is set. The last token is of kind `end`.
 */
export function scan(
  file: SourceFile,
  messages: Messages,
  start = 0,
  stop = file.text.length,
  keepComments = false,
): Token[] {
  return new Scanner(file, messages, start, stop, keepComments).scan();
}

/**
 * Where a value in a text ends, behind its brace. Texts may stand in it, as in `"{prices["bread"]}"`.
 *
 * @param at the brace that begins it
 * @returns undefined when it does not end on its line
 */
export function endOfValue(text: string, at: number, stop: number): number | undefined {
  let quoted = false;
  for (let i = at + 1; i < stop && text[i] !== "\n"; i++) {
    if (text[i] === '"') quoted = !quoted;
    else if (quoted && text[i] === "\\") i++;
    else if (!quoted && text[i] === "}") return i + 1;
  }
  return undefined;
}

function endOfLine(text: string, at: number, stop: number): number {
  const newline = text.indexOf("\n", at);
  return newline < 0 ? stop : newline;
}

/** One reading of a text, from its start to its end. */
class Scanner {
  private readonly tokens: Token[] = [];
  private readonly text: string;
  /** Up to here no ends of values are looked for: one on the line has none, and looking again and again takes long. */
  private plainUntil = 0;
  private at: number;
  private lineHasToken = false;
  /** Whether nothing stands between the token before and the one at hand. */
  private touching = false;

  constructor(
    private readonly file: SourceFile,
    private readonly messages: Messages,
    private readonly start: number,
    private readonly stop: number,
    private readonly keepComments: boolean,
  ) {
    this.text = file.text;
    this.at = start;
  }

  scan(): Token[] {
    while (this.space()) {
      if (this.text.startsWith("//", this.at)) this.comment();
      else this.token();
    }
    const end = this.file.base + this.stop;
    this.tokens.push({ kind: "end", from: end, to: end, text: "", value: 0, touching: false, leads: true });
    return this.tokens;
  }

  /** Passes over space; false at the end. */
  private space(): boolean {
    const before = this.at;
    const space = this.match(SPACE, before);
    if (space !== undefined) {
      this.at = Math.min(before + space.length, this.stop);
      if (space.includes("\n")) this.lineHasToken = false;
    }
    this.touching = this.at === before && before > this.start;
    return this.at < this.stop;
  }

  private comment(): void {
    const { text, at, stop } = this;
    const newline = text.indexOf("\n", at);
    const end = Math.min(newline < 0 ? stop : newline, stop);
    this.touching = false;
    if (text.startsWith("///", at)) this.push("doc", end);
    else if (this.keepComments) this.push("comment", end);
    else this.at = end;
  }

  private token(): void {
    const { text, at } = this;
    if (this.foreign()) return;
    const word = this.match(WORD, at);
    const number = word === undefined ? this.match(NUMBER, at) : undefined;
    if (word !== undefined) this.push("word", at + word.length);
    else if (number !== undefined) this.number(number);
    else if (text[at] === '"') this.quoted();
    else {
      const mark = MARKS.find((m) => text.startsWith(m, at));
      if (mark) this.push("mark", at + mark.length);
      else this.bad();
    }
  }

  private number(written: string): void {
    const { at } = this;
    const { base } = this.file;
    const end = at + written.length;
    const unit = this.match(WORD, end);
    const value = Number(written.replaceAll("_", ""));
    if (unit !== undefined && this.diced(value, end, unit)) return;
    if (unit !== undefined) {
      const ms = Object.hasOwn(DURATION_UNITS, unit) ? DURATION_UNITS[unit] : undefined;
      if (ms === undefined) {
        this.messages.error(
          "bad-number",
          { from: base + at, to: base + end + unit.length },
          `"${written}${unit}" is neither a number nor a duration.`,
          /^d\d+$/.test(unit)
            ? `Dice are rolled in effects: roll(1..${unit.slice(1)}), or roll(2 of 1..6) for two of them.`
            : "Durations are written 500ms, 2s, 10m, 36h or 10d.",
        );
      }
      this.push("duration", end + unit.length, Math.round(value * (ms ?? 1)));
      return;
    }
    if (!written.includes(".") && value > Number.MAX_SAFE_INTEGER) {
      this.messages.error(
        "bad-number",
        { from: base + at, to: base + end },
        `${written} is beyond the exact whole numbers.`,
        "The largest int is 9007199254740991 (2^53 - 1).",
      );
    }
    this.push(written.includes(".") ? "num" : "int", end, value);
  }

  /** `roll(2d6)`: read as `roll(2 of 1..6)`, once that is told. */
  private diced(count: number, end: number, unit: string): boolean {
    const [, faces] = /^d(\d+)$/.exec(unit) ?? [];
    const [word, open] = this.tokens.slice(-2);
    if (faces === undefined || this.keepComments || word?.text !== "roll" || open?.text !== "(") return false;
    const { at } = this;
    const span = this.spanTo(end + unit.length);
    const written = `${count === 1 ? "" : `${count} of `}1..${faces}`;
    const fix = { title: `Write "${written}"`, edits: [{ ...span, text: written }] };
    this.messages.error(
      "other-language",
      span,
      "Dice are written as a range.",
      `Write: roll(${written})`,
      undefined,
      fix,
    );
    if (count !== 1) {
      this.push("int", at, count, String(count));
      this.push("word", at, 0, "of");
    }
    this.push("int", at, 1, "1");
    this.push("mark", at, 0, "..");
    this.push("int", end + unit.length, Number(faces), faces);
    return true;
  }

  private quoted(): void {
    const { text, at, stop } = this;
    const { base } = this.file;
    let end = at + 1;
    while (end < stop && text[end] !== '"' && text[end] !== "\n") {
      const isValue = text[end] === "{" && text[end + 1] !== "{" && end >= this.plainUntil;
      const behind = isValue ? endOfValue(text, end, stop) : undefined;
      if (isValue && behind === undefined) this.plainUntil = endOfLine(text, end, stop);
      const isPair = (text[end] === "\\" && text[end + 1] !== "\n") || (text[end] === "{" && text[end + 1] === "{");
      end = behind ?? end + (isPair ? 2 : 1);
    }
    const closed = end < stop && text[end] === '"';
    end = closed ? end + 1 : Math.min(end, stop);
    if (!closed)
      this.messages.error(
        "unclosed-text",
        { from: base + at, to: base + end },
        "This text has no closing quote on its line.",
        'Close it with ", and write a line break inside a text as \\n.',
      );
    this.push("text", end);
  }

  /** Signs of other languages: told once, and read as what was meant. False when there is none here. */
  private foreign(): boolean {
    const { text, at } = this;
    // Whoever keeps comments writes the text again, and must not change it.
    if (this.keepComments) return false;
    if (text[at] === "'") return this.singleQuoted();
    if (text[at] === "#" || text.startsWith("/*", at) || (!this.lineHasToken && text.startsWith("--", at)))
      return this.foreignComment();
    const found = FOREIGN_SIGNS.find(({ sign }) => text.startsWith(sign, at));
    // "!=" is ours, and so is "<" before a ">".
    if (!found || (found.sign === "!" && text[at + 1] === "=")) return false;
    const { sign, instead, words } = found;
    const span = this.spanTo(at + sign.length);
    // A word needs space around it where a sign needs none.
    const before = /[\w)\]]/.test(text[at - 1] ?? "") ? " " : "";
    const after = /[\w([]/.test(text[at + sign.length] ?? "") ? " " : "";
    const written = /[a-z]/.test(instead) ? `${before}${instead}${after}` : instead;
    const title = instead === "" ? "Leave it out" : `Write "${instead}"`;
    const fix = { title, edits: [{ ...span, text: written }] };
    const help = instead === "" ? "Leave it out." : `Write "${instead}".`;
    this.messages.error("other-language", span, words, help, undefined, fix);
    if (instead === "") {
      this.at += sign.length;
      return true;
    }
    this.push(/[a-z]/.test(instead) ? "word" : "mark", at + sign.length, 0, instead);
    return true;
  }

  /** A text in single quotes, when it ends on its line. */
  private singleQuoted(): boolean {
    const { text, at } = this;
    const line = text.indexOf("\n", at);
    const close = text.indexOf("'", at + 1);
    if (close < 0 || (line >= 0 && close > line) || close >= this.stop) return false;
    const inside = text.slice(at + 1, close);
    const span = this.spanTo(close + 1);
    this.messages.error(
      "other-language",
      span,
      "A text stands in straight double quotes.",
      `Write "${inside}".`,
      undefined,
      inside.includes('"') ? undefined : { title: `Write "${inside}"`, edits: [{ ...span, text: `"${inside}"` }] },
    );
    this.push("text", close + 1, 0, `"${inside}"`);
    return true;
  }

  private foreignComment(): boolean {
    const { text, at } = this;
    const block = text.startsWith("/*", at);
    const end = block ? text.indexOf("*/", at) + 2 : text.indexOf("\n", at);
    const stop = Math.min(end <= 1 ? this.stop : end, this.stop);
    this.messages.error(
      "other-language",
      this.spanTo(at + (text[at] === "#" ? 1 : 2)),
      'A comment begins with "//" and ends with its line.',
      "Write // before each line of it.",
    );
    this.at = stop;
    return true;
  }

  private spanTo(end: number): Span {
    return { from: this.file.base + this.at, to: this.file.base + end };
  }

  /** A sign without a meaning. */
  private bad(): void {
    const { text, at } = this;
    const width = (text.codePointAt(at) ?? 0) > 0xffff ? 2 : 1;
    const sign = text.slice(at, at + width);
    const straight = /[\u2018\u2019\u201c\u201d`']/.test(sign);
    this.messages.error(
      "bad-character",
      this.spanTo(at + width),
      `"${sign}" has no meaning here.`,
      straight ? 'Texts are written in straight double quotes: "like this".' : "Leave it out.",
    );
    this.push("bad", at + width);
  }

  /** @param text what it stands for, where that is not what is written */
  private push(kind: TokenKind, end: number, value = 0, text = this.text.slice(this.at, end)): void {
    const { base } = this.file;
    this.tokens.push({
      kind,
      from: base + this.at,
      to: base + end,
      text,
      value,
      touching: this.touching,
      leads: !this.lineHasToken,
    });
    this.lineHasToken = true;
    this.at = end;
  }

  /** What a pattern matches right at an offset. */
  private match(pattern: RegExp, at: number): string | undefined {
    pattern.lastIndex = at;
    return pattern.exec(this.text)?.[0];
  }
}
