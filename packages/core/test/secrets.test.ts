/** Secrets that show: found as two matches that look the same until then; what is meant to be seen is no finding. */

import { describe, expect, test } from "vitest";
import {
  compile,
  type Evidence,
  keepsSecrets,
  Runnable,
  type Situation,
  verifyText,
  view,
  withEvidence,
  readLogbook,
} from "@zany/core";
import { type ShownSecret, shownSecrets } from "../src/explore/secrets.js";
import { Replayer } from "../src/logbook/replay.js";
import { EXAMPLES, example } from "./examples.js";

const STALL = (data: string, states: string): string => `machine Stall
seats ann, ben
hidden dice deal
data { private hand per seat: int 1..6 = 1  hidden bell: int 1..6 = 1  ${data} }
on Left(s) -> Home
start Deal
state Deal { enter { for s in seats { hand[s] = deal.roll(1..6) }  bell = deal.roll(1..6) } -> Turn }
${states}
ending Home { draws all }
`;

const TURN = (items: string, of = "ben"): string => `state Turn {
  turn of ${of}
  ${items}
  action leave -> Home
}`;

const BIDS = (offer: string): string => `state Turn {
  turn of each seats
  sealed action offer(n: int 0..3) { ${offer} } -> ready
  when all ready -> Show
}
state Show { enter { total = bid[ann] + bid[ben] } -> choose { when total > 5 -> Home  else -> Turn } }`;

interface Leak {
  readonly name: string;
  readonly text: string;
  /** What tells whom of what. */
  readonly words: RegExp;
  readonly line: string;
}

const LEAKS: readonly Leak[] = [
  {
    name: "an action that is open by another's hand",
    text: STALL("", TURN('action guess needs hand[ann] > 3 else "not now" -> stay')),
    words: /^What is open of "guess" tells ben of hand\.ann \(\d or \d\): /,
    line: "action guess",
  },
  {
    name: "values to choose from by what nobody sees",
    text: STALL("", TURN("action ring(n: int 1..6 where n < bell) -> stay")),
    words: /^What is open of "ring" tells ben of bell \(\d or \d\): /,
    line: "action ring",
  },
  {
    name: "whose turn it is",
    text: STALL("", TURN("action swap { hand[me] = deal.roll(1..6) } -> stay", "if bell > 3 then ann else ben")),
    words: /^Whose turn it is tells (ann|ben) of bell \(\d or \d\): /,
    line: "turn of if",
  },
  {
    name: "a sealed action that counts in the open",
    text: STALL("private bid per seat: int 0..3  total: int 0..99", BIDS("bid[me] = n  total += n")),
    words: /^What shows of "offer" while others still choose tells (ann|ben) of what was chosen: /,
    line: "sealed action",
  },
  {
    name: "a timer",
    text: STALL("told: bool = false", TURN("after 5s { told = bell > 3 }")),
    words: /^What the timer does tells (ann|ben) of bell \(\d or \d\): /,
    line: "after 5s",
  },
];

const found = (text: string, steps = 3_000) => shownSecrets(new Runnable(compile(text).machine), { steps });

describe("a secret shows by", () => {
  test.each(LEAKS)("$name", ({ text, words, line }) => {
    const { machine, sources } = compile(text);
    const runnable = new Runnable(machine);
    const secrets = shownSecrets(runnable, { steps: 3_000 });
    expect(secrets.map((secret) => secret.words)).toEqual([expect.stringMatching(words)]);
    const [{ seat, from, evidence, depth }] = secrets as [ShownSecret];
    expect(text.split("\n")[sources.place(from).line - 1]).toContain(line);
    // Both are matches of this machine, and look the same to the seat up to the step before the last.
    const views = [evidence, evidence.twin as Evidence].map(({ logbook }) => {
      expect(verifyText(runnable, logbook)).toMatchObject({ kind: "verified" });
      const { header, steps } = readLogbook(logbook);
      const replayer = new Replayer(runnable, header);
      return steps.map((step) => {
        replayer.next(step);
        const { now: _, ...seen } = view(runnable, replayer.situation as Situation, seat);
        return JSON.stringify(seen);
      });
    });
    const [one = [], other = []] = views;
    expect(Math.max(one.length, other.length)).toBe(depth + 1);
    expect(one.slice(0, depth)).toEqual(other.slice(0, depth));
  });
});

test("a check shows both matches behind what it says of secrets", () => {
  for (const { text, line } of LEAKS) {
    const compilation = compile(text);
    const { messages } = withEvidence(compilation, { matches: true });
    const leak = messages.find(({ name }) => name === "secret-leak");
    expect([line, leak?.severity, leak?.evidence?.twin?.logbook]).toEqual([line, "warning", expect.any(String)]);
  }
});

test("what an action shows, what a phase opens, what one sees of oneself and of open dice is no finding", () => {
  for (const text of [
    STALL("shown: int 0..6", TURN("action show { shown = hand[me] } -> stay")),
    STALL("shown: int 0..6", TURN("action call { shown = bell } -> stay")),
    STALL("private bid per seat: int 0..3  total: int 0..99", BIDS("bid[me] = n")),
    STALL("", TURN('action guess needs hand[me] > 3 else "not now" -> stay')),
    STALL("open: int 0..6", TURN("after 5s { open = roll(1..6) }")),
    // Who is told of a secret may act by it.
    STALL(
      "told: bool = false",
      TURN(`action peek { note to me "{hand[ann]}"  told = true } -> stay
  action guess needs told and hand[ann] > 3 else "not now" -> stay`),
    ),
  ])
    expect(found(text, 1_500)).toEqual([]);
});

test.each(EXAMPLES.filter((name) => keepsSecrets(example(name))))("the examples keep what they hide: %s", (name) => {
  expect(shownSecrets(example(name), { steps: 600 })).toEqual([]);
});
