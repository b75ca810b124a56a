/**
 * `accept NAME "reason"`: messages that are right but meant are accepted on the line below; a silence that is not
 * needed is told.
 */

import type { Message, Messages } from "../language/message.js";
import type { Sources } from "../language/source.js";
import type { AcceptNode } from "../language/syntax.js";
import { didYouMean, respelling } from "../language/suggest.js";
import { KINDS } from "../explain/kinds.js";

/** Takes the accepted warnings out of the messages. Errors cannot be accepted. */
export function applyAccepts(accepts: readonly AcceptNode[], sources: Sources, messages: Messages): void {
  for (const accept of accepts) {
    const { file, line } = below(accept, accepts, sources);
    const accepted = messages.remove((m) => {
      const place = sources.place(m.from);
      return m.severity !== "error" && m.name === accept.message.text && place.file === file && place.line === line;
    });
    if (accepted) continue;
    const kind = KINDS.get(accept.message.text);
    if (!kind) {
      messages.warning(
        "unknown-message",
        accept.message,
        `There is no message "${accept.message.text}".`,
        didYouMean(accept.message.text, KINDS.keys(), "message"),
        undefined,
        respelling(accept.message.text, accept.message, KINDS.keys()),
      );
      continue;
    }
    const fix = { title: "Remove this accept", edits: [{ ...wholeLine(accept, sources), text: "" }] };
    const words =
      kind.severity === "error"
        ? `"${kind.name}" is an error; it cannot be accepted.`
        : `Nothing is accepted here: the line below triggers no "${kind.name}".`;
    messages.warning(
      "unneeded-accept",
      accept,
      words,
      kind.severity === "error" ? "Fix it; an error keeps the machine from running." : "Remove it.",
      undefined,
      fix,
    );
  }
}

/** What accepts a message; undefined when nothing does. */
export function acceptOf(message: Message, accepts: readonly AcceptNode[], sources: Sources): AcceptNode | undefined {
  const place = sources.place(message.from);
  return accepts.find((accept) => {
    const { file, line } = below(accept, accepts, sources);
    return message.name === accept.message.text && place.file === file && place.line === line;
  });
}

/** The line that an accept is for: the next one that is neither blank, nor a comment, nor another silence. */
function below(accept: AcceptNode, accepts: readonly AcceptNode[], sources: Sources): { file: string; line: number } {
  const { file, line } = sources.place(accept.from);
  const text = sources.files.find((f) => f.name === file)?.text.split("\n") ?? [];
  const own = new Set(
    accepts.filter((a) => sources.place(a.from).file === file).map((a) => sources.place(a.from).line),
  );
  let at = line;
  while (at < text.length && (own.has(at) || /^\s*(\/\/.*)?$/.test(text[at - 1] ?? ""))) at++;
  return { file, line: at };
}

/** The accept with its line, when it has that to itself. */
function wholeLine(accept: AcceptNode, sources: Sources): { from: number; to: number } {
  const column = sources.place(accept.from).column;
  const line = sources.lineText(accept.from);
  const start = accept.from - column + 1;
  return line.trim() === sources.text(accept).trim()
    ? { from: start, to: start + line.length + 1 }
    : { from: accept.from, to: accept.to };
}
