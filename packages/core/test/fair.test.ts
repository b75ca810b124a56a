/**
 * Machines of many styles that the checker was not made with: right as they stand, they are silent in a whole check;
 * with one mistake brought in, that is told.
 */

import { readdirSync, readFileSync } from "node:fs";
import { compile, format, type Message, Runnable, runTests, withEvidence } from "@zany/core";
import { describe, expect, test } from "vitest";
import { MISTAKES_AT_THE_FAIR } from "./fair-mistakes.js";

const FOLDER = new URL("machines/fair/", import.meta.url);
const TEXTS = new Map(
  readdirSync(FOLDER).map((file) => [file.replace(".zany", ""), readFileSync(new URL(file, FOLDER), "utf8")]),
);

/** What a whole check tells beside hints. */
function told(text: string): Message[] {
  const compilation = compile(text);
  const { messages } = compilation.ok ? withEvidence(compilation) : compilation;
  return messages.filter(({ severity }) => severity !== "hint");
}

describe.each([...TEXTS])("%s", (name, text) => {
  test("is silent, passes its tests, and is laid out as written", () => {
    expect(told(text).map(({ name: kind, words }) => `${kind}: ${words}`)).toEqual([]);
    const { machine } = compile(text);
    expect(runTests(new Runnable(machine)).filter(({ failure }) => failure)).toEqual([]);
    expect(machine.tests.length).toBeGreaterThan(0);
    expect(format(text)).toBe(text);
  });

  const mistakes = MISTAKES_AT_THE_FAIR.filter(({ machine }) => machine === name);
  test.each(mistakes.map((m) => [m.what, m] as const))("with a mistake: %s", (_what, { right, wrong, told: kind }) => {
    expect(text).toContain(right);
    expect(told(text.replace(right, () => wrong)).map((message) => message.name)).toContain(kind);
  });
});
