/** Places of one word that are compared at once: what that tells is what comparing them one by one tells. */

import { expect, test } from "vitest";
import { bothTests, testCode, wordTest } from "../src/engine/code/word-tests.js";
import { Chance } from "./generated-machines.js";

test("several places at once are told as one by one, whatever stands there and is looked for", () => {
  const chance = new Chance(7);
  let joined = 0;
  for (let round = 0; round < 20_000; round++) {
    const word = Math.floor(chance.next() * 2 ** (round % 3 === 0 ? 8 : 32));
    const value = chance.below(9) - 2;
    // Places side by side or apart, up to the end of the word; some twice.
    const places = Array.from({ length: 2 + chance.below(3) }, () => {
      const bits = 1 + chance.below(4);
      return {
        word: chance.below(20) === 0 ? 1 : 0,
        shift: chance.below(round % 2 === 0 ? 6 : 33 - bits),
        bits,
        mask: 2 ** bits - 1,
      };
    });
    // Mostly one number for all: the word's own, so that it holds now and then.
    const own = (word >>> (places[0]?.shift ?? 0)) & (places[0]?.mask ?? 0);
    const isWritten = chance.below(2) === 0;
    // Now and then each is its own, or one that a place next to it would have to take in.
    const isApart = isWritten && round % 4 === 0;
    const wanted = places.map(() => (isApart ? chance.below(5) : chance.below(4) === 0 ? value : own));
    const same = wanted.every((number) => number === wanted[0]);
    const tests = places.map((place, i) =>
      wordTest(place, isWritten ? String(Math.max(0, wanted[i] ?? 0)) : same ? "v" : `v${i}`),
    );
    const all = tests.slice(1).reduce((a, b) => a && b && bothTests(a, b), tests[0]);
    if (!all) continue;
    joined++;
    const numbers = isWritten ? wanted.map((number) => Math.max(0, number)) : wanted;
    const holds = new Function("W", "v", `return ${testCode(all, (number) => `W[${number}]`)};`)(
      Uint32Array.of(word, word),
      wanted[0],
    );
    expect(holds).toBe(places.every(({ shift, mask }, i) => ((word >>> shift) & mask) === numbers[i]));
  }
  expect(joined).toBeGreaterThan(500);
});
