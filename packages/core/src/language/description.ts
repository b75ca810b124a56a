/** What a machine is, in its author's words. */

import { Messages } from "./message.js";
import { scan } from "./scanner.js";
import { Sources } from "./source.js";

/** How much of a text is looked at: a description stands at its beginning. */
const BEGINNING = 4_000;

/**
 * The description of a machine: the doc comment above `machine NAME`, or the comment behind it on its line.
 *
 * @param text the machine's own file
 * @returns one line; empty when there is none
 */
export function descriptionOf(text: string): string {
  const beginning = text.slice(0, BEGINNING);
  const tokens = scan(new Sources().add("", beginning), new Messages(), 0, beginning.length, true);
  const at = tokens.findIndex((token) => token.kind === "word" && token.text === "machine");
  if (at < 0) return "";
  const docs = tokens.slice(0, at).filter((token) => token.kind === "doc");
  const end = beginning.indexOf("\n", tokens[at]?.from);
  const behind = tokens.find(
    ({ kind, from }, i) => i > at && (kind === "comment" || kind === "doc") && (end < 0 || from < end),
  );
  const comments = docs.length > 0 ? docs : behind ? [behind] : [];
  return comments.map((comment) => comment.text.replace(/^\/+\s*/, "").trim()).join(" ");
}
