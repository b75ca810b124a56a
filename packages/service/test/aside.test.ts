/**
 * Matches of large machines, which are played in a thread of their own: for whoever plays them there is no
 * difference.
 */

import { once } from "node:events";
import { join } from "node:path";
import { type HostedMatch, ServiceProblem, ZanyClient } from "@zany/client";
import { compile, Runnable, verifyText } from "@zany/core";
import { DatabaseSync } from "@photostructure/sqlite";
import express, { type RequestHandler } from "express";
import { pino } from "pino";
import { expect, test } from "vitest";
import { Aside } from "../src/aside/aside.js";
import { problemHandler } from "../src/problems.js";
import { Store } from "../src/storage/store.js";
import { newFolder, startService } from "./running.js";

/** A long text, by its comment. */
const large = (text: string): string => `${text}// ${"The gale howls. ".repeat(1_000)}\n`;

const BELLS = `machine Bells
seats left, right
data { rung: int 0..1000000  struck: int 0..99999 }
policy eager { else: ring }
start Open
state Open {
  turn of seats
  action ring { rung += 1 note "{me} rings" } -> stay
  action hush -> Quiet
  start Still
  state Still { after 800ms { struck += 1 } -> Ringing }
  state Ringing { after 800ms -> Still }
}
state Quiet { turn of seats after 50ms -> Late(1 / (rung - 1))  action wake -> Open }
state Late(n: num) { turn of seats action back -> Open }
ending Over { draws all }
`;
const MENDED = BELLS.replace("1 / (rung - 1)", "1 / max(1, rung - 1)");

/** Which matches of a data folder are played aside. */
function playedAside(folder: string): unknown[] {
  const sqlite = new DatabaseSync(join(folder, "zany.db"));
  const rows = sqlite.prepare("SELECT id, aside FROM matches ORDER BY created").all();
  sqlite.close();
  return rows;
}

async function begunOn(client: ZanyClient, text: string, open: string[] = []): Promise<HostedMatch & { left: string }> {
  const { hash } = await client.addMachine(text);
  const match = await client.beginMatch({ machine: hash, open });
  return { ...match, left: match.keys["left"] ?? "" };
}

const datum = async (client: ZanyClient, id: string, name: string): Promise<unknown> =>
  (await client.match(id)).view.data.find((d) => d.name === name)?.value;

test("a match of a large machine is played like any other, over kill -9 and an orderly stop", async () => {
  const folder = newFolder();
  let running = await startService(folder);
  let client = new ZanyClient(running.address);
  const match = await begunOn(client, large(BELLS), ["right"]);
  const { id, left } = match;
  const small = await begunOn(client, BELLS);

  const stream = await fetch(`${running.address}/api/matches/${id}/stream?from=0`);
  const reader = (stream.body as ReadableStream<Uint8Array>).getReader();
  let heard = "";
  const listening = (async () => {
    for (let read = await reader.read(); !read.done; read = await reader.read())
      heard += new TextDecoder().decode(read.value);
  })().catch(() => {});

  const joined = await client.join(id, "right");
  const doubled = { action: "ring", args: {}, request: "once" };
  const send = (key: string, body: object): Promise<Response> =>
    fetch(`${running.address}/api/matches/${id}/actions`, {
      method: "POST",
      headers: { "Content-Type": "application/json", Authorization: `Bearer ${key}` },
      body: JSON.stringify(body),
    });
  const answers = await Promise.all([send(joined.key, doubled), send(joined.key, doubled)]);
  expect(answers.map((a) => a.status)).toEqual([200, 200]);
  expect((await send("wrong", doubled)).status).toBe(401);
  expect((await send(joined.key, { ...doubled, step: 0, request: "late" })).status).toBe(412);
  await client.setBot(id, match.hostKey, "left", "eager");
  await expect.poll(() => datum(client, id, "rung")).toBeGreaterThan(1);
  await client.setBot(id, match.hostKey, "left", null);
  await expect.poll(() => datum(client, id, "struck")).toBeGreaterThan(0);
  const rung = await datum(client, id, "rung");
  await expect.poll(() => heard).toContain('"right rings"');

  await running.stop("SIGKILL");
  await listening;
  running = await startService(folder);
  client = new ZanyClient(running.address);
  const struck = (await datum(client, id, "struck")) as number;
  expect(await datum(client, id, "rung")).toBe(rung);
  await expect.poll(() => datum(client, id, "struck")).toBeGreaterThan(struck);
  await client.cancel(id, match.hostKey);
  const logbook = await client.matchLogbook(id, left);
  expect(verifyText(new Runnable(compile(large(BELLS)).machine), logbook).kind).toBe("verified");
  expect((await client.matches()).items.map((m) => m.id).sort()).toEqual([id, small.id].sort());
  expect(await running.stop()).toBe(0);
  expect(playedAside(folder)).toEqual([
    { id, aside: 1 },
    { id: small.id, aside: 0 },
  ]);
});

test.each([
  ["becomes large", BELLS, large(MENDED)],
  ["is large no more", large(BELLS), MENDED],
])("a match goes on where it belongs when its mended machine %s", async (_, text, mended) => {
  const folder = newFolder();
  const running = await startService(folder);
  const client = new ZanyClient(running.address);
  const { id, left, hostKey } = await begunOn(client, text);
  // At whatever step it is: its clock may strike between looking and acting.
  const act = (action: string): Promise<unknown> => client.act(id, left, action, {});
  await act("ring");
  await act("hush");
  await expect.poll(async () => (await client.match(id)).suspended).not.toBe(null);
  const { hash } = await client.addMachine(mended);
  expect((await client.resume(id, hostKey, hash)).machine.hash).toBe(hash);
  await expect.poll(async () => (await client.match(id)).view.here).toEqual(["Late"]);
  await act("back");
  await expect.poll(() => datum(client, id, "struck")).toBeGreaterThan(0);
  expect(await running.stop()).toBe(0);
  expect(playedAside(folder)).toEqual([{ id, aside: mended === MENDED ? 0 : 1 }]);
});

test("a match that goes on is not handed over: its line of inputs and its streams stay", async () => {
  const running = await startService(newFolder());
  const client = new ZanyClient(running.address);
  const { id, left, hostKey } = await begunOn(client, BELLS);
  const { hash } = await client.addMachine(large(MENDED));
  const { body } = await fetch(`${running.address}/api/matches/${id}/stream?from=0`);
  const reader = (body as ReadableStream<Uint8Array>).getReader();
  const refused = await client.resume(id, hostKey, hash).catch((e: unknown) => e);
  expect(refused).toMatchObject({ status: 409, code: "notSuspended" });
  await client.act(id, left, "ring", {});
  let heard = "";
  while (!heard.includes('"left rings"')) {
    const { value, done } = await reader.read();
    if (done) throw new Error(`The stream ended after: ${heard}`);
    heard += new TextDecoder().decode(value);
  }
  await reader.cancel();
  await running.stop();
});

test("while the thread is set up again, what is asked of it is refused for a while", async () => {
  const folder = newFolder();
  const file = join(folder, "zany.db");
  const store = await Store.open(file);
  const log = pino({ level: "silent" });
  // Answers once, then ends in the middle of a request.
  const program = `import { createServer } from "node:http";
import { parentPort } from "node:worker_threads";
let requests = 0;
const server = createServer((request, response) => (requests++ ? process.exit(1) : response.end("here")));
server.listen(0, "127.0.0.1", () => parentPort.postMessage({ port: server.address().port }));
parentPort.once("message", () => process.exit(0));`;
  const url = new URL(`data:text/javascript,${encodeURIComponent(program)}`);
  const aside = new Aside(
    file,
    store,
    { name: "", doors: { open: true, guests: false }, keepsRefusals: false, patience: { idle: 1e9 } },
    log,
    { comesBack() {}, noticed() {}, revoked() {} },
    url,
  );
  const app = express();
  const passedOn: RequestHandler = (request, response, next) => void aside.forward(request, response).catch(next);
  app.use(passedOn, problemHandler(log));
  const server = app.listen(0, "127.0.0.1");
  await once(server, "listening");
  const { port } = server.address() as { port: number };
  const ask = async (): Promise<[number, string]> => {
    const response = await fetch(`http://127.0.0.1:${port}/any`, { headers: { Connection: "close" } });
    return [response.status, await response.text()];
  };
  expect(await ask()).toEqual([200, "here"]);
  expect(await ask()).toEqual([503, expect.stringContaining("asideFails")]);
  await expect.poll(ask, { interval: 300 }).toEqual([200, "here"]);
  await aside.stop();
  expect((await ask())[0]).toBe(503);
  server.close();
  await store.close();
});

test("problems of a match aside are told as those of any other", async () => {
  const running = await startService(newFolder());
  const client = new ZanyClient(running.address);
  const { id, left } = await begunOn(client, large(BELLS));
  const refused = await client.act(id, left, "rign", {}, 0).catch((e: unknown) => e);
  expect(refused).toBeInstanceOf(ServiceProblem);
  expect(refused).toMatchObject({ status: 409, code: expect.stringMatching(/unknownAction|stale/) });
  const broken = await fetch(`${running.address}/api/matches/${id}/actions`, {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: "{",
  });
  expect([broken.status, (await broken.json()) as unknown]).toMatchObject([400, { code: "badJson" }]);
  const nowhere = await fetch(`${running.address}/api/matches/${id}/nowhere`);
  expect([nowhere.status, (await nowhere.json()) as unknown]).toMatchObject([404, { code: "noSuchAddress" }]);
  await running.stop();
});
