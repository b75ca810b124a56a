/** The service under attack: doubled and damaged, on a full disk, stopped under load. Nothing acknowledged is lost. */

import { execFileSync, spawn, spawnSync } from "node:child_process";
import { join } from "node:path";
import { type HostedMatch, type SeenMatch, ServiceProblem, ZanyClient } from "@zany/client";
import { compile, readLogbook, Runnable, verifyText } from "@zany/core";
import { DatabaseSync } from "@photostructure/sqlite";
import { expect, test } from "vitest";
import { Chance } from "../../core/test/generated-machines.js";
import { mutated, mutatedText } from "../../core/test/rubbish.js";
import { newFolder, ROOT, type Running, startService, ZANY } from "./running.js";

/** Everybody may call at any time; a bell rings now and then; the number tells how many calls counted. */
const CALLS = `machine Calls
seats left, right
data { called: int 0..1000000 }
start Open
state Open {
  turn of seats
  action call { called += 1 note "{me} calls" } -> stay
  action ask needs called > 1000 else "nobody has called" -> stay
  action hush -> Quiet
  start Still
  state Still { after 300ms -> Ringing }
  state Ringing { after 300ms -> Still }
}
state Quiet { turn of seats action wake -> Open }
ending Over { draws all }
`;
/** The same without its bell. */
const PLAIN = CALLS.replace(/ {2}start Still\n.*\n.*\n/, "");

async function problemOf(promise: Promise<unknown>): Promise<ServiceProblem> {
  const error = await promise.then(
    () => new Error("it was accepted"),
    (e: unknown) => e,
  );
  if (!(error instanceof ServiceProblem)) throw error;
  return error;
}

/** How often somebody called, as the match has it. */
const called = ({ view }: SeenMatch): unknown => view.data.find((d) => d.name === "called")?.value;

async function begun(client: ZanyClient, text = PLAIN): Promise<HostedMatch & { left: string; right: string }> {
  const { hash } = await client.addMachine(text);
  const match = await client.beginMatch({ machine: hash });
  return { ...match, left: match.keys["left"] ?? "", right: match.keys["right"] ?? "" };
}

/** What `zany doctor` says of a data folder. */
function doctor(folder: string): string {
  const { stdout, stderr } = spawnSync(process.execPath, [ZANY, "doctor", "--data", folder], { encoding: "utf8" });
  return stdout + stderr;
}

/** Changes what is stored, as nobody should, while no service has it. */
function tamper(folder: string, statement: string): void {
  const sqlite = new DatabaseSync(join(folder, "zany.db"));
  sqlite.exec(statement);
  sqlite.close();
}

test("inputs wait for each other: doubled, crossed and renamed requests are taken once, and after a restart too", async () => {
  const folder = newFolder();
  let running = await startService(folder);
  let client = new ZanyClient(running.address);
  const { id, left, right } = await begun(client);
  const call = (step: number, request?: string, key = left): Promise<SeenMatch> =>
    client.act(id, key, "call", {}, step, request);
  // Three at once, two of the same name: one step. The third is another seat's, on a step that is gone by then.
  const [first, second, third] = await Promise.allSettled([call(0, "a"), call(0, "a"), call(0, "a", right)]);
  expect([first, second].map((r) => r.status === "fulfilled" && r.value.view.step)).toEqual([1, 1]);
  expect(third).toMatchObject({ status: "rejected", reason: { code: "stale" } });
  // Without names, the same action at the same step is the same action.
  const twice = await Promise.all([call(1), call(1), call(1)]);
  expect(twice.map(called)).toEqual([2, 2, 2]);
  // A name belongs to its key and to what it asked for.
  expect((await call(2, "a", right)).view.step).toBe(3);
  expect(await problemOf(call(3, "a"))).toMatchObject({ status: 409, code: "requestReused" });
  // Many at once: each step is taken by one of them.
  const many = await Promise.allSettled(Array.from({ length: 40 }, (_, i) => call(3 + (i % 5), `m${i % 10}`, left)));
  const taken = many.filter((r) => r.status === "fulfilled").length;
  expect(taken).toBeGreaterThan(0);
  const now = await client.match(id);
  expect(called(now)).toBe(now.view.step);
  await running.stop("SIGKILL");
  running = await startService(folder);
  client = new ZanyClient(running.address);
  // Repeated, it is answered as it was at first.
  expect(called(await call(0, "a"))).toBe(1);
  expect(await problemOf(call(5, "a"))).toMatchObject({ code: "requestReused" });
  const lines = (await client.matchLogbook(id)).trimEnd().split("\n").slice(1);
  expect(lines.map((line) => (JSON.parse(line) as { step: number }).step)).toEqual(lines.map((_, i) => i));
  expect(await running.stop()).toBe(0);
});

test("a data folder belongs to one service; the next one is told which, and gets it when that one is gone", async () => {
  const folder = newFolder();
  const first = await startService(folder);
  const child = spawn(process.execPath, [ZANY, "serve", "--port", "0", "--data", folder], { cwd: ROOT });
  let said = "";
  for (const stream of [child.stdout, child.stderr]) stream.on("data", (chunk: Buffer) => (said += chunk.toString()));
  expect(await new Promise((resolve) => child.once("close", resolve))).toBe(2);
  expect(said).toContain(
    `The data folder "${folder}" is in use by the service at ${first.address} (process ${first.process.pid}). Stop it`,
  );
  await first.stop("SIGKILL");
  expect(await (await startService(folder)).stop()).toBe(0);
});

test("what was changed outside of the service is not played on, and keeps nothing else from going on", async () => {
  const folder = newFolder();
  let running = await startService(folder);
  let client = new ZanyClient(running.address);
  const broken = await begun(client);
  const whole = await begun(client);
  for (const { id, left } of [broken, whole]) for (let i = 0; i < 3; i++) await client.act(id, left, "call", {}, i);
  await client.setBot(broken.id, broken.hostKey, "right", "random");
  await running.stop();
  tamper(
    folder,
    `UPDATE steps SET line = replace(line, '"left"', '"right"') WHERE match = '${broken.id}' AND step = 2`,
  );
  running = await startService(folder);
  client = new ZanyClient(running.address);
  expect(called(await client.match(whole.id))).toBe(3);
  expect(await problemOf(client.match(broken.id))).toMatchObject({
    status: 409,
    code: "doesNotReplay",
    message: expect.stringContaining("step 2 differs in notes"),
  });
  expect((await client.matchLogbook(broken.id, broken.left)).trimEnd().split("\n").length).toBeGreaterThan(3);
  expect(await problemOf(client.resume(broken.id, broken.hostKey))).toMatchObject({ code: "doesNotReplay" });
  await running.stop();
  tamper(
    folder,
    `UPDATE steps SET line = replace(line, '"right"', '"left"') WHERE match = '${broken.id}' AND step = 2`,
  );
  tamper(
    folder,
    `UPDATE steps SET line = replace(line, '"notes":[', '"notes": [') WHERE match = '${whole.id}' AND step = 1`,
  );
  running = await startService(folder);
  client = new ZanyClient(running.address);
  expect(called(await client.match(broken.id))).toBeGreaterThanOrEqual(3);
  expect(await problemOf(client.match(whole.id))).toMatchObject({ code: "damaged" });
  await running.stop();
});

test("a long match is loaded from its last snapshot that fits, or played again", async () => {
  const folder = newFolder();
  let running = await startService(folder);
  let client = new ZanyClient(running.address);
  const { id, left } = await begun(client);
  for (let step = 0; step < 600; ) step = (await client.act(id, left, "call", {}, step)).view.step;
  const again = async (): Promise<SeenMatch | string> => {
    await running.stop();
    running = await startService(folder);
    client = new ZanyClient(running.address);
    return client.match(id).catch((error: ServiceProblem) => error.code);
  };
  const counted = async (): Promise<unknown> => called((await again()) as SeenMatch);
  expect(await counted()).toBe(600);
  await running.stop();
  const sqlite = new DatabaseSync(join(folder, "zany.db"));
  expect(sqlite.prepare("SELECT step FROM snapshots ORDER BY step").all()).toEqual([{ step: 256 }, { step: 512 }]);
  sqlite.close();
  // A step before the snapshot is not looked at: the snapshot is sealed with the chain of lines.
  tamper(folder, "UPDATE steps SET line = '{}' WHERE step = 100");
  expect(await counted()).toBe(600);
  // The doctor looks at everything, while no service does.
  expect(doctor(folder)).toMatch(/is in use by the service at/);
  await running.stop();
  expect(doctor(folder)).toMatch(new RegExp(`^match ${id}: .*step 100 is missing.*\n1 machine, 1 match of 0 steps`));
  running = await startService(folder);
  // A snapshot that was changed is not used; the one before it is.
  await running.stop();
  tamper(
    folder,
    `UPDATE snapshots SET situation = replace(situation, '"called":512', '"called":999') WHERE step = 512`,
  );
  expect(await counted()).toBe(600);
  // Without any, the match is played again, and the changed line is found.
  await running.stop();
  tamper(folder, "UPDATE snapshots SET seal = ''");
  expect(await again()).toBe("damaged");
  await running.stop();
});

test("on a disk that takes nothing, writing is refused, reading goes on, timers wait; with room again all goes on", async () => {
  const folder = newFolder();
  const running = await startService(folder);
  const client = new ZanyClient(running.address);
  const { id, left } = await begun(client, CALLS);
  const plain = await begun(client);
  const limit = (size: string): void => {
    execFileSync("prlimit", ["--pid", String(running.process.pid), `--fsize=${size}:unlimited`]);
  };
  const health = async (): Promise<unknown> => (await fetch(`${running.address}/healthz`)).json();
  expect((await client.act(plain.id, plain.left, "call", {}, 0)).view.step).toBe(1);
  limit("100");
  const refused = await fetch(`${running.address}/api/matches/${plain.id}/actions`, {
    method: "POST",
    headers: { Authorization: `Bearer ${plain.left}`, "Content-Type": "application/json" },
    body: JSON.stringify({ action: "call", step: 1, request: "r" }),
  });
  expect([refused.status, refused.headers.get("retry-after")]).toEqual([503, "5"]);
  expect(await refused.json()).toMatchObject({ code: "storageFails", detail: expect.stringContaining("the disk") });
  expect(await health()).toMatchObject({ ok: false, status: "degraded", reason: expect.stringContaining("disk") });
  await expect(client.addMachine(PLAIN.replace("Calls", "Other"))).rejects.toMatchObject({ status: 503 });
  await expect(client.beginMatch({ machine: "Calls" })).rejects.toMatchObject({ status: 503 });
  const before = (await client.match(id)).view.step;
  await new Promise((resolve) => setTimeout(resolve, 700));
  expect((await client.match(id)).view.step).toBe(before);
  expect((await client.match(plain.id)).view.step).toBe(1);
  limit("unlimited");
  await expect.poll(health).toEqual({ ok: true, status: "ok" });
  expect((await client.act(plain.id, plain.left, "call", {}, 1, "r")).view.step).toBe(2);
  await expect.poll(async () => (await client.match(id)).view.step).toBeGreaterThan(before + 2);
  expect((await client.match(id)).suspended).toBe(null);
  expect(called(await client.act(id, left, "call", {}))).toBe(1);
  expect(await running.stop()).toBe(0);
});

test("a copy made while it is played holds every acknowledged step, and becomes a folder again", async () => {
  const folder = newFolder();
  const running = await startService(folder);
  const client = new ZanyClient(running.address);
  const { id, left } = await begun(client);
  let stop = false;
  const playing = (async () => {
    for (let i = 0; !stop; i++) await client.act(id, left, "call", {}, i);
  })();
  await expect.poll(async () => called(await client.match(id))).toBeGreaterThan(20);
  const before = called(await client.match(id));
  const copy = join(folder, "copy.db");
  const zany = (...args: string[]) => spawnSync(process.execPath, [ZANY, ...args], { encoding: "utf8" });
  expect(zany("backup", "--data", folder, "--out", copy).status).toBe(0);
  stop = true;
  await playing;
  expect(zany("backup", "--data", folder, "--out", copy).stderr).toContain("is there already");
  await running.stop();
  const other = join(folder, "restored");
  expect(zany("restore", join(ROOT, "README.md"), "--data", other).stderr).toContain("is no copy of a data folder");
  expect(zany("restore", copy, "--data", other).status).toBe(0);
  expect(doctor(other)).toContain("no problems found");
  const again = await startService(other);
  expect(called(await new ZanyClient(again.address).match(id))).toBeGreaterThanOrEqual(Number(before));
  await again.stop();
});

test("matches that nobody plays lapse, rematches nobody agreed to as well; finished ones are let go, not their results", async () => {
  const folder = newFolder();
  let running = await startService(folder);
  let client = new ZanyClient(running.address);
  const { hash } = await client.addMachine(`${PLAIN}\n`.replace("action hush", "action end -> Over\n  action hush"));
  const idle = await client.beginMatch({ machine: hash });
  const over = await client.beginMatch({ machine: hash });
  await client.act(over.id, over.keys["left"] ?? "", "end", {});
  const { match: rematch } = await client.rematch(over.id, over.keys["left"] ?? "");
  const played = await client.beginMatch({ machine: hash });
  await running.stop();
  const ago = (days: number): string => new Date(Date.now() - days * 86_400_000).toISOString();
  tamper(folder, `UPDATE matches SET updated = '${ago(3)}' WHERE id = '${idle.id}'`);
  tamper(folder, `UPDATE matches SET created = '${ago(8)}' WHERE id = '${rematch}'`);
  running = await startService(folder, "--idle-limit", "2d");
  client = new ZanyClient(running.address);
  for (const id of [idle.id, rematch]) await expect.poll(async () => (await client.match(id)).cancelledBy).toBe("time");
  expect(await client.match(played.id)).toMatchObject({ cancelled: null, cancelledBy: null });
  await running.stop();
  tamper(folder, `UPDATE matches SET updated = '${ago(3)}' WHERE id = '${over.id}'`);
  running = await startService(folder, "--keep-finished", "2d");
  client = new ZanyClient(running.address);
  await expect.poll(async () => (await problemOf(client.match(over.id))).code).toBe("noSuchMatch");
  expect((await client.tallies()).items).toMatchObject([{ machine: "Calls", matches: 1 }]);
  await running.stop();
  expect(doctor(folder)).toContain("no problems found");
});

test("stopped under load, the service answers what is under way, and nothing acknowledged is lost", async () => {
  const folder = newFolder();
  let running: Running = await startService(folder);
  let client = new ZanyClient(running.address);
  const matches = [await begun(client), await begun(client, CALLS), await begun(client)];
  for (let round = 0; round < 3; round++) {
    const acknowledged = new Map<string, number>();
    const reach = client;
    const load = matches.map(async ({ id, left }) => {
      for (let step = (await reach.match(id)).view.step; ; ) {
        try {
          const { view } = await reach.act(id, left, "call", {}, step);
          acknowledged.set(id, view.step);
          ({ step } = view);
        } catch (error) {
          if (!(error instanceof ServiceProblem)) throw error;
          if (error.code !== "stale") return error.status;
          ({ step } = (error.document as unknown as SeenMatch).view);
        }
      }
    });
    const following = (async () => {
      for await (const update of reach.follow(matches[0]?.id ?? "")) if (update.kind === "away") return;
    })();
    await expect.poll(() => acknowledged.size).toBe(3);
    expect(await running.stop()).toBe(0);
    for (const status of await Promise.all(load)) expect([0, 503]).toContain(status);
    await following;
    running = await startService(folder);
    client = new ZanyClient(running.address);
    for (const { id } of matches)
      expect((await client.match(id)).view.step).toBeGreaterThanOrEqual(acknowledged.get(id) ?? 0);
  }
  await running.stop();
});

test("a suspended match goes on as it is, on a mended machine, or is cancelled", async () => {
  const faulty = PLAIN.replace(
    "state Quiet { turn of seats",
    "state Quiet { turn of seats after 50ms -> Late(1 / (called - 1))",
  );
  const text = faulty.replace("ending Over", "state Late(n: num) { turn of seats action back -> Open }\nending Over");
  const mended = text.replace("1 / (called - 1)", "1 / max(1, called - 1)");
  const running = await startService(newFolder());
  const client = new ZanyClient(running.address);
  const suspended = async (): Promise<HostedMatch & { left: string }> => {
    const match = await begun(client, text);
    await client.act(match.id, match.left, "call", {}, 0);
    await client.act(match.id, match.left, "hush", {}, 1);
    await expect.poll(async () => (await client.match(match.id)).suspended).not.toBe(null);
    return match;
  };
  const one = await suspended();
  expect(await problemOf(client.act(one.id, one.left, "wake", {}, 2))).toMatchObject({ code: "suspended" });
  expect(await problemOf(client.resume(one.id, one.left))).toMatchObject({ status: 403 });
  await client.resume(one.id, one.hostKey);
  await expect.poll(async () => (await client.match(one.id)).suspended).not.toBe(null);
  // On a version where a step diverges it says so and asks; where an input is refused, it stays as it is.
  const other = await client.addMachine(mended.replace("called += 1", "called += 2"));
  const asked = await problemOf(client.resume(one.id, one.hostKey, other.hash));
  expect(asked).toMatchObject({ status: 409, code: "diverges" });
  expect(asked.document).toMatchObject({
    step: 1,
    differences: [{ path: "/data/called", recorded: 1, replayed: 2 }],
    comesTo: { step: 2, turn: ["left", "right"] },
  });
  const without = await client.addMachine(mended.replace("action call ", "action call needs called > 5 "));
  expect(await problemOf(client.resume(one.id, one.hostKey, without.hash))).toMatchObject({
    code: "inputRefused",
    message: expect.stringContaining("Step 1 is not taken by that version"),
  });
  const carried = await suspended();
  expect((await client.resume(carried.id, carried.hostKey, other.hash, true)).machine.hash).toBe(other.hash);
  await expect.poll(async () => (await client.match(carried.id)).view.here).toEqual(["Late"]);
  const lines = (await client.matchLogbook(carried.id, carried.left)).trimEnd().split("\n");
  expect(JSON.parse(lines[2] ?? "")).toMatchObject({ step: 1, changes: [{ path: "/data/called", value: 2 }] });
  const { hash } = await client.addMachine(mended);
  expect((await client.resume(one.id, one.hostKey, hash)).machine.hash).toBe(hash);
  await expect.poll(async () => (await client.match(one.id)).view.here).toEqual(["Late"]);
  const two = await suspended();
  expect(await client.cancel(two.id, two.hostKey)).toMatchObject({ suspended: null, cancelled: expect.any(String) });
  expect(await problemOf(client.act(two.id, two.left, "wake", {}, 2))).toMatchObject({ code: "cancelled" });
  const logbook = await client.matchLogbook(two.id);
  expect(verifyText(new Runnable(compile(text).machine), logbook)).toMatchObject({ kind: "verified", steps: 2 });
  await running.stop();
});

test("rubbish of every kind is answered in words, and never with a failure of the service", async () => {
  const running = await startService(newFolder(), "--demo");
  const client = new ZanyClient(running.address);
  const chance = new Chance(3);
  const statuses = new Map<number, number>();
  let match = await client.beginMatch({ machine: "KiteDuel", clock: "manual" });
  for (let i = 0; i < 400; i++) {
    if (i % 100 === 99) match = await client.beginMatch({ machine: "KiteDuel", clock: "manual" });
    const path = `/api/matches/${match.id}`;
    const [method, to, body] = chance.of<readonly [string, string, unknown]>([
      ["POST", "/api/machines", { text: mutatedText(PLAIN, chance), parts: { "a.zany": "" } }],
      [
        "POST",
        "/api/matches",
        { machine: "KiteDuel", open: ["south"], given: { data: [{ path: "/data/lap", value: 3 }] } },
      ],
      ["POST", `${path}/actions`, { action: "slash", args: { target: "south" }, step: 0, request: `r${i}` }],
      [
        "POST",
        `${path}/actions`,
        { action: "brace", args: { a: JSON.parse("[".repeat(500) + "]".repeat(500)) }, step: 0 },
      ],
      ["POST", `${path}/options`, { action: "slash", args: { target: "south" } }],
      ["POST", `${path}/wait`, { by: 100 }],
      ["PUT", `${path}/bots/south`, { policy: "careful" }],
      ["POST", `${path}/resume`, { machine: "KiteDuel" }],
      ["POST", "/api/logbooks/none/verify", { machine: "KiteDuel" }],
    ]);
    const response = await fetch(running.address + to, {
      method,
      headers: {
        "Content-Type": "application/json",
        Authorization: `Bearer ${chance.of([match.hostKey, match.keys["north"], match.keys["south"]])}`,
      },
      body: chance.one(10) ? mutatedText(JSON.stringify(body), chance) : JSON.stringify(mutated(body, chance)),
    });
    const text = await response.text();
    statuses.set(response.status, (statuses.get(response.status) ?? 0) + 1);
    expect(response.status, `${method} ${to} ${text}`).toBeLessThan(500);
    if (response.status >= 400)
      expect(JSON.parse(text)).toMatchObject({
        detail: expect.stringMatching(/\S/),
        code: expect.stringMatching(/^\w+$/),
      });
    expect(text).not.toMatch(/\bat .*\.m?js:|Cannot read prop|is not a function/);
  }
  expect([...statuses.keys()]).toEqual(expect.arrayContaining([400]));
  expect(await running.stop()).toBe(0);
});

test("what players ask for and do not get is kept when it is wanted, over kill -9, for the logbook of the whole match", async () => {
  const folder = newFolder();
  let running = await startService(folder, "--record-refusals");
  let client = new ZanyClient(running.address);
  const match = await begun(client);
  const refuse = async (action: string): Promise<unknown> =>
    problemOf(client.act(match.id, match.left, action, {}, undefined));
  await client.act(match.id, match.left, "call", {}, 0);
  expect(await refuse("whistle")).toMatchObject({ code: "unknownAction" });
  await running.stop("SIGKILL");
  running = await startService(folder, "--record-refusals");
  client = new ZanyClient(running.address);
  await client.act(match.id, match.left, "call", {}, 1);
  expect(await refuse("hum")).toMatchObject({ code: "unknownAction" });
  // What is longer than anybody would ask is refused all the same, and not kept.
  const long = client.act(match.id, match.left, "call", { words: "tide ".repeat(1_000) }, undefined);
  expect(await problemOf(long)).toMatchObject({ code: "badArgument" });
  // While it goes on nobody is told what others wanted.
  expect(await client.matchLogbook(match.id, match.left)).not.toContain('"refused"');
  await client.cancel(match.id, match.hostKey);
  const text = await client.matchLogbook(match.id, match.left);
  expect(readLogbook(text).refused).toMatchObject([
    { refused: { kind: "action", seat: "left", action: "whistle" }, after: 1, code: "unknownAction" },
    { refused: { action: "hum" }, after: 2 },
  ]);
  const { machine } = await client
    .machine((await client.match(match.id)).machine.hash)
    .then(({ text: rules }) => compile(rules));
  expect(verifyText(new Runnable(machine), text)).toMatchObject({ kind: "verified" });
  expect(await running.stop()).toBe(0);
});
