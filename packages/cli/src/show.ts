/** A match in a terminal: where it stands, whose turn it is, everybody's data as bars, what can be done. */

import {
  type ActionOption,
  type BoardCell,
  boardOf,
  isCell,
  type Json,
  type Outcome,
  valueInWords,
  type View,
  type ViewField,
} from "@zany/core";
import { bar, duration, pad, say, style } from "./terminal.js";

/** Shows a whole view. */
export function showView(view: View): void {
  const states = view.states.join(" > ") || view.machine;
  const due = view.due === undefined ? "" : style("dim", `  next timer in ${duration(view.due - view.now)}`);
  const turn = view.outcome
    ? ""
    : view.turn.length > 0
      ? style("bold", `turn: ${view.turn.join(", ")}`)
      : style("dim", "nobody's turn");
  say(`${style("dim", `step ${view.step}`)}  ${style("cyan", states)}  ${turn}${due}`);
  for (const field of view.data) showField(view, field);
  if (view.outcome) showOutcome(view.outcome);
}

function showField(view: View, field: ViewField): void {
  const name = field.state === undefined ? field.name : `${field.state}.${field.name}`;
  if (field.type.startsWith("per seat")) {
    showPerSeat(view, name, field);
    return;
  }
  const board = boardOf(view, field);
  if (board) {
    for (const line of boardLines(view, name, board)) say(line);
    return;
  }
  const bounds = field.bounds?.[""];
  if (bounds && typeof field.value === "number" && bounds[1] - bounds[0] <= 10_000) {
    say(`  ${pad(name, 10)} ${field.value} of ${bounds[1]}`);
    return;
  }
  say(`  ${pad(name, 10)} ${short(field.value)}`);
}

/** A board with its columns and rows numbered; one cell can be marked. */
export function boardLines(
  view: View,
  name: string,
  board: readonly (readonly BoardCell[])[],
  marked?: { readonly x: number; readonly y: number },
): string[] {
  const head = `  ${pad(name, 10)} ${style("dim", (board[0] ?? []).map((_, x) => pad(String(x), CELL)).join(""))}`;
  const text = (cell: BoardCell): string =>
    cell.x === marked?.x && cell.y === marked.y
      ? style("inverse", pad(cellText(cell, view), CELL - 1))
      : cellText(cell, view);
  return [
    head,
    ...board.map((row, y) =>
      `  ${pad("", 8)}${style("dim", pad(String(y), 2))} ${row.map((cell) => pad(text(cell), CELL)).join("")}`.trimEnd(),
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

/** One block of bars a seat, side by side when there is room. */
function showPerSeat(view: View, name: string, field: ViewField): void {
  const values = field.value as { readonly [seat: string]: unknown };
  const seats = view.seats.filter((s) => Object.hasOwn(values, s.seat));
  const blocks = seats.map(({ seat, status }) => {
    const mark = view.turn.includes(seat) ? style("green", "\u25b6") : " ";
    const lines = [`${mark} ${style("bold", seat)}${status === "in" ? "" : ` (${status})`}`];
    const value = values[seat];
    if (value !== null && typeof value === "object" && !Array.isArray(value) && !isCell(value as Json)) {
      for (const [part, v] of Object.entries(value)) lines.push(partLine(part, v, field.bounds?.[part]));
    } else {
      lines.push(partLine(name, value, field.bounds?.[""]));
    }
    return lines;
  });
  const width = 36;
  const perRow = Math.max(1, Math.min(blocks.length, Math.floor((process.stdout.columns ?? 100) / width)));
  for (let from = 0; from < blocks.length; from += perRow) {
    const row = blocks.slice(from, from + perRow);
    const height = Math.max(...row.map((block) => block.length));
    for (let i = 0; i < height; i++) say(`  ${row.map((block) => pad(block[i] ?? "", width)).join("")}`.trimEnd());
  }
}

function partLine(name: string, value: unknown, bounds: readonly [number, number] | undefined): string {
  if (typeof value === "number" && bounds && bounds[1] > bounds[0] && bounds[1] - bounds[0] <= 10_000) {
    return `    ${pad(name, 7)} ${bar(value, bounds[0], bounds[1])} ${value}/${bounds[1]}`;
  }
  return `    ${pad(name, 7)} ${typeof value === "boolean" ? (value ? style("yellow", "yes") : "no") : short(value)}`;
}

function short(value: unknown): string {
  const text = valueInWords(value as Json);
  return text.length > 70 ? `${text.slice(0, 67)}...` : text;
}

/** The result of a match that is over. */
export function showOutcome(outcome: Outcome): void {
  const args = Object.entries(outcome.args)
    .map(([name, value]) => `${name}: ${short(value)}`)
    .join(", ");
  say(
    outcome.unfinished
      ? style("yellow", `unfinished: "${outcome.ending}" is not written yet`)
      : style("bold", `ending ${outcome.ending}${args ? ` (${args})` : ""}`),
  );
  for (const { seat, result, rank, score } of outcome.results) {
    const colour = result === "win" ? "green" : result === "loss" ? "red" : "yellow";
    say(
      `  ${pad(seat, 12)} ${style(colour, result)}${rank === undefined ? "" : `  rank ${rank}`}${score === undefined ? "" : `  score ${score}`}`,
    );
  }
}

/** The actions of a seat: open ones numbered, closed ones with their reason. */
export function showOptions(options: readonly ActionOption[]): void {
  let number = 0;
  const width = Math.max(10, ...options.map((o) => signature(o).length)) + 2;
  for (const option of options) {
    if (option.open)
      say(
        `  ${style("bold", String(++number))}  ${pad(signature(option), width)}${option.doc ? style("dim", option.doc) : ""}`.trimEnd(),
      );
    else say(style("dim", `  -  ${pad(signature(option), width)}${option.reason ?? ""}`).trimEnd());
  }
}

function signature(option: ActionOption): string {
  return option.parameters.length === 0
    ? option.action
    : `${option.action}(${option.parameters.map((p) => p.name).join(", ")})`;
}
