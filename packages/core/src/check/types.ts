/** The types of values, and how they relate. */

/** A field of a record, of the machine's data or of a state's data. */
export interface Field {
  readonly name: string;
  readonly type: Type;
  readonly visibility: "public" | "private" | "hidden";
}

export type IntType = { readonly kind: "int"; readonly low: number; readonly high: number };
export type EnumType = { readonly kind: "enum"; readonly name: string; readonly members: readonly string[] };
/** Records are nominal: `fields` is filled in after all types are known, as types may name each other. */
export type RecordType = { readonly kind: "record"; readonly name: string; readonly fields: Field[] };
export type ListType = { readonly kind: "list"; readonly of: Type; readonly max?: number };
type MapType = { readonly kind: "map"; readonly key: Type; readonly value: Type };
export type GridType = { readonly kind: "grid"; readonly width: number; readonly height: number; readonly of: Type };
type SeatMapType = { readonly kind: "perSeat"; readonly of: Type };
type MaybeType = { readonly kind: "maybe"; readonly of: Type };

/**
 * A type. `unknown` is the type of what could not be checked: it fits everything, so that one mistake
 * is reported once. `nothing` is the element type of an empty list and the type of `none`.
 */
export type Type =
  | { readonly kind: "bool" | "num" | "seat" | "cell" | "unknown" | "nothing" }
  | { readonly kind: "text"; readonly max?: number }
  | IntType
  | EnumType
  | RecordType
  | ListType
  | MapType
  | GridType
  | SeatMapType
  | MaybeType;

export const BOOL: Type = { kind: "bool" };
export const NUM: Type = { kind: "num" };
export const TEXT: Type = { kind: "text" };
export const SEAT: Type = { kind: "seat" };
export const CELL: Type = { kind: "cell" };
export const UNKNOWN: Type = { kind: "unknown" };
export const NOTHING: Type = { kind: "nothing" };
export const MAX_INT = Number.MAX_SAFE_INTEGER;
export const INT: IntType = { kind: "int", low: -MAX_INT, high: MAX_INT };
export const NATURAL: IntType = { kind: "int", low: 0, high: MAX_INT };

export function intBetween(low: number, high: number): IntType {
  return { kind: "int", low: Math.max(low, -MAX_INT), high: Math.min(high, MAX_INT) };
}

export function listOf(of: Type): ListType {
  return { kind: "list", of };
}

/** True for values that are held in a box of their own (records, lists, maps, grids). */
export function isBoxed(type: Type): boolean {
  switch (type.kind) {
    case "record":
    case "list":
    case "map":
    case "grid":
    case "perSeat":
      return true;
    case "maybe":
      return isBoxed(type.of);
    default:
      return false;
  }
}

/** How a type is written. */
export function describe(type: Type): string {
  switch (type.kind) {
    case "int":
      return type.low === -MAX_INT && type.high === MAX_INT
        ? "int"
        : type.high === MAX_INT
          ? type.low === 0
            ? "int"
            : `int from ${type.low}`
          : `int ${type.low}..${type.high}`;
    case "text":
      return type.max === undefined ? "text" : `text max ${type.max}`;
    case "enum":
    case "record":
      return type.name;
    case "list":
      return type.of.kind === "nothing" ? "empty list" : `list of ${describe(type.of)}`;
    case "map":
      return `map of ${describe(type.key)} to ${describe(type.value)}`;
    case "grid":
      return `grid ${type.width} by ${type.height} of ${describe(type.of)}`;
    case "perSeat":
      return `per seat: ${describe(type.of)}`;
    case "maybe":
      return type.of.kind === "nothing" ? "none" : `${describe(type.of)}?`;
    case "nothing":
      return "nothing";
    case "unknown":
      return "something unknown";
    default:
      return type.kind;
  }
}

/** The kind of a type without its limits, for sentences such as "a text, not a number". */
export function describeKind(type: Type): string {
  return type.kind === "int" ? "int" : type.kind === "text" ? "text" : describe(type);
}

/**
 * True when a value of `from` can be put where `to` is wanted. Bounds do not matter: a bounded int stops at its bounds.
 */
export function fits(from: Type, to: Type): boolean {
  if (from.kind === "unknown" || to.kind === "unknown" || from.kind === "nothing") return true;
  if (to.kind === "maybe") return from.kind === "maybe" ? fits(from.of, to.of) : fits(from, to.of);
  switch (from.kind) {
    case "int":
      return to.kind === "int" || to.kind === "num";
    case "list":
      return to.kind === "list" && fits(from.of, to.of) && (from.of.kind !== "int" || to.of.kind !== "num");
    case "map":
      return to.kind === "map" && fits(from.key, to.key) && fits(from.value, to.value);
    case "grid":
      return to.kind === "grid" && from.width === to.width && from.height === to.height && fits(from.of, to.of);
    case "perSeat":
      return to.kind === "perSeat" && fits(from.of, to.of);
    case "enum":
    case "record":
      return to.kind === from.kind && to.name === from.name;
    default:
      return from.kind === to.kind;
  }
}

/** The type of "either of the two", or undefined when they have nothing in common. */
export function common(a: Type, b: Type): Type | undefined {
  if (a.kind === "unknown" || b.kind === "nothing") return a;
  if (b.kind === "unknown" || a.kind === "nothing") return b;
  if (a.kind === "int" && b.kind === "int") return intBetween(Math.min(a.low, b.low), Math.max(a.high, b.high));
  if (a.kind === "maybe" || b.kind === "maybe") {
    const of = common(a.kind === "maybe" ? a.of : a, b.kind === "maybe" ? b.of : b);
    return of && { kind: "maybe", of };
  }
  if (a.kind === "list" && b.kind === "list") {
    const of = common(a.of, b.of);
    return of && listOf(of);
  }
  if (a.kind === "text" && b.kind === "text") return TEXT;
  if (fits(a, b)) return b;
  if (fits(b, a)) return a;
  return undefined;
}

/** True for types whose values can be told apart with `<` and sorted. */
export function isOrdered(type: Type): boolean {
  return type.kind === "int" || type.kind === "num" || type.kind === "unknown";
}

/** The types right inside a type: of its fields, elements, keys and values. */
export function typesIn(type: Type): readonly Type[] {
  switch (type.kind) {
    case "record":
      return type.fields.map((field) => field.type);
    case "map":
      return [type.key, type.value];
    case "list":
    case "perSeat":
    case "grid":
    case "maybe":
      return [type.of];
    default:
      return [];
  }
}
