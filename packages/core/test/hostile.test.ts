/** Texts that mean harm, or make no sense: compiling ends, a step ends, and the limits are told in words. */

import {
  begin,
  compile,
  format,
  type Input,
  options,
  Runnable,
  run,
  type Situation,
  situationJson,
  step,
  view,
} from "@zany/core";
import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { EXAMPLES, exampleText, findPart } from "./examples.js";
import { HEAVY, heavyMachine } from "./heavy-machines.js";

const machine = (data: string, effects: string, top = ""): string =>
  `machine M\nseats p\n${top}\ndata { ${data} }\nstart S\nstate S { turn of p action go { ${effects} } -> stay action end -> E }\nending E { draws all }`;
const chain = (line: (i: number) => string): string => Array.from({ length: 60 }, (_, i) => line(i)).join("\n");

describe("a small text that comes to much is refused", () => {
  test.each([
    [
      "functions that call the next one twice",
      machine(
        "n: int",
        "n = f0(1)",
        `${chain((i) => `function f${i}(x: int): int = f${i + 1}(x) + f${i + 1}(x)`)}\nfunction f60(x: int): int = x`,
      ),
      /One use of "f0" comes to more than/,
    ],
    [
      "effects that call the next one twice",
      machine(
        "n: int",
        "e0()",
        `${chain((i) => `effect e${i}() { e${i + 1}() e${i + 1}() }`)}\neffect e60() { n += 1 }`,
      ),
      /One use of "e0" comes to more than/,
    ],
    [
      "records that hold the next one twice",
      machine(
        "t: T0",
        "let x = 1",
        `${chain((i) => `type T${i} { a: T${i + 1}  b: T${i + 1} }`)}\ntype T60 { a: int }`,
      ),
      /begins with more than/,
    ],
    [
      "a grid in every cell of a grid",
      machine("g: grid 200 by 200 of G", "let x = 1", "type G { inner: grid 200 by 200 of int }"),
      /begins with more than/,
    ],
    ["deep brackets", machine("n: int", `n = ${"(".repeat(9_000)}1${")".repeat(9_000)}`), /nested more than/],
    [
      "states in states",
      `machine M\nseats p\nstart S0\n${Array.from({ length: 4_000 }, (_, i) => `state S${i} { start S${i + 1}`).join(" ")}`,
      /nested more than|missing/,
    ],
    [
      "more states than are looked at",
      `machine M\nseats p\nstart S0\n${Array.from({ length: 12_000 }, (_, i) => `state S${i} { enter -> S0 }`).join("\n")}`,
      /^A file holds at most 250000 words and signs, and at most 10000 states, actions and the like\.$/,
    ],
    ["terms", machine("n: int", `n = ${"n + ".repeat(20_000)}1`), /more than 500 terms with "\+" or "-" in a row/],
    ["members", machine("n: int", `n = n${".n".repeat(20_000)}`), /more than 500 members and calls in a row/],
    [
      "branches",
      machine("n: int", `if n == 1 { n = 2 }${" else if n == 2 { n = 1 }".repeat(3_000)}`),
      /more than 500 branches in a row/,
    ],
    [
      "values in texts that never end",
      machine("n: int", `note ${'"{" '.repeat(250_000)}`),
      /holds at most 250000 words/,
    ],
    ["a text too long", `machine M\nseats p\n${"// wind\n".repeat(300_000)}`, /longer than/],
    ["more seats than can sit", "machine M\nseats 1..9999999 p\nstart S\nstate S { }", /at most 30 seats/],
  ])("%s", (_what, text, words) => {
    const { ok, messages } = compile(text);
    expect(ok).toBe(false);
    expect(messages.map((m) => m.words).join("\n")).toMatch(words);
  });
});

test.each(["> 0", "== 0"])("sixty stats asked together are gone through once each: %s", (asked) => {
  const each = (part: (name: string) => string, between: string): string =>
    Array.from({ length: 60 }, (_, i) => part(`h${i}`)).join(between);
  const text = `machine M
seats a, b
data { up: seat = a ${each((name) => `${name} per seat: int 0..9 = 9`, " ")} }
function asked(s: seat): bool = ${each((name) => `${name}[s] ${asked}`, " and ")}
on Left(s) -> E
start S
state S { turn of up action go { ${each((name) => `${name}[next(me)] -= 1`, " ")} } -> Judge }
state Judge { enter -> choose { when ${asked === "> 0" ? "not " : ""}asked(next(up)) -> E  else { up = next(up) } -> S } }
ending E { draws all }`;
  expect(compile(text).messages).toEqual([]);
});

describe("a step that would not end is a fault, and changes nothing", () => {
  test.each([
    ["a long range", machine("n: int", "for i in 1..9007199254740990 { n += i }"), "outOfRange"],
    ["a range counted", machine("n: int", "n = count(i in 1..1000000000 where i > 3)"), "outOfRange"],
    ["loops in loops", machine("n: int", "for i in 1..1000 { for j in 1..1000 { n += 1 } }"), "tooManyEffects"],
    [
      "binders in binders",
      machine("n: int", "n = sum(i in 1..1000: count(j in 1..1000 where j > i))"),
      "tooManyEffects",
    ],
    ["a text that doubles", machine('t: text = "x"', 'for i in 1..60 { t = "{t}{t}" }'), "textTooLong"],
    [
      "lists of lists of lists",
      machine(
        "a: list of int  b: list of list of int  c: list of list of list of int",
        "for i in 1..300 { a.push(i) } for i in 1..20 { b.push(a) } for i in 1..20 { c.push(b) }",
      ),
      "tooLarge",
    ],
    [
      "long texts in a list",
      machine(
        't: text = "0123456789"  l: list of text',
        'for i in 1..13 { t = "{t}{t}" } for i in 1..4000 { l.push(t) }',
      ),
      "tooLarge",
    ],
    ["many dice", machine("n: int", "n = roll(9007199254740990 of 1..6)"), "tooManyEffects"],
    [
      "signals that raise two more",
      machine("n: int", "raise X()", "signal X()\non X { raise X() raise X() }"),
      "tooManySignals",
    ],
    ["a signal that raises itself", machine("n: int", "raise X()", "signal X()\non X { raise X() }"), "endlessLoop"],
  ])("%s", (_what, text, code) => {
    for (const generated of [true, false]) {
      const { machine, ok } = compile(text);
      expect(ok).toBe(true);
      const runnable = new Runnable(machine, generated);
      const first = begin(runnable, { seed: "h" }).taken?.situation;
      if (!first) throw new Error("it does not begin");
      const result = step(runnable, first, { kind: "action", seat: "p", action: "go" });
      expect(result.fault?.code).toBe(code);
      expect(result.situation).toBe(first);
    }
  });

  test("a clock that is faster than anybody asks for runs on in portions", () => {
    const runnable = new Runnable(
      compile(
        "machine M\nseats p\nstart S\nstate S { turn of p action e -> E after each 1ms { } }\nending E { draws all }",
      ).machine,
    );
    const first = begin(runnable, { seed: "h" }).taken?.situation;
    if (!first) throw new Error("it does not begin");
    const result = step(runnable, first, { kind: "time", time: 86_400_000 });
    expect([result.taken.length, result.refusal?.code]).toEqual([10_000, "tooManyTimers"]);
  });
});

describe("every operation pays for what it does", () => {
  test.each(HEAVY)("$what", ({ body, code = "tooManyEffects" }) => {
    const { ok, machine, messages } = compile(heavyMachine(body), undefined, undefined, { errorsOnly: true });
    expect(ok, messages.map((m) => m.words).join()).toBe(true);
    for (const generated of [true, false]) {
      const runnable = new Runnable(machine, generated);
      const { situation } = begin(runnable, { seed: "x" }).taken as { situation: Situation };
      const { fault } = step(runnable, situation, { kind: "action", seat: "p", action: "go" }, { happenings: "now" });
      expect(fault?.code).toBe(code);
      expect(options(runnable, situation, "p").find((o) => o.action === "look")).toMatchObject({ code: "fault" });
    }
  });
});

test("mutated examples: parsing, formatting, compiling and playing them ends, in faults and refusals at worst", () => {
  const texts = EXAMPLES.map(exampleText);
  const words = [...new Set(texts.flatMap((text) => text.match(/[A-Za-z_]\w*|->|[{}()[\],:.=<>+*/-]|\d+/g) ?? []))];
  const change = fc.record({
    at: fc.nat(),
    length: fc.nat(24),
    words: fc.array(fc.constantFrom(...words), { maxLength: 3 }),
  });
  let ran = 0;
  fc.assert(
    fc.property(
      fc.constantFrom(...texts),
      fc.array(change, { minLength: 1, maxLength: 3 }),
      fc.string(),
      (text, changes, seed) => {
        let mutant = text;
        for (const { at, length, words } of changes) {
          const from = at % mutant.length;
          mutant = mutant.slice(0, from) + words.join(" ") + mutant.slice(from + length);
        }
        expect(format(format(mutant))).toBe(format(mutant));
        // Reasoning takes long; of every few that would run one is reasoned about too.
        const { ok, machine } = compile(mutant, "m.zany", findPart, { errorsOnly: true });
        if (!ok) return;
        ran++;
        if (ran % 8 === 0) compile(mutant, "m.zany", findPart);
        const runnable = new Runnable(machine, false);
        let situation = begin(runnable, { seed }).taken?.situation;
        for (let i = 0; situation && i < 6 && !situation.outcome; i++) {
          const { turn, seats, due } = view(runnable, situation, null);
          const seat = turn[0] ?? seats[0]?.seat ?? "";
          const open = options(runnable, situation, seat).filter((o) => o.open);
          const input: Input = open[0]
            ? {
                kind: "action",
                seat,
                action: open[i % open.length]?.action ?? "",
                args: { target: seat, goal: { x: 0, y: 0 } },
              }
            : { kind: "time", time: Math.min(due?.at ?? 0, situation.now + 1_000) };
          situation = step(runnable, situation, input).situation;
          expect(situationJson(runnable.machine, situation)).toBeTruthy();
        }
      },
    ),
    { numRuns: 1_500 },
  );
  expect(ran).toBeGreaterThan(20);
});

test("a turn that cannot be told is a fault of the step that leads there, not of whoever looks", () => {
  const text =
    "machine M\nseats a\ndata { queue: list of seat = [a] }\nstart S\nstate S { turn of queue.first action go { queue.take() } -> stay }\nending E { draws all }\n";
  for (const generated of [true, false]) {
    const runnable = new Runnable(compile(text, undefined, undefined, { errorsOnly: true }).machine, generated);
    const { taken } = begin(runnable, { seed: "turn" });
    const before = taken?.situation as Situation;
    const result = step(runnable, before, { kind: "action", seat: "a", action: "go", args: {} });
    expect(result.fault?.code).toBe("missingIndex");
    expect(result.situation).toBe(before);
    const ran = run(runnable, before, () => ({ kind: "action", seat: "a", action: "go", args: {} }));
    expect(ran.fault?.code).toBe("missingIndex");
  }
});
