/** One mistake, one message: which messages of a text only follow from others. */

import type { Message, Messages } from "../language/message.js";
import type { Sources } from "../language/source.js";

/** Messages about structure, which follow from a lost brace. */
const STRUCTURE: ReadonlySet<string> = new Set([
  "no-start",
  "again-needed",
  "wrong-place",
  "missing-arrow",
  "extra-brace",
  "duplicate-name",
]);

/** What the machine does not say may stand in a line that could not be read. */
const BEGINNING: ReadonlySet<string> = new Set(["no-seats", "no-start"]);

/** Messages about a line that is not what was meant, so that nothing else on it counts. */
const READING: ReadonlySet<string> = new Set(["other-language", "syntax", "reserved-word", "unknown-seat"]);

/**
 * Takes out what only follows from something else that is told: where a brace or a quote is missing, what stands behind
 * it is not where it was meant to be; on a line that cannot be read nothing is.
 */
export function dropConsequences(messages: Messages, sources: Sources): void {
  const lines = new Set(messages.list.filter((m) => m.name === "unclosed-text").map((m) => lineOf(m, sources)));
  messages.remove((m) => m.name === "missing-brace" && lines.has(lineOf(m, sources)));
  // On a line that cannot be read, or holds something of another language, the rest hardly is what was meant.
  const unread = new Set(messages.list.filter((m) => READING.has(m.name)).map((m) => lineOf(m, sources)));
  const told = new Map<string, string>();
  const follows = new Set<Message>();
  for (const m of unread.size > 0 ? messages.sorted() : []) {
    const line = lineOf(m, sources);
    if (!unread.has(line) || m.severity !== "error") continue;
    const words = told.get(line);
    if ((words !== undefined && words !== m.words) || STRUCTURE.has(m.name)) follows.add(m);
    else told.set(line, m.words);
  }
  messages.remove((m) => follows.has(m));
  if (messages.list.some((m) => m.name === "missing-brace" || m.name === "unclosed-text"))
    messages.remove((m) => STRUCTURE.has(m.name));
  if (unread.size > 0) messages.remove((m) => BEGINNING.has(m.name));
  // A body that is closed too early leaves a brace over at the end.
  const extra = messages.list.find((m) => m.name === "extra-brace");
  if (extra) messages.remove((m) => STRUCTURE.has(m.name) && m !== extra);
  if (extra && messages.list.some((m) => READING.has(m.name) && m.from < extra.from))
    messages.remove((m) => m === extra);
}

function lineOf(message: Message, sources: Sources): string {
  const { file, line } = sources.place(message.from);
  return `${file}:${line}`;
}
