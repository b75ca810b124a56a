/**
 * Verifying logbooks: what it costs against reading their lines and digesting them, and against writing them; how many
 * bytes are in memory for one of 1,000 and one of 1,000,000 steps; what a trace of a step costs; two cores against one.
 */

import { execFile } from "node:child_process";
import { createHash } from "node:crypto";
import { linkSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { promisify } from "node:util";
import { setFlagsFromString } from "node:v8";
import { runInNewContext } from "node:vm";
import {
  begin,
  compile,
  LogbookWriter,
  makeBot,
  type Input,
  Runnable,
  run,
  splitLines,
  traceStep,
  turnOf,
  verify,
  verifyText,
} from "@zany/core";

const MATCHES = 200;
const ROUNDS = 5;
const PAIRED = 40;
const WARMING = 10;

const { machine } = compile(readFileSync("examples/kite-duel.zany", "utf8"), "kite-duel.zany");
const duel = new Runnable(machine);

/** Plays a match and writes it down. @returns the text, and how many steps it has */
function written(seed: string): { readonly text: string; readonly steps: number } {
  const how = { seed, now: 0 };
  const { taken } = begin(duel, how);
  if (!taken) throw new Error("it does not begin");
  const bots = new Map(["north", "south"].map((seat) => [seat, makeBot(duel, "careful", `${seed} ${seat}`)]));
  let text = "";
  let steps = 0;
  const writer = new LogbookWriter(duel, how, taken, (line) => (text += line));
  run(
    duel,
    taken.situation,
    ({ situation, turn }): Input | undefined => {
      for (const seat of turn) {
        const input = bots.get(seat)?.choose(situation, seat);
        if (input) return input;
      }
      return undefined;
    },
    (step) => {
      steps++;
      writer.add(step);
    },
  );
  writer.close();
  return { text, steps };
}

function best(rounds: number, work: () => void): number {
  let least = Number.POSITIVE_INFINITY;
  for (let i = 0; i < rounds; i++) {
    const start = performance.now();
    work();
    least = Math.min(least, performance.now() - start);
  }
  return least;
}

function median(values: readonly number[]): number {
  return [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] ?? 0;
}

const matches = Array.from({ length: MATCHES }, (_, i) => written(`verify ${i}`));
const steps = matches.reduce((sum, match) => sum + match.steps, 0);
const write = (): void => {
  for (let i = 0; i < MATCHES; i++) written(`verify ${i}`);
};
const read = (): void => {
  for (const { text } of matches) {
    const digest = createHash("sha256");
    for (const line of splitLines(text)) {
      JSON.parse(line);
      digest.update(line);
    }
    digest.digest("hex");
  }
};
const check = (): void => {
  for (const { text } of matches) if (verifyText(duel, text).kind !== "verified") throw new Error("it does not verify");
};
// In turn, since the machine may be busy with other things for a while; the first rounds warm up.
const rounds = Array.from({ length: PAIRED }, () => ({
  reading: best(1, read),
  verifying: best(1, check),
  writing: best(1, write),
})).slice(WARMING);
const each = (of: (round: (typeof rounds)[number]) => number): string =>
  `${((median(rounds.map(of)) * 1_000) / steps).toFixed(1)} us a step`;
const ratio = (of: (round: (typeof rounds)[number]) => number): string => median(rounds.map(of)).toFixed(2);
console.log(
  `${MATCHES} logbooks of ${steps} steps: reading and digesting ${each((r) => r.reading)}, ` +
    `writing ${each((r) => r.writing)}`,
);
console.log(
  `verifying ${each((r) => r.verifying)}: ` +
    `${ratio((r) => r.verifying / r.reading)} of reading and digesting (3 wanted), ` +
    `${ratio((r) => r.verifying / r.writing)} of writing (1 wanted)`,
);

const first = begin(duel, { seed: "why", now: 0 }).taken?.situation;
if (first) {
  const seat = turnOf(duel, first)[0] ?? "";
  const [target = ""] = duel.machine.seats.names.filter((name) => name !== seat);
  const input: Input = { kind: "action", seat, action: "slash", args: { target } };
  const times = 2_000;
  const tracing = best(ROUNDS, () => {
    for (let i = 0; i < times; i++) traceStep(duel, first, input);
  });
  console.log(`why of a step: ${((tracing * 1_000) / times).toFixed(0)} us (100 wanted)`);
}

/** Lines of a match that goes on for ever, made one at a time. */
function* endless(count: number): Generator<string> {
  const letter = new Runnable(compile(readFileSync("examples/pass-the-letter.zany", "utf8"), "letter.zany").machine);
  const how = { seed: "long", now: 0 };
  const { taken } = begin(letter, how);
  if (!taken) throw new Error("it does not begin");
  const waiting: string[] = [];
  const writer = new LogbookWriter(letter, how, taken, (line) => waiting.push(line.slice(0, -1)));
  yield* waiting.splice(0);
  const [seat = ""] = letter.machine.seats.names;
  let { situation } = taken;
  while (situation.step < count) {
    const upTo = Math.min(count, situation.step + 1_000);
    const input: Input = { kind: "action", seat, action: "pass", args: { words: "on", receiver: seat } };
    ({ situation } = run(
      letter,
      situation,
      ({ step }) => (step < upTo ? input : undefined),
      (step) => writer.add(step),
    ));
    yield* waiting.splice(0);
  }
  writer.close();
  yield* waiting;
}

setFlagsFromString("--expose-gc");
/** Frees what nobody needs any more: what is left is in use. */
const collect = runInNewContext("gc") as () => void;
const LOOKS = 100;

async function memory(count: number): Promise<number> {
  const letter = new Runnable(compile(readFileSync("examples/pass-the-letter.zany", "utf8"), "letter.zany").machine);
  let most = 0;
  let next = 0;
  const verdict = await verify(letter, endless(count), {
    progress: (steps) => {
      if (steps < next) return;
      next = steps + count / LOOKS;
      collect();
      most = Math.max(most, process.memoryUsage().heapUsed);
    },
  });
  if (verdict.kind !== "verified") throw new Error(JSON.stringify(verdict));
  return most / 1e6;
}

async function measureMemory(): Promise<void> {
  for (const count of [1_000, 1_000_000])
    console.log(`${count} steps: at most ${(await memory(count)).toFixed(0)} MB in use`);
}

/** How many logbooks are verified on one core and on two, each time by a program of its own, and how often. */
const SHARED = 40_000;
const PROGRAMS = 5;

/**
 * Two cores against one, with what it takes to begin; and beside it what two programs that know nothing of each other
 * come to with half of the logbooks each: more than that this machine's cores do not give.
 */
async function measureCores(): Promise<void> {
  const folder = mkdtempSync(join(tmpdir(), "zany-verify-"));
  const halves = ["first", "second"].map((name) => join(folder, name));
  for (const half of halves) {
    mkdirSync(half);
    for (const [i, { text }] of matches.entries()) writeFileSync(join(half, `${i}.jsonl`), text);
    for (let i = MATCHES; i < SHARED / 2; i++)
      linkSync(join(half, `${i % MATCHES}.jsonl`), join(half, `${i % MATCHES} ${i}.jsonl`));
  }
  const timed = async (cores: string, ...shares: (readonly string[])[]): Promise<number> => {
    const start = performance.now();
    const machine = ["--machine", "examples/kite-duel.zany", "--cores", cores];
    await Promise.all(shares.map((share) => program(["dist/cli/zany.cjs", "verify", ...share, ...machine])));
    return performance.now() - start;
  };
  const rounds: { readonly one: number; readonly two: number; readonly apart: number }[] = [];
  for (let i = 0; i < PROGRAMS; i++)
    rounds.push({
      one: await timed("1", halves),
      two: await timed("2", halves),
      apart: await timed("1", ...halves.map((half) => [half])),
    });
  rmSync(folder, { recursive: true });
  const seconds = median(rounds.map(({ one }) => one / 1_000)).toFixed(1);
  const faster = median(rounds.map(({ one, two }) => one / two)).toFixed(2);
  const apart = median(rounds.map((round) => round.one / round.apart)).toFixed(2);
  console.log(
    `${SHARED} logbooks on one core: ${seconds} s; on two ${faster} times as fast (1.6 wanted), ` +
      `as two programs with half of them each ${apart} times`,
  );
}

/** Runs a program to its end. @throws when it fails */
async function program(args: readonly string[]): Promise<void> {
  await promisify(execFile)(process.execPath, args, { maxBuffer: 1e9 });
}

void measureMemory().then(measureCores);
