/** Logbooks: what was played verifies; what was changed is told apart from rules that have changed. */

import {
  begin,
  canonicalJson,
  causeOf,
  format,
  isWritten,
  type Input,
  LogbookWriter,
  NotALogbook,
  noteInWords,
  RandomPlayer,
  readLogbook,
  Replayer,
  run,
  type Runnable,
  seenLine,
  sha256Hex,
  splitLines,
  step,
  type Taken,
  turnOf,
  verifyText,
} from "@zany/core";
import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { CLOCKED, EXAMPLES, example, exampleText, runnableOf } from "./examples.js";
import { Chance } from "./generated-machines.js";
import { mutated, mutatedText } from "./rubbish.js";

/** Plays a match with a random player and gives its logbook. */
function played(runnable: Runnable, seed: string, pause = 0): string {
  const options = { seed, now: Date.parse("2026-06-01T10:00:00Z") };
  const { taken } = begin(runnable, options);
  if (!taken) throw new Error("does not begin");
  let text = "";
  const writer = new LogbookWriter(runnable, options, taken, (line) => {
    text += line;
  });
  const player = new RandomPlayer(runnable, seed, { avoid: ["cutLoose"] });
  let time = options.now;
  const next = (moment: {
    situation: typeof taken.situation;
    turn: readonly string[];
    step: number;
  }): Input | undefined => {
    time += pause;
    const [seat] = moment.turn;
    const input = seat === undefined ? undefined : player.choose(moment.situation, seat);
    return input && { ...input, time };
  };
  const result = run(runnable, taken.situation, next, (step) => writer.add(step));
  // An input that came too late is refused after the timers before it: the logbook holds those.
  if (result.refusal && result.refusal.code !== "matchOver" && pause === 0) throw new Error(result.refusal.words);
  writer.close();
  return text;
}

const duel = example("kite-duel.zany");
const LOG = played(duel, "one");
const LINES = splitLines(LOG);
const joined = (lines: readonly string[]): string => lines.map((l) => `${l}\n`).join("");

describe("verify", () => {
  test("what was played goes the same way again", () => {
    expect(verifyText(duel, LOG)).toEqual({ kind: "verified", steps: LINES.length - 3, otherRules: false });
  });

  test("a changed value is tampering, and the first step that does not fit is named", () => {
    const at = LINES.findIndex((l) => l.includes('"action":"slash"'));
    const changed = LINES.map((l, i) =>
      i === at ? l.replace(/"value":(\d)/, (_, n) => `"value":${(Number(n) % 6) + 1}`) : l,
    );
    expect(verifyText(duel, joined(changed))).toMatchObject({ kind: "tampered", line: at + 1 });
  });

  test("a removed line is tampering, swapped lines are reordering", () => {
    expect(verifyText(duel, joined([...LINES.slice(0, 3), ...LINES.slice(4)]))).toMatchObject({
      kind: "tampered",
      line: 4,
    });
    const [a, b] = [LINES[3] as string, LINES[4] as string];
    expect(verifyText(duel, joined([...LINES.slice(0, 3), b, a, ...LINES.slice(5)]))).toMatchObject({
      kind: "reordered",
      line: 4,
      words: "step 3 stands where step 2 belongs",
    });
  });

  test("a file that ends too early is truncated, within a line too", () => {
    expect(verifyText(duel, joined(LINES.slice(0, -1)))).toMatchObject({
      kind: "truncated",
      words: expect.stringContaining("closing line is missing"),
    });
    expect(verifyText(duel, LOG.slice(0, LOG.indexOf('"step":3') + 20))).toMatchObject({
      kind: "truncated",
      words: expect.stringContaining("cut off"),
    });
  });

  test("what is no logbook, or of another machine or format, is foreign", () => {
    for (const text of ["", "hello", "{}", '{"zany":"logbook"}', played(example("stall-siege.zany"), "x")])
      expect(verifyText(duel, text).kind).toBe("foreign");
    expect(verifyText(duel, '{"zany":"logbook","format":99}')).toMatchObject({ kind: "otherFormat", line: 1 });
    expect(verifyText(duel, LOG.replace(/"seed":"[^"]*",/, ""))).toMatchObject({
      kind: "foreign",
      words: expect.stringMatching(/^it has no seed: it was taken for a seat or a watcher/),
    });
  });

  test("other rules are a divergence: the step, what was recorded, what was replayed, and where", () => {
    const older = example("older/kite-duel-1.zany");
    const text = played(older, "with mending");
    const first = readLogbook(text).steps.find(
      (s) => s.input.action === "mend" && s.changes.some((c) => c.path.endsWith("/lift")),
    );
    const verdict = verifyText(duel, text);
    expect(verdict).toMatchObject({ kind: "diverged", step: first?.step, otherRules: true });
    if (verdict.kind !== "diverged") return;
    const [difference] = verdict.differences;
    expect(difference?.path).toMatch(/^\/data\/kites\/(north|south)\/lift$/);
    expect(difference?.replayed).toBeGreaterThan(difference?.recorded as number);
  });

  test("a changed action that is not allowed any more is named with its refusal", () => {
    const stricter = runnableOf(
      exampleText("kite-duel.zany").replace("action brace {", 'action brace needs lap > 50 else "too early" {'),
    );
    const verdict = verifyText(stricter, LOG);
    expect(verdict).toMatchObject({
      kind: "diverged",
      differences: [{ path: "input", replayed: "refused needsFailed: Too early." }],
    });
  });
});

describe("what was refused", () => {
  const runnable = example("kite-duel.zany");
  /** A match with a random wish before every step, most of them refused. */
  const asked = (seed: string): { readonly text: string; readonly refused: number } => {
    const chance = new Chance(seed.length);
    const options = { seed, now: Date.parse("2026-06-01T10:00:00Z") };
    const first = begin(runnable, options).taken as Taken;
    let text = "";
    const writer = new LogbookWriter(runnable, options, first, (line) => void (text += line));
    const player = new RandomPlayer(runnable, seed, { avoid: ["cutLoose"] });
    let [{ situation }, refused] = [first, 0];
    while (!situation.outcome && situation.step < 30) {
      const seat = chance.of(["north", "south", "west"]);
      const action = chance.of(["mend", "slash", "brace", "unpause", "sing"]);
      const wish: Input = { kind: "action", seat, action, args: {} };
      const { refusal } = step(runnable, situation, wish);
      if (refusal && isWritten({ input: wish, refusal }))
        writer.refuse({ input: wish, refusal, after: situation.step, now: situation.now });
      refused += refusal ? 1 : 0;
      const input = turnOf(runnable, situation).flatMap((own) => player.choose(situation, own) ?? [])[0];
      if (!input) break;
      for (const taken of step(runnable, situation, input).taken) {
        writer.add(taken);
        ({ situation } = taken);
      }
    }
    writer.close();
    return { text, refused };
  };

  test("is written, read and asked again; a match without a word of it is the same", () => {
    fc.assert(
      fc.property(fc.string({ minLength: 1, maxLength: 60 }), (seed) => {
        const { text, refused } = asked(seed);
        expect(verifyText(runnable, text).kind).toBe("verified");
        const read = readLogbook(text);
        expect(read.refused.length).toBe(refused);
        expect(read.steps.map(({ step }) => step)).toEqual([...read.steps.keys()]);
        for (const line of splitLines(text).filter((each) => each.startsWith('{"refused"')))
          expect(verifyText(runnable, text.replace(`${line}\n`, "")).kind).toBe("tampered");
      }),
      { numRuns: 25 },
    );
  });

  test("and is not any more, or for another reason, is a divergence; in another place it is out of order", () => {
    const { text } = asked("refused");
    const line = readLogbook(text).refused.find(
      ({ code, refused }) => code === "notYourTurn" && refused.action === "mend",
    );
    const { after = 0, words = "" } = line ?? {};
    const freer = runnableOf(exampleText("kite-duel.zany").replaceAll("action mend", "action mend by anyone"));
    const verdict = verifyText(freer, text);
    expect(verdict).toMatchObject({ kind: "diverged", how: "accepted", otherRules: true });
    if (verdict.kind === "diverged") {
      expect(verdict.step).toBeLessThanOrEqual(after);
      expect(verdict.differences).toEqual([{ path: "refused", recorded: "notYourTurn", replayed: expect.any(String) }]);
      expect(verdict.words).toMatch(/turn/);
      expect(verdict.responsible.rule).toMatch(/^(Turn|Paused)\./);
      const { changes, complete } = causeOf(
        { "": exampleText("kite-duel.zany") },
        {
          "": exampleText("kite-duel.zany")
            .replaceAll("action mend", "action mend by anyone")
            .replace("+= 12", "+= 13"),
        },
        readLogbook(text),
        verdict,
      );
      expect([changes.map(({ name }) => name), complete]).toEqual([[expect.stringContaining("mend")], true]);
    }
    expect(words).toMatch(/turn/);
    const elsewhere = text.replace(/("refused":\{.*"after":)\d+/, "$199");
    expect(["reordered", "tampered"]).toContain(verifyText(runnable, elsewhere).kind);
    const timer = text.replace(/"refused":\{"kind":"action"/, '"refused":{"kind":"timer"');
    expect(verifyText(runnable, timer)).toMatchObject({
      kind: "tampered",
      words: expect.stringContaining("refused/kind"),
    });
  });
});

test.each(EXAMPLES)("%s: any random play verifies, with timers in between too", (name) => {
  const runnable = example(name);
  fc.assert(
    fc.property(
      fc.string({ minLength: 1 }),
      fc.constantFrom(0, ...(CLOCKED.includes(name) ? [100, 700] : [60_000, 3 * 86_400_000])),
      (seed, pause) => {
        expect(verifyText(runnable, played(runnable, seed, pause)).kind).toBe("verified");
      },
    ),
    { numRuns: 30 },
  );
});

describe("a line that was changed, in any of its members", () => {
  /** Every value inside a record, with the way to it. */
  function* leaves(value: unknown, path: readonly (string | number)[] = []): Generator<readonly (string | number)[]> {
    if (typeof value === "object" && value !== null)
      for (const [key, inner] of Object.entries(value))
        yield* leaves(inner, [...path, Array.isArray(value) ? Number(key) : key]);
    else yield path;
  }

  const other = (value: unknown): unknown =>
    typeof value === "number" ? value + 1 : typeof value === "boolean" ? !value : `${String(value)}x`;

  /** A line with one value in it changed, written as logbooks write. */
  function bent(line: string, which: number): string {
    const record = JSON.parse(line) as Record<string, unknown>;
    const paths = [...leaves(record)];
    const path = paths[which % paths.length] ?? [];
    let holder: Record<string | number, unknown> = record;
    for (const part of path.slice(0, -1)) holder = holder[part] as Record<string | number, unknown>;
    const last = path.at(-1) ?? "";
    holder[last] = other(holder[last]);
    return canonicalJson(record as never);
  }

  const logs = EXAMPLES.filter((name) => !CLOCKED.includes(name)).map((name) => {
    const runnable = example(name);
    return { name, runnable, lines: splitLines(played(runnable, `bent ${name}`)) };
  });

  test("is found, and never later than at the next digest", () => {
    fc.assert(
      fc.property(fc.nat(), fc.nat(), fc.nat(), (log, at, which) => {
        const { name, runnable, lines } = logs[log % logs.length] as (typeof logs)[number];
        const line = 1 + (at % (lines.length - 2));
        const changed = [...lines];
        changed[line] = bent(lines[line] as string, which);
        const verdict = verifyText(runnable, joined(changed));
        expect(verdict.kind, `${name} line ${line + 1}: ${changed[line]}`).not.toBe("verified");
        if (verdict.kind === "diverged") throw new Error("a change by hand was taken for other rules");
        if (verdict.kind !== "verified") expect(verdict.line).toBeLessThanOrEqual(lines.length);
      }),
      { numRuns: 150 },
    );
  });

  test("of the header: another seed or other seats are another match", () => {
    for (const { runnable, lines } of logs)
      for (const which of [0, 1, 2, 3, 4, 5, 6, 7]) {
        const changed = [bent(lines[0] as string, which), ...lines.slice(1)];
        expect(verifyText(runnable, joined(changed)).kind, changed[0]).not.toBe("verified");
      }
  });

  test("lines that stand for the same in other words are no logbook's lines", () => {
    const { runnable, lines } = logs[0] as (typeof logs)[number];
    const spaced = lines.map((line, i) => (i === 1 ? line.replace(":", ": ") : line));
    expect(verifyText(runnable, joined(spaced)).kind).not.toBe("verified");
  });
});

test("the demo's logbooks, some of every machine: all verify but two that were made with older rules", async () => {
  const { readdirSync } = await import("node:fs");
  const files = readdirSync(new URL("../../../examples/logbooks", import.meta.url)).sort();
  const machineOf = (file: string): string => file.replace(/-\d+\.jsonl$/, ".zany");
  expect([...new Set(files.map(machineOf))].sort()).toEqual([...EXAMPLES].sort());
  const diverged = files.filter((file) => {
    const { kind } = verifyText(example(machineOf(file)), exampleText(`logbooks/${file}`));
    expect(["verified", "diverged"]).toContain(kind);
    return kind === "diverged";
  });
  expect(diverged).toEqual(["kite-duel-07.jsonl", "stall-siege-04.jsonl"]);
});

describe("the rules of a machine", () => {
  const rulesOf = (text: string): string => runnableOf(text).rules;

  test("stay the same under another layout, other comments, tests, policies and ways to write a number", () => {
    for (const name of EXAMPLES) {
      const text = exampleText(name);
      const rules = rulesOf(text);
      const bare = text.replace(/^(test|policy) [\s\S]*?^}\n/gm, "").replace(/^\/\/.*\n/gm, "");
      const changed = [
        text.replaceAll("\n", "\r\n"),
        `\uFEFF${text}`,
        format(text.replaceAll("  ", "\t")),
        `// a word before all\n${text}\ntest "one more" { expect 1 == 1 }\n`,
        bare,
        text.replace(/\bint 0\.\.99\b/g, "int 0..0_99"),
      ];
      for (const other of changed) expect([name, rulesOf(other)]).toEqual([name, rules]);
      expect(example(name).hash).not.toBe(runnableOf(changed[0] as string).hash);
    }
  });

  test("are others when anything that counts is", () => {
    const text = exampleText("kite-duel.zany");
    const rules = rulesOf(text);
    for (const [from, to] of [
      ["roll(1..6)", "roll(1..8)"],
      ["after 10d", "after 11d"],
      ["action mend", "action amend"],
      ['"No tape left."', '"No tape."'],
      ["law ", 'law "one more": lap >= 0\nlaw '],
    ] as const) {
      const other = text.replace(/^(test|policy) [\s\S]*/m, "").replace(from, to);
      if (other.includes(to)) expect([from, rulesOf(other) === rules]).toEqual([from, false]);
    }
    expect(rulesOf(text.replace("10d", "240h"))).toBe(rules);
  });

  test("decide whether a match was played on others, not the hash of the text", () => {
    const other = runnableOf(`${exampleText("kite-duel.zany")}\n// one more line\n`);
    expect(other.hash).not.toBe(duel.hash);
    expect(verifyText(other, LOG)).toMatchObject({ kind: "verified", otherRules: false });
    const header = JSON.parse(LINES[0] as string);
    const foreign = [canonicalJson({ ...header, machine: { ...header.machine, rules: "other" } }), ...LINES.slice(1)];
    expect(verifyText(other, joined(foreign))).toMatchObject({ otherRules: true });
  });
});

test("a logbook that was mutated anywhere is told what is wrong with it; nothing is thrown", () => {
  const chance = new Chance(5);
  const kinds = new Map<string, number>();
  for (let i = 0; i < 400; i++) {
    const lines = [...LINES];
    const at = chance.below(Math.min(lines.length, 8));
    const line = lines[at] as string;
    lines[at] = chance.one(4) ? mutatedText(line, chance) : JSON.stringify(mutated(JSON.parse(line), chance));
    const verdict = verifyText(duel, joined(lines));
    kinds.set(verdict.kind, (kinds.get(verdict.kind) ?? 0) + 1);
    if ("words" in verdict) expect(verdict.words).not.toMatch(/undefined|Cannot read|is not a function/);
    const read = (() => {
      try {
        return readLogbook(joined(lines));
      } catch (error) {
        expect(error).toBeInstanceOf(NotALogbook);
        return undefined;
      }
    })();
    const replayer = read && new Replayer(duel, read.header);
    for (const step of read?.steps ?? []) {
      seenLine(duel, step, "north");
      for (const note of step.notes) noteInWords(note);
      if (!replayer?.next(step).taken) break;
    }
  }
  expect([...kinds.keys()].sort()).toEqual(expect.arrayContaining(["foreign", "tampered"]));
  expect(kinds.get("verified") ?? 0).toBeLessThan(40);
});

test("the header is verified too, when the digest over the file was made anew", () => {
  const header = JSON.parse(LINES[0] as string);
  for (const [name, value] of [
    ["seats", ["east", "south"]],
    ["open", []],
    ["extra", 1],
  ] as const) {
    const changed = [JSON.stringify({ ...header, [name]: value }), ...LINES.slice(1, -1)];
    const closing = { ...JSON.parse(LINES.at(-1) as string), file: sha256Hex(joined(changed)) };
    const verdict = verifyText(duel, joined([...changed, JSON.stringify(closing)]));
    expect(verdict, name).toMatchObject({ kind: "diverged", step: 0, differences: [{ path: `/header/${name}` }] });
  }
});

describe("the format, as docs/logbook.md says", () => {
  test("canonical JSON sorts members by UTF-16 and writes numbers as ECMAScript does", () => {
    expect(
      canonicalJson({ b: [1, 1e21, -0, 0.1], a: { "\u20ac": 1, "\u{1F600}": 2, z: undefined }, A: '\u0007"' }),
    ).toBe('{"A":"\\u0007\\"","a":{"\u20ac":1,"\u{1F600}":2},"b":[1,1e+21,0,0.1]}');
  });

  test("SHA-256 gives the digests of FIPS 180-4", () => {
    expect(sha256Hex("abc")).toBe("ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
  });

  test("a draw that would favour some numbers is drawn again", () => {
    const dice = runnableOf(
      'machine D\nseats a\nstart S\nstate S {\n  turn of a\n  action wide { let x = roll(0..2999999999) note "{x}" } -> stay\n  action end -> E\n}\nending E { draws all }\n',
    );
    const notes: number[] = [];
    let left = 8;
    const first = begin(dice, { seed: "wide" }).taken?.situation;
    if (!first) throw new Error("does not begin");
    run(
      dice,
      first,
      () => (left-- > 0 ? { kind: "action", seat: "a", action: "wide" } : undefined),
      ({ happenings }) => notes.push(...happenings.notes.map((n) => Number(n.text))),
    );
    // By the same program in another language; 6 of the draws were thrown away.
    expect(notes).toEqual([
      1781508031, 736628139, 2777219845, 1089966414, 2512853672, 143354470, 1551948276, 2350734480,
    ]);
  });

  // Computed by a program of its own, in another language, from docs/logbook.md.
  test("the first rolls of a seed are these, for ever", () => {
    const dice = runnableOf(
      'machine D\nseats a\nstart S\nstate S {\n  turn of a\n  action roll6 { let x = roll(1..6) note "{x}" } -> stay\n  action big { let x = roll(1..9007199254740991) note "{x}" } -> stay\n  action real { let x = roll(0.5..1.5) note "{x}" } -> stay\n  action end -> E\n}\nending E { draws all }\n',
    );
    const first = begin(dice, { seed: "gale fair" }).taken?.situation;
    if (!first) throw new Error("does not begin");
    const notes: string[] = [];
    const inputs = [..."666666bbrr"].map(
      (c): Input => ({ kind: "action", seat: "a", action: c === "6" ? "roll6" : c === "b" ? "big" : "real" }),
    );
    run(
      dice,
      first,
      () => inputs.shift(),
      ({ happenings }) => notes.push(...happenings.notes.map((n) => n.text)),
    );
    expect([...first.dice.counters]).toEqual([0]);
    expect(notes).toEqual([
      "1",
      "3",
      "1",
      "3",
      "4",
      "4",
      "110525992705895",
      "8090729246369809",
      "0.9669193000639377",
      "1.1615069156341198",
    ]);
  });
});
