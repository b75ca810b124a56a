/** What values have behind a dot, in one table: properties and operations of lists, maps, grids and cells. */

import type { Expr, GridProperty, ListProperty } from "./machine.js";
import { BOOL, CELL, INT, intBetween, listOf, MAX_INT, NATURAL, type Type } from "./types.js";

type MapProperty = (Expr & { readonly kind: "mapProperty" })["property"];
export type GridOperation = (Expr & { readonly kind: "gridCall" })["method"];

function ofList(type: Type & { kind: "list" }): Record<ListProperty, Type> {
  const size = intBetween(0, type.max ?? MAX_INT);
  return {
    size,
    empty: BOOL,
    first: type.of,
    last: type.of,
    rest: listOf(type.of),
    indices: listOf(intBetween(0, Math.max(0, size.high - 1))),
  };
}

function ofMap(type: Type & { kind: "map" }): Record<MapProperty, Type> {
  return { size: NATURAL, empty: BOOL, keys: listOf(type.key), values: listOf(type.value) };
}

const OF_GRID: Record<GridProperty, Type> = { cells: listOf(CELL), width: NATURAL, height: NATURAL };
const OF_CELL = { x: NATURAL, y: NATURAL };

/** The properties of a value of this type, each with its type. */
export function propertiesOf(type: Type): Readonly<Record<string, Type>> {
  switch (type.kind) {
    case "list":
      return ofList(type);
    case "map":
      return ofMap(type);
    case "grid":
      return OF_GRID;
    case "cell":
      return OF_CELL;
    default:
      return {};
  }
}

/** The expression that reads a property of a list, map, grid or cell. */
export function propertyOf(of: Expr, name: string, type: Type): Expr {
  const span = { from: of.from, to: of.to };
  switch (of.type.kind) {
    case "list":
      return { kind: "listProperty", of, property: name as ListProperty, type, ...span };
    case "map":
      return { kind: "mapProperty", of, property: name as MapProperty, type, ...span };
    case "grid":
      return { kind: "gridProperty", of, property: name as GridProperty, type, ...span };
    default:
      return { kind: "coordinate", of, axis: name as "x" | "y", type, ...span };
  }
}

/** What a grid answers: the parameters and the type. */
export const GRID_CALLS: Readonly<Record<GridOperation, { parameters: readonly [string, Type][]; type: Type }>> = {
  neighbours: { parameters: [["of", CELL]], type: listOf(CELL) },
  distance: {
    parameters: [
      ["from", CELL],
      ["to", CELL],
    ],
    type: NATURAL,
  },
  inside: {
    parameters: [
      ["x", INT],
      ["y", INT],
    ],
    type: BOOL,
  },
  line: {
    parameters: [
      ["from", CELL],
      ["to", CELL],
    ],
    type: listOf(CELL),
  },
  reach: {
    parameters: [
      ["from", CELL],
      ["steps", INT],
    ],
    type: listOf(CELL),
  },
};

/** The operations of a value of this type, those that change it too. */
export function operationsOf(type: Type): readonly string[] {
  switch (type.kind) {
    case "list":
      return ["has", "push", "take", "takeLast", "remove", "insert", "clear", "fill"];
    case "map":
      return ["has", "remove", "clear"];
    case "grid":
      return [...Object.keys(GRID_CALLS), "fill"];
    default:
      return [];
  }
}
