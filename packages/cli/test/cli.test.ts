/** `zany` as it is typed: what it prints, and its exit codes. */

import { spawn, spawnSync } from "node:child_process";
import { cpSync, existsSync, readFileSync, rmSync, utimesSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { BUGS, firstDifferent, play } from "./herring.js";
import { newFolder, type Running, ROOT, startService, ZANY } from "../../service/test/running.js";
import { typing, written } from "./typed.js";

const folder = newFolder();

const zany = typing(folder);

/** Mistakes of a game after which it may go on by the rules for a while. */
const LEGAL_AT_FIRST: readonly string[] = ["the last cod is thrown again", "mira always begins"];

const file = (name: string, text: string): string => written(folder, name, text);

const DUEL = "examples/kite-duel.zany";
const text = readFileSync(join(ROOT, DUEL), "utf8");

test("what a run compiled is kept for the next one, and is not taken for what is built later, nor when it is damaged", () => {
  const cli = join(folder, "cli");
  cpSync(dirname(ZANY), cli, { recursive: true });
  const work = join(cli, "work.cjs");
  const kept = `${work}.check.compiled`;
  const said = (): string => {
    const { stdout, stderr } = spawnSync(process.execPath, [join(cli, "zany.cjs"), "check", join(ROOT, DUEL)]);
    return `${stdout}${stderr}`;
  };
  const at = (file: string, time: number): void => utimesSync(file, time, time);
  rmSync(kept, { force: true });
  expect(said()).toContain("no problems found");
  expect(existsSync(kept)).toBe(true);
  // Built anew, of the same length: what was kept before is of another text.
  writeFileSync(work, readFileSync(work, "utf8").replaceAll("no problems found", "no mistakes found"));
  const since = Date.now() / 1_000;
  at(kept, since - 20);
  at(work, since - 10);
  expect(said()).toContain("no mistakes found");
  writeFileSync(kept, "this is nothing that was compiled");
  expect(said()).toContain("no mistakes found");
  expect(readFileSync(kept).length).toBeGreaterThan(1_000);
});

describe("on files", () => {
  test("check: 0 and a summary, 1 and the messages, 2 for a file that is not there", () => {
    expect(zany(["check", DUEL])).toEqual({
      out: "examples/kite-duel.zany: no problems found in KiteDuel: 4 states, 6 actions, 3 endings, 2 tests.\n",
      err: "",
      code: 0,
    });
    const bad = file("bad.zany", text.replace("-> Judge", "-> Jugde"));
    const found = zany(["check", bad]);
    expect(found.code).toBe(1);
    expect(found.out).toContain('Did you mean "Judge"?');
    expect(JSON.parse(zany(["check", bad, "--json"]).out)).toMatchObject([
      { ok: false, messages: [{ name: "unknown-state", line: 52, column: 10 }] },
    ]);
    const missing = zany(["check", "nowhere.zany"]);
    expect([missing.code, missing.err]).toEqual([2, 'zany: Cannot read "nowhere.zany": there is no such file.\n']);
  });

  test("check --fix: fixes what is certain, in every file, and says what it did", () => {
    const bad = file("fixable.zany", text.replace("-> Judge", "-> Jugde").replace("lift -= hit", "lfit -= hit"));
    expect(zany(["check", "--fix", bad])).toEqual({
      out: `fixed unknown-field at ${bad}:27: Write "lift"\nfixed unknown-state at ${bad}:52: Write "Judge"\n${bad}: no problems found in KiteDuel: 4 states, 6 actions, 3 endings, 2 tests.\n`,
      err: "",
      code: 0,
    });
    expect(readFileSync(bad, "utf8")).toBe(text);
  });

  test("explain: a page, all names, or what is near", () => {
    expect(zany(["explain", "endings-overlap"]).out).toBe(
      readFileSync(join(ROOT, "docs/messages/endings-overlap.md"), "utf8"),
    );
    expect(zany(["explain"]).out).toMatch(/^again-needed +An arrow to a state that is active here\.$/m);
    expect(zany(["explain", "overlap"])).toMatchObject({
      code: 2,
      err: 'zany: There is no message "overlap". Did you mean endings-overlap?\n',
    });
  });

  test("table: where each action, signal and timer leads in a state, with reasons and origins", () => {
    const { out } = zany(["table", DUEL, "--state", "Turn"]);
    for (const line of [
      '  mend        -> Judge  needs kites[me].tape > 0, else "no tape left"',
      "  Struck      heard  when amount >= 10  (from Lap)",
      "  time        after 10d: -> Lapsed(queue.first)",
      "  not open here: unpause",
    ])
      expect(out).toContain(line);
    expect(zany(["table", "examples/kite-volleys.zany", "--state", "Flyer"]).out).toMatch(/KitesLeft +undecided/);
    expect(zany(["table", DUEL, "--state", "Nope"])).toMatchObject({
      code: 2,
      err: expect.stringContaining('There is no state "Nope"'),
    });
    const [head, ...rows] = zany(["table", DUEL, "--csv"]).out.split("\r\n");
    expect(head).toBe("state,within,turn,slash,brace,mend,cutLoose,pause,unpause,Left,Struck,conditions,time");
    expect(rows[0]).toContain('"-> Judge [needs kites[me].tape > 0, else ""no tape left""]"');
    expect(
      JSON.parse(zany(["table", "examples/ferry-journey.zany", "--json"]).out).rows.find(
        (r: { state: string }) => r.state === "Ours",
      ).cells[6][0].words,
    ).toBe("-> Away 60% or Theirs 40%");
  });

  test("outline and diagram: one line each; SVG and DOT from the same source, folded where asked", () => {
    expect(zany(["outline", DUEL]).out).toMatch(
      /^ 36 {2}state Lap\n 45 {4}state Turn turn of queue\.first\n 49 {6}action slash \(target: seat\)$/m,
    );
    const svg = zany(["diagram", DUEL]).out;
    expect(svg).toMatch(/^<svg xmlns="http:\/\/www.w3.org\/2000\/svg"[\s\S]*<\/svg>\n$/);
    for (const words of [">Judge<", ">slash, brace, mend<", ">wins winner, loses others<"])
      expect(svg).toContain(words);
    expect(zany(["diagram", DUEL, "--fold", "Lap"]).out).not.toContain(">Judge<");
    expect(zany(["diagram", DUEL, "--out", join(folder, "no/such.svg")])).toMatchObject({
      code: 2,
      err: expect.stringMatching(/^zany: Cannot write ".*": there is no such folder\.\n$/),
    });
    expect(zany(["diagram", DUEL, "--dot"]).out).toContain('subgraph "cluster Lap" {');
    expect(zany(["diagram", DUEL, "--fold", "Turn"])).toMatchObject({
      code: 2,
      err: 'zany: "Turn" has no inner states to fold.\n',
    });
  });

  test("format: in place, or only says so; a formatted file stays as it is", () => {
    expect(zany(["format", "--check", DUEL, "examples/stall-siege.zany"])).toMatchObject({
      code: 0,
      out: "2 files well formatted\n",
    });
    const messy = file("messy.zany", text.replaceAll("\n  ", "\n").replace("lap += 1", "lap+=1"));
    expect(zany(["format", "--check", messy])).toMatchObject({ code: 1, out: `would change  ${messy}\n` });
    expect(zany(["format", messy]).code).toBe(0);
    expect(readFileSync(messy, "utf8")).toBe(text);
  });

  test("test: tells the story of a failing test", () => {
    const failing = file("failing.zany", text.replace("north wins, south loses", "south wins"));
    const result = zany(["test", failing]);
    expect(result.code).toBe(1);
    expect(result.out).toMatch(
      /FAIL {2}both are tired[\s\S]*"north slashes south for 13"[\s\S]*expected: south: win\n\s+actual: {3}south: loss[\s\S]*1 test passed, 1 failed/,
    );
    expect(zany(["test", DUEL, "--only", "ten days"]).out).toBe(
      "pass  nobody plays for ten days\n1 test passed, 0 failed\n",
    );
  });

  test("play: the notation of tests, refusals in words, lines taken back, a test and a logbook that hold", () => {
    const log = join(folder, "played.jsonl");
    const tests = file("with-tests.zany", text);
    const played = zany(["play", DUEL, "--seed", "tide", "--given", "kites.south.lift=15", "--save", log], {
      input: [
        "slash(north)",
        "9",
        "fly",
        "slsh",
        "slash target=south dice 6",
        "mend 3",
        "south brace",
        "brace",
        "undo",
        "slash(south) dice 6",
        "test short",
        'test "from lift to lap"',
        `/test "a short one" to ${tests}`,
        "1",
        "leave",
      ].join("\n"),
    });
    expect(played.code).toBe(0);
    for (const line of [
      '"target" of "slash" cannot be north: that is your own kite. (badArgument)',
      "There is no number 9; they go from 1 to 5.",
      'There is no action "fly" here. ? lists what can be typed.',
      'There is no action "slsh" here. Did you mean "slash"?',
      "Arguments stand in brackets, as in a test: slash(target).",
      '"mend" takes no arguments; behind it only dice can stand, as in "mend dice 6".',
      "It is north's turn. (notYourTurn)",
      "kites.north.braced no -> yes",
      "taken back: the match is at step 0 again",
      "north slashes south for 13",
      "kites.south.lift 15 -> 2   queue north, south -> south",
      'The words stand in quotes: test "a gust", test "a gust" to FILE.',
      'test "from lift to lap" {',
      `The test stands at the end of ${tests}.`,
      "south> 1\n  dice",
      "ending Flown (winner: north)",
    ])
      expect(played.out).toContain(line);
    // What has not changed is not printed again.
    expect(played.out.match(/pull {4}/g)).toHaveLength(2);
    expect(zany(["test", tests, "--only", "a short one"])).toMatchObject({ code: 0 });
    expect(zany(["verify", log, "--machine", DUEL])).toMatchObject({
      code: 0,
      out: expect.stringMatching(/^verified .* 3 steps\n/),
    });
    expect(zany(["replay", log, "--step", "1"]).out).toContain("change   /data/kites/south/lift = 2");
  });

  test("play: a state to begin in, events, time, bots, watched data; it says what it waits for", () => {
    const volleys = ["play", "examples/kite-volleys.zany", "--seed", "x", "--given", "state=Volley"];
    const played = zany(
      [
        ...volleys,
        "--given",
        "state.pattern=wall",
        "--given",
        "tears=3",
        "--watch",
        "Volley.left",
        "--bot",
        "flyer=hauler",
      ],
      {
        input:
          "event KiteStruck\nwait 5x\nwait 5s\nKitesLeft\nevent KitesLeft(two)\nevent KitesLeft\n0\nlook tears\nq\n",
      },
    );
    expect(played.code).toBe(0);
    for (const line of [
      "It waits for the game's event KiteStruck or KitesLeft(left: int).",
      "nobody (Enter: let it go on)> event KiteStruck",
      "tears 3 -> 4",
      "signal KiteStruck from 37:7: heard by Volley (70:3)",
      '"5x" is no time',
      "in 15s it goes on in Flyer",
      '"KitesLeft" is an event of the game: event KitesLeft.',
      'There is no value "two".',
      "watch Volley.left = 3",
      "signal KitesLeft(0) from 38:7: heard by Volley (71:3)",
      "flyer (hauler): patch",
      "tears      4 of 12",
    ])
      expect(played.out).toContain(line);
    const alone = zany(["play", "examples/kite-volleys.zany", "--seed", "x", "--events", "--bot", "flyer=random"]);
    expect(alone.out).toMatch(/the game: event Kite[\s\S]*ending \w+/);
    const siege = zany(["play", "examples/market-siege.zany", "--seed", "b"], {
      input: "select\nwalk(cell(3, 3))\nwalk(cell(3, 2))\nhold\nq\n",
    });
    for (const line of [
      "crews         owner  kind    place  nerve  done",
      '"goal" of "walk" cannot be 3,3',
      "crews[0].place 1,2 -> 3,2   Walked.crew 0   Walked.from 1,2",
      "turn: blues",
    ])
      expect(siege.out).toContain(line);
    expect(Math.max(...siege.out.split("\n").map((line) => line.length))).toBeLessThanOrEqual(100);
    expect(zany(["play", DUEL, "--bot", "south=carefull"])).toMatchObject({
      code: 2,
      err: expect.stringContaining('Did you mean "careful"?'),
    });
    expect(zany(["play", DUEL, "--given", "state=Trun"])).toMatchObject({
      code: 2,
      err: expect.stringContaining("Trun"),
    });
  });

  test("folders, standard input, other line ends, bytes that are no text, a full device, reports, completions", () => {
    const duel = readFileSync(join(ROOT, DUEL), "utf8");
    expect(zany(["check", "examples"])).toMatchObject({ code: 0, out: expect.not.stringContaining("foes.zany") });
    expect(zany(["check", "-"], { input: duel.replaceAll("\n", "\r\n") })).toMatchObject({
      code: 0,
      out: expect.stringMatching(/^-: no problems found in KiteDuel/),
    });
    expect(zany(["format", "-"], { input: duel })).toMatchObject({ code: 0, out: duel });
    const bytes = join(folder, "bytes.zany");
    writeFileSync(bytes, Buffer.concat([Buffer.from("machine M\n// "), Buffer.from([0xff, 0xfe]), Buffer.from("\n")]));
    expect(zany(["check", bytes])).toMatchObject({ code: 2, err: expect.stringContaining("from line 2 on") });
    const full = spawnSync("sh", ["-c", `${process.execPath} ${ZANY} check examples > /dev/full`], {
      cwd: ROOT,
      encoding: "utf8",
    });
    expect(full).toMatchObject({ status: 2, stderr: "zany: Cannot write the output: the device is full.\n" });

    const report = join(folder, "report.xml");
    const broken = file("broken.zany", `${duel.replace("-> Judge", "-> Jugde")}\ntest "<&" { expect ending Flown }\n`);
    expect(zany(["check", broken, "--junit", report]).code).toBe(1);
    expect(readFileSync(report, "utf8")).toMatch(/failures="1"[\s\S]*unknown-state at \d+:\d+" classname=/);
    const failing = file("failing.zany", `${duel}\ntest "<&" { expect ending Flown }\n`);
    expect(zany(["test", failing, broken, "--junit", report]).code).toBe(1);
    const written = readFileSync(report, "utf8");
    expect(written).toContain('<testsuites name="zany test" tests="4" failures="2">');
    expect(written).toMatch(
      /name="&lt;&amp;"[^>]*>\n\s+<failure message="expected: ending Flown; actual: the match is/,
    );
    const logs = ["examples/logbooks/kite-duel-06.jsonl", "examples/logbooks/kite-duel-07.jsonl"];
    expect(zany(["verify", ...logs, "--machine", DUEL, "--junit", report]).code).toBe(1);
    expect(readFileSync(report, "utf8")).toContain('<testsuites name="zany verify" tests="2" failures="1">');
    expect(JSON.parse(zany(["check", DUEL, "--json"]).out)[0]).toMatchObject({ ok: true, givenUp: false });

    const bash = `${zany(["completions", "bash"]).out}
COMP_WORDS=(zany match ne); COMP_CWORD=2; _zany; echo "\${COMPREPLY[*]}"
COMP_WORDS=(zany check --st); COMP_CWORD=2; _zany; echo "\${COMPREPLY[*]}"`;
    expect(spawnSync("bash", ["-c", bash], { cwd: folder, encoding: "utf8" }).stdout).toBe("new\n--strict\n");
    for (const shell of ["zsh", "fish"]) expect(zany(["completions", shell]).out).toContain("simulate");
    expect(zany(["help", "verify"]).out).toContain("Usage: zany verify");
    const colours = (env: Record<string, string>): string =>
      spawnSync("script", ["-qec", `${process.execPath} ${ZANY} test ${DUEL}`, "/dev/null"], {
        cwd: ROOT,
        encoding: "utf8",
        env: { ...process.env, TERM: "xterm", ...env },
      }).stdout;
    expect(colours({ NO_COLOR: "" })).toContain("\u001b[32m");
    expect(colours({ NO_COLOR: "1" })).not.toContain("\u001b[32m");
  });

  test("play, in a terminal: a cell is picked on the board with arrow keys", () => {
    const keys = ["sail\\r", "\\033[B", "\\033[C", "\\r", "q\\r"].map((key) => `sleep 0.6; printf '${key}'`).join("; ");
    const { stdout } = spawnSync(
      "sh",
      [
        "-c",
        `(sleep 1; ${keys}; sleep 0.6) | script -qec "${process.execPath} ${ZANY} play examples/ferry-journey.zany --seed a" /dev/null`,
      ],
      { cwd: ROOT, encoding: "utf8", env: { ...process.env, TERM: "xterm" } },
    );
    expect(stdout).toContain("arrow keys and Enter, or type x,y:");
    expect(stdout).toMatch(/place 1,4/);
  });

  test("verify and replay: name the first step that diverges", () => {
    const logs = ["examples/logbooks/kite-duel-06.jsonl", "examples/logbooks/kite-duel-07.jsonl"];
    const verified = zany(["verify", ...logs, "--machine", DUEL]);
    expect(verified.code).toBe(1);
    expect(verified.out).toContain(
      "diverged   examples/logbooks/kite-duel-07.jsonl  at step 10 (line 12): south mend, played on other rules\n             because of Turn.mend.effects (58:7)\n             /data/kites/south/lift: recorded 23, replayed 27\n",
    );
    expect(verified.out).toContain("1 logbook verified, 1 not");
    const replayed = zany(["replay", logs[1] as string, "--machine", DUEL]);
    expect([replayed.code, replayed.out.includes("diverges here")]).toEqual([1, true]);
    expect(JSON.parse(zany(["verify", ...logs, "--machine", DUEL, "--json"]).out)).toMatchObject({
      logbooks: [{ verdict: { kind: "verified" } }, { verdict: { kind: "diverged", step: 10 } }],
      groups: [{ how: "changed", rule: "Turn.mend.effects", path: "/data/kites/*/lift", example: { step: 10 } }],
    });
    // A whole folder, and standard input with logbooks one behind the other; what did it is found by trial.
    const older = "examples/older/kite-duel-1.zany";
    const all = zany(["verify", "examples/logbooks", "--machine", DUEL, "--played-on", older]);
    expect(all.out).toContain("by trial: state Lap: state Turn: action mend changed (line 56)");
    expect(all.out).toContain("11 logbooks verified, 1 not; 22 in folders are of other machines");
    // So many that all cores take part: the same is told as by one.
    const many = newFolder();
    for (let i = 0; i < 6; i++) cpSync("examples/logbooks", join(many, String(i)), { recursive: true });
    const onCores = (cores: string) =>
      zany(["verify", many, "--machine", DUEL, "--played-on", older, "--cores", cores]).out;
    expect(onCores("3")).toContain("66 logbooks verified, 6 not; 132 in folders are of other machines");
    expect(onCores("3")).toBe(onCores("1"));
    const input = logs.map((file) => readFileSync(file, "utf8")).join("");
    expect(zany(["verify", "-", "--machine", DUEL], { input }).out).toContain("diverged   -:2  at step 10");
    const differs = zany(["diff", older, DUEL, "--logbook", logs[0] as string]);
    expect(differs).toMatchObject({ code: 0, out: expect.stringContaining("+ kites[me].lift += 12") });
    expect(zany(["diff", DUEL, DUEL]).out).toContain("They mean the same");
  });

  test("why: what a step asked, decided and wrote; questions over the match; what cannot be asked is told in words", () => {
    const log = "examples/logbooks/kite-duel-01.jsonl";
    const why = (...more: string[]) => zany(["why", log, "--machine", DUEL, ...more]);
    expect(why("--step", "3").out).toContain(
      "56:23   yes Turn.mend.needs[1]  kites[me].tape > 0  (kites[north].tape = 1)",
    );
    expect(JSON.parse(why("--step", "3", "--json").out)).toMatchObject({
      format: 1,
      step: 3,
      changes: expect.any(Array),
    });
    expect(why("--when", "kites[north].lift < 20").out).toMatch(/^step \d+ +begins to hold/);
    expect(why("--open", "north mend").out).toContain("open last after step 2. Step 3 closed it: It is south's turn.");
    for (const [args, words] of [
      [["--step", "99"], "There is no step 99; the last is 19."],
      [["--of", "kite"], 'There is no datum "kite"'],
      [["--when", "kites[nroth].lift < 2"], 'Did you mean "north"?'],
      [["--open", "north mned"], "is no action of a seat"],
    ] as const) {
      const { code, err } = why(...args);
      expect([code, err]).toEqual([2, expect.stringContaining(words)]);
    }
  });

  test("vary and test --from: a match goes on otherwise; a step becomes a test behind the machine's text", () => {
    const log = "examples/logbooks/kite-duel-01.jsonl";
    const out = join(folder, "varied.jsonl");
    const bots = ["--bot", "north=careful", "--bot", "south=careful"];
    const varied = zany(["vary", log, "--machine", DUEL, "--step", "4", "--do", "south brace", ...bots, "--out", out]);
    expect(varied.out).toMatch(
      /recorded {2}south slash\(north\)[\s\S]*varied {4}south brace[\s\S]*varied ends in Flown/,
    );
    expect(zany(["verify", out, "--machine", DUEL]).code).toBe(0);
    expect(zany(["vary", log, "--machine", DUEL, "--step", "4"])).toMatchObject({
      code: 2,
      err: expect.stringContaining("Say what goes otherwise"),
    });
    const machine = file("duel-with-a-test.zany", text);
    const made = zany(["test", "--from", log, "--step", "3", "--into", machine, "--words", "north mends"]);
    expect(made).toMatchObject({ code: 0, out: expect.stringContaining("north mend\n  south slash(target: north)") });
    expect(zany(["test", machine, "--only", "north mends"])).toMatchObject({
      code: 0,
      out: expect.stringContaining("1 test passed"),
    });
    expect(zany(["test"])).toMatchObject({ code: 2, err: expect.stringContaining("Name a machine") });
  });

  test("a game's own log: what its mistakes are is found at the row where they show, and clean logs are explained", () => {
    const map = "examples/herring-duel/herring.map";
    const seeds = [1, 2, 4, 5, 7, 8, 10, 11, 20, 28];
    const clean = play(seeds);
    const played = new Map(Object.keys(BUGS).map((bug) => [bug, play(seeds, bug)]));
    const all = [clean, ...played.values()].flatMap((logs, i) =>
      [...logs].map(([seed, log]) => file(`herring-${i}-${seed}.log`, log)),
    );
    const { out } = zany(["verify", ...all, "--map", map, "--json"]);
    const found = (JSON.parse(out) as { finding?: { row: number } }[]).map(({ finding }) => finding?.row ?? 0);
    expect(found.splice(0, seeds.length).every((row) => row === 0)).toBe(true);
    for (const [bug, logs] of played) {
      const rows = new Map(seeds.map((seed) => [seed, found.shift() ?? 0]));
      const shows = seeds.filter((seed) => rows.get(seed) !== 0);
      const first = (seed: number): number => firstDifferent(clean.get(seed) ?? "", logs.get(seed) ?? "");
      expect(shows.length, bug).toBeGreaterThan(0);
      // What differs first may still be a match by the rules; it never shows before.
      expect(
        shows.filter((seed) => (rows.get(seed) ?? 0) < first(seed)),
        bug,
      ).toEqual([]);
      if (!LEGAL_AT_FIRST.includes(bug)) expect([...rows], bug).toEqual(seeds.map((seed) => [seed, first(seed)]));
    }
  });

  test("a game's own log: as a logbook, of a folder's name, with a map that is wrong, and a first map", () => {
    const map = "examples/herring-duel/herring.map";
    const log = "examples/herring-duel/logs/01.log";
    const book = join(folder, "herring.jsonl");
    const duel = "examples/herring-duel/herring-duel.zany";
    expect(zany(["verify", log, "--map", map, "--book", book]).code).toBe(0);
    expect(zany(["verify", book, "--machine", duel]).out).toContain("1 logbook verified, 0 not");
    expect(zany(["verify", log, "--map", map, "--book", join(folder, "no/where")]).err).toContain("no such folder");
    expect(zany(["verify", log, log, "--map", map, "--book", book]).err).toContain("--book names a folder");
    expect(zany(["verify", log]).err).toContain("--machine FILE");
    expect(zany(["check", map]).out).toContain("no problems found in HerringLog: 6 rows");
    const wrong = file("wrong.map", 'map A for HerringDuel\nrow .ev "throw" -> .p thrwo(.fish)\n');
    expect(zany(["check", wrong]).err).toContain("does not name its machine");
    const named = zany(["verify", log, "--map", wrong, "--machine", duel]);
    expect([named.code, named.err]).toEqual([1, expect.stringContaining('Did you mean "throw"')]);
    const proposed = zany(["map", "--sample", log, "--machine", duel]);
    expect(proposed.out).toContain('row .ev "throw" -> .p throw(.fish)');
  });

  test("a reader that stops early gets no stack trace", () => {
    const { stderr, stdout } = spawnSync(
      "sh",
      ["-c", `${process.execPath} ${ZANY} replay examples/logbooks/kite-duel-01.jsonl | head -1`],
      { cwd: ROOT, encoding: "utf8" },
    );
    expect([stdout.split("\n").length, stderr]).toEqual([2, ""]);
  });

  test("used wrongly: 2, what is wrong, and a hint; help has an example for every command", () => {
    expect(zany(["chekc"])).toMatchObject({ code: 2, err: expect.stringContaining("Did you mean check?") });
    expect(zany(["verify", "x.jsonl"])).toMatchObject({ code: 2, err: expect.stringContaining("--machine") });
    for (const command of [
      "check",
      "format",
      "test",
      "play",
      "replay",
      "verify",
      "simulate",
      "serve",
      "upload",
      ...["new", "list", "show", "act", "event", "wait", "join", "leave", "bot", "watch", "logbook", "why"].map(
        (c) => `match ${c}`,
      ),
    ]) {
      expect(zany([...command.split(" "), "--help"]), command).toMatchObject({
        code: 0,
        out: expect.stringContaining(`$ zany ${command}`),
      });
    }
    expect(zany(["--help"]).out).toContain("Exit codes");
  });
});

describe("with a service", () => {
  let service: Running;
  beforeAll(async () => {
    service = await startService(newFolder());
  });
  afterAll(() => service.stop());
  const at = (args: readonly string[]) => zany(args, { env: { ZANY_SERVICE: service.address } });

  test("verify --stored: the logbooks that a service keeps, all of a machine or those that are named", () => {
    const logbook = "examples/logbooks/kite-duel-01.jsonl";
    const { id } = JSON.parse(at(["upload", logbook, "--json"]).out) as { id: string };
    const verified = at(["verify", "--stored", "--machine", DUEL]);
    expect(verified).toMatchObject({ code: 0, out: expect.stringContaining(`verified   ${id} `) });
    expect(at(["verify", "--stored", id, "--machine", DUEL]).out).toContain("1 logbook verified, 0 not");
    expect(at(["verify", "--stored", "nothing", "--machine", DUEL]).err).toContain('no logbook "nothing"');
  });

  test("upload, new, show, act, watch, list, logbook", () => {
    expect(at(["upload", DUEL]).out).toMatch(/^KiteDuel@1 is stored as [0-9a-f]{12}\.\n$/);
    const bad = file("worse.zany", text.replace("-> Judge", "-> Jugde"));
    expect(at(["upload", bad])).toMatchObject({
      code: 1,
      out: expect.stringContaining("worse.zany:52:10 error unknown-state"),
    });
    const { id } = JSON.parse(at(["match", "new", "KiteDuel", "--given", "kites.north.pace=20", "--json"]).out) as {
      id: string;
    };
    expect(at(["match", "show", id, "--seat", "north"]).out).toContain("turn: north");
    expect(at(["match", "act", id, "south", "brace"])).toMatchObject({
      code: 1,
      out: "It is north's turn. (notYourTurn)\n",
    });
    expect(at(["match", "act", id, "north", "slash", "target=south"])).toMatchObject({
      code: 0,
      out: expect.stringContaining("step 1"),
    });
    expect(at(["match", "act", id, "south", "cutLoose"]).code).toBe(0);
    expect(at(["match", "watch", id]).out).toContain("ending Flown (winner: north)");
    expect(at(["match", "list"]).out).toMatch(new RegExp(`^${id}  KiteDuel@1 .*Flown: north win, south loss`));
    const log = join(folder, "hosted.jsonl");
    expect(at(["match", "logbook", id, "--out", log]).code).toBe(0);
    expect(at(["verify", log, "--machine", DUEL]).code).toBe(0);
    expect(at(["upload", log]).out).toMatch(/KiteDuel, 2 steps/);
    const lines = (out: string): string[] => out.split("\n").slice(1);
    const why = at(["match", "why", id, "--step", "1", "--of", "kites.south.lift"]);
    expect(lines(why.out)).toEqual(
      lines(at(["why", log, "--machine", DUEL, "--step", "1", "--of", "kites.south.lift"]).out),
    );
    expect(why.out).toContain("kites.south.lift 40 -> ");
    expect(at(["match", "why", id, "--step", "9"])).toMatchObject({ code: 2, err: expect.stringContaining("step 9") });
  });

  test("the game's part, seats that come and go, bots, and a machine of several files", () => {
    expect(at(["upload", "examples/ferry-journey.zany"]).out).toMatch(/^FerryJourney@1 is stored/);
    expect(at(["upload", "examples/kite-volleys.zany"]).code).toBe(0);
    expect(at(["upload", "examples/lantern-trails.zany"]).code).toBe(0);
    const begun = (...args: string[]) => (JSON.parse(at(["match", "new", ...args, "--json"]).out) as { id: string }).id;
    const volley = begun("KiteVolleys", "--manual-clock", "--given", "state=Volley", "--given", "state.pattern=cross");
    expect(at(["match", "event", volley, "KitesLeft", "left=2"]).out).toContain("left 2 of 20");
    expect(at(["match", "wait", volley, "5s"]).out).toContain("in 15s it goes on in Flyer");
    expect(at(["match", "wait", volley]).out).toContain("turn: flyer");
    expect(at(["match", "event", volley, "KitesRight"])).toMatchObject({
      code: 1,
      out: expect.stringContaining("unknownEvent"),
    });
    expect(at(["match", "wait", volley, "soon"])).toMatchObject({
      code: 2,
      err: expect.stringContaining("is no time"),
    });
    const trails = begun("LanternTrails", "--seats", "3", "--open", "runner3");
    expect(at(["match", "join", trails, "runner3"]).out).toContain("runner3");
    expect(at(["match", "bot", trails, "runner1", "wide"]).code).toBe(0);
    expect(at(["match", "bot", trails, "runner1"]).code).toBe(0);
    expect(at(["match", "leave", trails, "runner2"]).code).toBe(0);
    expect(at(["match", "leave", trails, "runner3"]).out).toContain("ending Last");
  });

  /** Runs commands on a computer that nobody has used yet: the code, and all that is printed. */
  const onComputer = () => {
    const env = { ZANY_SERVICE: service.address, XDG_STATE_HOME: newFolder(), NO_COLOR: "1" };
    return (args: string[]): string => {
      const { code, out, err } = zany(args, { env });
      return `${code} ${out}${err}`;
    };
  };

  test("people: who one is, the lobby, invitations and links, from two computers", () => {
    at(["upload", DUEL]);
    const [mira, olle] = [onComputer(), onComputer()];
    expect(mira(["person", "new", "Mira", "--handle", "mira"])).toContain("You are Mira");
    expect(olle(["person", "new", "Olle", "--handle", "mira"])).toMatch(/^2 .*called "mira" here/);
    expect(olle(["person", "new", "Olle", "--handle", "olle"])).toContain("Others invite you as: olle");
    // Whoever is there.
    const [, waiting = ""] = /You wait as north in match (\w+)/.exec(mira(["lobby", "play", "KiteDuel"])) ?? [];
    expect(olle(["lobby", "list"])).toMatch(
      new RegExp(`${waiting} +KiteDuel@\\d+ +open: south +\\(north Mira, south\\)`),
    );
    expect(olle(["lobby", "play", "KiteDuel"])).toContain(`You are south in match ${waiting}`);
    // Somebody by their handle.
    const begun = mira(["match", "new", "KiteDuel", "--person", "north=mira", "--person", "south=olle", "--seed", "a"]);
    const [, id = ""] = /Match (\w+) has begun/.exec(begun) ?? [];
    expect(olle(["match", "mine", "--filter", "invitations"])).toContain(`${id}  KiteDuel`);
    expect(olle(["match", "join", id, "south"])).toMatch(/^0 /);
    const turns = [mira, olle].map((who) => who(["match", "mine", "--filter", "my-turn"]).includes(id));
    expect(turns.filter(Boolean)).toHaveLength(1);
    const [first, seat] = turns[0] ? [mira, "north"] : [olle, "south"];
    expect(first(["match", "act", id, seat, "brace"])).toMatch(/^0 /);
    // Whoever has the link, with nothing else.
    const linked = mira(["match", "new", "KiteDuel", "--person", "north=mira", "--link", "south"]);
    const [link = ""] = /http:\S+#\S+/.exec(linked) ?? [];
    expect(zany(["match", "take", link, "--name", "A guest"], { env: { XDG_STATE_HOME: newFolder() } }).out).toContain(
      "You are south",
    );
    expect(olle(["match", "take", link])).toMatch(/^2 .*used, replaced or withdrawn/);
    expect(mira(["keys"])).toMatch(/which only you may read:\n {2}you are mira at http/);
    expect(mira(["person", "show"])).toMatch(/Mira \(mira\), a person\n {2}[0-9a-f]{16} {2}zany .* this one/);
  });

  test("people: a seat of a link becomes somebody's, on all their devices; who they are and have played with", () => {
    at(["upload", DUEL]);
    const [runa, sten, phone] = [onComputer(), onComputer(), onComputer()];
    runa(["person", "new", "Runa", "--handle", "runa"]);
    sten(["person", "new", "Sten", "--handle", "sten"]);
    const seats = ["--person", "north=runa", "--link", "south"];
    const begun = runa(["match", "new", "KiteDuel", ...seats, "--host-key"]);
    const [id, link] = [/Match (\w+) has/, /(http:\S+#\S+)/].map((of) => of.exec(begun)?.[1] ?? "") as [string, string];
    expect(sten(["match", "take", link])).toContain("You are south");
    expect(sten(["match", "claim", id, "south"])).toMatch(/^0 south in match \w+ is yours/);
    // Who began it has asked for the host's key, which all seats see.
    expect(runa(["match", "bot", id, "south", "careful"])).toMatch(/^0 /);
    const [, key = ""] = /told this once: (\S+)/.exec(sten(["person", "key", "phone"])) ?? [];
    expect(phone(["match", "mine"])).toMatch(/^2 .*You are nobody/);
    expect(phone(["match", "mine", "--key", key])).toContain(id);
    expect(phone(["person", "keep", "nonsense"])).toMatch(/^2 /);
    expect(phone(["person", "keep", key])).toContain("You are Sten (sten) here from now on.");
    expect(phone(["match", "mine"])).toContain(id);
    expect(phone(["person", "show", "runa"])).toBe("0 Runa (runa)\n");
    expect(phone(["person", "list", "--played-with"])).toMatch(/^0 runa +Runa\n$/);
    expect(phone(["person", "list"])).toMatch(
      /^2 .*admin's key is needed: --key KEY.* zany person list --played-with/s,
    );
  });

  test("keys are kept by several commands at once, and a damaged file is set aside, not written over", async () => {
    at(["upload", DUEL]);
    const state = newFolder();
    const env = { ZANY_SERVICE: service.address, XDG_STATE_HOME: state };
    const begin = (): Promise<string> =>
      new Promise((resolve) => {
        const args = [ZANY, "match", "new", "KiteDuel", "--given", "kites.north.pace=20"];
        const child = spawn(process.execPath, args, { env: { ...process.env, ...env } });
        child.stdout.once("data", (text: Buffer) => resolve(/Match (\S+) has/.exec(text.toString())?.[1] ?? ""));
      });
    const ids = await Promise.all(Array.from({ length: 4 }, begin));
    for (const id of ids) expect(zany(["match", "act", id, "north", "brace"], { env }).code).toBe(0);
    const keys = join(state, "zany", "keys.json");
    const before = '{"m1": {"north": 7}}';
    writeFileSync(keys, before);
    expect(zany(["match", "act", "m1", "north", "brace"], { env })).toMatchObject({
      code: 2,
      err: expect.stringContaining("is damaged. Move it away."),
    });
    const { code, err } = zany(["match", "new", "KiteDuel"], { env });
    expect([code, err]).toEqual([0, expect.stringContaining("keys.json.damaged")]);
    expect(readFileSync(`${keys}.damaged`, "utf8")).toBe(before);
    // Where nothing can be kept, they are printed.
    const nowhere = { ...env, XDG_STATE_HOME: file("a-file", "") };
    expect(zany(["match", "new", "KiteDuel"], { env: nowhere }).err).toMatch(/Write them down: north \S+, south \S+/);
  });

  test("a service that is not there, and a port that is taken, are named", () => {
    expect(zany(["match", "list", "--service", "http://127.0.0.1:9"])).toMatchObject({
      code: 2,
      err: expect.stringContaining("No service answers at http://127.0.0.1:9"),
    });
    const port = new URL(service.address).port;
    expect(zany(["serve", "--port", port, "--data", newFolder()])).toMatchObject({
      code: 2,
      err: expect.stringContaining(`Port ${port} on 127.0.0.1 is taken`),
    });
  });
});
