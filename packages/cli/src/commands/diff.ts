/** `zany diff`: what differs between two versions of a machine, by meaning, and which kept matches diverge. */

import { changesOf, type PieceChange } from "@zany/core";
import { compileFile } from "../files.js";
import { count, pad, say, sayJson, style } from "../terminal.js";
import { textsOf, verifyLogbooks } from "./verify.js";

interface DiffOptions {
  readonly logbooks: readonly string[];
  readonly json?: boolean;
}

const LOOKS = { added: "green", removed: "red", changed: "yellow", renamed: "cyan" } as const;

export async function diff(old: string, now: string, { logbooks, json }: DiffOptions): Promise<number> {
  const [before, after] = [compileFile(old, { errorsOnly: true }), compileFile(now, { errorsOnly: true })];
  const changes = changesOf(textsOf(before), textsOf(after));
  if (json) sayJson(changes.map(({ edit: _, ...change }) => change));
  else {
    if (changes.length === 0) say("They mean the same: only layout, comments, tests or policies differ.");
    for (const change of changes) tell(change);
    if (changes.length > 0) say(count(changes.length, "difference"));
  }
  if (logbooks.length === 0) return changes.length > 0 ? 1 : 0;
  return verifyLogbooks(logbooks, { machine: now, playedOn: old, ...(json && { json }) });
}

function tell({ name, what, was, file, oldLine, newLine, oldText, newText }: PieceChange): void {
  const at = newLine ?? oldLine ?? 1;
  const place = file === "" ? `line ${at}` : `${file}:${at}`;
  const renamed = was === undefined ? "" : `  (was ${was}, as far as can be guessed)`;
  say(`${style(LOOKS[what], pad(what, 8))} ${style("bold", name)}  ${style("dim", place)}${renamed}`);
  if (what === "changed") for (const line of differing(oldText, newText)) say(line);
}

/** The lines of two texts that are not in both, in their order. */
function differing(old: string, now: string): string[] {
  const [before, after] = [old, now].map((text) => text.split("\n").map((line) => line.trim()));
  const lost = before?.filter((line) => line !== "" && !after?.includes(line)) ?? [];
  const won = after?.filter((line) => line !== "" && !before?.includes(line)) ?? [];
  return [
    ...lost.map((line) => style("red", `         - ${line}`)),
    ...won.map((line) => style("green", `         + ${line}`)),
  ];
}
