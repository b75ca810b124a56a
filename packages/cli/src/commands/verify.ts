/** `zany verify`: replays logbooks and compares every step. */

import { existsSync } from "node:fs";
import { inputInWords, type Verdict, verify as verifyLines } from "@zany/core";
import { linesOf, runnableFile, UsedWrongly } from "../files.js";
import { count, pad, say, sayJson, style } from "../terminal.js";
import { differenceText } from "./replay.js";

export async function verify(
  files: readonly string[],
  options: { readonly machine: string; readonly json?: boolean },
): Promise<number> {
  const runnable = runnableFile(options.machine);
  if (!runnable) return 1;
  for (const file of files)
    if (!existsSync(file)) throw new UsedWrongly(`Cannot read "${file}": there is no such file.`);
  const verdicts: { file: string; verdict: Verdict }[] = [];
  for (const file of files) {
    const verdict = await verifyLines(runnable, linesOf(file));
    verdicts.push({ file, verdict });
    if (!options.json) tell(file, verdict);
  }
  const bad = verdicts.filter(({ verdict }) => verdict.kind !== "verified").length;
  if (options.json) sayJson(verdicts);
  else say(`${count(files.length - bad, "logbook")} verified, ${bad} not`);
  return bad > 0 ? 1 : 0;
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
    `${style("red", pad("diverged", 10))} ${file}  at step ${verdict.step} (line ${verdict.line}): ${inputInWords(verdict.input)}${other}`,
  );
  for (const d of verdict.differences.slice(0, 8)) say(`             ${differenceText(d)}`);
  if (verdict.differences.length > 8)
    say(`             and ${count(verdict.differences.length - 8, "more difference")}`);
}
