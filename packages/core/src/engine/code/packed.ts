/**
 * The generated code of data that stand in words while a search takes steps. Whatever else looks at the data looks into
 * the boxes, into which they are put for that.
 */

import type { Expr, Location } from "../../check/machine.js";
import { someExpr } from "../../check/visit.js";
import { placeCode } from "./grid-code.js";
import type { Code, Generating } from "./generating.js";
import type { PackedData, Place } from "./packed-data.js";
import type { CodeScope } from "./scope.js";
import { bothTests, testCode, wordTest } from "./word-tests.js";

type Plain = Place & { readonly kind: "whole" | "flag" };

/** Some places of one kind, of which an index says which; without an index there is one. */
interface Found {
  readonly places: readonly Place[];
  readonly index: Code | undefined;
}

/** A part of each of some places. */
function fieldOf({ places, index }: Found, field: number): Found | undefined {
  const parts = places.flatMap((place) => (place.kind === "box" ? (place.of[field] ?? []) : []));
  return parts.length === places.length ? { places: parts, index } : undefined;
}

/** Which part of each of some places, code says: a number when it is known. */
function indexed(found: Found, key: Code): Found | undefined {
  if (/^\d+$/.test(key)) return fieldOf(found, Number(key));
  const { places, index } = found;
  const counts = new Set(places.map((place) => (place.kind === "box" ? place.of.length : 0)));
  const [count = 0] = counts;
  if (counts.size !== 1 || count === 0) return undefined;
  return {
    places: places.flatMap((place) => (place.kind === "box" ? place.of : [])),
    index: index === undefined ? key : `(${index} * ${count} + (${key}))`,
  };
}

/** Where an expression reads from, as far as that is a place of the machine's data. */
function foundIn(g: Generating, data: PackedData, e: Expr, scope: CodeScope): Found | undefined {
  if (e.kind === "data") {
    const place = data.places.get(e.slot);
    return place && { places: [place], index: undefined };
  }
  if (e.kind !== "field" && e.kind !== "index") return undefined;
  const of = foundIn(g, data, e.of, scope);
  if (!of) return undefined;
  if (e.kind === "field") return fieldOf(of, e.field);
  if (e.of.type.kind === "perSeat") return indexed(of, g.expression(e.key, scope));
  return e.of.type.kind === "grid" ? indexed(of, placeCode(g, e.key, e.of.type, e, scope)) : undefined;
}

/** Where a number of some places stands. */
interface Standing {
  readonly place: Plain;
  /** A variable that word and shift are made of, and what it is to be; undefined where they need none. */
  readonly index: { readonly name: Code; readonly code: Code } | undefined;
  readonly word: Code;
  readonly shift: Code;
}

/** A name, or a number. */
const PLAIN = /^\w+$/;

/** @returns undefined where it is no plain number */
function standing(g: Generating, { places, index }: Found): Standing | undefined {
  const [first] = places;
  if (!first || !isPlain(first)) return undefined;
  const place = first;
  if (!places.every((other): other is Plain => isPlain(other) && isAlike(other, place))) return undefined;
  if (index === undefined) return { place, index, word: String(place.field.word), shift: String(place.field.shift) };
  const at = PLAIN.test(index) ? index : g.variable();
  const of = (numbers: readonly number[]): Code => numberOf(g, numbers, at);
  return {
    place,
    index: at === index ? undefined : { name: at, code: index },
    word: of(places.map(({ field }) => field.word)),
    shift: of(places.map(({ field }) => field.shift)),
  };
}

/** One of some numbers, by an index: worked out where they follow each other evenly, else out of a table. */
function numberOf(g: Generating, numbers: readonly number[], at: Code): Code {
  const [first = 0, second = first] = numbers;
  const stride = second - first;
  if (!numbers.every((number, i) => number === first + i * stride))
    return `${g.keep(Uint16Array.from(numbers))}[${at}]`;
  if (stride === 0) return String(first);
  return `(${stride === 1 ? at : `${at} * ${stride}`}${plus(first)})`;
}

function isPlain(place: Place): place is Plain {
  return place.kind === "whole" || place.kind === "flag";
}

function isAlike(a: Plain, b: Plain): boolean {
  return a.kind === b.kind && a.low === b.low && a.orNone === b.orNone && a.field.bits === b.field.bits;
}

/** The number that stands there, as it is packed. */
function packedNumber(g: Generating, { place: { field }, word, shift }: Standing): Code {
  if (field.bits === 0) return "0";
  const code = g.wordCode(word);
  if (field.bits === 32) return code;
  return shift === "0" ? `(${code} & ${field.mask})` : `(${code} >>> ${shift} & ${field.mask})`;
}

/** The code of reading data; undefined for what is not read from the machine's data, or stands in boxes. */
export function packedRead(g: Generating, e: Expr, scope: CodeScope): Code | undefined {
  const data = g.hooks.packed;
  const found = data && foundIn(g, data, e, scope);
  if (!found) return undefined;
  const there = standing(g, found);
  if (!there) return undefined;
  const { place } = there;
  const number = packedNumber(g, there);
  const value = place.orNone
    ? `((n) => n === 0 ? null : ${place.kind === "flag" ? "n === 2" : `n${plus(place.low - 1)}`})(${number})`
    : place.kind === "flag"
      ? tested(g, there, "1")
      : place.low === 0
        ? number
        : `(${number}${plus(place.low)})`;
  return inside(there, value);
}

/** Whether the number that stands there, as it is packed, is one that code gives. */
function tested(g: Generating, there: Standing, wanted: Code): Code {
  const { word, shift, place } = there;
  const isOne = word === String(place.field.word) && shift === String(place.field.shift);
  const test = isOne ? wordTest(place.field, wanted) : undefined;
  if (!test) return `(${packedNumber(g, there)} === (${wanted}))`;
  const code = testCode(test, (number) => g.wordCode(number));
  g.tests.set(code, test);
  return code;
}

/** Two conditions of which both are to hold, the first of them first. */
export function bothCode(g: Generating, left: Code, right: Code): Code {
  const [a, b] = [g.tests.get(left), g.tests.get(right)];
  const both = a && b && bothTests(a, b);
  if (!both) return `(${left} && ${right})`;
  const code = testCode(both, (number) => g.wordCode(number));
  g.tests.set(code, both);
  return code;
}

function plus(number: number): Code {
  return number === 0 ? "" : ` ${number < 0 ? "-" : "+"} ${Math.abs(number)}`;
}

/** A value for which the index is worked out first, once. */
function inside({ index }: Standing, value: Code): Code {
  return index ? `((${index.name}) => ${value})(${index.code})` : value;
}

/** Whether data that may be none are none, without more being made of them; undefined for other data. */
export function packedIsNone(g: Generating, e: Expr, scope: CodeScope): Code | undefined {
  return compared(g, e, scope, () => "0");
}

/** Whether data that may be none are what is surely a number, worked out by code; undefined for other data. */
export function packedIs(g: Generating, e: Expr, number: Expr, code: Code, scope: CodeScope): Code | undefined {
  return compared(g, e, scope, ({ low }) => {
    // What is less than the least that can stand there is not to be taken for none.
    const isEnough = number.type.kind !== "int" || number.type.low >= low;
    return isEnough ? `${code}${plus(1 - low)}` : `Math.max(-1, ${code}${plus(1 - low)}) || -1`;
  });
}

function compared(g: Generating, e: Expr, scope: CodeScope, wanted: (place: Plain) => Code): Code | undefined {
  const data = g.hooks.packed;
  const found = data && foundIn(g, data, e, scope);
  const there = found && standing(g, found);
  if (!there?.place.orNone) return undefined;
  return inside(there, tested(g, there, wanted(there.place)));
}

/**
 * The box path of data, for what stands in boxes; whoever wants a whole of which parts stand in words has them put
 * there first.
 */
export function boxRead(g: Generating, e: Expr, scope: CodeScope): Code | undefined {
  const data = g.hooks.packed;
  const found = data && foundIn(g, data, e, scope);
  if (!found) return undefined;
  const path = boxPath(g, e, scope);
  return found.places.some(holdsPlain) ? `(${g.keep(data)}.toBoxes(), ${path})` : path;
}

function boxPath(g: Generating, e: Expr, scope: CodeScope): Code {
  if (e.kind === "field") return `${boxPath(g, e.of, scope)}.parts[${e.field}]`;
  if (e.kind === "index") {
    const of = boxPath(g, e.of, scope);
    return e.of.type.kind === "grid"
      ? `${of}.parts[${placeCode(g, e.key, e.of.type, e, scope)}]`
      : `${of}.parts[${g.expression(e.key, scope)}]`;
  }
  if (e.kind !== "data") throw new Error(`What is no data has no path: ${e.kind}.`);
  return `memory.root.parts[${e.slot}]`;
}

/** Whether something in a place stands in words. */
function holdsPlain(place: Place): boolean {
  return place.kind === "box" ? place.of.some(holdsPlain) : isPlain(place);
}

/** How a place is read and written as a variable. */
export interface Written {
  readonly setup: Code;
  /** The value that stands there. */
  readonly before: Code;
  /** Code that writes a value. */
  put(value: Code): Code;
}

/**
 * Where a statement writes to: a place in words, a whole of which parts stand in words, or what stands in boxes alone,
 * or is no data of the machine (undefined).
 */
export function packedTarget(g: Generating, target: Location, scope: CodeScope): Written | "whole" | undefined {
  const data = g.hooks.packed;
  if (!data || target.base.kind !== "data") return undefined;
  const place = data.places.get(target.base.slot);
  let found: Found | undefined = place && { places: [place], index: undefined };
  for (const step of target.path) {
    if (!found) break;
    if (step.kind === "field") found = fieldOf(found, step.field);
    else if (step.kind === "present") return found.places.some(holdsPlain) ? "whole" : undefined;
    else if (step.of.kind === "grid") found = indexed(found, placeCode(g, step.key, step.of, step.key, scope));
    else found = step.of.kind === "perSeat" ? indexed(found, g.expression(step.key, scope)) : undefined;
  }
  if (!found) return undefined;
  const there = standing(g, found);
  if (!there) return found.places.some(holdsPlain) ? "whole" : undefined;
  const {
    place: { kind, low, orNone, field },
    index,
    word,
    shift,
  } = there;
  const touched = g.machine.laws.length === 0 ? "" : `memory.touched |= ${1 << (target.base.slot & 31)};\n`;
  const number = packedNumber(g, there);
  const packed = (value: Code): Code => {
    if (kind === "flag") return orNone ? `(${value} === null ? 0 : ${value} ? 2 : 1)` : `(${value} ? 1 : 0)`;
    const from = orNone ? low - 1 : low;
    const plain = from === 0 ? value : `(${value}${plus(-from)})`;
    return orNone ? `(${value} === null ? 0 : ${plain})` : plain;
  };
  const moved = shift === "0" ? "" : ` << ${shift}`;
  return {
    setup: `${index ? `const ${index.name} = ${index.code};\n` : ""}${touched}`,
    before: kind === "flag" ? `(${number} === 1)` : low === 0 ? number : `(${number}${plus(low)})`,
    put: (value) =>
      field.bits === 0 ? "" : `W[${word}] = W[${word}] & ~(${field.mask}${moved}) | ${packed(value)}${moved};\n`,
  };
}

/** Code that lets closures look at data in boxes, and do what they do to them; nothing where none stand in words. */
export function throughBoxes(g: Generating, code: Code): Code {
  const data = g.hooks.packed;
  if (!data) return code;
  return `${g.keep(data)}.toBoxes();\n${code}${g.keep(data)}.fromBoxes();\n`;
}

/** An expression that runs as a closure, which looks into boxes. */
export function lookingIntoBoxes(g: Generating, e: Expr | undefined, code: Code): Code {
  const data = g.hooks.packed;
  if (!data || (e && !someExpr(e, ({ kind }) => LOOKS.has(kind)))) return code;
  return `(${g.keep(data)}.toBoxes(), ${code})`;
}

/** Expressions that may look at the machine's data. */
const LOOKS: ReadonlySet<Expr["kind"]> = new Set(["data", "call", "take", "canAct"]);
