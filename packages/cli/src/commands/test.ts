/** `zany test`: runs the tests that stand in machines. */

import { type Runnable, runTests, type TestResult } from "@zany/core";
import { machinesIn, needFolder, runnableFile, UsedWrongly } from "../files.js";
import { type Case, type Suite, writeJunit } from "../junit.js";
import { count, say, sayJson, style } from "../terminal.js";

export async function test(
  paths: readonly string[],
  options: { readonly only?: string; readonly json?: boolean; readonly junit?: string },
): Promise<number> {
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
