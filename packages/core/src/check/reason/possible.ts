/**
 * What values something may have: the abstract values that the checker reasons with.
 *
 * Numbers are intervals, truth values, seats and members of enumerations are sets in the bits of one
 * number, lists are a range of sizes and what any element may be. An abstract value stands for all the
 * concrete ones in it and may stand for more, never for fewer. The operations are those of abstract
 * interpretation (Cousot and Cousot 1977): join, meet and widening.
 */

import { type Field, MAX_INT, type Type } from "../types.js";

export interface NumberSet {
  readonly kind: "number";
  readonly low: number;
  readonly high: number;
}

/** Truth values (bit 0 false, bit 1 true), seats or members of an enumeration, one bit each. */
export interface ChoiceSet {
  readonly kind: "choice";
  readonly mask: number;
}

export interface ListSet {
  readonly kind: "list";
  /** The least and greatest size. */
  readonly least: number;
  readonly most: number;
  /** What any element may be; undefined when there is none. */
  readonly of: Possible | undefined;
  /** Every element by itself, when the size is known and small. */
  readonly items?: readonly Possible[];
}

export type Possible =
  | NumberSet
  | ChoiceSet
  | ListSet
  | { readonly kind: "maybe"; readonly none: boolean; readonly of: Possible | undefined }
  | { readonly kind: "map"; readonly least: number; readonly most: number; readonly of: Possible | undefined }
  | { readonly kind: "grid"; readonly of: Possible }
  | { readonly kind: "record"; readonly fields: readonly Possible[] }
  | { readonly kind: "perSeat"; readonly seats: readonly Possible[] }
  | { readonly kind: "cell"; readonly x: NumberSet; readonly y: NumberSet }
  /** Anything of the type: texts, and what is too deep to follow. */
  | { readonly kind: "any" };

export const ANY: Possible = { kind: "any" };
export const FALSE: ChoiceSet = { kind: "choice", mask: 1 };
export const TRUE: ChoiceSet = { kind: "choice", mask: 2 };
export const EITHER: ChoiceSet = { kind: "choice", mask: 3 };
export const NONE: Possible = { kind: "maybe", none: true, of: undefined };

/** Lists up to this size are followed element by element. */
const MAX_ITEMS = 16;
/** Types inside one another deeper than this are not followed. */
const MAX_DEPTH = 6;

export function between(low: number, high: number): NumberSet {
  return { kind: "number", low: Math.max(low, -MAX_INT), high: Math.min(high, MAX_INT) };
}

export function only(value: number): NumberSet {
  return between(value, value);
}

export function choice(mask: number): ChoiceSet {
  return { kind: "choice", mask };
}

export function truth(value: boolean): ChoiceSet {
  return value ? TRUE : FALSE;
}

export function listOfItems(items: readonly Possible[]): ListSet {
  const of = items.length === 0 ? undefined : items.reduce(join);
  return { kind: "list", least: items.length, most: items.length, of, ...(items.length <= MAX_ITEMS && { items }) };
}

export function listOfSize(least: number, most: number, of: Possible | undefined): ListSet {
  return { kind: "list", least, most: of === undefined ? 0 : most, of };
}

/** The one seat, member or truth value in a set; -1 when there are several or none. */
export function single(mask: number): number {
  return mask !== 0 && (mask & (mask - 1)) === 0 ? 31 - Math.clz32(mask) : -1;
}

/** The elements of a set of seats or members. */
export function bitsOf(mask: number): number[] {
  const bits: number[] = [];
  for (let rest = mask; rest !== 0; rest &= rest - 1) bits.push(31 - Math.clz32(rest & -rest));
  return bits;
}

// ---- from types --------------------------------------------------------------------------------

/** Every value of a type. */
export function anyOf(type: Type, seats: number, depth = 0): Possible {
  if (depth > MAX_DEPTH) return ANY;
  switch (type.kind) {
    case "bool":
      return EITHER;
    case "int":
      return between(type.low, type.high);
    case "num":
      return { kind: "number", low: -Number.MAX_VALUE, high: Number.MAX_VALUE };
    case "seat":
      return choice(2 ** seats - 1);
    case "enum":
      return type.members.length <= 30 ? choice(2 ** type.members.length - 1) : ANY;
    case "cell":
      return { kind: "cell", x: between(-MAX_INT, MAX_INT), y: between(-MAX_INT, MAX_INT) };
    case "record":
      return { kind: "record", fields: type.fields.map((f: Field) => anyOf(f.type, seats, depth + 1)) };
    case "perSeat": {
      const each = anyOf(type.of, seats, depth + 1);
      return { kind: "perSeat", seats: Array.from({ length: seats }, () => each) };
    }
    case "maybe":
      return { kind: "maybe", none: true, of: anyOf(type.of, seats, depth + 1) };
    case "list":
      return { kind: "list", least: 0, most: type.max ?? MAX_INT, of: anyOf(type.of, seats, depth + 1) };
    case "map":
      return { kind: "map", least: 0, most: MAX_INT, of: anyOf(type.value, seats, depth + 1) };
    case "grid":
      return { kind: "grid", of: anyOf(type.of, seats, depth + 1) };
    default:
      return ANY;
  }
}

/** The value a type has without being given one; seats and cells have none, so anything stands for it. */
export function defaultOf(
  type: Type,
  seats: number,
  initials: (record: string, field: number) => Possible | undefined,
  depth = 0,
): Possible {
  if (depth > MAX_DEPTH) return ANY;
  switch (type.kind) {
    case "bool":
      return FALSE;
    case "int":
      return only(type.low > 0 ? type.low : type.high < 0 ? type.high : 0);
    case "num":
      return only(0);
    case "enum":
      return type.members.length <= 30 ? choice(1) : ANY;
    case "record":
      return {
        kind: "record",
        fields: type.fields.map((f, i) => initials(type.name, i) ?? defaultOf(f.type, seats, initials, depth + 1)),
      };
    case "perSeat": {
      const each = defaultOf(type.of, seats, initials, depth + 1);
      return { kind: "perSeat", seats: Array.from({ length: seats }, () => each) };
    }
    case "maybe":
      return NONE;
    case "list":
      return listOfItems([]);
    case "map":
      return { kind: "map", least: 0, most: 0, of: undefined };
    case "grid":
      return { kind: "grid", of: defaultOf(type.of, seats, initials, depth + 1) };
    default:
      return anyOf(type, seats, depth);
  }
}

// ---- join, meet, widening ----------------------------------------------------------------------

/** Whatever is in either of the two. Gives one of its arguments back when that holds the other. */
export function join(a: Possible, b: Possible): Possible {
  return combine(a, b, joinNumbers);
}

function joinNumbers(a: NumberSet, b: NumberSet): NumberSet {
  if (a.low <= b.low && a.high >= b.high) return a;
  if (b.low <= a.low && b.high >= a.high) return b;
  return { kind: "number", low: Math.min(a.low, b.low), high: Math.max(a.high, b.high) };
}

/**
 * Like `join`, but bounds that still move jump to the next of `steps`, so that going round a loop comes
 * to an end.
 *
 * @param steps ascending
 */
export function widen(before: Possible, after: Possible, steps: readonly number[]): Possible {
  const numbers = (a: NumberSet, b: NumberSet): NumberSet => {
    const low = b.low >= a.low ? a.low : (lastAtMost(steps, b.low) ?? -Number.MAX_VALUE);
    const high = b.high <= a.high ? a.high : (firstAtLeast(steps, b.high) ?? Number.MAX_VALUE);
    return low === a.low && high === a.high ? a : { kind: "number", low, high };
  };
  return combine(before, after, numbers, (a, b) => numbers(only(a), only(b)));
}

function firstAtLeast(steps: readonly number[], value: number): number | undefined {
  let low = 0;
  let high = steps.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((steps[middle] as number) < value) low = middle + 1;
    else high = middle;
  }
  return steps[low];
}

function lastAtMost(steps: readonly number[], value: number): number | undefined {
  const at = firstAtLeast(steps, value);
  if (at === value) return at;
  const index = at === undefined ? steps.length : steps.indexOf(at);
  return steps[index - 1];
}

function combine(
  a: Possible,
  b: Possible,
  numbers: (a: NumberSet, b: NumberSet) => NumberSet,
  sizes?: (a: number, b: number) => NumberSet,
): Possible {
  if (a === b || a.kind === "any") return a;
  if (a.kind !== b.kind) return ANY;
  const both = (x: Possible, y: Possible): Possible => combine(x, y, numbers, sizes);
  const perhaps = (x: Possible | undefined, y: Possible | undefined): Possible | undefined =>
    x === undefined ? y : y === undefined ? x : both(x, y);
  const many = (xs: readonly Possible[], ys: readonly Possible[]): readonly Possible[] => {
    const joined = xs.map((x, i) => both(x, ys[i] as Possible));
    return joined.every((x, i) => x === xs[i]) ? xs : joined;
  };
  switch (a.kind) {
    case "number":
      return numbers(a, b as NumberSet);
    case "choice": {
      const mask = a.mask | (b as ChoiceSet).mask;
      return mask === a.mask ? a : mask === (b as ChoiceSet).mask ? b : choice(mask);
    }
    case "maybe": {
      const other = b as typeof a;
      const of = perhaps(a.of, other.of);
      const none = a.none || other.none;
      return of === a.of && none === a.none ? a : { kind: "maybe", none, of };
    }
    case "list": {
      const other = b as ListSet;
      const of = perhaps(a.of, other.of);
      const least = Math.min(a.least, other.least);
      const most =
        other.most <= a.most ? a.most : sizes ? Math.min(MAX_INT, sizes(a.most, other.most).high) : other.most;
      const items =
        a.items && other.items && a.items.length === other.items.length ? many(a.items, other.items) : undefined;
      if (of === a.of && least === a.least && most === a.most && items === a.items) return a;
      return { kind: "list", least, most, of, ...(items && { items }) };
    }
    case "map": {
      const other = b as typeof a;
      const of = perhaps(a.of, other.of);
      const least = Math.min(a.least, other.least);
      const most =
        other.most <= a.most ? a.most : sizes ? Math.min(MAX_INT, sizes(a.most, other.most).high) : other.most;
      return of === a.of && least === a.least && most === a.most ? a : { kind: "map", least, most, of };
    }
    case "grid": {
      const of = both(a.of, (b as typeof a).of);
      return of === a.of ? a : { kind: "grid", of };
    }
    case "record": {
      const fields = many(a.fields, (b as typeof a).fields);
      return fields === a.fields ? a : { kind: "record", fields };
    }
    case "perSeat": {
      const seats = many(a.seats, (b as typeof a).seats);
      return seats === a.seats ? a : { kind: "perSeat", seats };
    }
    case "cell": {
      const other = b as typeof a;
      const x = numbers(a.x, other.x);
      const y = numbers(a.y, other.y);
      return x === a.x && y === a.y ? a : { kind: "cell", x, y };
    }
  }
}

/** Whether everything in `b` is in `a`: joining them gives `a` back. */
export function contains(a: Possible, b: Possible): boolean {
  if (a === b || a.kind === "any") return true;
  if (a.kind !== b.kind) return false;
  const all = (xs: readonly Possible[], ys: readonly Possible[]): boolean =>
    xs.every((x, i) => contains(x, ys[i] as Possible));
  const perhaps = (x: Possible | undefined, y: Possible | undefined): boolean =>
    y === undefined || (x !== undefined && contains(x, y));
  switch (a.kind) {
    case "number":
      return a.low <= (b as NumberSet).low && a.high >= (b as NumberSet).high;
    case "choice":
      return ((b as ChoiceSet).mask & ~a.mask) === 0;
    case "maybe":
      return (a.none || !(b as typeof a).none) && perhaps(a.of, (b as typeof a).of);
    case "list": {
      const { least, most, of, items } = b as ListSet;
      if (a.items && !(items?.length === a.items.length && all(a.items, items))) return false;
      return a.least <= least && a.most >= most && perhaps(a.of, of);
    }
    case "map": {
      const { least, most, of } = b as typeof a;
      return a.least <= least && a.most >= most && perhaps(a.of, of);
    }
    case "grid":
      return contains(a.of, (b as typeof a).of);
    case "record":
      return all(a.fields, (b as typeof a).fields);
    case "perSeat":
      return all(a.seats, (b as typeof a).seats);
    case "cell":
      return contains(a.x, (b as typeof a).x) && contains(a.y, (b as typeof a).y);
  }
}

/** What is in both; undefined when nothing is. */
export function meet(a: Possible, b: Possible): Possible | undefined {
  if (a === b || b.kind === "any") return a;
  if (a.kind === "any") return b;
  switch (a.kind) {
    case "number": {
      if (b.kind !== "number") return a;
      const low = Math.max(a.low, b.low);
      const high = Math.min(a.high, b.high);
      return low > high ? undefined : low === a.low && high === a.high ? a : { kind: "number", low, high };
    }
    case "choice": {
      const mask = b.kind === "choice" ? a.mask & b.mask : a.mask;
      return mask === 0 ? undefined : mask === a.mask ? a : choice(mask);
    }
    case "maybe": {
      if (b.kind !== "maybe") return a;
      const none = a.none && b.none;
      const of = a.of && b.of && meet(a.of, b.of);
      if (!none && !of) return undefined;
      return none === a.none && of === a.of ? a : { kind: "maybe", none, of };
    }
    case "list": {
      if (b.kind !== "list") return a;
      const of = a.of && b.of && meet(a.of, b.of);
      const least = Math.max(a.least, b.least);
      const most = of ? Math.min(a.most, b.most) : 0;
      if (least > most) return undefined;
      const items = a.items && least === most && a.items.length === least ? a.items : undefined;
      return of === a.of && least === a.least && most === a.most
        ? a
        : { kind: "list", least, most, of, ...(items && { items }) };
    }
    case "map": {
      if (b.kind !== "map") return a;
      const least = Math.max(a.least, b.least);
      const most = Math.min(a.most, b.most);
      return least > most ? undefined : { kind: "map", least, most, of: a.of };
    }
    case "record": {
      if (b.kind !== "record") return a;
      const fields = meetAll(a.fields, b.fields);
      return fields && (fields === a.fields ? a : { kind: "record", fields });
    }
    case "perSeat": {
      if (b.kind !== "perSeat") return a;
      const seats = meetAll(a.seats, b.seats);
      return seats && (seats === a.seats ? a : { kind: "perSeat", seats });
    }
    case "cell": {
      if (b.kind !== "cell") return a;
      const x = meet(a.x, b.x) as NumberSet | undefined;
      const y = meet(a.y, b.y) as NumberSet | undefined;
      return x && y && { kind: "cell", x, y };
    }
    default:
      return a;
  }
}

function meetAll(xs: readonly Possible[], ys: readonly Possible[]): readonly Possible[] | undefined {
  const met: Possible[] = [];
  for (const [i, x] of xs.entries()) {
    const both = meet(x, ys[i] as Possible);
    if (!both) return undefined;
    met.push(both);
  }
  return met.every((m, i) => m === xs[i]) ? xs : met;
}

/** True when `a` is one single value that can be told, so that two of them are surely equal. */
export function isSingle(a: Possible): boolean {
  switch (a.kind) {
    case "number":
      return a.low === a.high;
    case "choice":
      return single(a.mask) >= 0;
    case "maybe":
      return a.none ? a.of === undefined : a.of !== undefined && isSingle(a.of);
    case "cell":
      return isSingle(a.x) && isSingle(a.y);
    case "record":
      return a.fields.every(isSingle);
    default:
      return false;
  }
}
