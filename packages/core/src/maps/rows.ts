/** The rows of a game's own log: JSON, comma-separated values or lines of text, and what stands in each. */

import { dsvFormat } from "d3-dsv";
import type { Json } from "../engine/values/json.js";
import { listOpened, opened } from "./opened.js";
import type { ToldNode } from "./syntax.js";
import type { TypedMap } from "./typed.js";

/** What a row has in it, by member. */
export type RowData = { readonly [member: string]: Json };

export interface LogRow {
  /** The number of the row, from 1. */
  readonly number: number;
  /** The line of the file on which it begins, from 1. */
  readonly line: number;
  readonly data: RowData;
  /** The row as it is written, for lines of text and for messages; cut when it is long. */
  readonly text: string;
}

/** A log that cannot be read as its mapping says. */
export class UnreadableLog extends Error {
  constructor(
    readonly line: number,
    message: string,
  ) {
    super(message);
  }
}

/** Most text of one log, in UTF-16 units; most rows; most units of a row. */
const MAX_TEXT = 256_000_000;
const MAX_ROWS = 2_000_000;
const MAX_ROW = 1_000_000;
/** How much of a row is quoted. */
const MOST_QUOTED = 160;

/** The rows of a log, in order. @throws UnreadableLog */
export function rowsOf({ read, continued }: Pick<TypedMap, "read" | "continued">, text: string): LogRow[] {
  if (text.length > MAX_TEXT) throw new UnreadableLog(1, `A log has at most ${MAX_TEXT} characters.`);
  const plain = text.startsWith("\uFEFF") ? text.slice(1) : text;
  switch (read.kind) {
    case "json":
      return read.inside ? jsonInside(plain, read.inside) : jsonLines(plain);
    case "csv":
      return csvRows(plain, read.separator);
    case "lines":
      return textLines(plain, continued);
  }
}

function quoted(text: string): string {
  return text.length > MOST_QUOTED ? `${text.slice(0, MOST_QUOTED - 3)}...` : text;
}

/** The lines of a text that are not empty, with their numbers. */
function* linesOf(text: string): Generator<{ readonly line: number; readonly text: string }> {
  let line = 0;
  let rows = 0;
  for (let at = 0; at < text.length; ) {
    const end = text.indexOf("\n", at);
    const stop = end < 0 ? text.length : end;
    const one = text.slice(at, stop).replace(/\r$/, "");
    line++;
    at = stop + 1;
    if (one.trim() === "") continue;
    if (one.length > MAX_ROW) throw new UnreadableLog(line, `This line has more than ${MAX_ROW} characters.`);
    if (++rows > MAX_ROWS) throw new UnreadableLog(line, `A log has at most ${MAX_ROWS} rows.`);
    yield { line, text: one };
  }
}

function jsonLines(text: string): LogRow[] {
  const rows: LogRow[] = [];
  for (const { line, text: one } of linesOf(text))
    rows.push({ number: rows.length + 1, line, data: objectIn(parsed(one, line), line), text: quoted(one) });
  return rows;
}

function parsed(text: string, line: number): Json {
  try {
    return JSON.parse(text) as Json;
  } catch {
    throw new UnreadableLog(line, `This line is no JSON: ${quoted(text)}`);
  }
}

function objectIn(value: Json | undefined, line: number): RowData {
  if (value === null || typeof value !== "object" || Array.isArray(value))
    throw new UnreadableLog(line, "A row is an object with members, and this is none.");
  return value as RowData;
}

/** One JSON text of many lines. Where the host says where it breaks off, that line is told. */
function wholeJson(text: string): Json {
  try {
    return JSON.parse(text) as Json;
  } catch (error) {
    const [, position] = /at position (\d+)/.exec((error as Error).message) ?? [];
    const lines = text.slice(0, Number(position ?? 0)).split("\n");
    const [end = ""] = (text.split("\n")[lines.length - 1] ?? "").split("\r");
    throw new UnreadableLog(
      lines.length,
      `Up to here the text is JSON, and what follows is none: ${quoted(end.trim())}`,
    );
  }
}

/** The rows in a list somewhere in one JSON text. */
function jsonInside(text: string, inside: ToldNode): LogRow[] {
  const whole = wholeJson(text);
  const list = toldIn(Array.isArray(whole) ? { rows: whole } : objectIn(whole, 1), inside);
  if (!Array.isArray(list)) throw new UnreadableLog(1, "There is no list of rows where the mapping says.");
  const lines = linesOfItems(text, Array.isArray(whole) ? [] : inside.path);
  return list.map((row: Json, i) => {
    const line = lines[i] ?? 1;
    return { number: i + 1, line, data: objectIn(row, line), text: quoted(JSON.stringify(row)) };
  });
}

/** What matters of a JSON text for where its parts are: texts, and what stands between values. */
const JSON_PIECES = /"(?:[^"\\]|\\.)*"|[{}[\],:\n]/g;

/** The lines on which the objects and lists in a list begin. @param text is JSON @param path where the list is */
function linesOfItems(text: string, path: ToldNode["path"]): number[] {
  const lines: number[] = [];
  /** The objects and lists that are open: the member or the place that is read in each, and whether a name is next. */
  const open: { at: string | number; named: boolean }[] = [];
  let line = 1;
  for (const [piece] of text.matchAll(JSON_PIECES)) {
    const inner = open.at(-1);
    if (piece === "\n") line++;
    else if (piece === "}" || piece === "]") open.pop();
    else if (piece === "{" || piece === "[") {
      if (open.length === path.length + 1 && path.every((part, i) => open[i]?.at === part)) lines.push(line);
      open.push(piece === "{" ? { at: "", named: false } : { at: 0, named: true });
    } else if (inner && piece === "," && typeof inner.at === "number") inner.at++;
    else if (inner && piece === ",") inner.named = false;
    else if (inner && !inner.named && piece !== ":") {
      inner.at = JSON.parse(piece) as string;
      inner.named = true;
    }
  }
  return lines;
}

function csvRows(text: string, separator: string): LogRow[] {
  const rows: LogRow[] = [];
  const format = dsvFormat(separator);
  let header: string[] | undefined;
  let line = 1;
  format.parseRows(text, (cells) => {
    const at = line;
    // A cell in quotes may go over several lines.
    line += 1 + cells.reduce((ends, cell) => ends + cell.split("\n").length - 1, 0);
    if (cells.every((cell) => cell.trim() === "")) return null;
    if (!header) {
      header = cells.map((cell) => cell.trim());
      return null;
    }
    const names = header;
    if (cells.length > names.length)
      throw new UnreadableLog(at, `This row has ${cells.length} cells, and the first line names ${names.length}.`);
    if (rows.length >= MAX_ROWS) throw new UnreadableLog(at, `A log has at most ${MAX_ROWS} rows.`);
    const told = names.flatMap((name, i) => {
      const cell = (cells[i] ?? "").trim();
      return cell === "" ? [] : [[name, cell] as const];
    });
    rows.push({
      number: rows.length + 1,
      line: at,
      data: Object.fromEntries(told),
      text: quoted(format.formatRow(cells)),
    });
    return null;
  });
  return rows;
}

function textLines(text: string, continued: TypedMap["continued"]): LogRow[] {
  const rows: LogRow[] = [];
  for (const { line, text: one } of linesOf(text)) {
    const last = rows.at(-1);
    if (!last || !goesOn(last.data as Record<string, Json>, continued, one, line))
      rows.push({ number: rows.length + 1, line, data: {}, text: one });
  }
  return rows;
}

/** Adds to a row what a line tells that goes on with it. @returns whether it does */
function goesOn(data: Record<string, Json>, continued: TypedMap["continued"], text: string, line: number): boolean {
  for (const { text: pattern, list } of continued) {
    const more = matched(pattern, text);
    if (!more) continue;
    if (list !== undefined) {
      const lines = Object.hasOwn(data, list) ? data[list] : [];
      if (!Array.isArray(lines)) throw new UnreadableLog(line, `The row tells {${list}} already, and it is no list.`);
      lines.push(more);
      data[list] = lines;
      return true;
    }
    const again = Object.keys(more).find((place) => Object.hasOwn(data, place));
    if (again !== undefined)
      throw new UnreadableLog(
        line,
        `This line goes on with its row, and tells {${again}} a second time. Lines that come several times make a ` +
          `list: continued ${JSON.stringify(pattern)} in .lines`,
      );
    Object.assign(data, more);
    return true;
  }
  return false;
}

/**
 * What stands in the places of a line: every place reaches up to where the text behind it comes first, so that a line
 * is read once from its beginning to its end.
 *
 * @param pattern text with places in it, `{p} plays {card}`; `{{` and `}}` are braces
 */
export function matched(pattern: string, line: string): RowData | undefined {
  const found: Record<string, Json> = Object.create(null) as Record<string, Json>;
  let at = 0;
  let place: string | undefined;
  for (const part of partsOf(pattern)) {
    if ("place" in part) {
      place = part.place;
      continue;
    }
    const here = place === undefined ? (line.startsWith(part.text, at) ? at : -1) : line.indexOf(part.text, at + 1);
    if (here < 0) return undefined;
    if (place !== undefined) found[place] = line.slice(at, here).trim();
    place = undefined;
    at = here + part.text.length;
  }
  if (place === undefined) return line.slice(at).trim() === "" ? found : undefined;
  if (at >= line.length) return undefined;
  found[place] = line.slice(at).trim();
  return found;
}

function partsOf(pattern: string): ({ readonly text: string } | { readonly place: string })[] {
  const parts: ({ readonly text: string } | { readonly place: string })[] = [];
  let text = "";
  for (let i = 0; i < pattern.length; i++) {
    const c = pattern[i] as string;
    if ((c === "{" || c === "}") && pattern[i + 1] === c) {
      text += c;
      i++;
      continue;
    }
    const close = c === "{" ? pattern.indexOf("}", i) : -1;
    if (close < 0) {
      text += c;
      continue;
    }
    if (text !== "") parts.push({ text });
    text = "";
    parts.push({ place: pattern.slice(i + 1, close) });
    i = close;
  }
  if (text !== "") parts.push({ text });
  return parts;
}

/** What a row tells in a place; undefined when there is nothing. */
export function toldIn(data: RowData, { path }: ToldNode): Json | undefined {
  let value: Json | undefined = data;
  for (const step of path) {
    const key: Json | undefined = typeof step === "object" ? toldIn(data, step) : step;
    // Also into JSON, and the entries of a list, that stand in a text.
    if (typeof value === "string")
      value = typeof key === "number" || key === "size" ? listOpened(value, false) : opened(value);
    if (value === null || typeof value !== "object" || (typeof key !== "string" && typeof key !== "number"))
      return undefined;
    if (key === "size" && Array.isArray(value)) value = value.length;
    else value = Object.hasOwn(value, key) ? (value as { readonly [name: string]: Json })[key] : undefined;
  }
  return value;
}
