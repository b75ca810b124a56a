/** The cells that a parameter can be given of which nothing says where they lie. */

import type { Machine } from "../../check/machine.js";
import { type Type, typesIn } from "../../check/types.js";
import { CELL_STRIDE } from "../values/box.js";

export interface GridCells {
  /** The cells of all grids that a machine has data of, by rows of the largest. */
  readonly cells: readonly number[];
  /** All grids are of one size: each cell lies in every grid. */
  readonly isOneSize: boolean;
}

export function gridCells({ data, states }: Machine): GridCells {
  const seen = new Set<Type>();
  const sizes = new Set<string>();
  const cells = new Set<number>();
  const look = (type: Type): void => {
    if (seen.has(type)) return;
    seen.add(type);
    if (type.kind === "grid") {
      sizes.add(`${type.width} by ${type.height}`);
      for (let y = 0; y < type.height; y++) for (let x = 0; x < type.width; x++) cells.add(x + y * CELL_STRIDE);
    }
    for (const inner of typesIn(type)) look(inner);
  };
  for (const { type } of [...data, ...states.flatMap(({ fields }) => fields)]) look(type);
  return { cells: [...cells].sort((a, b) => a - b), isOneSize: sizes.size === 1 };
}
