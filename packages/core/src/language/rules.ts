/**
 * The rules of a machine as a text of their own: what its texts mean, without what only people read. Two machines with
 * the same rules play the same matches in the same way. Described in docs/logbook.md.
 */

import { Messages } from "./message.js";
import { scan, type Token } from "./scanner.js";
import type { SourceFile } from "./source.js";

/**
 * The tokens that carry meaning, each on a line of its own, over all files in the order in which they are included.
 *
 * Left out are layout, comments, tests, policies, what silences messages, and where an included file lies. A number is
 * written as JSON writes it, a duration as its milliseconds.
 */
export function rulesText(files: readonly SourceFile[]): string {
  return files.flatMap((file) => meaningful(scan(file, new Messages()))).join("\n");
}

function meaningful(tokens: readonly Token[]): string[] {
  const found: string[] = [];
  let depth = 0;
  for (let i = 0; i < tokens.length; i++) {
    const token = tokens[i] as Token;
    if (token.kind === "end" || token.kind === "doc" || token.kind === "comment") continue;
    const behind = depth === 0 ? endOfAside(tokens, i) : endOfAccept(tokens, i);
    if (behind > i) {
      i = behind - 1;
      continue;
    }
    if (token.kind === "mark" && token.text === "{") depth++;
    if (token.kind === "mark" && token.text === "}") depth--;
    found.push(written(token));
  }
  return found;
}

function written({ kind, text, value }: Token): string {
  return kind === "int" || kind === "num" || kind === "duration" ? JSON.stringify(value) : text;
}

const is = (token: Token | undefined, text: string): boolean => token?.text === text && token.kind !== "text";

/** Behind a test, a policy, an `include` or an `accept` that begins at the top of a file; else where it began. */
function endOfAside(tokens: readonly Token[], at: number): number {
  const [word, next] = [tokens[at], tokens[at + 1]];
  if (is(word, "include") && next?.kind === "text") return at + 2;
  if ((is(word, "test") && next?.kind === "text") || (is(word, "policy") && next?.kind === "word"))
    return endOfBody(tokens, at + 2);
  return endOfAccept(tokens, at);
}

/** Behind `accept NAME "reason"`, which may stand anywhere. */
function endOfAccept(tokens: readonly Token[], at: number): number {
  if (!is(tokens[at], "accept") || tokens[at + 1]?.kind !== "word") return at;
  let end = at + 2;
  while (is(tokens[end], "-") && tokens[end]?.touching) end += 2;
  return tokens[end]?.kind === "text" ? end + 1 : at;
}

/** Behind the braces that open here. */
function endOfBody(tokens: readonly Token[], at: number): number {
  let depth = 0;
  for (let i = at; i < tokens.length; i++) {
    if (is(tokens[i], "{")) depth++;
    if (is(tokens[i], "}") && --depth === 0) return i + 1;
  }
  return tokens.length;
}
