/** Long work: gone on from wherever it was given up it comes to the same; it tells how far it came; wishes that make no sense. */

import { expect, test } from "vitest";
import {
  CannotWork,
  type JudgeResult,
  type Kept,
  verifyText,
  type SimulateWish,
  type Wish,
  work,
  type WorkProgress,
} from "@zany/core";
import { exampleText, runnableOf } from "./examples.js";

const DUEL = { text: exampleText("kite-duel.zany") };

const simulating = (more: Partial<SimulateWish>): SimulateWish => ({
  kind: "simulate",
  matches: 110,
  seed: "tide",
  bots: { north: "careful" },
  of: ["lap"],
  vary: [],
  ...more,
});

const WISHES: readonly (readonly [string, SimulateWish])[] = [
  ["matches", simulating({ rolls: true })],
  ["a grid of starting data", simulating({ matches: 60, vary: ["kites.north.lift=10,40", "lap=1..2"] })],
];

test.each(WISHES)("gone on from wherever it was given up it comes to the same: %s", (_, wish) => {
  const told: { readonly progress: WorkProgress; readonly kept: string }[] = [];
  const say = (progress: WorkProgress, kept?: Kept): void => void told.push({ progress, kept: JSON.stringify(kept) });
  const whole = work(wish, DUEL, { say });
  const shares = told.map(({ progress }) => progress.share ?? 0);
  expect(shares).toEqual(shares.toSorted((a, b) => a - b));
  expect(shares.at(-1)).toBe(1);
  expect(told.length).toBeGreaterThan(3);
  for (const { kept, progress } of told) {
    const left: number[] = [];
    const again = work(wish, DUEL, { say: ({ share = 0 }) => left.push(share), from: JSON.parse(kept) as Kept });
    expect(again).toEqual(whole);
    // Nothing is done twice.
    expect(left.every((share) => share > (progress.share ?? 0))).toBe(true);
  }
});

test("what is found comes with the match that shows it, also the way to a goal", () => {
  const said: string[] = [];
  const options = { say: ({ words }: WorkProgress) => void said.push(words) };
  const found = work({ kind: "explore", situations: 12_000, goal: "kites[south].lift < 20" }, DUEL, options);
  expect(found.goal).toMatchObject({ depth: 3, evidence: { steps: expect.arrayContaining([expect.any(String)]) } });
  expect(found.goal?.evidence?.steps).toHaveLength(3);
  const covered = work({ kind: "coverage", matches: 20, steps: 0 }, DUEL, options);
  expect(covered.items.some(({ item, count }) => item.name === "Turn.slash" && count > 0)).toBe(true);
});

test("a wish that makes no sense says so in words, and what is no machine too", () => {
  const refused = (wish: Wish, text = DUEL.text): string => {
    try {
      work(wish, { text }, { say: () => {} });
    } catch (error) {
      if (error instanceof CannotWork) return error.message;
      throw error;
    }
    return "done";
  };
  expect(refused(simulating({ bots: { north: "nobody" } }))).toContain('There is no policy "nobody"');
  expect(refused(simulating({ of: ["lapp"] }))).toContain('Did you mean "lap"?');
  expect(refused(simulating({ vary: ["lap=5..x"] }))).toContain("path=5..15");
  expect(refused(simulating({ vary: ["lap=1000"] }))).toContain("/data/lap");
  expect(refused({ kind: "explore", situations: 10, goal: "kites" })).toContain("kites");
  expect(refused({ kind: "coverage", matches: 0, steps: 0 }, "machine M")).toContain("has errors");
});

test("a game's own log is judged, or it is said what is wrong with the mapping, with the log, or with neither", () => {
  const herring = { text: exampleText("herring-duel/herring-duel.zany"), name: "machine" };
  const map = exampleText("herring-duel/herring.map");
  const judged = (log: string, text?: string): JudgeResult =>
    work({ kind: "judge", log, machineFile: "h.zany", ...(text !== undefined && { map: text }) }, herring, {
      say: () => {},
    });
  const right = judged(exampleText("herring-duel/logs/01.log"), map);
  expect(right).toMatchObject({ map, messages: [], matches: [{ ending: "Soaked", ways: 1 }] });
  expect(verifyText(runnableOf(herring.text), right.matches[0]?.logbook ?? "")).toMatchObject({ kind: "verified" });
  const [{ finding } = { finding: undefined }] = judged(exampleText("herring-duel/logs/04.log"), map).matches;
  expect(finding).toMatchObject({ row: 16, mapped: expect.stringMatching(/^map:\d+/), source: "machine:43:9" });
  const wrong = judged("{}", map.replace("-> .p duck", "-> .p dukc"));
  expect(wrong.matches).toEqual([]);
  expect(wrong.messages.map(({ from, to }) => wrong.map.slice(from, to))).toEqual(["dukc"]);
  const other = judged("{}", map.replace("for HerringDuel", "for KiteDuel").replace("-> .p duck", "-> .p slash"));
  expect(other.messages.map(({ words }) => words)).toEqual([
    "This mapping is for KiteDuel, and the machine is HerringDuel.",
  ]);
  expect(judged('{"t": 0}\n{"t": }', map)).toMatchObject({ unreadable: { line: 2 }, matches: [] });
  expect(judged("", undefined)).toMatchObject({ map: "", unreadable: { line: 1 } });
});
