/**
 * Which rule and which change is responsible: mistakes that are put into the example machines are looked for by what
 * they do to kept matches. And what differs between two versions, piece by piece.
 */

import {
  causeOf,
  changesOf,
  compile,
  groupsOf,
  type Logbook,
  LogbookWriter,
  begin,
  type Input,
  readLogbook,
  Runnable,
  run,
  runTests,
  type Texts,
  situationJson,
  type Situation,
  situationsApart,
  testFrom,
  type Verdict,
  vary,
  verifyText,
  withChanges,
} from "@zany/core";
import { readdirSync, readFileSync } from "node:fs";
import { expect, test, describe } from "vitest";
import { exampleText, findPart, runnableOf } from "./examples.js";
import { mutantsOf } from "./mutants.js";

const FOLDER = "examples/logbooks";
/** How many mistakes of each kind are put into each machine. */
const OF_A_KIND = 30;

/** How many tests are made of matches. */
const CASES = 100;

/** The machines with kept matches, and those matches. */
const KEPT = [
  ...["kite-duel", "stall-siege", "market-siege", "lantern-trails", "gull-tricks", "bell-tower", "ferry-journey"],
  ...["kite-volleys", "pass-the-letter"],
].map((name) => {
  const text = exampleText(`${name}.zany`);
  const logbooks = readdirSync(FOLDER)
    .filter((file) => file.startsWith(name))
    .map((file) => readFileSync(`${FOLDER}/${file}`, "utf8"))
    // Some were played on older rules.
    .filter((logbook) => verifyText(runnableOf(text), logbook).kind === "verified");
  return { text, logbooks };
});

/** The texts of a machine, with those it includes. */
function textsOf(text: string): Texts {
  const { parts } = compile(text, "machine.zany", findPart, { errorsOnly: true });
  return { "": text, ...parts };
}

test("of mistakes put into the examples, the line is named: nearly always with both versions at hand, mostly without", () => {
  const met = { diverged: 0, both: 0, alone: 0, trial: 0 };
  for (const { text, logbooks } of KEPT) {
    const playedOn = runnableOf(text);
    for (const mutant of mutantsOf(text, OF_A_KIND)) {
      const { ok, machine } = compile(mutant.text, "machine.zany", findPart, { errorsOnly: true });
      if (!ok) continue;
      const runnable = new Runnable(machine, false);
      let found: { verdict: Verdict; text: string } | undefined;
      for (const logbook of logbooks) {
        const verdict = verifyText(runnable, logbook, { playedOn });
        if (verdict.kind !== "diverged") continue;
        if (!found || (found.verdict.kind === "diverged" && verdict.step < found.verdict.step))
          found = { verdict, text: logbook };
      }
      if (found?.verdict.kind !== "diverged") continue;
      met.diverged++;
      const lineOf = (verdict: Verdict): number | undefined =>
        verdict.kind === "diverged" ? Number(verdict.responsible.source?.split(":").at(-2)) : undefined;
      // What was left out of a line can only be missed where it would have been.
      const isHere = (line: number | undefined): boolean =>
        line !== undefined && Math.abs(line - mutant.line) <= (mutant.to === "" ? 1 : 0);
      if (isHere(lineOf(found.verdict))) met.both++;
      if (isHere(lineOf(verifyText(runnable, found.text)))) met.alone++;
      const { changes } = causeOf(textsOf(text), textsOf(mutant.text), readLogbook(found.text), found.verdict);
      const [cause] = changes;
      const covers = cause && Math.abs((cause.newLine ?? cause.oldLine ?? 0) - mutant.line) <= 40;
      if (changes.length === 1 && covers) met.trial++;
    }
  }
  expect(met.diverged).toBeGreaterThan(100);
  expect(met.both / met.diverged).toBeGreaterThanOrEqual(0.95);
  expect(met.alone / met.diverged).toBeGreaterThanOrEqual(0.55);
  expect(met.trial / met.diverged).toBeGreaterThanOrEqual(0.98);
});

test("what is missing is named where it would stand, and what kept a datum from being written by its condition", () => {
  const text = `machine Kites seats a, b
data { lift: int 0..9 = 3  tape: int 0..9 = 0 }
start Rise
state Rise {
  enter {
    lift += 2
  } -> Fly
}
state Fly {
  turn of a
  action pull(hard: bool) {
    if hard {
      tape += 1
    }
    lift -= 1
  } -> choose {
    when lift <= 3 -> Down
    else -> stay
  }
}
on Left(s) -> Down
ending Down {
  wins a
  loses b
  scores s in seats: lift
}
`;
  const played = runnableOf(text);
  let logbook = "";
  const how = { seed: "named", now: 0 };
  const { taken } = begin(played, how);
  if (!taken) throw new Error("it does not begin");
  const writer = new LogbookWriter(played, how, taken, (line) => (logbook += line));
  const pull: Input = { kind: "action", seat: "a", action: "pull", args: { hard: true } };
  run(
    played,
    taken.situation,
    () => pull,
    (step) => writer.add(step),
  );
  writer.close();
  const lineOf = (now: string): unknown => {
    const verdict = verifyText(runnableOf(now), logbook);
    return verdict.kind === "diverged" ? verdict.responsible.source?.split(":")[0] : verdict.kind;
  };
  // It stays where nobody can do anything: the arrow is missed at the end of what is done there.
  expect(lineOf(text.replace(" -> Fly", ""))).toBe("7");
  expect(lineOf(text.replace("if hard", "if not hard"))).toBe("12");
  // A match whose steps go as they went, and that ends otherwise: the change is found by trial.
  const scored = text.replace("scores s in seats: lift", "scores s in seats: lift + 1");
  const verdict = verifyText(runnableOf(scored), logbook, { playedOn: played });
  if (verdict.kind !== "diverged") throw new Error(verdict.kind);
  expect(verdict.differences[0]?.path).toBe("result");
  const { changes } = causeOf(textsOf(text), textsOf(scored), readLogbook(logbook), verdict);
  expect(changes.map(({ name }) => name)).toEqual(["ending Down"]);
});

test("tests made of matches fail for the reason that their match did, shortened", () => {
  const met = { made: 0, shorter: 0 };
  for (const { text, logbooks } of KEPT)
    for (const mutant of mutantsOf(text, 40)) {
      if (met.made >= CASES) break;
      const { ok, machine } = compile(mutant.text, "machine.zany", findPart, { errorsOnly: true });
      if (!ok) continue;
      const runnable = new Runnable(machine, false);
      for (const logbook of logbooks) {
        const verdict = verifyText(runnable, logbook);
        if (verdict.kind !== "diverged" || verdict.step === 0) continue;
        if (!["fault", "law", "refused"].includes(verdict.how) || verdict.rolls.anew > 0) continue;
        const words = `case ${met.made}`;
        const made = testFrom(mutant.text, findPart, readLogbook(logbook), { step: verdict.step, words });
        expect(made.reason.kind === "fault" || made.reason.kind === "refusal", `${mutant.kind} ${mutant.line}`).toBe(
          true,
        );
        const { code, rule } = made.reason as Extract<typeof made.reason, { code: string }>;
        const result = runTests(runnableOf(`${mutant.text}\n${made.text}`)).find((each) => each.words === words);
        // The same fault or refusal, by the same rule.
        expect([made.passes, result?.ok], made.text).toEqual([false, false]);
        expect(result?.failure?.actual, made.text).toContain(code === "lawBroken" ? rule.slice(5, -1) : code);
        met.made++;
        if (made.moves.kept < made.moves.had) met.shorter++;
      }
    }
  // The others show what a step changed, which the shortened ones change too.
  for (const { text, logbooks } of KEPT)
    for (const logbook of logbooks.slice(0, 6))
      for (const step of [4, 9, 14]) {
        const { header, steps } = readLogbook(logbook);
        if (met.made >= CASES || step >= steps.length) continue;
        const made = testFrom(text, findPart, { header, steps, refused: [] }, { step, words: `case ${met.made}` });
        expect(made.passes, made.text).toBe(true);
        met.made++;
        if (made.moves.kept < made.moves.had) met.shorter++;
      }
  expect(met.made).toBe(CASES);
  expect(met.shorter).toBeGreaterThan(CASES / 3);
});

test("a test expects what a step changed, or a condition of one's own; what cannot be made is told in words", () => {
  const [duel] = KEPT;
  const text = duel?.text ?? "";
  const kept = readLogbook(duel?.logbooks[0] ?? "");
  const made = testFrom(text, findPart, kept, { step: 3, words: "mends" });
  expect(made).toMatchObject({ passes: true, reason: { kind: "changes" } });
  expect(made.text).toContain("expect kites[north].lift == 40, kites[north].tape == 0, queue == [south]");
  expect(made.text).not.toContain("wait");
  const own = testFrom(text, findPart, kept, { step: 3, words: "own", expect: "kites[north].tape == 2" });
  expect(own).toMatchObject({ passes: false, reason: { kind: "condition", holds: false }, moves: { had: 3, kept: 1 } });
  expect(() => testFrom(text, findPart, kept, { step: 99, words: "" })).toThrow("There is no step 99 to test");
  expect(() => testFrom(text, findPart, kept, { words: "", expect: "lap >" })).toThrow("is no condition");
});

test("a variation goes otherwise from its step on, verifies by itself, and is held beside the match it comes from", () => {
  const [duel] = KEPT;
  const text = duel?.text ?? "";
  const runnable = runnableOf(text);
  const kept = readLogbook(duel?.logbooks[0] ?? "");
  const bots = { north: "careful", south: "careful" };
  const varied = vary(runnable, text, findPart, kept, { step: 4, lines: ["south brace"], bots });
  expect(verifyText(runnable, varied.text).kind).toBe("verified");
  const made = readLogbook(varied.text);
  expect(made.header.parent).toEqual({ step: 4, file: kept.closing?.file });
  expect(made.steps.slice(0, 4)).toEqual(kept.steps.slice(0, 4));
  expect(made.steps[4]?.input).toMatchObject({ seat: "south", action: "brace" });
  expect(varied.recorded).toContainEqual({ path: "/data/kites/north/lift", before: 40, after: 30 });
  expect(varied.varied).toContainEqual({ path: "/data/kites/south/braced", before: false, after: true });
  expect(varied.endings.varied).toBe(made.closing?.result?.ending);
  // With other data it goes on from a whole situation; with set dice it rolls them.
  const other = vary(runnable, text, findPart, kept, {
    step: 4,
    lines: ["south slash(north)"],
    dice: [6],
    data: [{ path: "/data/kites/north/lift", value: 3 }],
  });
  expect(verifyText(runnable, other.text).kind).toBe("verified");
  expect(other.varied).toContainEqual({ path: "/data/kites/north/lift", before: 3, after: 0 });
  expect(other.endings).toEqual({ recorded: "Flown", varied: "Flown" });
  const refused = (options: Partial<Parameters<typeof vary>[4]>) => () =>
    vary(runnable, text, findPart, kept, { step: 4, lines: [], ...options });
  expect(refused({ lines: ["north brace"] })).toThrow(`"north brace" is not taken: It is south's turn.`);
  expect(refused({ lines: ["south brce"] })).toThrow('Did you mean "brace"?');
  expect(refused({ bots: { north: "carefull" } })).toThrow('Did you mean "careful"?');
  expect(refused({ data: [{ path: "/data/kites/north/lft", value: 1 }] })).toThrow("There is no kites.north.lft");
  expect(refused({ data: [{ path: "/data/kites/north/lift", value: 99 }] })).toThrow("does not fit");
  expect(refused({ step: 99 })).toThrow("There is no step 99 to vary");
});

test("two situations of two versions are held against each other, path by path", () => {
  const standing = (text: string): { runnable: Runnable; situation: Situation } => {
    const runnable = runnableOf(text);
    const situation = begin(runnable, { seed: "apart" }).taken?.situation;
    if (!situation) throw new Error("it does not begin");
    return { runnable, situation };
  };
  const text = (data: string): string => `machine M
seats a, b
type Crate { weight: int 0..9 = 3 }
data { ${data} }
start S
state S { turn of a  action go -> E }
on Left(s) -> E
ending E { draws all }
`;
  const played = standing(text("lift per seat: int 0..9 = 4  crates: list of Crate = [Crate(), Crate()]  old: bool"));
  const here = standing(
    text("lift per seat: int 0..9 = 5  crates: list of Crate = [Crate(), Crate(weight: 4)]  wind: int 0..3"),
  );
  expect(situationsApart(played, played)).toEqual([]);
  expect(situationsApart(played, here)).toEqual([
    { path: "/data/lift/a", before: 4, after: 5 },
    { path: "/data/lift/b", before: 4, after: 5 },
    { path: "/data/crates/1/weight", before: 3, after: 4 },
    { path: "/data/old", before: false },
    { path: "/data/wind", after: 0 },
  ]);
  const longer = standing(text("lift per seat: int 0..9 = 4  crates: list of Crate = [Crate()]  old: bool"));
  expect(situationsApart(played, longer)).toEqual([
    { path: "/data/crates", before: [{ weight: 3 }, { weight: 3 }], after: [{ weight: 3 }] },
  ]);
});

const RESULTS = [
  { seat: "north", result: "win" },
  { seat: "south", result: "loss" },
];

const OVER = { layers: [[]], local: {}, ready: {}, timers: {} };

test("a situation from outside is gone on from only when a match can stand so", () => {
  const [duel] = KEPT;
  const runnable = runnableOf(duel?.text ?? "");
  const first = begin(runnable, { seed: "outside" }).taken;
  if (!first) throw new Error("it does not begin");
  const whole = situationJson(runnable.machine, first.situation) as { readonly layers: string[][] };
  const from = (change: object) => begin(runnable, { seed: "outside", from: { ...whole, ...change } as never });
  expect(situationJson(runnable.machine, from({ step: 7 }).taken?.situation ?? first.situation)).toEqual(whole);
  for (const [change, words] of [
    [{ layers: [["Turn"]] }, "Turn is active without Lap"],
    [{ layers: [["Lap"]] }, "0 states are active in Lap"],
    [{ layers: [["Lap", "Turn", "Judge"]] }, "2 states are active in Lap"],
    [{ layers: [] }, "no state is active"],
    [{ layers: [["Nowhere"]] }, "there is no state"],
    [
      { ...OVER, outcome: { ending: "Flown", args: { winner: "north" }, unfinished: false, results: RESULTS } },
      "over already",
    ],
    [
      { ...OVER, outcome: { ending: "Flown", args: {}, unfinished: false, results: RESULTS } },
      "expected a seat (north, south)",
    ],
    [
      { ...OVER, outcome: { ending: "Flown", args: { winner: "north" }, unfinished: false, results: [] } },
      "the result of north",
    ],
    [{ ...OVER, outcome: { ending: "Lost", args: {}, unfinished: false, results: RESULTS } }, 'of no ending: "Lost"'],
    [{ layers: [["Paused"]] }, "Paused is an overlay, and lies over no others"],
    [
      {
        layers: [
          ["Lap", "Turn"],
          ["Lap", "Turn"],
        ],
      },
      "Lap lies over the others, and is no overlay",
    ],
    [{ layers: [["Lap", "Turn"], ["Paused"], ["Paused"]] }, "an overlay lies over itself"],
    [{ timers: { "Paused.after1": 5 } }, "the timer Paused.after1 runs, and its state is not active"],
    [{ timers: { "Turn.after1": 1e300 } }, "Turn.after1 is later than any date"],
    [{ history: { Lap: ["Paused"] } }, "the history of Lap is not inside it"],
    [{ seats: { north: "in" } }, "seats has no south"],
    [{ seats: { north: "in", south: "away" } }, "the status of south is none of in, open, out"],
    [{ dice: { main: -1 } }, "main is no count"],
    [{ data: {} }, "does not fit"],
  ] as const)
    expect(from(change).refusal?.words, words).toContain(words);
});

describe("two versions", () => {
  const OLD = exampleText("kite-duel.zany");

  test("differ piece by piece: changed, added, removed, renamed; layout, comments, tests and policies are no difference", () => {
    const now = OLD.replace("kites[me].lift += 12", "kites[me].lift += 11")
      .replace("lap: int 0..99", "lap: int 0..88")
      .replaceAll("shield(", "cover(")
      .replace("action pause", "action rest needs lap > 90 -> stay\n    action pause")
      .replace(/action cutLoose[^\n]*\n/, "\n");
    const told = changesOf({ "": OLD }, { "": now }).map(({ name, what, was }) => [what, name, was]);
    expect(told).toEqual(
      expect.arrayContaining([
        ["changed", "data lap", undefined],
        ["renamed", "function cover", "function shield"],
        ["changed", "state Lap: state Turn: action mend", undefined],
        ["removed", "state Lap: state Turn: action cutLoose", undefined],
      ]),
    );
    expect(told.some(([what, name]) => what === "added" && name?.endsWith("action rest"))).toBe(true);
    const laidOut = `${OLD.replaceAll("\n", "\n// nothing\n")}\ntest "more" { expect lap == 1 }\n`;
    expect(changesOf({ "": OLD }, { "": laidOut })).toEqual([]);
  });

  test("all changes together make the new version of the old", () => {
    for (const { text } of KEPT)
      for (const mutant of mutantsOf(text, 1)) {
        const [old, now] = [{ "": text }, { "": mutant.text }];
        const made = withChanges(old, changesOf(old, now));
        const rules = (of: string): string =>
          new Runnable(compile(of, "m.zany", findPart, { errorsOnly: true }).machine, false).rules;
        if (compile(mutant.text, "m.zany", findPart, { errorsOnly: true }).ok)
          expect(rules(made[""] ?? ""), `${mutant.kind} ${mutant.line}`).toBe(rules(mutant.text));
      }
  });

  test("where several changes are needed, all of them are named and no others; matches with one reason are one group", () => {
    const logbook = KEPT[0]?.logbooks[0] ?? "";
    const kept: Logbook = readLogbook(logbook);
    const now = OLD.replace("kites[target].lift -= hit", "kites[target].lift -= extra(hit)")
      .replace("effect strike", "function extra(n: int): int = n + bonus\neffect strike")
      .replace("data {", "const bonus: int = 1\ndata {")
      .replace("lap: int 0..99", "lap: int 0..98");
    const other = runnableOf(now);
    const verdict = verifyText(other, logbook, { playedOn: runnableOf(OLD) });
    if (verdict.kind !== "diverged") throw new Error("it verifies");
    const { changes, complete } = causeOf({ "": OLD }, { "": now }, kept, verdict);
    expect([complete, changes.map(({ name }) => name).sort()]).toEqual([
      true,
      ["const bonus", "effect strike", "function extra"],
    ]);
    const verdicts = (KEPT[0]?.logbooks ?? []).map((text, i) => ({
      name: `match ${i}`,
      verdict: verifyText(other, text),
      seats: ["north", "south"],
    }));
    const groups = groupsOf(verdicts);
    expect(groups.map(({ rule, path }) => [rule, path])).toContainEqual(["effect strike", "/data/kites/*/lift"]);
    expect(groups[0]?.matches.length).toBeGreaterThanOrEqual(groups.at(-1)?.matches.length ?? 0);
    expect(groups.reduce((sum, { matches }) => sum + matches.length, 0)).toBe(
      verdicts.filter(({ verdict: each }) => each.kind === "diverged").length,
    );
  });

  test("the ways of going otherwise are told apart", () => {
    const head = (body: string): string =>
      `machine M\nseats a, b\ndata { n: int 0..9 = 0 }\nstart S\nstate S { turn of seats\n` +
      ` action go { ${body} } -> stay\n action stop -> E }\nending E { draws all }\n`;
    const runnable = runnableOf(head("n += 1"));
    const how = { seed: "ways", now: 0 };
    const { taken } = begin(runnable, how);
    if (!taken) throw new Error("it does not begin");
    let text = "";
    const writer = new LogbookWriter(runnable, how, taken, (line) => (text += line));
    const actions = ["go", "go", "stop"];
    run(
      runnable,
      taken.situation,
      ({ step }): Input | undefined =>
        actions[step] === undefined ? undefined : { kind: "action", seat: "a", action: actions[step] },
      (step) => writer.add(step),
    );
    writer.close();
    const ways = (now: string): unknown[] => {
      const verdict = verifyText(runnableOf(now), text);
      return verdict.kind === "diverged" ? [verdict.how, verdict.step, verdict.responsible.rule] : [verdict.kind];
    };
    expect(verifyText(runnable, text).kind).toBe("verified");
    expect(ways(head("n += 2"))).toEqual(["sameResult", 1, "S.go.effects"]);
    expect(ways(head("n += roll(1..1)"))).toEqual(["rolls", 1, "S.go.effects"]);
    expect(ways(head("n = 9 / (n - n)").replace("9 / (n - n)", "floor(9 / (n - n))"))).toEqual([
      "fault",
      1,
      "S.go.effects",
    ]);
    expect(ways(head("n += 1").replace("action go", "action go needs n > 5"))).toEqual(["refused", 1, "S.go.needs[1]"]);
    expect(ways(`${head("n += 1")}law "low": n < 2\n`)).toEqual(["law", 2, 'law "low"']);
    expect(ways(head("").replace("{  }", ""))).toEqual(["sameResult", 1, undefined]);
  });
});
