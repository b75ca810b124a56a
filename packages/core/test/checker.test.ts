/**
 * The checker on whole machines: right ones in several styles trigger nothing; mistaken ones trigger what their
 * comments say, at those lines; slips of people who come from other languages trigger one message each.
 */

import { readdirSync, readFileSync } from "node:fs";
import { compile, renderMessage, Runnable, runTests } from "@zany/core";
import { describe, expect, test } from "vitest";

const folder = (name: string) => new URL(`machines/${name}/`, import.meta.url);
const filesIn = (name: string): [string, string][] =>
  readdirSync(folder(name)).map((file) => [file, readFileSync(new URL(file, folder(name)), "utf8")]);

test.each(filesIn("right"))("nothing is found in %s", (file, text) => {
  const { messages, sources } = compile(text, file);
  expect(messages.map((m) => renderMessage(sources, m)).join("\n")).toBe("");
});

describe("small games on a grid are reasoned about whole", () => {
  test.each(filesIn("grids"))("%s", (file, text) => {
    const { messages, sources, givenUp, machine } = compile(text, file);
    const told = messages.filter((m) => m.severity !== "hint");
    expect(told.map((m) => renderMessage(sources, m)).join("\n")).toBe("");
    expect(givenUp).toBe(false);
    expect(runTests(new Runnable(machine)).filter((t) => t.failure)).toEqual([]);
    expect(machine.tests.length).toBeGreaterThan(0);
  });
});

describe.each(filesIn("mistaken"))("%s", (file, text) => {
  const { messages, sources } = compile(text, file);
  const triggered = messages.map((m) => `${sources.place(m.from).line} ${m.name}`).sort();
  const wanted = text.split("\n").flatMap((line, i) =>
    (/\/\/ triggers (.*)$/.exec(line)?.[1] ?? "")
      .split(" ")
      .filter(Boolean)
      .map((name) => `${i + 1} ${name}`),
  );

  test("triggers each message at its line, once, and no other", () => {
    expect(triggered).toEqual(wanted.sort());
  });

  test("every message says what is wrong and what to do", () => {
    for (const { words, help } of messages) {
      expect(words).toMatch(/^[A-Z"].*[.!]$/s);
      expect(help).toMatch(/^[A-Z"].*[^ ]$/s);
    }
  });
});

describe("one mistake is one message", () => {
  test.each(filesIn("slips"))("%s", (file, text) => {
    const [, name = "", line, way = ""] = /^\/\/ one message: (\S+) in line (\d+): (.*)/.exec(text) ?? [];
    const { messages, sources } = compile(text, file);
    const told = messages.filter((m) => m.severity !== "hint");
    expect(told.map((m) => `${m.name} in line ${sources.place(m.from).line}`)).toEqual([`${name} in line ${line}`]);
    const [{ words = "", help = "" } = {}] = told;
    expect(`${words} ${help}`).toMatch(new RegExp(way));
  });

  test("for eighty mistakes of people who come from other languages", () => {
    expect(filesIn("slips").length).toBeGreaterThanOrEqual(80);
  });
});
