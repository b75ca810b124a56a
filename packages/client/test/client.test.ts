/** The client against a service that is played here: what it sends, what it makes of answers, how it follows. */

import { createServer, type IncomingMessage, type Server, type ServerResponse } from "node:http";
import type { AddressInfo } from "node:net";
import { type MatchUpdate, ServiceProblem, ZanyClient } from "@zany/client";
import { afterEach, describe, expect, test } from "vitest";

interface Heard {
  readonly line: string;
  readonly key: string | undefined;
  readonly type: string | undefined;
  readonly lastEvent: string | undefined;
  readonly body: string;
}

type Answer = (response: ServerResponse, request: IncomingMessage, number: number) => void;

let server: Server | undefined;
const heard: Heard[] = [];

/** Starts a service that answers everything in one way, and keeps what it heard. */
async function serviceThat(answer: Answer): Promise<ZanyClient> {
  heard.length = 0;
  const started = createServer((request, response) => {
    let body = "";
    request.on("data", (chunk: Buffer) => (body += chunk.toString()));
    request.on("end", () => {
      const { authorization, "content-type": type, "last-event-id": lastEvent } = request.headers;
      heard.push({
        line: `${request.method} ${request.url}`,
        key: authorization,
        type,
        lastEvent: typeof lastEvent === "string" ? lastEvent : undefined,
        body,
      });
      answer(response, request, heard.length);
    });
  });
  server = started;
  await new Promise<void>((resolve) => started.listen(0, "127.0.0.1", resolve));
  return new ZanyClient(`http://127.0.0.1:${(started.address() as AddressInfo).port}//`);
}

afterEach(async () => {
  const stopping = server;
  server = undefined;
  if (!stopping) return;
  stopping.closeAllConnections();
  await new Promise((resolve) => stopping.close(resolve));
});

const json =
  (value: unknown, status = 200): Answer =>
  (response) =>
    response.writeHead(status, { "Content-Type": "application/json" }).end(JSON.stringify(value));

const everything = { machines: [], matches: [], logbooks: [] };

/** A call, and the request that it is. */
const CALLS: readonly (readonly [
  string,
  (client: ZanyClient) => Promise<unknown>,
  string,
  string | undefined,
  unknown,
])[] = [
  ["machines", (c) => c.machines(), "GET /api/machines?limit=500", undefined, undefined],
  ["machine", (c) => c.machine("Kite Duel@2"), "GET /api/machines/Kite%20Duel%402", undefined, undefined],
  [
    "addMachine",
    (c) => c.addMachine("machine M"),
    "POST /api/machines",
    undefined,
    { text: "machine M", parts: {}, words: "" },
  ],
  [
    "addMachine of several files",
    (c) => c.addMachine("machine M", { "a/b.zany": "" }),
    "POST /api/machines",
    undefined,
    { text: "machine M", parts: { "a/b.zany": "" }, words: "" },
  ],
  ["matches", (c) => c.matches(), "GET /api/matches", undefined, undefined],
  [
    "matches of a machine",
    (c) => c.matches({ machine: "A&B", status: "running" }),
    "GET /api/matches?machine=A%26B&status=running",
    undefined,
    undefined,
  ],
  [
    "beginMatch",
    (c) => c.beginMatch({ machine: "M", seed: "s", clock: "manual" }),
    "POST /api/matches",
    undefined,
    { machine: "M", seed: "s", clock: "manual" },
  ],
  ["match as a watcher", (c) => c.match("m/1"), "GET /api/matches/m%2F1", undefined, undefined],
  ["match with a key", (c) => c.match("m1", "k"), "GET /api/matches/m1", "k", undefined],
  [
    "act",
    (c) => c.act("m1", "k", "go", { to: "3,4" }, 7),
    "POST /api/matches/m1/actions",
    "k",
    { action: "go", args: { to: "3,4" }, step: 7 },
  ],
  [
    "act by a name of one's own",
    (c) => c.act("m1", "k", "go", {}, 0, "once"),
    "POST /api/matches/m1/actions",
    "k",
    { action: "go", args: {}, step: 0, request: "once" },
  ],
  [
    "choose",
    (c) => c.choose("m1", "k", "go", { to: "3,4" }),
    "POST /api/matches/m1/options",
    "k",
    { action: "go", args: { to: "3,4" } },
  ],
  [
    "event",
    (c) => c.event("m1", "h", "Gust", { force: 3 }, "again"),
    "POST /api/matches/m1/events",
    "h",
    { event: "Gust", args: { force: 3 }, request: "again" },
  ],
  ["wait to the next timer", (c) => c.wait("m1", "h"), "POST /api/matches/m1/wait", "h", {}],
  ["wait for a time", (c) => c.wait("m1", "h", 5000), "POST /api/matches/m1/wait", "h", { by: 5000 }],
  ["join", (c) => c.join("m1", "north"), "POST /api/matches/m1/seats/north", undefined, undefined],
  ["leave", (c) => c.leave("m1", "k", "north"), "DELETE /api/matches/m1/seats/north", "k", undefined],
  [
    "setBot",
    (c) => c.setBot("m1", "h", "north", "random"),
    "PUT /api/matches/m1/bots/north",
    "h",
    { policy: "random" },
  ],
  [
    "setBot to nobody",
    (c) => c.setBot("m1", "h", "north", null),
    "PUT /api/matches/m1/bots/north",
    "h",
    { policy: null },
  ],
  ["matchLogbook", (c) => c.matchLogbook("m1", "k"), "GET /api/matches/m1/logbook", "k", undefined],
  ["logbooks", (c) => c.logbooks(), "GET /api/logbooks?limit=500", undefined, undefined],
  ["logbook", (c) => c.logbook("l 1"), "GET /api/logbooks/l%201", undefined, undefined],
  ["verifyLogbook", (c) => c.verifyLogbook("l1"), "POST /api/logbooks/l1/verify", undefined, {}],
  [
    "verifyLogbook against a version",
    (c) => c.verifyLogbook("l1", "M@2"),
    "POST /api/logbooks/l1/verify",
    undefined,
    { machine: "M@2" },
  ],
];

describe("a call is one request", () => {
  test.each(CALLS)("%s", async (_name, call, line, key, body) => {
    const client = await serviceThat(json(everything));
    await call(client);
    expect(heard).toHaveLength(1);
    const [request] = heard;
    expect(request?.line).toBe(line);
    expect(request?.key).toBe(key === undefined ? undefined : `Bearer ${key}`);
    expect(request?.type).toBe(body === undefined ? undefined : "application/json");
    expect(request?.body === "" ? undefined : JSON.parse(request?.body ?? "")).toEqual(body);
  });

  test("a logbook goes as the text it is", async () => {
    const client = await serviceThat(json({ id: "l1" }));
    expect(await client.addLogbook('{"zany":"logbook"}\n', "a b.jsonl")).toEqual({ id: "l1" });
    expect(heard[0]).toMatchObject({
      line: "POST /api/logbooks?name=a%20b.jsonl",
      type: "application/x-ndjson",
      body: '{"zany":"logbook"}\n',
    });
  });
});

describe("what a service refuses", () => {
  const problemOf = (promise: Promise<unknown>): Promise<ServiceProblem> =>
    promise.then(
      () => Promise.reject(new Error("it was accepted")),
      (error: unknown) => (error instanceof ServiceProblem ? error : Promise.reject(error)),
    );

  test("is a problem with its status, code, words and whole document", async () => {
    const document = { code: "stale", detail: "The step is 4 by now.", status: 409, view: { step: 4 } };
    const client = await serviceThat(json(document, 409));
    const problem = await problemOf(client.act("m1", "k", "go", {}, 3));
    expect(problem).toMatchObject({ status: 409, code: "stale", message: "The step is 4 by now." });
    expect(problem.document).toEqual(document);
  });

  test("may be no document at all: something in between answered", async () => {
    const client = await serviceThat((response) => response.writeHead(502).end("<h1>Bad Gateway</h1>"));
    expect(await problemOf(client.machines())).toMatchObject({
      status: 502,
      code: "unknown",
      message: "The service answered 502 Bad Gateway.",
    });
  });

  test("nobody answers: it says where it looked and what to do", async () => {
    const client = new ZanyClient("http://127.0.0.1:9");
    expect(await problemOf(client.machines())).toMatchObject({
      status: 0,
      code: "noService",
      message: "No service answers at http://127.0.0.1:9. Start one with: zany serve",
    });
  });
});

describe("following", () => {
  const step = (number: number): string => `id: ${number}\nevent: step\ndata: {"step":${number}}\n\n`;
  const now = (number: number): string => `event: now\ndata: {"view":{"step":${number}}}\n\n`;
  const stream = (response: ServerResponse): ServerResponse =>
    response.writeHead(200, { "Content-Type": "text/event-stream" });

  /** Collects updates until there are enough, then stops following. */
  async function collected(
    client: ZanyClient,
    many: number,
    options: { readonly key?: string; readonly after?: number } = {},
  ): Promise<string[]> {
    const stop = new AbortController();
    const seen: string[] = [];
    const word = (update: MatchUpdate): string =>
      update.kind === "step"
        ? `step ${update.line.step}`
        : update.kind === "now"
          ? `now ${update.match.view.step}`
          : "away";
    for await (const update of client.follow("m1", { ...options, signal: stop.signal })) {
      seen.push(word(update));
      if (seen.length === many) stop.abort();
    }
    return seen;
  }

  test("goes on after a lost connection with the step behind the last, none twice, none missed", async () => {
    const client = await serviceThat((response, _request, number) => {
      if (number === 1) stream(response).end(`${now(4)}${step(5)}${now(5)}`);
      else stream(response).write(`${step(6)}${now(6)}`);
    });
    expect(await collected(client, 6, { key: "k" })).toEqual(["now 4", "step 5", "now 5", "away", "step 6", "now 6"]);
    expect(heard.map((h) => [h.line, h.key, h.lastEvent])).toEqual([
      ["GET /api/matches/m1/stream", "Bearer k", undefined],
      ["GET /api/matches/m1/stream", "Bearer k", "5"],
    ]);
  });

  test("a connection lost before any step goes on from what was seen first", async () => {
    const client = await serviceThat((response, _request, number) => {
      if (number === 1) stream(response).end(now(4));
      else stream(response).write(`${step(5)}${now(5)}`);
    });
    expect(await collected(client, 4)).toEqual(["now 4", "away", "step 5", "now 5"]);
    expect(heard[1]?.lastEvent).toBe("4");
  });

  test("from the beginning, or from behind a step", async () => {
    const client = await serviceThat((response) => stream(response).write(`${step(0)}${now(0)}`));
    await collected(client, 2, { after: -1 });
    await collected(client, 2, { after: 7 });
    expect(heard.map((h) => [h.line, h.lastEvent])).toEqual([
      ["GET /api/matches/m1/stream?from=0", undefined],
      ["GET /api/matches/m1/stream", "7"],
    ]);
  });

  test("an event cut in the middle of a character is put together", async () => {
    const whole = Buffer.from('id: 1\nevent: step\ndata: {"step":1,"note":"Möwe ⛵"}\n\n');
    const client = await serviceThat((response) => {
      stream(response);
      response.write(whole.subarray(0, 45));
      setTimeout(() => response.write(whole.subarray(45)), 20);
    });
    const stop = new AbortController();
    for await (const update of client.follow("m1", { signal: stop.signal })) {
      expect(update).toEqual({ kind: "step", line: { step: 1, note: "Möwe ⛵" } });
      stop.abort();
    }
  });

  test("a service that is away for a moment is tried again; one that refuses is not", async () => {
    const back = await serviceThat((response, _request, number) => {
      if (number < 3) response.writeHead(503).end();
      else stream(response).write(now(2));
    });
    expect(await collected(back, 3)).toEqual(["away", "away", "now 2"]);
    server?.closeAllConnections();
    const refusing = await serviceThat(json({ code: "noSuchMatch", detail: "There is no match." }, 404));
    await expect(collected(refusing, 1)).rejects.toMatchObject({ status: 404, code: "noSuchMatch" });
    expect(heard).toHaveLength(1);
  });
});
