/** Bots and counting: who plays takes only what is open, as its policy says, and a seed says it all. */

import { readFileSync } from "node:fs";
import {
  addTallies,
  BadQuestion,
  BadSimulation,
  begin,
  compareTallies,
  ENDLESS,
  Exploration,
  events,
  exampleMatch,
  FAULTY,
  intervalOf,
  makeBot,
  meanOf,
  nextTimer,
  options,
  ownMeasures,
  plotsOfSweep,
  plotsOfTally,
  plotsSvg,
  policyNames,
  RandomGame,
  RandomPlayer,
  rolledIn,
  type Runnable,
  type Situation,
  STUCK,
  simulate,
  step,
  sweepCsv,
  type Tally,
  verifyText,
} from "@zany/core";
import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { openActions } from "../src/engine/matches/view.js";
import { EXAMPLES, example, runnableOf } from "./examples.js";

const start = (runnable: Runnable, seed: string): Situation => {
  const { taken } = begin(runnable, { seed });
  if (!taken) throw new Error("does not begin");
  return taken.situation;
};

const TOSSES = `
machine Tosses
seats a
type Coin is brass, tin
data { heads: int 0..3 = 0  n: int 0..3 = 0  last: Coin? }
start Toss
state Toss {
  turn of a
  action toss {
    n += 1
    if chance(1 in 2) { heads += 1  last = brass }
  } -> choose { when n == 3 -> Over  else -> stay }
}
ending Over { wins all }
`;

const total = (counts: Readonly<Record<string, number>>): number => Object.values(counts).reduce((a, b) => a + b, 0);

describe.each(EXAMPLES)("%s", (name) => {
  const runnable = example(name);

  test("counting is by the seed alone, and every match is counted once in each way", () => {
    const count = (seed: string): Tally => simulate(runnable, { seed, first: 0, end: 24, limit: 300 });
    const tally = count("gale");
    expect(count("gale")).toEqual(tally);
    expect(count("calm")).not.toEqual(tally);
    expect([tally.matches, total(tally.endings), total(tally.lengths)]).toEqual([24, 24, 24]);
    const endings = [...runnable.machine.endings.map((e) => e.name), STUCK, ENDLESS];
    for (const [ending, number] of Object.entries(tally.examples)) {
      expect(endings).toContain(ending);
      // The example is a match of that ending, when it is played alone.
      const alone = simulate(runnable, { seed: "gale", first: number, end: number + 1, limit: 300 });
      expect(alone.endings).toEqual({ [ending]: 1 });
    }
    const ended = 24 - (tally.endings[STUCK] ?? 0) - (tally.endings[ENDLESS] ?? 0);
    for (const results of Object.values(tally.results)) expect(total(results)).toBeLessThanOrEqual(ended);
  });

  test("a bot's input is taken, whatever the situation; without one, nothing is open", () => {
    const bots = [...policyNames(runnable), "random"].map((bot) => makeBot(runnable, bot, "bot"));
    let situation = start(runnable, "bots");
    const seats = runnable.machine.seats.names;
    for (let i = 0; i < 60 && !situation.outcome; i++) {
      let next: Situation | undefined;
      for (const bot of bots)
        for (const seat of seats) {
          const input = bot?.choose(situation, seat);
          if (!input) continue;
          const result = step(runnable, situation, input);
          expect(result.refusal, `${seat} ${input.action}`).toBeUndefined();
          next = result.situation;
        }
      const due = nextTimer(runnable.machine, situation)?.due;
      if (!next && due === undefined) return;
      situation = next ?? step(runnable, situation, { kind: "time", time: due as number }).situation;
    }
  });
});

describe("players", () => {
  const pick = runnableOf(`machine Pick
seats a, b
data { n: int 0..9 = 0 }
start S
state S {
  turn of a
  action low -> stay
  action high needs n > 5 else "not yet" -> stay
  action put(x: int in [1, 2, 3] where x != 2) -> stay
  action help by b -> stay
}
ending E { draws all }
`);

  test("at random: all that is open to those on turn, equally often, and nothing else", () => {
    const player = new RandomPlayer(pick, "fair");
    const situation = start(pick, "fair");
    const seen: Record<string, number> = {};
    for (let i = 0; i < 3000; i++) {
      const input = player.choose(situation, "a");
      const key = `${input?.action}${JSON.stringify(input?.args)}`;
      seen[key] = (seen[key] ?? 0) + 1;
    }
    expect(Object.keys(seen).sort()).toEqual(["low{}", 'put{"x":1}', 'put{"x":3}']);
    expect(Math.abs((seen["low{}"] ?? 0) - 1500)).toBeLessThan(150);
    expect(Math.abs((seen['put{"x":1}'] ?? 0) - 750)).toBeLessThan(130);
    // What others may do out of turn is an interruption, and no player's business.
    expect(player.choose(situation, "b")).toBeUndefined();
    expect(
      options(pick, situation, "b")
        .filter((o) => o.open)
        .map((o) => o.action),
    ).toEqual(["help"]);
  });

  test("at random: on a board of 64 cells every pair is asked for, within the limits of a step", () => {
    const { endings, lengths, faults } = simulate(
      runnableOf(readFileSync("packages/core/test/machines/grids/plank-crates.zany", "utf8")),
      { seed: "planks", first: 0, end: 2 },
    );
    expect((endings["Won"] ?? 0) + (endings["Even"] ?? 0)).toBe(2);
    expect(Math.min(...Object.keys(lengths).map(Number))).toBeGreaterThan(30);
    expect(faults).toEqual({});
  });

  test("at random: what shall be avoided is avoided", () => {
    const player = new RandomPlayer(pick, "avoid", { avoid: ["low", "put"] });
    expect(player.choose(start(pick, "avoid"), "a")).toBeUndefined();
  });

  test("wary: what ends the match to one's own cost is done only where nothing else is open, or where it may win", () => {
    const brink = runnableOf(`machine Brink
seats a, b
data { n: int 0..9 }
start S
state S {
  turn of a
  action jump -> Fallen(a)
  action turnBack -> Gone
  action walk needs n < 3 else "no way" { n += 1 } -> stay
  action roll1 needs n == 2 else "not yet" -> odds { 1 -> Fallen(a) 1 -> T }
}
ending Fallen(who: seat) { loses who wins others }
state T { enter -> S }
ending Gone { none all }
`);
    const tally = simulate(brink, { seed: "brink", first: 0, end: 60 });
    const { "S.walk": walks = 0, "S.roll1": rolls = 0 } = tally.actions;
    // Three steps to the brink each, or a roll that goes wrong before the third; nobody jumps before.
    expect(walks).toBeGreaterThanOrEqual(120);
    expect(rolls).toBeGreaterThan(0);
    expect(Math.min(...Object.keys(tally.lengths).map(Number))).toBeGreaterThanOrEqual(3);
    // Where nobody can win or draw, one that is over is no worse than one that goes on.
    const letters = simulate(example("pass-the-letter.zany"), { seed: "post", first: 0, end: 40, limit: 300 });
    expect(letters.endings["Posted"]).toBeGreaterThan(30);
    const duel = example("kite-duel.zany");
    const given = (bots: Record<string, string>): number | undefined =>
      simulate(duel, { seed: "wary", first: 0, end: 40, bots }).actions["Turn.cutLoose"];
    expect(given({})).toBeUndefined();
    expect(given({ south: "random" })).toBeGreaterThan(10);
  });

  test("at random: a cell of which nothing says where it lies is one of the grids', where these are of one size", () => {
    const pond = (other: string, where = "not seen[c]"): Runnable =>
      runnableOf(`
machine Pond
seats a
data { seen: grid 2 by 2 of bool  ${other} }
start Look
state Look {
  turn of a
  action look(c: cell where ${where} else "seen") { seen[c] = true } -> choose {
    when all(other in seen.cells: seen[other]) -> Over
    else -> stay
  }
}
ending Over { wins all }
`);
    // What is closed by its condition is not open, whatever it would lead to.
    const shut = pond("kept: grid 2 by 2 of int = [[1, 1], [1, 1]]", "kept[c] == 0");
    expect(openActions(shut, start(shut, "pond"), "a")).toEqual([]);
    const counted = simulate(pond("kept: grid 2 by 2 of int"), { seed: "pond", first: 0, end: 9 });
    expect(counted.endings).toEqual({ Over: 9 });
    const explored = new Exploration(pond("kept: grid 2 by 2 of int"), {}).run();
    expect(explored.situations).toBe(16);
    expect(explored.incomplete.map(({ words }) => words).join()).toContain('of "c" the 4 cells of the grids');
    // Of which grid it is to be is not known, and a cell of the other would be a fault.
    const runnable = pond("kept: grid 3 by 2 of int");
    const [look] = options(runnable, start(runnable, "pond"), "a");
    expect(look).toMatchObject({ open: true, parameters: [{ name: "c", type: "cell" }] });
    expect(look?.parameters[0]).not.toHaveProperty("values");
  });

  test("by policy: the first entry that holds and is open, in the order written", () => {
    const siege = runnableOf(`machine Siege
seats a, b
data { wood: int 0..9 = 0  walls: int 0..9 = 0 }
start S
state S {
  turn of a
  action gather { wood += 2 } -> stay
  action build needs wood >= 3 { wood -= 3 walls += 1 } -> choose { when walls == 3 -> Built else -> stay }
  action rest -> stay
}
ending Built { wins a loses others }
policy Builder { when walls < 9: build  when wood < 9: gather  else: rest }
`);
    const bot = makeBot(siege, "Builder", "x");
    let situation = start(siege, "x");
    const chosen: string[] = [];
    while (!situation.outcome) {
      const input = bot?.choose(situation, "a");
      if (!input) throw new Error("it waits");
      chosen.push(input.action);
      ({ situation } = step(siege, situation, input));
    }
    expect(chosen.join(" ")).toBe("gather gather build gather build gather gather build");
  });

  test("by policy: it waits where it says so, and rolls dice of its own that come out the same when asked again", () => {
    const gauge = runnableOf(`machine Gauge
seats a, b
data { gauge: int 0..9 = 0  hits: int 0..99 = 0 }
start S
state S {
  turn of a
  after each 1s { gauge += 1 }
  action strike needs gauge >= 2 { gauge -= 2 hits += 1 } -> choose { when hits == 5 -> E else -> stay }
  action big needs gauge >= 6 { gauge -= 6 hits += 4 } -> choose { when hits >= 5 -> E else -> stay }
}
ending E { wins a loses others }
policy saves { when gauge >= 6 and chance(50%): big  when gauge >= 8: strike  else: wait }
`);
    const situations: Situation[] = [];
    let situation = start(gauge, "saves");
    const bot = makeBot(gauge, "saves", "saves");
    let waits = 0;
    while (!situation.outcome) {
      const input = bot?.choose(situation, "a");
      expect(makeBot(gauge, "saves", "saves")?.choose(situation, "a")).toEqual(input);
      if (!input) waits++;
      ({ situation } = step(gauge, situation, input ?? { kind: "time", time: situation.now + 1000 }));
      situations.push(situation);
    }
    expect(waits).toBeGreaterThan(5);
    // Dice of different seeds differ, and the match's own are untouched.
    const first = situations.map((s) => [...s.dice.counters].join());
    expect(new Set(first).size).toBe(1);
    const lengths = Array.from({ length: 30 }, (_, i) =>
      simulate(gauge, { seed: `${i}`, first: 0, end: 1, bots: { a: "saves" } }),
    );
    expect(new Set(lengths.map((t) => Object.keys(t.lengths)[0])).size).toBeGreaterThan(2);
    expect(lengths.every((t) => t.endings["E"] === 1)).toBe(true);
  });

  test("the game's part: only events that are heard, arguments within their types", () => {
    const game = runnableOf(`machine Wind
seats a
event Gust(strength: int 2..4, from: seat)
event Calm
start S
state S { turn of a  on Gust(s) { note "{s}" } -> T  action end -> E }
state T { turn of a  on Calm -> S  action end -> E }
ending E { draws all }
`);
    let situation = start(game, "wind");
    const player = new RandomGame(game, "wind");
    const strengths = new Set<unknown>();
    for (let i = 0; i < 200; i++) {
      const heard = events(game, situation)
        .filter((e) => e.heard)
        .map((e) => e.event);
      const input = player.choose(situation, false);
      expect(heard).toContain(input?.event);
      if (!input) return;
      if (input.event === "Gust") strengths.add(input.args?.strength);
      const result = step(game, situation, input);
      expect(result.refusal).toBeUndefined();
      ({ situation } = result);
    }
    expect([...strengths].sort()).toEqual([2, 3, 4]);
  });
});

describe("who plays", () => {
  const duel = example("kite-duel.zany");
  const wins = (bot: string): number =>
    simulate(duel, { seed: "mix", first: 0, end: 300, bots: { north: bot, south: "random" } }).results["north"]?.win ??
    0;

  test("a mixture: one bot for each match, by their weights; the same for a seed however it is cut", () => {
    const [careful, random] = [wins("careful"), wins("random")];
    expect(careful - random).toBeGreaterThan(100);
    // Between the two, as its weights are: within 10 of 100 of three parts in four.
    const mixed = (wins("careful:3,random:1") - random) / (careful - random);
    expect(mixed).toBeGreaterThan(0.65);
    expect(mixed).toBeLessThan(0.85);
    expect(wins("careful:1")).toBe(careful);
    const bots = { north: "careful,wary", south: "random:2,wary:5" };
    const part = (first: number, end: number): Tally => simulate(duel, { seed: "mix", first, end, bots });
    expect(addTallies([part(7, 20), part(0, 7)])).toEqual(part(0, 20));
    for (const wrong of ["careful:0", "careful:x", "careful,", "carefull:2,wary", ":3"])
      expect(() => wins(wrong), wrong).toThrow(BadSimulation);
  });

  test("the game's part: any event that is heard, or none, so that time passes instead; turns are counted", () => {
    const gusts = runnableOf(`machine Gusts
seats a, b
event Gust(force: int 0..3)
data { gusts: int 0..9  left: int 0..6 = 6  onTurn: seat = a }
start Wait
state Wait {
  on Gust(force) { gusts += 1 } -> Turn
  after 9s -> Turn
}
state Turn { turn of onTurn  action pull { left -= 1  onTurn = next(me) } -> choose { when left == 0 -> Told(gusts) else -> Wait } }
ending Told(n: int) { draws all  scores s in seats: n }
`);
    const told = (game: "random" | "silent"): Tally => simulate(gusts, { seed: "gust", first: 0, end: 40, game });
    expect(told("silent").scores["a"]).toEqual({ 0: 40 });
    expect(Object.keys(told("random").scores["a"] ?? {}).length).toBeGreaterThan(2);
    expect(told("random").turns).toEqual({ 6: 40 });
  });
});

describe("counting", () => {
  const odd = runnableOf(`machine Odd
seats a, b
data { n: int 0..9 = 0  m: int 0..9 = 3 }
law "few": n < 3
start S
state S { turn of a  action add { n += roll(0..1) } -> choose { when m == 0 -> E  else -> stay }  action pass -> T }
state T { when m == 0 -> E }
ending E { draws all }
`);

  test("what comes to no ending says how: stuck, endless, or a fault", () => {
    const tally = simulate(odd, { seed: "odd", first: 0, end: 200, limit: 6 });
    expect(Object.keys(tally.endings).sort()).toEqual([ENDLESS, FAULTY, STUCK].sort());
    expect(total(tally.endings)).toBe(200);
    expect(Object.keys(tally.faults)).toEqual([expect.stringContaining("few")]);
    expect(total(tally.faults)).toBe(tally.endings[FAULTY]);
    // The first match of each can be looked at, up to where it goes no further.
    const steps = Object.values(tally.examples).map((number) => {
      const verdict = verifyText(odd, exampleMatch(odd, { seed: "odd", limit: 6 }, number)?.logbook ?? "");
      expect(verdict.kind).toBe("verified");
      return simulate(odd, { seed: "odd", first: number, end: number + 1, limit: 6 }).lengths[
        verdict.kind === "verified" ? verdict.steps : -1
      ];
    });
    expect(steps).toEqual([1, 1, 1]);
  });

  test("parts add up, however they are cut and in whatever order", () => {
    const whole = simulate(odd, { seed: "cut", first: 0, end: 60, limit: 6 });
    fc.assert(
      fc.property(fc.uniqueArray(fc.integer({ min: 1, max: 59 }), { maxLength: 5 }), fc.boolean(), (cuts, turned) => {
        const bounds = [0, ...cuts.sort((a, b) => a - b), 60];
        const parts = bounds
          .slice(1)
          .map((end, i) => simulate(odd, { seed: "cut", first: bounds[i] as number, end, limit: 6 }));
        // To the last character: two reports are compared as files, too.
        expect(JSON.stringify(addTallies(turned ? parts.reverse() : parts))).toBe(JSON.stringify(whole));
      }),
      { numRuns: 20 },
    );
  });

  test("what is asked is counted at the end and by step, and each roll by its place; parts add up", () => {
    const { runnable: asked, measures } = ownMeasures(TOSSES, ["heads", "heads > 1", "last"]);
    const play = (first: number, end: number): Tally =>
      simulate(asked as Runnable, { seed: "toss", first, end, measures, rolls: true });
    const tally = play(0, 400);
    expect(addTallies([play(250, 400), play(0, 100), play(100, 250)])).toEqual(tally);
    // Three tosses each: heads are binomial, and what comes of each toss is what was rolled.
    for (const counts of Object.values(tally.values)) expect(total(counts)).toBe(400);
    const { heads = {}, last = {}, "heads > 1": most = {} } = tally.values;
    const [chance] = rolledIn((asked as Runnable).machine, tally);
    const seen = Object.fromEntries(chance?.values.map(({ value, count }) => [value, count]) ?? []);
    expect(chance).toMatchObject({ words: "chance(1 in 2)", rolled: 1_200 });
    expect(Object.entries(heads).reduce((sum, [n, count]) => sum + Number(n) * count, 0)).toBe(seen.true);
    expect(most.true).toBe((heads[2] ?? 0) + (heads[3] ?? 0));
    expect(Object.keys(last)).toEqual(["brass", "none"]);
    const byLot = TOSSES.replace("if chance(1 in 2)", "let coin = maxBy(k in [1, 2]: 0 ties byLot)\n    if coin == 1");
    const lots = runnableOf(byLot);
    const [lot] = rolledIn(lots.machine, simulate(lots, { seed: "lot", first: 0, end: 50, rolls: true }));
    expect(lot).toMatchObject({ words: "maxBy(k in [1, 2]: 0 ties byLot)", rolled: 150 });
    for (const [n, p] of [1, 3, 3, 1].entries()) {
      const { low, high } = intervalOf(heads[n] ?? 0, 400);
      expect([low < p / 8 + 0.03, high > p / 8 - 0.03]).toEqual([true, true]);
    }
    const course = tally.courses.heads ?? {};
    expect(Object.keys(course)).toEqual(["0", "1", "2", "3"]);
    expect(course[0]).toEqual({ count: 400, sum: 0 });
    expect(course[3]).toEqual({ count: 400, sum: seen.true });
    expect(tally.actions).toEqual({ "Toss.toss": 1_200 });
    expect(() => ownMeasures(TOSSES, ["heads", "tails"])).toThrow(
      /"tails" is no expression of this machine: .*at character 1/,
    );
    for (const smuggled of ["1) == (1", "heads } given heads = 3 expect heads", "me"])
      expect(() => ownMeasures(TOSSES, [smuggled])).toThrow(BadQuestion);
    const plots = plotsSvg("Tosses", plotsOfTally(tally));
    expect(plots).toContain("heads at the end");
    expect(plots).not.toMatch(/NaN|undefined|Infinity/);
    const sweep = ["1", "2", "x"].map((n) => ({ values: { n, m: "a" }, tally: play(0, 20) }));
    expect(plotsSvg("<sweep>", plotsOfSweep(sweep))).toContain("&lt;sweep&gt;");
    expect(
      sweepCsv(sweep)
        .split("\n")
        .map((line) => line.split(",").length),
    ).toEqual([10, 10, 10, 10, 1]);
  });

  test("wishes that cannot be are refused in words", () => {
    const of =
      (wish: object): (() => Tally) =>
      () =>
        simulate(odd, { seed: "x", first: 0, end: 1, ...wish });
    expect(of({ bots: { c: "random" } })).toThrow(BadSimulation);
    expect(of({ bots: { a: "Sly" } })).toThrow(/no policy "Sly"/);
    expect(of({ given: { data: [{ path: "/data/nothing", value: 1 }] } })).toThrow(BadSimulation);
  });
});

test("shares and their intervals by Wilson, means and spreads", () => {
  // Values of the published formula: 5 of 10, none of 20, 400 of 1,000.
  const rounded = (count: number, all: number): number[] =>
    Object.values(intervalOf(count, all)).map((n) => Math.round(n * 10_000) / 10_000);
  expect(rounded(5, 10)).toEqual([0.5, 0.2366, 0.7634]);
  expect(rounded(0, 20)).toEqual([0, 0, 0.1611]);
  expect(rounded(400, 1_000)).toEqual([0.4, 0.3701, 0.4307]);
  const { mean, spread } = meanOf({ 2: 1, 4: 3, 6: 1 });
  expect(mean).toBe(4);
  expect(spread).toBeCloseTo(Math.sqrt(8 / 5), 12);
});

test("two tallies: differences by Newcombe, chances by Holm; the same machine does not differ from itself", () => {
  const of = (matches: number, wins: number): Tally => ({
    matches,
    endings: { Won: matches },
    results: { a: { win: wins, loss: matches - wins, draw: 0, none: 0 } },
    began: {},
    scores: {},
    actions: {},
    turns: { 2: matches },
    lengths: { 4: matches },
    examples: {},
    faults: {},
    stood: {},
    values: {},
    courses: {},
    rolls: {},
    times: { 0: matches },
  });
  const [win, loss, ending] = compareTallies(of(100, 45), of(100, 60)).shares;
  // 45 and 60 of 100: z = 2.124, 3.37% by chance; as the least of three, three times that.
  expect([win?.what, loss?.what, ending?.what]).toEqual(["win", "loss", "ending"]);
  expect(win?.difference.share).toBeCloseTo(0.15, 12);
  expect(win?.difference.low).toBeCloseTo(0.0117, 3);
  expect(win?.difference.high).toBeCloseTo(0.2805, 3);
  expect(win?.chance).toBeCloseTo(3 * 0.03369, 3);
  expect(ending?.chance).toBe(1);
  const runnable = example("kite-duel.zany");
  const played = (seed: string): Tally => simulate(runnable, { seed, first: 0, end: 300 });
  const surprising = Array.from({ length: 10 }, (_, i) =>
    compareTallies(played(`one ${i}`), played(`two ${i}`)),
  ).filter(({ shares }) => shares.some(({ chance }) => chance < 0.05));
  expect(surprising.length).toBeLessThanOrEqual(2);
  const bot = simulate(runnable, { seed: "x", first: 0, end: 300, bots: { north: "careful" } });
  expect(compareTallies(played("x"), bot).shares.find(({ name }) => name === "north")?.chance).toBeLessThan(0.001);
});

test("match time is counted to the millisecond, adds up with that of other parts, and is drawn in whole seconds", () => {
  const timed = runnableOf(`
machine Timed seats a, b data { n: int 0..9 = 0  onTurn: seat = a }
start Turn
state Turn { turn of onTurn  action pull { onTurn = next(me) } -> Wait }
state Wait { after 1500ms { n += 1 } -> choose { when n == 3 -> Over  else -> Turn } }
ending Over { draws all }`);
  const part = (first: number, end: number): Tally => simulate(timed, { seed: "t", first, end });
  expect(part(0, 20)).toMatchObject({ times: { 4500: 20 }, turns: { 3: 20 }, lengths: { 6: 20 } });
  expect(addTallies([part(0, 7), part(7, 20)])).toEqual(part(0, 20));
  const drawn = plotsOfTally(part(0, 20)).find(({ title }) => title === "Match time");
  expect(drawn?.series[0]?.points).toEqual([{ x: 4, y: 1 }]);
});

test("a match that goes nowhere says how it stands", () => {
  const stuck = runnableOf(`machine Stile
seats a
data { steps: int 0..9 = 0 }
start Walk
state Walk {
  turn of a
  action stride needs steps < 3 else "the gate is shut" { steps += 1 } -> stay
}
ending Home { wins a }
`);
  const { endings, stood, examples } = simulate(stuck, { seed: "s", first: 5, end: 8 });
  expect([endings, examples]).toEqual([{ [STUCK]: 3 }, { [STUCK]: 5 }]);
  expect(stood[STUCK]).toBe('in Walk; a is on turn, and the only action is closed: "stride" (The gate is shut)');
  const late = simulate(example("kite-duel.zany"), { seed: "s", first: 0, end: 40, limit: 2 });
  expect(late.stood[ENDLESS]).toMatch(
    /^in Lap > Turn; (north|south) is on turn, with .*slash.* open; no time passes while a seat can act, unless a policy says wait$/,
  );
});
