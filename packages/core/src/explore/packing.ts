/**
 * How the values of a situation become numbers of a few bits, and back: what each place holds, and where its number
 * stands among the words of a packed situation.
 */

import type { Type } from "../check/types.js";
import { Box, share } from "../engine/values/box.js";

/** There are more different values somewhere than can be numbered. */
export class TooManyValues extends Error {}

/** A number does not fit any more where it is to stand; the situation can be packed once that has been widened. */
export class TooNarrow extends Error {
  constructor(readonly width: Width) {
    super("a field is too narrow");
  }
}

/** So many different values of one place can be numbered, as a power of 2. */
const MOST_BITS = 22;
/** However many are expected, they begin with no more bits than this. */
const MOST_EXPECTED = 6;

/** How many bits some numbers take, wherever they stand. */
export class Width {
  bits: number;
  private readonly fields: Field[] = [];

  /** @param what the numbers stand for @param expected how many there may well be */
  constructor(
    readonly what: string,
    expected: number,
  ) {
    this.bits = Math.min(MOST_EXPECTED, bitsFor(expected));
  }

  /** A place for one of them. */
  field(): Field {
    const field = new Field(this.bits);
    this.fields.push(field);
    return field;
  }

  /** Makes room for a few times as many. */
  widen(): void {
    if (this.bits >= MOST_BITS)
      throw new TooManyValues(`${this.what} has more than ${2 ** MOST_BITS} different values`);
    this.bits += this.bits < 2 ? 1 : 2;
    for (const field of this.fields) field.widen(this.bits);
  }
}

/** Where a number stands: so many bits of a word. */
export class Field {
  word = 0;
  shift = 0;
  /** The bits of a number, at the word's end. */
  mask = 0;

  /** @param isScratch no situation is told from another by it: it stands behind the words that are packed */
  constructor(
    public bits: number,
    readonly isScratch = false,
  ) {
    this.widen(bits);
  }

  widen(bits: number): void {
    this.bits = bits;
    this.mask = bits === 32 ? -1 : (1 << bits) - 1;
  }

  read(words: Uint32Array, at: number): number {
    return (((words[at + this.word] as number) >>> this.shift) & this.mask) >>> 0;
  }

  /** Adds a number to words in which nothing stands there yet. */
  add(number: number, words: Uint32Array, at: number): void {
    const index = at + this.word;
    words[index] = (words[index] as number) | (number << this.shift);
  }
}

/**
 * Places fields in words, each in the first that has room; none goes over the end of one.
 *
 * @param from the number of the first word @returns how many words
 */
export function placed(fields: readonly Field[], from = 0): number {
  const used: number[] = [0];
  for (const field of fields) {
    let word = used.findIndex((bits) => bits + field.bits <= 32);
    if (word < 0) word = used.push(0) - 1;
    field.word = from + word;
    field.shift = used[word] as number;
    used[word] = field.shift + field.bits;
    // A number of no bits is 0 wherever it stands.
    if (field.shift === 32) field.shift = 0;
  }
  return used.length;
}

/** Values of one place that are numbered as they come. */
export class Pool<T> {
  readonly values: T[] = [];
  readonly width: Width;
  private readonly numbers = new Map<unknown, number>();
  /** What was asked for last, which mostly comes again. */
  private last: T | undefined;
  private lastNumber = 0;

  /**
   * @param what the values are of @param keyOf what tells a value from others: a number or a text
   * @param expected how many values there may well be
   */
  constructor(
    what: string,
    private readonly keyOf: (value: T) => unknown,
    expected = 1,
  ) {
    this.width = new Width(what, expected);
  }

  /** The number of a value, which from now on stands in many situations. @throws TooNarrow */
  number(value: T): number {
    if (value === this.last && value !== undefined) return this.lastNumber;
    const number = this.found(value);
    this.last = value;
    this.lastNumber = number;
    return number;
  }

  private found(value: T): number {
    // The values themselves come back mostly, and need not be looked into; a step's own box has just been made.
    if (typeof value === "object" && !(value instanceof Box && value.owner !== 0)) {
      const known = this.numbers.get(value);
      if (known !== undefined) return known;
    }
    const key = this.keyOf(value);
    return this.numbers.get(key) ?? this.added(key, value);
  }

  private added(key: unknown, value: T): number {
    const number = this.values.length;
    if (number >= 2 ** this.width.bits) throw new TooNarrow(this.width);
    this.values.push(share(value));
    this.numbers.set(key, number);
    if (typeof value === "object") this.numbers.set(value, number);
    return number;
  }
}

/** What a place holds. */
export type Packing =
  /** Always the same, as far as any rule can see: it is not packed. Of plain data that is told by their field. */
  | { readonly kind: "left"; readonly value: unknown }
  /** A number from `low` on, yes or no (0 or 1 then), or none of them, which is the number 0. */
  | { readonly kind: "whole" | "flag"; readonly low: number; readonly orNone: boolean; readonly field: Field }
  /** Numbered as values come. */
  | { readonly kind: "pool"; readonly pool: Pool<unknown>; readonly field: Field }
  /** Several in one. */
  | BoxPacking;

/** A box that always has the same number of parts. */
export interface BoxPacking {
  readonly kind: "box";
  readonly of: readonly Packing[];
  /** Holds them in the working memory: one that a step has given away is replaced. */
  box: Box;
}

/** What is said of a situation beside its data, as numbers. */
export interface Head {
  /** What is active, or the result. */
  rest: number;
  /** What its timers may have left. */
  zone: number;
  /** Who is seated. */
  seats: number;
  /** What was active before. */
  history: number;
  /** What was marked on the way. */
  marks: number;
}

export const HEAD = ["rest", "zone", "seats", "history", "marks"] as const satisfies readonly (keyof Head)[];

/** What is packed of a situation: its head, and the machine's data by the slots of the root. */
export interface Body {
  readonly head: { readonly [of in keyof Head]: Field };
  /** Who is ready in a `turn of each`. */
  readonly ready: readonly { readonly slot: number; readonly field: Field }[];
  /** Whether an arrow behind `enter` is still to be followed. */
  readonly pending: readonly { readonly slot: number; readonly field: Field }[];
  readonly data: readonly { readonly slot: number; readonly packing: Packing }[];
  /** The data of a state, while it is active. */
  readonly states: readonly { readonly slot: number; readonly there: Field; readonly packing: Packing }[];
}

/** Plain numbers, which steps of a search work on in their words; what stands in boxes while they do; or both. */
export type Part = "plain" | "boxed" | "all";

/** Whether one place, which is no box, belongs to a part. */
export function belongs({ kind }: Packing, part: Part): boolean {
  return part === "all" || (kind === "whole" || kind === "flag") === (part === "plain");
}

/** Whether something of a part stands in a place. */
export function holds(packing: Packing, part: Part): boolean {
  return packing.kind === "box" ? packing.of.some((inner) => holds(inner, part)) : belongs(packing, part);
}

/** All fields of a part of a packing, in order. */
export function fieldsOf(packing: Packing, part: Part = "all"): readonly Field[] {
  switch (packing.kind) {
    case "left":
      return [];
    case "box":
      return packing.of.flatMap((inner) => fieldsOf(inner, part));
    default:
      return belongs(packing, part) ? [packing.field] : [];
  }
}

/** The bits that fields take, word by word. */
export function bitsOf(fields: readonly Field[], width: number): Uint32Array {
  const bits = new Uint32Array(width);
  for (const { word, shift, mask } of fields) bits[word] = (bits[word] as number) | (mask << shift);
  return bits;
}

export function boxPacking(of: readonly Packing[]): BoxPacking {
  return { kind: "box", of, box: new Box(0, []) };
}

/** A number of a range of so many, or none of them. */
export function wholePacking(low: number, count: number, orNone: boolean, isScratch: boolean): Packing {
  return { kind: "whole", low, orNone, field: new Field(bitsFor(orNone ? count + 1 : count), isScratch) };
}

export function flagPacking(orNone: boolean, isScratch: boolean): Packing {
  return { kind: "flag", low: 0, orNone, field: new Field(orNone ? 2 : 1, isScratch) };
}

function bitsFor(count: number): number {
  return Math.max(0, Math.ceil(Math.log2(Math.max(1, count))));
}

// ---- pools ---------------------------------------------------------------------------------------

/** What tells the values of a type apart, as a number or a text. */
export function keyFor(type: Type): (value: unknown) => unknown {
  const numbering = type.kind === "list" ? numberingOf(type.of) : undefined;
  return numbering ? (value) => listKey((value as Box).parts, numbering) : contentKey;
}

/** A number from 0 on for each value of a type that has few. */
interface Numbering {
  readonly count: number;
  of(value: unknown): number;
}

/** As many as there are characters of a text. */
const MOST_NUMBERED = 65_536;

/** Undefined for types of many values. */
function numberingOf(type: Type): Numbering | undefined {
  switch (type.kind) {
    case "bool":
      return { count: 2, of: Number };
    case "seat":
      return { count: 64, of: Number };
    case "enum":
      return { count: type.members.length, of: Number };
    case "int": {
      const { low, high } = type;
      return high - low < MOST_NUMBERED ? { count: high - low + 1, of: (value) => (value as number) - low } : undefined;
    }
    case "maybe": {
      const inner = numberingOf(type.of);
      if (!inner || inner.count === MOST_NUMBERED) return undefined;
      return { count: inner.count + 1, of: (value) => (value === null ? 0 : inner.of(value) + 1) };
    }
    case "record":
      return recordNumbering(type.fields.map((field) => numberingOf(field.type)));
    default:
      return undefined;
  }
}

function recordNumbering(fields: readonly (Numbering | undefined)[]): Numbering | undefined {
  const count = fields.reduce((product, field) => product * (field?.count ?? Number.POSITIVE_INFINITY), 1);
  if (count > MOST_NUMBERED) return undefined;
  return {
    count,
    of: (value) => {
      const { parts } = value as Box;
      let number = 0;
      for (let i = 0; i < fields.length; i++) {
        const field = fields[i] as Numbering;
        number = number * field.count + field.of(parts[i]);
      }
      return number;
    },
  };
}

/** A list of such values: a short one as one number, a longer one as a text of one character for each. */
function listKey(parts: readonly unknown[], numbering: Numbering): number | string {
  let number = 1;
  for (const part of parts) {
    number = number * numbering.count + numbering.of(part);
    if (number > Number.MAX_SAFE_INTEGER / numbering.count) return textKey(parts, numbering);
  }
  return number;
}

function textKey(parts: readonly unknown[], numbering: Numbering): string {
  let text = "";
  for (const part of parts) text += String.fromCharCode(numbering.of(part));
  return text;
}

/** A value by its content. */
function contentKey(value: unknown): string {
  return value instanceof Box
    ? `[${value.parts.map(contentKey).join(",")}]`
    : typeof value === "string"
      ? JSON.stringify(value)
      : String(value);
}

// ---- packing and unpacking -----------------------------------------------------------------------

/** Adds the numbers of a value to words, or those of a part of it. @throws TooNarrow */
export function pack(packing: Packing, value: unknown, words: Uint32Array, part: Part): void {
  switch (packing.kind) {
    case "left":
      return;
    case "whole":
    case "flag": {
      if (part === "boxed") return;
      const { low, orNone, field } = packing;
      const number = value === null ? 0 : Number(value) - low + (orNone ? 1 : 0);
      field.add(number, words, 0);
      return;
    }
    case "pool":
      if (part !== "plain") packing.field.add(packing.pool.number(value), words, 0);
      return;
    case "box": {
      if (!holds(packing, part)) return;
      const { parts } = value as Box;
      for (let i = 0; i < packing.of.length; i++) pack(packing.of[i] as Packing, parts[i], words, part);
    }
  }
}

function plainValue(packing: Packing & { readonly kind: "whole" | "flag" }, words: Uint32Array): unknown {
  const { kind, low, orNone, field } = packing;
  const number = field.read(words, 0) - (orNone ? 1 : 0);
  return number < 0 ? null : kind === "flag" ? number === 1 : number + low;
}

/**
 * Puts what is packed into a slot of a box; of a box in which there is something of a part, that part.
 *
 * @param epoch who owns the boxes that hold it
 */
export function unpack(
  packing: Packing,
  words: Uint32Array,
  parts: unknown[],
  slot: number,
  epoch: number,
  part: "boxed" | "all",
): void {
  switch (packing.kind) {
    case "left":
      parts[slot] = packing.value;
      return;
    case "whole":
    case "flag":
      if (part === "all") parts[slot] = plainValue(packing, words);
      return;
    case "pool":
      parts[slot] = packing.pool.values[packing.field.read(words, 0)];
      return;
    case "box": {
      if (!holds(packing, part)) return;
      const box = owned(packing, epoch);
      parts[slot] = box;
      for (let i = 0; i < packing.of.length; i++) unpack(packing.of[i] as Packing, words, box.parts, i, epoch, part);
    }
  }
}

/** Puts the plain numbers of a place into the boxes that are there, which become the step's own. */
export function unpackPlain(packing: Packing, words: Uint32Array, parts: unknown[], slot: number, epoch: number): void {
  if (packing.kind === "whole" || packing.kind === "flag") parts[slot] = plainValue(packing, words);
  if (packing.kind !== "box" || !holds(packing, "plain")) return;
  let box = parts[slot] as Box | null;
  if (box?.owner !== epoch) parts[slot] = box = renewed(box, epoch, packing.of.length);
  for (let i = 0; i < packing.of.length; i++) unpackPlain(packing.of[i] as Packing, words, box.parts, i, epoch);
}

/** A copy of a box that somebody else owns; a new one of so many parts where there is none yet. */
export function renewed(box: Box | null, epoch: number, count: number): Box {
  return new Box(epoch, box ? box.parts.slice() : new Array<unknown>(count).fill(null));
}

/** The box of a packing, to be filled. */
export function owned(packing: BoxPacking, epoch: number): Box {
  if (packing.box.owner !== epoch) packing.box = new Box(epoch, new Array<unknown>(packing.of.length).fill(null));
  return packing.box;
}
