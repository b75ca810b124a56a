/** Steps in words. */

import type { LineInput, LineNote } from "@zany/core";
import { valueText } from "./data.js";

export function inputText(input: LineInput): string {
  switch (input.kind) {
    case "act": {
      const args = Object.values(input.args ?? {}).map(valueText).join(", ");
      return `${input.seat} ${input.action ?? "acts"}${args ? ` ${args}` : ""}`;
    }
    case "report":
      return `report ${input.report}`;
    case "timer":
      return `timer ${input.timer}`;
    case "begin":
      return "begin";
    default:
      return `${input.seat} ${input.kind}s`;
  }
}

export function noteText(note: LineNote): string {
  return typeof note === "string" ? note : `to ${note.to}: ${note.text}`;
}
