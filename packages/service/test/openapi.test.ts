/**
 * The OpenAPI document: made anew it is the one that is served, a public linter finds nothing, and what the service
 * answers is what it says, for every operation.
 */

import { execFileSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { createConfig, lintFromString } from "@redocly/openapi-core";
import { ZanyClient } from "@zany/client";
import Ajv2020 from "ajv/dist/2020.js";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { type Exchange, examplesPage, shapeOf, shown } from "./http-examples.js";
import { newFolder, ROOT, type Running, startService, ZANY } from "./running.js";

const FILE = join(ROOT, "packages/service/src/http/openapi.json");
const DUEL = readFileSync(join(ROOT, "examples/kite-duel.zany"), "utf8");
const LOGBOOK = readFileSync(join(ROOT, "examples/logbooks/kite-duel-01.jsonl"), "utf8");

interface Described {
  readonly operationId: string;
  readonly summary: string;
  readonly requestBody?: { readonly content: Readonly<Record<string, { readonly schema: object }>> };
  readonly responses: Readonly<
    Record<
      string,
      {
        readonly headers?: Readonly<Record<string, object>>;
        readonly content?: Readonly<Record<string, { readonly schema: object }>>;
      }
    >
  >;
}
interface Document {
  readonly paths: Readonly<Record<string, Readonly<Record<string, Described>>>>;
  readonly components: {
    readonly schemas: Readonly<Record<string, object>>;
    readonly headers: Readonly<Record<string, { readonly required: boolean }>>;
  };
}

const document = JSON.parse(readFileSync(FILE, "utf8")) as Document;
const operations = Object.entries(document.paths).flatMap(([path, methods]) =>
  Object.entries(methods).map(([method, described]) => ({
    method: method.toUpperCase(),
    pattern: new RegExp(`^${path.replace(/\{\w+\}/g, "[^/]+")}$`),
    described,
  })),
);

/** What programs may go by in the header of an answer. */
const TOLD_IN_HEADER = ["ETag", "Link", "Location", "Retry-After", "WWW-Authenticate"];

let running: Running;
/** Answers as they came, with the operation each belongs to. */
const answered: { readonly id: string; readonly status: number; readonly wrong: unknown }[] = [];
const ownFetch = globalThis.fetch;
const ajv = new Ajv2020({ strict: false });
ajv.addSchema({ $id: "doc", components: document.components });

/** The first exchange of each operation for each status. */
const exchanges = new Map<string, Exchange>();

/** Compares a request and its answer with what the document says of them. */
async function compare(method: string, url: string, asked: unknown, response: Response): Promise<void> {
  const { pathname, search } = new URL(url);
  const operation = operations.find((o) => o.method === method && o.pattern.test(pathname));
  if (!operation) throw new Error(`${method} ${pathname} is not in the document`);
  const { operationId: id, responses } = operation.described;
  const { status } = response;
  const said = responses[String(status)];
  const [type = ""] = (response.headers.get("content-type") ?? "").split(";");
  const text = await response.text();
  const isJson = type.endsWith("json") && type !== "application/x-ndjson";
  const body = asked === undefined ? undefined : jsonOf(String(asked));
  if (!exchanges.has(`${id} ${status}`))
    exchanges.set(`${id} ${status}`, {
      ...{ id, method, path: String(shown(`${pathname}${search}`)), status, type, body: shown(body) },
      answer: text === "" ? undefined : shown(isJson ? JSON.parse(text) : text),
    });
  const schema = said?.content?.[type]?.schema;
  let wrong: unknown = said === undefined ? `no ${status}` : status !== 204 && !schema ? `no ${type}` : null;
  if (schema && type.includes("json") && type !== "application/x-ndjson") {
    const valid = ajv.compile(within(schema));
    if (!valid(JSON.parse(text))) wrong = valid.errors;
  }
  // All that is said of an answer's header is there, and nothing else that programs go by.
  const told = TOLD_IN_HEADER.filter((name) => response.headers.has(name));
  const needed = Object.keys(said?.headers ?? {}).filter((name) => document.components.headers[name]?.required);
  const missing = needed.filter((name) => !response.headers.has(name));
  const more = told.filter((name) => said?.headers?.[name] === undefined);
  if (missing.length + more.length > 0) wrong = `header: without ${missing}, with ${more}`;
  const takes = operation.described.requestBody?.content["application/json"]?.schema;
  if (takes && status < 300 && body !== undefined) {
    const valid = ajv.compile(within(takes));
    if (!valid(body)) wrong = valid.errors;
  }
  answered.push({ id, status, wrong });
}

const within = (schema: object): object =>
  JSON.parse(JSON.stringify(schema).replaceAll("#/components", "doc#/components")) as object;

function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return text;
  }
}

beforeAll(async () => {
  const folder = newFolder();
  const said = execFileSync(process.execPath, [ZANY, "admin", "--data", folder], { encoding: "utf8" });
  const admin = / once: (\S+)/.exec(said)?.[1] ?? "";
  running = await startService(folder, "--host", "0.0.0.0");
  globalThis.fetch = async (input, init) => {
    const response = await ownFetch(input, init);
    const streams = String(input).includes("/stream");
    const copy = streams ? new Response("", response) : response.clone();
    await compare(init?.method ?? "GET", String(input), init?.body ?? undefined, copy);
    return response;
  };
  await everything(new ZanyClient(running.address), admin);
});
afterAll(() => {
  globalThis.fetch = ownFetch;
  return running.stop();
});

const send = (method: string, path: string, key: string, body?: string, type = "application/json") =>
  fetch(`${running.address}${path}`, {
    method,
    headers: { Authorization: `Bearer ${key}`, ...(body !== undefined && { "Content-Type": type }) },
    ...(body !== undefined && { body }),
  });

/** Asks everything once, and some of it in a way that is refused. */
async function everything(client: ZanyClient, admin: string): Promise<void> {
  const refused = (asked: Promise<unknown>) =>
    asked.then(
      () => Promise.reject(new Error("not refused")),
      () => {},
    );
  await send("POST", "/api/machines", admin, JSON.stringify({ text: DUEL }));
  await send("POST", "/api/machines", admin, JSON.stringify({ text: DUEL }));
  await send("POST", "/api/machines", admin, JSON.stringify({ text: "machine" }));
  const host = (await client.addPerson({ name: "Fair", handle: "fair", host: true }, admin)).key;
  const mira = (await client.addPerson({ name: "Mira", handle: "mira" }, admin)).key;
  const olle = (await client.addPerson({ name: "Olle", handle: "olle" }, admin)).key;
  await refused(client.addPerson({ name: "Olle", handle: "olle" }, admin));
  for (const path of ["/api/machines", "/api/machines/KiteDuel", "/api/people"]) await send("GET", path, admin);
  const duel = await client.beginMatch(
    { machine: "KiteDuel", people: { north: "mira" }, links: ["south"], seed: "a" },
    mira,
  );
  await refused(client.beginMatch({ machine: "Nothing" }, mira));
  const guest = await client.redeem(duel.id, duel.links["south"]?.split("#")[1] ?? "", "Somebody");
  await refused(client.redeem(duel.id, "used", "Somebody"));
  await client.link(duel.id, mira, "south");
  const key = (await client.redeem(duel.id, (await client.link(duel.id, mira, "south")).link.split("#")[1] ?? "")).key;
  await refused(client.match(duel.id, guest.key));
  const onTurn = (await client.match(duel.id, mira)).view.turn[0] === "north" ? mira : key;
  await client.choose(duel.id, onTurn, "slash", {});
  await refused(client.act(duel.id, onTurn === mira ? key : mira, "brace", {}));
  await client.act(duel.id, onTurn, "brace", {}, 1);
  await refused(client.act(duel.id, onTurn === mira ? key : mira, "brace", {}, 0));
  await client.watcher(duel.id, mira);
  await client.revokeWatchers(duel.id, mira);
  await client.ticket(duel.id, mira);
  await send("POST", "/api/me/tickets", mira);
  for (const path of [`/api/matches/${duel.id}/stream`, "/api/me/stream"]) {
    const abort = new AbortController();
    await fetch(`${running.address}${path}`, { headers: { Authorization: `Bearer ${mira}` }, signal: abort.signal });
    abort.abort();
  }
  await client.claim(duel.id, key, olle);
  await client.leave(duel.id, olle, "south");
  await client.confirm(duel.id, mira);
  await client.rematch(duel.id, mira);
  await client.matchLogbook(duel.id, mira);
  const hosted = await client.beginMatch({ machine: "KiteDuel", open: ["south"], clock: "manual" }, host);
  await client.lobby(olle);
  await client.invite(hosted.id, host, "south", "olle");
  await client.withdraw(hosted.id, olle, "south");
  await refused(client.event(hosted.id, host, "Nothing", {}));
  await client.wait(hosted.id, host, 1_000);
  await client.setBot(hosted.id, host, "north", "careful");
  await refused(client.resume(hosted.id, host));
  await client.cancel(hosted.id, host);
  const open = await client.beginMatch({ machine: "KiteDuel", open: ["south"] }, host);
  await client.join(open.id, "south", olle);
  for (let i = 0; i < 2; i++) await client.playAnyone({ machine: "KiteDuel" }, olle);
  await client.myMatches(olle);
  await client.notices(olle);
  await client.matches({}, host);
  await client.tallies(["seat"], {}, olle);
  await client.person("mira", olle);
  await client.rename(olle, "Olle of the mole");
  const phone = await client.addKey(olle, "phone");
  await client.me(olle);
  await client.revokeKey(olle, phone.id);
  await client.playedWith(olle);
  await client.replaceKey(admin, "olle", "new");
  await client.people(admin);
  await client.revokeKeys(admin, "olle");
  await send("POST", "/api/logbooks?name=one", admin, LOGBOOK, "application/x-ndjson");
  const hook = await client.addHook("https://game.example/told", host);
  await client.hooks(host);
  await client.deadDeliveries(hook.id, host);
  await client.limits();
  await client.trace(hosted.id, 0, host);
  await client.removeHook(hook.id, host);
  const logbooks = (await (await send("GET", "/api/logbooks", admin)).json()) as { logbooks: { id: string }[] };
  await send("GET", `/api/logbooks/${logbooks.logbooks[0]?.id}`, admin);
  await send("POST", `/api/logbooks/${logbooks.logbooks[0]?.id}/verify`, admin, "{}");
  const maker = new ZanyClient(running.address, () => admin);
  const job = await maker.addJob({ kind: "verify" });
  for await (const _ of maker.followJob(job.id));
  await maker.jobs({ kind: "verify" });
  await maker.job(job.id);
  await maker.jobResult(job.id);
  await maker.cancelJob(job.id);
}

describe("the OpenAPI document", () => {
  test("has nothing that a public linter finds", async () => {
    const config = await createConfig({ extends: ["recommended"] });
    const found = await lintFromString({ source: readFileSync(FILE, "utf8"), absoluteRef: FILE, config });
    expect(found.map((p) => `${p.ruleId} ${p.message} ${p.location[0]?.pointer}`)).toEqual([]);
  });

  test.each(operations.map((o) => o.described.operationId))("says what %s is answered with", (id) => {
    const own = answered.filter((answer) => answer.id === id);
    expect(own.filter(({ wrong }) => wrong !== null)).toEqual([]);
    const succeeds = id === "event" || id === "resume" ? 409 : 204;
    expect(own.map(({ status }) => status <= succeeds)).toContain(true);
  });

  test("docs/http-examples.md shows every operation and answer, as the service gives them", () => {
    const all = operations.flatMap(({ described: { operationId } }) =>
      [...exchanges.values()].filter(({ id }) => id === operationId).sort((a, b) => a.status - b.status),
    );
    const words = new Map(operations.map(({ described }) => [described.operationId, described.summary]));
    const file = join(ROOT, "docs/http-examples.md");
    const page = examplesPage(all, words);
    if (process.env["ZANY_WRITE_EXAMPLES"]) writeFileSync(file, page);
    const kept = readFileSync(file, "utf8");
    const blocks = (text: string) =>
      [...text.matchAll(/```http\n([\s\S]*?)```/g)].map(([, block = ""]) => {
        const [first = "", ...rest] = block.split("\n\n");
        return [first, shapeOf(jsonOf(rest.join("\n\n")))];
      });
    expect(blocks(kept)).toEqual(blocks(page));
  });

  test("an address takes the methods it says; another is 405 with those, and an unknown address is 404", async () => {
    const wrong = await ownFetch(`${running.address}/api/machines/KiteDuel`, { method: "PUT" });
    expect([wrong.status, wrong.headers.get("allow")]).toEqual([405, "GET, HEAD"]);
    const nowhere = await ownFetch(`${running.address}/api/nowhere`);
    expect([nowhere.status, nowhere.headers.get("content-type")]).toEqual([
      404,
      "application/problem+json; charset=utf-8",
    ]);
  });

  test("every problem that can be answered has a page that explains it", async () => {
    const source = execFileSync(
      "grep",
      ["-rhoE", '"[a-z]+[A-Za-z]*",$|Problem\\([^,]+, "[A-Za-z]+"', "packages/service/src"],
      { cwd: ROOT, encoding: "utf8" },
    );
    const codes = [...source.matchAll(/Problem\([^,]+, "(\w+)"/g)].map(([, code = ""]) => code);
    expect(codes.length).toBeGreaterThan(30);
    for (const code of new Set(codes)) {
      const page = await ownFetch(`${running.address}/problems/${code}`);
      expect([code, page.status]).toEqual([code, 200]);
    }
  });

  test("is made of the schemas as they are, and served", async () => {
    const served = await ownFetch(`${running.address}/api/openapi.json`);
    expect(await served.json()).toEqual(document);
    const made = join(newFolder(), "openapi.json");
    execFileSync(process.execPath, ["scripts/run-ts.mjs", "scripts/make-openapi.ts", made], { cwd: ROOT });
    expect(readFileSync(made, "utf8")).toBe(readFileSync(FILE, "utf8"));
  });
});
