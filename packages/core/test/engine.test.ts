/** The engine on the examples: what is open and why not, what is refused and why, time, overlays, seats. */

import {
  begin,
  type Input,
  options,
  type Refusal,
  Runnable,
  run,
  runTests,
  type Situation,
  situationDigest,
  step,
  view,
  compile,
} from "@zany/core";
import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { CLOCKED, EXAMPLES, example, exampleText, runnableOf } from "./examples.js";

const DAY = 86_400_000;

function start(runnable: Runnable, given: Readonly<Record<string, unknown>> = {}, seed = "test"): Situation {
  const { taken, refusal, fault } = begin(runnable, {
    seed,
    given: { data: Object.entries(given).map(([path, value]) => ({ path, value })) },
  });
  if (!taken) throw new Error(JSON.stringify(refusal ?? fault));
  return taken.situation;
}

/** Takes inputs that must all be accepted. */
function play(runnable: Runnable, situation: Situation, ...inputs: Input[]): Situation {
  for (const input of inputs) {
    const result = step(runnable, situation, input);
    expect(result.refusal ?? result.fault, JSON.stringify(input)).toBeUndefined();
    situation = result.situation;
  }
  return situation;
}

const act = (seat: string, action: string, args: Record<string, unknown> = {}): Input & { kind: "action" } => ({
  kind: "action",
  seat,
  action,
  args,
});

describe("what is given", () => {
  const runnable = runnableOf(`machine Stalls
seats mira, olle
on Left(s) -> Shut
type Stall { goods: int 0..9  sold: list of text }
data {
  coins: int 0..9
  best: Stall?
  stalls: list of Stall = [Stall(), Stall(goods: 3)]
  prices: map of text to int = ["rope": 1]
  square: grid 2 by 2 of int
  debts per seat: int 0..9
}
start Trade
state Trade { turn of mira action shut -> Shut }
ending Shut { draws all }
`);
  const refused = (path: string): string | undefined =>
    begin(runnable, { seed: "test", given: { data: [{ path, value: 1 }] } }).refusal?.words;

  test.each([
    ["/data/stalls/1/goods", undefined],
    ["/data/square/0/1", undefined],
    ["/data/coins/x", 'data.coins is int 0..9, so there is no "x" in it.'],
    ["/data/debts/mira/0", 'data.debts.mira is int 0..9, so there is no "0" in it.'],
    ["/data/debts/kaj", 'there is no "kaj" in data.debts. Known here: mira, olle.'],
    ["/data/best/goods", 'data.best is none when it is given, so there is no "goods" in it. Give it as a whole.'],
    ["/data/stalls/2/goods", "has elements 0 to 1 when it is given, so there is no 2. Give the list as a whole."],
    ["/data/stalls/0/sold/0", "data.stalls.0.sold has no elements when it is given, so there is no 0."],
    ["/data/stalls/0/good", 'there is no "good" in data.stalls.0. Did you mean "goods"?'],
    ["/data/prices/bread", 'there is no "bread" in data.prices when it is given. Give the map as a whole.'],
    ["/data/square/0/2", "there is no cell 2,0 in the grid of 2 by 2."],
  ])("%s", (path, words) => {
    if (words === undefined) expect(refused(path)).toBeUndefined();
    else expect(refused(path)).toContain(words);
  });

  test("however a path goes on, it is taken or refused in words", () => {
    const part = fc.constantFrom(
      "coins",
      "best",
      "stalls",
      "prices",
      "debts",
      "mira",
      "0",
      "1",
      "goods",
      "sold",
      "rope",
      "",
    );
    fc.assert(
      fc.property(fc.array(part, { maxLength: 5 }), (parts) => {
        const words = refused(`/data/${parts.join("/")}`);
        expect(words === undefined || words.startsWith("What is given does not fit: ")).toBe(true);
      }),
    );
  });
});

describe("the tests in the examples", () => {
  for (const name of EXAMPLES) {
    test(name, () => {
      const results = runTests(example(name));
      expect(results.length).toBeGreaterThan(1);
      expect(results.filter((r) => !r.ok)).toEqual([]);
    });
  }

  test("a test that fails tells the story, what was expected and what came", () => {
    const text = exampleText("kite-duel.zany").replace(
      "expect ending Flown, north wins, south loses",
      "expect south wins",
    );
    const [result] = runTests(runnableOf(text));
    expect(result?.ok).toBe(false);
    expect(result?.failure).toMatchObject({ expected: "south: win", actual: "south: loss" });
    expect(result?.story).toContain('  "north slashes south for 13"');
  });
});

describe("KiteDuel", () => {
  const duel = example("kite-duel.zany");
  const northFirst = { "/data/kites/north/pace": 20 };

  test("shows the open actions, and why the others are closed", () => {
    const s = start(duel, { ...northFirst, "/data/kites/north/tape": 0 });
    const north = options(duel, s, "north");
    expect(north.map((o) => [o.action, o.open, o.reason])).toEqual([
      ["slash", true, undefined],
      ["brace", true, undefined],
      ["mend", false, "No tape left."],
      ["cutLoose", true, undefined],
      ["pause", true, undefined],
    ]);
    expect(north[0]?.parameters[0]?.values).toEqual([
      { value: "north", label: "north", open: false, reason: "that is your own kite" },
      { value: "south", label: "south", open: true },
    ]);
    expect(options(duel, s, "south").map((o) => [o.action, o.open, o.code])).toEqual([
      ["slash", false, "notYourTurn"],
      ["brace", false, "notYourTurn"],
      ["mend", false, "notYourTurn"],
      ["cutLoose", false, "notYourTurn"],
      ["pause", true, undefined],
    ]);
  });

  test("refuses with a code, words and the condition that failed", () => {
    const s = start(duel, { ...northFirst, "/data/kites/north/tape": 0 });
    const refusal = (input: Input): Refusal | undefined => {
      const result = step(duel, s, input);
      expect(result.situation).toBe(s);
      return result.refusal;
    };
    expect(refusal({ ...act("north", "brace"), step: 3 })?.code).toBe("stale");
    expect(refusal(act("nroth", "brace"))).toEqual({
      code: "notSeated",
      words: 'This match has no seat "nroth". Did you mean "north"?',
    });
    expect(refusal(act("north", "brase"))).toEqual({
      code: "unknownAction",
      words: 'There is no action "brase". Did you mean "brace"?',
    });
    expect(refusal(act("north", "unpause"))).toEqual({
      code: "notOpenHere",
      words: '"unpause" is not possible in Turn.',
    });
    expect(refusal(act("south", "brace"))).toEqual({ code: "notYourTurn", words: "It is north's turn." });
    expect(refusal(act("north", "slash"))?.words).toContain("expected a seat (north, south), but got nothing");
    expect(refusal(act("north", "slash", { target: "south", force: 99 }))?.words).toContain('no argument "force"');
    expect(refusal(act("north", "slash", { target: "north" }))).toMatchObject({
      code: "badArgument",
      words: '"target" of "slash" cannot be north: that is your own kite.',
    });
    expect(refusal(act("north", "mend"))).toEqual({
      code: "needsFailed",
      words: "No tape left.",
      condition: { text: "kites[me].tape > 0", values: [{ text: "kites[me].tape", value: "0" }] },
    });
    const over = play(duel, s, act("north", "cutLoose"));
    expect(step(duel, over, act("south", "brace")).refusal?.code).toBe("matchOver");
  });

  test("a taut line cuts both ways, a bound stops a value and the step says so", () => {
    const s = start(duel, { ...northFirst, "/data/kites/south/braced": true, "/data/kites/south/lift": 4 });
    const result = step(duel, s, { ...act("north", "slash", { target: "south" }), dice: [6] });
    expect(result.taken[0]?.happenings.clamped).toMatchObject([{ wanted: -5, kept: 0 }]);
    expect(result.situation.outcome?.ending).toBe("Flown");
  });

  test("tests an argument before it tests a need", () => {
    const picky = runnableOf(
      exampleText("kite-duel.zany")
        .replace('else "that is your own kite") {', 'else "that is your own kite") needs lap > 50 else "too early" {')
        .replace(/^test [\s\S]*/m, ""),
    );
    const s = start(picky, northFirst);
    expect(step(picky, s, act("north", "slash", { target: "north" })).refusal?.code).toBe("badArgument");
    expect(step(picky, s, act("north", "slash", { target: "south" })).refusal).toMatchObject({
      code: "needsFailed",
      words: "Too early.",
      condition: { text: "lap > 50", values: [{ text: "lap", value: "1" }] },
    });
  });

  test("a law is tested when what it reads has changed, through functions too", () => {
    for (const law of ["kites[south].lift > 30", "aloft30(south)", "not (in Paused)"]) {
      const strict = runnableOf(
        `${exampleText("kite-duel.zany").replace(/^test [\s\S]*/m, "")}\nfunction aloft30(s: seat): bool = kites[s].lift > 30\nlaw "strict": ${law}\n`,
      );
      const s = start(strict, northFirst);
      const braced = play(strict, s, act("north", "brace"), act("south", "brace"));
      const result = step(
        strict,
        braced,
        law.includes("Paused") ? act("north", "pause") : { ...act("north", "slash", { target: "south" }), dice: [6] },
      );
      const last = law.includes("Paused")
        ? result
        : step(strict, play(strict, result.situation, act("south", "brace")), {
            ...act("north", "slash", { target: "south" }),
            dice: [6],
          });
      expect([law, last.fault?.code]).toEqual([law, "lawBroken"]);
    }
  });

  test("a set draw must be one of the range, and all must be used", () => {
    const s = start(duel, northFirst);
    const slash = act("north", "slash", { target: "south" });
    expect(step(duel, s, { ...slash, dice: [7] }).fault?.code).toBe("badRoll");
    expect(step(duel, s, { ...slash, dice: [3, 3] }).fault?.code).toBe("badRoll");
    expect(step(duel, s, { ...slash, dice: [3] }).taken[0]?.happenings.rolls).toMatchObject([
      { range: "1..6", value: 3 },
    ]);
  });

  test("an overlay freezes everything; on return timers have what they had left", () => {
    let s = start(duel, northFirst);
    s = play(duel, s, { ...act("south", "pause"), time: 3 * DAY });
    expect(view(duel, s, null)).toMatchObject({
      states: ["Lap", "Turn", "Paused"],
      here: ["Paused"],
      turn: [],
      due: { at: 5 * DAY },
    });
    expect(step(duel, s, act("north", "brace")).refusal?.code).toBe("notOpenHere");
    s = play(duel, s, { ...act("north", "unpause"), time: 4 * DAY });
    expect(view(duel, s, null)).toMatchObject({ here: ["Turn"], turn: ["north"], due: { at: 11 * DAY } });
    expect(play(duel, s, { kind: "time", time: 11 * DAY }).outcome).toMatchObject({
      ending: "Lapsed",
      args: { late: "north" },
    });
  });

  test("timers due before an input run first, each a step of its own, and stay when it is refused", () => {
    const s = play(duel, start(duel, northFirst), act("south", "pause"));
    const result = step(duel, s, { ...act("south", "brace"), time: 2 * DAY });
    expect(result.taken.map((t) => t.input)).toEqual([{ kind: "timer", timer: "Paused.after1", time: 2 * DAY }]);
    expect(result.refusal?.code).toBe("notYourTurn");
    expect(view(duel, result.situation, null).here).toEqual(["Turn"]);
  });

  test("a seat that leaves is out, under an overlay too, and gets its result", () => {
    const s = play(duel, start(duel, northFirst), act("north", "pause"), { kind: "leave", seat: "north" });
    expect(s.outcome).toEqual({
      ending: "Flown",
      args: { winner: "south" },
      unfinished: false,
      results: [
        { seat: "north", result: "loss" },
        { seat: "south", result: "win" },
      ],
    });
  });

  test("a situation that was given out is never changed", () => {
    const s = start(duel, northFirst);
    const before = situationDigest(duel, s);
    play(duel, s, act("north", "slash", { target: "south" }), act("south", "mend"), act("north", "pause"));
    expect(situationDigest(duel, s)).toBe(before);
  });

  test("a law that is broken is a fault, and nothing has changed", () => {
    const broken = runnableOf(
      exampleText("kite-duel.zany").replace("lap += 1\n", "lap += 1\n    for s in seats { kites[s].lift -= 1 }\n"),
    );
    const s = start(broken, northFirst);
    const lap = play(broken, s, act("north", "brace"));
    const result = step(broken, lap, act("south", "brace"));
    expect(result.fault).toMatchObject({ code: "lawBroken" });
    expect(result.fault?.words).toContain("lift falls only by a strike");
    expect(result.situation).toBe(lap);
  });
});

// ---- properties --------------------------------------------------------------------------------

const SEATS = [
  "north",
  "south",
  "swift",
  "gull",
  "tern",
  "runner1",
  "runner2",
  "passenger1",
  "passenger2",
  "apples",
  "bread",
  "candles",
  "east",
];
const ACTIONS = [
  "slash",
  "brace",
  "mend",
  "pause",
  "unpause",
  "raid",
  "dust",
  "cover",
  "restock",
  "ring",
  "guard",
  "flee",
  "lay",
  "run",
  "stand",
  "pass",
  "post",
  "toString",
  "__proto__",
];

/** A machine with a clock of its own gets seconds, the others days. */
const longest = (name: string): number => (CLOCKED.includes(name) ? 5_000 : 20 * DAY);

const anyInput = (name: string): fc.Arbitrary<Input> =>
  fc.oneof(
    {
      weight: 8,
      arbitrary: fc.record({
        kind: fc.constant("action" as const),
        seat: fc.constantFrom(...SEATS),
        action: fc.constantFrom(...ACTIONS),
        args: fc.oneof(fc.constant({}), fc.record({ target: fc.constantFrom(...SEATS, 3, null) })),
      }),
    },
    {
      weight: 1,
      arbitrary: fc.record({
        kind: fc.constantFrom("leave" as const, "join" as const),
        seat: fc.constantFrom(...SEATS),
      }),
    },
    {
      weight: 1,
      arbitrary: fc.record({ kind: fc.constant("time" as const), time: fc.integer({ min: 0, max: longest(name) }) }),
    },
  );

/** Inputs that are right more often than not: random ones mixed with what is open. */
function likely(runnable: Runnable, situation: Situation, pick: number, wild: Input): Input {
  if (pick % 3 === 0) return wild;
  const turn = view(runnable, situation, null).turn[0];
  const open = turn === undefined ? [] : options(runnable, situation, turn).filter((o) => o.open);
  const option = open[pick % Math.max(1, open.length)];
  if (!option || turn === undefined) return wild;
  const values = option.parameters[0]?.values?.filter((v) => v.open);
  return act(
    turn,
    option.action,
    values?.[0] ? { [option.parameters[0]?.name ?? ""]: values[pick % values.length]?.value } : {},
  );
}

describe.each(EXAMPLES)("%s, whatever comes in", (name) => {
  const runnable = example(name);

  test("a step is taken whole or not at all", () => {
    fc.assert(
      fc.property(fc.string(), fc.array(fc.tuple(fc.nat(), anyInput(name)), { maxLength: 40 }), (seed, inputs) => {
        let s = start(runnable, {}, seed);
        for (const [pick, wild] of inputs) {
          const before = situationDigest(runnable, s);
          const result = step(runnable, s, likely(runnable, s, pick, wild));
          expect(situationDigest(runnable, s)).toBe(before);
          expect(result.fault).toBeUndefined();
          if (result.refusal && result.taken.length === 0) expect(result.situation).toBe(s);
          expect(result.situation.step).toBe(s.step + result.taken.length);
          s = result.situation;
        }
      }),
      { numRuns: 60 },
    );
  });

  test("run equals repeated step", () => {
    fc.assert(
      fc.property(fc.string(), fc.array(fc.tuple(fc.nat(), anyInput(name)), { maxLength: 40 }), (seed, picks) => {
        const inputs: Input[] = [];
        let stepped = start(runnable, {}, seed);
        for (const [pick, wild] of picks) {
          if (stepped.outcome) break;
          const input = likely(runnable, stepped, pick, wild);
          inputs.push(input);
          const result = step(runnable, stepped, input);
          stepped = result.situation;
          if (result.refusal ?? result.fault) break;
        }
        for (const sink of [undefined, () => {}]) {
          const waiting = [...inputs];
          const ran = run(runnable, start(runnable, {}, seed), () => waiting.shift(), sink);
          expect(situationDigest(runnable, ran.situation)).toBe(situationDigest(runnable, stepped));
        }
      }),
      { numRuns: 60 },
    );
  });
});

test("generated code and closures do the same, step for step", () => {
  for (const name of EXAMPLES) {
    const { machine } = example(name);
    const [generated, closures] = [new Runnable(machine, true), new Runnable(machine, false)];
    fc.assert(
      fc.property(fc.string(), fc.array(fc.tuple(fc.nat(), anyInput(name)), { maxLength: 40 }), (seed, picks) => {
        let [a, b] = [start(generated, {}, seed), start(closures, {}, seed)];
        for (const [pick, wild] of picks) {
          const input = likely(generated, a, pick, wild);
          const [one, two] = [step(generated, a, input), step(closures, b, input)];
          expect(two.taken.map((t) => t.happenings)).toEqual(one.taken.map((t) => t.happenings));
          expect([two.refusal, two.fault]).toEqual([one.refusal, one.fault]);
          [a, b] = [one.situation, two.situation];
          expect(situationDigest(closures, b)).toBe(situationDigest(generated, a));
        }
      }),
      { numRuns: 40 },
    );
  }
});

test("a fault in the middle of a run leaves what was before it", () => {
  const text = exampleText("kite-duel.zany").replace(
    'note "{source} slashes',
    'let trap = if lap > 2 then floor(1 / (kites[target].lift - kites[target].lift)) else 0\n  note "{source} slashes',
  );
  for (const generated of [true, false]) {
    const runnable = new Runnable(compile(text).machine, generated);
    const s = start(runnable);
    const inputs = Array.from({ length: 12 }, () => "brace");
    const stepped: Situation[] = [s];
    const next = (turn: string, i: number): Input =>
      act(turn, i < 5 ? (inputs[i] as string) : "slash", i < 5 ? {} : { target: turn === "north" ? "south" : "north" });
    for (let i = 0; ; i++) {
      const before = stepped.at(-1) as Situation;
      const result = step(runnable, before, next(view(runnable, before, null).turn[0] as string, i));
      if (result.fault) break;
      stepped.push(result.situation);
    }
    let count = 0;
    const ran = run(runnable, s, (moment) => next(moment.turn[0] as string, count++));
    expect(ran.fault?.code).toBe("divisionByZero");
    expect(situationDigest(runnable, ran.situation)).toBe(situationDigest(runnable, stepped.at(-1) as Situation));
  }
});

test("a law that only reads data stops a step, in every way of running it", () => {
  const text =
    'machine M\nseats a\ndata { n: int 0..9  other: int }\nstart S\nstate S { turn of a action more { n += 1 } -> stay action aside { other += 1 } -> stay action end -> E }\nending E { draws all }\nlaw "small": n < 3';
  for (const generated of [true, false]) {
    const runnable = new Runnable(compile(text).machine, generated);
    const s = start(runnable);
    for (const sink of [undefined, () => {}]) {
      const waiting = ["more", "aside", "more", "more", "more"];
      const ran = run(
        runnable,
        s,
        () => {
          const action = waiting.shift();
          return action === undefined ? undefined : act("a", action, {});
        },
        sink,
      );
      expect([ran.fault?.code, ran.situation.step, waiting.length]).toEqual(["lawBroken", 3, 1]);
    }
    const two = play(runnable, s, act("a", "more", {}), act("a", "more", {}));
    expect(step(runnable, two, act("a", "more", {})).fault?.code).toBe("lawBroken");
  }
});

test("names that mean something to the host are ordinary names or unknown", () => {
  const text = `machine M
seats __proto__, constructor
type T { hasOwnProperty: int 0..9 = 1 }
data { toString per seat: T }
start S
state S {
  turn of seats
  action valueOf(__defineGetter__: int 0..3) { toString[me].hasOwnProperty += __defineGetter__ } -> stay
  action end -> E
}
ending E { draws all }
`;
  const compilation = compile(text);
  expect(compilation.ok).toBe(true);
  const runnable = new Runnable(compilation.machine);
  const s = play(runnable, start(runnable), act("__proto__", "valueOf", { __defineGetter__: 2 }));
  const [data] = view(runnable, s, "constructor").data;
  expect(JSON.stringify(data?.value)).toBe('{"__proto__":{"hasOwnProperty":3},"constructor":{"hasOwnProperty":1}}');
});

describe("the next deadline", () => {
  /** What is told of the timers of a state. */
  const due = (items: string) => {
    const runnable = runnableOf(
      `machine M\nseats a, b\ndata { lit: bool = true  spare: int 0..9 = 0  hidden nerve: int 0..9 = 3 }\nstart Night\n` +
        `state Night { ${items} }\nstate Dawn { after 1s -> Over }\nending Over { draws all }\nending Calm { draws all }\n`,
    );
    const { due: seen } = view(runnable, start(runnable), null);
    return seen && [seen.at - 0, seen.timer, seen.to, seen.words];
  };

  test.each([
    ["after 2s -> Over", [2000, "Night.after1", ["Over"], "the match ends in Over"]],
    ["after 2s { spare += 1 } -> stay", [2000, "Night.after1", [], "its effects run"]],
    // Nothing would happen: no effects and no arrow that leads anywhere, or a condition that does not hold.
    ["after 1s -> stay\n after 2s -> Dawn", [2000, "Night.after2", ["Dawn"], "it goes on in Dawn"]],
    ["after 1s when not lit -> Over\n after 2s -> Dawn", [2000, "Night.after2", ["Dawn"], "it goes on in Dawn"]],
    ["after 1s when not lit -> Over", undefined],
    // What a secret or its own effects decide may happen.
    ["after 1s when nerve > 5 -> Over\n after 2s -> Dawn", [1000, "Night.after1", ["Over"], "the match ends in Over"]],
    [
      "after 1s -> choose { when nerve > 5 -> Over else -> Calm }",
      [1000, "Night.after1", ["Over", "Calm"], "the match ends in Over or Calm"],
    ],
    [
      "after 1s -> choose { when spare > 5 -> Over else -> Dawn }",
      [1000, "Night.after1", ["Dawn"], "it goes on in Dawn"],
    ],
    ["after 1s -> choose { when spare > 5 -> Over else -> stay }", undefined],
    [
      "after 1s { spare = 7 } -> choose { when spare > 5 -> Over else -> Dawn }",
      [1000, "Night.after1", ["Over", "Dawn"], "it goes on in Over or Dawn"],
    ],
    // When it is due would tell the secret that its delay comes from.
    ["after 1s * nerve -> Over\n after 9s -> Dawn", [9000, "Night.after2", ["Dawn"], "it goes on in Dawn"]],
  ] as const)("of %s", (items, told) => {
    expect(due(items)).toEqual(told);
  });
});
