/** What the reasoning computes with stands for every concrete value it should, and for no fewer after any operation. */

import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { NUMBER_FUNCTIONS, type NumberFunctionName } from "../src/check/builtins.js";
import { arithmetic, negated } from "../src/check/reason/arithmetic.js";
import { Knowledge } from "../src/check/reason/knowledge.js";
import {
  ANY,
  anyOf,
  between,
  bitsOf,
  choice,
  contains,
  defaultOf,
  isSingle,
  join,
  listOfItems,
  listOfSize,
  meet,
  type NumberSet,
  only,
  type Possible,
  single,
  widen,
} from "../src/check/reason/possible.js";
import { limits, overlap, RELATIONS, relationOf, swapped } from "../src/check/reason/relations.js";
import { BOOL, CELL, intBetween, listOf, SEAT, type Type } from "../src/check/types.js";

// ---- concrete values, and what stands for them ---------------------------------------------------

type Value = number | null | readonly Value[] | { readonly seat: number } | { readonly fields: readonly Value[] };

/** Whether an abstract value stands for a concrete one. */
function holds(set: Possible, value: Value): boolean {
  switch (set.kind) {
    case "any":
      return true;
    case "number":
      return typeof value === "number" && value >= set.low && value <= set.high;
    case "choice":
      return typeof value === "object" && value !== null && "seat" in value && (set.mask & (2 ** value.seat)) !== 0;
    case "maybe":
      return value === null ? set.none : set.of !== undefined && holds(set.of, value);
    case "list":
      return (
        Array.isArray(value) &&
        value.length >= set.least &&
        value.length <= set.most &&
        value.every((item: Value) => set.of !== undefined && holds(set.of, item)) &&
        (set.items === undefined || value.every((item: Value, i) => holds(set.items?.[i] ?? ANY, item)))
      );
    case "record":
      return (
        typeof value === "object" &&
        value !== null &&
        "fields" in value &&
        value.fields.every((field, i) => holds(set.fields[i] ?? ANY, field))
      );
    default:
      throw new Error(set.kind);
  }
}

const ints = fc.integer({ min: -20, max: 20 });
const span = fc.tuple(ints, ints).map(([a, b]): [number, number] => [Math.min(a, b), Math.max(a, b)]);

/** An abstract value together with some concrete ones that it stands for; `shape` keeps the kinds alike. */
type Shape = "number" | "seat" | "maybe" | "list" | "record";
const setOf = (shape: Shape): fc.Arbitrary<{ set: Possible; values: Value[] }> => {
  const number = span.map(([low, high]) => ({
    set: between(low, high) as Possible,
    values: [low, high, Math.floor((low + high) / 2)] as Value[],
  }));
  switch (shape) {
    case "number":
      return number;
    case "seat":
      return fc.integer({ min: 1, max: 15 }).map((mask) => ({
        set: choice(mask) as Possible,
        values: bitsOf(mask).map((seat): Value => ({ seat })),
      }));
    case "maybe":
      return fc.tuple(fc.boolean(), number, fc.boolean()).map(([none, of, empty]) => ({
        set: { kind: "maybe", none: none || empty, of: empty ? undefined : of.set },
        values: [...(none || empty ? [null] : []), ...(empty ? [] : of.values)],
      }));
    case "list":
      return fc.array(number, { maxLength: 4 }).map((items) => ({
        set: listOfItems(items.map((item) => item.set)),
        values: [items.map((item) => item.values[0] as Value), items.map((item) => item.values[1] as Value)],
      }));
    case "record":
      return fc.tuple(number, number).map(([a, b]) => ({
        set: { kind: "record", fields: [a.set, b.set] },
        values: [{ fields: [a.values[0] as Value, b.values[1] as Value] }],
      }));
  }
};
const shapes = fc.constantFrom<Shape>("number", "seat", "maybe", "list", "record");
const pairs = shapes.chain((shape) => fc.tuple(setOf(shape), setOf(shape)));

describe("join, meet and widening", () => {
  test("a join stands for all that either stands for", () => {
    fc.assert(
      fc.property(pairs, ([a, b]) => {
        const both = join(a.set, b.set);
        for (const value of [...a.values, ...b.values]) expect(holds(both, value)).toBe(true);
        expect(join(both, a.set)).toBe(both);
        expect(join(a.set, a.set)).toBe(a.set);
        expect(contains(both, a.set) && contains(both, b.set)).toBe(true);
        expect(contains(a.set, b.set)).toBe(both === a.set);
      }),
      { numRuns: 500 },
    );
  });

  test("a meet stands for all that both stand for, and is nothing only when there is none", () => {
    fc.assert(
      fc.property(pairs, ([a, b]) => {
        const both = meet(a.set, b.set);
        for (const value of [...a.values, ...b.values])
          if (holds(a.set, value) && holds(b.set, value)) expect(both && holds(both, value)).toBe(true);
        if (both) for (const value of a.values) if (!holds(a.set, value)) expect(holds(both, value)).toBe(false);
        if (overlap(a.set, b.set)) expect(both).toBeDefined();
      }),
      { numRuns: 500 },
    );
  });

  test("a value met with itself or with anything is itself", () => {
    fc.assert(
      fc.property(shapes.chain(setOf), ({ set }) => {
        expect(meet(set, set)).toBe(set);
        expect(meet(set, ANY)).toBe(set);
        expect(meet(ANY, set)).toBe(set);
      }),
    );
  });

  test("bounds that keep moving stop at a step, and after few of them", () => {
    const steps = [-100, -7, 0, 3, 50];
    fc.assert(
      fc.property(span, fc.array(span, { minLength: 30, maxLength: 30 }), ([low, high], moves) => {
        let set: Possible = between(low, high);
        let moved = 0;
        for (const [l, h] of moves) {
          const next = widen(set, between(l, h), steps);
          expect(holds(next, l) && holds(next, h) && holds(next, low)).toBe(true);
          if (next !== set) moved++;
          set = next;
        }
        expect(moved).toBeLessThanOrEqual(2 * steps.length + 2);
      }),
    );
  });

  test("sets in the bits of a number", () => {
    expect(bitsOf(0b10110)).toEqual([1, 2, 4]);
    expect([single(0), single(8), single(9), single(2 ** 30)]).toEqual([-1, 3, -1, 30]);
    expect(isSingle(only(3)) && isSingle(choice(4)) && !isSingle(choice(5)) && !isSingle(between(1, 2))).toBe(true);
    expect(listOfSize(0, 9, undefined)).toMatchObject({ most: 0 });
  });
});

describe("from types", () => {
  const types: readonly Type[] = [BOOL, intBetween(-3, 9), intBetween(4, 9), intBetween(-9, -2), SEAT, CELL];

  test("what a type begins with is a value of the type", () => {
    for (const type of [...types, ...types.map(listOf), ...types.map((of): Type => ({ kind: "maybe", of }))]) {
      const any = anyOf(type, 3);
      const first = defaultOf(type, 3, () => undefined);
      const both = meet(any, first);
      expect(both && join(both, first), JSON.stringify(type)).toBe(both);
    }
    expect(defaultOf(intBetween(4, 9), 3, () => undefined)).toEqual(only(4));
    expect(defaultOf(intBetween(-9, -2), 3, () => undefined)).toEqual(only(-2));
  });

  test("types without end are not followed for ever", () => {
    let type: Type = BOOL;
    for (let i = 0; i < 40; i++) type = listOf(type);
    expect(JSON.stringify(anyOf(type, 2)).length).toBeLessThan(1000);
  });
});

describe("arithmetic", () => {
  const concrete = { "+": (a: number, b: number) => a + b, "-": (a: number, b: number) => a - b } as const;

  test("holds every result that operands within the bounds can have", () => {
    fc.assert(
      fc.property(span, span, fc.nat(), fc.nat(), ([al, ah], [bl, bh], i, j) => {
        const a = al + (i % (ah - al + 1));
        const b = bl + (j % (bh - bl + 1));
        const sets: [NumberSet, NumberSet] = [between(al, ah), between(bl, bh)];
        expect(holds(arithmetic("+", ...sets), concrete["+"](a, b))).toBe(true);
        expect(holds(arithmetic("-", ...sets), concrete["-"](a, b))).toBe(true);
        expect(holds(arithmetic("*", ...sets), a * b)).toBe(true);
        expect(holds(negated(sets[0]), -a)).toBe(true);
        if (b === 0) return;
        expect(holds(arithmetic("/", ...sets), a / b)).toBe(true);
        // The remainder has the sign of the divisor, as the language says.
        expect(holds(arithmetic("mod", ...sets), a - b * Math.floor(a / b))).toBe(true);
      }),
      { numRuns: 2000 },
    );
  });

  test("says no more than it must where both operands are known", () => {
    fc.assert(
      fc.property(ints, ints, (a, b) => {
        expect(arithmetic("+", only(a), only(b))).toEqual(only(a + b));
        expect(arithmetic("*", only(a), only(b))).toMatchObject({ low: a * b, high: a * b });
        if (b > 0) expect(arithmetic("mod", only(a), only(b))).toEqual(only(a - b * Math.floor(a / b)));
      }),
    );
  });

  test("the ranges of built-in functions hold what the functions give", () => {
    const given: Readonly<Record<NumberFunctionName, (...args: number[]) => number>> = {
      floor: Math.floor,
      ceil: Math.ceil,
      nearest: (x) => (x < 0 ? -Math.floor(0.5 - x) : Math.floor(x + 0.5)),
      abs: Math.abs,
      sign: Math.sign,
      min: Math.min,
      max: Math.max,
    };
    fc.assert(
      fc.property(span, span, fc.nat(), fc.nat(), ([al, ah], [bl, bh], i, j) => {
        const args = [al + (i % (ah - al + 1)), bl + (j % (bh - bl + 1))];
        for (const [name, of] of Object.entries(given)) {
          const two = name === "min" || name === "max";
          const range: (...r: { low: number; high: number }[]) => { low: number; high: number } =
            NUMBER_FUNCTIONS[name as NumberFunctionName].range;
          const { low, high } = two
            ? range({ low: al, high: ah }, { low: bl, high: bh })
            : range({ low: al, high: ah });
          const value = two ? of(...args) : of(args[0] as number);
          expect(value >= low && value <= high, `${name} of ${args}`).toBe(true);
        }
      }),
    );
  });
});

describe("how two values lie to each other", () => {
  const compare = (op: string, a: number, b: number): boolean =>
    ({ "<": a < b, "<=": a <= b, ">": a > b, ">=": a >= b, "==": a === b, "!=": a !== b })[op] as boolean;

  test("every relation that concrete values have is among those said, from both sides", () => {
    fc.assert(
      fc.property(span, span, fc.nat(), fc.nat(), ([al, ah], [bl, bh], i, j) => {
        const a = al + (i % (ah - al + 1));
        const b = bl + (j % (bh - bl + 1));
        const said = relationOf(between(al, ah), between(bl, bh));
        const is = a < b ? 1 : a === b ? 2 : 4;
        expect(said & is).toBe(is);
        expect(swapped(relationOf(between(bl, bh), between(al, ah)))).toBe(said);
      }),
    );
  });

  test("what a comparison leaves of a value holds all for which it is true", () => {
    fc.assert(
      fc.property(span, span, fc.nat(), fc.nat(), fc.constantFrom(...Object.keys(RELATIONS)), (as, bs, i, j, op) => {
        const [al, ah] = as;
        const [bl, bh] = bs;
        const a = al + (i % (ah - al + 1));
        const b = bl + (j % (bh - bl + 1));
        if (!compare(op, a, b)) return;
        const left = meet(between(al, ah), limits(RELATIONS[op] as number, between(al, ah), between(bl, bh)));
        expect(left && holds(left, a), `${a} ${op} ${b}`).toBe(true);
      }),
      { numRuns: 1000 },
    );
  });

  test("a seat that is not another is one of the rest", () => {
    expect(meet(choice(7), limits(RELATIONS["!="] as number, choice(7), choice(2)))).toEqual(choice(5));
    expect(meet(choice(7), limits(RELATIONS["=="] as number, choice(7), choice(2)))).toEqual(choice(2));
  });
});

test("facts know the kinds of expressions they are about, whatever was asked of those before them", () => {
  const key = (head: string) => ({ text: head, reads: [1], head });
  const one = Knowledge.empty(2, between(2, 2)).fact(key("size"), only(3));
  expect([one.mayKnow("size"), one.mayKnow("field 0")]).toEqual([true, false]);
  const both = one.fact(key("field 0"), only(1));
  expect([both.mayKnow("size"), both.mayKnow("field 0")]).toEqual([true, true]);
  expect(both.fact(key("size"), only(2)).mayKnow("field 0")).toBe(true);
  // What was written to may be anything.
  expect(both.write(1, only(0)).mayKnow("size")).toBe(false);
});
