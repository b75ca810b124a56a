/** What is covered: by tests, matches, simulations, a search; and tests of what is not, which cover it. */

import {
  begin,
  compile,
  Coverage,
  coverByLogbook,
  coverBySearch,
  coverBySimulation,
  coverByTests,
  evidenceOf,
  exploreWhole,
  diagramOf,
  lcovOf,
  LogbookWriter,
  marginText,
  missedIn,
  missingIn,
  readLogbook,
  Runnable,
  runTests,
  step,
  stepRuns,
  sumsOf,
  verifyText,
} from "@zany/core";
import { expect, test } from "vitest";
import type { Move } from "../src/explore/report.js";

const RELAY = `machine Relay
seats mira, olle

signal Dropped(by: seat)

data { parcels per seat: int 0..3 = 3  carrier: seat = mira  wet: bool = false }

on Left(s) -> Lost
on Dropped(by) { parcels[by] += 1 }

start Carry

state Carry {
  turn of carrier
  action hand(n: int 1..2 where n <= parcels[me] else "not so many") {
    parcels[me] -= n
    if chance(1 in 4) { raise Dropped(me) }
    if wet { note "drenched" } else { wet = n == 2 }
    carrier = next(me)
  } -> Judge
  action rest needs wet else "not before it rains" { wet = false } -> stay
  after 1m -> Lost
}

state Judge {
  enter -> choose {
    when parcels[mira] == 0 and parcels[olle] == 0 -> Home
    else -> Carry
  }
}

ending Home { draws all }
ending Lost { loses all }

law "nobody carries less than nothing": in Carry implies parcels[carrier] >= 0

test "two are handed over" {
  mira hand(2) dice false
  olle hand(1) dice false
  expect parcels[mira] == 1
}
`;

const names = (coverage: Coverage): string[] =>
  coverage.items
    .filter(({ count }) => count === 0)
    .map(({ item: { kind, name, way } }) => `${kind} ${name}${way === undefined ? "" : ` ${way}`}`);

test("tests cover what they come to, counted; branches both ways", () => {
  const coverage = new Coverage(compile(RELAY).machine);
  expect(names(coverage)).toHaveLength(coverage.items.length);
  expect(coverByTests(coverage)).toBe(1);
  const counts = Object.fromEntries(
    coverage.items.map(({ item: { kind, name, way }, count }) => [`${kind} ${name} ${way ?? ""}`.trim(), count]),
  );
  expect(counts).toMatchObject({ "state Carry": 3, "state Judge": 2, "action Carry.hand": 2, "timer Carry.after1": 0 });
  expect(names(coverage)).toEqual([
    "listener on.Left",
    "listener on.Dropped",
    "refusal Carry.hand(n) false",
    "branch Carry.hand.effects true",
    "action Carry.rest",
    "refusal Carry.rest.needs[1] false",
    "timer Carry.after1",
    "branch Judge.when[1].choose[1] true",
    "ending Home",
    "ending Lost",
  ]);
  expect(coverage.statesAndInputs).toEqual([{ state: "Carry", input: "Carry.hand", count: 2 }]);
  expect(sumsOf(coverage.items)).toContainEqual({ kind: "state", covered: 2, all: 2 });
});

test("of the diagram what was not covered is told: states, endings, arrows", () => {
  const { machine } = compile(RELAY);
  const coverage = new Coverage(machine);
  const diagram = diagramOf(machine);
  const missed = (): { nodes: string[]; arrows: string[] } => {
    const { nodes, isCovered } = missedIn(coverage.items);
    const arrows = diagram.edges.filter(({ ways }) => !ways.some(isCovered)).map(({ from, to }) => `${from} ${to}`);
    return { nodes: [...nodes].sort(), arrows: arrows.sort() };
  };
  expect(missed().arrows).toHaveLength(diagram.edges.length);
  coverByTests(coverage);
  expect(missed()).toEqual({ nodes: ["Home", "Lost"], arrows: ["Carry Lost", "Judge Home", "anywhere Lost"] });
  coverBySearch(coverage, 40_000);
  // Nobody leaves in that search.
  expect(missed()).toEqual({ nodes: [], arrows: ["anywhere Lost"] });
});

test("what nothing covers comes with tests that do, by the shortest matches; what cannot be has none", () => {
  const coverage = new Coverage(compile(RELAY).machine);
  coverByTests(coverage);
  const missing = missingIn(coverage, 40_000);
  expect(missing.map(({ item }) => item.name)).toEqual(
    coverage.items.filter(({ count }) => count === 0).map(({ item }) => item.name),
  );
  const rest = missing.find(({ item }) => item.name === "Carry.rest");
  expect(rest?.evidence?.steps).toEqual(["mira hand(2)", "olle rest"]);
  const tests = missing.map(({ evidence }) => evidence?.test);
  expect(tests.every((written) => written !== undefined)).toBe(true);
  const { machine, ok } = compile(`${RELAY}\n${tests.join("\n")}`);
  expect(ok).toBe(true);
  expect(runTests(new Runnable(machine)).filter(({ failure }) => failure)).toEqual([]);
  const whole = new Coverage(machine);
  coverByTests(whole);
  expect(names(whole)).toEqual([]);
  const never = compile(RELAY.replace("when parcels[mira] == 0", "when parcels[mira] == 0 and parcels[mira] == 1"));
  const [ending] = missingIn(new Coverage(never.machine), 20_000).filter(({ item }) => item.name === "Home");
  expect(ending).toMatchObject({ item: { kind: "ending" } });
  expect(ending?.evidence).toBeUndefined();
});

/** Every turn one can walk about first: nowhere near all of that is visited before the evening is over. */
const EVENING = `machine Evening
seats ada, ben
data { round: int 0..12 = 0  ground: grid 6 by 6 of bool  place per seat: cell = cell(0, 0)  up: seat = ada }
start Turn
state Turn {
  turn of up
  start Choose
  state Choose {
    action walk(goal: cell in ground.reach(place[me], 2)) { place[me] = goal } -> Walked
    action pass -> Next
  }
  state Walked { action hold -> Next }
}
state Next { enter { round += 1  up = next(up) } -> choose { when round == 12 -> Dusk  else -> Turn } }
ending Dusk { draws all }
`;

test("a match that was come to at random loses what it does not need, also where something else has to stand for it", () => {
  const dusk = missingIn(new Coverage(compile(EVENING).machine), 20_000).find(({ item }) => item.name === "Dusk");
  expect(stepRuns(dusk?.evidence?.steps ?? []).map(({ words }) => words)).toEqual(
    Array.from({ length: 12 }, (_, i) => (i % 2 === 0 ? "ada pass" : "ben pass")),
  );
  expect(dusk?.mayBeShorter).toBe(true);
  expect(stepRuns(["a", "a", "b", "a"])).toEqual([
    { words: "a", times: 2 },
    { words: "b", times: 1 },
    { words: "a", times: 1 },
  ]);
});

test("kept matches, simulations and searches add up", () => {
  const { machine } = compile(RELAY);
  const runnable = new Runnable(machine);
  const how = { seed: "rain" };
  const { taken: first } = begin(runnable, how);
  if (!first) throw new Error("does not begin");
  let text = "";
  const writer = new LogbookWriter(runnable, how, first, (line) => {
    text += line;
  });
  const stepped = step(runnable, first.situation, { kind: "leave", seat: "olle" }, { happenings: "now" });
  for (const taken of stepped.taken) writer.add(taken);
  writer.close();
  const coverage = new Coverage(machine);
  expect(coverByLogbook(coverage, readLogbook(text))).toBe(1);
  const count = (name: string): number => coverage.items.find(({ item }) => item.name === name)?.count ?? -1;
  expect([count("on.Left"), count("Lost"), count("Home")]).toEqual([1, 1, 0]);
  coverBySimulation(coverage, { seed: "rain", first: 0, end: 30 });
  expect(count("Home")).toBeGreaterThan(0);
  const before = count("Carry.hand");
  expect(coverBySearch(coverage, 100_000)).toBe(true);
  expect(count("Carry.hand")).toBeGreaterThan(before);
  expect(names(coverage)).toEqual([]);
});

test("LCOV and the margin say the same", () => {
  const { machine, sources } = compile(RELAY);
  const coverage = new Coverage(machine);
  coverByTests(coverage);
  const lcov = lcovOf(sources, coverage.items, (file) => `machines/${file}`).split("\n");
  expect(lcov.slice(0, 2)).toEqual(["TN:", "SF:machines/machine.zany"]);
  expect(lcov).toEqual(
    expect.arrayContaining(["FNDA:2,Carry.hand", "FNDA:0,Carry.rest", "FNF:2", "FNH:1", "DA:13,3", "end_of_record"]),
  );
  const sum = (tag: string): number => Number(lcov.find((line) => line.startsWith(`${tag}:`))?.slice(tag.length + 1));
  expect(lcov.filter((line) => line.startsWith("BRDA:"))).toHaveLength(sum("BRF"));
  expect(lcov.filter((line) => /^BRDA:.*,[1-9]\d*$/.test(line))).toHaveLength(sum("BRH"));
  const lines = marginText(sources, coverage.items).split("\n");
  expect(lines.map((line) => line.slice(4))).toEqual(RELAY.split("\n").map((line) => line.trimEnd()));
  expect(lines[12]).toBe("3   state Carry {");
  expect(lines[14]?.slice(0, 3)).toBe("2 !");
});

test("a search tells endings that hold at once, with the match, and branches that never come out so", () => {
  const duel = (first: string): string =>
    `machine Duel
seats ann, ben
data { lift per seat: int 0..6 = 6  turn: seat = ann  ever: bool = false }
on Left(s) -> Won(next(s))
start Turn
state Turn {
  turn of turn
  action slash { lift[next(me)] -= roll(1..4)  lift[me] -= 1  turn = next(me) } -> choose {
    ${first}
    when lift[ann] == 0 -> Won(ben)
    when lift[ben] == 0 -> Won(ann)
    when ever -> Won(ann)
    else -> stay
  }
}
ending Won(winner: seat) { wins winner  loses others }
ending Both { draws all }
`
      .replace(/\bturn: seat/, "mover: seat")
      .replace("turn of turn", "turn of mover")
      .replace("turn = next", "mover = next");
  const runnable = new Runnable(compile(duel("")).machine);
  const { explored, exploration, atOnce, branches } = exploreWhole(runnable, {});
  expect(explored.complete).toBe(true);
  expect(atOnce.map(({ endings }) => endings)).toEqual([["Won(ben)", "Won(ann)"]]);
  const [found] = atOnce;
  const evidence = found && evidenceOf(runnable, exploration, {}, found, "at once");
  expect(verifyText(runnable, evidence?.logbook ?? "")).toMatchObject({ kind: "verified" });
  expect(branches.map(({ item }) => item.name)).toEqual(["Turn.slash.choose[3]"]);
  // What is done when somebody leaves is not missed where nobody does.
  const going = duel("").replace(
    "on Left(s) -> Won(next(s))",
    "on Left(s) -> choose { when s == ann -> Both else -> Won(ann) }",
  );
  const gone = (leaving: boolean): readonly string[] =>
    exploreWhole(new Runnable(compile(going).machine), { leaving }).branches.map(({ item }) => item.name);
  expect(gone(false)).toEqual(["Turn.slash.choose[3]"]);
  expect(
    exploreWhole(new Runnable(compile(going.replace("s == ann", "ever")).machine), { leaving: true }).branches,
  ).toContainEqual(expect.objectContaining({ item: expect.objectContaining({ name: "on.Left.choose[1]" }) }));
  // What is not needed for it is left out of a longer match, in which it is seen again and again.
  const pausing = duel("").replace("  action slash", "  action pause -> stay\n  action slash");
  const slow = exploreWhole(new Runnable(compile(pausing).machine), {});
  const [late] = slow.atOnce;
  const way = slow.exploration.wayTo(late?.at ?? 0);
  const moves = [...way.moves, ...(late?.move ? [late.move] : [])];
  const pause: Move = {
    does: { kind: "action", seat: 0, id: 0, args: [] },
    input: { kind: "action", seat: "ann", action: "pause" },
    dice: [],
  };
  const longer = { ...way, moves: [pause, pause, ...moves] };
  expect(slow.exploration.shortened(longer, late?.what ?? "", true).moves).toEqual(moves);
  // A branch of its own for both comes first: nothing is left to the order.
  const right = new Runnable(compile(duel("when lift[ann] == 0 and lift[ben] == 0 -> Both")).machine);
  expect(exploreWhole(right, {}).atOnce).toEqual([]);
});
