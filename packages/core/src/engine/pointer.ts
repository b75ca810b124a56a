/** JSON Pointers (RFC 6901) into a machine's data: for starting values set from outside. */

import type { Type } from "../check/types.js";
import { didYouMean } from "../language/suggest.js";
import { Box, ownedChild } from "./box.js";
import type { Engine } from "./engine.js";
import { mapSlot } from "./expressions.js";
import { fromJson, WrongValue } from "./values.js";

/** One piece of given data: `/data/kites/north/lift` and its value. */
export interface GivenDatum {
  readonly path: string;
  readonly value: unknown;
}

/** The parts of a pointer, unescaped. */
export function pointerParts(pointer: string): string[] {
  if (pointer === "") return [];
  return pointer
    .split("/")
    .slice(1)
    .map((part) => part.replaceAll("~1", "/").replaceAll("~0", "~"));
}

/** A pointer from its parts. */
export function pointerOf(parts: readonly string[]): string {
  return parts.map((part) => `/${part.replaceAll("~", "~0").replaceAll("/", "~1")}`).join("");
}

/**
 * Sets one piece of the data in the working memory.
 *
 * @throws WrongValue when the path leads nowhere or the value does not fit
 */
export function applyGiven(engine: Engine, given: GivenDatum): void {
  const { rt, machine, naming } = engine;
  const [root, name, ...parts] = pointerParts(given.path);
  const field = root === "data" ? machine.data.find((f) => f.name === name) : undefined;
  if (!field)
    throw new WrongValue(
      nothingThere(
        name ?? root ?? "",
        "the machine's data",
        machine.data.map((f) => f.name),
      ),
    );
  let holder = rt.ownRoot(field.slot);
  let slot = field.slot;
  let type: Type = field.type;
  for (let i = 0; i < parts.length; i++) {
    const part = parts[i] as string;
    holder = ownedChild(holder, slot, rt.epoch);
    if (type.kind === "grid") {
      // A grid takes two parts: the row, then the place in it.
      const [y, x] = [indexOf(part, type.height), indexOf(parts[++i] ?? "", type.width)];
      if (y < 0 || x < 0)
        throw new WrongValue(
          `there is no cell ${parts[i] ?? "?"},${part} in the grid of ${type.width} by ${type.height}`,
        );
      slot = y * type.width + x;
      type = type.of;
      continue;
    }
    const found = child(type, part, holder, engine);
    if (!found)
      throw new WrongValue(nothingThere(part, given.path.split("/").slice(1, -1).join("."), partsOf(type, engine)));
    ({ slot, type } = found);
  }
  try {
    holder.at[slot] = fromJson(type, given.value, { seats: naming.seats.slice(0, rt.seats.length) });
  } catch (error) {
    if (!(error instanceof WrongValue)) throw error;
    throw new WrongValue(`"${given.path}": ${error.message}`);
  }
}

/** A part as an index below `size`, or -1. */
function indexOf(part: string, size: number): number {
  return /^(0|[1-9][0-9]*)$/.test(part) && Number(part) < size ? Number(part) : -1;
}

function nothingThere(part: string, where: string, known: readonly string[]): string {
  return `there is no "${part}" in ${where}. ${didYouMean(part, known, "name")}`.replace(/\.$/, "");
}

function partsOf(type: Type, engine: Engine): readonly string[] {
  return type.kind === "record" ? type.fields.map((f) => f.name) : type.kind === "perSeat" ? engine.naming.seats : [];
}

function child(type: Type, part: string, holder: Box, engine: Engine): { slot: number; type: Type } | undefined {
  switch (type.kind) {
    case "record": {
      const slot = type.fields.findIndex((f) => f.name === part);
      const field = type.fields[slot];
      return field && { slot, type: field.type };
    }
    case "perSeat": {
      const slot = engine.naming.seats.indexOf(part);
      return slot >= 0 && slot < holder.at.length ? { slot, type: type.of } : undefined;
    }
    case "list":
      return indexOf(part, holder.at.length) >= 0 ? { slot: Number(part), type: type.of } : undefined;
    case "map": {
      const key = type.key.kind === "int" ? Number(part) : fromJson(type.key, part, engine.naming);
      const slot = mapSlot(holder.at, key);
      return slot >= 0 ? { slot: slot + 1, type: type.value } : undefined;
    }
    case "maybe":
      return holder instanceof Box ? child(type.of, part, holder, engine) : undefined;
    default:
      return undefined;
  }
}
