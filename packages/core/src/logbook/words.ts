/** Values and steps in words, for lists that people read. */

import { isCell } from "../engine/values/json.js";
import type { Json } from "../engine/values/json.js";
import type { LineInput, LineNote, LineSignal } from "./format.js";

/** A JSON value in short words: yes and no, cells as `x,y`, records by what is in them. */
export function valueInWords(value: Json | undefined): string {
  if (value === undefined) return "nothing";
  if (value === null) return "none";
  if (typeof value === "boolean") return value ? "yes" : "no";
  if (Array.isArray(value)) return value.length === 0 ? "(empty)" : value.map(valueInWords).join(", ");
  if (typeof value !== "object") return String(value);
  if (isCell(value)) return `${value.x},${value.y}`;
  return Object.values(value as { readonly [key: string]: Json })
    .map(valueInWords)
    .join(" ");
}

function called(args: { readonly [name: string]: Json } | undefined): string {
  const values = Object.values(args ?? {}).map(valueInWords);
  return values.length > 0 ? `(${values.join(", ")})` : "";
}

/** An input in one short line: `north slash(south)`. */
export function inputInWords(input: LineInput): string {
  switch (input.kind) {
    case "action":
      return `${input.seat} ${input.action ?? "acts"}${called(input.args)}`;
    case "event":
      return `event ${input.event}${called(input.args)}`;
    case "timer":
      return `timer ${input.timer}`;
    case "begin":
      return "begin";
    default:
      return `${input.seat} ${input.kind}s`;
  }
}

/** A signal in one line: who raised it, by line and column in the text, who heard it, and whether that led on. */
export function signalInWords({ signal, values, source, heard }: LineSignal): string {
  const by = heard.map((h) => `${h.state} (${h.source}${h.led ? ", which led on" : ""})`);
  return `${signal}${called(values)} from ${source}: heard by ${by.length > 0 ? by.join(", ") : "nobody"}`;
}

/** A note in one line; one for a single seat says for whom. */
export function noteInWords(note: LineNote): string {
  return typeof note === "string" ? note : `to ${note.to}: ${note.text}`;
}
