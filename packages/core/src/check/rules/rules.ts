/** The rules that look at the whole typed machine. Each family is a file of its own. */

import type { Messages } from "../../language/message.js";
import type { Machine } from "../machine.js";
import { checkChoices } from "./choices.js";
import { checkReach } from "./reach.js";
import { checkResults } from "./results.js";
import { checkSize } from "./size.js";

/** Runs every family of rules. While names or types are wrong they stay silent: the cause comes before its consequences. */
export function runRules(machine: Machine, messages: Messages): void {
  if (messages.failed) return;
  checkSize(machine, messages);
  checkReach(machine, messages);
  checkChoices(machine, messages);
  checkResults(machine, messages);
}
