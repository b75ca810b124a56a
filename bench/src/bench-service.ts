/**
 * What hosting costs: durable actions a second of 40 clients in 40 matches, beside the least that keeps a row a
 * request; then many streams on one match, many open matches, many sleeping timers, and a start with all of them.
 */

import { mkdtempSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { buildSync } from "esbuild";
import { ask, type Loaded, loaded, memoryOf, type Program, processorTime, started, stopped } from "./load.js";

const CLIENTS = 40;
const ROUNDS = 5;
/** How long each is loaded in a round, in milliseconds. */
const A_ROUND = 3_000;
const STREAMS = 1_000;
const OPEN = Number(process.env["ZANY_OPEN"] ?? 10_000);
const LATE = 5_000;

const RELAY = `machine Relay
seats left, right
data { carried: int 0..1000000000  holder: seat = left  breath per seat: int 0..9 = 9 }
start Lane
state Lane {
  turn of holder
  action carry { carried += 1  holder = next(me) } -> stay
  action finish -> Home
}
ending Home { draws all }
`;

const folder = (): string => mkdtempSync(join(tmpdir(), "zany-bench-"));

function service(data: string, ...more: string[]): Promise<Program> {
  return started(
    ["dist/cli/zany.cjs", "serve", "--port", "0", "--data", data, "--log-level", "silent", ...more],
    /is at (http:\S+)/,
  );
}

const bundle = "dist/programs/bare-endpoint.mjs";
buildSync({
  entryPoints: ["bench/src/bare-endpoint.ts"],
  outfile: bundle,
  bundle: true,
  platform: "node",
  format: "esm",
  conditions: ["@zany/source"],
  external: ["@photostructure/sqlite", "express"],
});

async function json<T>(program: Program, method: string, path: string, body?: unknown, key?: string): Promise<T> {
  const answer = await ask(program.address, method, path, body, key);
  if (answer.status >= 300) throw new Error(`${path}: ${answer.status} ${answer.text}`);
  return JSON.parse(answer.text) as T;
}

interface Begun {
  readonly id: string;
  readonly keys: Readonly<Record<string, string>>;
}

const median = (numbers: readonly number[]): number => numbers.toSorted((a, b) => a - b)[numbers.length >> 1] ?? 0;
const of = (all: readonly Loaded[], what: keyof Loaded): number => median(all.map((one) => one[what]));

async function actions(): Promise<void> {
  const [ours, single, grouped] = await Promise.all([
    service(folder()),
    started([bundle, join(folder(), "bare.db"), "single"], /port (\d+)/),
    started([bundle, join(folder(), "bare.db"), "grouped"], /port (\d+)/),
  ]);
  const { hash } = await json<{ hash: string }>(ours, "POST", "/api/machines", { text: RELAY });
  const matches = await Promise.all(
    Array.from({ length: CLIENTS }, () => json<Begun>(ours, "POST", "/api/matches", { machine: hash })),
  );
  const steps = matches.map(() => 0);
  const act = async (client: number): Promise<void> => {
    const match = matches[client] as Begun;
    const step = steps[client] as number;
    const body = { action: "carry", step, request: `${client}-${step}` };
    await json(ours, "POST", `/api/matches/${match.id}/actions`, body, match.keys[step % 2 === 0 ? "left" : "right"]);
    steps[client] = step + 1;
  };
  const bare = (program: Program) => async (client: number) => {
    await json(program, "POST", `/matches/${client}/actions`, { action: "carry", step: 1, request: "one" });
  };
  const rounds: Record<"ours" | "single" | "grouped", Loaded[]> = { ours: [], single: [], grouped: [] };
  // The first round warms up.
  for (let round = 0; round <= ROUNDS; round++) {
    const took = {
      single: await loaded(single, CLIENTS, A_ROUND, bare(single)),
      ours: await loaded(ours, CLIENTS, A_ROUND, act),
      grouped: await loaded(grouped, CLIENTS, A_ROUND, bare(grouped)),
    };
    if (round > 0) for (const name of ["ours", "single", "grouped"] as const) rounds[name].push(took[name]);
  }
  for (const name of ["single", "grouped", "ours"] as const) {
    const all = rounds[name];
    console.log(
      `${name.padEnd(8)} ${of(all, "rate").toFixed(0).padStart(6)} ` +
        `a second, p99 ${of(all, "p99").toFixed(1).padStart(6)} ms, ` +
        `processor ${of(all, "processor").toFixed(0).padStart(5)} µs an action`,
    );
  }
  const ratio = (to: "single" | "grouped", what: keyof Loaded): string =>
    median(rounds.ours.map((one, i) => one[what] / (rounds[to][i] as Loaded)[what])).toFixed(2);
  console.log(
    `actions against single ${ratio("single", "rate")} (1.0 ` +
      `or more), grouped ${ratio("grouped", "rate")} (0.5 or more)`,
  );
  console.log(
    `p99 against single ${ratio("single", "p99")}; processor against grouped ${ratio("grouped", "processor")}`,
  );
  await Promise.all([stopped(ours), stopped(single), stopped(grouped)]);
}

const LETTER = `machine Letter
seats left, right
data { passed: int 0..1000000000 }
start Open
state Open {
  turn of seats
  action pass { passed += 1 } -> stay
  after 30d -> Late
}
ending Late { draws all }
`;

const SOON = LETTER.replace("machine Letter", "machine Soon").replace("after 30d", "after 20s");

/** Does something many times, so many at once; gives how long it took, in milliseconds. */
async function many(times: number, atOnce: number, act: (i: number) => Promise<unknown>): Promise<number> {
  const begun = performance.now();
  let next = 0;
  await Promise.all(
    Array.from({ length: atOnce }, async () => {
      while (next < times) await act(next++);
    }),
  );
  return performance.now() - begun;
}

const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

/** How long a step of one match takes while so many streams show it, beside a step that none shows. */
async function streams(): Promise<void> {
  const program = await service(folder());
  const { hash } = await json<{ hash: string }>(program, "POST", "/api/machines", { text: RELAY });
  const act = async ({ id, keys }: Begun, step: number): Promise<void> => {
    await json(program, "POST", `/api/matches/${id}/actions`, { action: "carry" }, keys[step % 2 ? "right" : "left"]);
  };
  const alone = await json<Begun>(program, "POST", "/api/matches", { machine: hash });
  const watched = await json<Begun>(program, "POST", "/api/matches", { machine: hash });
  let told = 0;
  const open: AbortController[] = [];
  for (let i = 0; i < STREAMS; i++) {
    const controller = new AbortController();
    open.push(controller);
    const response = await fetch(`${program.address}/api/matches/${watched.id}/stream`, { signal: controller.signal });
    void (async () => {
      for await (const piece of response.body as unknown as AsyncIterable<Uint8Array>)
        told += Buffer.from(piece).toString().split("event: step").length - 1;
    })().catch(() => {});
  }
  const times = { alone: [] as number[], watched: [] as number[] };
  const STEPS = 30;
  for (let step = 0; step < STEPS; step++) {
    for (const [name, match] of [
      ["alone", alone],
      ["watched", watched],
    ] as const) {
      const from = performance.now();
      await act(match, step);
      times[name].push(performance.now() - from);
    }
    await pause(100);
  }
  for (let waited = 0; told < STREAMS * STEPS && waited < 10_000; waited += 100) await pause(100);
  console.log(
    `${STREAMS} streams on one match: ${told} of ${STREAMS * STEPS} ` +
      `steps told; a step ${median(times.watched).toFixed(1)} ms, ` +
      `${median(times.alone).toFixed(1)} ms in a match that nobody ` +
      `watches; ${(memoryOf(program.process.pid ?? 0) / 1e6).toFixed(0)} MB`,
  );
  for (const controller of open) controller.abort();
  await stopped(program);
}

/**
 * Many open matches with a timer each: what an idle one takes, what acting costs among them, and starting with them.
 */
async function openMatches(): Promise<void> {
  const data = folder();
  let program = await service(data);
  const pid = (): number => program.process.pid ?? 0;
  const { hash } = await json<{ hash: string }>(program, "POST", "/api/machines", { text: LETTER });
  const act = async ({ id, keys }: Begun): Promise<number> => {
    const from = performance.now();
    await json(program, "POST", `/api/matches/${id}/actions`, { action: "pass" }, keys["left"]);
    return performance.now() - from;
  };
  const first = await json<Begun>(program, "POST", "/api/matches", { machine: hash });
  const acting = async (): Promise<number> => {
    const times: number[] = [];
    for (let i = 0; i < 200; i++) times.push(await act(first));
    return median(times);
  };
  await acting();
  const among = { one: await acting(), many: 0 };
  const before = memoryOf(pid());
  const took = await many(OPEN, CLIENTS, () => json(program, "POST", "/api/matches", { machine: hash }));
  const memory = memoryOf(pid()) - before;
  among.many = await acting();
  const idle = processorTime(pid());
  await pause(5_000);
  const spent = processorTime(pid()) - idle;
  console.log(
    `${OPEN} open matches, a timer each: ${(memory / OPEN / 1000).toFixed(1)} ` +
      `kB each, begun ${((OPEN / took) * 1000).toFixed(0)} a second; ` +
      `acting among them ${(among.many / among.one).toFixed(2)} of acting ` +
      `alone; ${(spent / 50).toFixed(1)}% of a processor while nothing happens`,
  );
  await stopped(program);
  const times: number[] = [];
  for (let round = 0; round < 3; round++) {
    const from = performance.now();
    program = await service(data);
    await json(program, "GET", `/api/matches/${first.id}`, undefined, first.keys["left"]);
    times.push(performance.now() - from);
    await stopped(program);
  }
  const empty: number[] = [];
  for (let round = 0; round < 3; round++) {
    const from = performance.now();
    program = await service(folder());
    await json(program, "GET", "/api/machines");
    empty.push(performance.now() - from);
    await stopped(program);
  }
  console.log(
    `start with ${OPEN} open matches to the first answer about one: ` +
      `${median(times).toFixed(0)} ms, with none ${median(empty).toFixed(0)} ms`,
  );
}

/** Many timers that come due while the service is down: the first answer after it starts, and until all have fired. */
async function lateTimers(): Promise<void> {
  const data = folder();
  let program = await service(data);
  const { hash } = await json<{ hash: string }>(program, "POST", "/api/machines", { text: SOON });
  let first: Begun | undefined;
  await many(LATE, CLIENTS, async () => {
    first ??= await json<Begun>(program, "POST", "/api/matches", { machine: hash });
    if (first) await json(program, "POST", "/api/matches", { machine: hash });
  });
  await stopped(program);
  await pause(21_000);
  const from = performance.now();
  program = await service(data);
  const { hash: other } = await json<{ hash: string }>(program, "POST", "/api/machines", { text: RELAY });
  const match = await json<Begun>(program, "POST", "/api/matches", { machine: other });
  const answered = performance.now() - from;
  const times: number[] = [];
  for (let late = LATE; late > 0; ) {
    const begun = performance.now();
    await json(program, "GET", `/api/matches/${match.id}`, undefined, match.keys["left"]);
    times.push(performance.now() - begun);
    const { matches } = await json<{ matches: { readonly outcome: unknown }[] }>(
      program,
      "GET",
      "/api/matches?limit=500&machine=Soon",
    );
    late = matches.filter(({ outcome }) => outcome === null).length;
    await pause(20);
  }
  console.log(
    `${LATE} timers came due while it was down: another match begins ` +
      `${answered.toFixed(0)} ms after the start, all have fired after ` +
      `${(performance.now() - from).toFixed(0)} ms; looking at a match meanwhile ` +
      `${median(times).toFixed(1)} ms, at most ${Math.max(...times).toFixed(0)} ms`,
  );
  await stopped(program);
}

async function main(): Promise<void> {
  await actions();
  await streams();
  await openMatches();
  await lateTimers();
}

void main();
