/** Compiled machines as files: they run as the machines they were made of, and what was changed is refused. */

import { readFileSync } from "node:fs";
import { compiledText, NotCompiled, readCompiled, type Runnable, runTests, simulate, verifyText } from "@zany/core";
import { describe, expect, test } from "vitest";
import { EXAMPLES, example, runnableOf } from "./examples.js";
import { Chance, machineOf } from "./generated-machines.js";
import { mutatedText } from "./rubbish.js";

const tally = (machine: Runnable) => simulate(machine, { seed: "gale", first: 0, end: 4, limit: 200 });

describe("a compiled machine", () => {
  test.each(EXAMPLES)("%s runs as it did, its tests and policies too", (name) => {
    const machine = example(name);
    const text = compiledText(machine);
    const read = readCompiled(text);
    expect([read.machine.name, read.hash, read.rules]).toEqual([machine.machine.name, machine.hash, machine.rules]);
    expect(compiledText(read)).toBe(text);
    expect(runTests(read)).toEqual(runTests(machine));
    expect(tally(read)).toEqual(tally(machine));
  });

  test("machines at random run as they did", () => {
    for (let seed = 0; seed < 40; seed++) {
      const machine = runnableOf(machineOf(seed));
      expect(tally(readCompiled(compiledText(machine)))).toEqual(tally(machine));
    }
  });

  test("written by an earlier version, it replays a match of then", () => {
    const kept = readFileSync(new URL("./machines/pass-the-letter.json", import.meta.url), "utf8");
    const log = readFileSync(new URL("../../../examples/logbooks/pass-the-letter-01.jsonl", import.meta.url), "utf8");
    expect(verifyText(readCompiled(kept), log)).toMatchObject({ kind: "verified" });
  });

  test("cut short, changed, or of another format, it is refused in words", () => {
    const text = compiledText(example("kite-duel.zany"));
    for (let seed = 0; seed < 300; seed++) {
      const changed = mutatedText(text, new Chance(seed));
      if (changed === text) continue;
      try {
        // What was changed outside what the digest covers leaves the same machine.
        expect(readCompiled(changed).hash).toBe(example("kite-duel.zany").hash);
      } catch (error) {
        expect(error).toBeInstanceOf(NotCompiled);
      }
    }
    expect(() => readCompiled(text.replace('"format":1', '"format":7'))).toThrow(
      /in format 7, and this engine reads 1/,
    );
    expect(() => readCompiled("{}")).toThrow(/zany compile FILE --out/);
    expect(() => readCompiled(text.replace("slash", "crash"))).toThrow(/changed after it was written/);
  });
});
