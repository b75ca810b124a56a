/** Where others can reach the service: nothing is open but what a key opens, and no page of another site gets in. */

import { execFileSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { ZanyClient } from "@zany/client";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { newFolder, ROOT, type Running, startService, ZANY } from "./running.js";

const DUEL = readFileSync(join(ROOT, "examples/kite-duel.zany"), "utf8");

let running: Running;
let client: ZanyClient;
let admin: string;
let host: string;
let mira: string;
let olle: string;
/** A match of Mira and Olle, with its secrets. */
let match: string;

beforeAll(async () => {
  const folder = newFolder();
  const said = execFileSync(process.execPath, [ZANY, "admin", "--data", folder], { encoding: "utf8" });
  admin = / once: (\S+)/.exec(said)?.[1] ?? "";
  running = await startService(folder, "--host", "0.0.0.0", "--origin", "http://game.example");
  client = new ZanyClient(running.address);
  host = (await client.addPerson({ name: "The fair", handle: "fair", host: true }, admin)).key;
  mira = (await client.addPerson({ name: "Mira", handle: "mira" }, admin)).key;
  olle = (await client.addPerson({ name: "Olle", handle: "olle" }, admin)).key;
  await ask("POST", "/api/machines", admin, { text: DUEL });
  const begun = await client.beginMatch({ machine: "KiteDuel", people: { north: "mira", south: "olle" } }, mira);
  match = begun.id;
});
afterAll(() => running.stop());

async function ask(
  method: string,
  path: string,
  key?: string,
  body?: unknown,
  more: Record<string, string> = {},
): Promise<{ status: number; code: string; headers: Headers }> {
  const response = await fetch(`${running.address}${path}`, {
    method,
    headers: {
      ...(key !== undefined && { Authorization: `Bearer ${key}` }),
      ...(body !== undefined && { "Content-Type": "application/json" }),
      ...more,
    },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  });
  const text = await response.text();
  const isProblem = response.headers.get("content-type")?.startsWith("application/problem+json");
  const { code = "" } = isProblem ? (JSON.parse(text) as { code?: string }) : {};
  return { status: response.status, code, headers: response.headers };
}

/** What may be asked, and which of nobody, a stranger, a player, the game's server and the admin may: `-` for no. */
const ASKED: [string, string, unknown, string][] = [
  ["GET", "/api/machines", undefined, "- s p h a"],
  ["GET", "/api/machines/KiteDuel", undefined, "- s p h a"],
  ["POST", "/api/machines", { text: DUEL }, "- - - h a"],
  ["GET", "/api/logbooks", undefined, "- - - h a"],
  ["GET", "/api/matches", undefined, "- - - h a"],
  ["POST", "/api/matches", { machine: "KiteDuel" }, "- s p h a"],
  ["GET", "/api/matches/ID", undefined, "- - p - a"],
  ["GET", "/api/matches/ID/logbook", undefined, "- - p - a"],
  ["POST", "/api/matches/ID/options", { action: "pause" }, "- - p - -"],
  ["POST", "/api/matches/ID/events", { event: "Gust" }, "- - - - -"],
  ["POST", "/api/matches/ID/wait", {}, "- - - - -"],
  ["PUT", "/api/matches/ID/bots/south", { policy: "careful" }, "- - - - -"],
  ["POST", "/api/matches/ID/watchers", {}, "- - p - -"],
  ["POST", "/api/matches/ID/tickets", {}, "- - p - a"],
  ["DELETE", "/api/matches/ID/seats/south", undefined, "- - - - -"],
  ["GET", "/api/lobby", undefined, "- s p h a"],
  ["GET", "/api/people", undefined, "- - - - a"],
  ["GET", "/api/people/mira", undefined, "- s p h a"],
  ["POST", "/api/people", { name: "Somebody" }, "- - - - a"],
  ["GET", "/api/me", undefined, "- s p h -"],
  ["GET", "/api/me/matches", undefined, "- s p h -"],
  ["POST", "/api/admin/people/olle/keys", {}, "- - - - a"],
];

describe("keys", () => {
  test.each(ASKED)("%s %s", async (method, path, body, may) => {
    const stranger = (await client.addPerson({ name: "Stranger" }, admin)).key;
    const keys = [undefined, stranger, mira, host, admin];
    const answers = await Promise.all(keys.map((key) => ask(method, path.replace("ID", match), key, body)));
    const open = answers.map(({ status }, i) => (status < 400 ? "-sphad".charAt(i) : "-")).join(" ");
    expect(open, JSON.stringify(answers.map((a) => [a.status, a.code]))).toBe(may);
    // Who has no key is asked for one; who has another is told that it does not fit.
    expect(answers[0]?.status).toBe(401);
    expect(answers[0]?.headers.get("www-authenticate")).toMatch(/^Bearer /);
    for (const { status } of answers.slice(1)) expect([200, 201, 204, 400, 403]).toContain(status);
  });

  test("a lost key is replaced by the admin, and all keys of somebody end at once", async () => {
    const key = await client.replaceKey(admin, "olle", "new phone");
    expect((await client.me(key)).keys.map((one) => one.name)).toContain("new phone");
    expect((await ask("DELETE", "/api/admin/people/olle/keys", admin)).status).toBe(204);
    for (const gone of [key, olle])
      expect(await ask("GET", "/api/me", gone)).toMatchObject({ status: 401, code: "badKey" });
  });

  test("a watcher's link shows the public view and does nothing, until it is revoked", async () => {
    const { key } = await client.watcher(match, mira);
    expect((await client.match(match, key)).own).toEqual([]);
    expect((await ask("POST", `/api/matches/${match}/actions`, key, { action: "pause" })).status).toBe(403);
    const open = await client.beginMatch({ machine: "KiteDuel", people: { north: "mira" }, open: ["south"] }, mira);
    const watcher = await client.watcher(open.id, mira);
    // Neither a watcher nor the admin takes a seat, and who is refused one is shown nothing of the match.
    for (const other of [watcher.key, admin])
      expect((await ask("POST", `/api/matches/${open.id}/seats/south`, other)).status).toBe(403);
    const { key: stranger } = await client.addPerson({ name: "Stranger" }, admin);
    const refused = await client
      .join(open.id, "north", stranger)
      .catch((error: { document: object }) => error.document);
    expect(refused).toMatchObject({ status: 409 });
    expect(refused).not.toHaveProperty("view");
    await client.revokeWatchers(match, mira);
    expect((await ask("GET", `/api/matches/${match}`, key)).status).toBe(401);
  });
});

test("a ticket opens its one stream and nothing else, and no key stands in an address", async () => {
  const opens = async (path: string, key?: string): Promise<number> => {
    const abort = new AbortController();
    const headers = key === undefined ? {} : { Authorization: `Bearer ${key}` };
    const { status } = await fetch(`${running.address}${path}`, { headers, signal: abort.signal });
    abort.abort();
    return status;
  };
  const { ticket } = await client.ticket(match, mira);
  const other = await client.beginMatch({ machine: "KiteDuel", people: { north: "mira" } }, mira);
  expect(await opens(`/api/matches/${match}/stream?ticket=${ticket}`)).toBe(200);
  expect(await opens(`/api/matches/${other.id}/stream?ticket=${ticket}`)).toBe(401);
  expect(await opens(`/api/me/stream?ticket=${ticket}`)).toBe(401);
  expect(await opens("/api/me", ticket)).toBe(401);
  expect(await opens(`/api/matches/${match}/stream?ticket=${mira}`)).toBe(401);
});

describe("pages of other sites", () => {
  const post = (more: Record<string, string>) => ask("POST", "/api/matches", mira, { machine: "KiteDuel" }, more);

  test("cannot ask by a name that was bound to this address, nor from an origin that nobody told of", async () => {
    const named = execFileSync("curl", ["-s", "-H", "Host: rebound.example", `${running.address}/api/lobby`], {
      encoding: "utf8",
    });
    expect(JSON.parse(named)).toMatchObject({ status: 421, code: "foreignName" });
    expect(await post({ Origin: "http://elsewhere.example" })).toMatchObject({ status: 403, code: "foreignPage" });
    expect((await post({ Origin: running.address })).status).toBe(201);
    const plain = await ask("POST", "/api/people", admin, { name: "X" }, { "Content-Type": "text/plain" });
    expect(plain).toMatchObject({ status: 415, code: "badContent" });
  });

  test("of an origin that was told may: browsers ask first, and are answered", async () => {
    const origin = "http://game.example";
    const asked = await ask("OPTIONS", "/api/matches", undefined, undefined, {
      Origin: origin,
      "Access-Control-Request-Method": "POST",
      "Access-Control-Request-Headers": "authorization,content-type,zany-client",
    });
    expect([asked.status, asked.headers.get("access-control-allow-origin")]).toEqual([204, origin]);
    expect(asked.headers.get("access-control-allow-headers")).toContain("Zany-Client");
    expect((await post({ Origin: origin })).status).toBe(201);
    const other = await ask("OPTIONS", "/api/matches", undefined, undefined, { Origin: "http://elsewhere.example" });
    expect(other.headers.get("access-control-allow-origin")).toBe(null);
  });
});

test.each([
  ["a view", () => `/api/matches/${match}`, () => mira],
  ["a machine", () => "/api/machines/KiteDuel", () => admin],
])("%s that is still what one has is not sent again, whoever asks", async (_, path, key) => {
  const asked = (etag?: string) =>
    fetch(`${running.address}${path()}`, {
      headers: { Authorization: `Bearer ${key()}`, ...(etag !== undefined && { "If-None-Match": etag }) },
    });
  const first = await asked();
  const etag = first.headers.get("etag") ?? "";
  expect([first.status, etag]).toEqual([200, expect.stringMatching(/^"/)]);
  const again = await asked(`"another", ${etag}`);
  expect([again.status, await again.text(), again.headers.get("etag")]).toEqual([304, "", etag]);
  expect((await asked('"another"')).status).toBe(200);
});

test("whoever asks too much is told how much was allowed and when to come again", async () => {
  const { key } = await client.addPerson({ name: "Eager" }, admin);
  const answers = await Promise.all(Array.from({ length: 130 }, () => ask("POST", "/api/matches", key, {})));
  expect(answers.filter((a) => a.status === 400)).toHaveLength(120);
  const refused = answers.find((a) => a.status === 429);
  expect([refused?.code, Number(refused?.headers.get("retry-after")) > 0]).toEqual(["tooMany", true]);
  expect((await ask("GET", "/api/me", key)).status).toBe(200);
});

test("streams and open matches are counted by key; one too many is told both numbers", async () => {
  const folder = newFolder();
  execFileSync(process.execPath, [ZANY, "admin", "--data", folder]);
  const guests = await startService(folder, "--proxy", "--guests", "--demo");
  try {
    const guest = new ZanyClient(guests.address);
    const { key } = await guest.addPerson({ name: "Gull" });
    const begin = () => guest.beginMatch({ machine: "KiteDuel", open: ["south"] }, key);
    const begun = await begin();
    for (let i = 1; i < 20; i++) await begin();
    await expect(begin()).rejects.toMatchObject({
      status: 429,
      code: "tooManyOpen",
      document: { open: 20, allowed: 20 },
    });
    await guest.cancel(begun.id, key);
    await begin();
    // Whoever becomes one guest after another comes from the same address all the same.
    const from = async (address: string, path: string, body: object, of?: string) => {
      const headers = { "Content-Type": "application/json", "X-Forwarded-For": address };
      const response = await fetch(`${guests.address}${path}`, {
        method: "POST",
        headers: { ...headers, ...(of !== undefined && { Authorization: `Bearer ${of}` }) },
        body: JSON.stringify(body),
      });
      return { status: response.status, retry: response.headers.get("retry-after"), ...(await response.json()) };
    };
    const flock = [];
    for (let i = 0; i < 11; i++) flock.push((await from("203.0.113.7", "/api/people", { name: `Gull ${i}` })).key);
    const wish = { machine: "KiteDuel", open: ["south"] };
    const each = await Promise.all(
      flock.flatMap((of) => Array.from({ length: 19 }, () => from("203.0.113.7", "/api/matches", wish, of))),
    );
    expect(each.filter(({ status }) => status === 201)).toHaveLength(200);
    expect(each.find(({ status }) => status === 429)).toMatchObject({
      code: "tooManyOpen",
      open: 200,
      allowed: 200,
      retry: "60",
    });
    expect(await from("203.0.113.8", "/api/matches", wish, flock[10])).toMatchObject({ status: 201 });
    const one = each.find(({ status }) => status === 201);
    const owner = flock[Math.floor(each.indexOf(one) / 19)] ?? "";
    await guest.cancel(one.id, owner);
    expect(await from("203.0.113.7", "/api/matches", wish, owner)).toMatchObject({ status: 201 });
    const stop = new AbortController();
    const stream = () =>
      fetch(`${guests.address}/api/me/stream`, { headers: { Authorization: `Bearer ${key}` }, signal: stop.signal });
    // Held until the end: a response that nobody holds is closed by the garbage collector.
    const held = [];
    for (let i = 0; i < 200; i++) held.push(await stream());
    expect(held.filter(({ status }) => status === 200)).toHaveLength(200);
    const refused = await stream();
    expect(refused.status).toBe(429);
    expect(await refused.json()).toMatchObject({ code: "tooManyStreams", open: held.length, allowed: 200 });
    stop.abort();
    await expect
      .poll(
        async () =>
          (
            await fetch(`${guests.address}/api/me/stream`, {
              headers: { Authorization: `Bearer ${key}` },
              signal: AbortSignal.timeout(5_000),
            })
          ).status,
      )
      .toBe(200);
  } finally {
    await guests.stop();
  }
});
