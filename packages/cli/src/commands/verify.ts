/** `zany verify`: replays logbooks and compares every step. */

import { existsSync } from "node:fs";
import { inputInWords, type Verdict, verify as verifyLines } from "@zany/core";
import { linesOf, needFolder, runnableFile, UsedWrongly } from "../files.js";
import { type Case, writeJunit } from "../junit.js";
import { count, pad, say, sayJson, style } from "../terminal.js";
import { differenceText } from "./replay.js";

export async function verify(
  files: readonly string[],
  options: { readonly machine: string; readonly json?: boolean; readonly junit?: string },
): Promise<number> {
  if (options.junit !== undefined) needFolder(options.junit);
  const runnable = runnableFile(options.machine);
  if (!runnable) return 1;
  for (const file of files)
    if (file !== "-" && !existsSync(file)) throw new UsedWrongly(`Cannot read "${file}": there is no such file.`);
  const verdicts: { file: string; verdict: Verdict }[] = [];
  for (const file of files) {
    const verdict = await verifyLines(runnable, linesOf(file));
    verdicts.push({ file, verdict });
    if (!options.json) tell(file, verdict);
  }
  const bad = verdicts.filter(({ verdict }) => verdict.kind !== "verified").length;
  if (options.junit !== undefined)
    writeJunit(options.junit, "verify", [
      { name: options.machine, cases: verdicts.map(({ file, verdict }) => caseOf(file, verdict)) },
    ]);
  if (options.json) sayJson(verdicts);
  else say(`${count(files.length - bad, "logbook")} verified, ${bad} not`);
  return bad > 0 ? 1 : 0;
}

function caseOf(file: string, verdict: Verdict): Case {
  if (verdict.kind === "verified") return { name: file, file };
  if (verdict.kind !== "diverged")
    return { name: file, file, line: verdict.line, failure: { headline: verdict.words, text: verdict.words } };
  const headline = `diverged at step ${verdict.step}: ${inputInWords(verdict.input)}`;
  const text = [headline, ...verdict.differences.map(differenceText)].join("\n");
  return { name: file, file, line: verdict.line, failure: { headline, text } };
}

function tell(file: string, verdict: Verdict): void {
  if (verdict.kind === "verified") {
    const other = verdict.otherRules ? ", played on other rules" : "";
    say(`${style("green", pad("verified", 10))} ${file}  ${count(verdict.steps, "step")}${other}`);
    return;
  }
  if (verdict.kind !== "diverged") {
    say(`${style("red", pad(verdict.kind, 10))} ${file}  line ${verdict.line}: ${verdict.words}`);
    return;
  }
  const other = verdict.otherRules ? ", played on other rules" : "";
  say(
    `${style("red", pad("diverged", 10))} ${file}  at step ${verdict.step} ` +
      `(line ${verdict.line}): ${inputInWords(verdict.input)}${other}`,
  );
  for (const d of verdict.differences.slice(0, 8)) say(`             ${differenceText(d)}`);
  if (verdict.differences.length > 8)
    say(`             and ${count(verdict.differences.length - 8, "more difference")}`);
}
