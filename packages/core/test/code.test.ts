/**
 * Code: every fault of a running machine, its words and its place; the same in every way of running, as closures,
 * as generated blocks and as whole generated steps.
 */

import {
  begin,
  compile,
  type FaultReport,
  type Input,
  Runnable,
  renderMessage,
  type Situation,
  situationDigest,
  step,
} from "@zany/core";
import fc from "fast-check";
import { describe, expect, test } from "vitest";

const TEXT = `machine Faulty
seats a, b
type Item { weight: int 0..9  name: text }
data {
  n: int
  x: num = 1
  short: list max 3 of int
  long: list of int
  items: list of Item
  prices: map of text to int
  square: grid 3 by 2 of int
  word: text max 4
  doubled: text = "0123456789"
  maybe: seat?
  who: seat = a
}
signal Again()
on Left(s) -> E
on Again -> stay
start S
state S {
  turn of a
  action divide(by1: int) { x = 1 / by1 } -> stay
  action remainder(by1: int) { n = 7 mod by1 } -> stay
  action element(i: int) { n = long[i] } -> stay
  action write(i: int) { long[i] = 1 } -> stay
  action first { n = long.first } -> stay
  action last { n = long.last } -> stay
  action rest { long = long.rest } -> stay
  action take { n = long.take() } -> stay
  action takeLast { n = long.takeLast() } -> stay
  action drop { long.take() } -> stay
  action dropLast { long.takeLast() } -> stay
  action insert(i: int) { long.insert(i, 1) } -> stay
  action remove(i: int) { long.remove(i) } -> stay
  action push(k: int) { long.push(k) } -> stay
  action pushShort { short.push(1) } -> stay
  action setShort { short = long } -> stay
  action insertShort { short.insert(0, 1) } -> stay
  action price(k: text) { n = prices[k] } -> stay
  action setPrice(k: text, to1: int) { prices[k] = to1 } -> stay
  action unwrap { who = maybe } -> stay
  action some1 { maybe = b } -> stay
  action away { n = Away.left } -> stay
  action corner(i: int, j: int) { n = square[cell(i, j)] } -> stay
  action spell(k: text) { word = k } -> stay
  action double { doubled = "{doubled}{doubled}{doubled}{doubled}{doubled}{doubled}{doubled}{doubled}" } -> stay
  action span(to1: int) { long = filter(i in 0..to1 where i == to1) } -> stay
  action choose1 { n = pick(long) } -> stay
  action heavy { word = pick(items weighted by i: i.weight).name } -> stay
  action weigh(w: int 0..9) { items.push(Item(weight: w)) } -> stay
  action least { word = minBy(i in items: i.weight).name } -> stay
  action most { n = maxBy(i in long: i) } -> stay
  action throw1(low: int, high: int) { n = roll(low..high) } -> stay
  action throwReal(high: int) { x = roll(0.5..high) } -> stay
  action luck(of1: int) { n = if chance(1 in of1) then 1 else 0 } -> stay
  action grow(by1: int) { n += by1 } -> stay
  action shrink(by1: int) { n -= by1 } -> stay
  action times(by1: int) { n = n * by1 } -> stay
  action blowUp { x = x * 1000000000 } -> stay
  action blowUp2 { x += x * 1000000000 } -> stay
  action sum1 { n = sum(i in long: i) } -> stay
  action echo { raise Again() raise Again() } -> stay
  action loop1 { for i in 0..99999 { n = i } } -> stay
  action forbidden { who = b } -> stay
  action heal { n = 0 long.clear() short.clear() items.clear() x = 1 doubled = "0123456789" who = a maybe = none } -> stay
}
state Away {
  data { left: int }
  action back by anyone -> S
}
action leave1 by anyone -> Away
ending E { draws all }
law "who stays a": who == a
`;

const compilation = compile(TEXT, "faulty.zany", undefined, { errorsOnly: true });
if (!compilation.ok) throw new Error(compilation.messages.map((m) => renderMessage(compilation.sources, m)).join("\n"));
const { machine, sources } = compilation;
const closures = new Runnable(machine, false);
const generated = new Runnable(machine, true);

/** The same step in every way: as closures, as generated blocks, as a whole generated step. */
const WAYS: readonly ((situation: Situation, input: Input) => ReturnType<typeof step>)[] = [
  (situation, input) => step(closures, situation, input),
  (situation, input) => step(generated, situation, input, { happenings: "now" }),
  (situation, input) => step(generated, situation, input),
];

function first(): Situation[] {
  return [closures, generated, generated].map((runnable) => {
    const { taken } = begin(runnable, { seed: "faults" });
    if (!taken) throw new Error("it does not begin");
    return taken.situation;
  });
}

const act = (action: string, args: Record<string, unknown> = {}): Input => ({
  kind: "action",
  seat: "a",
  action,
  args,
});

/** Takes inputs in every way at once; they must agree in all that can be seen. Gives the fault of the last. */
function faultOf(...inputs: readonly Input[]): FaultReport | undefined {
  let situations = first();
  let fault: FaultReport | undefined;
  for (const input of inputs) {
    const results = WAYS.map((take, i) => take(situations[i] as Situation, input));
    const [one, ...others] = results as [(typeof results)[number], ...typeof results];
    for (const other of others) {
      expect([other.fault, other.refusal], JSON.stringify(input)).toEqual([one.fault, one.refusal]);
      expect(other.taken.map((t) => t.happenings)).toEqual(one.taken.map((t) => t.happenings));
      expect(situationDigest(closures, other.situation)).toBe(situationDigest(closures, one.situation));
    }
    situations = results.map((r) => r.situation);
    fault = one.fault;
  }
  return fault;
}

describe("every fault has a code, words and a place, the same however it is run", () => {
  test.each<[string, readonly Input[], string, string]>([
    ["divisionByZero", [act("divide", { by1: 0 })], "This divides by zero.", "1 / by1"],
    ["divisionByZero", [act("remainder", { by1: 0 })], "This takes the remainder of a division by zero.", "7 mod by1"],
    ["missingIndex", [act("element", { i: 0 })], "The list has no elements, so there is no [0].", "long[i]"],
    [
      "missingIndex",
      [act("push", { k: 4 }), act("element", { i: 1 })],
      "The list has elements 0 to 0, so there is no [1].",
      "long[i]",
    ],
    ["missingIndex", [act("write", { i: -1 })], "The list has no elements, so there is no [-1].", "i"],
    ["missingIndex", [act("first")], "This list is empty, so it has no first.", "long.first"],
    ["missingIndex", [act("last")], "This list is empty, so it has no last.", "long.last"],
    ["missingIndex", [act("rest")], "This list is empty, so it has no rest.", "long.rest"],
    ["missingIndex", [act("take")], "There is nothing left in this list to take.", "long.take()"],
    ["missingIndex", [act("takeLast")], "There is nothing left in this list to take.", "long.takeLast()"],
    ["missingIndex", [act("drop")], "There is nothing left in this list to take.", "long.take()"],
    ["missingIndex", [act("dropLast")], "There is nothing left in this list to take.", "long.takeLast()"],
    ["missingIndex", [act("insert", { i: 1 })], "The list has no elements, so there is no [1].", "long.insert(i, 1)"],
    ["missingIndex", [act("remove", { i: 0 })], "The list has no elements, so there is no [0].", "long.remove(i)"],
    [
      "listFull",
      ["pushShort", "pushShort", "pushShort", "pushShort"].map((name) => act(name)),
      "This list holds at most 3, and would get 4.",
      "short.push(1)",
    ],
    [
      "listFull",
      ["insertShort", "insertShort", "insertShort", "insertShort"].map((name) => act(name)),
      "This list holds at most 3, and would get 4.",
      "short.insert(0, 1)",
    ],
    [
      "listFull",
      [...[1, 2, 3, 4].map((k) => act("push", { k })), act("setShort")],
      "This list holds at most 3, and would get 4.",
      "short = long",
    ],
    ["missingKey", [act("price", { k: "tea" })], "The map has no entry for tea.", "prices[k]"],
    ["noneUsed", [act("unwrap")], "This is none here, and a value is needed.", "maybe"],
    ["notActive", [act("away")], '"Away" is not active, so it has no data.', "Away.left"],
    ["notACell", [act("corner", { i: 2, j: 2 })], "The cell 2,2 is outside the grid of 3 by 2.", "square[cell(i, j)]"],
    ["notACell", [act("corner", { i: -1, j: 0 })], "There is no cell -1,0.", "cell(i, j)"],
    ["textTooLong", [act("spell", { k: "five5" })], "This text is longer than 4 characters.", "word = k"],
    [
      "textTooLong",
      [1, 2, 3, 4, 5].map(() => act("double")),
      "This text is longer than 100000 characters.",
      '"{doubled}{doubled}{doubled}{doubled}{doubled}{doubled}{doubled}{doubled}"',
    ],
    ["outOfRange", [act("span", { to1: 100_000 })], "The range 0..100000 is longer than 100000.", "0..to1"],
    ["emptyPick", [act("choose1")], "This picks from an empty list.", "pick(long)"],
    ["emptyPick", [act("heavy")], "This picks from an empty list.", "pick(items weighted by i: i.weight)"],
    [
      "badWeights",
      [act("weigh", { w: 0 }), act("heavy")],
      "The weights add up to 0, so nothing can be picked.",
      "pick(items weighted by i: i.weight)",
    ],
    ["emptyPick", [act("least")], "There is nothing to take the least of.", "minBy(i in items: i.weight)"],
    ["emptyPick", [act("most")], "There is nothing to take the greatest of.", "maxBy(i in long: i)"],
    ["emptyRange", [act("throw1", { low: 3, high: 2 })], "The range 3..2 holds no face.", "roll(low..high)"],
    ["emptyRange", [act("throwReal", { high: 0 })], "The range 0.5..0 is empty.", "roll(0.5..high)"],
    ["emptyRange", [act("luck", { of1: 0 })], "A chance of 1 in 0 says nothing.", "chance(1 in of1)"],
    [
      "outOfRange",
      [act("grow", { by1: 9007199254740991 }), act("grow", { by1: 1 })],
      "9007199254740992 is beyond the exact whole numbers.",
      "n += by1",
    ],
    [
      "outOfRange",
      [act("shrink", { by1: 9007199254740991 }), act("shrink", { by1: 1 })],
      "-9007199254740992 is beyond the exact whole numbers.",
      "n -= by1",
    ],
    [
      "outOfRange",
      [act("grow", { by1: 9007199254740991 }), act("times", { by1: 3 })],
      "27021597764222972 is beyond the exact whole numbers.",
      "n * by1",
    ],
    [
      "outOfRange",
      Array.from({ length: 35 }, () => act("blowUp")),
      "This comes to Infinity, which is no number to go on with.",
      "x * 1000000000",
    ],
    [
      "outOfRange",
      [...[1, 2].map(() => act("push", { k: 9007199254740991 })), act("sum1")],
      "18014398509481982 is beyond the exact whole numbers.",
      "sum(i in long: i)",
    ],
    [
      "tooManyEffects",
      [act("loop1")],
      "This step does more than 100000 effects come to.",
      "for i in 0..99999 { n = i }",
    ],
    ["lawBroken", [act("forbidden")], 'The law "who stays a" does not hold any more.', 'law "who stays a": who == a'],
  ])("%s %#", (code, inputs, words, at) => {
    const fault = faultOf(...inputs);
    expect(fault).toMatchObject({ code, words });
    const { position } = fault as FaultReport;
    expect(TEXT.slice(position, position + at.length)).toBe(at);
    expect(sources.place(position).file).toBe("faulty.zany");
  });
});

test("whatever is done in whatever order, all ways of running agree, faults and their words included", () => {
  const anyAct = fc.oneof(
    ...machine.actions.map(({ name, parameters }) =>
      fc
        .record(
          Object.fromEntries(
            parameters.map((p) => [
              p.name,
              p.type.kind === "text"
                ? fc.constantFrom("tea", "rope", "", "five5")
                : fc.oneof({ weight: 8, arbitrary: fc.integer({ min: -2, max: 5 }) }, fc.maxSafeInteger()),
            ]),
          ),
        )
        .map((args) => act(name, args)),
    ),
  );
  fc.assert(
    fc.property(fc.array(anyAct, { minLength: 1, maxLength: 25 }), (inputs) => {
      faultOf(...inputs);
    }),
    { numRuns: 150 },
  );
});
