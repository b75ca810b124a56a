/**
 * The formatter: lines set in by their nesting, one space where one belongs, at most one blank line in a
 * row. It works on tokens, so it keeps every comment and also formats a text that does not compile.
 * Where the author broke a line stays, and so do two or more spaces inside a line: they align columns.
 */

import { Messages } from "./message.js";
import { scan, type Token } from "./scanner.js";
import { Sources } from "./source.js";
import { MAP_PARTS } from "./words.js";

const STEP = "  ";
const OPENING: ReadonlySet<string> = new Set(["{", "(", "["]);
const CLOSING: ReadonlySet<string> = new Set(["}", ")", "]"]);
/** A line that begins with one of these goes on with the line before. */
const GOES_ON: ReadonlySet<string> = new Set([
  "->",
  "and",
  "or",
  "implies",
  "+",
  "*",
  "/",
  "mod",
  "==",
  "!=",
  "<",
  "<=",
  ">",
  ">=",
  "..",
  "then",
  "needs",
  "by",
  "where",
  "ties",
  ".",
  "=",
]);
const BINARY: ReadonlySet<string> = new Set(["->", "==", "!=", "<=", ">=", "+=", "-=", "=", "<", ">", "+", "*", "/"]);

/**
 * Formats the text of a machine. Only white space changes: the tokens and comments stay the same.
 * Formatting a formatted text changes nothing.
 */
export function format(text: string): string {
  const isMap = firstWord(text) === "map";
  const file = new Sources().add("", text);
  const tokens = scan(file, new Messages(), 0, text.length, true);
  const lines = linesOf(tokens);
  let out = "";
  let depth = 0;
  let last: Line | undefined;
  for (const line of lines) {
    const before = text.slice(last ? last.end : 0, line.start);
    const breaks = before.split("\n").length - 1;
    if (last) out += breaks > 1 && !opens(last) && !closes(line) ? "\n\n" : "\n";
    const leading = closersInFront(line.tokens);
    const level = Math.max(0, depth - leading + (goesOn(line, last, isMap) ? 1 : 0));
    out += STEP.repeat(level) + written(line.tokens, text, isMap);
    for (const token of line.tokens) {
      if (token.kind !== "mark") continue;
      if (OPENING.has(token.text)) depth++;
      else if (CLOSING.has(token.text)) depth = Math.max(0, depth - 1);
    }
    last = line;
  }
  return out === "" ? "" : `${out}\n`;
}

/** The first word of a text, behind its comments. */
export function firstWord(text: string): string {
  return /^(?:\s|\/\/[^\n]*(?:\n|$))*(\w*)/.exec(text)?.[1] ?? "";
}

interface Line {
  readonly tokens: readonly Token[];
  readonly start: number;
  readonly end: number;
}

function linesOf(tokens: readonly Token[]): Line[] {
  const lines: Token[][] = [];
  for (const token of tokens) {
    if (token.kind === "end") break;
    const line = lines.at(-1);
    if (token.leads || !line) lines.push([token]);
    else line.push(token);
  }
  return lines.map((line) => ({ tokens: line, start: (line[0] as Token).from, end: (line.at(-1) as Token).to }));
}

function opens(line: Line): boolean {
  const code = line.tokens.filter((t) => t.kind !== "comment" && t.kind !== "doc");
  return OPENING.has(code.at(-1)?.text ?? "");
}

function ends(line: Line): boolean {
  return line.tokens.findLast((t) => t.kind !== "comment")?.text === "}";
}

function closes(line: Line): boolean {
  return CLOSING.has(line.tokens[0]?.text ?? "");
}

function closersInFront(tokens: readonly Token[]): number {
  let count = 0;
  while (CLOSING.has(tokens[count]?.text ?? "") && tokens[count]?.kind === "mark") count++;
  return count;
}

function goesOn(line: Line, last: Line | undefined, isMap: boolean): boolean {
  const [first, second] = line.tokens;
  if (isMap) return first?.kind !== "comment" && first?.kind !== "doc" && !MAP_PARTS.has(first?.text ?? "");
  if (!first || !last || first.kind === "text") return false;
  if (first.text === "else") return second?.kind === "text" && !opens(last);
  // An arrow below a closed block stands beside the word that opened it, such as enter.
  if (first.text === "->" && ends(last)) return false;
  if (first.text === "->" || !opens(last))
    return GOES_ON.has(first.text) && (first.kind === "mark" || first.kind === "word");
  return false;
}

function written(tokens: readonly Token[], text: string, isMap: boolean): string {
  let out = "";
  // The name of a message is written with hyphens, which are minus signs everywhere else.
  const named =
    tokens[0]?.text === "accept" && tokens[1]?.kind === "word" ? tokens.findIndex((t) => t.kind === "text") : 0;
  for (const [i, token] of tokens.entries()) {
    const before = tokens[i - 1];
    if (before) {
      const space = text.slice(before.to, token.from);
      const hyphen = i < named && i > 1 && (token.text === "-" || before.text === "-");
      if (!hyphen)
        out +=
          token.kind === "comment" || token.kind === "doc"
            ? space.length >= 2
              ? space.replaceAll("\t", STEP)
              : STEP
            : space.length >= 2 && !/\t/.test(space)
              ? space
              : isMap && token.text === "." && space !== ""
                ? " "
                : between(before, token, tokens[i - 2], space);
    }
    out += token.kind === "comment" || token.kind === "doc" ? token.text.trimEnd() : token.text;
  }
  return out;
}

/** What stands between two tokens of a line: nothing or one space. */
function between(a: Token, b: Token, beforeA: Token | undefined, space: string): string {
  const [left, right] = [a.kind === "text" ? "" : a.text, b.kind === "text" ? "" : b.text];
  // Whether these touch decides what they mean, or they may be signs: the author's word counts.
  if (right === "(" || right === "[") return left === "(" || left === "[" ? "" : space === "" ? "" : " ";
  if (left === "-") return isOperand(beforeA) ? " " : space === "" ? "" : " ";
  if (right === "-") return left === "(" || left === "[" || left === ".." ? "" : " ";
  if (left === "{" && right === "}") return "";
  // Dots that came together would be read as something else.
  if (left.startsWith(".") && right.startsWith(".")) return space === "" ? "" : " ";
  if (BINARY.has(left) || BINARY.has(right)) return " ";
  if (left === "(" || left === "[" || left === "." || left === ".." || right === ".." || right === ".") return "";
  if (right === "," || right === ")" || right === "]" || right === ":" || right === "%" || right === "?") return "";
  return " ";
}

/** True when a value ends with this token, so that a minus behind it subtracts. */
function isOperand(token: Token | undefined): boolean {
  if (!token) return false;
  if (token.kind === "mark") return token.text === ")" || token.text === "]";
  return (
    ["int", "num", "duration", "text"].includes(token.kind) ||
    (token.kind === "word" &&
      ![
        "and",
        "or",
        "not",
        "implies",
        "in",
        "then",
        "else",
        "mod",
        "if",
        "when",
        "where",
        "needs",
        "of",
        "by",
      ].includes(token.text))
  );
}
