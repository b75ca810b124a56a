/** Values as the language writes them, so that what is shown can be typed. */

import type { Type } from "../check/types.js";
import { isCell, type Json } from "../engine/values/json.js";

/** A JSON value of a type as an expression: `cell(3, 1)`, `"tea"`, `Kite(lift: 9)`, `[ann: 3, ben: 0]`. */
export function valueText(type: Type, value: Json): string {
  switch (type.kind) {
    case "maybe":
      return value === null ? "none" : valueText(type.of, value);
    case "text":
      return quoted(String(value));
    case "cell":
      return isCell(value) ? `cell(${value.x}, ${value.y})` : "none";
    case "list":
      return listed(value, (item) => valueText(type.of, item));
    case "grid":
      return listed(value, (row) => listed(row, (item) => valueText(type.of, item)));
    case "record": {
      const fields = type.fields.map((f) => `${f.name}: ${valueText(f.type, partOf(value, f.name))}`);
      return `${type.name}(${fields.join(", ")})`;
    }
    case "perSeat":
      return `[${entries(value)
        .map(([seat, part]) => `${seat}: ${valueText(type.of, part)}`)
        .join(", ")}]`;
    case "map":
      return `[${entries(value)
        .map(([key, part]) => `${keyText(type.key, key)}: ${valueText(type.value, part)}`)
        .join(", ")}]`;
    default:
      return String(value);
  }
}

/** A text in quotes; what would begin a value in it is written out. */
export function quoted(text: string): string {
  return `"${text.replaceAll("\\", "\\\\").replaceAll('"', '\\"').replaceAll("\n", "\\n").replaceAll("{", "{{")}"`;
}

function listed(value: Json, item: (part: Json) => string): string {
  return `[${(Array.isArray(value) ? (value as readonly Json[]) : []).map(item).join(", ")}]`;
}

function entries(value: Json): [string, Json][] {
  return Object.entries((value ?? {}) as { readonly [key: string]: Json });
}

function partOf(value: Json, name: string): Json {
  return (value as { readonly [key: string]: Json })[name] ?? null;
}

/** Keys of maps are texts in JSON. */
function keyText(type: Type, key: string): string {
  if (type.kind === "text") return quoted(key);
  return type.kind === "cell" ? `cell(${key.replace(",", ", ")})` : key;
}
