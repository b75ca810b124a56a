/** Situations: what they are as JSON, what changes between two, and that neither depends on how they came about. */

import {
  begin,
  changesBetween,
  type Input,
  makeBot,
  nextTimer,
  options,
  restore,
  type Runnable,
  type Situation,
  situationDigest,
  situationJson,
  step,
  view,
  WrongValue,
} from "@zany/core";
import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { pointerParts } from "../src/engine/values/pointer.js";
import { EXAMPLES, example, runnableOf } from "./examples.js";

type Json = null | boolean | number | string | readonly Json[] | { readonly [name: string]: Json };

/** Some matches end soon. */
const SEEDS = ["one", "two", "three", "four", "five", "six", "seven", "eight"];

/** A match at random, bots and time in turn: every situation, the one before it, and the input that led there. */
function* played(runnable: Runnable, seed: string, length: number): Generator<readonly [Situation, Situation, Input]> {
  const begun = begin(runnable, { seed });
  if (!begun.taken) throw new Error("does not begin");
  let { situation } = begun.taken;
  const bots = runnable.machine.seats.names.map((seat) => makeBot(runnable, "random", `${seed} ${seat}`));
  for (let i = 0; i < length && !situation.outcome; i++) {
    const { turn } = view(runnable, situation, null);
    const chosen = turn
      .map((seat) => bots[runnable.machine.seats.names.indexOf(seat)]?.choose(situation, seat))
      .find((input) => input !== undefined);
    const due = nextTimer(runnable.machine, situation)?.due;
    const input: Input | undefined = chosen ?? (due === undefined ? undefined : { kind: "time", time: due });
    if (!input) return;
    const { situation: next, taken } = step(runnable, situation, input);
    if (taken.length === 0) return;
    yield [situation, next, input];
    situation = next;
  }
}

const json = (runnable: Runnable, s: Situation): Record<string, Json> =>
  situationJson(runnable.machine, s) as Record<string, Json>;

/** A copy of a value with one change made: what a reader of a logbook does with it. */
function changed(value: Json, [first, ...rest]: readonly string[], to: Json | undefined): Json {
  if (first === undefined) return to ?? null;
  if (Array.isArray(value)) return value.map((item: Json, i) => (i === Number(first) ? changed(item, rest, to) : item));
  const { [first]: inner = null, ...others } = value as Record<string, Json>;
  return rest.length === 0 && to === undefined ? others : { ...others, [first]: changed(inner, rest, to) };
}

/** What stands in a situation in place of something else. */
const OTHER: readonly (Json | undefined)[] = [undefined, null, -1, 1e300, 0.5, "", "Nowhere", true, [], {}, [["Over"]]];

/** The way to everything that a value holds. */
function placesIn(value: Json, way: readonly string[] = []): string[][] {
  if (value === null || typeof value !== "object") return [[...way]];
  return [[...way], ...Object.entries(value).flatMap(([name, part]) => placesIn(part as Json, [...way, name]))];
}

describe.each(EXAMPLES)("%s", (name) => {
  const runnable = example(name);

  test("the changes of a step, made to the situation before it, give the one after it", () => {
    let count = 0;
    for (const seed of SEEDS)
      for (const [before, after] of played(runnable, seed, 40)) {
        const { data, local, seats } = json(runnable, before);
        let now: Json = { data, local, seats } as Json;
        const changes = changesBetween(runnable.machine, before, after);
        for (const { path, value } of changes) now = changed(now, pointerParts(path), value);
        expect(now).toEqual(
          (({ data, local, seats }) => ({ data, local, seats }))(json(runnable, after) as Record<string, Json>),
        );
        count += changes.length;
      }
    expect(count).toBeGreaterThan(3);
  });

  test("the digest is of the JSON: equal situations have equal ones, and others do not", () => {
    const seen = new Map<string, string>();
    for (const seed of [...SEEDS, ...SEEDS])
      for (const [, after] of played(runnable, seed, 25)) {
        const digest = situationDigest(runnable, after);
        const text = JSON.stringify(json(runnable, after));
        expect(seen.get(digest) ?? text).toBe(text);
        seen.set(digest, text);
      }
    expect(new Set(seen.values()).size).toBe(seen.size);
    expect(seen.size).toBeGreaterThan(3);
  });

  test("read back from its JSON, a situation is the same one, and what follows is the same", () => {
    let count = 0;
    for (const seed of SEEDS)
      for (const [before, after, input] of played(runnable, seed, 60)) {
        const text = JSON.stringify(json(runnable, before));
        const back = restore(runnable, JSON.parse(text) as Json, seed);
        expect(JSON.stringify(json(runnable, back))).toBe(text);
        expect(situationDigest(runnable, step(runnable, back, input).situation)).toBe(situationDigest(runnable, after));
        count++;
      }
    expect(count).toBeGreaterThan(3);
  });

  test("with something else in it, it is refused in words, or played on as any other", () => {
    const situations = SEEDS.flatMap((seed) => [...played(runnable, seed, 25)].map(([, after]) => after));
    const places = situations.map((situation) => placesIn(json(runnable, situation)));
    let refused = 0;
    const place = fc.nat(situations.length - 1).chain((i) => fc.record({ i: fc.constant(i), at: fc.nat() }));
    fc.assert(
      fc.property(place, fc.constantFrom(...OTHER), ({ i, at }, other) => {
        const paths = places[i] as string[][];
        const path = paths[at % paths.length] as string[];
        const whole = changed(json(runnable, situations[i] as Situation), path, other);
        let back: Situation;
        try {
          back = restore(runnable, whole, "one");
        } catch (error) {
          expect(error).toBeInstanceOf(WrongValue);
          expect((error as Error).message).not.toMatch(/undefined|\[object/);
          refused++;
          return;
        }
        for (const { seat } of view(runnable, back, null).seats) options(runnable, back, seat);
        const due = nextTimer(runnable.machine, back)?.due;
        if (due !== undefined) step(runnable, back, { kind: "time", time: due });
      }),
      { numRuns: 300 },
    );
    expect(refused).toBeGreaterThan(100);
  });

  test("states, seats and dice stand there by name, and step by step", () => {
    const { machine } = runnable;
    let number = 0;
    for (const [before, after] of SEEDS.flatMap((seed) => [...played(runnable, seed, 25)])) {
      const now = json(runnable, after);
      const layers = now.layers as readonly (readonly string[])[];
      for (const layer of layers)
        for (const state of layer) expect(machine.states.some((s) => s.name === state)).toBe(true);
      expect(Object.keys(now.seats as object)).toEqual(view(runnable, after, null).seats.map((s) => s.seat));
      expect(Object.keys(now.dice as object)).toEqual(machine.streams.map((s) => s.name));
      expect(now.step).toBe(before.step + 1);
      expect(Number(now.now)).toBeGreaterThanOrEqual(before.now);
      number++;
    }
    expect(number).toBeGreaterThan(2);
  });
});

describe("states beside each other", () => {
  const fair = runnableOf(`machine Fair
seats a, b
data { rung: int 0..9 = 0 }
start Day
parallel state Day {
  when done Rung -> Over
  state Bells {
    start Still
    state Still { turn of a  action ring { rung += 1 } -> Swinging }
    state Swinging { after 5s -> Still }
    final Rung
  }
  state Stalls {
    data { open: bool = true }
    start Selling
    state Selling { turn of b  action close { open = false } -> Shut }
    state Shut { turn of b  action reopen { open = true } -> Selling }
  }
}
ending Over { draws all }
`);

  test("are one layer with a leaf each; a timer of one runs while the other is played", () => {
    let { situation } = begin(fair, { seed: "x" }).taken as { situation: Situation };
    const layers = (): Json => json(fair, situation).layers as Json;
    const go = (input: Input): void => {
      const result = step(fair, situation, input);
      expect(result.refusal ?? result.fault).toBeUndefined();
      situation = result.situation;
    };
    expect(layers()).toEqual([["Day", "Bells", "Still", "Stalls", "Selling"]]);
    go({ kind: "action", seat: "a", action: "ring", args: {}, time: 1000 });
    expect(layers()).toEqual([["Day", "Bells", "Swinging", "Stalls", "Selling"]]);
    go({ kind: "action", seat: "b", action: "close", args: {}, time: 3000 });
    expect(json(fair, situation)).toMatchObject({
      timers: { "Swinging.after1": 6000 },
      local: { Stalls: { open: false } },
    });
    go({ kind: "time", time: 6000 });
    expect(layers()).toEqual([["Day", "Bells", "Still", "Stalls", "Shut"]]);
    expect(json(fair, situation).timers).toEqual({});
  });

  test("whatever is done in whatever order, every layer has a leaf of each branch", () => {
    const inputs: readonly Input[] = [
      { kind: "action", seat: "a", action: "ring", args: {} },
      { kind: "action", seat: "b", action: "close", args: {} },
      { kind: "action", seat: "b", action: "reopen", args: {} },
    ];
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: 3 }), { maxLength: 30 }), (choices) => {
        let { situation } = begin(fair, { seed: "y" }).taken as { situation: Situation };
        for (const choice of choices)
          ({ situation } = step(fair, situation, inputs[choice] ?? { kind: "time", time: situation.now + 5000 }));
        const [[, , bells, , stalls] = []] = json(fair, situation).layers as [string[]];
        expect(["Still", "Swinging"]).toContain(bells);
        expect(["Selling", "Shut"]).toContain(stalls);
        expect(json(fair, situation).local).toEqual({ Stalls: { open: stalls === "Selling" } });
      }),
    );
  });
});
