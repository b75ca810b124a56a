/**
 * The service and the core under attack, bounded, with counts: what is lost, doubled, destroyed, told wrongly or kept
 * waiting. `npm run bench -- attack`; `ZANY_LONG=1` for five times as much.
 */

import { type ChildProcess, execFileSync, spawn } from "node:child_process";
import { mkdtempSync, readdirSync, readFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { compile, NotALogbook, Replayer, readLogbook, Runnable, seenLine, verifyText } from "@zany/core";
import { Chance } from "../../packages/core/test/generated-machines.js";
import { HEAVY, heavyMachine, LARGE } from "../../packages/core/test/heavy-machines.js";
import { mutated, mutatedText } from "../../packages/core/test/rubbish.js";

const TIMES = process.env["ZANY_LONG"] ? 5 : 1;
const CALLS = `machine Calls
seats left, right
data { called: int 0..10000000 }
start Open
state Open { turn of seats  action call { called += 1 } -> stay  action hush -> Over }
ending Over { draws all }
`;

interface Service {
  readonly address: string;
  readonly process: ChildProcess;
  stop(signal: "SIGTERM" | "SIGKILL"): Promise<number | null>;
}

async function serve(data: string): Promise<Service> {
  const child = spawn(
    process.execPath,
    ["dist/cli/zany.cjs", "serve", "--port", "0", "--data", data, "--log-level", "silent"],
    { stdio: ["ignore", "pipe", "ignore"] },
  );
  const ended = new Promise<number | null>((resolve) => child.once("exit", (code) => resolve(code)));
  let said = "";
  const address = await new Promise<string>((resolve, reject) => {
    child.stdout.on("data", (chunk: Buffer) => {
      said += chunk.toString();
      const [, found] = /is at (http:\S+)/.exec(said) ?? [];
      if (found) resolve(found);
    });
    child.once("exit", (code) => reject(new Error(`the service ended with ${code}`)));
  });
  return {
    address,
    process: child,
    stop(signal) {
      child.kill(signal);
      return ended;
    },
  };
}

interface Answer {
  readonly status: number;
  readonly text: string;
}

async function ask(service: Service, method: string, path: string, body?: unknown, key?: string): Promise<Answer> {
  const response = await fetch(service.address + path, {
    method,
    headers: { "Content-Type": "application/json", ...(key !== undefined && { Authorization: `Bearer ${key}` }) },
    ...(body !== undefined && { body: typeof body === "string" ? body : JSON.stringify(body) }),
  });
  return { status: response.status, text: await response.text() };
}

const folder = (): string => mkdtempSync(join(tmpdir(), "zany-attack-"));
const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

interface Begun {
  readonly id: string;
  readonly keys: Readonly<Record<string, string>>;
  readonly view: { readonly turn: readonly string[] };
}

async function begun(service: Service, text: string): Promise<Begun> {
  const { hash } = JSON.parse((await ask(service, "POST", "/api/machines", { text })).text);
  return JSON.parse((await ask(service, "POST", "/api/matches", { machine: hash })).text);
}

/** How many calls a match counts, and its step. */
async function counted(service: Service, id: string): Promise<{ called: number; step: number } | undefined> {
  const { status, text } = await ask(service, "GET", `/api/matches/${id}`);
  if (status !== 200) return undefined;
  const { view } = JSON.parse(text);
  return { called: view.data[0].value, step: view.step };
}

// ---- losing power ----------------------------------------------------------------------------------

/** Kills the service under doubled, reordered and cut requests, and looks for each acknowledged one. */
async function kills(times: number, signal: "SIGKILL" | "SIGTERM"): Promise<void> {
  const data = folder();
  const chance = new Chance(times);
  const count = { acknowledged: 0, lost: 0, doubled: 0, destroyed: 0, badExit: 0 };
  let service = await serve(data);
  const matches = [await begun(service, CALLS), await begun(service, CALLS), await begun(service, CALLS)];
  const named = matches.map(() => new Set<string>());
  const sent = matches.map(() => 0);
  for (let round = 0; round < times; round++) {
    let stopped = false;
    const load = matches.map(async ({ id, keys }, m) => {
      let step = (await counted(service, id).catch(() => undefined))?.step ?? 0;
      while (!stopped) {
        const name = `${round} ${sent[m]}`;
        sent[m] = (sent[m] as number) + 1;
        const body = { action: "call", args: {}, step, request: name };
        const key = keys["left"] as string;
        // Twice at once, one on a step that is gone, and one that is cut off before it is answered.
        const cut = new AbortController();
        const requests = [
          ask(service, "POST", `/api/matches/${id}/actions`, body, key),
          ask(service, "POST", `/api/matches/${id}/actions`, body, key),
          ask(service, "POST", `/api/matches/${id}/actions`, { ...body, step: step - 1, request: `${name} old` }, key),
          fetch(`${service.address}/api/matches/${id}`, { signal: cut.signal }).then(() => undefined),
        ];
        cut.abort();
        for (const [i, answer] of (await Promise.allSettled(requests)).entries()) {
          if (answer.status !== "fulfilled" || answer.value?.status !== 200) continue;
          if (i < 2) named[m]?.add(name);
          step = JSON.parse(answer.value.text).view.step;
        }
      }
    });
    await pause(40 + chance.below(160));
    const code = await service.stop(signal);
    if (signal === "SIGTERM" && code !== 0) count.badExit++;
    stopped = true;
    await Promise.all(load);
    service = await serve(data);
    for (const [m, { id }] of matches.entries()) {
      const now = await counted(service, id);
      if (!now) count.destroyed++;
      else if (now.called < (named[m]?.size ?? 0)) count.lost++;
      else if (now.called !== now.step || now.called > (sent[m] as number)) count.doubled++;
    }
  }
  count.acknowledged = named.reduce((sum, names) => sum + names.size, 0);
  await service.stop("SIGTERM");
  console.log(`${times} times ${signal}`, JSON.stringify(count));
}

/** Lets the disk take nothing and something in turn. */
async function disk(times: number): Promise<void> {
  const service = await serve(folder());
  const limit = (size: string): void => {
    execFileSync("prlimit", ["--pid", String(service.process.pid), `--fsize=${size}:unlimited`]);
  };
  const { id, keys } = await begun(service, CALLS);
  const count = { acknowledged: 0, refused: 0, other: 0, lost: 0, died: 0 };
  let step = 0;
  for (let round = 0; round < times * 6; round++) {
    limit(round % 2 === 0 ? "unlimited" : "100");
    for (let i = 0; i < 20; i++) {
      const { status, text } = await ask(
        service,
        "POST",
        `/api/matches/${id}/actions`,
        { action: "call", args: {}, step, request: `${step}` },
        keys["left"],
      );
      if (status === 200) {
        count.acknowledged++;
        ({ step } = JSON.parse(text).view);
      } else if (status === 503) count.refused++;
      else count.other++;
    }
  }
  limit("unlimited");
  const now = await counted(service, id);
  if (now?.called !== count.acknowledged) count.lost++;
  if ((await service.stop("SIGTERM")) !== 0) count.died++;
  console.log(`a disk that takes nothing, ${times * 3} times`, JSON.stringify(count));
}

// ---- rubbish ---------------------------------------------------------------------------------------

async function requests(times: number): Promise<void> {
  const service = await serve(folder());
  const chance = new Chance(7);
  const count: Record<string, number> = { internal: 0, slow: 0 };
  const text = readFileSync("examples/kite-duel.zany", "utf8");
  let match = await begun(service, text);
  for (let i = 0; i < times; i++) {
    if (i % 200 === 199) match = await begun(service, text);
    const seat = match.view.turn[0] as string;
    const path = `/api/matches/${match.id}`;
    const [method, to, body] = chance.of<readonly [string, string, unknown]>([
      ["POST", "/api/machines", { text: mutatedText(text, chance), parts: {} }],
      ["POST", "/api/matches", { machine: "KiteDuel", open: ["south"], bots: { south: "careful" }, clock: "manual" }],
      ["POST", `${path}/actions`, { action: "slash", args: { target: "south" }, step: 0, request: `r${i}` }],
      ["POST", `${path}/options`, { action: "slash", args: { target: "south" } }],
      ["POST", `${path}/wait`, { by: 100 }],
      ["PUT", `${path}/bots/south`, { policy: "careful" }],
      ["POST", `${path}/resume`, { machine: "KiteDuel" }],
      ["POST", `${path}/seats/north`, {}],
      ["POST", "/api/logbooks/none/verify", { machine: "KiteDuel" }],
    ]);
    const since = performance.now();
    const { status } = await ask(service, method, to, mutated(body, chance), match.keys[seat]);
    if (performance.now() - since > 1000) count["slow"] = (count["slow"] ?? 0) + 1;
    if (status >= 500) count["internal"] = (count["internal"] ?? 0) + 1;
    count[status] = (count[status] ?? 0) + 1;
  }
  await service.stop("SIGTERM");
  console.log(`${times} mutated requests`, JSON.stringify(count));
}

function machines(times: number): void {
  const chance = new Chance(11);
  const texts = readdirSync("examples").flatMap((name) =>
    name.endsWith(".zany") ? [readFileSync(join("examples", name), "utf8")] : [],
  );
  const count = { thrown: 0, compiled: 0, slow: 0, slowest: 0 };
  for (let i = 0; i < times; i++) {
    const once = mutatedText(chance.of(texts), chance);
    const text = chance.one(2) ? once : mutatedText(once, chance);
    const since = performance.now();
    try {
      const { ok, machine } = compile(text, undefined, undefined, { errorsOnly: true });
      if (ok) {
        new Runnable(machine);
        count.compiled++;
      }
    } catch {
      count.thrown++;
    }
    const took = performance.now() - since;
    if (took > 1000) count.slow++;
    count.slowest = Math.max(count.slowest, Math.round(took));
  }
  console.log(`${times} mutated machines`, JSON.stringify(count));
}

function logbooks(times: number): void {
  const chance = new Chance(13);
  const runnable = new Runnable(compile(readFileSync("examples/kite-duel.zany", "utf8")).machine);
  const files = readdirSync("examples/logbooks").filter((name) => name.startsWith("kite-duel"));
  const count = { thrown: 0, verified: 0, slow: 0, slowest: 0 };
  for (let i = 0; i < times; i++) {
    const lines = readFileSync(join("examples/logbooks", chance.of(files)), "utf8")
      .trimEnd()
      .split("\n");
    const at = chance.below(Math.min(lines.length, 8));
    lines[at] = chance.one(4)
      ? mutatedText(lines[at] as string, chance)
      : JSON.stringify(mutated(JSON.parse(lines[at] as string), chance));
    const text = `${lines.join("\n")}\n`;
    const since = performance.now();
    try {
      if (verifyText(runnable, text).kind === "verified") count.verified++;
      const { header, steps } = readLogbook(text);
      const replayer = new Replayer(runnable, header);
      for (const step of steps) {
        seenLine(runnable, step, "north");
        if (!replayer.next(step).taken) break;
      }
    } catch (error) {
      if (!(error instanceof NotALogbook)) count.thrown++;
    }
    const took = performance.now() - since;
    if (took > 1000) count.slow++;
    count.slowest = Math.max(count.slowest, Math.round(took));
  }
  console.log(`${times} mutated logbooks`, JSON.stringify(count));
}

// ---- standing still --------------------------------------------------------------------------------

/** What others may wait, in milliseconds. */
const STALL = 50;

/**
 * How long others wait while each built-in is played at its largest, and while machines are large in each way. The
 * computer stands still by itself now and then: what is over the limit is measured again, by a service of its own.
 */
async function stalls(): Promise<void> {
  const machines = [...HEAVY.map(({ what, body }) => ({ what, text: heavyMachine(body) })), ...LARGE];
  const service = await settled();
  const waits: { what: string; ms: number }[] = [];
  const again: string[] = [];
  const control = await longestWait(service, () => pause(1_000));
  for (const { what, text } of machines)
    waits.push({ what, ms: await longestWait(service, () => played(service, text)) });
  await service.stop("SIGTERM");
  for (const [i, { what, text }] of machines.entries()) {
    const wait = waits[i] as { what: string; ms: number };
    if (wait.ms <= STALL) continue;
    const fresh = await settled();
    const ms = await longestWait(fresh, () => played(fresh, text));
    await fresh.stop("SIGTERM");
    again.push(`${what} ${wait.ms.toFixed(0)}, then ${ms.toFixed(0)}`);
    wait.ms = Math.min(wait.ms, ms);
  }
  waits.sort((a, b) => b.ms - a.ms);
  const over = waits.filter(({ ms }) => ms > STALL).length;
  const top = waits.slice(0, 5).map(({ what, ms }) => `${what} ${ms.toFixed(0)} ms`);
  console.log(
    `stalls of ${waits.length} heavy or large machines: ${over} over ${STALL} ms; the longest: ${top.join(", ")}`,
  );
  console.log(`  with nothing played ${control.toFixed(0)} ms; measured again: ${again.join("; ") || "none"}`);
}

/** A service that has been left alone for a while after its start. */
async function settled(): Promise<Service> {
  const service = await serve(folder());
  await pause(1_500);
  return service;
}

/** The longest that /healthz keeps one waiting, asked every other millisecond while something goes on. */
async function longestWait(service: Service, work: () => Promise<void>): Promise<number> {
  let longest = 0;
  let going = true;
  const watching = (async () => {
    while (going) {
      const since = performance.now();
      await fetch(`${service.address}/healthz`);
      longest = Math.max(longest, performance.now() - since);
      await pause(2);
    }
  })();
  await pause(30);
  longest = 0;
  await work();
  going = false;
  await watching;
  return longest;
}

/** Stores a machine, begins a match, plays two actions of it and fetches its logbook. */
async function played(service: Service, text: string): Promise<void> {
  const { id, keys } = await begun(service, text);
  for (let step = 0; step < 2; step++)
    await ask(service, "POST", `/api/matches/${id}/actions`, { action: "go", args: {}, step }, keys["p"]);
  await ask(service, "GET", `/api/matches/${id}/logbook`, undefined, keys["p"]);
}

async function everything(): Promise<void> {
  await kills(200 * TIMES, "SIGKILL");
  await kills(20 * TIMES, "SIGTERM");
  await disk(5 * TIMES);
  await requests(20_000 * TIMES);
  machines(20_000 * TIMES);
  logbooks(20_000 * TIMES);
  await stalls();
}

void everything();
