/** The generated code of expressions, by kind. A kind without an entry runs as its closure. */

import { seatAtTimes } from "../../check/seat-names.js";
import type { NumberFunctionName } from "../../check/builtins.js";
import type { Expr } from "../../check/machine.js";
import { costOf, isOpenEnded } from "../../check/size.js";
import { type GridType, isBoxed, MAX_INT, type Type } from "../../check/types.js";
import { PER_EFFECT } from "../../check/size.js";
import { ROLL_COST, SEAT_OUT } from "../situation/memory.js";
import { type Box, CELL_SHIFT, CELL_STRIDE } from "../values/box.js";
import type { Code, Generating } from "./generating.js";
import { isPlace, placeCode } from "./grid-code.js";
import { bothCode, boxRead, packedIs, packedIsNone, packedRead } from "./packed.js";
import type { CodeScope } from "./scope.js";
import { comparesTexts, isIndices, nothingToPick } from "./support.js";

/** Loops over more elements than this are not written out. */
const MOST_UNROLLED = 16;

/** A value that can be written down. */
export type Known = number | boolean | string | null;

type Of<K extends Expr["kind"]> = Expr & { readonly kind: K };

/** Gives undefined where the closure is to run after all. */
type Table = { readonly [K in Expr["kind"]]?: (g: Generating, e: Of<K>, scope: CodeScope) => Code | undefined };

/** The functions of numbers that can be written as they are: what they give needs no check. */
const INLINE: { readonly [N in NumberFunctionName]?: Code } = { min: "Math.min", max: "Math.max", abs: "Math.abs" };

const GENERATED: Table = {
  constant: (_, { value }) => literal(value),
  named: (g, e) => {
    const value = g.statements.expressions.constant(e.constant);
    return typeof value === "object" && value !== null ? g.keep(value) : literal(value as string | number | boolean);
  },
  unwrap: (g, e, scope) => `filledIn(${g.expression(e.of, scope)}, ${g.at(e)})`,
  local: (_, { slot }, scope) => scope.read(slot),
  data: (_, { slot }) => `memory.root.parts[${slot}]`,
  stateData: (_, { slot, field, of }) => (of === undefined ? `memory.root.parts[${slot}].parts[${field}]` : undefined),
  field: (g, e, scope) => `${g.expression(e.of, scope)}.parts[${e.field}]`,
  index: (g, e, scope) => {
    const seat = seatAtTimes(e);
    if (seat !== undefined) return `seated(memory, ${seat}, ${g.at(e)})`;
    if (e.of.type.kind === "perSeat") return `${g.expression(e.of, scope)}.parts[${g.expression(e.key, scope)}]`;
    if (e.of.type.kind === "grid") {
      const of = g.expression(e.of, scope);
      return `${of}.parts[${placeCode(g, e.key, e.of.type, e, scope)}]`;
    }
    if (e.of.type.kind !== "list") return undefined;
    return `element(${g.expression(e.of, scope)}.parts, ${g.expression(e.key, scope)}, ${g.at(e)})`;
  },
  if: (g, e, scope) =>
    `(${g.expression(e.test, scope)} ? ${g.expression(e.then, scope)} : ${g.expression(e.otherwise, scope)})`,
  call: (g, e, scope) => {
    const args = e.args.map((arg) => g.expression(arg, scope));
    return g.inlinedCall(e.function, args, scope) ?? `${g.functionCode(e.function)}(${args.join(", ")})`;
  },

  cell: (g, e, scope) => {
    const [x, y] = [g.expression(e.x, scope), g.expression(e.y, scope)];
    return isPlace(x) && isPlace(y) ? String(Number(x) + Number(y) * CELL_STRIDE) : `cell(${x}, ${y}, ${g.at(e)})`;
  },
  coordinate: (g, e, scope) =>
    `(${g.expression(e.of, scope)} ${e.axis === "x" ? `& ${CELL_STRIDE - 1}` : `>>> ${CELL_SHIFT}`})`,
  gridProperty: (g, e) => {
    const { width, height } = e.of.type as GridType;
    return e.property === "cells"
      ? g.keep(g.statements.expressions.compile(e)())
      : String(e.property === "width" ? width : height);
  },

  not: (g, e, scope) => `!(${g.expression(e.of, scope)})`,
  negate: (g, e, scope) => `(0 - ${g.expression(e.of, scope)})`,
  binary: (g, e, scope) => (e.op === "in" ? among(g, e, scope) : binary(g, e, scope)),
  numeric: (g, e, scope) => {
    const inline = INLINE[e.name];
    return inline && `${inline}(${e.args.map((arg) => g.expression(arg, scope)).join(", ")})`;
  },

  listProperty: (g, e, scope) => {
    if (e.property === "size") return `${g.expression(e.of, scope)}.parts.length`;
    if (e.property === "empty") return `(${g.expression(e.of, scope)}.parts.length === 0)`;
    if (e.property === "last") return `filled(${g.expression(e.of, scope)}.parts, "last", ${g.at(e)}).at(-1)`;
    if (e.property === "first") return `filled(${g.expression(e.of, scope)}.parts, "first", ${g.at(e)})[0]`;
    return undefined;
  },
  listHas: (g, e, scope) =>
    isBoxed(e.value.type)
      ? undefined
      : `has(memory, ${g.expression(e.of, scope)}, ${g.expression(e.value, scope)}, ${g.at(e)})`,
  list: (g, e, scope) => `new Box(memory.epoch, [${e.items.map((item) => g.storedCode(item, scope)).join(", ")}])`,
  take: (g, e, scope) => {
    const { setup, holder, slot } = g.location(e.target, scope);
    const first = e.method === "take";
    const paid = first ? `memory.charge(list.parts.length, ${g.at(e)}); ` : "";
    return (
      `(() => { ${setup}const list = own(${holder}, ${slot}, memory.epoch); ${paid}return ` +
      `taken(list, ${first}, ${g.at(e)}); })()`
    );
  },
  binder: (g, e, scope) => binder(g, e, scope),

  me: (_, _e, scope) => scope.me ?? "memory.me",
  seats: () => "memory.everySeat()",
  inPlay: () => "memory.inPlay()",
  seated: () => "memory.seated()",
  now: () => "memory.now",
  next: (g, e, scope) => `memory.nextSeat(${g.expression(e.seat, scope)}, ${g.at(e)})`,
  inState: (_, { state }, { configuration }) =>
    configuration ? String(configuration.active[state] === 1) : `(memory.configuration.active[${state}] === 1)`,

  roll: (g, e, scope) => {
    if (!e.whole || e.times || e.owner) return undefined;
    // Nobody looks and nothing is set by hand: the face alone.
    if (
      scope.configuration &&
      !g.hooks.isSearched &&
      e.low.kind === "constant" &&
      e.high.kind === "constant" &&
      isSmall(e.low.value, e.high.value)
    )
      return (
        `(memory.effects += ${ROLL_COST}, ${e.low.value} + ` +
        `face(memory.dice, ${e.stream}, ${Number(e.high.value) - Number(e.low.value) + 1}))`
      );
    return `memory.rollWhole(${e.stream}, ${g.expression(e.low, scope)}, ${g.expression(e.high, scope)}, ${g.at(e)})`;
  },
};

/** The code of an expression; undefined for what runs as its closure. */
export function expressionCode(g: Generating, e: Expr, scope: CodeScope): Code | undefined {
  // Data that stand in words are read there.
  const packed = packedRead(g, e, scope) ?? boxRead(g, e, scope);
  if (packed !== undefined) return packed;
  const generate = GENERATED[e.kind] as ((g: Generating, e: never, scope: CodeScope) => Code | undefined) | undefined;
  return generate?.(g, e as never, scope);
}

function binary(g: Generating, e: Of<"binary">, scope: CodeScope): Code | undefined {
  const { op } = e;
  const left = g.expression(e.left, scope);
  const right = g.expression(e.right, scope);
  switch (op) {
    case "mod":
      return `mod(${left}, ${right}, ${g.at(e)})`;
    case "and":
      return bothCode(g, left, right);
    case "or":
      return `(${left} || ${right})`;
    case "implies":
      return `(!${left} || ${right})`;
    case "==":
    case "!=": {
      const compound = isBoxed(e.left.type) || isBoxed(e.right.type) || comparesTexts(e.left.type, e.right.type);
      if (compound) return `${op === "==" ? "" : "!"}same(memory, ${left}, ${right}, ${g.at(e)})`;
      const packed = samePacked(g, e, [left, right], scope);
      if (packed !== undefined) return op === "==" ? packed : `!${packed}`;
      return sameNumber(e, op, left, right) ?? `(${left} ${op}= ${right})`;
    }
    case "<":
    case "<=":
    case ">":
    case ">=":
      return `(${left} ${op} ${right})`;
    case "/":
      return `num(${left} / divisor(${right}, ${g.at(e)}), ${g.at(e)})`;
    default: {
      const code = op === "*" ? `(${left} * ${right} + 0)` : `(${left} ${op} ${right})`;
      if (e.type.kind === "num") return `num(${code}, ${g.at(e)})`;
      const exact = e.type.kind === "int" && e.type.low > -MAX_INT && e.type.high < MAX_INT;
      return exact ? code : `int(${code}, ${g.at(e)})`;
    }
  }
}

/** A value that is read without doing anything, so that it may be read twice. */
const READ = /^-?[\w.[\]]+$/;

/**
 * Compares a number that may be none with a number: as numbers, for the host's compiler makes a call of a comparison
 * that has seen both. What may be a fault is not left out, even where there is none to compare it with.
 */
function sameNumber(e: Of<"binary">, op: "==" | "!=", left: Code, right: Code): Code | undefined {
  const { left: a, right: b } = e;
  for (const [one, other, maybe, number] of [
    [a, b, left, right],
    [b, a, right, left],
  ] as const)
    if (
      one.type.kind === "maybe" &&
      isNumbered(one.type.of) &&
      isNumbered(other.type) &&
      READ.test(maybe) &&
      READ.test(number)
    )
      return op === "=="
        ? `(${maybe} !== null && ${maybe} === ${number})`
        : `(${maybe} === null || ${maybe} !== ${number})`;
  return undefined;
}

/** Compares data that may be none, and stand in words, with none or with a number. */
function samePacked(g: Generating, e: Of<"binary">, codes: readonly [Code, Code], scope: CodeScope): Code | undefined {
  for (const [data, other, code] of [
    [e.left, e.right, codes[1]],
    [e.right, e.left, codes[0]],
  ] as const) {
    if (data.type.kind !== "maybe") continue;
    const packed =
      other.kind === "constant" && other.value === null
        ? packedIsNone(g, data, scope)
        : isNumbered(other.type) && isNumbered(data.type.of)
          ? packedIs(g, data, other, code, scope)
          : undefined;
    if (packed !== undefined) return packed;
  }
  return undefined;
}

/** Whether the values of a type are small whole numbers. */
function isNumbered({ kind }: Type): boolean {
  return kind === "seat" || kind === "enum" || kind === "int" || kind === "cell";
}

function among(g: Generating, e: Of<"binary">, scope: CodeScope): Code | undefined {
  const { left, right } = e;
  const within = inRange(g, left, right, scope);
  if (within !== undefined) return within;
  if (right.kind === "inPlay" && left.kind === "local")
    return `(memory.seats[${g.expression(left, scope)}] !== ${SEAT_OUT})`;
  // The left side is computed first, as everywhere.
  const v = g.variable();
  if (isIndices(left, right))
    return (
      `((${v}) => ${v} >= 0 && ${v} < ${g.expression(right.of, scope)}` + `.parts.length)(${g.expression(left, scope)})`
    );
  if (right.type.kind !== "list" || right.kind === "range" || isBoxed(left.type)) return undefined;
  return `((${v}) => has(memory, ${g.expression(right, scope)}, ${v}, ${g.at(e)}))(${g.expression(left, scope)})`;
}

/** Whether a value that is at hand is in a range or among a list's indices. */
function inRange(g: Generating, value: Expr, list: Expr, scope: CodeScope): Code | undefined {
  if (value.kind !== "local" || value.type.kind !== "int") return undefined;
  const number = g.expression(value, scope);
  if (isIndices(value, list)) return `(${number} >= 0 && ${number} < ${g.expression(list.of, scope)}.parts.length)`;
  if (list.kind === "range" && list.low.kind === "constant" && list.high.kind === "constant")
    return `(${number} >= ${list.low.value} && ${number} <= ${list.high.value})`;
  return undefined;
}

function isSmall(low: unknown, high: unknown): boolean {
  return typeof low === "number" && typeof high === "number" && low <= high && high - low < 2 ** 31;
}

/** The elements of a list that is known already and has no more than so many: numbers, cells, what is written down. */
export function knownItems({ statements }: Generating, e: Expr, most = MOST_UNROLLED): readonly Known[] | undefined {
  let items: readonly unknown[] | undefined;
  if (e.kind === "range") {
    if (e.low.kind !== "constant" || e.high.kind !== "constant") return undefined;
    const [low, high] = [Number(e.low.value), Number(e.high.value)];
    if (high - low < most) items = Array.from({ length: Math.max(0, high - low + 1) }, (_, i) => low + i);
  } else if (e.type.kind === "list" && !isBoxed(e.type.of)) {
    if (e.kind === "gridProperty") items = (statements.expressions.compile(e)() as Box).parts;
    else if (e.kind === "named") items = (statements.expressions.constant(e.constant) as Box).parts;
    else if (e.kind === "list" && e.items.every((item) => item.kind === "constant"))
      items = e.items.map((item) => (item.kind === "constant" ? item.value : null));
  }
  return items && items.length <= most ? (items as readonly Known[]) : undefined;
}

/** Binders over a few elements that are known: each by itself, with the element in its place. */
function unrolled(g: Generating, e: Of<"binder">, scope: CodeScope): Code | undefined {
  const { word, source, where, body } = e;
  if (word !== "any" && word !== "all" && word !== "count" && word !== "sum") return undefined;
  const items = knownItems(g, source);
  if (!items || items.length === 0) return undefined;
  for (const part of [where, body]) if (part && !g.takesOn(part, items.length)) return undefined;
  const cost = 1 + costOf(where, body);
  const each = items.map((item) => {
    const inner = scope.inside();
    inner.set(e.slot, literal(item));
    const test = where && g.expression(where, inner);
    const value = body && g.expression(body, inner);
    const first = g.paid(cost, e, scope);
    const paid = first === undefined ? "" : `${first}, `;
    if (word === "count" || word === "sum") return `((${paid}${test ?? "true"}) ? ${word === "sum" ? value : 1} : 0)`;
    if (test === undefined) return paid === "" ? (value ?? "true") : `(${paid}${value})`;
    return word === "any" ? `(${paid}(${test}) && ${value})` : `(${paid}!(${test}) || ${value})`;
  });
  const listed =
    source.kind === "range" && items.length >= PER_EFFECT ? `memory.charge(${items.length}, ${g.at(source)}), ` : "";
  const joined =
    word === "all" && listed === ""
      ? each.reduce((before, test) => bothCode(g, before, test))
      : `(${listed}${each.join(JOINED[word])})`;
  return word === "sum" ? `${e.type.kind === "num" ? "num" : "int"}(${joined}, ${g.at(e)})` : joined;
}

/** What stands between the elements of a binder that are written out. */
const JOINED = { any: " || ", all: " && ", count: " + ", sum: " + " } as const;

/** The common binders over lists; the rest run as closures. */
function binder(g: Generating, e: Of<"binder">, scope: CodeScope): Code | undefined {
  if (e.source.type.kind !== "list" || e.ties === "byLot") return undefined;
  const written = unrolled(g, e, scope);
  if (written !== undefined) return written;
  const { source: of } = e;
  // Numbers one after the other need no list.
  const range = of.kind === "range" ? [g.expression(of.low, scope), g.expression(of.high, scope)] : undefined;
  const source = range ?? [`${g.expression(of, scope)}.parts`];
  const inner = scope.inside();
  const item = inner.add(e.slot);
  const plain = !isBoxed(e.source.type.of);
  const where = e.where && g.repeated(() => g.expression(e.where as Expr, inner));
  const spend = g.spent(e, e.source, 1 + costOf(e.where, e.body), scope);
  const guard = where === undefined ? "" : `if (!(${where})) continue; `;
  const body = e.body && g.repeated(() => g.expression(e.body as Expr, inner));
  // A function of its own, made once, that is handed what it uses from around.
  const names = [...scope.variables(), ...(scope.me === undefined ? [] : [scope.me])];
  const around = [...new Set(names)];
  const apart = (code: Code): Code =>
    `${g.keep(g.build(`(${[...(range ? ["low", "high"] : ["list"]), ...around].join(", ")}) => { ${code} }`))}` +
    `(${[...source, ...around].join(", ")})`;
  const loop = (before: Code, each: Code, after: Code): Code =>
    apart(
      range
        ? `ranged(memory, low, high, ${g.at(of)}); ${before}for (let ${item} = low; ${item} <= high; ${item}++) ` +
            `{ ${spend}${guard}${each} } ${after}`
        : `${before}for (let i = 0; i < list.length; i++) { const ${item} = list[i]; ` +
            `${spend}${guard}${each} } ${after}`,
    );
  const kept = plain ? item : keptCode(g, e, e.source.type.of, item);
  const ordered = `memory.charge(sorting(kept.length), ${g.at(e)}); return new Box(memory.epoch, sorted(kept, keys));`;
  switch (e.word) {
    case "any":
      return loop("", `if (${body}) return true;`, "return false;");
    case "all":
      return loop("", `if (!(${body})) return false;`, "return true;");
    case "count":
      return loop("let n = 0; ", "n++;", "return n;");
    case "sum":
      return loop("let n = 0; ", `n += ${body};`, `return ${e.type.kind === "num" ? "num" : "int"}(n, ${g.at(e)});`);
    case "filter":
      return loop("const kept = []; ", `kept.push(${kept});`, "return new Box(memory.epoch, kept);");
    case "map":
      return loop(
        "const kept = []; ",
        `kept.push(${e.body ? keptCode(g, e, e.body.type, body as Code) : ""});`,
        "return new Box(memory.epoch, kept);",
      );
    case "sort":
    case "sortDown": {
      const key = `${e.word === "sort" ? "" : "-"}(${body})`;
      if (plain && guard === "" && !range)
        return apart(
          `const kept = list.slice(), keys = []; for (let i = 0; i < kept.length; i++) { const ${item} = ` +
            `kept[i]; ${spend}keys[i] = ${key}; } ${ordered}`,
        );
      return loop("const kept = [], keys = []; ", `kept.push(${kept}); keys.push(${key});`, ordered);
    }
    case "minBy":
    case "maxBy":
      if (!plain) return undefined;
      return loop(
        "let best, least, none = true; ",
        `const key = ${e.word === "minBy" ? "" : "-"}(${body}); ` +
          `if (none || key < least) { best = ${item}; least = key; none = false; }`,
        `if (none) ${g.keep(() => nothingToPick(e))}(); return best;`,
      );
    default:
      return undefined;
  }
}

/** An element that goes into a list: one that can be of any size is paid for. */
function keptCode(g: Generating, e: Of<"binder">, type: Type, item: Code): Code {
  if (!isBoxed(type)) return item;
  return isOpenEnded(type) ? `memory.kept(${item}, ${g.at(e)})` : `share(${item})`;
}

export function literal(value: Known): Code {
  if (typeof value === "number") return value < 0 || Object.is(value, -0) ? `(${value + 0})` : String(value);
  return value === null || typeof value === "boolean"
    ? String(value)
    : JSON.stringify(value).replaceAll("\u2028", "\\u2028").replaceAll("\u2029", "\\u2029");
}
