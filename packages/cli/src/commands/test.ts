/** `zany test`: runs the tests that stand in machines. */

import { type Runnable, runTests, type TestResult } from "@zany/core";
import { runnableFile, UsedWrongly } from "../files.js";
import { count, say, sayJson, style } from "../terminal.js";

export async function test(
  files: readonly string[],
  options: { readonly only?: string; readonly json?: boolean },
): Promise<number> {
  let failed = 0;
  let passed = 0;
  const told: unknown[] = [];
  for (const file of files) {
    const runnable = runnableFile(file);
    if (!runnable) return 1;
    const results = runTests(runnable).filter((r) => options.only === undefined || r.words.includes(options.only));
    for (const result of results) {
      if (result.ok) passed++;
      else failed++;
      if (!options.json) tell(runnable, result);
    }
    told.push({
      file,
      machine: runnable.machine.name,
      tests: results.map((r) => ({ ...r, line: runnable.machine.sources.place(r.position).line })),
    });
  }
  if (options.only !== undefined && passed + failed === 0)
    throw new UsedWrongly(`No test has "${options.only}" in its words.`);
  if (options.json) sayJson(told);
  else say(`${count(passed, "test")} passed, ${failed} failed`);
  return failed > 0 ? 1 : 0;
}

function tell(runnable: Runnable, result: TestResult): void {
  say(`${result.ok ? style("green", "pass") : style("red", "FAIL")}  ${result.words}`);
  if (result.ok || !result.failure) return;
  const { sources } = runnable.machine;
  const place = sources.place(result.failure.position);
  for (const line of result.story) say(style("dim", `      ${line}`));
  say(
    `      at ${place.file}:${place.line}:${place.column}  ${sources.text({ from: result.failure.position, to: result.failure.to })}`,
  );
  say(`      expected: ${result.failure.expected}`);
  say(`      actual:   ${result.failure.actual}`);
}
