/** What callers of the engine use, held against itself: options against steps, views, happenings, bots, counting. */

import {
  type ActionOption,
  addTallies,
  BadGiven,
  begin,
  compile,
  givenFrom,
  type Input,
  makeBot,
  options,
  policyNames,
  type Runnable,
  runTests,
  type Situation,
  simulate,
  situationDigest,
  step,
  type Taken,
  view,
} from "@zany/core";
import { describe, expect, test } from "vitest";
import { openActions } from "../src/engine/matches/view.js";
import { EXAMPLES, example, runnableOf } from "./examples.js";

/** Situations of a match that bots play at random. */
function* situations(runnable: Runnable, seed: string, length: number): Generator<Situation> {
  const begun = begin(runnable, { seed });
  if (!begun.taken) return;
  let { situation } = begun.taken;
  const players = new Map(
    runnable.machine.seats.names.map((seat) => [seat, makeBot(runnable, "random", `${seed} ${seat}`)] as const),
  );
  for (let i = 0; i < length && !situation.outcome; i++) {
    yield situation;
    const { turn } = view(runnable, situation, null);
    const input = turn.map((seat) => players.get(seat)?.choose(situation, seat)).find((chosen) => chosen);
    const next = step(runnable, situation, input ?? { kind: "time", time: situation.now + 60_000 });
    if (next.taken.length === 0) return;
    situation = next.situation;
  }
}

/** The arguments an option offers for its one parameter, with whether each is open. */
const offered = ({ action, parameters: [parameter] }: ActionOption, seat: string) =>
  (parameter?.values ?? []).map((value) => ({
    value,
    input: { kind: "action", seat, action, args: { [parameter?.name ?? ""]: value.value } } as Input,
  }));

describe.each(EXAMPLES)("%s", (name) => {
  const runnable = example(name);

  test("what is open is taken, what is closed is refused for the reason given", () => {
    let open = 0;
    let closed = 0;
    for (let match = 0; match < 6; match++)
      for (const situation of situations(runnable, `options ${match}`, 25))
        for (const { seat } of view(runnable, situation, null).seats) {
          const seen = options(runnable, situation, seat);
          const names = seen.flatMap((option) => (option.open ? [option.action] : []));
          expect(openActions(runnable, situation, seat)).toEqual(names);
          for (const option of seen) {
            if (option.parameters.length === 0) {
              const { refusal } = step(runnable, situation, { kind: "action", seat, action: option.action, args: {} });
              expect(refusal?.code, `${seat} ${option.action}`).toBe(option.open ? undefined : option.code);
              if (option.open) open++;
              else closed++;
            } else if (option.open && option.parameters.length === 1) {
              for (const { value, input } of offered(option, seat)) {
                const { refusal } = step(runnable, situation, input);
                expect(refusal === undefined, `${seat} ${option.action}(${value.label})`).toBe(value.open);
                // A need of the whole action may close a value too; a reason of its own says why.
                if (!value.open && value.reason !== undefined) expect(value.reason).not.toBe("");
                if (value.open) open++;
                else closed++;
              }
            } else if (!option.open) closed++;
          }
        }
    expect(open).toBeGreaterThan(5);
    expect(open + closed).toBeGreaterThan(10);
  });

  test("looking changes nothing, and what happened is the same whether it is asked for now or later", () => {
    for (const situation of situations(runnable, "looking", 30)) {
      const before = situationDigest(runnable, situation);
      const seats = view(runnable, situation, null).seats.map((s) => s.seat);
      const seen = [null, ...seats].map((seat) => JSON.stringify(view(runnable, situation, seat)));
      for (const seat of seats) options(runnable, situation, seat);
      const input: Input = { kind: "time", time: situation.now + 120_000 };
      const now = step(runnable, situation, input, { happenings: "now" });
      const later = step(runnable, situation, input);
      expect(later.taken.map((t) => t.happenings)).toEqual(now.taken.map((t) => t.happenings));
      expect(situationDigest(runnable, later.situation)).toBe(situationDigest(runnable, now.situation));
      expect([null, ...seats].map((seat) => JSON.stringify(view(runnable, situation, seat)))).toEqual(seen);
      expect(situationDigest(runnable, situation)).toBe(before);
    }
  });

  test("counting matches in parts comes to the same as counting them at once", () => {
    const matches = 12;
    const whole = simulate(runnable, { first: 0, end: matches, seed: "parts" });
    const parts = [0, 5, 6].map((from, i, starts) =>
      simulate(runnable, { first: from, end: starts[i + 1] ?? matches, seed: "parts" }),
    );
    expect(addTallies(parts)).toEqual(whole);
    const sum = (counts: Readonly<Record<string, number>>): number => Object.values(counts).reduce((a, b) => a + b, 0);
    expect([whole.matches, sum(whole.endings), sum(whole.lengths)]).toEqual([matches, matches, matches]);
    for (const [ending, number] of Object.entries(whole.examples)) {
      expect(whole.endings[ending]).toBeGreaterThan(0);
      expect(number).toBeLessThan(matches);
    }
  });
});

describe("a seat sees", () => {
  const runnable = runnableOf(`machine Cards
seats ann, ben
on Left(s) -> Over
data {
  private hand per seat: list of int
  hidden deck: list of int
  open: int
}
start Deal
state Deal {
  enter {
    for n in 1..6 { deck.push(n) }
    for s in seats { hand[s].push(deck.take()) }
  }
  turn of ann
  action show { open = hand[me].first note to ben "it was {open}" } -> Over
}
ending Over { draws all }
`);

  test("its own, what is public, and nothing else, whoever asks", () => {
    const begun = begin(runnable, { seed: "cards" });
    if (!begun.taken) throw new Error("it does not begin");
    const { situation } = begun.taken;
    const data = (seat: string | null) =>
      Object.fromEntries(view(runnable, situation, seat).data.map((f) => [f.name, f.value]));
    expect(data("ann")).toEqual({ hand: { ann: [1] }, open: 0 });
    expect(data("ben")).toEqual({ hand: { ben: [2] }, open: 0 });
    expect(data(null)["open"]).toBe(0);
    for (const seat of ["ann", "ben", null]) {
      expect(data(seat)).not.toHaveProperty("deck");
      const text = JSON.stringify(view(runnable, situation, seat));
      expect(text).not.toContain("[3,4,5,6]");
    }
    const { taken } = step(runnable, situation, { kind: "action", seat: "ann", action: "show", args: {} });
    expect(taken.flatMap((t) => t.happenings.notes).map((n) => [n.text, n.to])).toEqual([["it was 1", "ben"]]);
  });
});

describe("bots", () => {
  test("are named by the machine and one for all; another name is none", () => {
    const duel = example("kite-duel.zany");
    expect(policyNames(duel)).toEqual(["careful", "random", "wary"]);
    expect(makeBot(duel, "bold", "s")).toBeUndefined();
    const [one, other] = ["careful", "careful"].map((name) => makeBot(duel, name, "s"));
    for (const situation of situations(duel, "bots", 15))
      for (const seat of view(duel, situation, null).turn)
        expect(one?.choose(situation, seat)).toEqual(other?.choose(situation, seat));
  });
});

describe("what is given, as people type it", () => {
  test.each([
    [["kites.north.lift=3"], { data: [{ path: "/data/kites/north/lift", value: 3 }] }],
    [
      ["hand[2]=true", 'name="a=b"'],
      {
        data: [
          { path: "/data/hand/2", value: true },
          { path: "/data/name", value: "a=b" },
        ],
      },
    ],
    [["word=gale"], { data: [{ path: "/data/word", value: "gale" }] }],
    [["state=Volley", "state.kites=3"], { state: { name: "Volley", args: { kites: 3 } } }],
    [[], {}],
  ])("%j", (texts, given) => {
    expect(givenFrom(texts)).toEqual(given);
  });

  test.each([[["kites"]], [["=3"]], [["state.kites=3"]]])("%j says nothing that could be given", (texts) => {
    expect(() => givenFrom(texts)).toThrow(BadGiven);
  });
});

test("a seat that is named and does not sit down is a fault where it is used, and nobody's where it is compared", () => {
  const crew = (rule: string): string => `machine Few
seats 2..4 crew
data { score per seat: int 0..5  mover: seat = crew1 }
start Turn
state Turn {
  turn of mover
  action row { ${rule}  mover = next(mover) } -> stay
  action land by crew4 -> Landed
  action leave -> Landed
}
ending Landed { draws all }
test "four in the boat" { seats 4  crew1 row  expect score[crew4] == 1 }
`;
  const taken = (rule: string, seats: number) => {
    const machine = runnableOf(crew(rule));
    const { situation } = begin(machine, { seed: "few", seats }).taken as Taken;
    return step(machine, situation, { kind: "action", seat: "crew1", action: "row" });
  };
  const asked = "if crew4 in seats and mover != crew4 { score[crew4] += 1 }";
  const few = runnableOf(crew(asked));
  const { situation } = begin(few, { seed: "few", seats: 2 }).taken as Taken;
  expect(options(few, situation, "crew1").map(({ action, code }) => [action, code])).toEqual([
    ["row", undefined],
    ["land", "notYourTurn"],
    ["leave", undefined],
  ]);
  expect(taken("score[crew4] += 1", 2).fault).toMatchObject({
    code: "missingIndex",
    words: "crew4 does not sit down in this match.",
  });
  expect(taken("score[crew4] += 1", 4).fault).toBeUndefined();
  expect(taken(asked, 2).fault).toBeUndefined();
  expect(runTests(runnableOf(crew(asked)))).toMatchObject([{ ok: true }]);
  const warned = (rule: string): string[] => compile(crew(rule)).messages.map(({ name, words }) => `${name}: ${words}`);
  expect(warned("score[crew4] += 1")).toEqual([
    'index-may-miss: "crew4" does not sit down in every match, and where it does not the match would stop with a fault.',
  ]);
});
