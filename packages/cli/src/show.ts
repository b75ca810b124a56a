/**
 * A match as lines of a terminal: where it stands, whose turn it is, everybody's data as bars, boards and tables, what
 * can be done. Nothing is cut off: what is longer than the terminal goes on in the next line.
 */

import {
  type ActionOption,
  type BoardCell,
  boardOf,
  isCell,
  type Json,
  nameOf,
  type Outcome,
  stepRuns,
  valueInWords,
  type View,
  type ViewChange,
  type ViewField,
} from "@zany/core";
import { bar, columns, count, duration, pad, say, seenWidth, style, wrap } from "./terminal.js";

/** How lines are made. */
export interface Drawing {
  /** The columns there are. */
  readonly width: number;
  /** What is marked as changed, by path. */
  readonly changed?: ReadonlyMap<string, ViewChange>;
  /** The names of overlays, so that what lies below one is told apart. */
  readonly overlays?: ReadonlySet<string>;
}

const PLAIN = (): Drawing => ({ width: columns() });

/** How many steps of a match are told, those that are repeated as one. */
const MOST_STEPS = 30;

/** Prints the steps of a match that shows something, as far as one reads them. */
export function showSteps(steps: readonly string[], indent: string): void {
  let at = 0;
  for (const { words, times } of stepRuns(steps).slice(0, MOST_STEPS)) {
    const numbers = times === 1 ? `${at + 1}.` : `${at + 1}.-${at + times}.`;
    say(`${indent}${numbers} ${words}`);
    at += times;
  }
  if (at < steps.length) say(style("dim", `${indent}and ${count(steps.length - at, "step")} more`));
}

/** Bars of eight heights. */
export const HEIGHTS = "▁▂▃▄▅▆▇█";
/** How many steps a line of bars shows. */
const COURSE = 60;

/** Numbers one after the other as a line of bars, and between what they lie. */
export function course(numbers: readonly number[]): string {
  const shown = numbers.slice(0, COURSE);
  const [low, high] = [Math.min(...shown), Math.max(...shown)];
  const heights = shown.map(
    (number) => HEIGHTS[Math.min(7, Math.floor((8 * (number - low)) / Math.max(high - low, 1e-9)))] ?? "",
  );
  const digits = (number: number): number => Number(number.toFixed(2));
  const cut = numbers.length > COURSE ? `, the first ${COURSE} of ${numbers.length} steps` : "";
  return `${heights.join("")} ${style("dim", `from ${digits(low)} to ${digits(high)}${cut}`)}`;
}

/** Prints a whole view. */
export function showView(view: View): void {
  const drawing = PLAIN();
  for (const line of [...headLines(view, drawing), ...dataLines(view, drawing)]) say(line);
  if (view.outcome) showOutcome(view.outcome);
}

/** Prints what a seat can do. */
export function showOptions(options: readonly ActionOption[]): void {
  for (const line of optionLines(options, PLAIN())) say(line);
}

/** Prints the result of a match that is over. */
export function showOutcome(outcome: Outcome): void {
  for (const line of outcomeLines(outcome, PLAIN())) say(line);
}

/** Step, states and turn, in one line. */
export function headLines(view: View, { width, overlays }: Drawing): string[] {
  const { due: deadline, now } = view;
  const due = deadline ? style("dim", `  in ${duration(deadline.at - now)} ${deadline.words}`) : "";
  const turn = view.outcome
    ? ""
    : view.turn.length > 0
      ? style("bold", `turn: ${view.turn.join(", ")}`)
      : style("dim", "nobody's turn");
  return wrap(`${style("dim", `step ${view.step}`)}  ${statesText(view, overlays)}  ${turn}${due}`, width, "  ");
}

/** `Round > Turn`, and what lies over it: `Round > Turn (frozen) / Break`. */
function statesText({ states, machine }: View, overlays: ReadonlySet<string> | undefined): string {
  const top = states.findLastIndex((name) => overlays?.has(name));
  if (top < 0) return style("cyan", states.join(" > ") || machine);
  const below = states.slice(0, top).join(" > ");
  return `${style("dim", `${below} (frozen) /`)} ${style("cyan", states.slice(top).join(" > "))}`;
}

// ---- data --------------------------------------------------------------------------------------

/** All data: the machine's, then each state's under its name. Short values share lines. */
export function dataLines(view: View, drawing: Drawing): string[] {
  const lines: string[] = [];
  for (const state of [undefined, ...new Set(view.data.flatMap((f) => f.state ?? []))]) {
    const fields = view.data.filter((f) => f.state === state);
    const seatwise = fields.filter(isPerSeat);
    const short = fields.filter(isShort);
    if (seatwise.length > 0) lines.push(...perSeatLines(view, seatwise, drawing));
    for (const field of fields)
      if (!isPerSeat(field) && !isShort(field)) lines.push(...fieldLines(view, field, drawing));
    if (short.length > 0) {
      const texts = short.map((field) => `${field.name} ${shortText(field, drawing)}`);
      lines.push(...wrapParts(texts, `  ${state === undefined ? "" : `${style("cyan", state)}  `}`, drawing.width));
    }
  }
  return lines;
}

/** One piece of data, whole. */
export function fieldLines(view: View, field: ViewField, drawing: Drawing): string[] {
  if (isPerSeat(field)) return perSeatLines(view, [field], drawing);
  const board = boardOf(view, field);
  if (board) return boardLines(view, nameOf(field), board);
  const rows = recordsOf(field.value);
  if (rows) return tableLines(field, rows, drawing);
  return wrap(`  ${pad(nameOf(field), 10)} ${shortText(field, drawing)}`, drawing.width, " ".repeat(13));
}

function isPerSeat({ type }: ViewField): boolean {
  return type.startsWith("per seat");
}

/** Values that fit beside others. */
function isShort(field: ViewField): boolean {
  const { value, type } = field;
  if (isPerSeat(field) || type.startsWith("grid")) return false;
  return value === null || typeof value !== "object" || isCell(value) || Object.keys(value).length === 0;
}

function shortText(field: ViewField, drawing: Drawing): string {
  const parts = partsOf(field.value);
  if (parts)
    return parts
      .map(
        ([name, value]) => `${style("dim", name)} ${marked(`${nameOf(field)}.${name}`, valueInWords(value), drawing)}`,
      )
      .join("   ");
  const bounds = field.bounds?.[""];
  const isBounded = typeof field.value === "number" && bounds && bounds[1] - bounds[0] <= 10_000;
  return marked(nameOf(field), valueInWords(field.value), drawing, isBounded ? style("dim", ` of ${bounds[1]}`) : "");
}

/**
 * A value, marked when it has changed: numbers with by how much, others with what they were.
 *
 * @param of its greatest value, written behind it
 */
function marked(path: string, text: string, { changed }: Drawing, of = ""): string {
  const change = changed?.get(path);
  if (change) return `${style("yellow", text)}${of}${style("dim", ` (${differenceText(change)})`)}`;
  return `${changed && partChanged(path, changed) ? style("yellow", text) : text}${of}`;
}

function partChanged(path: string, changed: ReadonlyMap<string, ViewChange>): boolean {
  for (const known of changed.keys()) if (known.startsWith(`${path}.`) || known.startsWith(`${path}[`)) return true;
  return false;
}

/** By how much a number changed, or what something else was before. */
function differenceText({ before, after }: ViewChange): string {
  if (typeof before === "number" && typeof after === "number")
    return after > before ? `+${after - before}` : String(after - before);
  return before === undefined ? "new" : `was ${valueInWords(before)}`;
}

/** One line for a change: `kites.south.lift 40 -> 31`. */
function changeText({ path, before, after }: ViewChange): string {
  if (before === undefined) return `${path} ${valueInWords(after)}`;
  if (after === undefined) return `${path} is gone`;
  return `${path} ${valueInWords(before)} -> ${valueInWords(after)}`;
}

/** Changes, several to a line. */
export function changeLines(changes: readonly ViewChange[], width: number): string[] {
  return changes.length === 0 ? [] : wrapParts(changes.map(changeText), "  ", width);
}

/** Puts texts beside each other as far as there is room; one that is too long goes on in the next line. */
function wrapParts(texts: readonly string[], first: string, width: number): string[] {
  const indent = " ".repeat(Math.max(2, seenWidth(first)));
  const lines: string[] = [];
  let line = first;
  for (const text of texts) {
    const isEmpty = seenWidth(line) <= indent.length;
    if (!isEmpty && seenWidth(line) + 3 + seenWidth(text) > width) {
      lines.push(line);
      line = indent;
    }
    line += seenWidth(line) <= indent.length ? text : `   ${text}`;
  }
  return [...lines, line].flatMap((l) => wrap(l, width, `${indent}  `));
}

// ---- boards ------------------------------------------------------------------------------------

/** A board with its columns and rows numbered; one cell can be marked. */
export function boardLines(
  view: View,
  name: string,
  board: readonly (readonly BoardCell[])[],
  at?: { readonly x: number; readonly y: number },
): string[] {
  const head = `  ${pad(name, 10)} ${style("dim", (board[0] ?? []).map((_, x) => pad(String(x), CELL)).join(""))}`;
  const text = (cell: BoardCell): string =>
    cell.x === at?.x && cell.y === at.y ? style("inverse", pad(cellText(cell, view), CELL - 1)) : cellText(cell, view);
  return [
    head.trimEnd(),
    ...board.map(
      (row, y) =>
        `  ${pad("", 8)}${style("dim", pad(String(y), 2))}` +
        ` ${row.map((cell) => pad(text(cell), CELL)).join("")}`.trimEnd(),
    ),
  ];
}

/** How wide a cell of a board is drawn. */
const CELL = 8;

/** Who or what is on a cell: a seat, a piece with the index that actions name it by, or what lies there. */
function cellText(cell: BoardCell, view: View): string {
  const [seat] = cell.seats;
  if (seat !== undefined) return style(view.turn.includes(seat) ? "green" : "bold", seat.slice(0, CELL - 1));
  const [piece] = cell.pieces;
  if (!piece) return cell.marks.join(" ").slice(0, CELL - 1) || style("dim", "\u00b7");
  const text = `${piece.name.slice(0, 4)}${piece.index}`;
  return piece.owner === undefined ? text : style(view.turn.includes(piece.owner) ? "green" : "yellow", text);
}

// ---- records and seats ---------------------------------------------------------------------------

type Row = { readonly [name: string]: Json };

/** The fields of a record, the entries of a map; undefined for anything else. */
function partsOf(value: Json): [string, Json][] | undefined {
  if (value === null || typeof value !== "object" || Array.isArray(value) || isCell(value)) return undefined;
  const parts = Object.entries(value as Row);
  return parts.length > 0 ? parts : undefined;
}

/** A list of records, as rows; undefined for anything else. */
function recordsOf(value: Json): readonly Row[] | undefined {
  if (!Array.isArray(value) || value.length === 0) return undefined;
  const rows = value as readonly Json[];
  const isRow = (row: Json): row is Row =>
    row !== null && typeof row === "object" && !Array.isArray(row) && !isCell(row) && Object.keys(row).length > 0;
  return rows.every(isRow) ? rows : undefined;
}

/** Records under the names of their fields, each behind the index that actions name it by. */
function tableLines(field: ViewField, rows: readonly Row[], drawing: Drawing): string[] {
  const path = nameOf(field);
  const names = Object.keys(rows[0] as Row);
  const cells = rows.map((row, i) =>
    names.map((name) => marked(`${path}[${i}].${name}`, valueInWords(row[name]), drawing)),
  );
  const widths = names.map((name, i) => Math.max(name.length, ...cells.map((row) => seenWidth(row[i] ?? ""))) + 2);
  const line = (first: string, texts: readonly string[]): string =>
    `  ${first} ${texts.map((text, i) => pad(text, widths[i] as number)).join("")}`.trimEnd();
  const head = `${pad(path, 10)}${" ".repeat(3)}`;
  return [
    line(
      head,
      names.map((name) => style("dim", pad(name, name.length))),
    ),
    ...cells.map((row, i) => line(pad("", 10) + style("dim", pad(String(i), 3)), row)),
  ].flatMap((text) => wrap(text, drawing.width, " ".repeat(18)));
}

/** One block of bars a seat with all that it has, side by side when there is room. */
function perSeatLines(view: View, fields: readonly ViewField[], drawing: Drawing): string[] {
  const seats = view.seats.filter(({ seat }) => fields.some(({ value }) => Object.hasOwn(value as Row, seat)));
  const parts = new Map(seats.map(({ seat }) => [seat, fields.flatMap((field) => seatParts(field, seat))]));
  const widest = Math.max(7, ...[...parts.values()].flat().map(({ name }) => name.length));
  const blocks = seats.map(({ seat, status }) => {
    const mark = view.turn.includes(seat) ? style("green", "\u25b6") : " ";
    const head = `${mark} ${style("bold", seat)}${status === "in" ? "" : ` (${status})`}`;
    return [head, ...(parts.get(seat) ?? []).map((part) => partLine(part, widest, drawing))];
  });
  const most = Math.max(24, ...blocks.flat().map(seenWidth)) + 2;
  const perRow = Math.max(1, Math.min(blocks.length, Math.floor((drawing.width - 2) / most)));
  const lines: string[] = [];
  for (let from = 0; from < blocks.length; from += perRow) {
    const row = blocks.slice(from, from + perRow);
    const height = Math.max(...row.map((block) => block.length));
    for (let i = 0; i < height; i++) {
      const text = `  ${row.map((block) => pad(block[i] ?? "", most)).join("")}`.trimEnd();
      lines.push(...wrap(text, drawing.width, " ".repeat(14)));
    }
  }
  return lines;
}

/** One line of a seat's block. */
interface SeatPart {
  readonly name: string;
  readonly path: string;
  readonly value: Json | undefined;
  readonly bounds: readonly [number, number] | undefined;
}

/** What one seat has of a piece of data: the fields of its record, or its one value. */
function seatParts(field: ViewField, seat: string): SeatPart[] {
  const path = nameOf(field);
  const value = (field.value as Row)[seat];
  if (value === undefined) return [];
  const inner = partsOf(value);
  if (!inner) return [{ name: path, path: `${path}.${seat}`, value, bounds: field.bounds?.[""] }];
  return inner.map(([name, of]) => ({
    name,
    path: `${path}.${seat}.${name}`,
    value: of,
    bounds: field.bounds?.[name],
  }));
}

function partLine({ name, path, value, bounds }: SeatPart, width: number, drawing: Drawing): string {
  if (typeof value === "number" && bounds && bounds[1] > bounds[0] && bounds[1] - bounds[0] <= 10_000)
    return (
      `    ${pad(name, width)} ${bar(value, bounds[0], bounds[1])}` +
      ` ${marked(path, String(value), drawing, `/${bounds[1]}`)}`
    );
  const text = typeof value === "boolean" && value ? style("yellow", "yes") : valueInWords(value);
  return `    ${pad(name, width)} ${marked(path, text, drawing)}`;
}

// ---- what can be done, and what came of it -------------------------------------------------------

/** The result of a match that is over. */
export function outcomeLines(outcome: Outcome, { width }: Drawing): string[] {
  const args = Object.entries(outcome.args)
    .map(([name, value]) => `${name}: ${valueInWords(value)}`)
    .join(", ");
  const head = outcome.unfinished
    ? style("yellow", `unfinished: "${outcome.ending}" is not written yet`)
    : style("bold", `ending ${outcome.ending}${args ? ` (${args})` : ""}`);
  return [
    ...wrap(head, width, "  "),
    ...outcome.results.map(({ seat, result, rank, score }) => {
      const colour = result === "win" ? "green" : result === "loss" ? "red" : "yellow";
      return (
        `  ${pad(seat, 12)} ${style(colour, result)}${rank === undefined ? "" : `  rank ${rank}`}` +
        `${score === undefined ? "" : `  score ${score}`}`
      );
    }),
  ];
}

/** The actions of a seat: open ones numbered, closed ones with their reason. */
export function optionLines(options: readonly ActionOption[], { width }: Drawing): string[] {
  let number = 0;
  const widest = Math.max(10, ...options.map((o) => signature(o).length)) + 2;
  const indent = " ".repeat(Math.min(widest + 5, 24));
  return options.flatMap((option) => {
    const text = pad(signature(option), widest);
    const line = option.open
      ? `  ${style("bold", String(++number))}  ${text}${option.doc ? style("dim", option.doc) : ""}`
      : style("dim", `  -  ${text}${option.reason ?? ""}`);
    return wrap(line.trimEnd(), width, indent);
  });
}

function signature(option: ActionOption): string {
  return option.parameters.length === 0
    ? option.action
    : `${option.action}(${option.parameters.map((p) => p.name).join(", ")})`;
}
