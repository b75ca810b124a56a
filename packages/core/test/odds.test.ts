/** Exact odds, held against closed forms, fractions known from mathematics, and matches that were played. */

import { readFileSync } from "node:fs";
import fc from "fast-check";
import { expect, test } from "vitest";
import {
  begin,
  bestPlay,
  compile,
  Exploration,
  neverIn,
  type Odds,
  oddsOf,
  type OddsOptions,
  options,
  ownMeasures,
  Players,
  type Probability,
  Runnable,
  simulate,
} from "../src/index.js";
import { circlesOf } from "../src/explore/circles.js";

function runnableOf(text: string): Runnable {
  const { machine, ok, messages } = compile(text, "game.zany", undefined, { errorsOnly: true });
  if (!ok) throw new Error(messages.map(({ words }) => words).join(" "));
  return new Runnable(machine);
}

function odds(text: string, options: OddsOptions = {}): Odds {
  return oddsOf(runnableOf(text), options);
}

function ending(found: Odds, name: string): Probability {
  return found.endings.find((each) => each.ending === name)?.probability ?? { least: 0, most: 0 };
}

const NOUGHTS = readFileSync("packages/core/test/games/noughts.zany", "utf8");

test("noughts and crosses at random: 737/1260, 121/420 and 8/63", () => {
  const { results, complete, exact, length } = odds(NOUGHTS);
  const [one] = results;
  expect([one?.results.win.fraction, one?.results.loss.fraction, one?.results.draw.fraction]).toEqual([
    "737/1260",
    "121/420",
    "8/63",
  ]);
  expect([complete, exact]).toEqual([true, true]);
  // 5 to 9 moves: the mean follows from the numbers of games that end after each.
  expect(length).toBeGreaterThan(7.6);
  expect(length).toBeLessThan(7.7);
});

/** Somebody with some coins plays for one at a time against somebody with the rest, until one has none. */
const RUIN = (coins: number, all: number, chance: string): string => `
machine Ruin
seats a
data { coins: int 0..${all} = ${coins} }
start Toss
state Toss {
  turn of a
  action toss { if chance(${chance}) { coins += 1 } else { coins -= 1 } } -> choose {
    when coins == ${all} -> Rich
    when coins == 0 -> Poor
    else -> stay
  }
}
ending Rich { wins all }
ending Poor { loses all }
`;

test.each([
  [3, 10, "50%", 1 / 2],
  [4, 9, "1 in 3", 1 / 3],
  [5, 7, "12.5%", 1 / 8],
])("the gambler's ruin from %i of %i coins at %s: its closed forms", (coins, all, chance, p) => {
  const found = odds(RUIN(coins, all, chance));
  const ratio = (1 - p) / p;
  const rich = p === 0.5 ? coins / all : (1 - ratio ** coins) / (1 - ratio ** all);
  const steps = p === 0.5 ? coins * (all - coins) : (coins - all * rich) / (1 - 2 * p);
  expect(ending(found, "Rich").least).toBeCloseTo(rich, 9);
  expect(ending(found, "Rich").most).toBeGreaterThanOrEqual(ending(found, "Rich").least);
  expect(found.length).toBeCloseTo(steps, 6);
  expect(found.endless.most).toBeLessThan(1e-9);
});

test("weights, picks, shuffles and the dice of the beginning have their probabilities", () => {
  const text = `
machine Lots
seats a
data { cards: list of int 0..3 = [1, 2, 3]  first: int 0..9 = 0 }
start Draw
state Draw {
  enter { first = roll(1..4) }
  turn of a
  action deal { cards = shuffle(cards) } -> choose { when cards.first == 3 and first == 4 -> High  else -> Low }
  action spin -> odds { 5 -> High  3 -> Low  2 -> Even }
  action take { first = pick([1, 1, 2]) } -> choose { when first == 2 -> Even  else -> Low }
}
ending High { wins all }
ending Low { loses all }
ending Even { draws all }
`;
  const found = odds(text);
  // Each action one third: of the shuffle a third of a quarter, of the spin a half; of the spin a fifth, of the pick
  // a third.
  expect(ending(found, "High").fraction).toBe("7/36");
  expect(ending(found, "Even").fraction).toBe("8/45");
});

test("equal values are one choice; where not all was tried, what is true lies between the bounds", () => {
  // Of two dice that fall the same there is one to write down: 1/6 of 1/2, and 5/6 of 1/3 each.
  const sheet = (roll: string): string => `machine Sheet
seats mira
data { die1: int 1..6  die2: int 1..6  deck: list of int }
start Roll
state Roll { enter { die1 = roll(1..6)  die2 = roll(1..6) } -> Write }
state Write {
  turn of mira
  action note1(v: int in [die1, die2]) -> choose { when v == die1 -> First else -> Second }
  action skip ${roll} -> Skipped
}
ending First { wins all }
ending Second { loses all }
ending Skipped { draws all }
`;
  const whole = odds(sheet(""));
  expect([whole.complete, whole.exact]).toEqual([true, true]);
  // note1 is one of two actions; its value is die1 where both are the same, and half of the time else.
  expect(ending(whole, "First").fraction).toBe("7/24");
  expect(ending(whole, "Second").fraction).toBe("5/24");
  expect(ending(whole, "Skipped").fraction).toBe("1/2");
  // A list that is too long to look for equal values offers them all, and which of them is taken makes no difference.
  const long = sheet("").replace("enter { die1", "enter { die1 = 1  for i in 1..600 { deck.push(1 + i mod 3) }  die1");
  const picked = odds(long.replaceAll("roll(1..6)", "1").replace("v: int in [die1, die2]", "v: int in deck"));
  expect(ending(picked, "First").fraction).toBe("1/6");
  const runnable = runnableOf(sheet(""));
  const { taken } = begin(runnable, { seed: "a", dice: [3, 3] });
  const [note1] = taken ? options(runnable, taken.situation, "mira") : [];
  expect(note1?.parameters[0]?.values?.map(({ value }) => value)).toEqual([3]);
  // So many cards are shuffled in too many ways, and a share of nearly nothing is all that is known of skipping.
  const open = odds(sheet("{ for i in 1..300 { deck.push(i) }  deck = shuffle(deck) }"));
  expect([open.complete, open.exact]).toEqual([false, false]);
  const results = open.results[0]?.results;
  for (const [found, truth] of [
    [results?.win, 7 / 24],
    [results?.loss, 5 / 24],
    [results?.draw, 1 / 2],
  ] as const) {
    expect(found?.least).toBeLessThan(truth + 1e-9);
    expect(found?.most).toBeGreaterThan(truth - 1e-9);
  }
  const real = odds(sheet("{ let way = roll(0.5..1.5)  if way > 1 { deck.push(1) } }"));
  expect(real.stuck).toEqual({ least: 0, most: 0.5 });
  expect(ending(real, "First")).toEqual({ least: 7 / 24, most: 7 / 24 + 1 / 2 });
  expect(real.exact).toBe(false);
  // Where nothing but such a roll is open nobody is stuck; and there are more ways to shuffle than numbers go.
  const only = odds(
    sheet("{ let way = roll(0.5..1.5)  if way > 1 { deck.push(1) } }").replace(/^ {2}action note1.*$/m, ""),
  );
  expect(only.stuck).toEqual({ least: 0, most: 1 });
  const begun = odds(sheet("").replace("enter {", "enter { for i in 1..300 { deck.push(i) }  deck = shuffle(deck)"));
  expect([begun.complete, begun.exact, begun.results[0]?.results.win.most]).toEqual([false, false, 1]);
});

test("what is stuck, at fault or goes on for ever has its own probability", () => {
  const text = `
machine Fork
seats a
data { n: int 0..9 = 0 }
start Way
state Way { turn of a
  action go -> odds { 1 -> Round  2 -> Wall  3 -> Cliff  4 -> Home }
}
state Round { turn of a  action spin { n = (n + 1) mod 3 } -> stay }
state Wall {}
state Cliff { turn of a  action jump { n = floor(1 / (n - n)) } -> stay }
ending Home { wins all }
`;
  const { stuck, fault, endless, endings } = odds(text);
  expect([endless.least, stuck.least, fault.least].map((p) => Number(p.toFixed(9)))).toEqual([0.1, 0.2, 0.3]);
  expect(endings[0]?.probability.least).toBeCloseTo(0.4, 9);
});

test("timers run when nobody can act, and policies play as they say", () => {
  const text = `
machine Tide
seats a, b
data { up: int 0..3 = 0  mover: seat = a }
start Shore
state Shore {
  turn of mover
  action wade needs me == a { up += 1 mover = b } -> choose { when up == 3 -> Wet  else -> stay }
  action rest -> choose { when me == b { mover = a } -> stay  else -> Dry }
}
ending Wet { wins a loses b }
ending Dry { wins b loses a }
policy brave { when me == a: wade  else: rest }
`;
  // At random a wades three times in a row, with one half each.
  expect(ending(odds(text), "Wet").fraction).toBe("1/8");
  expect(ending(odds(text, { bots: { a: "brave" } }), "Wet").fraction).toBe("1");
  expect(() => odds(text, { bots: { a: "shy" } })).toThrow("shy");
  for (const roll of ["roll(0..1) == 1", "maxBy(s in seats: up ties byLot) == a"])
    expect(() => odds(text.replace("me == a: wade", `${roll}: wade`), { bots: { a: "brave" } })).toThrow("rolls dice");
  const bells = readFileSync("docs/examples/two-bells.zany", "utf8").replace("action damp -> again Small", "");
  expect(ending(odds(bells.replace("turn of ringer", "")), "Rung").fraction).toBe("1");
});

test("of several on turn each is as likely to be the first; where each chooses once, they do so in their order", () => {
  // Who grabs with the longer arm has it; the others may still grab once.
  const grab = (turn: string, does: string): string => `
machine Grab
seats a, b, c
data { got per seat: int 0..9  first: seat? = none }
start Go
state Go {
  turn of ${turn}
  action grab {
    got[me] += 1
    if first == none { first = me }
  } -> choose {
    when got[me] == 2 -> Got(me)
    ${does}
  }
}
ending Got(who: seat) { wins who loses others }
`;
  const text = grab("inPlay", "else -> stay");
  const found = odds(text);
  // By symmetry a third each; over after two to four grabs.
  expect(found.results.map(({ results }) => results.win.fraction)).toEqual(["1/3", "1/3", "1/3"]);
  // 1/3 after two, 2/3 * 2/3 after three, 2/3 * 1/3 after four.
  expect(found.length).toBeCloseTo(2 * (1 / 3) + 3 * (4 / 9) + 4 * (2 / 9), 9);
  const played = simulate(runnableOf(text), { seed: "grab", first: 0, end: 2_000 });
  const share = (played.results["b"]?.win ?? 0) / 2_000;
  expect(Math.abs(share - 1 / 3)).toBeLessThan(0.04);
  const alone = odds(text, { bots: {}, free: "c" });
  expect(alone.results.map(({ results }) => results.win.most)).toEqual([0, 0, 1]);
  const each = `${grab("each inPlay", "else -> ready").replace("ending Got", "ending Once { wins filter(s in seats where s == first) loses others }\nending Got")}`;
  const once = odds(each.replace("when got[me] == 2 -> Got(me)", "when got[c] == 1 -> Once"));
  expect(once.results.map(({ results }) => results.win.fraction)).toEqual(["1", "0", "0"]);
});

test("best play: a draw at noughts and crosses, heaps by the exclusive-or rule, and what has no value says why", () => {
  const best = (text: string) => bestPlay(runnableOf(text), {});
  const noughts = best(NOUGHTS);
  expect([noughts.seat, noughts.result, noughts.steps, noughts.line.length]).toEqual(["one", "draw", undefined, 9]);
  // Who moves in the 4,520 situations that are not over.
  expect(noughts.situations.win + noughts.situations.loss + noughts.situations.draw).toBe(5478 - 958);
  for (const heaps of [
    [1, 2, 3],
    [3, 4, 5],
    [2, 2],
    [1, 1, 1],
    [1, 4, 5],
    [2, 5],
  ]) {
    const { result, steps, line } = best(HEAPS(heaps));
    const wins = heaps.reduce((all, heap) => all ^ heap, 0) !== 0;
    expect(result, heaps.join()).toBe(wins ? "win" : "loss");
    expect(line.length, heaps.join()).toBe(steps);
    // Whoever wins takes the last: an odd number of steps for the first.
    expect((steps ?? 0) % 2, heaps.join()).toBe(wins ? 1 : 0);
  }
  expect(() => best(RUIN(1, 2, "50%"))).toThrow("where dice decide");
  expect(() => bestPlay(runnableOf(readFileSync("examples/gull-tricks.zany", "utf8")), {})).toThrow("hidden");
});

/** Heaps: whoever takes the last wins. */
const HEAPS = (heaps: readonly number[]): string => `
machine Heaps
seats first, second
data { heaps: list of int 0..5 = [${heaps.join(", ")}]  mover: seat = first }
start Take
state Take {
  turn of mover
  action take(heap: int in heaps.indices, some: int 1..5 where some <= heaps[heap]) { heaps[heap] -= some } -> choose {
    when all(i in heaps.indices: heaps[i] == 0) -> Cleared(me)
    else { mover = next(mover) } -> stay
  }
}
ending Cleared(by: seat) { wins by loses others }
`;

test("matches that are played come to what is worked out, within what chance allows", () => {
  const text = readFileSync("examples/kite-duel.zany", "utf8");
  const given = {
    data: [
      { path: "/data/kites/north/lift", value: 10 },
      { path: "/data/kites/south/lift", value: 9 },
    ],
  };
  const runnable = runnableOf(text);
  const matches = 3_000;
  const { results } = oddsOf(runnable, { given, bots: { south: "careful" } });
  const { results: played } = simulate(runnable, {
    seed: "odds",
    first: 0,
    end: matches,
    given,
    bots: { north: "random", south: "careful" },
  });
  const exact = results.find(({ seat }) => seat === "north")?.results.win.least ?? 0;
  const share = (played["north"]?.win ?? 0) / matches;
  // Four standard deviations: by a fixed seed, it is the same every time.
  expect(Math.abs(share - exact)).toBeLessThan(4 * Math.sqrt((exact * (1 - exact)) / matches));
});

/** Somebody with some coins may stake any part of them at each throw, until there are none or four. */
const STAKES = (coins: number, chance: string): string => `
machine Stakes
seats a
data { coins: int 0..4 = ${coins} }
start Throw
state Throw {
  turn of a
  action stake(n: int 1..2 where n <= coins and coins + n <= 4) {
    if chance(${chance}) { coins += n } else { coins -= n }
  } -> choose {
    when coins == 4 -> Rich
    when coins == 0 -> Poor
    else -> stay
  }
}
ending Rich { wins all }
ending Poor { loses all }
`;

test("one seat as well as can be: bold stakes in a losing game, timid ones in a winning one, by their closed forms", () => {
  const worth = (coins: number, chance: string): number => {
    const found = odds(STAKES(coins, chance), { free: "a" });
    expect(found.complete).toBe(true);
    expect(ending(found, "Rich").least).toBeCloseTo(found.best?.worth ?? 0, 9);
    return found.best?.worth ?? 0;
  };
  // Bold play (Dubins and Savage, 1965): all of it, or as much as is needed.
  const p = 0.4;
  expect([1, 2, 3].map((coins) => worth(coins, "40%"))).toEqual(
    [p * p, p, p + (1 - p) * p].map((value) => expect.closeTo(value, 9)),
  );
  // The gambler's ruin, one coin at a time.
  const ratio = 0.4 / 0.6;
  const timid = [1, 2, 3].map((coins) => expect.closeTo((1 - ratio ** coins) / (1 - ratio ** 4), 9));
  expect([1, 2, 3].map((coins) => worth(coins, "60%"))).toEqual(timid);
  // What leads round to the same for nothing is not best, although as much could still come of it.
  const round =
    "machine Round seats a start S state S { turn of a action idle -> T action go -> E } " +
    "state T { turn of a action back -> S } ending E { wins all }";
  expect(odds(round, { free: "a" })).toMatchObject({ best: { worth: 1, uses: { go: 1 } }, length: 1 });
  // Noughts and crosses against somebody at random: who begins does not lose.
  const first = odds(NOUGHTS, { free: "one" });
  expect(first.results[0]?.results).toMatchObject({ win: { fraction: "191/192" }, loss: { least: 0 } });
  const secret =
    "machine Hidden seats a, b data { hidden x: int 0..1 = 0 } start S state S { turn of a action go -> E } ending E { wins a loses b }";
  expect(() => odds(secret, { free: "b" })).toThrow(/x is not seen by all/);
});

test("a strongly connected part holds what leads round to each other, behind nothing that it leads to", () => {
  const graphs = fc
    .integer({ min: 1, max: 12 })
    .chain((count) =>
      fc.array(fc.tuple(fc.nat(count), fc.nat(count)), { maxLength: 30 }).map((edges) => ({ count, edges })),
    );
  fc.assert(
    fc.property(graphs, ({ count, edges }) => {
      const reach = (from: number): Set<number> => {
        const found = new Set([from]);
        for (const at of found) for (const [a, b] of edges) if (a === at && b < count) found.add(b);
        return found;
      };
      const circles = circlesOf(count, (id, edge) => edges.forEach(([a, b]) => a === id && edge(b)));
      expect(circles.flat().sort((a, b) => a - b)).toEqual([...Array(count).keys()]);
      const done = new Set<number>();
      for (const circle of circles) {
        const [first = 0] = circle;
        const round = [...reach(first)].filter((id) => reach(id).has(first));
        expect(circle.slice().sort((a, b) => a - b)).toEqual(round.sort((a, b) => a - b));
        for (const id of circle) done.add(id);
        for (const id of reach(first)) expect(done.has(id)).toBe(true);
      }
    }),
  );
});

test("what an expression comes to at the end, and each chance for itself, as it is when it is rolled", () => {
  const text = `
machine Dice
seats a
data { spots: int 2..12 = 2  luck: int 0..90 = 10  hit: bool }
start Roll
state Roll {
  turn of a
  action both { spots = roll(1..6) + roll(1..6) } -> Luck
}
state Luck {
  turn of a
  action try { luck += 20  hit = chance(luck in 100) } -> choose { when hit -> Spin  when luck < 90 -> stay  else -> Done }
}
state Spin { turn of a  action spin -> odds { 1 -> Done  3 -> Roll } }
ending Done { wins all }
`;
  const { runnable, measures } = ownMeasures(text, ["spots", "spots > 7"]);
  const { values, chances } = oddsOf(runnable as Runnable, { measures });
  const [spots, more] = values;
  expect(spots?.of).toBe("spots");
  for (const { value, probability } of spots?.values ?? [])
    expect(probability.least).toBeCloseTo((6 - Math.abs(7 - Number(value))) / 36, 9);
  expect(more?.values.map(({ value }) => value)).toEqual(["false", "true"]);
  expect(more?.values[1]?.probability.least).toBeCloseTo(15 / 36, 9);
  expect(chances.map(({ words, probability }) => [words, probability])).toEqual([
    ["chance(luck in 100)", { least: 0.3, most: 0.9 }],
    ["-> Done", { least: 0.25, most: 0.25 }],
    ["-> Roll", { least: 0.75, most: 0.75 }],
  ]);
  expect(neverIn(0.15, 10)).toBeCloseTo(0.19687, 5);
  // Where not all was visited, matches that are over count as well: as likely as their endings are.
  const cut = oddsOf(runnable as Runnable, { measures, most: { situations: 40 } });
  expect(cut.complete).toBe(false);
  const sum = (all: readonly { readonly probability: Probability }[]): number =>
    all.reduce((total, { probability }) => total + probability.least, 0);
  expect(sum(cut.endings)).toBeGreaterThan(0);
  expect(sum(cut.values[0]?.values ?? [])).toBeCloseTo(sum(cut.endings), 9);
});

test("seats that policies play do what those call for in a search, and nothing else", () => {
  const runnable = runnableOf(readFileSync("examples/kite-duel.zany", "utf8"));
  const bots = new Players(runnable, { north: "careful", south: "careful" });
  const exploration = new Exploration(runnable, { bots, noEvents: true, most: { situations: 3_000 } });
  const { never, findings } = exploration.run();
  expect(never.actions).toContain("Turn.cutLoose");
  expect(findings).toEqual([]);
  const free = new Exploration(runnable, { noEvents: true, most: { situations: 3_000 } });
  expect(free.run().never.actions).not.toContain("Turn.cutLoose");
});
