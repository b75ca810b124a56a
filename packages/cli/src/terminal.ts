/** Plain text for terminals: colours only where they are seen, bars, columns. */

import { styleText } from "node:util";

type Style = "inverse" | "bold" | "dim" | "red" | "green" | "yellow" | "cyan";

const coloured =
  process.stdout.isTTY === true && process.env["NO_COLOR"] === undefined && process.env["TERM"] !== "dumb";

/** Text in a style, or as it is when nobody would see the style. */
export function style(format: Style, text: string): string {
  return coloured ? styleText(format, text) : text;
}

/** Writes a line to standard output. */
export function say(line = ""): void {
  process.stdout.write(`${line}\n`);
}

/** Writes one JSON value to standard output. */
export function sayJson(value: unknown): void {
  process.stdout.write(`${JSON.stringify(value)}\n`);
}

/** A bar of `width` cells for a value between two bounds. */
export function bar(value: number, low: number, high: number, width = 12): string {
  const part = high > low ? (value - low) / (high - low) : 0;
  const full = value > low ? Math.max(1, Math.round(part * width)) : 0;
  return `${"\u2501".repeat(full)}${style("dim", "\u2504".repeat(width - full))}`;
}

/** Pads to a width that counts only what is seen. */
export function pad(text: string, width: number): string {
  // biome-ignore lint/suspicious/noControlCharactersInRegex: that is how styles are written
  const seen = text.replace(/\u001b\[[0-9;]*m/g, "").length;
  return text + " ".repeat(Math.max(0, width - seen));
}

/** A count with its noun: "1 step", "3 steps". */
export function count(n: number, noun: string, plural = `${noun}s`): string {
  return `${n} ${n === 1 ? noun : plural}`;
}

const UNITS: readonly (readonly [string, number])[] = [
  ["d", 86_400_000],
  ["h", 3_600_000],
  ["m", 60_000],
  ["s", 1000],
  ["ms", 1],
];

/** Milliseconds from a duration as the language writes it, such as `500ms` or `2s`; undefined for anything else. */
export function millisecondsFrom(text: string): number | undefined {
  const match = /^(\d{1,9})(ms|s|m|h|d)$/.exec(text);
  return match ? Number(match[1]) * (UNITS.find(([unit]) => unit === match[2])?.[1] as number) : undefined;
}

/** A duration in words, the two largest units: "9d 23h". */
export function duration(milliseconds: number): string {
  const parts: string[] = [];
  let left = Math.max(0, milliseconds);
  for (const [unit, size] of UNITS) {
    const n = Math.floor(left / size);
    if (n === 0) continue;
    parts.push(`${n}${unit}`);
    left -= n * size;
    if (parts.length === 2) break;
  }
  return parts.join(" ") || "0s";
}
