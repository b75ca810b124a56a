/** Commands that show a machine: one with a mistake is shown as far as it was understood, one that is none is not. */

import { type Compilation, renderMessage } from "@zany/core";
import { complain } from "../terminal.js";

/** Prints the errors of a machine; true when there is enough of it to show. */
export function understood({ machine, messages, sources }: Compilation, file: string): boolean {
  const errors = messages.filter((m) => m.severity === "error");
  for (const message of errors) complain(`${renderMessage(sources, message)}\n`);
  if (errors.length > 0) complain(`zany: "${file}" has mistakes; what could be understood is shown.\n`);
  return machine.states.length > 1;
}
