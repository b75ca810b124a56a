/** Values by their types: what they are without being given, as JSON, as text. */

import { describe, type EnumType, type Field, type Type } from "../../check/types.js";
import { Box, CELL_STRIDE } from "./box.js";

export type Json = null | boolean | number | string | readonly Json[] | { readonly [key: string]: Json };

/** Arguments by name, as JSON. */
export type Arguments = { readonly [name: string]: unknown };

/** What an action without arguments is given. */
export const NO_ARGUMENTS: Arguments = Object.freeze({});

/** What the conversion of values needs to know about a match. */
export interface Naming {
  /** The names of the seats, by number. */
  readonly seats: readonly string[];
}

/** JSON of a value. Records become objects, seats and members their names, cells `{"x":..,"y":..}`, none null. */
export function toJson(type: Type, value: unknown, naming: Naming): Json {
  switch (type.kind) {
    case "seat":
      return naming.seats[value as number] ?? null;
    case "enum":
      return type.members[value as number] ?? null;
    case "cell":
      return { x: (value as number) % CELL_STRIDE, y: Math.floor((value as number) / CELL_STRIDE) };
    case "maybe":
      return value === null ? null : toJson(type.of, value, naming);
    case "record": {
      const parts = (value as Box).parts;
      const object: Record<string, Json> = {};
      const { fields } = type;
      for (let i = 0; i < fields.length; i++) {
        const field = fields[i] as Field;
        put(object, field.name, toJson(field.type, parts[i], naming));
      }
      return object;
    }
    case "list":
      return (value as Box).parts.map((part) => toJson(type.of, part, naming));
    case "perSeat": {
      const object: Record<string, Json> = {};
      const { parts } = value as Box;
      for (let seat = 0; seat < parts.length; seat++)
        put(object, naming.seats[seat] ?? String(seat), toJson(type.of, parts[seat], naming));
      return object;
    }
    case "map": {
      const parts = (value as Box).parts;
      const object: Record<string, Json> = {};
      for (let i = 0; i < parts.length; i += 2)
        put(object, keyText(type.key, parts[i], naming), toJson(type.value, parts[i + 1], naming));
      return object;
    }
    case "grid": {
      const parts = (value as Box).parts;
      return Array.from({ length: type.height }, (_, y) =>
        Array.from({ length: type.width }, (_, x) => toJson(type.of, parts[y * type.width + x], naming)),
      );
    }
    default:
      return value as Json;
  }
}

/** Adds a member; the one name that stands for something else in objects becomes a member as well. */
export function put(object: Record<string, Json>, name: string, value: Json): void {
  if (name === "__proto__") Object.defineProperty(object, name, { value, enumerable: true, configurable: true });
  else object[name] = value;
}

/** The key of a map as the name of a JSON member. */
export function keyText(type: Type, key: unknown, naming: Naming): string {
  if (type.kind === "cell") return `${(key as number) % CELL_STRIDE},${Math.floor((key as number) / CELL_STRIDE)}`;
  return String(toJson(type, key, naming));
}

/** Says why a JSON value is not of a type. */
export class WrongValue extends Error {}

/** Whether every character of a text is whole: half of a pair is none (RFC 8785 forbids it). */
export function isWellFormed(text: string): boolean {
  return !/[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/.test(text);
}

/**
 * The value that a JSON value stands for.
 *
 * @throws WrongValue with a sentence that names what was wanted and what came
 */
export function fromJson(type: Type, json: unknown, naming: Naming): unknown {
  const wrong = (): never => {
    throw new WrongValue(`expected ${wanted(type, naming)}, but got ${shown(json)}`);
  };
  switch (type.kind) {
    case "bool":
      return typeof json === "boolean" ? json : wrong();
    case "int":
      return typeof json === "number" && Number.isSafeInteger(json) && json >= type.low && json <= type.high
        ? json + 0
        : wrong();
    case "num":
      return typeof json === "number" && Number.isFinite(json) ? json + 0 : wrong();
    case "text":
      if (typeof json === "string" && !isWellFormed(json))
        throw new WrongValue("a text holds half of a character (a lone surrogate), which no file can hold");
      return typeof json === "string" && (type.max === undefined || [...json].length <= type.max) ? json : wrong();
    case "seat": {
      const seat = naming.seats.indexOf(json as string);
      return seat >= 0 ? seat : wrong();
    }
    case "enum": {
      const member = type.members.indexOf(json as string);
      return member >= 0 ? member : wrong();
    }
    case "cell": {
      const { x, y } = objectOf(json, wrong);
      return isCoordinate(x) && isCoordinate(y) ? x + y * CELL_STRIDE : wrong();
    }
    case "maybe":
      return json === null || json === undefined ? null : fromJson(type.of, json, naming);
    case "record": {
      const object = objectOf(json, wrong);
      for (const key of Object.keys(object)) if (!type.fields.some((f) => f.name === key)) wrong();
      return new Box(
        0,
        type.fields.map((field) => fromJson(field.type, own(object, field.name), naming)),
      );
    }
    case "list": {
      if (!Array.isArray(json) || (type.max !== undefined && json.length > type.max)) return wrong();
      return new Box(
        0,
        json.map((part) => fromJson(type.of, part, naming)),
      );
    }
    case "perSeat": {
      const object = objectOf(json, wrong);
      return new Box(
        0,
        naming.seats.map((seat) => fromJson(type.of, own(object, seat), naming)),
      );
    }
    case "map": {
      const entries = Object.entries(objectOf(json, wrong)).map(
        ([key, value]) => [fromKeyText(type.key, key, naming), fromJson(type.value, value, naming)] as const,
      );
      entries.sort((a, b) => compareKeys(a[0], b[0]));
      return new Box(0, entries.flat());
    }
    case "grid": {
      if (!Array.isArray(json) || json.length !== type.height) return wrong();
      const parts = json.flatMap((row) =>
        Array.isArray(row) && row.length === type.width ? row.map((part) => fromJson(type.of, part, naming)) : wrong(),
      );
      return new Box(0, parts);
    }
    default:
      return wrong();
  }
}

function fromKeyText(type: Type, key: string, naming: Naming): unknown {
  if (type.kind === "int") return fromJson(type, key.trim() === "" ? Number.NaN : Number(key), naming);
  if (type.kind === "bool") return fromJson(type, key === "true" ? true : key === "false" ? false : key, naming);
  if (type.kind === "cell") {
    const [x, y] = key.split(",").map(Number);
    return fromJson(type, { x, y }, naming);
  }
  return fromJson(type, key, naming);
}

/** The order of map keys: numbers (and seats, members, cells) by size, texts by their UTF-16 units. */
export function compareKeys(a: unknown, b: unknown): number {
  return (a as number) < (b as number) ? -1 : a === b ? 0 : 1;
}

function objectOf(json: unknown, wrong: () => never): Record<string, unknown> {
  return json !== null && typeof json === "object" && !Array.isArray(json)
    ? (json as Record<string, unknown>)
    : wrong();
}

function own(object: Record<string, unknown>, key: string): unknown {
  return Object.hasOwn(object, key) ? object[key] : undefined;
}

function isCoordinate(n: unknown): n is number {
  return typeof n === "number" && Number.isInteger(n) && n >= 0 && n < CELL_STRIDE;
}

function wanted(type: Type, naming: Naming): string {
  if (type.kind === "seat") return `a seat (${naming.seats.join(", ")})`;
  if (type.kind === "enum") return `one of ${(type as EnumType).members.join(", ")}`;
  return describe(type);
}

function shown(json: unknown): string {
  if (json === undefined) return "nothing";
  const text = JSON.stringify(json) ?? String(json);
  return text.length > 60 ? `${text.slice(0, 57)}...` : text;
}

/** A value as people read it in notes and reasons. */
export function toText(type: Type, value: unknown, naming: Naming): string {
  switch (type.kind) {
    case "maybe":
      return value === null ? "none" : toText(type.of, value, naming);
    case "list":
      return (value as Box).parts.map((part) => toText(type.of, part, naming)).join(", ");
    case "cell":
      return `${(value as number) % CELL_STRIDE},${Math.floor((value as number) / CELL_STRIDE)}`;
    case "record":
      return type.fields.map((field, i) => toText(field.type, (value as Box).parts[i], naming)).join(" ");
    case "map":
    case "perSeat":
    case "grid":
      return JSON.stringify(toJson(type, value, naming));
    case "bool":
      return value ? "yes" : "no";
    default:
      return String(toJson(type, value, naming));
  }
}

/** The number of a seat by its name; -1 when there is none. */
export function seatNumber(names: readonly string[], name: unknown): number {
  for (let i = 0; i < names.length; i++) if (names[i] === name) return i;
  return -1;
}

/** True for a cell as JSON has it: `{"x": 3, "y": 1}`. */
export function isCell(value: Json): value is { readonly x: number; readonly y: number } {
  return (
    value !== null &&
    typeof value === "object" &&
    !Array.isArray(value) &&
    Object.keys(value).length === 2 &&
    "x" in value &&
    "y" in value
  );
}
