/**
 * What closures and generated code both call at run time: the checks that make a mistake of the machine a fault,
 * and the words of those faults. One copy, so that both ways of running fail alike.
 */

import { type IntType, MAX_INT, type Type } from "../../check/types.js";
import type { Expr } from "../../check/machine.js";
import type { Span } from "../../language/source.js";
import type { Memory } from "../situation/memory.js";
import { type Box, CELL_SHIFT, CELL_STRIDE, sameValue, share, sizeOf } from "../values/box.js";
import { Fault } from "../values/fault.js";
import { compareKeys, type Naming, toText } from "../values/json.js";

/** What a list without a written bound holds at most. */
export const MAX_LIST = 100_000;
/** Longest list that a range may become. */
const MAX_RANGE = 100_000;
/** The longest text that is put together. */
const MAX_TEXT = 100_000;

// ---- numbers -----------------------------------------------------------------------------------

/** Keeps a number within the bounds of its type; undefined for types that have none. */
export function clamp(type: Type): ((value: number) => number) | undefined {
  if (type.kind !== "int" || (type.low === -MAX_INT && type.high === MAX_INT)) return undefined;
  const { low, high } = type;
  return (value) => (value < low ? low : value > high ? high : value);
}

/** True for ints that arithmetic can bring beyond the exact whole numbers. */
export function mayOverflow(type: Type): boolean {
  return (type as IntType).low <= -MAX_INT || (type as IntType).high >= MAX_INT;
}

export function checkedInt(value: number, at: Span): number {
  if (value > MAX_INT || value < -MAX_INT)
    throw new Fault("outOfRange", at, `${value} is beyond the exact whole numbers.`);
  return value;
}

export function checkedNum(value: number, at: Span): number {
  if (!Number.isFinite(value))
    throw new Fault("outOfRange", at, `This comes to ${value}, which is no number to go on with.`);
  return value + 0;
}

/** A divisor that is not 0. */
export function checkedDivisor(divisor: number, at: Span): number {
  if (divisor === 0) throw new Fault("divisionByZero", at, "This divides by zero.");
  return divisor;
}

/** The remainder with the sign of the divisor. */
export function modulo(value: number, divisor: number, at: Span): number {
  if (divisor === 0) throw new Fault("divisionByZero", at, "This takes the remainder of a division by zero.");
  return value - divisor * Math.floor(value / divisor) + 0;
}

// ---- values ------------------------------------------------------------------------------------

/** A value that is not none. */
export function checkedValue(value: unknown, at: Span): unknown {
  if (value === null) throw new Fault("noneUsed", at, "This is none here, and a value is needed.");
  return value;
}

/** A text that is not longer than one may be that is put together. */
export function checkedText(text: string, at: Span): string {
  if (text.length > MAX_TEXT) throw new Fault("textTooLong", at, `This text is longer than ${MAX_TEXT} characters.`);
  return text;
}

/** The cell at some coordinates. */
export function checkedCell(x: number, y: number, at: Span): number {
  if (x < 0 || y < 0 || x >= CELL_STRIDE || y >= CELL_STRIDE)
    throw new Fault("notACell", at, `There is no cell ${x},${y}.`);
  return x + y * CELL_STRIDE;
}

/** Pays for the whole numbers from one to another, which are not made into a list. */
export function paidRange(memory: Memory, low: number, high: number, at: Span): void {
  testRange(low, high, at);
  memory.charge(Math.max(0, high - low + 1), at);
}

function testRange(low: number, high: number, at: Span): void {
  if (high - low >= MAX_RANGE)
    throw new Fault("outOfRange", at, `The range ${low}..${high} is longer than ${MAX_RANGE}.`);
}

/** The whole numbers from one to another, both included. */
export function rangeOf(low: number, high: number, at: Span): number[] {
  testRange(low, high, at);
  const items: number[] = [];
  for (let i = low; i <= high; i++) items.push(i);
  return items;
}

// ---- lists and maps ----------------------------------------------------------------------------

/** Whether it is asked if a number is an index of a list: the list of indices is never made, nor paid for. */
export function isIndices(value: Expr, among: Expr): among is Expr & { kind: "listProperty" } {
  return value.type.kind === "int" && among.kind === "listProperty" && among.property === "indices";
}

/** Whether a list holds a value, paid by what the list holds. */
export function contains(memory: Memory, list: Box, value: unknown, at: Span): boolean {
  memory.charge(typeof value === "object" ? sizeOf(list) : list.parts.length, at);
  for (const item of list.parts) if (sameValue(item, value)) return true;
  return false;
}

/** The parts of a list that has a first and a last. @param property what of it was asked for */
export function filled(parts: readonly unknown[], property: string, at: Span): readonly unknown[] {
  if (parts.length === 0) throw new Fault("missingIndex", at, `This list is empty, so it has no ${property}.`);
  return parts;
}

/** An index that lies in a list, or, with `most` the list's size, at its end. */
export function checkedIndex(parts: readonly unknown[], index: number, most: number, at: Span): number {
  if (index < 0 || index > most)
    throw new Fault(
      "missingIndex",
      at,
      `The list has ${parts.length === 0 ? "no elements" : `elements 0 to ${parts.length - 1}`}, so there is no ` +
        `[${index}].`,
    );
  return index;
}

/** The element of a list. A missing one is a fault. */
export function listElement(parts: readonly unknown[], index: number, at: Span): unknown {
  if (index < 0 || index >= parts.length) checkedIndex(parts, index, parts.length - 1, at);
  return parts[index];
}

/** A seat that is named, by its number. One that does not sit down in the match is a fault. */
export function seatedOne({ machine, seats }: Memory, seat: number, at: Span): number {
  if (seat < seats.length) return seat;
  throw new Fault("missingIndex", at, `${machine.seats.names[seat]} does not sit down in this match.`);
}

/** Takes an element out of a list that is the step's own. */
export function takenFrom(list: Box, first: boolean, at: Span): unknown {
  if (list.parts.length === 0) throw new Fault("missingIndex", at, "There is nothing left in this list to take.");
  return share(first ? list.parts.shift() : list.parts.pop());
}

/** The elements to pick one of. */
export function pickable(parts: readonly unknown[], at: Span): readonly unknown[] {
  if (parts.length === 0) throw new Fault("emptyPick", at, "This picks from an empty list.");
  return parts;
}

/** There is nothing that `minBy` or `maxBy` could give. */
export function nothingToPick(e: Expr & { kind: "binder" }): never {
  throw new Fault("emptyPick", e, `There is nothing to take the ${e.word === "minBy" ? "least" : "greatest"} of.`);
}

/** A size that a list may have. */
export function checkedSize(size: number, most: number, at: Span): void {
  if (size > most) throw new Fault("listFull", at, `This list holds at most ${most}, and would get ${size}.`);
}

/** Appends to a list without a written bound. */
export function pushed(parts: unknown[], value: unknown, at: Span): void {
  checkedSize(parts.push(value), MAX_LIST, at);
}

/** The slot of a key's entry in a map's parts, or the complement of where it would go. */
export function mapSlot(parts: readonly unknown[], key: unknown): number {
  let low = 0;
  let high = parts.length / 2;
  while (low < high) {
    const middle = (low + high) >> 1;
    const order = compareKeys(parts[middle * 2], key);
    if (order === 0) return middle * 2;
    if (order < 0) low = middle + 1;
    else high = middle;
  }
  return ~(low * 2);
}

/** Where the element of a cell stands in a grid, row by row. */
export function placeOf(cell: number, width: number, height: number, at: Span): number {
  const x = cell & (CELL_STRIDE - 1);
  const y = cell >>> CELL_SHIFT;
  if (x >= width || y >= height)
    throw new Fault("notACell", at, `The cell ${x},${y} is outside the grid of ${width} by ${height}.`);
  return y * width + x;
}

/** The same for the cell at some coordinates, which is made only to say what is wrong with it. */
export function placeAt(x: number, y: number, width: number, height: number, cell: Span, at: Span): number {
  if (x >= 0 && y >= 0 && x < width && y < height) return y * width + x;
  return placeOf(checkedCell(x, y, cell), width, height, at);
}

/** How the slot of an element is found from its key. A missing element is a fault. */
export function slotFinder(of: Type, at: Span, naming: Naming): (parts: readonly unknown[], key: unknown) => number {
  switch (of.kind) {
    case "map":
      return (parts, key) => {
        const slot = mapSlot(parts, key);
        if (slot < 0) throw new Fault("missingKey", at, `The map has no entry for ${toText(of.key, key, naming)}.`);
        return slot + 1;
      };
    case "grid": {
      const { width, height } = of;
      return (_, key) => placeOf(key as number, width, height, at);
    }
    case "list":
      return (parts, key) => checkedIndex(parts, key as number, parts.length - 1, at);
    default:
      return (_, key) => key as number;
  }
}

// ---- what is paid --------------------------------------------------------------------------------

/** How many elements count as gone through when so many are sorted: each as often as their number has binary digits. */
export function sortingCost(count: number): number {
  return count * (32 - Math.clz32(count));
}

/** Values that nothing else can hold yet. */
export function isFresh(e: Expr): boolean {
  return (
    e.kind === "list" ||
    e.kind === "record" ||
    e.kind === "take" ||
    (e.kind === "binder" && e.word !== "minBy" && e.word !== "maxBy")
  );
}

/** Whether two values are equal, paid by what one of them holds. */
export function sameCharged(memory: Memory, a: unknown, b: unknown, at: Span): boolean {
  memory.charge(sizeOf(a), at);
  return sameValue(a, b);
}

/** Texts up to this long are compared for nothing. */
const SHORT_TEXT = 64;

/** True for a comparison of texts that can be long. */
export function comparesTexts(left: Type, right: Type): boolean {
  return left.kind === "text" && right.kind === "text" && (left.max ?? SHORT_TEXT + 1) > SHORT_TEXT;
}

/** Lists of seats are short, and never changed in place. */
export function isSeatList(e: Expr): boolean {
  return e.kind === "seats" || e.kind === "inPlay" || e.kind === "seated";
}
