/** Plain text for terminals: colours only where they are seen, bars, columns. */

/** The styles, with the codes that begin and end them (ECMA-48, SGR). */
const CODES = {
  inverse: [7, 27],
  bold: [1, 22],
  dim: [2, 22],
  red: [31, 39],
  green: [32, 39],
  yellow: [33, 39],
  cyan: [36, 39],
} as const;

/**
 * Stands for the escape character until a text is printed. No text from outside can hold it, so that no code in a
 * logbook, a note or a machine ever reaches the terminal.
 */
const ESCAPE = `\ue000${Math.random().toString(36).slice(2)}`;

/** Colours only where they are seen and nobody asked for none: NO_COLOR counts when it is set and not empty. */
const coloured = process.stdout.isTTY === true && !process.env["NO_COLOR"] && process.env["TERM"] !== "dumb";

/** Text in a style, or as it is when nobody would see the style. */
export function style(format: keyof typeof CODES, text: string): string {
  const [on, off] = CODES[format];
  return coloured ? `${ESCAPE}[${on}m${text}${ESCAPE}[${off}m` : text;
}

/** What moves the cursor, clears, or turns the direction of a text, but line ends and tabs. */
// biome-ignore lint/suspicious/noControlCharactersInRegex: these are the ones that must not get through
const CONTROLS = /[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u200e\u200f\u202a-\u202e\u2066-\u2069]/g;

/** A text as it may be printed: control characters as they are written in JSON, styles as the terminal takes them. */
export function printable(text: string): string {
  return text
    .replace(CONTROLS, (c) => `\\u${c.charCodeAt(0).toString(16).padStart(4, "0")}`)
    .replaceAll(ESCAPE, "\u001b");
}

/** Writes a line to standard output. */
export function say(line = ""): void {
  process.stdout.write(printable(`${line}\n`));
}

/** Writes one JSON value to standard output. */
export function sayJson(value: unknown): void {
  say(JSON.stringify(value));
}

/** Writes a text for a file or another program to standard output: byte for byte, but for a terminal. */
export function sayText(text: string): void {
  process.stdout.write(process.stdout.isTTY ? printable(text) : text);
}

/** Writes a line to standard error. */
export function complain(line: string): void {
  process.stderr.write(printable(`${line}\n`));
}

/** A bar of `width` cells for a value between two bounds. */
export function bar(value: number, low: number, high: number, width = 12): string {
  const part = high > low ? (value - low) / (high - low) : 0;
  const full = value > low ? Math.max(1, Math.round(part * width)) : 0;
  return `${"\u2501".repeat(full)}${style("dim", "\u2504".repeat(width - full))}`;
}

const STYLES = new RegExp(`${ESCAPE}\\[\\d+m`, "g");
/** The same, at one place. */
const STYLE_HERE = new RegExp(`${ESCAPE}\\[\\d+m`, "y");

/** How many columns of a terminal a text takes: styles take none. */
export function seenWidth(text: string): number {
  return text.replace(STYLES, "").length;
}

/** The columns of the terminal, 100 where the output is none; in fewer than 40 nothing can be laid out. */
export function columns(): number {
  return Math.max(40, process.stdout.columns ?? 100);
}

/** Pads to a width that counts only what is seen. */
export function pad(text: string, width: number): string {
  return text + " ".repeat(Math.max(0, width - seenWidth(text)));
}

/** Breaks a line between words, so that none is wider than `width`; all but the first begin with `indent`. */
export function wrap(line: string, width: number, indent: string): string[] {
  if (seenWidth(line) <= width) return [line];
  const lines: string[] = [];
  let rest = line;
  while (seenWidth(rest) > width) {
    const at = breakAt(rest, width, lines.length === 0 ? 0 : indent.length);
    lines.push(rest.slice(0, at).trimEnd());
    rest = indent + rest.slice(at).trimStart();
  }
  return [...lines, rest];
}

/** Where a text is broken: behind the last word that fits, or in the middle of one that is wider than the line. */
function breakAt(text: string, width: number, least: number): number {
  let seen = 0;
  let last = -1;
  for (let i = 0; i < text.length; ) {
    STYLE_HERE.lastIndex = i;
    const style = STYLE_HERE.exec(text);
    if (style) {
      i += style[0].length;
      continue;
    }
    if (seen >= width) return last > least ? last : i;
    if (text[i] === " " && seen > least) last = i;
    seen++;
    i++;
  }
  return text.length;
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

/**
 * How long work still takes that goes on as it went, in whole seconds: "1m 5s".
 *
 * @param since when it began, in milliseconds, as `performance.now()` tells it
 */
export function remaining(since: number, done: number, all: number): string {
  const seconds = Math.ceil((((performance.now() - since) / Math.max(1, done)) * (all - done)) / 1_000);
  return duration(seconds * 1_000);
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
