import { execFileSync } from "node:child_process";
import { afterAll, beforeAll, expect, test } from "vitest";
import { everyOne, ZanyClient } from "@zany/client";
import { newFolder, type Running, startService, ZANY } from "./running.js";

/** One carries, and it is over. */
const CARRY = (name: string): string => `machine ${name}
seats left, right
start Turn
state Turn { turn of left action carry -> Over }
ending Over { wins left loses right }`;

let running: Running;
let client: ZanyClient;
let admin: string;

beforeAll(async () => {
  const folder = newFolder();
  const said = execFileSync(process.execPath, [ZANY, "admin", "--data", folder], { encoding: "utf8" });
  admin = / once: (\S+)/.exec(said)?.[1] ?? "";
  running = await startService(folder, "--hook-host", "127.0.0.1");
  client = new ZanyClient(running.address);
});
afterAll(() => running.stop());

/** A list, one entry a page, as the links lead. */
async function walked(path: string, key: string): Promise<unknown[]> {
  const all: unknown[] = [];
  for (let next: string | undefined = path; next !== undefined; ) {
    const response: Response = await fetch(`${running.address}${next}`, {
      headers: { Authorization: `Bearer ${key}` },
    });
    expect(response.status).toBe(200);
    const { items, matches = items, next: after } = (await response.json()) as Record<string, unknown>;
    expect((matches as unknown[]).length).toBeLessThanOrEqual(1);
    all.push(...(matches as unknown[]));
    next = /^<(.+)>; rel="next"$/.exec(response.headers.get("link") ?? "")?.[1];
    expect(next === undefined).toBe(after === null);
  }
  return all;
}

async function whole<T>(read: Parameters<typeof everyOne<T>>[0]): Promise<T[]> {
  const all: T[] = [];
  for await (const one of everyOne(read)) all.push(one);
  return all;
}

test("every list comes in pages: people, those played with, tallies by all they are told apart by, webhooks", async () => {
  const [mira, ...others] = await Promise.all(
    ["mira", "olle", "runa", "sten"].map((handle) => client.addPerson({ name: handle, handle }, admin)),
  );
  const key = mira?.key ?? "";
  // Two machines, of one of them two versions; as often played as others, too.
  const texts = [CARRY("Crate"), `${CARRY("Crate")}\nending Late { draws all }`, CARRY("Barrel")];
  const stored = await Promise.all(texts.map((text) => client.addMachine(text)));
  const matches = await Promise.all(
    stored.flatMap(({ hash }) =>
      others.map(async (other) => {
        const people = { left: "mira", right: other.handle };
        const { id } = await client.beginMatch({ machine: hash, people, hostKey: true }, key);
        await client.join(id, "right", other.key);
        await client.act(id, key, "carry", {});
        return id;
      }),
    ),
  );
  for (const port of [1, 2, 3]) await client.addHook(`http://127.0.0.1:${port}/told`, admin);

  const everybody = await walked("/api/people?limit=1", admin);
  expect(everybody).toEqual(await whole((after) => client.people(admin, after)));
  expect(everybody).toHaveLength(4);
  const known = await walked("/api/me/played-with?limit=1", key);
  expect(known).toEqual((await client.playedWith(key)).items);
  expect(new Set(known)).toEqual(new Set(others.map(({ handle, name }) => ({ handle, name }))));
  const hooks = await walked("/api/hooks?limit=1", admin);
  expect(hooks.map((hook) => (hook as { url: string }).url.slice(-6))).toEqual(["1/told", "2/told", "3/told"]);
  for (const [by, entries] of [
    [[], 2],
    [["version"], 3],
    [["seat"], 4],
    [["person"], 8],
    [["version", "seat", "person"], 12],
  ] as const) {
    const query = new URLSearchParams([["limit", "1"], ...by.map((what) => ["by", what])]);
    const tallies = await walked(`/api/tallies?${query}`, key);
    expect(tallies).toEqual((await client.tallies(by, {}, key)).items);
    expect([by, tallies.length]).toEqual([by, entries]);
    const told = tallies.map((tally) => (tally as { matches: number }).matches);
    expect(told).toEqual([...told].sort((a, b) => b - a));
  }
  for (const after of ["3 Crate", "3 Crate 1 left", "3 Crate x", "x"]) {
    const query = new URLSearchParams([
      ["by", "version"],
      ["after", after],
    ]);
    const { status } = await fetch(`${running.address}/api/tallies?${query}`);
    expect([after, status]).toEqual([after, 400]);
  }
  expect((await whole((after) => client.matches({}, admin, after))).map(({ id }) => id).sort()).toEqual(matches.sort());
});

test("matches are listed by status; everybody has an end for the admin, whose commands say so", async () => {
  const begin = async () => (await client.beginMatch({ machine: "Crate" })) as { id: string; hostKey: string };
  const [going, cancelled] = [await begin(), await begin()];
  await client.cancel(cancelled.id, cancelled.hostKey);
  const count = async (status: "running" | "suspended" | "finished" | "cancelled") =>
    (await walked(`/api/matches?limit=1&status=${status}`, admin)).map((match) => (match as { id: string }).id);
  expect([await count("running"), await count("suspended"), await count("cancelled")]).toEqual([
    [going.id],
    [],
    [cancelled.id],
  ]);
  expect(await count("finished")).toHaveLength(9);

  const zany = (...args: string[]): string =>
    execFileSync(process.execPath, [ZANY, ...args, "--service", running.address, "--key", admin], { encoding: "utf8" });
  expect(zany("match", "list", "--status", "cancelled").split("\n")).toMatchObject([
    expect.stringMatching(`^${cancelled.id}  Crate@2 .*cancelled$`),
    "",
  ]);
  expect(zany("match", "list", "--machine", "Barrel").trim().split("\n")).toHaveLength(3);
  expect(zany("person", "list")).toMatch(/^person +mira +mira\nperson +olle +olle\n/);
  expect(zany("machines").trim().split("\n")).toMatchObject(
    [/^Barrel@1 /, /^Crate@2 /, /^Crate@1 /].map((line) => expect.stringMatching(line)),
  );
  expect(zany("person", "revoke", "--of", "sten")).toBe("No key of sten opens anything any more.\n");
});
