/** `zany test`: runs the tests that stand in machines, and makes one of a match. */

import { BadQuestion, type MadeTest, type Runnable, runTests, testFrom, type TestResult } from "@zany/core";
import {
  findPartOf,
  logbookFile,
  machinesIn,
  needFolder,
  readText,
  runnableFile,
  UsedWrongly,
  writeText,
} from "../files.js";
import { type Case, type Suite, writeJunit } from "../junit.js";
import { count, say, sayJson, style } from "../terminal.js";

export async function test(
  paths: readonly string[],
  options: {
    readonly only?: string;
    readonly json?: boolean;
    readonly junit?: string;
    readonly from?: string;
    readonly step?: number;
    readonly expect?: string;
    readonly words?: string;
    readonly into?: string;
  },
): Promise<number> {
  if (options.from !== undefined) return makeTest(paths, { ...options, from: options.from });
  if (paths.length === 0) throw new UsedWrongly("Name a machine, or a folder of machines.");
  if (options.junit !== undefined) needFolder(options.junit);
  let failed = 0;
  let passed = 0;
  const told: unknown[] = [];
  const suites: Suite[] = [];
  const files = machinesIn(paths);
  for (const file of files) {
    const runnable = runnableFile(file);
    if (!runnable) {
      failed++;
      told.push({ file, machine: null, ok: false, tests: [] });
      const headline = "It does not compile: zany check says why.";
      suites.push({ name: file, cases: [{ name: "compiles", file, failure: { headline, text: headline } }] });
      continue;
    }
    const results = runTests(runnable).filter((r) => options.only === undefined || r.words.includes(options.only));
    if (files.length > 1 && results.length > 0 && !options.json) say(style("bold", file));
    for (const result of results) {
      if (result.ok) passed++;
      else failed++;
      if (!options.json) tell(runnable, result);
    }
    suites.push({ name: file, cases: results.map((result) => caseOf(runnable, file, result)) });
    told.push({
      file,
      machine: runnable.machine.name,
      ok: results.every((r) => r.ok),
      tests: results.map((result) => jsonOf(runnable, result)),
    });
  }
  if (options.only !== undefined && passed + failed === 0)
    throw new UsedWrongly(`No test has "${options.only}" in its words.`);
  if (options.junit !== undefined) writeJunit(options.junit, "test", suites);
  if (options.json) sayJson(told);
  else say(`${count(passed, "test")} passed, ${failed} failed`);
  return failed > 0 ? 1 : 0;
}

/** Makes a test of a match: prints it, or puts it behind a machine's text. */
function makeTest(
  [machine]: readonly string[],
  options: Parameters<typeof test>[1] & { readonly from: string },
): number {
  const { from, into, step, expect } = options;
  const file = into ?? machine;
  if (file === undefined)
    throw new UsedWrongly("Name the machine of the match: with --into FILE, or before the options.");
  if (!runnableFile(file)) return 1;
  const text = readText(file);
  const words = options.words ?? `from ${from.replace(/^.*[/\\]/, "")}${step === undefined ? "" : `, step ${step}`}`;
  try {
    const made = testFrom(text, findPartOf(file), logbookFile(from), { step, expect, words });
    if (into !== undefined) writeText(into, `${text.replace(/\n*$/, "\n")}\n${made.text}`);
    if (options.json) sayJson(made);
    else {
      say(made.text.trimEnd());
      say(style("dim", inWords(made, into)));
    }
    return 0;
  } catch (error) {
    if (error instanceof BadQuestion) throw new UsedWrongly(error.message);
    throw error;
  }
}

function inWords({ reason, moves, passes }: MadeTest, into: string | undefined): string {
  const why =
    reason.kind === "condition"
      ? `the condition ${reason.holds ? "holds" : "does not hold"}`
      : reason.kind === "changes"
        ? "the step changes what it changed"
        : `${reason.code}${reason.rule === "" ? "" : ` by ${reason.rule}`}: ${reason.words}`;
  return (
    `// ${moves.kept} of ${moves.had} moves are enough: ${why}\n` +
    `// it ${passes ? "passes" : "fails"} on the machine as it ` +
    `is${into === undefined ? "" : `, and stands in ${into} now`}`
  );
}

function jsonOf({ machine: { sources } }: Runnable, { words, position, ok, story, failure }: TestResult) {
  const { line } = sources.place(position);
  if (!failure) return { words, line, ok, story };
  const { expected, actual } = failure;
  const at = sources.place(failure.position);
  return { words, line, ok, story, failure: { line: at.line, column: at.column, expected, actual } };
}

function caseOf(runnable: Runnable, file: string, { words, position, story, failure }: TestResult): Case {
  const { sources } = runnable.machine;
  const base = { name: words, file, line: sources.place(position).line };
  if (!failure) return base;
  const { line, column } = sources.place(failure.position);
  const headline = `expected: ${failure.expected}; actual: ${failure.actual}`;
  return { ...base, failure: { headline, text: [...story, `at ${file}:${line}:${column}`, headline].join("\n") } };
}

function tell(runnable: Runnable, result: TestResult): void {
  say(`${result.ok ? style("green", "pass") : style("red", "FAIL")}  ${result.words}`);
  if (result.ok || !result.failure) return;
  const { sources } = runnable.machine;
  const place = sources.place(result.failure.position);
  for (const line of result.story) say(style("dim", `      ${line}`));
  say(
    `      at ${place.file}:${place.line}:${place.column} ` +
      ` ${sources.text({ from: result.failure.position, to: result.failure.to })}`,
  );
  say(`      expected: ${result.failure.expected}`);
  say(`      actual:   ${result.failure.actual}`);
}
