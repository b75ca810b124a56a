/** Every situation of small games: counts and values known from mathematics or from a search of another kind. */

import { readFileSync } from "node:fs";
import { describe, expect, test } from "vitest";
import {
  begin,
  compile,
  evidenceOf,
  Exploration,
  type Explored,
  type ExploreFinding,
  type ExploreOptions,
  options,
  ownCondition,
  readLogbook,
  renderMessage,
  Runnable,
  runTests,
  type Situation,
  situationJson,
  step,
  turnOf,
  verifyText,
} from "../src/index.js";

function runnableOf(text: string): Runnable {
  const { machine, ok, messages, sources } = compile(text, "game.zany", undefined, { errorsOnly: true });
  if (!ok) throw new Error(messages.map((message) => renderMessage(sources, message)).join("\n"));
  return new Runnable(machine);
}

function explored(text: string, wish: ExploreOptions = {}): Explored {
  return new Exploration(runnableOf(text), wish).run();
}

/** The same by what games use: options, steps and situations as JSON, for games without dice and timers. */
/** What a finding is shown by. */
function shownBy(finding: Pick<ExploreFinding, "at" | "key" | "move"> | undefined): Parameters<typeof evidenceOf>[3] {
  const { at = 0, move, key } = finding ?? {};
  return { at, move, fails: move !== undefined, what: key };
}

function bruteForce(text: string): { readonly situations: number; readonly steps: number } {
  const runnable = runnableOf(text);
  const keyOf = (situation: Situation): string => {
    const {
      step: _,
      dice: _dice,
      now: _now,
      ...rest
    } = situationJson(runnable.machine, situation) as Record<string, unknown>;
    return JSON.stringify(rest);
  };
  const first = begin(runnable, { seed: "x" }).taken?.situation as Situation;
  const seen = new Set([keyOf(first)]);
  const waiting = [first];
  let steps = 0;
  for (let at = waiting.pop(); at; at = waiting.pop())
    for (const seat of turnOf(runnable, at))
      for (const { action, open, parameters } of options(runnable, at, seat)) {
        const [parameter] = parameters;
        const all = parameter ? (parameter.values ?? []).map(({ value }) => ({ [parameter.name]: value })) : [{}];
        for (const args of open ? all : []) {
          const { taken, situation } = step(runnable, at, { kind: "action", seat, action, args });
          if (taken.length === 0) continue;
          steps++;
          const key = keyOf(situation);
          if (seen.has(key)) continue;
          seen.add(key);
          waiting.push(situation);
        }
      }
  return { situations: seen.size, steps };
}

const NOUGHTS = readFileSync("packages/core/test/games/noughts.zany", "utf8");

/** Heaps of 3, 4 and 5: whoever takes the last wins. Heaps, and whose turn it is. */
const HEAPS = `
machine Heaps
seats first, second
data { heaps: list of int 0..5 = [3, 4, 5]  mover: seat = first }
start Take
state Take {
  turn of mover
  action take(heap: int in heaps.indices, some: int 1..5 where some <= heaps[heap]) {
    heaps[heap] -= some
  } -> choose {
    when all(i in heaps.indices: heaps[i] == 0) -> Cleared(me)
    else { mover = next(mover) } -> stay
  }
}
ending Cleared(by: seat) { wins by loses others }
`;

/** A piece on 12 squares, moved by a die, in circles, until it stands on the last one exactly. */
const RACE = `
machine Race
seats runner
data { square: int 0..11 = 0 }
start Run
state Run {
  turn of runner
  action roll { let n = roll(1..6) square = (square + n) mod 12 } -> choose {
    when square == 11 -> Home
    else -> stay
  }
}
ending Home { wins all }
`;

describe("counts", () => {
  test("noughts and crosses: 5,478 situations, 958 of them over, and the same by another search", () => {
    const { situations, complete, endings, findings, never } = explored(NOUGHTS);
    expect({ situations, complete, findings }).toEqual({ situations: 5478, complete: true, findings: [] });
    expect(endings.map(({ ending, situations: n }) => [ending, n])).toEqual([
      ["Won", 942],
      ["Full", 16],
    ]);
    expect(never).toEqual({ states: [], actions: [], endings: [], seats: [] });
    expect(bruteForce(NOUGHTS)).toEqual({ situations: 5478, steps: 16167 });
  });

  test("heaps of 3, 4 and 5: 4 · 5 · 6 heaps, each with either to move, but for what cannot be", () => {
    // All heaps with both to move, but the first heaps with the second to move, and heaps one less with the first to
    // move (three moves are needed to come back to the first after ...): the other search knows.
    const { situations, steps, complete } = explored(HEAPS);
    expect(complete).toBe(true);
    expect(situations).toBeLessThanOrEqual(2 * 4 * 5 * 6);
    const other = bruteForce(
      HEAPS.replace(
        "heap: int in heaps.indices, some: int 1..5 where some <= heaps[heap]",
        "both: int 0..17 where both mod 6 > 0 and both mod 6 <= heaps[floor(both / 6)]",
      ).replaceAll("heaps[heap] -= some", "heaps[floor(both / 6)] -= both mod 6"),
    );
    expect({ situations, steps }).toEqual(other);
  });

  test("dice: every face from every square", () => {
    const { situations, steps, complete } = explored(RACE);
    // Eleven squares to roll from, and the twelfth is the end.
    expect({ situations, steps, complete }).toEqual({ situations: 12, steps: 66, complete: true });
  });
});

describe("time", () => {
  const TWO = `
machine Two
seats one
data { early: bool = false  late: bool = false }
start Both
parallel state Both {
  state Early { start Waits state Waits { after 3s { early = true } -> Rung } state Rung { } }
  state Late { start Waits2 state Waits2 { turn of one action hold -> again Waits2 after 5s { late = true } -> Rung2 } state Rung2 { } }
}
law "three come before five": late implies early
ending Never { draws all }
`;
  test("timers run in every order that times allow, and in no other", () => {
    const { findings, complete } = explored(TWO);
    expect(complete).toBe(true);
    expect(findings.filter(({ kind }) => kind === "law")).toEqual([]);
    // Begun anew, the three seconds can come behind the five.
    const held = TWO.replace(
      "after 3s { early = true } -> Rung }",
      "turn of one action rest -> again Waits after 3s { early = true } -> Rung }",
    );
    const exploration = new Exploration(runnableOf(held), {});
    const [broken] = exploration.run().findings.filter(({ kind }) => kind === "law");
    expect(broken).toMatchObject({ kind: "law", depth: 2 });
    const evidence = evidenceOf(runnableOf(held), exploration, {}, shownBy(broken), "late first");
    expect(evidence?.steps).toEqual(["one rest", "timer Waits2.after1"]);
    const { machine } = compile(`${held}\n${evidence?.test}`, "g", undefined, { errorsOnly: true });
    // The test shows the broken law: it fails with it.
    expect(runTests(new Runnable(machine)).at(-1)?.failure?.actual).toContain("three come before five");
  });
});

describe("findings", () => {
  test("stuck, idle, hopeless, faults and laws: each with the shortest match, which verifies", () => {
    const text = `
machine Quay
seats a, b
data { load: int 0..9 = 0  share: int 0..9 = 0  mover: seat = a }
start Load
state Load {
  turn of mover
  action pile { load += 1 mover = next(me) } -> choose { when load == 5 -> Sunk  else -> stay }
  action split needs load < 5 { share = floor(12 / (load - 3)) mover = next(me) } -> stay
  action drift needs load == 2 -> Adrift
}
state Adrift { turn of mover  action pole -> stay }
state Sunk { turn of a  action bail needs load < 5 -> Load }
law "shares stay small": share < 9
ending Done { wins a loses b }
`;
    const runnable = runnableOf(text);
    const exploration = new Exploration(runnable, {});
    const { findings, complete, never } = exploration.run();
    expect(complete).toBe(true);
    expect(findings.map(({ kind, depth }) => `${kind} ${depth}`).sort()).toEqual(
      ["fault 4", "law 5", "noEnding 0", "stuck 5"].sort(),
    );
    expect(never.endings).toEqual(["Done"]);
    for (const { at, key, move, words } of findings) {
      const evidence = evidenceOf(runnable, exploration, {}, shownBy({ at, key, ...(move && { move }) }), words);
      expect(verifyText(runnable, evidence?.logbook ?? "")).toMatchObject({ kind: "verified" });
      expect(readLogbook(evidence?.logbook ?? "").steps.length - 1 + (move ? 1 : 0)).toBe(evidence?.steps.length);
      const { ok } = compile(`${text}\n${evidence?.test}`, "g", undefined, { errorsOnly: true });
      expect(ok, evidence?.test).toBe(true);
    }
  });

  test("a goal: the shortest way, or never, proven", () => {
    const reach = (goal: string): Explored => {
      const { runnable, test: condition } = ownCondition(RACE, goal);
      return new Exploration(runnable, { goal: condition }).run();
    };
    expect(reach("square == 10").goal?.depth).toBe(2);
    expect(reach("square == 1").goal?.depth).toBe(1);
    const { runnable, test: never } = ownCondition(
      NOUGHTS,
      "board[cell(0,0)] == two and count(c in board.cells where board[c] == one) == 0",
    );
    expect(new Exploration(runnable, { goal: never }).run()).toMatchObject({ complete: true });
  });

  test("of 200 small machines with a law each, the law breaks where another search says that it can", () => {
    let broken = 0;
    for (let seed = 1; seed <= 200; seed++) {
      const random = randomOf(seed);
      const [modulus, start, by, twice, away] = [3 + random(9), random(3), 1 + random(4), random(2), random(9)];
      const bad = [random(modulus), random(modulus)] as const;
      // Where it begins broken there is no match.
      if (bad[0] === start && bad[1] === 0) continue;
      const text = `
machine Locks
seats a
data { left: int 0..99 = ${start}  right: int 0..99 = 0 }
start Turn
state Turn {
  turn of a
  action push { left = (left + ${by}) mod ${modulus} } -> stay
  action pull needs left != ${away % modulus} { right = (right + left${twice ? " * 2" : ""}) mod ${modulus} } -> stay
}
law "shut": not (left == ${bad[0]} and right == ${bad[1]})
ending Done { draws all }
`;
      const { findings, complete } = explored(text);
      expect(complete, text).toBe(true);
      const can = reachable(modulus, start, by, twice + 1, away % modulus, bad);
      expect(
        findings.some(({ kind }) => kind === "law"),
        text,
      ).toBe(can);
      if (can) broken++;
    }
    expect(broken).toBeGreaterThan(50);
    expect(broken).toBeLessThan(190);
  });
});

test("what has no end is named, and what no rule can see is left out and named", () => {
  const text = (effect: string, more = ""): string => `
machine Kept
seats a
data { seen: int 0..3 = 0  told: int 0..9 = 0  anew: int 0..9 = 0  grows: int = 0  share: num }
start Turn
state Turn {
  turn of a
  action go { told += 1 anew = seen seen = (seen + anew) mod 3 note "{told}" ${effect} } -> stay
  ${more}
}
ending Done { draws all }
`;
  const plain = explored(text(""));
  expect(plain).toMatchObject({ complete: true, situations: 1, unseen: ["told", "anew", "grows", "share"] });
  // What an effect, an argument or a signal hands on is seen where it decides something there.
  const passed = `
machine Passed
seats a, b, c
data { loser: seat = a  lent: int 0..3 = 0  told: int 0..3 = 0 }
signal Lent(some: int)
effect out() { eliminate loser }
effect lend(some: int) { raise Lent(some) }
start Turn
state Turn {
  turn of c
  action choose_(who: seat in [a, b]) { loser = who } -> stay
  action give { lent = (lent + 1) mod 3 told = lent } -> stay
  action strike { out() } -> choose { when inPlay.size == 1 -> Done  else -> stay }
  action lend_ { lend(lent) } -> stay
  on Lent(some) when some == 2 -> Done
}
ending Done { draws all }
`;
  expect(explored(passed).unseen).toEqual(["told"]);
  // Written anew only for those in play, what a seat that is out has left is seen.
  const partly = `
machine Partly
seats a, b
data { mark per seat: int 0..3 = 0  all_: int 0..9 = 0 }
start Turn
state Turn {
  turn of seats
  action count_ { for s in inPlay { mark[s] = 1 } all_ = sum(s in seats: mark[s]) } -> choose { when all_ == 5 -> Done else -> stay }
}
ending Done { draws all }
`;
  expect(explored(partly).unseen).not.toContain("mark.*");
  expect(explored(partly.replace("for s in inPlay", "for s in seats")).unseen).toContain("mark.*");
  const growing = explored(text("grows += 1", "when grows == 999999999 -> Done"), { most: { situations: 500 } });
  expect(growing.complete).toBe(false);
  expect(growing.incomplete.map(({ words }) => words)).toEqual(["500 situations are the most that were asked for"]);
  const real = explored(text("share = roll(0.0..1.0) if share > 2 { grows += 1 }", "when grows == 7 -> Done"));
  expect(real.incomplete.map(({ words }) => words)).toEqual(["a roll that is no whole number has no end of outcomes"]);
  // Asked to, it goes on at random behind it.
  const asked = explored(text("share = roll(0.0..1.0) grows += 1", "when grows == 7 -> Done"), { walk: 200 });
  expect([asked.complete, asked.endings.map(({ ending }) => ending)]).toEqual([false, ["Done"]]);
  const begun = text("").replace(
    "action go",
    "enter { share = roll(0.0..1.0) if share > 2 { grows += 1 } }\n  when grows == 7 -> Done\n  action go",
  );
  const rolled = explored(begun);
  expect(rolled.complete).toBe(false);
  expect(rolled.incomplete.map(({ words }) => words)).toEqual([
    "a roll that is no whole number has no end of outcomes",
  ]);
  const free = explored(text("", "action say(words: text max 9) -> stay"));
  expect(free.incomplete[0]?.words).toContain('of "words", a text, the empty one and one other');
});

test("it is said for which matches what was found holds", () => {
  const text = `machine Ferry
seats 2..3 rower
event Gust(force: int 1..2)
on Left(s) -> Ashore
start Row
state Row {
  turn of rower1
  action land -> Ashore
  on Gust(force) when force == 2 -> Ashore
  after 1m -> Ashore
}
ending Ashore { draws all }
law "dry": true
`;
  const asBegun = "data as the machine begins with them";
  const gusts = "events of the game at any time";
  // As a match that says nothing of it: with the fewest.
  expect(explored(text).holdsFor).toEqual(["2 seats", "nobody leaves", gusts, asBegun, "all times"]);
  expect(explored(text, { leaving: true }).situations).toBe(explored(text, { seats: 2, leaving: true }).situations);
  expect(explored(text, { seats: 2, open: ["rower2"], leaving: true, noEvents: true, law: "dry" }).holdsFor).toEqual([
    "2 seats",
    "rower2 open at the beginning",
    "seats are left at any time",
    "no events of the game",
    asBegun,
    "all times",
    'the law "dry" alone',
  ]);
  const alone = "machine Lamp\nseats ann\nstart S\nstate S { turn of ann action go -> E }\nending E { wins ann }\n";
  expect(explored(alone).holdsFor).toEqual(["1 seat", asBegun]);
});

test("what lies deeper than all can be visited is come to at random, the same way every time, and can be shown", () => {
  const text = `
machine Deep
seats a, b
data { noise: int 0..63 = 0  more: int 0..63 = 0  high: int 0..30 = 0  mover: seat = a }
start Climb
state Climb {
  turn of mover
  action call(noisy: int 0..63) { noise = noisy more = (more + roll(1..6) + noise) mod 64 mover = next(me) } -> stay
  action step needs more mod 2 == 0 { high += 1 mover = next(me) } -> stay
  action slip needs noise == 63 { high = max(0, high - 2) } -> stay
}
law "nobody climbs so high": high < 9
ending Top { wins a loses b }
`;
  const wish = { most: { situations: 3_000 } };
  expect(explored(text, wish).findings).toEqual([]);
  const runnable = runnableOf(text);
  const search = (): { exploration: Exploration; found: Explored } => {
    const exploration = new Exploration(runnable, { ...wish, walk: 20_000 });
    return { exploration, found: exploration.run() };
  };
  const { exploration, found } = search();
  const [broken] = found.findings;
  expect([found.complete, broken?.kind, (broken?.depth ?? 0) >= 9]).toEqual([false, "law", true]);
  expect(search().found.findings).toEqual(found.findings);
  const evidence = evidenceOf(runnable, exploration, {}, shownBy(broken), "too high");
  // What it comes to is shown without what it does not need.
  expect(evidence?.steps.length).toBeLessThan(20);
  expect(verifyText(runnable, evidence?.logbook ?? "")).toMatchObject({ kind: "verified" });
  const { machine } = compile(`${text}\n${evidence?.test}`, "g", undefined, { errorsOnly: true });
  expect(runTests(new Runnable(machine)).at(-1)?.failure?.actual).toContain("nobody climbs so high");
});

function randomOf(seed: number): (below: number) => number {
  let state = seed;
  return (below) => {
    state = (Math.imul(state, 1103515245) + 12345) >>> 0;
    return (state >>> 8) % below;
  };
}

function reachable(
  modulus: number,
  start: number,
  by: number,
  times: number,
  away: number,
  bad: readonly [number, number],
): boolean {
  const seen = new Set<string>();
  const waiting: [number, number][] = [[start, 0]];
  for (let at = waiting.pop(); at; at = waiting.pop()) {
    const [left, right] = at;
    if (seen.has(at.join())) continue;
    seen.add(at.join());
    if (left === bad[0] && right === bad[1]) return true;
    waiting.push([(left + by) % modulus, right]);
    if (left !== away) waiting.push([left, (right + left * times) % modulus]);
  }
  return false;
}

test("of the steps that were taken those at random are some: ways that go no further are none of them", () => {
  const stands = runnableOf(readFileSync("packages/core/test/games/stands.zany", "utf8"));
  const { steps, walked } = new Exploration(stands, { most: { situations: 20 }, walk: 5_000 }).run();
  expect(walked).toBeGreaterThan(3_000);
  expect(walked).toBeLessThan(steps);
});

test("of more beginnings than are tried one by one some are rolled, and walked on from", () => {
  const heaps = runnableOf(`machine Heaps
seats ann, ben
data { pebbles: int  turns: int 0..9 }
start Heap
state Heap { enter { for i in 1..8 { pebbles += roll(1..6) } } -> Turn }
state Turn {
  turn of ann
  action count -> choose { when pebbles > 30 -> Many else -> Few }
}
ending Many { wins ann  loses others }
ending Few { loses ann  wins others }
`);
  // The first thousand ways come to no more than 28 pebbles.
  const { endings, complete } = new Exploration(heaps, {}).run();
  expect(endings.map(({ ending }) => ending).sort()).toEqual(["Few", "Many"]);
  expect(complete).toBe(false);
  expect(new Exploration(heaps, { walk: 2_000 }).run().walked).toBeGreaterThan(500);
});

test("a step that does very much counts as several of those that may be taken", () => {
  const digging = (times: number): number =>
    explored(
      `machine Dig seats ann data { dug: int 0..9999  n: int 0..9 }
start Beach
state Beach { turn of ann action dig { for i in 1..${times} { n = 1 - n } dug += 1 } -> stay action end needs dug mod 2 == 0 -> Done }
ending Done { wins ann }`,
      { most: { steps: 2_000 } },
    ).situations;
  // 1,200 effects and more, at 60 a step.
  expect(digging(600) * 15).toBeLessThan(digging(2));
});

test("where any of several may act, one who can is enough; of each, all have to", () => {
  const text = (turn: string, arrow: string): string => `machine M
seats a, b
data { n: int 0..2 = 0 }
start S
state S {
  turn of ${turn}
  action ring needs me == a else "not you" { n += 1 } -> ${arrow}
}
ending E { draws all }
`;
  const any = text("inPlay", "choose { when n == 2 -> E else -> stay }");
  expect(explored(any).findings).toEqual([]);
  const each = text("each inPlay", "ready").replace("}\nending", "  when all ready -> E\n}\nending");
  expect(explored(each).findings.map(({ words }) => words)).toContain("b is on turn in S, and has nothing open.");
});

test("where dice fall in too many ways, each outcome of the first roll is tried all the same", () => {
  const text = `machine M
seats a
data { total: int 0..99 = 0 }
start S
state S {
  turn of a
  action go {
    let way = roll(1..3)
    if way == 2 { total = roll(1..6) + roll(1..6) + roll(1..6) }
  } -> choose { when way == 3 -> Rare  else -> E }
}
ending Rare { draws all }
ending E { draws all }
`;
  const { never, complete, incomplete } = explored(text, { most: { ways: 50 } });
  expect(never.endings).toEqual([]);
  expect([complete, incomplete.map(({ words }) => words)]).toEqual([
    false,
    ["of all ways in which the dice can fall in a step 50 were tried"],
  ]);
  // As many as there are is not too many.
  expect(explored(text, { most: { ways: 218 } }).complete).toBe(true);
  expect(explored(text, { most: { ways: 217 } }).complete).toBe(false);
});
