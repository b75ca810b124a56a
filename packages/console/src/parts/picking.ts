/** An argument that is chosen by pointing: at a cell of a board, a row of a list, a seat. */

import type { Json, ParameterOption, ValueOption } from "@zany/core";
import { createContext } from "react";

export interface Picking {
  /** What is pointed at: "cell", "seat", or the name of the list whose elements the values number. */
  readonly target: string;
  readonly values: readonly ValueOption[];
  readonly onPick: (value: Json) => void;
}

export const PickingContext = createContext<Picking | null>(null);

/** What one points at to choose a value of a parameter; undefined when it is not chosen that way. */
export function targetOf({ type, of, values }: ParameterOption): string | undefined {
  if (!values) return undefined;
  if (of !== undefined) return of;
  const kind = type.replace(/\?$/, "");
  return kind === "cell" || kind === "seat" ? kind : undefined;
}

/** How something looks that can be pointed at now, open or closed. */
export const PICK_LOOK = "bg-sea-wash ring-1 ring-sea ring-inset hover:bg-sea hover:text-panel";
