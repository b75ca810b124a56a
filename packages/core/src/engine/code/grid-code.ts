/** The generated code of cells: where the element of one stands in a grid. */

import type { Expr } from "../../check/machine.js";
import type { GridType } from "../../check/types.js";
import type { Span } from "../../language/source.js";
import { CELL_STRIDE } from "../values/box.js";
import type { Code, Generating } from "./generating.js";
import type { CodeScope } from "./scope.js";

/** A whole number that is known as a coordinate. */
export function isPlace(code: Code): boolean {
  return /^\d+$/.test(code) && Number(code) < CELL_STRIDE;
}

/** Where the element of a cell stands in a grid. */
export function placeCode(g: Generating, key: Expr, of: GridType, at: Span, scope: CodeScope): Code {
  const { width, height } = of;
  const cell = g.expression(key, scope);
  const [x, y] = [Number(cell) % CELL_STRIDE, Math.floor(Number(cell) / CELL_STRIDE)];
  if (/^\d+$/.test(cell)) {
    if (x < width && y < height) return String(y * width + x);
  } else if (key.kind === "cell") {
    // The cell itself is not wanted, where it stands is.
    const [column, row] = [g.expression(key.x, scope), g.expression(key.y, scope)];
    if (isBelow(key.x, column, width) && isBelow(key.y, row, height)) return `${row} * ${width} + ${column}`;
    return `spot(${column}, ${row}, ${width}, ${height}, ${g.at(key)}, ${g.at(at)})`;
  }
  return `place(${cell}, ${width}, ${height}, ${g.at(at)})`;
}

/** Whether a coordinate always lies in a grid of this size. */
function isBelow(e: Expr, code: Code, size: number): boolean {
  if (isPlace(code)) return Number(code) < size;
  return e.kind === "local" && e.type.kind === "int" && e.type.low >= 0 && e.type.high < size;
}
