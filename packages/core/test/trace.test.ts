/** Why a step did what it did, in lines as people read them; and questions over a whole match. */

import {
  BadQuestion,
  begin,
  beginOptions,
  type Input,
  lastChange,
  lastOpen,
  LogbookWriter,
  ownCondition,
  type Recorded,
  readLogbook,
  type Runnable,
  type Situation,
  step,
  traceBegin,
  traceFrom,
  type TraceJson,
  traceJson,
  traceLines,
  traceStep,
  turningPoints,
  why,
} from "@zany/core";
import { readFileSync } from "node:fs";
import { describe, expect, test } from "vitest";
import { example, exampleText, findPart, runnableOf } from "./examples.js";

const duel = example("kite-duel.zany");
const kept = readLogbook(readFileSync("examples/logbooks/kite-duel-01.jsonl", "utf8"));

/** A trace in lines: its place, what kind of line, the rule, the text, and why. */
function told(runnable: Runnable, traced: ReturnType<typeof traceBegin> | undefined, of?: string): string[] {
  if (!traced) throw new Error("nothing was traced");
  return traceLines(runnable.machine, traced, of === undefined ? {} : { of }).map(
    ({ depth, mark, rule, text, because }) =>
      `${"  ".repeat(depth)}${mark} ${rule === "" ? "" : `${rule}: `}${text}${because === "" ? "" : ` (${because})`}`,
  );
}

function started(body: string): { runnable: Runnable; situation: Situation } {
  const runnable = runnableOf(`machine M\nseats a, b, c\n${body}\nending E { draws all }\n`);
  const { taken } = begin(runnable, { seed: "why" });
  if (!taken) throw new Error("it does not begin");
  return { runnable, situation: taken.situation };
}

const act = (seat: string, action: string, args = {}): Input => ({ kind: "action", seat, action, args });

describe("a step", () => {
  test("tells what was asked and what decided, what was rolled and written by which line, what was passed over", () => {
    const { trace, otherwise } = why(duel, kept, 19);
    expect(otherwise).toBeUndefined();
    expect(told(duel, trace)).toEqual([
      "plain Turn.turn: queue.first = north",
      "plain Turn.slash(target): inPlay = north, south",
      "yes Turn.slash(target): target != me (target = south, me = north)",
      "roll rolled 3 of 1..6 (roll(1..6))",
      "plain strike(me, target, kites[me].pull + roll(1..6)) " +
        "(me = north, target = south, kites[north].pull = 9, roll(1..6) = 3)",
      "  plain let hit = max(0, force - shield(target)) " +
        "(force = 12, target = south, kites[south].guard = 2, kites[south].braced = yes)",
      "  change kites.south.lift 8 -> 2 (kites[target].lift -= hit; hit = 6, target = south)",
      '  note note "north slashes south for 6"',
      "  plain raise Struck(source, target, hit) (source = north, target = south, hit = 6)",
      "yes kites[target].braced (kites[south].braced = yes)",
      "change kites.north.lift 1 -> 0 (kites[me].lift -= 2; me = north)",
      "change kites.north.lift kept at its bound 0, not -1",
      "arrow Turn.slash.arrow: -> Judge (left Turn; entered Judge)",
      "  change queue north, south -> south (queue.take())",
      "signal signal Struck is heard",
      "  no Lap.on.Struck: amount >= 10 (amount = 6)",
      "plain Judge.when[1]: is taken",
      "  no Judge.when[1].choose[1]: not aloft(north) and not aloft(south) (kites[south].lift = 2)",
      "  yes Judge.when[1].choose[2]: not aloft(north) (kites[north].lift = 0)",
      "  arrow Judge.when[1].choose[2].arrow: -> Flown(south) (left Judge, Lap)",
      'yes law "a fallen kite is never on turn": in Turn implies aloft(queue.first) (in Turn = no)',
    ]);
    expect(told(duel, trace, "/data/kites/north/lift")).toEqual([
      "yes Turn.slash(target): target != me (target = south, me = north)",
      "yes kites[target].braced (kites[south].braced = yes)",
      "change kites.north.lift 1 -> 0 (kites[me].lift -= 2; me = north)",
      "change kites.north.lift kept at its bound 0, not -1",
    ]);
    expect(trace.changes.map(({ path, before, after, rule }) => [path, before, after, rule])).toEqual(
      [
        ["/data/kites/north/lift", 1, 0, "Turn.slash.effects"],
        ["/data/kites/south/lift", 8, 2, "effect strike"],
        ["/data/queue", ["north", "south"], ["south"], "Judge.enter"],
        ["/local/Turn", undefined, undefined, undefined],
      ].slice(0, trace.changes.length),
    );
  });

  test("the first step, a refused one and one at fault are told as far as they came", () => {
    expect(told(duel, traceBegin(duel, beginOptions(kept.header)))).toContain("change lap 0 -> 1 (lap += 1)");
    const { runnable, situation } = started(
      `data { n: int 0..9 = 3 }\nstart S\nstate S { turn of a\n action go needs n > 5 and n < 9 else "too few" -> E\n` +
        ` action bad { n += 1 n = floor(6 / (n - 4)) } -> stay }`,
    );
    const [refused] = traceStep(runnable, situation, act("a", "go"));
    expect([refused?.refusal?.code, refused?.step]).toEqual(["needsFailed", 1]);
    expect(told(runnable, refused)).toEqual([
      "plain S.turn: a = a",
      "no S.go.needs[1]: n > 5 and n < 9 (n = 3)",
      // The words for it are made of the same condition.
    ]);
    const [fault] = traceStep(runnable, situation, act("a", "bad"));
    expect(fault?.fault?.code).toBe("divisionByZero");
    expect(told(runnable, fault).slice(-2)).toEqual([
      "change n 3 -> 4 (n += 1)",
      "fault n = floor(6 / (n - 4)) (n = 4)",
    ]);
    expect(step(runnable, situation, act("a", "bad")).situation).toBe(situation);
  });

  test("of many elements it keeps those that decided and counts the others; of too much it keeps 10,000 and counts", () => {
    const { runnable, situation } = started(
      `data { many: list of int = [5, 1, 2, 3, 4, 9, 7, 8] }\nstart S\nstate S { turn of a\n` +
        ` action find needs any(x in many: x > 8) { many.push(maxBy(y in many: y)) } -> stay\n` +
        ` action toil { for i in 0..2999 { many[0] = count(z in many where z > i) } } -> stay }`,
    );
    const [found] = traceStep(runnable, situation, act("a", "find"));
    const lines = told(runnable, found);
    expect(lines[1]).toBe(
      "yes S.find.needs[1]: any(x in many: x > 8) (many = 5, 1, 2, 3, 4, 9, 7, 8, x = 5, x = 1, x = 2, x = 9, ...)".replace(
        ", ...",
        ", 2 more elements",
      ),
    );
    const [toil] = traceStep(runnable, situation, act("a", "toil"));
    const size = (nodes: readonly Recorded[]): number => nodes.reduce((sum, n) => sum + 1 + size(n.parts ?? []), 0);
    expect(size(toil?.nodes ?? [])).toBeLessThanOrEqual(10_000);
    expect(toil?.lost).toBeGreaterThan(10_000);
    expect(toil?.changes).toMatchObject([{ path: "/data/many/0", before: 5, after: 0 }]);
  });

  test("in the standard order, for overlays, timers and private seats too; as JSON with places and texts", () => {
    for (const name of [
      "bell-tower.zany",
      "gull-tricks.zany",
      "lantern-trails.zany",
      "market-siege.zany",
      "ferry-journey.zany",
    ]) {
      const runnable = example(name);
      const traced = traceBegin(runnable, { seed: "tide" });
      const json = JSON.parse(JSON.stringify(traceJson(runnable.machine, traced))) as TraceJson;
      // Whoever reads it elsewhere sees the same.
      expect(traceLines(runnable.machine, traceFrom(runnable.machine, json))).toEqual(
        traceLines(runnable.machine, traced),
      );
      expect(json.nodes.length, name).toBeGreaterThan(0);
      for (const node of json.nodes) expect(node.source).toMatch(/^(\S+:)?\d+:\d+$/);
    }
    const { runnable, situation } = started(`start S\nstate S { turn of a after 2s -> T }\nstate T { turn of b }`);
    const [late] = traceStep(runnable, situation, { kind: "timer", timer: "S.after1" });
    expect([told(runnable, late), late?.timers]).toEqual([
      ["arrow S.after1.arrow: -> T (left S; entered T)"],
      [{ timer: "S.after1", what: "ran", due: 2000 }],
    ]);
  });
});

describe("questions", () => {
  test("when a datum was changed last, when a condition turned, when an action was open and what closed it", () => {
    expect(lastChange(kept, "/data/kites/north/lift")).toBe(19);
    expect(lastChange(kept, "/data/kites", 4)).toBeLessThanOrEqual(4);
    expect(lastChange(kept, "/data/nothing")).toBeUndefined();
    const low = ownCondition(exampleText("kite-duel.zany"), "kites[north].lift < 20", findPart);
    const points = turningPoints(low, kept);
    expect(points[0]?.holds).toBe(true);
    expect(points.map(({ holds }) => holds)).toEqual(points.map((_, i) => i % 2 === 0));
    expect(lastOpen(duel, kept, "north", "mend")).toEqual({
      open: 2,
      closed: { step: 3, reason: expect.stringContaining("south's turn") },
    });
    expect(lastOpen(duel, kept, "north", "mend", 2)).toEqual({ open: 2, closed: undefined });
  });

  test.each([
    ["kites[nroth].lift < 20", 'Did you mean "north"?'],
    ["lap +", "is no condition"],
    ["lap > 1, lap > 2", "write one that is true or false"],
    ['true } test "x" { expect true', "write one that is true or false"],
  ])("a condition that is none is refused in words: %s", (condition, words) => {
    const ask = (): unknown => ownCondition(exampleText("kite-duel.zany"), condition, findPart);
    expect(ask).toThrow(BadQuestion);
    expect(ask).toThrow(words);
  });

  test("a step that diverges under other rules says from where on", () => {
    const other = runnableOf(exampleText("kite-duel.zany").replace("kites[me].lift += 12", "kites[me].lift += 11"));
    expect(why(other, kept, 5).otherwise).toBe(3);
    expect(() => why(duel, kept, 999)).toThrow("There is no step 999; the last is 19.");
    const lines: string[] = [];
    const { taken } = begin(duel, { seed: "short" });
    if (taken) new LogbookWriter(duel, { seed: "short" }, taken, (line) => lines.push(line)).close();
    expect(why(duel, readLogbook(lines.join("")), 0).trace.step).toBe(0);
  });
});
