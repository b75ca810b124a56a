/** What is given to a match to begin with: data by JSON Pointers (RFC 6901), a state to begin in. */

import { describe, type Type } from "../../check/types.js";
import { didYouMean } from "../../language/suggest.js";
import { Box, ownedChild } from "../values/box.js";
import { mapSlot } from "../code/support.js";
import type { Arguments } from "../values/json.js";
import { fromJson, WrongValue } from "../values/json.js";
import { pointerParts } from "../values/pointer.js";
import type { Engine } from "./runnable.js";

/** One piece of given data: `/data/kites/north/lift` and its value. */
export interface GivenDatum {
  readonly path: string;
  readonly value: unknown;
}

/** What a match begins with in place of the machine's own. */
export interface Given {
  readonly data?: readonly GivenDatum[];
  /** The state to begin in, and the arguments it takes. */
  readonly state?: { readonly name: string; readonly args?: Arguments };
}

/**
 * Sets one piece of the data in the working memory.
 *
 * @throws WrongValue when the path leads nowhere or the value does not fit
 */
export function applyGiven(engine: Engine, given: GivenDatum): void {
  const { memory, machine } = engine;
  const { naming } = memory;
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
  let holder = memory.ownRoot(field.slot);
  let slot = field.slot;
  let type: Type = field.type;
  for (let i = 0; i < parts.length; i++) {
    const part = parts[i] as string;
    const where = [root, name, ...parts.slice(0, i)].join(".");
    if (!(holder.parts[slot] instanceof Box)) throw new WrongValue(notWhole(type, part, where, holder.parts[slot]));
    holder = ownedChild(holder, slot, memory.epoch);
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
    if (!found) throw new WrongValue(notWithin(type, part, where, holder, engine));
    ({ slot, type } = found);
  }
  try {
    holder.parts[slot] = fromJson(type, given.value, { seats: naming.seats.slice(0, memory.seats.length) });
  } catch (error) {
    if (!(error instanceof WrongValue)) throw error;
    throw new WrongValue(`"${given.path}": ${error.message}`);
  }
}

/** A part as an index below `size`, or -1. */
function indexOf(part: string, size: number): number {
  return /^(0|[1-9][0-9]*)$/.test(part) && Number(part) < size ? Number(part) : -1;
}

/** Why there is no such part in what a path leads to. */
function notWithin(type: Type, part: string, where: string, holder: Box, engine: Engine): string {
  if (type.kind === "list") {
    const { length } = holder.parts;
    const has = length === 0 ? "no elements" : length === 1 ? "one element, 0" : `elements 0 to ${length - 1}`;
    return `${where} has ${has} when it is given, so there is no ${part}. Give the list as a whole`;
  }
  if (type.kind === "map") return `there is no "${part}" in ${where} when it is given. Give the map as a whole`;
  return nothingThere(part, where, partsOf(type, engine));
}

/** Why there is nothing in what has no parts. */
function notWhole(type: Type, part: string, where: string, value: unknown): string {
  return value === null
    ? `${where} is none when it is given, so there is no "${part}" in it. Give it as a whole`
    : `${where} is ${describe(type)}, so there is no "${part}" in it`;
}

function nothingThere(part: string, where: string, known: readonly string[]): string {
  return `there is no "${part}" in ${where}. ${didYouMean(part, known, "name")}`.replace(/\.$/, "");
}

function partsOf(type: Type, engine: Engine): readonly string[] {
  return type.kind === "record"
    ? type.fields.map((f) => f.name)
    : type.kind === "perSeat"
      ? engine.memory.naming.seats
      : [];
}

function child(type: Type, part: string, holder: Box, engine: Engine): { slot: number; type: Type } | undefined {
  switch (type.kind) {
    case "record": {
      const slot = type.fields.findIndex((f) => f.name === part);
      const field = type.fields[slot];
      return field && { slot, type: field.type };
    }
    case "perSeat": {
      const slot = engine.memory.naming.seats.indexOf(part);
      return slot >= 0 && slot < holder.parts.length ? { slot, type: type.of } : undefined;
    }
    case "list":
      return indexOf(part, holder.parts.length) >= 0 ? { slot: Number(part), type: type.of } : undefined;
    case "map": {
      const key = type.key.kind === "int" ? Number(part) : fromJson(type.key, part, engine.memory.naming);
      const slot = mapSlot(holder.parts, key);
      return slot >= 0 ? { slot: slot + 1, type: type.value } : undefined;
    }
    case "maybe":
      return holder instanceof Box ? child(type.of, part, holder, engine) : undefined;
    default:
      return undefined;
  }
}

/**
 * Where a match begins: the start, or the state that is given, with what its arguments come to.
 *
 * @throws WrongValue for a state that is not there, or arguments that do not fit
 */
export function startOf(engine: Engine, given: Given["state"]): { target: number; args: unknown[] } {
  if (!given) return { target: 0, args: [] };
  const { name, args = {} } = given;
  const state = engine.machine.states.find((s) => s.name === name && s.id > 0);
  if (!state) throw new WrongValue(`there is no state "${name}" to begin in`);
  const values = state.parameters.map((p) => {
    if (Object.hasOwn(args, p.name)) return fromJson(p.type, args[p.name], engine.memory.naming);
    if (!p.initial) throw new WrongValue(`"${name}" needs "${p.name}"`);
    return engine.code.expressions.compile(p.initial)();
  });
  return { target: state.id, args: values };
}
