/**
 * The reasoning never claims what does not hold: whatever a match really comes to is among what was reckoned
 * with, and faults that no message warns of do not happen.
 */

import { readdirSync, readFileSync } from "node:fs";
import {
  begin,
  compile,
  Exploration,
  type Input,
  options,
  RandomGame,
  RandomPlayer,
  Runnable,
  runTests,
  type Situation,
  nextTimer,
  situationJson,
  step,
  view,
} from "@zany/core";
import { describe, expect, test } from "vitest";
import type { Law, Machine } from "../src/check/machine.js";
import { Accesses } from "../src/check/reason/accesses.js";
import type { Type } from "../src/check/types.js";
import { findOut, inductiveLaws } from "../src/check/reason/findings.js";
import { covers, joinKnowledge } from "../src/check/reason/knowledge.js";
import { isInside } from "../src/check/tree.js";
import { bitsOf, type Possible } from "../src/check/reason/possible.js";
import { EXAMPLES, exampleText, findPart } from "./examples.js";
import { mutantsOf } from "./mutants.js";

/** The situations of a match played at random; a fault ends it and is given last. */
function* situations(runnable: Runnable, number: number, length: number): Generator<Situation | string> {
  const begun = begin(runnable, { seed: `reasoning ${number}` });
  if (begun.fault) yield begun.fault.code;
  if (!begun.taken) return;
  let { situation } = begun.taken;
  const players = new Map(
    runnable.machine.seats.names.map((seat) => [seat, new RandomPlayer(runnable, `${number} ${seat}`)]),
  );
  const game = new RandomGame(runnable, `${number}`);
  for (let at = 0; at < length && !situation.outcome; at++) {
    yield situation;
    const input = chosen(runnable, situation, players, game, number, at);
    if (!input) return;
    const result = step(runnable, situation, input);
    if (result.fault) yield result.fault.code;
    if (result.taken.length === 0) return;
    situation = result.situation;
  }
}

function chosen(
  runnable: Runnable,
  situation: Situation,
  players: ReadonlyMap<string, RandomPlayer>,
  game: RandomGame,
  number: number,
  at: number,
): Input | undefined {
  const { turn, seats } = view(runnable, situation, null);
  if (number % 4 === 3 && at === 4) return { kind: "leave", seat: seats[number % seats.length]?.seat ?? "" };
  const due = nextTimer(runnable.machine, situation)?.due;
  if (due !== undefined && (number + at) % 6 === 5) return { kind: "time", time: due };
  if ((number + at) % 5 === 4) {
    for (const { seat } of seats) {
      const open = options(runnable, situation, seat).find(
        (o) => o.open && o.parameters.length === 0 && runnable.machine.actions.some((a) => a.name === o.action && a.by),
      );
      if (open) return { kind: "action", seat, action: open.action, args: {} };
    }
  }
  for (const seat of turn) {
    const input = players.get(seat)?.choose(situation, seat);
    if (input) return input;
  }
  return game.choose(situation, due !== undefined) ?? (due === undefined ? undefined : { kind: "time", time: due });
}

/** True when a value, as JSON, is among the possible ones. */
function holds(possible: Possible | undefined, value: unknown, type: Type, seats: readonly string[]): boolean {
  if (!possible || possible.kind === "any") return true;
  switch (type.kind) {
    case "int":
    case "num":
      return possible.kind === "number" && (value as number) >= possible.low && (value as number) <= possible.high;
    case "bool":
      return possible.kind === "choice" && (possible.mask & (value ? 2 : 1)) !== 0;
    case "seat":
      return possible.kind === "choice" && bitsOf(possible.mask).includes(seats.indexOf(value as string));
    case "enum":
      return possible.kind === "choice" && bitsOf(possible.mask).includes(type.members.indexOf(value as string));
    case "maybe":
      return (
        possible.kind === "maybe" &&
        (value === null ? possible.none : possible.of !== undefined && holds(possible.of, value, type.of, seats))
      );
    case "record":
      return (
        possible.kind === "record" &&
        type.fields.every((f, i) =>
          holds(possible.fields[i], (value as Record<string, unknown>)[f.name], f.type, seats),
        )
      );
    case "perSeat":
      return (
        possible.kind === "perSeat" &&
        seats.every(
          (seat, i) =>
            !Object.hasOwn(value as object, seat) ||
            holds(possible.seats[i], (value as Record<string, unknown>)[seat], type.of, seats),
        )
      );
    case "list": {
      const list = value as unknown[];
      return (
        possible.kind === "list" &&
        list.length >= possible.least &&
        list.length <= possible.most &&
        list.every((v, i) => holds(possible.items?.[i] ?? possible.of, v, type.of, seats))
      );
    }
    default:
      return true;
  }
}

/** The data of a situation that no point of its leaf reckoned with. */
function unreckoned(
  runnable: Runnable,
  situation: Situation,
  found: NonNullable<ReturnType<typeof findOut>>,
): string | undefined {
  const { machine } = runnable;
  const { data } = situationJson(runnable.machine, situation) as { data: Record<string, unknown> };
  for (const name of view(runnable, situation, null).here) {
    const leaf = machine.states.find((s) => s.name === name);
    if (!leaf || leaf.id === 0) continue;
    const points = [...found.flow.points.values()].filter((p) => isInside(machine, p.leaf, leaf.id));
    const fits = points.some((p) =>
      machine.data.every((f) => holds(p.store.data[f.slot], data[f.name], f.type, machine.seats.names)),
    );
    if (!fits) {
      const wrong = machine.data.filter(
        (f) => !points.some((p) => holds(p.store.data[f.slot], data[f.name], f.type, machine.seats.names)),
      );
      return `${name} (${points.length} points): ${wrong.map((f) => `${f.name} = ${JSON.stringify(data[f.name])}`).join(", ") || JSON.stringify(data)}`;
    }
  }
  return undefined;
}

/** Of these, fewer mutants. */
const SLOW = new Set(["market-siege.zany", "tide-gates.zany"]);

/** Which message excludes which fault. */
const EXCLUDED: Readonly<Record<string, string>> = {
  divisionByZero: "may-divide-by-zero",
  emptyRange: "roll-empty",
};

/** Right machines in other styles, parallel states and overlays over overlays among them. */
const RIGHT = new URL("machines/right/", import.meta.url);
const MACHINES: readonly (readonly [string, string])[] = [
  ...EXAMPLES.map((name) => [name, exampleText(name)] as const),
  ...readdirSync(RIGHT).map((name) => [name, readFileSync(new URL(name, RIGHT), "utf8")] as const),
];

/** Plays matches and holds every situation against what the reasoning has said of it. */
function isReckonedWith(name: string, text: string, matches: number): void {
  const runnable = new Runnable(compile(text, name, findPart).machine, false);
  const found = findOut(runnable.machine, "believed");
  expect(found).toBeDefined();
  if (!found) return;
  let seen = 0;
  for (let number = 0; number < matches; number++) {
    for (const situation of situations(runnable, number, 60)) {
      expect(typeof situation === "string" ? situation : unreckoned(runnable, situation, found)).toBeUndefined();
      seen++;
    }
  }
  expect(seen).toBeGreaterThan(50);
}

/** Others, among them one that takes so much work that it is reasoned about less exactly. */
const OTHERS = ["grids", "fair"].flatMap((folder) => {
  const url = new URL(`machines/${folder}/`, import.meta.url);
  return readdirSync(url).map((name) => [name, readFileSync(new URL(name, url), "utf8")] as const);
});

test.each(OTHERS)("what matches of %s come to is among what was reckoned with", (name, text) => {
  isReckonedWith(name, text, 30);
});

test.each(["fair/lantern-crews.zany", "fair/cellar-rats.zany", "fair/crab-race.zany"])(
  "however early the reasoning about %s tires, it comes to no less",
  (name) => {
    const text = readFileSync(new URL(`machines/${name}`, import.meta.url), "utf8");
    const { machine } = compile(text, name);
    const exact = findOut(machine, "doubted", Number.POSITIVE_INFINITY);
    let tried = 0;
    for (let work = 2_000; work < 15_000; work += 400) {
      const tired = findOut(machine, "doubted", work);
      // It may come to nothing at all, and says so.
      if (!tired || !exact) continue;
      tried++;
      const missing = [...exact.tests].filter(([e, { mask }]) => mask & ~(tired.tests.get(e)?.mask ?? 0));
      expect(
        missing.map(([e]) => machine.sources.text(e)),
        `tired after ${work}`,
      ).toEqual([]);
      for (const of of ["entered", "endings"] as const)
        expect([...exact.flow[of]].filter((id) => !tired.flow[of].has(id))).toEqual([]);
      expect([...exact.opened].filter((action) => !tired.opened.has(action))).toEqual([]);
    }
    expect(tried).toBeGreaterThan(10);
  },
);

test.each(EXAMPLES)("what covers something is left where both are joined, and nothing else is: %s", (name) => {
  const { machine } = compile(exampleText(name), name, findPart, { errorsOnly: true });
  const stores = [...(findOut(machine, "believed")?.flow.points.values() ?? [])].map(({ store }) => store);
  const [first, ...others] = stores;
  const joined = first ? others.map((store) => joinKnowledge(first, store)) : [];
  const all = [...stores, ...joined, ...stores.map((store) => store.withoutFacts())].slice(0, 40);
  for (const a of all) for (const b of all) expect(covers(a, b)).toBe(joinKnowledge(a, b) === a);
  for (const both of joined) expect(first && covers(both, first)).toBe(true);
});

test("where to go behind an entry is asked once, wherever a step has passed through since", () => {
  const text = `machine Watches
seats 2..3 keeper
data { order: list of seat  acting: seat = keeper1  lit: int 0..20  dark: int 0..20 }
start Dusk
state Dusk { turn of each seats  action come -> ready  when all ready -> Watch  after 1m -> Watch }
state Watch {
  enter { order = shuffle(inPlay) } -> Next
  start Next
  state Next {
    enter -> choose {
      when lit >= 12 -> Lit
      when order.empty -> Dark
      else { acting = order.take() } -> choose { when lit < 9 or acting in inPlay -> Act  else -> again Next }
    }
  }
  state Dark { enter { dark += 1 } -> choose { when dark > 15 -> Lit  else -> again Watch } }
  state Act {
    turn of acting
    action light { lit += 1 } -> Next
    action rest1 -> Next
  }
}
on Left(s) -> choose { when inPlay.size == 1 -> Lit  when acting == s -> Next  else -> stay }
ending Lit { wins inPlay loses others }
`;
  expect(new Set(compile(text).messages.map(({ name }) => name))).toEqual(new Set(["entered-twice"]));
  isReckonedWith("watches.zany", text, 40);
});

describe.each(MACHINES)("%s", (name, text) => {
  test("what matches come to is among what was reckoned with", () => {
    isReckonedWith(name, text, 40);
  });

  test("a mutant without a warning meets no fault that a warning would exclude", () => {
    let played = 0;
    for (const mutant of mutantsOf(text, SLOW.has(name) ? 1 : 4)) {
      const { messages, ok, machine } = compile(mutant.text, name, findPart);
      if (!ok) continue;
      const runnable = new Runnable(machine, false);
      const found = findOut(machine, "believed");
      for (let number = 0; number < 6; number++) {
        for (const situation of situations(runnable, number, 40)) {
          const at = `${mutant.line}: ${mutant.from} => ${mutant.to}`;
          if (typeof situation !== "string") {
            if (found) expect(unreckoned(runnable, situation, found), at).toBeUndefined();
            continue;
          }
          const warning = EXCLUDED[situation];
          if (warning)
            expect(
              messages.map((m) => m.name),
              `${situation} at ${at}`,
            ).toContain(warning);
        }
        played++;
      }
    }
    expect(played).toBeGreaterThan(0);
  });
});

test("a machine in the standard order is reckoned with in that order", () => {
  const conditions = (order: string): string[] =>
    compile(`machine M ${order}
seats a
turn of a
on Left(s) -> E
data { n: int 0..9 = 0 }
start A
state A {
  exit { n = 1 }
  action go { if n == 1 { note "left already" } } -> B
}
state B { action back { n = 0 } -> A  action end -> E }
ending E { draws all }
`).messages.flatMap((m) => (m.name === "condition-always" ? [m.words] : []));
  expect(conditions("order standard")).toEqual([expect.stringMatching(/^"n == 1" is always true/)]);
  expect(conditions("")).toEqual([expect.stringMatching(/^"n == 1" is always false/)]);
});

test("a machine's own name comes before what was built in later", () => {
  const { ok, machine } = compile(`machine M
seats a
on Left(s) -> E
function sign(s: seat): int = if s == a then 7 else 8
data { n: int = 0 }
start A
state A { turn of a action go { n = sign(me) } -> E }
ending E { wins seats }
test "its own" { a go expect n == 7, ending E }
`);
  expect(ok && runTests(new Runnable(machine)).map((t) => t.ok)).toEqual([true]);
});

/** Laws of a kite duel: those that hold by induction, and others. */
const SHOWN = [
  "in Turn implies kites[queue.first].lift > 0",
  "queue.size <= 2",
  "in Turn implies not queue.empty",
  "lap >= 1",
  "kites[north].tape == 2 or lap > 0",
];
const NOT_SHOWN = [
  "kites[north].lift > 0 or kites[south].lift > 0",
  "in Turn implies not kites[queue.first].braced",
  "kites[north].guard == 3",
  "kites[south].pull == kites[north].tape",
];

test("what is shown of laws by induction holds in every match, of mutants too", () => {
  const text = exampleText("kite-duel.zany").replace(/^law .*$/gm, "");
  const laws = [...SHOWN, ...NOT_SHOWN].map((condition, i) => `law "${i}": ${condition}\n`).join("");
  const shownOf = (machine: Machine): readonly Law[] => [...inductiveLaws(machine, new Accesses(machine))];
  const { machine } = compile(text + laws);
  expect(shownOf(machine).map(({ words }) => Number(words))).toEqual(SHOWN.map((_, i) => i));
  let tried = 0;
  for (const mutant of mutantsOf(text, 2)) {
    const compiled = compile(mutant.text + laws, "mutant.zany", undefined, { errorsOnly: true });
    if (!compiled.ok) continue;
    // Those of which it is not shown would stop the match.
    const shown = { ...compiled.machine, laws: shownOf(compiled.machine) };
    const most = { situations: 3_000, steps: 30_000 };
    const { findings } = new Exploration(new Runnable(shown), { most, leaving: "one", walk: 5_000 }).run();
    expect(
      findings.filter(({ kind }) => kind === "law"),
      `${mutant.line}: ${mutant.from} => ${mutant.to}`,
    ).toEqual([]);
    tried += shown.laws.length;
  }
  expect(tried).toBeGreaterThan(20);
});
