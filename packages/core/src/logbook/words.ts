/** Steps in words, for lists that people read. */

import type { LineInput, LineNote } from "./format.js";

/** An input in one short line: `north slash(south)`. */
export function inputInWords(input: LineInput): string {
  switch (input.kind) {
    case "act": {
      const args = Object.values(input.args ?? {}).map((value) => (typeof value === "string" ? value : JSON.stringify(value)));
      return `${input.seat} ${input.action ?? "acts"}${args.length > 0 ? `(${args.join(", ")})` : ""}`;
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

/** A note in one line; one for a single seat says for whom. */
export function noteInWords(note: LineNote): string {
  return typeof note === "string" ? note : `to ${note.to}: ${note.text}`;
}
