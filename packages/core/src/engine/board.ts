/** A grid as people see it: who stands where, and what lies there, one short mark a cell. */

import type { View, ViewField } from "./looking.js";
import type { Json } from "./values.js";

export interface BoardCell {
  readonly x: number;
  readonly y: number;
  /** Seats whose place is this cell, by any of their data that is a cell. */
  readonly seats: readonly string[];
  /** What the cell holds, short: fields that are true by their name, numbers and texts that are not empty. */
  readonly marks: readonly string[];
}

/** The rows of a grid's cells; undefined for data that is no grid. */
export function boardOf(view: View, field: ViewField): readonly (readonly BoardCell[])[] | undefined {
  if (!field.type.startsWith("grid") || !Array.isArray(field.value)) return undefined;
  const rows = field.value as readonly (readonly Json[])[];
  const standing = new Map<string, string[]>();
  for (const data of view.data) {
    if (data.type !== "per seat: cell?" && data.type !== "per seat: cell") continue;
    // The first datum that is a place counts; what a seat only aims at comes later in the text.
    if (standing.size > 0) break;
    for (const [seat, cell] of Object.entries(data.value as { readonly [seat: string]: Json })) {
      if (!isCell(cell)) continue;
      const key = `${cell.x},${cell.y}`;
      standing.set(key, [...(standing.get(key) ?? []), seat]);
    }
  }
  return rows.map((row, y) => row.map((value, x) => ({ x, y, seats: standing.get(`${x},${y}`) ?? [], marks: marksOf(value) })));
}

/** True for the JSON of a cell. */
export function isCell(value: Json): value is { readonly x: number; readonly y: number } {
  return value !== null && typeof value === "object" && !Array.isArray(value) && Object.keys(value).length === 2 && "x" in value && "y" in value;
}

function marksOf(value: Json): string[] {
  if (value === null || value === false || value === 0 || value === "") return [];
  if (typeof value !== "object") return [value === true ? "yes" : String(value)];
  if (Array.isArray(value)) return value.flatMap(marksOf);
  return Object.entries(value).flatMap(([name, part]) => (part === true ? [name] : marksOf(part as Json)));
}
