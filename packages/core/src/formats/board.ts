/** A grid as people see it: who stands where, and what lies there, in short marks. */

import type { View, ViewField } from "../engine/matches/view.js";
import { isCell, type Json } from "../engine/values/json.js";

/** Something that stands on a cell: an element of a list of records, one of whose fields is that cell. */
export interface Piece {
  /** The list it is in, and its index there: what an action would name it by. */
  readonly list: string;
  readonly index: number;
  /** What it is: its first text or member. */
  readonly name: string;
  /** The seat among its fields. */
  readonly owner?: string;
}

export interface BoardCell {
  readonly x: number;
  readonly y: number;
  /** Seats whose place is this cell, by the first of their data that is a cell. */
  readonly seats: readonly string[];
  readonly pieces: readonly Piece[];
  /** What the cell holds, short: fields that are true by their name, numbers and texts that are not empty. */
  readonly marks: readonly string[];
  /** The seat that the cell's own record or value names. */
  readonly owner?: string;
  /** How much is left there of what its record counts down, from 0 to 1. */
  readonly level?: number;
}

/** The rows of a grid's cells; undefined for data that is no grid. */
export function boardOf(view: View, field: ViewField): readonly (readonly BoardCell[])[] | undefined {
  if (!field.type.startsWith("grid") || !Array.isArray(field.value)) return undefined;
  const rows = field.value as readonly (readonly Json[])[];
  const seats = standing(view);
  const pieces = piecesOf(view);
  const common = background(rows);
  const names = new Set(view.seats.map((s) => s.seat));
  return rows.map((row, y) =>
    row.map((value, x) => ({
      x,
      y,
      seats: seats.get(`${x},${y}`) ?? [],
      pieces: pieces.get(`${x},${y}`) ?? [],
      marks: value === true ? ["\u25a0"] : value === common ? [] : marksOf(value, names),
      ...ownerOf(value, names),
      ...levelOf(value, field),
    })),
  );
}

/** What lies on most cells is the ground, and not marked. */
function background(rows: readonly (readonly Json[])[]): string | undefined {
  const counts = new Map<string, number>();
  for (const value of rows.flat()) if (typeof value === "string") counts.set(value, (counts.get(value) ?? 0) + 1);
  return [...counts].sort(([, a], [, b]) => b - a)[0]?.[0];
}

/** Whether a datum shows on a board anyway, piece by piece. */
export function isOnBoard(view: View, field: ViewField): boolean {
  return (
    Array.isArray(field.value) &&
    view.data.some((f) => f.type.startsWith("grid")) &&
    field.value.some((element) => cellOf(element as Json) !== undefined)
  );
}

function standing(view: View): ReadonlyMap<string, string[]> {
  const found = new Map<string, string[]>();
  // The first datum that is a place counts; what a seat only aims at comes later in the text.
  const places = view.data.find(
    (data) =>
      (data.type === "per seat: cell?" || data.type === "per seat: cell") &&
      Object.values(data.value as object).some(isCell),
  );
  for (const [seat, cell] of Object.entries((places?.value ?? {}) as { readonly [seat: string]: Json }))
    if (isCell(cell)) add(found, cell, seat);
  const single = view.data.find((data) => data.type === "cell" || data.type === "cell?");
  const [only] = view.seats;
  if (found.size === 0 && view.seats.length === 1 && only && single && isCell(single.value))
    add(found, single.value, only.seat);
  return found;
}

function piecesOf(view: View): ReadonlyMap<string, Piece[]> {
  const found = new Map<string, Piece[]>();
  const seats = new Set(view.seats.map((s) => s.seat));
  for (const field of view.data) {
    if (!Array.isArray(field.value) || field.type.startsWith("grid")) continue;
    for (const [index, element] of (field.value as readonly Json[]).entries()) {
      const cell = cellOf(element);
      if (!cell) continue;
      const words = Object.values(element as object).filter((v): v is string => typeof v === "string");
      const owner = words.find((word) => seats.has(word));
      add(found, cell, {
        list: field.name,
        index,
        name: words.find((word) => !seats.has(word)) ?? field.name,
        ...(owner !== undefined && { owner }),
      });
    }
  }
  return found;
}

function add<T>(found: Map<string, T[]>, { x, y }: { readonly x: number; readonly y: number }, value: T): void {
  const key = `${x},${y}`;
  found.set(key, [...(found.get(key) ?? []), value]);
}

function cellOf(value: Json): { readonly x: number; readonly y: number } | undefined {
  if (value === null || typeof value !== "object" || Array.isArray(value) || isCell(value)) return undefined;
  return (Object.values(value) as Json[]).find(isCell);
}

/** @param seats names that show as the owner and are no marks */
function marksOf(value: Json, seats: ReadonlySet<string>): string[] {
  if (value === null || value === false || value === 0 || value === "") return [];
  if (typeof value !== "object") return value === true ? ["yes"] : seats.has(String(value)) ? [] : [String(value)];
  if (Array.isArray(value)) return value.flatMap((part) => marksOf(part, seats));
  return Object.entries(value).flatMap(([name, part]) => (part === true ? [name] : marksOf(part as Json, seats)));
}

function ownerOf(value: Json, seats: ReadonlySet<string>): { readonly owner?: string } {
  const parts: readonly unknown[] = value !== null && typeof value === "object" ? Object.values(value) : [value];
  const owner = parts.find((part): part is string => typeof part === "string" && seats.has(part));
  return owner === undefined ? {} : { owner };
}

function levelOf(value: Json, { bounds = {}, meters = [] }: ViewField): { readonly level?: number } {
  for (const path of meters) {
    const [low, high] = bounds[path] ?? [0, 1];
    const part: unknown =
      path === "" ? value : value !== null && typeof value === "object" ? (value as Record<string, unknown>)[path] : 0;
    if (typeof part === "number" && part > low) return { level: (part - low) / (high - low) };
  }
  return {};
}
