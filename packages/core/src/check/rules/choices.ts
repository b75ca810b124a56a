/** Choices that may find no branch, and those that decide nothing. */

import type { Messages } from "../../language/message.js";
import type { Branch, Machine } from "../machine.js";
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

/** Choices of which the last condition decides nothing: the same follows where it holds and where it does not. */
export function checkSameWays(machine: Machine, messages: Messages): void {
  const written = (branch: Branch): string =>
    [branch.block, branch.arrow].map((part) => (part ? machine.sources.text(part) : "")).join(" ");
  for (const arrow of writtenArrows(machine)) {
    const last = arrow.kind === "choose" ? arrow.branches.at(-1) : undefined;
    if (arrow.kind !== "choose" || !last?.test || !arrow.otherwise) continue;
    if (written(last) !== written(arrow.otherwise)) continue;
    messages.warning(
      "same-either-way",
      last.test,
      `Whether "${machine.sources.written(last.test)}" holds decides nothing: the same follows when it does not.`,
      "Look at where the two lead and what they do; one of them was meant to be different.",
      { from: arrow.otherwise.from, to: arrow.otherwise.to, words: "The same follows here." },
    );
  }
}
