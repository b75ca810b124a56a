/** Requests that are known by heart: one that was taken is never told apart from one that was. */

import { expect, test } from "vitest";
import { RequestNames } from "../src/matches/request-names.js";

/** Names of a match with so many stored, and how often they were read. */
function namesOf(stored: number): { readonly names: RequestNames; readonly asked: () => number } {
  let asked = 0;
  const requestNames = (_match: string, most: number): string[] => {
    asked++;
    return Array.from({ length: Math.min(most, stored) }, (_, i) => `key ${i}`);
  };
  return { names: new RequestNames("match", { requestNames }), asked: () => asked };
}

test("what is stored may have been taken, what is not was not, and both are read once", () => {
  const { names, asked } = namesOf(1_000);
  expect(names.mayHave("key 999")).toBe(true);
  expect(names.mayHave("key 1000")).toBe(false);
  names.add("key 1000");
  for (let i = 0; i <= 1_000; i++) expect(names.mayHave(`key ${i}`)).toBe(true);
  expect(asked()).toBe(1);
});

test("of those that are added while it is played many more are known", () => {
  const { names } = namesOf(1_000);
  expect(names.mayHave("key 1000")).toBe(false);
  for (let i = 1_000; i < 20_000; i++) names.add(`key ${i}`);
  for (let i = 0; i < 20_000; i++) expect(names.mayHave(`key ${i}`)).toBe(true);
  const unknown = Array.from({ length: 1_000 }, (_, i) => names.mayHave(`other ${i}`)).filter((may) => may);
  expect(unknown.length).toBeLessThan(10);
  for (let i = 20_000; i < 20_100; i++) names.add(`key ${i}`);
  expect(names.mayHave("never sent")).toBe(true);
});

test("of too many, each may have been taken", () => {
  const { names, asked } = namesOf(1_001);
  expect(names.mayHave("never sent")).toBe(true);
  expect(names.mayHave("key 1000")).toBe(true);
  expect(asked()).toBe(1);
});
