/** Choices that may find no branch. */

import type { Messages } from "../../language/message.js";
import type { Machine } from "../machine.js";
import { writtenArrows } from "../tree.js";

export function checkChoices(machine: Machine, messages: Messages): void {
  for (const arrow of writtenArrows(machine)) {
    if (arrow.kind !== "choose" || arrow.otherwise) continue;
    const words =
      arrow.branches.length === 0
        ? "This choice has no branch at all."
        : "This choice has no else: when none of its conditions holds, the match cannot go on.";
    // Before the closing brace, on a line of its own when the branches stand on theirs.
    const last = arrow.branches.at(-1);
    const column = last && machine.sources.place(last.from).column;
    const own = last && machine.sources.place(last.from).line > machine.sources.place(arrow.from).line;
    const fix = last && {
      title: 'Write "else -> stay"',
      edits: [
        { from: last.to, to: last.to, text: own ? `\n${" ".repeat((column ?? 1) - 1)}else -> stay` : " else -> stay" },
      ],
    };
    messages.error(
      "choice-without-else",
      { from: arrow.from, to: Math.min(arrow.to, arrow.from + "-> choose".length) },
      words,
      'Say what happens then: "else -> STATE".',
      undefined,
      fix,
    );
  }
}
