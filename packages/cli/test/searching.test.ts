/** What looks through a machine, as it is typed: evidence, exploring, coverage, simulation, odds. */

import { readFileSync } from "node:fs";
import { join } from "node:path";
import { expect, test } from "vitest";
import { newFolder, ROOT } from "../../service/test/running.js";
import { typing, written } from "./typed.js";

const folder = newFolder();
const zany = typing(folder);
const file = (name: string, text: string): string => written(folder, name, text);

const DUEL = "examples/kite-duel.zany";
const NOUGHTS = "packages/core/test/games/noughts.zany";

test("check: a warning has its match, which --why tells step by step; --no-evidence reasons alone", () => {
  const broken = "docs/examples/broken-duel.zany";
  const plain = zany(["check", broken]);
  expect([plain.code, plain.err]).toEqual([1, ""]);
  const steps = /A match shows it, in (\d+) steps: --why/.exec(plain.out)?.[1];
  const why = zany(["check", broken, "--why"]).out;
  expect(why).not.toContain("--why");
  expect(why).toMatch(new RegExp(`A match that shows it:\n    1\\. [^]*\n    ${steps}\\. `));
  const [read] = JSON.parse(zany(["check", broken, "--why", "--json"]).out) as [
    {
      readonly searched: { readonly steps: number; readonly complete: boolean };
      readonly messages: readonly {
        readonly name: string;
        readonly shown?: number;
        readonly evidence?: { readonly steps: readonly string[]; readonly logbook: string; readonly test: string };
      }[];
    },
  ];
  expect(read.searched.steps).toBeLessThanOrEqual(150_000);
  const shown = read.messages.filter(({ evidence }) => evidence);
  expect(shown.length).toBeGreaterThan(0);
  for (const [i, { shown: count, evidence, name }] of shown.entries()) {
    expect([name, evidence?.steps.length]).toEqual([name, count]);
    const book = file(`why-${i}.jsonl`, evidence?.logbook ?? "");
    expect(zany(["verify", book, "--machine", broken])).toMatchObject({ code: 0 });
    const tested = `${readFileSync(join(ROOT, broken), "utf8")}\n${evidence?.test}`;
    expect(zany(["test", file(`why-${i}.zany`, tested)]).err).toBe("");
  }
  const alone = zany(["check", broken, "--no-evidence"]).out;
  expect([alone.includes("A match"), alone.includes("endings-overlap")]).toEqual([false, true]);
});

test("coverage: what tests and logbooks come to, what is missing with tests that come to it, LCOV and the text", () => {
  const sums = (out: string): readonly { readonly kind: string; readonly covered: number; readonly all: number }[] =>
    (JSON.parse(out) as { readonly sums: ReturnType<typeof sums> }).sums;
  const covered = (out: string): number => sums(out).reduce((sum, { covered }) => sum + covered, 0);
  const tests = zany(["coverage", DUEL, "--json"]);
  const books = zany(["coverage", DUEL, "--logbook", "examples/logbooks", "--json"]);
  expect([tests.code, zany(["coverage", DUEL, "--no-tests"]).code]).toEqual([1, 2]);
  const match = zany(["coverage", DUEL, "--no-tests", "--simulate", "1", "--json"]).out;
  expect(covered(match)).toBeLessThan(covered(zany(["coverage", DUEL, "--simulate", "100", "--json"]).out));
  expect(covered(books.out)).toBeGreaterThan(covered(tests.out));
  const more = join(folder, "more.test.zany");
  expect(zany(["coverage", DUEL, "--missing", "--out", more]).code).toBe(1);
  const whole = file("covered.zany", `${readFileSync(join(ROOT, DUEL), "utf8")}\n${readFileSync(more, "utf8")}`);
  expect(zany(["test", whole])).toMatchObject({ code: 0, err: "" });
  const after = sums(zany(["coverage", whole, "--json"]).out);
  for (const kind of ["state", "action", "ending", "timer", "listener"])
    expect(after.find((sum) => sum.kind === kind)).toMatchObject({
      covered: after.find((sum) => sum.kind === kind)?.all,
    });
  const lcov = join(folder, "duel.info");
  expect(zany(["coverage", DUEL, "--lcov", lcov]).err).toBe("");
  // Each line of the tracefile is of a kind that readers know, and its sums hold.
  const lines = readFileSync(lcov, "utf8").trim().split("\n");
  expect(lines.filter((line) => !/^(TN|SF|FN|FNDA|FNF|FNH|DA|LF|LH|BRDA|BRF|BRH):|^end_of_record$/.test(line))).toEqual(
    [],
  );
  const counts = lines.flatMap((line) => /^DA:\d+,(\d+)$/.exec(line)?.slice(1) ?? []);
  expect(lines).toContain(`LF:${counts.length}`);
  expect(lines).toContain(`LH:${counts.filter((n) => n !== "0").length}`);
  expect(zany(["coverage", DUEL, "--text"]).out).toMatch(/^0 ! +action brace/m);
  expect(zany(["coverage", DUEL, "--logbook", "nowhere"])).toMatchObject({ code: 2 });
});

test("explore: findings as logbooks and tests, goals, laws, and what is wrong with how it is asked", () => {
  const bells = "docs/examples/two-bells.zany";
  const out = newFolder();
  const found = zany(["explore", bells, "--out", out]);
  expect(found).toMatchObject({ code: 1, err: "" });
  expect(found.out).toContain("all 6 situations visited: 1 finding");
  expect(zany(["verify", join(out, "finding-1.jsonl"), "--machine", bells]).code).toBe(0);
  const whole = file(
    "bells.zany",
    `${readFileSync(join(ROOT, bells), "utf8")}\n${readFileSync(join(out, "finding-1.test.zany"), "utf8")}`,
  );
  expect(zany(["test", whole])).toMatchObject({
    code: 1,
    out: expect.stringContaining("the small bell rings first"),
  });
  expect(zany(["explore", bells, "--goal", "big and not small"])).toMatchObject({
    code: 1,
    out: expect.stringContaining("never    big and not small: proven, all 6 situations were visited"),
  });
  for (const command of ["explore", "odds"])
    expect(zany([command, DUEL, "--bot", "north=careful:3,wary:1"])).toMatchObject({
      code: 2,
      err: expect.stringContaining("is a mixture: those are drawn for each match of zany simulate"),
    });
  expect(zany(["explore", DUEL, "--time", "1ms"]).out).toMatch(/no longer than 1ms was asked for[\s\S]*not proven/);
  const { situations, complete, goal } = JSON.parse(
    zany(["explore", DUEL, "--goal", "kites[south].lift < 30", "--json"]).out,
  ) as {
    readonly situations: number;
    readonly complete: boolean;
    readonly goal: { readonly depth: number; readonly steps: readonly string[]; readonly test: string };
  };
  expect([situations > 1, complete, goal.depth, goal.steps.length]).toEqual([true, false, 1, 1]);
  expect(zany(["explore", bells, "--law", "no such"])).toMatchObject({
    code: 2,
    err: expect.stringContaining("the small bell"),
  });
  expect(zany(["explore", bells, "--goal", "big and"])).toMatchObject({ code: 2 });
  expect(zany(["explore", DUEL, "--limit", "500", "--walk", "0"]).out).toMatch(
    /no finding in 5\d\d situations, not proven/,
  );
});

test("explore and check: a secret that shows comes as two matches that look the same until then", () => {
  const bids = file(
    "bids.zany",
    `machine Bids
seats ann, ben
data { private bid per seat: int 0..3  total: int 0..9 }
on Left(s) -> Home
start Bid
state Bid {
  turn of each seats
  sealed action offer(n: int 0..3) { bid[me] = n  total += n } -> ready
  when all ready -> Home
}
ending Home { draws all  scores s in seats: total }
`,
  );
  const out = newFolder();
  const found = zany(["explore", bids, "--out", out]);
  expect(found).toMatchObject({ code: 1, err: "" });
  expect(found.out).toMatch(
    /^a secret shows at 8:3: What shows of "offer" while others still choose tells (ann|ben) of what was chosen: /,
  );
  expect(found.out).toMatch(
    /1\. (ann|ben) offer\(\d\)\n +and its twin, which looks the same until then:\n +1\. \1 offer\(\d\)\n/,
  );
  for (const name of ["finding-1", "finding-1-twin"])
    expect(zany(["verify", join(out, `${name}.jsonl`), "--machine", bids]).code).toBe(0);
  const told = JSON.parse(zany(["explore", bids, "--json"]).out) as {
    readonly secretSteps: number;
    readonly findings: readonly { readonly kind: string; readonly twin?: { readonly steps: readonly string[] } }[];
  };
  expect(told.findings).toMatchObject([{ kind: "secret", twin: { steps: [expect.stringContaining("offer")] } }]);
  expect(told.secretSteps).toBeGreaterThan(0);
  const checked = zany(["check", bids, "--why"]);
  expect(checked.out).toMatch(
    /warning secret-leak[\s\S]*Two matches look the same to (ann|ben) until then[\s\S]*Its twin/,
  );
  expect(zany(["explore", "examples/gull-tricks.zany", "--limit", "300", "--walk", "0"]).out).toContain(
    "No secret was seen to show",
  );
});

test("simulate: parts add up to the whole, values are varied by the same seeds, and both say what is wrong", () => {
  const duel = ["simulate", DUEL, "--json"];
  const part = (name: string, first: string): string =>
    file(name, zany([...duel, "--first", first, "--matches", "60"]).out);
  const sum = zany(["tally", "add", part("p1.json", "0"), part("p2.json", "60")]);
  expect(JSON.parse(sum.out)).toEqual(JSON.parse(zany([...duel, "--matches", "120"]).out));
  const whole = JSON.parse(sum.out) as Record<string, unknown>;
  for (const wrong of [
    DUEL,
    file("text.json", JSON.stringify({ ...whole, times: "x" })),
    file("half.json", JSON.stringify({ ...whole, lengths: { 12: 0.5 } })),
    file("nobody.json", JSON.stringify({ ...whole, results: { north: null } })),
  ])
    expect(zany(["tally", "add", wrong])).toMatchObject({ code: 2, err: expect.stringContaining("is no tally") });
  // One of an older version has no match times.
  const { times, ...older } = whole;
  expect(Object.keys(times as object).length).toBeGreaterThan(0);
  expect(JSON.parse(zany(["tally", "add", file("older.json", JSON.stringify(older))]).out)).toEqual({
    ...whole,
    times: {},
  });
  const csv = zany([
    "simulate",
    DUEL,
    "--matches",
    "80",
    "--vary",
    "kites.north.lift=1,40",
    "--csv",
    "--bot",
    "south=careful",
  ]).out;
  const [head, weak, strong] = csv
    .trim()
    .split("\n")
    .map((line) => line.split(","));
  expect(head?.slice(0, 4)).toEqual(["kites.north.lift", "matches", "mean length", "north win"]);
  expect(Number(weak?.[3])).toBeLessThan(Number(strong?.[3]));
  expect(zany(["simulate", DUEL, "--vary", "lap=9..1"]).err).toContain("has no values: 9 is more than 1");
  expect(zany(["simulate", DUEL, "--vary", "lap=5..x"]).err).toContain('"lap=5..x" is not of the form path=5..15');
  expect(zany(["explore", DUEL, "--out", join(folder, "none")]).err).toContain("there is no such folder");
  expect(zany(["simulate", DUEL, "--vary", "lift"])).toMatchObject({
    code: 2,
    err: expect.stringContaining("path=5..15"),
  });
});

test("odds: fractions, bounds, best play, and why there are none", () => {
  const noughts = "packages/core/test/games/noughts.zany";
  const { out } = zany(["odds", noughts]);
  expect(out).toContain("737/1260");
  expect(out).toContain("5478 situations, all there are");
  const best = zany(["odds", noughts, "--best"]);
  expect(best).toMatchObject({
    code: 0,
    out: expect.stringContaining("one moves first and draws, when both play as well as can be"),
  });
  expect(zany(["odds", DUEL, "--best", "--limit", "3000"])).toMatchObject({
    code: 2,
    err: expect.stringContaining("dice"),
  });
  expect(zany(["odds", noughts, "--bot", "one=clever"])).toMatchObject({
    code: 2,
    err: expect.stringContaining("clever"),
  });
  expect(zany(["odds", DUEL, "--limit", "2000"])).toMatchObject({
    code: 1,
    out: expect.stringContaining("not all there are"),
  });
  // Each reason with its place, also where two are the same.
  const clocks = zany(["odds", "packages/core/test/machines/fair/plank-clocks.zany"]).out;
  const why = "what is made of the time of day is not tried for every time.";
  expect(clocks).toContain(`Not complete (14:19): ${why}`);
  expect(clocks).toContain(`Not complete (17:17): ${why}`);
});

test("simulate: the same counts for a seed on any number of cores; policies matter", () => {
  const run = (...more: string[]) => zany(["simulate", DUEL, "--matches", "60", "--seed", "s", "--json", ...more]);
  const one = run("--cores", "1");
  expect(one.code).toBe(0);
  expect(run("--cores", "3").out).toBe(one.out);
  const tally = JSON.parse(one.out) as {
    matches: number;
    endings: Record<string, number>;
    lengths: Record<string, number>;
    results: Record<string, Record<string, number>>;
  };
  expect(tally.matches).toBe(60);
  for (const counts of [tally.endings, tally.lengths, tally.results["north"] ?? {}])
    expect(Object.values(counts).reduce((a, b) => a + b)).toBe(60);
  const careful = JSON.parse(run("--bot", "north=careful").out) as typeof tally;
  expect(careful.results["north"]?.["win"]).toBeGreaterThan(tally.results["north"]?.["win"] ?? 60);
  const told = zany(["simulate", DUEL, "--matches", "20"]).out;
  expect(told).toMatch(/20 matches of KiteDuel[\s\S]*Flown[\s\S]*never: [\s\S]*north +win[\s\S]*who began[\s\S]*steps/);
  expect(zany(["simulate", DUEL, "--matches", "0"])).toMatchObject({
    code: 2,
    err: expect.stringContaining("at least 1"),
  });
  expect(zany(["simulate", DUEL, "--bot", "north=carefull"])).toMatchObject({
    code: 2,
    err: expect.stringContaining('There is no policy "carefull". Did you mean "careful"?'),
  });
});

test("simulate: what is asked for beside, as a table, as plots, and what cannot be asked", () => {
  const svg = join(folder, "one.svg");
  const told = zany(["simulate", DUEL, "--matches", "60", "--of", "lap", "--rolls", "--svg", svg]);
  expect(told.out).toMatch(
    /at the end lap\n[\s\S]*mean +\d[\s\S]*on average, by step[\s\S]*rolls\n +line \d+ +roll\(1\.\.4\) +\d+ times +1 /,
  );
  expect(readFileSync(svg, "utf8")).toContain("lap at the end");
  const sweep = join(folder, "sweep.svg");
  const swept = ["simulate", DUEL, "--matches", "20", "--vary", "kites.north.lift=10..40 by 10"];
  expect(zany([...swept, "--svg", sweep]).code).toBe(0);
  expect(readFileSync(sweep, "utf8").match(/<circle/g)?.length).toBe(4 * (2 + 1 + 3));
  expect(zany(["simulate", DUEL, "--matches", "20", "--csv"]).out).toMatch(
    /^what,name,count,share,low,high\nwin,north,/,
  );
  const tallies = ["a", "b"].map((seed) =>
    file(`${seed}.json`, zany(["simulate", DUEL, "--matches", "200", "--json", "--seed", seed]).out),
  );
  const strong = zany(["simulate", DUEL, "--matches", "200", "--json", "--given", "kites.south.lift=1"]).out;
  const compared = (...files: readonly string[]): string => zany(["tally", "compare", ...files]).out;
  expect(compared(...tallies)).not.toContain("differs");
  expect(compared(tallies[0] ?? "", file("strong.json", strong))).toMatch(/win +north .*differs/);
  const wrong = zany(["simulate", DUEL, "--of", "lapp"]);
  expect([wrong.code, wrong.err]).toEqual([2, expect.stringContaining('Did you mean "lap"')]);
});

test("odds: a free seat, values at the end, chances; explore: seats that policies play", () => {
  const free = zany(["odds", NOUGHTS, "--free", "one"]).out;
  expect(free).toContain("one plays as well as can be against the others: worth 0.997395833");
  expect(free).toContain("191/192");
  expect(zany(["odds", NOUGHTS, "--free", "three"])).toMatchObject({
    code: 2,
    err: expect.stringContaining("one, two"),
  });
  expect(zany(["odds", NOUGHTS, "--free", "one", "--best"])).toMatchObject({ code: 2 });
  const journey = zany(["odds", "examples/ferry-journey.zany", "--chances", "--tries", "1", "--limit", "50"]).out;
  expect(journey).toMatch(/-> Away +60% +40%/);
  const full = JSON.parse(zany(["odds", NOUGHTS, "--of", "board", "--of", "seats.size", "--json"]).out) as {
    readonly values: readonly { readonly of: string; readonly values: readonly { readonly value: string }[] }[];
  };
  expect(full.values[1]).toMatchObject({ of: "seats.size", values: [{ value: "2", probability: { fraction: "1" } }] });
  const careful = zany([
    "explore",
    DUEL,
    "--bot",
    "north=careful",
    "--bot",
    "south=careful",
    "--limit",
    "2000",
    "--walk",
    "0",
  ]);
  expect(careful.out).toContain("Turn.cutLoose");
  expect(zany(["explore", DUEL, "--bot", "north=carefull"])).toMatchObject({ code: 2 });
});

test("replay: what an expression came to after each step, as its course and where it changed", () => {
  const book = "examples/logbooks/kite-duel-01.jsonl";
  const replay = ["replay", book, "--machine", DUEL, "--of", "kites[north].lift", "--of", "queue.first"];
  const { out, code } = zany(replay);
  expect(code).toBe(0);
  expect(out).toMatch(/kites\[north\]\.lift {2}█\S+ from 0 to 40\n {2}step 0: 40; step 2: 28; /);
  expect(out).toMatch(/queue\.first\n {2}step 0: north; step 1: south; /);
  const { watched, steps } = JSON.parse(zany([...replay, "--json"]).out) as {
    readonly steps: readonly { readonly changes: readonly { readonly path: string; readonly value: unknown }[] }[];
    readonly watched: readonly { readonly of: string; readonly values: readonly unknown[] }[];
  };
  // The same as what was recorded, change by change.
  let lift: unknown = 40;
  const recorded = steps.map(({ changes }) => {
    for (const { path, value } of changes) if (path === "/data/kites/north/lift") lift = value;
    return lift;
  });
  expect(watched[0]).toEqual({ of: "kites[north].lift", values: recorded });
  expect(zany(["replay", book, "--of", "lap"])).toMatchObject({ code: 2, err: expect.stringContaining("--machine") });
});

test("play: what was refused is written on request, told by replay, and asked again by verify", () => {
  const book = join(folder, "refused.jsonl");
  const play = ["play", DUEL, "--seed", "gust", "--save", book];
  const typed = "north mend\nnorth mend\nsouth slash(south)\nsouth brace\nq\n";
  expect(zany(play.slice(0), { input: typed }).code).toBe(0);
  expect(readFileSync(book, "utf8")).not.toContain('"refused"');
  zany([...play, "--record-refusals"], { input: typed });
  expect(zany(["verify", book, "--machine", DUEL])).toMatchObject({ code: 0 });
  const told = zany(["replay", book])
    .out.split("\n")
    .filter((line) => line.includes("refused:"));
  expect(told.length).toBeGreaterThan(0);
  expect(told.join()).toMatch(/refused: (north mend|south slash\(south\)): /);
  const freer = file(
    "freer.zany",
    readFileSync(join(ROOT, DUEL), "utf8")
      .replace("action mend", "action mend by anyone")
      .replace(' where target != me else "that is your own kite"', ""),
  );
  expect(zany(["verify", book, "--machine", freer])).toMatchObject({
    code: 1,
    out: expect.stringContaining("refused"),
  });
});
