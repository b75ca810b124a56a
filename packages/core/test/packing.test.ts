/**
 * Situations in a few words: whatever comes comes back, as generated code and by going through, however often fields
 * are widened in between.
 */

import { describe, expect, test } from "vitest";
import { Engine } from "../src/engine/matches/runnable.js";
import { Codec } from "../src/explore/codec.js";
import { Field, placed, TooNarrow } from "../src/explore/packing.js";
import { Zones } from "../src/explore/zones.js";
import { begin, makeBot, type Situation, situationJson, step, turnOf } from "../src/index.js";
import { EXAMPLES, example } from "./examples.js";
import { Chance } from "./generated-machines.js";

/** Everything but time, timers and dice, which are not packed as they are. */
function dataOf(machine: Engine["machine"], situation: Situation): unknown {
  const {
    now: _,
    step: _step,
    timers: _timers,
    dice: _dice,
    ...rest
  } = situationJson(machine, situation) as Record<string, unknown>;
  return rest;
}

/** Packs situations one behind the other, in wider fields where that is needed. */
class Packer {
  private all: Uint32Array[] = [];
  private readonly zones: Zones;

  constructor(
    private readonly engine: Engine,
    private readonly codec: Codec,
  ) {
    this.zones = new Zones(engine.machine.timers.length);
  }

  add(situation: Situation): Uint32Array {
    for (;;)
      try {
        this.engine.memory.load(situation);
        this.codec.plain.fromBoxes();
        this.codec.pack(this.zones.still);
        break;
      } catch (error) {
        if (!(error instanceof TooNarrow)) throw error;
        const copy = this.codec.widen(error.width);
        this.all = this.all.map((words) => {
          const wider = new Uint32Array(this.codec.width);
          copy(words, 0, wider, 0);
          return wider;
        });
      }
    const words = this.codec.words.slice(0, this.codec.width);
    this.all.push(words);
    return words;
  }

  back(number: number): Situation {
    this.codec.load(this.all[number] as Uint32Array, 0, this.zones);
    this.codec.plain.toBoxes();
    return this.engine.memory.publish(0);
  }
}

describe("whatever comes comes back", () => {
  test.each(EXAMPLES)("in %s", (name) => {
    const runnable = example(name);
    const { machine } = runnable;
    const situations: Situation[] = [];
    // More than it takes before code is generated.
    for (let match = 0; situations.length < 1_200; match++) {
      let situation = begin(runnable, { seed: `pack ${match}` }).taken?.situation as Situation;
      const bots = machine.seats.names.map((seat) => ({ seat, bot: makeBot(runnable, "random", `${match} ${seat}`) }));
      for (let i = 0; i < 40 && !situation.outcome; i++) {
        situations.push(situation);
        const turn = turnOf(runnable, situation);
        const input = bots.flatMap(({ seat, bot }) =>
          turn.includes(seat) ? (bot?.choose(situation, seat) ?? []) : [],
        )[0];
        const { taken } = step(runnable, situation, input ?? { kind: "time", time: situation.now + 3_600_000 });
        situation = taken.at(-1)?.situation ?? situation;
        if (taken.length === 0) break;
      }
      situations.push(situation);
    }
    const seen = { has: () => false, names: [] };
    const engine = new Engine(machine, true, 8, undefined, undefined, true);
    const packers = [true, false].map(
      (generated) => new Packer(engine, new Codec(engine.memory, situations[0] as Situation, seen, generated)),
    );
    for (const situation of situations) {
      const [one, other] = packers.map((packer) => packer.add(situation));
      expect(one).toEqual(other);
    }
    const chance = new Chance(7);
    for (let i = 0; i < 150; i++) {
      const number = chance.below(situations.length);
      const wanted = dataOf(machine, situations[number] as Situation);
      for (const packer of packers) expect(dataOf(machine, packer.back(number))).toEqual(wanted);
    }
  });
});

test("fields stand beside each other, none over the end of a word, whatever their widths", () => {
  const chance = new Chance(3);
  for (let round = 0; round < 200; round++) {
    const fields = chance.some(40, () => new Field(chance.below(33)));
    const words = new Uint32Array(placed(fields));
    const numbers = fields.map(({ bits }) => Math.floor(chance.next() * 2 ** bits));
    for (const [i, field] of fields.entries()) field.add(numbers[i] as number, words, 0);
    expect(fields.map((field) => field.read(words, 0))).toEqual(numbers);
  }
});
