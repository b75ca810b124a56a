/** The service through its client and plain HTTP: storing, playing, following, verifying, and losing its power. */

import { readFileSync } from "node:fs";
import { type MatchUpdate, type SeenMatch, ServiceProblem, ZanyClient } from "@zany/client";
import { compile, Runnable, verifyText } from "@zany/core";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { newFolder, type Running, ROOT, startService } from "./running.js";

const DUEL = readFileSync(`${ROOT}examples/kite-duel.zany`, "utf8");
/** A machine whose turn lapses at once when nobody plays. */
const HASTY = DUEL.replace("after 10d -> Lapsed", "after 700ms -> Lapsed").replace("wait 10d", "wait 700ms");
/** A machine in which everybody keeps a secret. */
const SECRETS = `machine Whispers
seats left, right
hidden dice fate
data {
  private word per seat: text max 20
  hidden answer: int 0..9
  said: int 0..99
}
start Talk
state Talk {
  turn of seats
  enter { answer = fate.roll(0..9) }
  sealed action think(text1: text max 20) { word[me] = text1 note to me "you think {text1}" } -> stay
  action speak { said += 1 note "{me} speaks" } -> stay
  action stop -> Silence
}
ending Silence { draws all }
`;

let service: Running;
let client: ZanyClient;
const data = newFolder();

beforeAll(async () => {
  service = await startService(data, "--demo");
  client = new ZanyClient(service.address);
});
afterAll(() => service.stop());

async function problemOf(promise: Promise<unknown>): Promise<ServiceProblem> {
  const error = await promise.then(
    () => new Error("it was accepted"),
    (e: unknown) => e,
  );
  if (!(error instanceof ServiceProblem)) throw error;
  return error;
}

describe("machines", () => {
  test("the demo is there: every machine, two in two versions, and their logbooks", async () => {
    const machines = await client.machines();
    expect(machines.map((m) => `${m.name}@${m.version}`)).toEqual(
      expect.arrayContaining(["FerryJourney@1", "KiteDuel@2", "KiteDuel@1", "StallSiege@2", "StallSiege@1"]),
    );
    expect(new Set((await client.logbooks()).map((l) => l.machine.name)).size).toBe(9);
    const { parts } = await client.machine("FerryJourney");
    expect(Object.keys(parts)).toEqual(["shared/foes.zany"]);
  });

  test("lists come in pages, each with a link to the next; parameters that are not known are refused", async () => {
    const walk = async (path: string, list: string): Promise<unknown[]> => {
      const all: unknown[] = [];
      for (let next: string | undefined = path; next !== undefined; ) {
        const response: Response = await fetch(`${service.address}${next}`);
        const page = (await response.json()) as Record<string, unknown[]> & { next: string | null };
        expect(page[list]?.length).toBeLessThanOrEqual(2);
        all.push(...(page[list] ?? []));
        next = /^<(.+)>; rel="next"$/.exec(response.headers.get("link") ?? "")?.[1];
        expect(next === undefined).toBe(page.next === null);
      }
      return all;
    };
    for (let i = 0; i < 5; i++) await client.beginMatch({ machine: "StallSiege" });
    const ids = (list: unknown[]) => list.map((one) => (one as { id: string }).id);
    expect(await walk("/api/machines?limit=2", "machines")).toEqual(await client.machines());
    expect(await walk("/api/logbooks?limit=2", "logbooks")).toEqual(await client.logbooks());
    expect(ids(await walk("/api/matches?limit=2&machine=StallSiege", "matches"))).toEqual(
      ids([...(await client.matches({ machine: "StallSiege" })).items]),
    );
    for (const [path, words] of [
      ["/api/machines?limti=2", "GET /api/machines takes limit, after, not limti."],
      ["/api/machines/KiteDuel?full=1", "GET /api/machines/KiteDuel takes no parameters, not full."],
    ]) {
      const response = await fetch(`${service.address}${path}`);
      expect([response.status, ((await response.json()) as { detail: string }).detail]).toEqual([400, words]);
    }
  });

  test("machines are listed with what is known of them: messages, tests, kept matches, when they were played", async () => {
    const duel = async () => (await client.machines()).find((m) => m.name === "KiteDuel");
    await expect.poll(async () => (await duel())?.kept?.waiting, { timeout: 120_000 }).toBe(0);
    const logbooks = (await client.logbooks()).filter((l) => l.machine.name === "KiteDuel").length;
    const listed = await duel();
    expect(listed).toMatchObject({
      report: {
        description: "two fighting kites over the harbour of the Gale Fair",
        warnings: 0,
        tests: { passed: 2, failed: 0 },
        seats: { least: 2, most: 2 },
        states: 4,
      },
      played: null,
    });
    const { verified = 0, diverged = 0, damaged = 0 } = listed?.kept ?? {};
    expect([verified + diverged + damaged, verified > 0, diverged > 0]).toEqual([logbooks, true, true]);
    // Only the newest version says how the kept matches go.
    const older = (await client.machines()).find((m) => m.name === "KiteDuel" && m.hash !== listed?.hash);
    expect(older).toMatchObject({ kept: null, report: { tests: expect.anything() } });
    const { hash } =
      await client.addMachine(`/// Nobody\n/// rows.\nmachine Idle\nseats a\nstart S\nstate S { turn of a action row -> Idle2 }
state Idle2 { turn of a action rest -> Over }\nending Over { draws all }\ntest "rows" { a rest }\n`);
    const idle = async () => (await client.machines()).find((m) => m.hash === hash);
    await expect.poll(async () => (await idle())?.report).not.toBe(null);
    await client.beginMatch({ machine: hash });
    expect(await idle()).toMatchObject({
      report: { description: "Nobody rows.", tests: { passed: 0, failed: 1 } },
      played: expect.stringMatching(/^20/),
    });
  });

  test("a text is stored once, whatever its versions are called", async () => {
    const first = await client.addMachine(DUEL);
    const again = await client.addMachine(DUEL);
    expect(again).toEqual(first);
    expect(first.messages).toEqual([]);
    for (const reference of ["KiteDuel@2", first.hash]) expect((await client.machine(reference)).text).toBe(DUEL);
    expect((await problemOf(client.machine("KiteDuel@99"))).status).toBe(404);
  });

  test("a text that does not compile comes back with its messages", async () => {
    const problem = await problemOf(client.addMachine(DUEL.replace("lift -= hit", "lfit -= hit")));
    expect(problem).toMatchObject({ status: 422, code: "doesNotCompile" });
    expect(problem.document["messages"]).toMatchObject([
      { name: "unknown-field", line: 27, column: 17, help: 'Did you mean "lift"?' },
    ]);
  });
});

describe("a match", () => {
  test("is played with a key for each seat; only the right one may act, and only on the current step", async () => {
    const match = await client.beginMatch({
      machine: "KiteDuel",
      seed: "q",
      given: { data: [{ path: "/data/kites/south/pace", value: 20 }] },
    });
    const { north = "", south = "" } = match.keys;
    expect((await client.match(match.id)).options).toEqual([]);
    expect((await client.match(match.id, south)).options.find((o) => o.action === "slash")?.open).toBe(true);
    expect(await problemOf(client.act(match.id, north, "brace", {}, 0))).toMatchObject({
      status: 409,
      code: "notYourTurn",
      message: "It is south's turn.",
    });
    expect(await problemOf(client.act(match.id, "nokey", "brace", {}, 0))).toMatchObject({ status: 401 });
    const after = await client.act(match.id, south, "slash", { target: "north" }, 0, "one");
    expect(after.view).toMatchObject({ step: 1, turn: ["north"] });
    const stale = await problemOf(client.act(match.id, north, "brace", {}, 0));
    expect(stale).toMatchObject({ status: 412, code: "stale" });
    expect((stale.document as unknown as SeenMatch).view.step).toBe(1);
    expect((await client.act(match.id, south, "slash", { target: "north" }, 0, "one")).view.step).toBe(1);
    expect(await problemOf(client.act(match.id, north, "slash", { target: "north" }, 1))).toMatchObject({
      code: "badArgument",
    });
    const choice = await client.choose(match.id, north, "slash", {});
    expect(choice.parameters[0]?.values?.map((v) => [v.value, v.open])).toEqual([
      ["north", false],
      ["south", true],
    ]);
  });

  test("that is over gives its whole logbook, which verifies; before, a part without seed and secrets", async () => {
    const match = await client.beginMatch({ machine: "KiteDuel", seed: "hush" });
    const [onTurn = ""] = match.view.turn;
    expect(await client.matchLogbook(match.id)).not.toContain("hush");
    await client.act(match.id, match.keys[onTurn] ?? "", "cutLoose", {}, 0);
    const text = await client.matchLogbook(match.id);
    expect(verifyText(new Runnable(compile(DUEL).machine), text)).toMatchObject({ kind: "verified", steps: 1 });
    const stored = await client.addLogbook(text, "mine.jsonl");
    expect((await client.verifyLogbook(stored.id)).verdict.kind).toBe("verified");
    expect(await client.logbook(stored.id)).toBe(text);
  });

  test("keeps what only one seat may see from everyone else, in views, events and logbooks", async () => {
    const { hash } = await client.addMachine(SECRETS);
    const match = await client.beginMatch({ machine: hash });
    const { left = "", right = "" } = match.keys;
    await client.act(match.id, left, "think", { text1: "lighthouse" }, 0);
    const mine = JSON.stringify([await client.match(match.id, left), await client.matchLogbook(match.id, left)]);
    expect(mine.match(/lighthouse/g)?.length).toBeGreaterThanOrEqual(3);
    const abort = new AbortController();
    const theirs: unknown[] = [
      await client.match(match.id, right),
      await client.match(match.id),
      await client.matchLogbook(match.id, right),
      await client.matchLogbook(match.id),
    ];
    for await (const event of client.follow(match.id, { key: right, after: -1, signal: abort.signal })) {
      theirs.push(event);
      if (event.kind === "now") abort.abort();
    }
    expect(JSON.stringify(theirs)).not.toMatch(/lighthouse|"answer"|"range":"0..9"|"seed"/);
    expect(JSON.stringify(theirs)).toContain('"seat":"left"');
  });

  test("hears the game's events, waits on a manual clock, and begins in any state with given data", async () => {
    const match = await client.beginMatch({
      machine: "KiteVolleys",
      clock: "manual",
      given: {
        state: { name: "Volley", args: { pattern: "wall", kites: 3 } },
        data: [{ path: "/data/tears", value: 4 }],
      },
    });
    expect(match.view).toMatchObject({ here: ["Volley"], due: { at: match.view.now + 20_000, to: ["Flyer"] } });
    const game = await client.match(match.id, match.hostKey);
    expect(game.events.map((r) => [r.event, r.heard, r.parameters.map((p) => p.name)])).toEqual([
      ["KiteStruck", true, []],
      ["KitesLeft", true, ["left"]],
    ]);
    expect(await problemOf(client.event(match.id, match.keys["flyer"] ?? "", "KiteStruck", {}))).toMatchObject({
      status: 403,
    });
    expect((await client.event(match.id, match.hostKey, "KiteStruck", {}, "r1")).view.step).toBe(1);
    expect((await client.event(match.id, match.hostKey, "KiteStruck", {}, "r1")).view.step).toBe(1);
    expect(await problemOf(client.event(match.id, match.hostKey, "KitesLeft", { left: "two" }))).toMatchObject({
      code: "badArgument",
    });
    // Sent twice under one name, time passes once.
    for (let sent = 0; sent < 2; sent++)
      expect((await client.wait(match.id, match.hostKey, 19_000, "w")).view).toMatchObject({
        here: ["Volley"],
        now: match.view.now + 19_000,
      });
    await service.stop("SIGKILL");
    service = await startService(data, "--demo");
    client = new ZanyClient(service.address);
    expect((await client.wait(match.id, match.hostKey)).view).toMatchObject({
      here: ["Flyer"],
      now: match.view.now + 20_000,
    });
    const real = await client.beginMatch({ machine: "KiteVolleys" });
    expect(await problemOf(client.wait(real.id, real.hostKey))).toMatchObject({ code: "realClock" });
    expect(
      await problemOf(client.beginMatch({ machine: "KiteVolleys", given: { state: { name: "Volly" } } })),
    ).toMatchObject({
      status: 422,
      message: expect.stringContaining("Volly"),
    });
  });

  test("has open seats that somebody takes later, and seats that are left", async () => {
    const match = await client.beginMatch({ machine: "LanternTrails", seats: 3, open: ["runner3"] });
    expect(Object.keys(match.keys)).toEqual(["runner1", "runner2"]);
    expect(match.view.turn).toEqual(["runner1", "runner2"]);
    expect(await problemOf(client.join(match.id, "runner1"))).toMatchObject({ code: "seatTaken" });
    const { key, view: joined } = await client.join(match.id, "runner3");
    expect(joined.seats[2]).toEqual({ seat: "runner3", status: "in" });
    expect((await client.match(match.id, key)).options.some((o) => o.open)).toBe(true);
    expect(await problemOf(client.leave(match.id, key, "runner1"))).toMatchObject({ status: 403 });
    await client.leave(match.id, match.keys["runner1"] ?? "", "runner1");
    expect((await client.leave(match.id, key, "runner3")).view.outcome).toMatchObject({ ending: "Last" });
  });

  test("refuses to let a seat be left that nothing hears of; one that is opened again belongs to whoever takes it", async () => {
    const start = (more: string): string =>
      `machine Cart${more.length}\nseats a, b\n${more}start S\nstate S { turn of inPlay action push -> stay action stop -> E }\nending E { draws all }\n`;
    const fixed = await client.addMachine(start(""));
    const stays = await client.beginMatch({ machine: fixed.hash });
    expect(await problemOf(client.leave(stays.id, stays.keys["b"] ?? "", "b"))).toMatchObject({
      status: 409,
      code: "cannotLeave",
      message: expect.stringContaining("on Left"),
    });
    const open = await client.addMachine(start("on Left(s) { reopen s }\n"));
    const match = await client.beginMatch({ machine: open.hash });
    const old = match.keys["b"] ?? "";
    expect((await client.leave(match.id, old, "b")).view.seats[1]).toEqual({ seat: "b", status: "open" });
    expect(await problemOf(client.act(match.id, old, "push", {}, 1))).toMatchObject({ status: 409 });
    const { key } = await client.join(match.id, "b");
    expect((await client.act(match.id, key, "push", {}, 2)).view.step).toBe(3);
    expect(await problemOf(client.act(match.id, old, "push", {}, 3))).toMatchObject({ status: 401, code: "badKey" });
  });

  test("lets bots play any seat, and gives it back to a person", async () => {
    const match = await client.beginMatch({
      machine: "KiteDuel",
      seed: "bots",
      bots: { north: "careful", south: "random" },
    });
    const abort = new AbortController();
    for await (const event of client.follow(match.id, { after: -1, signal: abort.signal }))
      if (event.kind === "now" && event.match.view.step >= 3) abort.abort();
    const stopped = await client.setBot(match.id, match.hostKey, "north", null);
    expect(stopped.bots).toEqual({ south: "random" });
    expect(await problemOf(client.setBot(match.id, match.hostKey, "north", "carefull"))).toMatchObject({
      status: 422,
      message: expect.stringContaining('Did you mean "careful"?'),
    });
    expect(await problemOf(client.beginMatch({ machine: "KiteDuel", bots: { norht: "random" } }))).toMatchObject({
      status: 422,
    });
  });

  test("is followed without a gap: a client that was away goes on after the last step it has", async () => {
    const match = await client.beginMatch({ machine: "KiteDuel" });
    const act = async (action: string): Promise<void> => {
      const { view } = await client.match(match.id);
      await client.act(match.id, match.keys[view.turn[0] ?? "north"] ?? "", action, {}, view.step);
    };
    const seen: number[] = [];
    const collect = async (after: number, until: number): Promise<void> => {
      const abort = new AbortController();
      for await (const event of client.follow(match.id, { after, signal: abort.signal })) {
        if (event.kind === "step") seen.push(event.line.step);
        if (event.kind === "now" && event.match.view.step >= until) abort.abort();
      }
    };
    const first = collect(-1, 2);
    await act("brace");
    await act("brace");
    await first;
    await act("brace");
    await act("brace");
    await collect(2, 4);
    expect(seen).toEqual([0, 1, 2, 3, 4]);
  });
});

describe("plain HTTP", () => {
  const get = (path: string, init?: RequestInit) => fetch(`${service.address}${path}`, init);

  test("problems are RFC 9457 documents, and say what is wrong without their inside", async () => {
    const cases: readonly [string, RequestInit | undefined, number, string][] = [
      ["/api/nothing", undefined, 404, "noSuchAddress"],
      ["/api/matches/none", undefined, 404, "noSuchMatch"],
      ["/api/matches", { method: "POST", headers: { "content-type": "application/json" }, body: "{" }, 400, "badJson"],
      ["/api/matches", { method: "POST" }, 400, "badRequest"],
      [
        "/api/matches",
        { method: "POST", headers: { "content-type": "application/json" }, body: '{"machine":"KiteDuel","sed":1}' },
        400,
        "badRequest",
      ],
      [
        "/api/matches",
        {
          method: "POST",
          headers: { "content-type": "application/json" },
          body: '{"machine":"KiteDuel","given":{"data":[{"path":"/data/kites/east","value":1}]}}',
        },
        422,
        "badGiven",
      ],
      [
        "/api/logbooks",
        { method: "POST", headers: { "content-type": "application/x-ndjson" }, body: "hello" },
        422,
        "notALogbook",
      ],
      [
        "/api/machines",
        {
          method: "POST",
          headers: { "content-type": "application/json" },
          body: JSON.stringify({ text: "x".repeat(9_000_000) }),
        },
        413,
        "tooLarge",
      ],
    ];
    for (const [path, init, status, code] of cases) {
      const response = await get(path, init);
      expect([path, response.status, response.headers.get("content-type")]).toEqual([
        path,
        status,
        "application/problem+json; charset=utf-8",
      ]);
      const document = (await response.json()) as Record<string, unknown>;
      expect(document).toMatchObject({ status, code, detail: expect.any(String), title: expect.any(String) });
      expect(JSON.stringify(document)).not.toMatch(/node_modules|at \w+ \(/);
    }
  });

  test("health, and the console behind every other address, with a policy that forbids foreign scripts", async () => {
    expect(await (await get("/healthz")).json()).toEqual({ ok: true, status: "ok" });
    const page = await get("/matches/some-match");
    expect(page.headers.get("content-security-policy")).toContain("script-src 'self'");
    expect(await page.text()).toContain("<title>Zany Compass</title>");
  });
});

describe("time and power", () => {
  test("a timer wakes its match, after a restart too", async () => {
    const folder = newFolder();
    let running = await startService(folder);
    const first = new ZanyClient(running.address);
    const { hash } = await first.addMachine(HASTY);
    const awake = await first.beginMatch({ machine: hash });
    const events: MatchUpdate[] = [];
    for await (const event of first.follow(awake.id, { after: 0 })) {
      events.push(event);
      if (event.kind === "now" && event.match.view.outcome) break;
    }
    expect(events.find((e) => e.kind === "step")).toMatchObject({
      line: { input: { kind: "timer", timer: "Turn.after1" } },
    });
    const asleep = await first.beginMatch({ machine: hash });
    await running.stop("SIGKILL");
    await new Promise((resolve) => setTimeout(resolve, 900));
    running = await startService(folder);
    const second = new ZanyClient(running.address);
    for await (const event of second.follow(asleep.id, { after: 0 }))
      if (event.kind === "now" && event.match.view.outcome) break;
    expect((await second.match(asleep.id)).view.outcome?.ending).toBe("Lapsed");
    expect(await running.stop()).toBe(0);
  });

  test("every acknowledged step is there after kill -9 under load, and the match goes on", async () => {
    const folder = newFolder();
    let running = await startService(folder);
    let reach = new ZanyClient(running.address);
    const { hash } = await reach.addMachine(SECRETS);
    const matches = await Promise.all(Array.from({ length: 8 }, () => reach.beginMatch({ machine: hash })));
    const acknowledged = new Map(matches.map((m) => [m.id, 0]));
    const load = matches.map(async (match) => {
      try {
        for (;;) {
          const step = acknowledged.get(match.id) ?? 0;
          const { view } = await reach.act(match.id, match.keys["left"] ?? "", "speak", {}, step);
          acknowledged.set(match.id, view.step);
        }
      } catch (error) {
        expect((error as ServiceProblem).status).toBe(0);
      }
    });
    while (Math.min(...acknowledged.values()) < 25) await new Promise((resolve) => setTimeout(resolve, 10));
    await running.stop("SIGKILL");
    await Promise.all(load);
    running = await startService(folder);
    reach = new ZanyClient(running.address);
    for (const match of matches) {
      const { view } = await reach.match(match.id);
      const known = acknowledged.get(match.id) ?? 0;
      // One more may have been written whose answer was lost on the way.
      expect([known, known + 1]).toContain(view.step);
      expect(view.data.find((d) => d.name === "said")?.value).toBe(Math.min(99, view.step));
      expect((await reach.act(match.id, match.keys["right"] ?? "", "speak", {}, view.step)).view.step).toBe(
        view.step + 1,
      );
    }
    await running.stop();
  });
});
