/** Text to tokens. Never fails: what it cannot read becomes a token of kind `bad` and a message. */

import type { Fix, Messages } from "./message.js";
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
  const { text, base } = file;
  const tokens: Token[] = [];
  let at = start;
  let lineHasToken = false;

  const push = (kind: TokenKind, end: number, value = 0, touching = true): void => {
    tokens.push({
      kind,
      from: base + at,
      to: base + end,
      text: text.slice(at, end),
      value,
      touching,
      leads: !lineHasToken,
    });
    lineHasToken = true;
    at = end;
  };

  while (at < stop) {
    const before = at;
    SPACE.lastIndex = at;
    const space = SPACE.exec(text);
    if (space) {
      at = Math.min(at + space[0].length, stop);
      if (space[0].includes("\n")) lineHasToken = false;
      if (at >= stop) break;
    }
    const touching = at === before && at > start;
    const c = text[at] as string;
    if (text.startsWith("//", at)) {
      const newline = text.indexOf("\n", at);
      const end = Math.min(newline < 0 ? stop : newline, stop);
      if (text.startsWith("///", at)) push("doc", end, 0, false);
      else if (keepComments) push("comment", end, 0, false);
      else at = end;
      continue;
    }
    WORD.lastIndex = at;
    const word = WORD.exec(text);
    if (word) {
      push("word", at + word[0].length, 0, touching);
      continue;
    }
    NUMBER.lastIndex = at;
    const number = NUMBER.exec(text);
    if (number) {
      scanNumber(number[0], touching);
      continue;
    }
    if (c === '"') {
      scanText(touching);
      continue;
    }
    const mark = MARKS.find((m) => text.startsWith(m, at));
    if (mark) {
      push("mark", at + mark.length, 0, touching);
      continue;
    }
    const pair = text.slice(at, at + 2);
    const width = (text.codePointAt(at) ?? 0) > 0xffff || pair === "&&" || pair === "||" ? 2 : 1;
    const bad = text.slice(at, at + width);
    const span = { from: base + at, to: base + at + width };
    messages.error(
      "bad-character",
      span,
      `"${bad}" has no meaning here.`,
      hintForCharacter(bad),
      undefined,
      insteadOf(bad, span),
    );
    push("bad", at + width, 0, touching);
  }
  at = stop;
  tokens.push({ kind: "end", from: base + stop, to: base + stop, text: "", value: 0, touching: false, leads: true });
  return tokens;

  function scanNumber(written: string, touching: boolean): void {
    const end = at + written.length;
    WORD.lastIndex = end;
    const unit = WORD.exec(text)?.[0];
    const value = Number(written.replaceAll("_", ""));
    if (unit !== undefined) {
      const ms = Object.hasOwn(DURATION_UNITS, unit) ? DURATION_UNITS[unit] : undefined;
      if (ms === undefined) {
        messages.error(
          "bad-number",
          { from: base + at, to: base + end + unit.length },
          `"${written}${unit}" is neither a number nor a duration.`,
          "Durations are written 500ms, 2s, 10m, 36h or 10d.",
        );
      }
      push("duration", end + unit.length, Math.round(value * (ms ?? 1)), touching);
      return;
    }
    if (!written.includes(".") && value > Number.MAX_SAFE_INTEGER) {
      messages.error(
        "bad-number",
        { from: base + at, to: base + end },
        `${written} is beyond the exact whole numbers.`,
        "The largest int is 9007199254740991 (2^53 - 1).",
      );
    }
    push(written.includes(".") ? "num" : "int", end, value, touching);
  }

  function scanText(touching: boolean): void {
    let end = at + 1;
    while (end < stop && text[end] !== '"' && text[end] !== "\n")
      end += text[end] === "\\" && text[end + 1] !== "\n" ? 2 : 1;
    if (end >= stop || text[end] !== '"') {
      end = Math.min(end, stop);
      messages.error(
        "unclosed-text",
        { from: base + at, to: base + end },
        "This text has no closing quote on its line.",
        'Close it with ", and write a line break inside a text as \\n.',
      );
      push("text", end, 0, touching);
      return;
    }
    push("text", end + 1, 0, touching);
  }
}

/** What was meant, for signs of other languages whose word here is certain. */
function insteadOf(bad: string, at: Span): Fix | undefined {
  const text = { "&&": "and", "||": "or", ";": "" }[bad];
  return text === undefined
    ? undefined
    : { title: text === "" ? "Leave it out" : `Write "${text}"`, edits: [{ ...at, text }] };
}

function hintForCharacter(c: string): string {
  if (c === "'" || c === "\u201c" || c === "\u201d" || c === "`")
    return 'Texts are written in straight double quotes: "like this".';
  if (c === "&" || c === "&&") return 'Write "and".';
  if (c === "|" || c === "||") return 'Write "or".';
  if (c === "!") return 'Write "not", or != for "is not".';
  if (c === ";") return "Nothing separates statements; leave it out.";
  return "Leave it out.";
}
