/** Matches played here: lines as tests write them, what goes on by itself, what is taken back, a match as a test. */

import { readdirSync, readFileSync } from "node:fs";
import { compile, LocalMatch, nearest, Runnable, runTests, valueText, waiting, begin, step } from "@zany/core";
import { describe, expect, test } from "vitest";
import { EXAMPLES, exampleText, findPart } from "./examples.js";

const MACHINES: readonly (readonly [string, string])[] = [
  ...EXAMPLES.map((name) => [name, exampleText(name)] as const),
  ...["right", "grids"].flatMap((folder) => {
    const url = new URL(`machines/${folder}/`, import.meta.url);
    return readdirSync(url).map((name) => [name, readFileSync(new URL(name, url), "utf8")] as const);
  }),
];

function local(text: string, options: Partial<ConstructorParameters<typeof LocalMatch>[1]> = {}): LocalMatch {
  const { machine, messages } = compile(text, "here.zany", findPart);
  expect(messages.filter((m) => m.severity === "error")).toEqual([]);
  return new LocalMatch(
    new Runnable(machine, false),
    { how: { seed: "local", now: 1_000_000 }, ...options },
    { text, name: "here.zany", findPart },
  );
}

/** Lets bots play on, seats, events and time, for some steps. */
function playOn(match: LocalMatch, steps: number): void {
  for (let i = 0; i < steps && !match.situation.outcome; i++) {
    const own = match.botStep() ?? match.ownStep();
    if (!own) return;
    match.take(own.input, true);
  }
}

describe.each(MACHINES)("%s", (_, text) => {
  const { machine } = compile(text, "here.zany", findPart, { errorsOnly: true });
  const bots = Object.fromEntries(machine.seats.names.map((seat) => [seat, "random"]));

  test.each([0, 1])("a match of bots becomes a test that passes, and is taken back line by line (%i)", (number) => {
    const match = local(text, { how: { seed: `local ${number}`, now: 5_000 }, bots, events: true });
    const first = match.situation;
    playOn(match, 25);
    const written = match.asTest(`played "by bots" {at random}`);
    const again = compile(`${text}\n${written}`, "here.zany", findPart, { errorsOnly: true });
    expect(again.messages, written).toEqual([]);
    const [result] = runTests(new Runnable(again.machine, false)).slice(-1);
    expect(result?.failure, written).toBeUndefined();
    expect(result?.words).toBe('played "by bots" {at random}');
    while (match.undo());
    expect(match.situation).toBe(first);
  });
});

const DUEL = `machine Duel
seats ann, ben
event Gust(force: int 0..9)
event Calm
data { lift per seat: int 0..40 = 40  spot: cell = cell(0, 0)  said: text = "" }
on Gust(force) { for s in seats { lift[s] -= force } }
start Turn
state Turn {
  turn of ann
  action slash(target: seat in others, force: int 0..9 = 3) { lift[target] -= roll(1..6) + force } -> stay
  action go(to: cell) { spot = to } -> stay
  action say1(words: text) { said = words } -> stay
  action nap -> Rest
}
state Rest {
  after 3s -> Turn
  on Calm -> Hall
}
state Hall { when lift[ann] == 0 -> E }
ending E { draws all }
`.replace(" = 3)", ")");

describe("a line is read as in a test", () => {
  const match = local(DUEL);
  const input = (line: string): unknown => {
    const typed = match.read(line);
    return typed.kind === "input" ? typed.input : `${typed.words} ${typed.help ?? ""}`.trim();
  };

  test.each([
    ["ann slash(ben, 2)", { kind: "action", seat: "ann", action: "slash", args: { target: "ben", force: 2 } }],
    ["ann slash(force: 2, target: next(ann)) dice 6", { args: { target: "ben", force: 2 }, dice: [6] }],
    ["ann go(cell(1, 1))", { action: "go", args: { to: { x: 1, y: 1 } } }],
    ['ann say1("two words, {lift[ben]}")', { args: { words: "two words, 40" } }],
    ["event Gust(2 + 1)", { kind: "event", event: "Gust", args: { force: 3 } }],
    ["wait 1m", { kind: "time", time: 1_060_000 }],
    ["ben leaves", { kind: "leave", seat: "ben" }],
    ["ann slsh(ben, 2)", 'There is no action "slsh". Did you mean "slash"?'],
    ["ann slash(bob, 2)", /There is no value "bob"/],
    ["ann slash", /needs "target"/],
    ["ann go 1, 1", /stand in parentheses/],
    ["ann go(cell(1, 1)) ben nap", "This is more than one step. Type one step at a time."],
    ['ann nap } test "x" { ann nap', "This is more than one step. Type one step at a time."],
    ["ann nap } state X {", /./],
    ["expect lift[ann] == 40", /"expect" is no step of a match/],
    ["ann nap refused notYourTurn", /leave "refused" out/],
    ["ann nap // and more", { action: "nap" }],
    ["event Gust(1 / 0)", /./],
    ["", /./],
  ] as const)("%s", (line, wanted) => {
    const found = input(line);
    if (wanted instanceof RegExp || typeof wanted === "string") expect(found).toEqual(expect.stringMatching(wanted));
    else expect(found).toMatchObject(wanted);
  });
});

describe("what goes on, and what it waits for", () => {
  test("a person on turn is asked; then time; an event; and when nothing can happen, why", () => {
    const match = local(DUEL);
    expect(match.asked()).toEqual({ seat: "ann", mayPass: false });
    expect(match.botStep()).toBeUndefined();
    match.take({ kind: "action", seat: "ann", action: "nap" }, true);
    expect(match.asked()).toBeUndefined();
    expect(match.ownStep()).toEqual({ input: { kind: "time", time: 1_003_000 } });
    expect(match.waiting().words).toEqual([
      "It is nobody's turn in Rest.",
      "It waits for the game's event Gust(force: int 0..9) or Calm.",
      "The next timer is Rest.after1.",
    ]);
    match.take({ kind: "event", event: "Calm" }, true);
    expect(match.waiting().words.join(" ")).toBe(
      "It is nobody's turn in Hall. It waits for the game's event Gust(force: int 0..9).",
    );
    const stuck = compile(DUEL.replace(/^on Gust.*$/m, ""), "here.zany").machine;
    const runnable = new Runnable(stuck, false);
    let { situation } = begin(runnable, { seed: "a" }).taken as NonNullable<ReturnType<typeof begin>["taken"]>;
    situation = step(runnable, situation, { kind: "action", seat: "ann", action: "nap" }).situation;
    situation = step(runnable, situation, { kind: "event", event: "Calm" }).situation;
    expect(waiting(runnable, situation).words.join(" ")).toBe(
      `It is nobody's turn in Hall. Nothing can go on: no action is open, no timer runs, and no event is heard. Hall waits until "lift[ann] == 0", but nothing is left that could change it.`,
    );
  });

  test("what changed since a seat's own last step, down to the part; nothing that is not its to see", () => {
    const match = local(DUEL);
    match.take({ kind: "action", seat: "ann", action: "slash", args: { target: "ben", force: 9 }, dice: [1] }, true);
    expect(match.changedSince("ben")).toEqual([{ path: "lift.ben", before: 40, after: 30 }]);
    expect(match.changedSince("ann")).toEqual([]);
    match.take({ kind: "event", event: "Gust", args: { force: 2 } }, true);
    expect(match.changedSince("ann").map((c) => c.path)).toEqual(["lift.ann", "lift.ben"]);
    match.undo();
    match.undo();
    expect(match.changedSince("ben")).toEqual([]);
    expect(match.undo()).toBe(false);
  });

  test("a seat or policy that is not there, and a match that cannot begin, are said", () => {
    expect(() => local(DUEL, { bots: { cid: "random" } })).toThrow('This match has no seat "cid". There are ann, ben.');
    expect(() => local(DUEL, { bots: { ann: "bold" } })).toThrow('There is no policy "bold". There are random, wary.');
    expect(() => local(DUEL, { how: { seed: "a", seats: 3 } })).toThrow(/seats/);
    expect(nearest("slsh", ["slash", "go"])).toBe("slash");
  });
});

test("a value written by the language is read as that value", () => {
  const text = `machine V
seats ann, ben
type Gear is tape, bell
type Kite { lift: int = 1  gear: Gear  at1: cell? = none }
data {
  kites: list of Kite = [Kite(lift: 3, gear: bell, at1: cell(2, 1)), Kite()]
  words: text = "a {{brace}, \\"quotes\\", \\\\ and\\nlines"
  prices: map of text to int = ["two words": 2]
  purse per seat: int = [ann: 2, else: 1]
  square: grid 2 by 2 of bool = [[true, false], [false, true]]
}
start S
state S { turn of ann action end -> E }
ending E { draws all }
`;
  const match = local(text);
  const { data } = match.seenBy("ann");
  const typeOf = (name: string) => match.runnable.machine.data.find((f) => f.name === name)?.type;
  const lines = data.map((f) => `expect ${f.name} == ${valueText(typeOf(f.name) as never, f.value)}`);
  const plain = lines.filter((line) => !/square|purse|prices/.test(line));
  const given = data.filter((f) => /square|purse|prices/.test(f.name));
  const written = `test "v" {\n  given ${given.map((f) => `${f.name} = ${valueText(typeOf(f.name) as never, f.value)}`).join(", ")}\n${plain.join("\n")}\nexpect square[cell(1, 1)], purse[ben] == 1, prices["two words"] == 2\n}`;
  const again = compile(`${text}\n${written}`, "here.zany");
  expect(
    again.messages.filter((m) => m.severity === "error"),
    written,
  ).toEqual([]);
  expect(runTests(new Runnable(again.machine, false)).at(-1)?.failure).toBeUndefined();
});
