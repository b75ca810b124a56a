/** The documents: every whole machine in them compiles and passes its tests, the worked example verifies. */

import { execFileSync } from "node:child_process";
import { readdirSync, readFileSync } from "node:fs";
import {
  compile,
  KINDS,
  readLogbook,
  renderMessage,
  Replayer,
  Runnable,
  runTests,
  sha256Hex,
  splitLines,
  verifyText,
} from "@zany/core";
import { expect, test } from "vitest";
import { runnableOf } from "./examples.js";

const doc = (name: string): string => readFileSync(new URL(`../../../docs/${name}`, import.meta.url), "utf8");

test.each(["language.md", "logbook.md", "tutorial.md", "from-switch.md", "cookbook.md"])(
  "the machines in %s compile and pass their tests",
  (name) => {
    const blocks = [...doc(name).matchAll(/```zany\n([\s\S]*?)```/g)].map((m) => m[1] as string);
    expect(blocks.length).toBeGreaterThan(0);
    for (const text of blocks) {
      const { machine, messages, sources } = compile(text);
      expect(messages.map((m) => renderMessage(sources, m)).join("\n")).toBe("");
      for (const result of runTests(new Runnable(machine))) expect(result.failure).toBeUndefined();
    }
  },
);

test("what docs/from-switch.md quotes stands in the files beside it", () => {
  const files = {
    ts: [doc("examples/stall-brawl.ts")],
    "zany part": [doc("examples/stall-brawl-1.zany"), doc("examples/stall-brawl.zany")],
  };
  for (const [kind, texts] of Object.entries(files)) {
    const quotes = [...doc("from-switch.md").matchAll(new RegExp(`\\n\`\`\`${kind}\\n([\\s\\S]*?)\`\`\``, "g"))];
    expect(quotes.length).toBeGreaterThan(4);
    for (const [, quote = ""] of quotes) expect(texts.filter((text) => text.includes(quote))).toHaveLength(1);
  }
});

test("the worked example of the logbook format is the file beside it, and verifies", () => {
  const text = doc("examples/bell-toss.jsonl");
  const machine = doc("examples/bell-toss.zany");
  const page = doc("logbook.md");
  expect(page).toContain(text);
  expect(page).toContain(machine);
  expect(text).toContain(sha256Hex(machine));
  expect(verifyText(runnableOf(machine), text)).toEqual({ kind: "verified", steps: 3, otherRules: false });
  const situation = /^\{"data".*$/m.exec(page)?.[0] ?? "";
  expect(splitLines(text)[1]).toContain(sha256Hex(situation));
});

test("the logbooks for implementers come to what is said of each, and the machines are those of the examples", () => {
  const expected = JSON.parse(doc("logbook/expected.json")) as {
    readonly file: string;
    readonly machine: string;
    readonly verdict: { readonly kind: string };
  }[];
  expect(expected.length).toBeGreaterThanOrEqual(30);
  expect(
    readdirSync("docs/logbook")
      .filter((name) => name.endsWith(".jsonl"))
      .sort(),
  ).toEqual(expected.map(({ file }) => file).sort());
  for (const { file, machine, verdict } of expected) {
    const runnable = runnableOf(readFileSync(machine, "utf8"));
    expect(verifyText(runnable, doc(`logbook/${file}`)), file).toMatchObject(verdict);
    if (file.startsWith("right-")) expect(verdict, file).toEqual({ kind: "verified" });
  }
});

test("a reader in another language, written from the page, finds the same: lines, digests, dice from the seed, data by changes", () => {
  const expected = (
    JSON.parse(doc("logbook/expected.json")) as {
      readonly file: string;
      readonly machine: string;
      readonly verdict: { readonly kind: string; readonly line?: number; readonly how?: string };
    }[]
  ).map((each) => ({ ...each, runnable: runnableOf(readFileSync(each.machine, "utf8")) }));
  const reader = new URL("logbook_reader.py", import.meta.url).pathname;
  const asked = expected.map(({ file, runnable }) => `docs/logbook/${file}=${runnable.machine.name}`);
  const printed = execFileSync("python3", [reader, ...asked], { encoding: "utf8" })
    .trim()
    .split("\n");
  let rolls = 0;
  for (const [i, { file, verdict, runnable }] of expected.entries()) {
    const found = JSON.parse(printed[i] ?? "") as {
      readonly kind: string;
      readonly line?: number;
      readonly rolls?: number;
      readonly wrong?: { readonly step: number } | null;
      readonly data?: unknown;
    };
    const whole = verdict.kind === "verified" || verdict.kind === "diverged";
    expect(found.kind, file).toBe(whole ? "whole" : verdict.kind);
    if (!whole) {
      if (found.line !== undefined) expect(found.line, file).toBe(verdict.line);
      continue;
    }
    rolls += found.rolls ?? 0;
    // Of what diverges, a reader without rules sees the rolls that the seed does not give.
    expect(found.wrong !== null, file).toBe(verdict.kind === "diverged");
    if (verdict.kind === "diverged") continue;
    const { header, steps } = readLogbook(doc(`logbook/${file}`));
    const replayer = new Replayer(runnable, header);
    for (const line of steps) replayer.next(line);
    expect(found.data, file).toEqual((replayer.json() as { readonly data: unknown }).data);
  }
  expect(rolls).toBeGreaterThan(100);
});

test("every name that a message is given in the source is a kind with a page, and every kind is given", () => {
  const folders = ["check", "check/rules", "evidence", "language", "language/parser", "."];
  const texts = folders.flatMap((folder) => {
    const at = new URL(`../src/${folder}/`, import.meta.url);
    return readdirSync(at)
      .filter((f) => f.endsWith(".ts"))
      .map((f) => readFileSync(new URL(f, at), "utf8"));
  });
  const used = new Set(
    texts.flatMap((text) =>
      [...text.matchAll(/(?:error|warning|fail|unknown|misspelt|unused|name:)\(?\s*"([a-z]+(?:-[a-z]+)*)"/g)].map(
        (m) => m[1] as string,
      ),
    ),
  );
  expect([...KINDS.keys()].filter((name) => !texts.some((text) => text.includes(`"${name}"`)))).toEqual([]);
  expect([...used].filter((name) => name.includes("-") && !KINDS.has(name))).toEqual([]);
});
