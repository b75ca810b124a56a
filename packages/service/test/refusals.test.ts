/** Every way in which the service refuses a request: its status, its code, and words that say what to do. */

import { readFileSync } from "node:fs";
import { ZanyClient } from "@zany/client";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { newFolder, ROOT, type Running, startService } from "./running.js";

/** A crossing that can fail in every way: a fault in an action, one in a timer, an event, a bot, an open seat. */
const CROSSING = `machine Crossing
seats skipper, mate
on Left(s) -> Home
event Gust(force: int 1..9)
data { load: list of int  speed: int 0..20 = 4 }
start Quay
state Quay {
  turn of skipper
  on Gust(force) { speed += force }
  action cast -> Under
  action drop { speed = load[3] } -> stay
  action row(hard: int 1..3) needs speed < 10 else "the wind does it" { speed += hard } -> stay
  action land -> Home
}
state Under {
  turn of mate
  after 400ms { speed = load[7] } -> Quay
  action reef -> Quay
}
policy careful { when true: land }
ending Home { draws all }
`;

const folder = newFolder();
let service: Running;
let client: ZanyClient;
/** A match on real time, its keys, and one on a manual clock. */
const names: Record<string, string> = {};

beforeAll(async () => {
  service = await startService(folder, "--log-level", "silent");
  client = new ZanyClient(service.address);
  await client.addMachine(CROSSING);
  const real = await client.beginMatch({ machine: "Crossing", seed: "refused" });
  const manual = await client.beginMatch({ machine: "Crossing", seed: "refused", clock: "manual" });
  const over = await client.beginMatch({ machine: "Crossing", seed: "refused" });
  await client.act(over.id, over.keys["skipper"] ?? "", "land", {}, 0);
  const open = await client.beginMatch({ machine: "Crossing", seed: "refused", open: ["mate"] });
  const bot = await client.beginMatch({ machine: "Crossing", seed: "refused", bots: { mate: "careful" } });
  const duel = readFileSync(`${ROOT}examples/logbooks/kite-duel-01.jsonl`, "utf8");
  Object.assign(names, {
    real: real.id,
    skipper: real.keys["skipper"],
    mate: real.keys["mate"],
    host: real.hostKey,
    manual: manual.id,
    manualHost: manual.hostKey,
    over: over.id,
    overSkipper: over.keys["skipper"],
    open: open.id,
    bot: bot.id,
    logbook: (await client.addLogbook(duel, "duel.jsonl")).id,
  });
});
afterAll(() => service.stop());

interface Sent {
  readonly method?: string;
  readonly path: string;
  readonly key?: string;
  readonly body?: unknown;
  readonly text?: string | Uint8Array<ArrayBuffer>;
  readonly headers?: Readonly<Record<string, string>>;
}

/** Names in braces stand for the ids and keys above. */
const filled = (text: string): string => text.replace(/\{(\w+)\}/g, (_, name: string) => names[name] ?? "");

async function send({ method = "POST", path, key, body, text, headers = {} }: Sent) {
  const response = await fetch(`${service.address}${filled(path)}`, {
    method,
    headers: {
      ...(key !== undefined && { Authorization: `Bearer ${filled(key)}` }),
      ...(body !== undefined && { "Content-Type": "application/json" }),
      ...headers,
    },
    ...(text !== undefined ? { body: text } : body !== undefined ? { body: JSON.stringify(body) } : {}),
  });
  const answer = (await response.json()) as Record<string, unknown>;
  return { type: response.headers.get("content-type"), answer };
}

const act = (action: string, args: object = {}, step = 0) => ({ action, args, step });

type Refusal = readonly [called: string, sent: Sent, status: number, code: string, detail: string | RegExp];

const REFUSALS: readonly Refusal[] = [
  // addresses and bodies
  ["an address that is none", { path: "/api/boats" }, 404, "noSuchAddress", "There is nothing at POST /api/boats."],
  [
    "no JSON",
    { path: "/api/matches", text: "{", headers: JSON_TYPE() },
    400,
    "badJson",
    /^The body is no JSON object: Expected .*position 1/,
  ],
  [
    "a body too large",
    { path: "/api/matches", text: `"${"x".repeat(8_400_000)}"`, headers: JSON_TYPE() },
    413,
    "tooLarge",
    "The body has 8400002 bytes, and this address takes 131072.",
  ],
  [
    "another charset",
    { path: "/api/matches", text: "{}", headers: { "Content-Type": "application/json; charset=klingon" } },
    415,
    "badContent",
    "Send UTF-8.",
  ],
  [
    "everything wrong is said at once",
    { path: "/api/matches", body: { seats: 99, clock: "sun", sail: 1 } },
    400,
    "badRequest",
    /^"machine" is required; "seats" is 99, and at most 30 is allowed; "clock" must be one of \[real, manual\]; "sail" is not allowed$/,
  ],
  ["no object", { path: "/api/matches", body: [] }, 400, "badRequest", /^A body that is an object is needed here/],
  ["nothing as JSON", { path: "/api/matches", text: "null", headers: JSON_TYPE() }, 400, "badJson", /no JSON object/],
  ["no body", { path: "/api/matches" }, 400, "badRequest", /^A body that is an object is needed here/],
  [
    "a name too long",
    { path: "/api/people", body: { name: "m".repeat(61) } },
    400,
    "badRequest",
    '"name" has 61 characters, and 60 are allowed',
  ],
  ...["matches", "machines", "lobby", "logbooks", "jobs"].map(
    (list): Refusal => [
      `a page of ${list} behind what no page has said`,
      { method: "GET", path: `/api/${list}?after=the%20pier` },
      400,
      "badRequest",
      '"after" is not the `next` of the page before',
    ],
  ),
  // machines
  [
    "a body that is no UTF-8",
    { path: "/api/matches", text: new Uint8Array([0x22, 0xff, 0x22]), headers: JSON_TYPE() },
    400,
    "notUtf8",
    "The body is no UTF-8 text.",
  ],
  [
    "a body of many entries",
    { path: "/api/matches", body: { machine: "Boat", given: { data: Array(6_000).fill(0) } } },
    400,
    "badRequest",
    "The body has more than 5000 entries.",
  ],
  [
    "a machine of many parts",
    {
      path: "/api/machines",
      body: { text: "machine M", parts: Object.fromEntries([...Array(6_000).keys()].map((i) => [i, ""])) },
    },
    400,
    "badRequest",
    "The body has more than 5000 entries.",
  ],
  ["a machine as text", { path: "/api/machines", text: "machine M" }, 415, "badContent", /application\/json/],
  [
    "a machine that is no UTF-8",
    { path: "/api/machines", text: new Uint8Array([0x22, 0xff, 0x22]), headers: JSON_TYPE() },
    400,
    "notUtf8",
    "The body is no UTF-8 text.",
  ],
  ["no text", { path: "/api/machines", body: {} }, 400, "badRequest", '"text" is required'],
  [
    "a machine that does not compile",
    { path: "/api/machines", body: { text: "machine M\n" } },
    422,
    "doesNotCompile",
    /^The machine does not compile: line \d+: /,
  ],
  ["an unknown machine", { method: "GET", path: "/api/machines/Raft" }, 404, "noSuchMachine", /"Raft"/],
  ["an unknown version", { method: "GET", path: "/api/machines/Crossing@9" }, 404, "noSuchMachine", /"Crossing@9"/],
  // beginning
  ["a match of no machine", { path: "/api/matches", body: { machine: "Raft" } }, 404, "noSuchMachine", /"Raft"/],
  [
    "a bot for a seat that is none",
    { path: "/api/matches", body: { machine: "Crossing", bots: { cook: "careful" } } },
    422,
    "noSuchSeat",
    /^This match has no seat "cook"\. There are skipper, mate/,
  ],
  [
    "a bot of a policy that is none",
    { path: "/api/matches", body: { machine: "Crossing", bots: { mate: "bold" } } },
    422,
    "noSuchPolicy",
    /^There is no policy "bold"\. There .*careful/,
  ],
  [
    "an open seat that is none",
    { path: "/api/matches", body: { machine: "Crossing", open: ["cook"] } },
    422,
    "badSeats",
    /cook/,
  ],
  [
    "given data that are none",
    { path: "/api/matches", body: { machine: "Crossing", given: { data: [{ path: "/data/sped", value: 1 }] } } },
    422,
    "badGiven",
    /sped/,
  ],
  [
    "given data of the wrong type",
    { path: "/api/matches", body: { machine: "Crossing", given: { data: [{ path: "/data/speed", value: "fast" }] } } },
    422,
    "badGiven",
    /speed/,
  ],
  [
    "given a state that is none",
    { path: "/api/matches", body: { machine: "Crossing", given: { state: { name: "Sea" } } } },
    422,
    "badGiven",
    /Sea/,
  ],
  [
    "a path that is no pointer",
    { path: "/api/matches", body: { machine: "Crossing", given: { data: [{ path: "speed", value: 1 }] } } },
    400,
    "badRequest",
    /JSON Pointer/,
  ],
  [
    "a handle that is none",
    { path: "/api/people", body: { name: "Mira", handle: "Big Name" } },
    400,
    "badRequest",
    '"handle" is not a handle: small letters, digits and hyphens',
  ],
  // who asks
  ["a match that is none", { method: "GET", path: "/api/matches/nowhere" }, 404, "noSuchMatch", /"nowhere"/],
  [
    "a header that is no key",
    { method: "GET", path: "/api/matches/{real}", headers: { Authorization: "Basic abc" } },
    401,
    "badKey",
    "The Authorization header is not of the form: Bearer KEY.",
  ],
  [
    "a key of no seat",
    { method: "GET", path: "/api/matches/{real}", key: "guess" },
    401,
    "badKey",
    "This key is not known here. It may have been revoked.",
  ],
  [
    "a key of another match",
    { method: "GET", path: "/api/matches/{manual}", key: "{skipper}" },
    403,
    "badKey",
    "This key is of another match.",
  ],
  ["acting without a key", { path: "/api/matches/{real}/actions", body: act("cast") }, 401, "noKey", /your seat's key/],
  [
    "telling of an event without a key",
    { path: "/api/matches/{real}/events", body: { event: "Gust", args: { force: 1 } } },
    401,
    "noKey",
    /the host's key/,
  ],
  [
    "telling of an event with a seat's key",
    { path: "/api/matches/{real}/events", key: "{mate}", body: { event: "Gust", args: { force: 1 } } },
    403,
    "badKey",
    /not the host's key/,
  ],
  [
    "acting with the host's key",
    { path: "/api/matches/{real}/actions", key: "{host}", body: act("cast") },
    400,
    "whichSeat",
    /one of skipper, mate/,
  ],
  [
    "leaving for somebody else",
    { method: "DELETE", path: "/api/matches/{real}/seats/mate", key: "{skipper}" },
    403,
    "badKey",
    "This key is not of mate.",
  ],
  [
    "a bot for somebody else's seat",
    { method: "PUT", path: "/api/matches/{real}/bots/mate", key: "{skipper}", body: { policy: "careful" } },
    403,
    "badKey",
    "This key is not of mate.",
  ],
  [
    "a bot without a key",
    { method: "PUT", path: "/api/matches/{real}/bots/mate", body: { policy: null } },
    401,
    "noKey",
    /the seat's key or the host's/,
  ],
  // acting
  [
    "a step that is none",
    { path: "/api/matches/{real}/actions", key: "{skipper}", body: { action: "cast", step: -1 } },
    400,
    "badRequest",
    /"step"/,
  ],
  [
    "another's turn",
    { path: "/api/matches/{real}/actions", key: "{mate}", body: act("cast") },
    409,
    "notYourTurn",
    "It is skipper's turn.",
  ],
  [
    "an action that is none",
    { path: "/api/matches/{real}/actions", key: "{skipper}", body: act("cats") },
    409,
    "unknownAction",
    /"cats".*"cast"/,
  ],
  [
    "an action of elsewhere",
    { path: "/api/matches/{real}/actions", key: "{skipper}", body: act("reef") },
    409,
    "notOpenHere",
    /reef/,
  ],
  [
    "an argument that is missing",
    { path: "/api/matches/{real}/actions", key: "{skipper}", body: act("row") },
    409,
    "badArgument",
    /hard/,
  ],
  [
    "an argument out of bounds",
    { path: "/api/matches/{real}/actions", key: "{skipper}", body: act("row", { hard: 7 }) },
    409,
    "badArgument",
    /hard/,
  ],
  [
    "an old step",
    { path: "/api/matches/{real}/actions", key: "{skipper}", body: act("cast", {}, 5) },
    412,
    "stale",
    /step/,
  ],
  [
    "a fault of the machine changes nothing",
    { path: "/api/matches/{real}/actions", key: "{skipper}", body: act("drop") },
    409,
    "fault",
    /^The machine is at fault here: .* Nothing was changed\.$/,
  ],
  [
    "a match that is over",
    { path: "/api/matches/{over}/actions", key: "{overSkipper}", body: act("land", {}, 1) },
    409,
    "matchOver",
    /over/,
  ],
  [
    "options of an action that is not open",
    { path: "/api/matches/{real}/options", key: "{skipper}", body: { action: "reef" } },
    404,
    "notOpenHere",
    '"reef" is not possible here.',
  ],
  // the game's part
  [
    "an event that is none",
    { path: "/api/matches/{real}/events", key: "{host}", body: { event: "gust" } },
    409,
    "unknownEvent",
    'This machine knows no event "gust". Did you mean "Gust"?',
  ],
  [
    "an event with a wrong argument",
    { path: "/api/matches/{real}/events", key: "{host}", body: { event: "Gust", args: { force: 12 } } },
    409,
    "badArgument",
    /force/,
  ],
  [
    "waiting on real time",
    { path: "/api/matches/{real}/wait", key: "{host}", body: {} },
    409,
    "realClock",
    /manual clock/,
  ],
  [
    "waiting for no timer",
    { path: "/api/matches/{manual}/wait", key: "{manualHost}", body: {} },
    409,
    "noTimer",
    "No timer is running.",
  ],
  [
    "waiting backwards",
    { path: "/api/matches/{manual}/wait", key: "{manualHost}", body: { by: -1 } },
    400,
    "badRequest",
    /"by"/,
  ],
  // seats
  ["taking a seat that is held", { path: "/api/matches/{real}/seats/mate" }, 409, "seatTaken", /mate/],
  ["taking a seat that is none", { path: "/api/matches/{open}/seats/cook" }, 409, "notSeated", /cook/],
  [
    "a policy that is none",
    { method: "PUT", path: "/api/matches/{real}/bots/mate", key: "{mate}", body: { policy: "bold" } },
    422,
    "noSuchPolicy",
    /bold/,
  ],
  // following and lists
  [
    "a stream from a step that is no number",
    { method: "GET", path: "/api/matches/{real}/stream", headers: { "Last-Event-ID": "north" } },
    400,
    "badRequest",
    "Last-Event-ID is the number of the last step you have.",
  ],
  ["a stream from nowhere", { method: "GET", path: "/api/matches/{real}/stream?from=-2" }, 400, "badRequest", /"from"/],
  ["too many at once", { method: "GET", path: "/api/matches?limit=501" }, 400, "badRequest", /"limit"/],
  // logbooks
  ["a logbook as JSON", { path: "/api/logbooks", body: {} }, 415, "badContent", /application\/x-ndjson/],
  [
    "a text that is no logbook",
    { path: "/api/logbooks", text: "hello\n", headers: { "Content-Type": "application/x-ndjson" } },
    422,
    "notALogbook",
    /^This cannot be read: this is not a Zany logbook/,
  ],
  [
    "a logbook that is no UTF-8",
    {
      path: "/api/logbooks",
      text: new Uint8Array([0x7b, 0xc3, 0x28]),
      headers: { "Content-Type": "application/x-ndjson" },
    },
    422,
    "notUtf8",
    "It is no UTF-8 text.",
  ],
  [
    "a logbook with a mark at its beginning",
    { path: "/api/logbooks", text: '\ufeff{"zany":"logbook"}', headers: { "Content-Type": "application/x-ndjson" } },
    422,
    "notALogbook",
    /byte-order mark/,
  ],
  [
    "a logbook that was compressed",
    { path: "/api/logbooks", text: "x", headers: { "Content-Type": "text/plain", "Content-Encoding": "gzip" } },
    415,
    "badContent",
    /logbooks as application\/x-ndjson/,
  ],
  ["an unknown logbook", { method: "GET", path: "/api/logbooks/lost" }, 404, "noSuchLogbook", /"lost"/],
  ["verifying an unknown logbook", { path: "/api/logbooks/lost/verify", body: {} }, 404, "noSuchLogbook", /"lost"/],
  [
    "verifying against a machine that is none",
    { path: "/api/logbooks/{logbook}/verify", body: { machine: "Raft" } },
    404,
    "noSuchMachine",
    /Raft/,
  ],
];

function JSON_TYPE(): Record<string, string> {
  return { "Content-Type": "application/json" };
}

describe("a refused request", () => {
  test.each(REFUSALS)("%s", async (_what, sent, status, code, words) => {
    const { type, answer } = await send(sent);
    expect(type).toMatch(/^application\/problem\+json/);
    expect(answer).toMatchObject({ status, code, type: `/problems/${code}` });
    if (typeof words === "string") expect(answer["detail"]).toBe(words);
    else expect(answer["detail"]).toMatch(words);
    expect(String(answer["detail"])).not.toMatch(/undefined|\[object|\bat .*\.ts|Error:/);
  });

  test("none of them has changed a match", async () => {
    for (const id of ["real", "manual", "open"])
      expect((await client.match(names[id] ?? "")).view).toMatchObject({ step: 0, turn: ["skipper"] });
    const text = await client.matchLogbook(names["real"] ?? "");
    expect(text.trimEnd().split("\n")).toHaveLength(2);
  });

  test("a fault in a timer: waiting for it is refused, real time suspends the match", async () => {
    const manual = await client.beginMatch({ machine: "Crossing", seed: "timer", clock: "manual" });
    await client.act(manual.id, manual.keys["skipper"] ?? "", "cast", {}, 0);
    expect(await refusalOf(client.wait(manual.id, manual.hostKey))).toMatchObject({ status: 409, code: "fault" });
    expect((await client.match(manual.id)).view).toMatchObject({ step: 1, here: ["Under"] });

    const real = await client.beginMatch({ machine: "Crossing", seed: "timer" });
    const mate = real.keys["mate"] ?? "";
    await client.act(real.id, real.keys["skipper"] ?? "", "cast", {}, 0);
    while ((await client.match(real.id)).suspended === null) await new Promise((resolve) => setTimeout(resolve, 50));
    expect(await refusalOf(client.act(real.id, mate, "reef", {}, 1))).toMatchObject({
      status: 409,
      code: "suspended",
      message: expect.stringMatching(/^This match is suspended: /),
    });
  });
});

const refusalOf = (promise: Promise<unknown>): Promise<unknown> => promise.then(() => "taken").catch((error) => error);
