/** Choices that may find no branch. */

import type { Messages } from "../../language/message.js";
import type { Machine } from "../machine.js";
import { writtenArrows } from "../walk.js";

export function checkChoices(machine: Machine, messages: Messages): void {
  for (const arrow of writtenArrows(machine)) {
    if (arrow.kind !== "choose" || arrow.otherwise) continue;
    const words = arrow.branches.length === 0 ? "This choice has no branch at all." : "This choice has no else: when none of its conditions holds, the match cannot go on.";
    messages.error("choice-without-else", { from: arrow.from, to: Math.min(arrow.to, arrow.from + "-> choose".length) }, words, 'Say what happens then: "else -> STATE".');
  }
}
