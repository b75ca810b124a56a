/**
 * Every kind of message: the pair on its page, two more files that trigger it, two more that come close and trigger
 * nothing.
 */

import { existsSync, readdirSync, readFileSync } from "node:fs";
import {
  applyFixes,
  type Compilation,
  compile,
  KINDS,
  MISTAKES,
  pageOf,
  renderMessage,
  withEvidence,
} from "@zany/core";
import { describe, expect, test } from "vitest";
import { CASES } from "./kinds.cases.js";

/** What only a match shows is no suspicion, and comes with the evidence. */
const messagesOf = (text: string): Compilation => {
  const compilation = compile(text);
  return { ...compilation, ...(compilation.ok && SEARCHED.test(text) && withEvidence(compilation)) };
};
const SEARCHED = /list max|text max|Two\.bells/;
const said = (text: string): string => {
  const { messages, sources } = messagesOf(text);
  return messages.map((m) => renderMessage(sources, m)).join("\n");
};
const names = (text: string): string[] => [...new Set(messagesOf(text).messages.map((m) => m.name))];

describe.each([...KINDS.values()])("$name", (kind) => {
  const { triggers = [], spares = [] } = CASES[kind.name] ?? {};

  test("is triggered by the file on its page and by nothing else there", () => {
    expect(names(kind.triggers)).toEqual([kind.name]);
    expect(messagesOf(kind.triggers).messages[0]?.severity).toBe(kind.severity);
    if (kind.severity === "warning") expect(messagesOf(kind.triggers).messages[0]?.help, "what to do").toBeTruthy();
    expect(said(kind.fixed)).toBe("");
  });

  test("is triggered by others and spared where it comes close", () => {
    expect(triggers.length).toBeGreaterThanOrEqual(2);
    expect(spares.length).toBeGreaterThanOrEqual(2);
    for (const text of triggers) expect(names(text), text).toContain(kind.name);
    for (const text of spares) expect(said(text), text).toBe("");
  });
});

test("docs/messages holds the page of every kind, and no other", () => {
  const folder = new URL("../../../docs/messages/", import.meta.url);
  for (const kind of KINDS.values()) {
    const file = new URL(`${kind.name}.md`, folder);
    expect(existsSync(file) && readFileSync(file, "utf8")).toBe(pageOf(kind));
  }
  expect(readdirSync(folder).sort()).toEqual(
    [...KINDS.keys()]
      .map((name) => `${name}.md`)
      .concat("README.md")
      .sort(),
  );
});

test("every mistake of the list maps to kinds that exist", () => {
  for (const [mistake, names] of MISTAKES) {
    expect(names.length, mistake).toBeGreaterThan(0);
    for (const name of names) expect(KINDS.has(name), name).toBe(true);
  }
});

/** What is written, and what its fixes make of it. */
const FIXES: readonly [string, string, string][] = [
  ["a misspelt name", "bells += 1 } -> stay", "bels += 1 } -> stay"],
  ["a misspelt state", "-> Home", "-> Hmoe"],
  ["a missing else", "when bells == 9 -> Home\n    else -> stay", "when bells == 9 -> Home"],
  ["a single = that compares", "when bells == 9", "when bells = 9"],
  ["signs of other languages", "bells > 3 and bells < 5", "bells > 3 && bells < 5"],
  ["a semicolon", "bells += 1 }", "bells += 1; }"],
];

describe("fixes", () => {
  const good = `machine Kiosk
seats ann

data { bells: int 0..9 = 0 }

start Turn

state Turn {
  turn of ann
  action ring { bells += 1 } -> stay
  action look { if bells > 3 and bells < 5 { note "four" } } -> choose {
    when bells == 9 -> Home
    else -> stay
  }
}

ending Home { wins ann }
`;

  test.each(FIXES)("%s", (_what, right, wrong) => {
    const text = good.replace(right, wrong);
    expect(text).not.toBe(good);
    const { sources, messages } = compile(text);
    expect(applyFixes(sources, messages).texts.get("machine.zany")).toBe(good);
  });

  test("a silence that is not needed goes with its line, and an undecided tie is decided as it is now", () => {
    const { triggers, fixed } = KINDS.get("unneeded-accept") ?? { triggers: "", fixed: "" };
    const { sources, messages } = compile(triggers);
    expect(applyFixes(sources, messages).texts.get("machine.zany")).toBe(fixed);
    const ties = KINDS.get("undecided-ties")?.triggers ?? "";
    const found = compile(ties);
    expect(said(applyFixes(found.sources, found.messages).texts.get("machine.zany") ?? "")).toBe("");
  });
});

test("a match begins with the least of its seats at least; to be ready for all of them leaving is a hint", () => {
  const machine = (last: string, none: string) => `machine Few
seats 3..4 hawker
data { holder: seat = hawker1 }
start Toss
state Toss {
  turn of holder
  action toss(to: seat in others) { holder = to } -> stay
  action fall { eliminate me } -> choose {
    when inPlay.size == 1 -> Last(inPlay.first)
    else { holder = inPlay.first } -> stay
  }
}
on Left(s) -> choose {
  when inPlay.size ${last} -> Last(inPlay.first)
  when inPlay.size ${none} -> Nobody
  else { holder = inPlay.first } -> stay
}
ending Last(winner: seat) { wins winner  loses others }
ending Nobody { none all }
`;
  const told = (last: string, none: string) =>
    compile(machine(last, none)).messages.map(({ name, severity, words }) => `${severity} ${name}: ${words}`);
  const never = "branch-never-taken: This branch is never taken:";
  expect(told("== 1", "== 0")).toEqual([
    expect.stringContaining(`hint ${never} its condition never holds: inPlay.size`),
  ]);
  expect(told("== 1", "< 2")).toEqual([expect.stringContaining(`warning ${never}`)]);
  expect(told("<= 2", "== 1")).toEqual([expect.stringContaining(`warning ${never}`)]);
});

test("a turn that nobody ever has is one message, at the turn, whatever could be done there", () => {
  const text = `machine Gauges
seats 2..3 flyer
data { gauge per seat: int 0..100 }
function full(): list of seat = filter(s in inPlay where gauge[s] >= 110)
start Sky
state Sky {
  turn of full()
  after each 1s { for s in inPlay { gauge[s] += 10 } } -> stay
  action dive { gauge[me] = 0 } -> Settle
  action tuck { gauge[me] -= 30 } -> stay
}
state Settle { when gauge[flyer1] == 0 -> Down  enter -> Sky }
on Left(s) -> Down
ending Down { none all }
`;
  const told = compile(text).messages.filter(({ severity }) => severity === "warning");
  expect(told.map(({ name, from, to }) => `${name} ${text.slice(from, to)}`)).toContain("never-open full()");
  expect(told.filter(({ name }) => name === "never-open" || name === "unreachable-state")).toHaveLength(1);
});
