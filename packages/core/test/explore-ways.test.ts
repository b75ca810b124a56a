/** However the engine of a search runs, and however situations are packed, it visits the same and tells the same. */

import { readFileSync } from "node:fs";
import { expect, test } from "vitest";
import type { Machine } from "../src/check/machine.js";
import { Engine } from "../src/engine/matches/runnable.js";
import { compile, Exploration, type ExploreOptions, Runnable } from "../src/index.js";
import { writtenArrows } from "../src/check/tree.js";
import { Coverage } from "../src/coverage/coverage.js";
import type { Sign } from "../src/evidence/claims.js";
import { Signs } from "../src/evidence/signs.js";
import type { Lookout } from "../src/explore/options.js";
import { Players } from "../src/explore/players.js";
import { CannotExplore } from "../src/explore/report.js";
import { EXAMPLES, example } from "./examples.js";
import { machineOf } from "./generated-machines.js";

/** What a search comes to, all of it; or why there is none. */
function toldOf(machine: Machine, generated: boolean, after: number, wish: ExploreOptions): unknown {
  // Somebody who counts what is covered listens to conditions, to what is carried out, entered and ended.
  const coverage = wish.lookout && new Coverage(machine);
  const engine = new Engine(machine, generated, after, undefined, coverage?.probes, true);
  const runnable = new Runnable(machine);
  try {
    const exploration = new Exploration(runnable, { ...wish, engine });
    const { bytes: _, ...report } = exploration.run();
    const ways = Array.from({ length: Math.min(report.situations, 40) }, (_, id) => exploration.wayTo(id));
    // Where a fault is told is an expression or its place, which is all that counts.
    return JSON.parse(
      JSON.stringify({ report, ways, covered: coverage?.items.map(({ count }) => count > 0) }, (key, value) =>
        key === "at" && value?.from ? value.from : value,
      ),
    );
  } catch (error) {
    if (!(error instanceof CannotExplore)) throw error;
    return error.message;
  }
}

/** What a search leads to, for each situation: where and how likely, when everybody plays at random. */
function chainOf(machine: Machine, generated: boolean): Map<number, number>[] {
  const engine = new Engine(machine, generated, 0, undefined, undefined, true);
  const runnable = new Runnable(machine);
  const exploration = new Exploration(runnable, {
    players: new Players(runnable, {}),
    engine,
    most: { situations: 2_000 },
  });
  exploration.run();
  const chain = exploration.chain();
  return Array.from({ length: chain.count }, (_, id) => {
    const likely = new Map<number, number>();
    chain.each(id, (target, part, total) => likely.set(target, (likely.get(target) ?? 0) + part / total));
    return likely;
  });
}

/** Nobody who looks for anything, beside what the engine tells those who listen. */
const LOOKOUT: Lookout = {
  probes: { values: new Map() },
  asks: [],
  begin: () => {},
  rest: () => {},
  aims: () => [],
  seen: () => [],
};

function agrees(name: string, machine: Machine, wish: ExploreOptions): number {
  const closures = toldOf(machine, false, 0, wish);
  expect(toldOf(machine, true, 0, wish), `${name}: generated at once`).toEqual(closures);
  expect(toldOf(machine, true, 3, wish), `${name}: generated after a while`).toEqual(closures);
  return typeof closures === "string" ? 0 : (closures as { report: { steps: number } }).report.steps;
}

/** What somebody sees who listens to all pairs of a choice's conditions: quietly, or looking into boxes all the time. */
function seenIn(machine: Machine, isQuiet: boolean, wish: ExploreOptions): unknown {
  const signs = writtenArrows(machine).flatMap((arrow): Sign[] => {
    const tests = arrow.kind === "choose" ? arrow.branches.flatMap(({ test }) => test ?? []) : [];
    return tests.flatMap((first, i) =>
      tests
        .slice(i + 1)
        .flatMap((second) => [true, false].map((holds): Sign => ({ kind: "both", first, second, holds }))),
    );
  });
  try {
    const lookout = new Signs(machine, signs, undefined, isQuiet);
    const exploration = new Exploration(new Runnable(machine), { ...wish, lookout });
    const { bytes: _, ...report } = exploration.run();
    const seen = [...exploration.sightings].sort(([a], [b]) => a - b);
    return { report, seen, ways: seen.map(([, { at }]) => exploration.wayTo(at)) };
  } catch (error) {
    if (!(error instanceof CannotExplore)) throw error;
    return error.message;
  }
}

function sees(name: string, machine: Machine, wish: ExploreOptions): number {
  const seen = seenIn(machine, true, wish);
  expect(seen, name).toEqual(seenIn(machine, false, wish));
  return typeof seen === "string" ? 0 : (seen as { seen: unknown[] }).seen.length;
}

const LIMITS: ExploreOptions = { most: { situations: 400, ways: 60 }, leaving: true, walk: 300 };

test.each(EXAMPLES)("of %s", (name) => {
  expect(agrees(name, example(name).machine, LIMITS)).toBeGreaterThan(50);
  expect(agrees(name, example(name).machine, { ...LIMITS, lookout: LOOKOUT })).toBeGreaterThan(50);
});

test("of data of every shape: records in records, by seats and cells, read and written whole and in part", () => {
  const text = readFileSync("packages/core/test/games/stands.zany", "utf8");
  const { machine } = compile(text, "stands.zany", undefined, { errorsOnly: true });
  expect(agrees("stands", machine, { most: { situations: 3_000 }, leaving: "one", walk: 500 })).toBeGreaterThan(3_000);
});

test("of steps that roll on the way to rest, which are known from halfway on: also how likely each way is", () => {
  const text = readFileSync("packages/core/test/games/rounds.zany", "utf8");
  const { machine } = compile(text, "rounds.zany", undefined, { errorsOnly: true });
  for (const wish of [{ situations: 3_000 }, { situations: 1_500, ways: 5 }, { steps: 8_000 }])
    expect(agrees("rounds", machine, { most: wish, walk: 500 })).toBeGreaterThan(7_000);
  const closures = chainOf(machine, false);
  const generated = chainOf(machine, true);
  expect(generated.length).toBe(closures.length);
  for (const [id, likely] of closures.entries()) {
    expect([...(generated[id] as Map<number, number>).keys()].sort(), `from ${id}`).toEqual([...likely.keys()].sort());
    for (const [target, share] of likely)
      expect(generated[id]?.get(target), `from ${id} to ${target}`).toBeCloseTo(share, 12);
  }
  expect(closures.some((likely) => likely.size > 3)).toBe(true);
});

test("of somebody who listens to conditions: quietly, and looking into boxes all the time", () => {
  const [before, after] = ["when taken == 189 -> Odd", "when taken > 180 and last == ben -> Even"];
  // What is done late only, when many situations are gone on from in one go: another action, and another seat's turn.
  const heaps = (dice: string, judged: string, choices: readonly string[]): string => `
machine Heaps
seats ann, ben, cid
data { taken: int 0..240  last: seat = ann }
start Take
state Take {
  turn of last
  action take(n: int 1..3) { taken += n${dice}  last = if taken > 150 then next(last) else if last == ann then ben else ann }
    -> ${judged}
  action rest needs taken > 160 { taken += 1 } -> Judge
}
state Judge {
  enter -> choose { ${choices.join("  ")}  when taken == 240 -> Odd  else -> Take }
}
state Toss {
  when taken > 0 -> Tossed
}
state Tossed {
  enter { taken += roll(0..4) } -> Judge
}
ending Odd { wins ann  loses others }
ending Even { wins ben  loses others }
`;
  const quietly = compile(heaps("", "Judge", []), "heaps.zany", undefined, { errorsOnly: true });
  expect(agrees("heaps", quietly.machine, {})).toBeGreaterThan(500);
  const idle = `machine Idle
seats ann, ben
data { pulled: int 0..200 }
start Pull
state Pull {
  turn of seats
  action pull needs pulled < 150 or me == ann { pulled += 1 } -> choose { when pulled == 200 -> Done  else -> stay }
}
ending Done { wins ann  loses others }
`;
  const both = compile(idle, "idle.zany", undefined, { errorsOnly: true });
  expect(agrees("idle", both.machine, {})).toBeGreaterThan(300);
  for (const situations of [281, 317]) agrees("heaps", quietly.machine, { most: { situations } });
  for (const steps of [690, 711]) agrees("heaps", quietly.machine, { most: { steps } });
  let seen = 0;
  for (const choices of [
    [before, after],
    [after, before],
  ])
    for (const [dice, judged] of [
      ["", "Judge"],
      [" + roll(0..2)", "Judge"],
      ["", `choose { when taken > 180 and n == 1 -> Toss  ${choices.join("  ")}  else -> Toss }`],
    ] as const) {
      const { machine, ok } = compile(heaps(dice, judged, choices), "heaps.zany", undefined, { errorsOnly: true });
      expect(ok).toBe(true);
      // Where seats can be left, one situation is gone on from after the other.
      for (const leaving of [false, true]) seen += sees(`heaps${dice} ${judged}`, machine, { leaving });
    }
  const rounds = readFileSync("packages/core/test/games/rounds.zany", "utf8");
  seen += sees("rounds", compile(rounds, "rounds.zany").machine, { most: { situations: 3_000 } });
  for (const name of EXAMPLES) seen += sees(name, example(name).machine, { most: { situations: 500 }, leaving: true });
  for (let seed = 0; seed < 60; seed++) {
    const odd = compile(machineOf(seed), "odd.zany", undefined, { errorsOnly: true });
    if (odd.ok) seen += sees(`${seed}`, odd.machine, { most: { situations: 300, ways: 60 } });
  }
  expect(seen).toBeGreaterThan(20);
});

test("of conditions that would cost too much if all of them were asked", () => {
  const text = `
machine Ropes
seats ann
data { pulls: int 0..30 }
function near(x: int): bool = any(i in 0..7: any(j in 0..7: any(k in 0..3: x + i + j + k > 0)))
start Pull
state Pull {
  turn of ann
  action pull needs all(x in 1..900: near(x)) { pulls += 1 } -> stay
  action end needs pulls == 30 -> Done
}
ending Done { wins ann }
`;
  const { machine, ok } = compile(text, "ropes.zany", undefined, { errorsOnly: true });
  expect(ok).toBe(true);
  expect(agrees("ropes", machine, {})).toBeGreaterThan(30);
  expect(new Exploration(new Runnable(machine), {}).run()).toMatchObject({ situations: 32, findings: [] });
});

test("of machines that nobody wrote", () => {
  let steps = 0;
  for (let seed = 0; seed < Number(process.env["ZANY_MACHINES"] ?? 60); seed++) {
    const text = machineOf(seed);
    const { machine, ok } = compile(text, "odd.zany", undefined, { errorsOnly: true });
    const wish = { ...LIMITS, most: { situations: 60, ways: 20 }, walk: 60, ...(seed % 2 && { lookout: LOOKOUT }) };
    if (ok) steps += agrees(`${seed}\n${text}`, machine, wish);
  }
  expect(steps).toBeGreaterThan(1_500);
});
