/** Several people in one match: who gets which seat, who sees what, who is told, and what a repeated request does. */

import type { HostedMatch, SeenMatch, ServiceProblem } from "@zany/client";
import { ZanyClient } from "@zany/client";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { newFolder, type Running, startService } from "./running.js";

/** Two take turns; each has a number that nobody else sees. */
const RELAY = `machine Relay
seats left, right
data {
  carried: int 0..99 = 0
  holder: seat = left
  private plan per seat: int 0..9 = 0
}
start Lane
state Lane {
  turn of holder
  action carry { carried += 1 holder = next(me) } -> stay
  sealed action think(n: int 0..9) by anyone { plan[me] = n } -> stay
  action finish -> Home
}
on Left(s) -> Home
ending Home { draws all }
`;

/** Both plan in secret, then both plans are shown. */
const SECRET = `machine Signals
seats a, b, c
data { private flag per seat: int 0..9 = 0 }
start Choose
state Choose {
  turn of each inPlay
  sealed action hoist(n: int 0..9) { flag[me] = n } -> ready
  when all ready -> Shown
}
ending Shown { draws all }
`;

let folder: string;
let running: Running;
let client: ZanyClient;
let relay: string;

beforeAll(async () => {
  folder = newFolder();
  running = await startService(folder);
  client = new ZanyClient(running.address);
  relay = (await client.addMachine(RELAY)).hash;
});
afterAll(() => running.stop());

async function problemOf(asked: Promise<unknown>): Promise<ServiceProblem> {
  try {
    await asked;
  } catch (error) {
    return error as ServiceProblem;
  }
  throw new Error("it was not refused");
}

let people = 0;
async function person(name: string): Promise<{ handle: string; key: string }> {
  return client.addPerson({ name, handle: `${name.toLowerCase()}-${++people}` });
}

const sits = ({ seats }: SeenMatch): string[] =>
  seats.map(
    (s) => `${s.seat} ${s.holder}${s.name === null ? "" : ` ${s.name}`}${s.invitation ? ` ${s.invitation}` : ""}`,
  );

describe("seats", () => {
  test("are for people, for whoever has a link, for anybody, for bots, or the host's: each is of one kind", async () => {
    const [mira, olle] = [await person("Mira"), await person("Olle")];
    const { hash } = await client.addMachine(SECRET);
    const begun = await client.beginMatch(
      { machine: hash, people: { a: mira.handle, b: olle.handle }, links: ["c"] },
      mira.key,
    );
    expect(sits(begun)).toEqual(["a person Mira", "b person Olle waiting", "c link waiting"]);
    expect([begun.keys, begun.hostKey, begun.hosted, begun.own]).toEqual([{}, undefined, false, ["a"]]);
    // The invited seat is in no lobby; who is invited may look, and takes it with the key they have.
    expect((await client.lobby()).items.map((entry) => entry.match)).not.toContain(begun.id);
    expect(await problemOf(client.join(begun.id, "b"))).toMatchObject({ status: 409, code: "reserved" });
    expect((await client.myMatches(olle.key, "invitations")).items).toMatchObject([
      { id: begun.id, own: [], invited: ["b"], seats: [{ seat: "a", name: "Mira" }, {}, {}] },
    ]);
    const joined = await client.join(begun.id, "b", olle.key);
    expect([joined.key, joined.own]).toEqual([undefined, ["b"]]);
    expect((await client.act(begun.id, olle.key, "hoist", { n: 4 })).view.step).toBe(2);
    // The link works once; its secret stands behind the hash.
    const [path = "", secret = ""] = (begun.links["c"] ?? "").split("#");
    expect(path).toBe(`/matches/${begun.id}/seat`);
    const guest = await client.redeem(begun.id, secret, "The third", "once");
    expect(sits(guest)).toEqual(["a person Mira", "b person Olle", "c link The third"]);
    expect((await client.redeem(begun.id, secret, "The third", "once")).key).toBe(guest.key);
    expect(await problemOf(client.redeem(begun.id, secret, "A thief"))).toMatchObject({ status: 403, code: "badLink" });
    // A new link takes the place of that key.
    const again = await client.link(begun.id, mira.key, "c");
    expect(await problemOf(client.match(begun.id, guest.key))).toMatchObject({ status: 401, code: "badKey" });
    const third = await client.redeem(begun.id, again.link.split("#")[1] ?? "");
    const over = await client.act(begun.id, third.key, "hoist", { n: 1 });
    expect(over.view.outcome).toBe(null);
    await client.act(begun.id, mira.key, "hoist", { n: 2 });
    expect((await client.myMatches(mira.key, "finished")).items.map((m) => m.id)).toContain(begun.id);
    expect((await client.playedWith(mira.key)).items.map((p) => p.name)).toEqual(["Olle"]);
  });

  test("open ones are in the lobby; a bot there yields to who comes; an invitation is declined or withdrawn", async () => {
    const [mira, olle] = [await person("Mira"), await person("Olle")];
    const begun = await client.beginMatch({ machine: relay, open: ["right"], bots: { right: "random" } });
    const inLobby = async () => (await client.lobby(undefined, "Relay")).items.filter((e) => e.match === begun.id);
    expect(await inLobby()).toMatchObject([{ free: ["right"], machine: { name: "Relay", version: 1 } }]);
    expect(sits(begun)).toEqual(["left host", "right open"]);
    const joined = await client.join(begun.id, "right", olle.key);
    expect([joined.bots, sits(joined)[1]]).toEqual([{}, "right person Olle"]);
    expect(await inLobby()).toEqual([]);
    const other = await client.beginMatch({ machine: relay, people: { right: mira.handle } });
    expect(sits(await client.withdraw(other.id, mira.key, "right"))[1]).toBe("right open Mira declined");
    expect(await problemOf(client.join(other.id, "right", olle.key))).toMatchObject({ code: "reserved" });
    await client.invite(other.id, other.hostKey, "right", olle.handle);
    expect(sits(await client.withdraw(other.id, other.hostKey, "right"))[1]).toBe("right open Olle withdrawn");
    expect(await problemOf(client.withdraw(other.id, other.hostKey, "right"))).toMatchObject({ code: "notInvited" });
    expect(await problemOf(client.invite(other.id, other.hostKey, "left", olle.handle))).toMatchObject({
      status: 409,
      code: "seatTaken",
    });
  });

  test("a guest who came by a link becomes a person with both keys, and leaves; the match goes on", async () => {
    const begun = await client.beginMatch({ machine: relay, links: ["left"] });
    const guest = await client.redeem(begun.id, begun.links["left"]?.split("#")[1] ?? "", "Somebody");
    const olle = await person("Olle");
    expect(sits(await client.claim(begun.id, guest.key, olle.key))[0]).toBe("left person Olle");
    expect((await problemOf(client.act(begun.id, guest.key, "carry", {}))).status).toBe(401);
    const carry = () => client.act(begun.id, olle.key, "carry", {}, undefined, "carried");
    const carried = await carry();
    expect(carried.view.turn).toEqual(["right"]);
    const left = await client.leave(begun.id, olle.key, "left", "bye");
    expect(left.view.outcome).toMatchObject({ ending: "Home" });
    // Its answer may have been lost: sent again, it is the same. Another request is nobody's any more.
    expect(await client.leave(begun.id, olle.key, "left", "bye")).toEqual(left);
    expect((await carry()).view).toEqual(carried.view);
    expect((await problemOf(client.act(begun.id, olle.key, "carry", {}))).status).toBe(403);
    expect((await problemOf(client.leave(begun.id, olle.key, "right", "bye"))).code).toBe("requestReused");
    expect((await problemOf(client.leave(begun.id, olle.key, "left", "again"))).status).toBe(403);
  });

  test("what was done in a seat that somebody else has now is answered as it was then, and nothing else", async () => {
    const { hash } = await client.addMachine(
      RELAY.replace("machine Relay", "machine Reopened").replace("on Left(s) -> Home\n", "on Left(s) { reopen s }\n"),
    );
    const [mira, olle, edda] = [await person("Mira"), await person("Olle"), await person("Edda")];
    const { id } = await client.beginMatch(
      { machine: hash, people: { left: mira.handle, right: olle.handle } },
      mira.key,
    );
    await client.join(id, "right", olle.key);
    await client.act(id, mira.key, "carry", {});
    const carry = (key = olle.key) => client.act(id, key, "carry", {}, undefined, "mine");
    const carried = await carry();
    await client.leave(id, olle.key, "right", "bye");
    await client.join(id, "right", edda.key);
    expect(await carry()).toMatchObject({ seat: "right", view: carried.view });
    expect((await problemOf(client.act(id, olle.key, "finish", {}, undefined, "mine"))).code).toBe("requestReused");
    expect((await problemOf(client.act(id, olle.key, "carry", {}, undefined, "other"))).status).toBe(403);
    await client.act(id, mira.key, "carry", {});
    expect((await carry(edda.key)).view.step).toBeGreaterThan(carried.view.step);
  });

  test("where a machine cannot be left, who leaves lets their seat wait: who began it is told, and puts a bot there", async () => {
    const { hash } = await client.addMachine(
      RELAY.replace("machine Relay", "machine Fixed").replace("on Left(s) -> Home\n", ""),
    );
    const [mira, olle] = [await person("Mira"), await person("Olle")];
    const { id } = await client.beginMatch(
      { machine: hash, people: { left: mira.handle, right: olle.handle } },
      mira.key,
    );
    await client.join(id, "right", olle.key);
    await expect(client.join(id, "right", olle.key)).rejects.toThrow("You hold right already.");
    const gone = await client.leave(id, olle.key, "right");
    expect([gone.view.outcome, gone.seats[1]?.left, gone.own]).toEqual([null, true, []]);
    expect((await problemOf(client.leave(id, olle.key, "right"))).status).toBe(403);
    expect((await problemOf(client.act(id, olle.key, "finish", {}))).status).toBe(403);
    expect((await client.notices(mira.key)).items[0]).toMatchObject({ kind: "left", match: id });
    expect((await problemOf(client.join(id, "right", olle.key))).status).toBe(409);
    expect((await problemOf(client.setBot(id, olle.key, "right", "random"))).status).toBe(403);
    await client.act(id, mira.key, "carry", {});
    expect(sits(await client.setBot(id, mira.key, "right", "random"))[1]).toBe("right bot");
    await expect.poll(async () => (await client.match(id, mira.key)).view.step).toBeGreaterThan(1);
    // Somebody who came by a link goes in the same way, and acts no more.
    const linked = await client.beginMatch({ machine: hash, links: ["left"] }, mira.key);
    const guest = await client.redeem(linked.id, linked.links["left"]?.split("#")[1] ?? "", "Somebody");
    expect((await client.leave(linked.id, guest.key, "left", "bye")).seats[0]?.left).toBe(true);
    expect((await client.leave(linked.id, guest.key, "left", "bye")).seats[0]?.left).toBe(true);
    expect((await problemOf(client.act(linked.id, guest.key, "carry", {}))).status).toBe(403);
    expect(await client.cancel(linked.id, mira.key)).toMatchObject({ cancelledBy: "host" });
  });

  test("six who play anyone at once sit in three matches of two; asked again while waiting, it is the same", async () => {
    const { hash } = await client.addMachine(RELAY.replaceAll("Relay", "Anyone"));
    const six = await Promise.all(["A", "B", "C", "D", "E", "F"].map((name) => person(`P${name}`)));
    const played = await Promise.all(six.map(({ key }) => client.playAnyone({ machine: hash }, key)));
    const seated = played.map((p) => `${p.match} ${p.seat}`);
    const matches = [...new Set(played.map((p) => p.match))];
    expect(matches).toHaveLength(3);
    expect(seated.sort()).toEqual(matches.flatMap((id) => [`${id} left`, `${id} right`]).sort());
    expect(played.filter((p) => p.begun)).toHaveLength(3);
    const [alone] = six;
    const waits = await client.playAnyone({ machine: hash, least: 2 }, alone?.key ?? "");
    expect(waits.begun).toBe(true);
    expect(await client.playAnyone({ machine: hash, least: 2 }, alone?.key ?? "")).toEqual({ ...waits, begun: false });
    expect(await problemOf(client.act(waits.match, alone?.key ?? "", "carry", {}))).toMatchObject({
      code: "notYet",
      document: { least: 2, held: 1 },
    });
  });

  test("the host acts for the seats it holds, and for no other", async () => {
    const { key } = await client.addPerson({ name: "Olle" });
    const begun = await client.beginMatch({ machine: relay, external: { left: "player 7" }, open: ["right"] });
    expect(begun.keys).toEqual({});
    const acted = await client.act(begun.id, begun.hostKey, "carry", {}, 0, "one", "left");
    expect(acted).toMatchObject({ seat: "left", view: { step: 1 } });
    await client.join(begun.id, "right", key);
    expect(await problemOf(client.act(begun.id, begun.hostKey, "carry", {}, 2, "two", "right"))).toMatchObject({
      status: 403,
      code: "badKey",
    });
  });
});

describe("afterwards", () => {
  test("everybody confirms; one rematch, seats swapped, the second who asks agrees; tallies count by person", async () => {
    const { hash } = await client.addMachine(RELAY.replaceAll("Relay", "Again"));
    const mira = await person("Mira");
    const begun = await client.beginMatch({ machine: hash, people: { left: mira.handle }, links: ["right"] }, mira.key);
    const guest = await client.redeem(begun.id, begun.links["right"]?.split("#")[1] ?? "", "Gust");
    expect(await problemOf(client.rematch(begun.id, mira.key))).toMatchObject({ status: 409, code: "notOver" });
    expect(await problemOf(client.confirm(begun.id, mira.key))).toMatchObject({ code: "notOver" });
    await client.act(begun.id, mira.key, "finish", {});
    expect((await client.confirm(begun.id, mira.key)).confirmed).toEqual(["left"]);
    // Both ask at once: one begins it, the other agrees. Asked again, it is the same.
    const [hers, theirs] = await Promise.all([
      client.rematch(begun.id, mira.key, { swap: true }),
      client.rematch(begun.id, guest.key, { swap: true, request: "again" }),
    ]);
    expect([hers, theirs]).toMatchObject([{ seat: "right" }, { match: hers.match, seat: "left", agreed: true }]);
    expect((await client.rematch(begun.id, guest.key, { swap: true, request: "again" })).key).toBe(theirs.key);
    const second = await client.match(hers.match, theirs.key);
    expect([second.rematchOf, sits(second)]).toEqual([begun.id, ["left link Gust", "right person Mira"]]);
    expect((await client.match(begun.id)).rematch).toBe(hers.match);
    await client.act(hers.match, theirs.key ?? "", "finish", {});
    expect((await client.tallies([], { machine: "Again" })).items).toMatchObject([
      { machine: "Again", version: null, seat: null, matches: 2, draws: 4, wins: 0, best: null },
    ]);
    expect((await client.tallies(["version", "seat", "person"], { person: mira.handle })).items).toMatchObject([
      { version: 1, seat: "left", person: { name: "Mira" }, matches: 1, draws: 1 },
      { version: 1, seat: "right", matches: 1 },
    ]);
  });
});

describe("requests", () => {
  test("repeated, they are answered as they were at first; with another body they are refused", async () => {
    const wish = { machine: relay, request: "begin-1" };
    const [first, twin] = await Promise.all([client.beginMatch(wish), client.beginMatch(wish)]);
    expect([twin.id, twin.keys, twin.hostKey]).toEqual([first.id, first.keys, first.hostKey]);
    const left = first.keys["left"] ?? "";
    const one = await client.act(first.id, left, "carry", {}, 0, "a");
    await client.act(first.id, first.keys["right"] ?? "", "carry", {}, 1, "a");
    await client.act(first.id, left, "carry", {}, 2, "b");
    // After more steps, and after the service was killed.
    expect(await client.act(first.id, left, "carry", {}, 0, "a")).toEqual(one);
    await running.stop("SIGKILL");
    running = await startService(folder);
    client = new ZanyClient(running.address);
    expect(await client.act(first.id, left, "carry", {}, 0, "a")).toEqual(one);
    expect(await problemOf(client.act(first.id, left, "finish", {}, 0, "a"))).toMatchObject({
      status: 409,
      code: "requestReused",
    });
    expect((await client.beginMatch(wish)).keys).toEqual(first.keys);
    expect(await problemOf(client.beginMatch({ ...wish, seed: "other" }))).toMatchObject({ code: "requestReused" });
    // The header means the same as the member of the body.
    const headers = { "Idempotency-Key": "c", Authorization: `Bearer ${left}`, "Content-Type": "application/json" };
    const body = JSON.stringify({ action: "think", args: { n: 3 } });
    const url = `${running.address}/api/matches/${first.id}/actions`;
    const steps = [1, 2].map(
      async () => ((await (await fetch(url, { method: "POST", headers, body })).json()) as SeenMatch).view.step,
    );
    expect(await Promise.all(steps)).toEqual([4, 4]);
  });

  test("an action is stale only when what its seat may see has changed", async () => {
    const { hash } = await client.addMachine(SECRET);
    const { id, keys } = await client.beginMatch({ machine: hash });
    // All three of one round are meant for step 0: nothing that any of them sees has changed.
    const [a = "", b = "", c = ""] = ["a", "b", "c"].map((seat) => keys[seat] ?? "");
    await Promise.all([a, b].map((key, n) => client.act(id, key, "hoist", { n }, 0)));
    expect((await client.act(id, c, "hoist", { n: 9 }, 0)).view.outcome).not.toBe(null);
    const open = await client.beginMatch({ machine: relay });
    await client.act(open.id, open.keys["left"] ?? "", "carry", {}, 0);
    const stale = await problemOf(client.act(open.id, open.keys["right"] ?? "", "carry", {}, 0));
    expect(stale).toMatchObject({ status: 412, code: "stale", document: { view: { step: 1 }, seat: "right" } });
    // Without a step it counts in whatever step it meets.
    expect((await client.act(open.id, open.keys["right"] ?? "", "carry", {})).view.step).toBe(2);
  });
});

describe("being told", () => {
  test("lists of matches tell the next timer that would do something; an event says which states acted on it", async () => {
    const { hash } = await client.addMachine(
      `machine Bells\nseats left, right\ndata { lit: bool = false }\nevent Chimed\nevent Gone\nstart Night\n` +
        `state Night { turn of left action light { lit = true } -> stay\n after 1h when lit -> Dawn\n after 2d -> Cold\n` +
        ` on Chimed { lit = true } }\nending Dawn { draws all }\nending Cold { draws all }\n`,
    );
    const mira = await person("Mira");
    const { id, hostKey = "" } = await client.beginMatch(
      { machine: hash, people: { left: mira.handle }, hostKey: true },
      mira.key,
    );
    const due = async () => (await client.myMatches(mira.key, "my-turn")).items.find((match) => match.id === id)?.due;
    expect(await due()).toMatchObject({ timer: "Night.after2", to: ["Cold"], words: "the match ends in Cold" });
    expect((await client.event(id, hostKey, "Gone", {}, "g")).heardBy).toEqual([]);
    expect((await client.event(id, hostKey, "Chimed", {}, "c")).heardBy).toEqual(["Night"]);
    expect((await client.event(id, hostKey, "Gone", {}, "g")).heardBy).toEqual([]);
    expect((await client.event(id, hostKey, "Chimed", {}, "c")).heardBy).toEqual(["Night"]);
    expect(await due()).toMatchObject({ timer: "Night.after1", to: ["Dawn"] });
    expect(await client.limits()).toMatchObject({ seats: 30, openMatches: { person: 500 }, waitingInputs: 500 });
  });

  test("one stream tells a person of all their matches, without a gap or a repeat over a kill", async () => {
    const [mira, olle] = [await person("Mira"), await person("Olle")];
    const told: string[] = [];
    const abort = new AbortController();
    const follows = (async () => {
      for await (const update of client.followMine({ key: olle.key, after: -1, signal: abort.signal }))
        if (update.kind === "notice") told.push(`${update.notice.kind} ${update.notice.step}`);
    })();
    const { id } = await client.beginMatch(
      { machine: relay, people: { left: mira.handle, right: olle.handle } },
      mira.key,
    );
    await client.join(id, "right", olle.key);
    await client.act(id, mira.key, "carry", {});
    await expect.poll(() => told).toEqual(["invited 0", "your-turn 2"]);
    await running.stop("SIGKILL");
    running = await startService(folder, "--port", new URL(running.address).port);
    await client.act(id, olle.key, "carry", {});
    await client.act(id, mira.key, "finish", {});
    await expect.poll(() => told.slice(2)).toEqual(["others-turn 3", "over 4"]);
    abort.abort();
    await follows;
  });

  test("a step says which client caused it; a ticket stands for a key in an address; revoked, both end", async () => {
    const olle = await person("Olle");
    const { id } = await client.beginMatch({ machine: relay, people: { left: olle.handle } }, olle.key);
    const phone = await client.addKey(olle.key, "phone");
    expect((await client.me(olle.key)).keys.map((k) => [k.name, k.current])).toEqual([
      ["", true],
      ["phone", false],
    ]);
    const { ticket } = await client.ticket(id, phone.key);
    const response = await fetch(`${running.address}/api/matches/${id}/stream?from=0&ticket=${ticket}`);
    const reader = response.body?.pipeThrough(new TextDecoderStream()).getReader();
    let text = "";
    const read = (async () => {
      for (let part = await reader?.read(); part && !part.done; part = await reader?.read()) text += part.value;
    })();
    await client.act(id, olle.key, "think", { n: 7 });
    await expect.poll(() => text).toContain(`"client":"${client.name}"`);
    expect(text).toContain('"plan"');
    await client.revokeKey(olle.key, phone.id);
    await read;
    expect((await fetch(`${running.address}/api/matches/${id}/stream?ticket=${ticket}`)).status).toBe(401);
    expect((await problemOf(client.me(phone.key))).status).toBe(401);
  });
});

describe("what nobody else may see", () => {
  test("a trace tells why a step did what it did; of secrets only the host and the admin while the match goes on", async () => {
    const open = await client.beginMatch({ machine: relay });
    await client.act(open.id, open.keys["left"] ?? "", "carry", {});
    const { trace } = await client.trace(open.id, 1, open.hostKey);
    expect(trace).toMatchObject({
      format: 1,
      step: 1,
      changes: [{ path: "/data/carried" }, { path: "/data/holder", before: "left", after: "right" }],
    });
    expect(await problemOf(client.trace(open.id, 9, open.hostKey))).toMatchObject({ status: 404, code: "noSuchStep" });
    const { hash } = await client.addMachine(SECRET);
    const { id, keys, hostKey } = await client.beginMatch({ machine: hash });
    await client.act(id, keys["a"] ?? "", "hoist", { n: 7 });
    for (const key of [undefined, keys["a"], keys["b"]])
      expect([401, 403]).toContain((await problemOf(client.trace(id, 1, key))).status);
    expect(JSON.stringify(await client.trace(id, 1, hostKey))).toContain('"after":7');
  });

  test("two matches that differ in another seat's secret alone look the same to every other key", async () => {
    const olle = await person("Olle");
    const host = await client.addPerson({ name: "Fair", host: false });
    const bytes = async (n: number): Promise<Record<string, string>> => {
      const match: HostedMatch = await client.beginMatch({
        machine: relay,
        seed: "same",
        people: { right: olle.handle },
      });
      await client.join(match.id, "right", olle.key);
      await client.act(match.id, match.keys["left"] ?? "", "think", { n }, undefined, "t");
      await client.act(match.id, match.keys["left"] ?? "", "carry", {}, undefined, "c");
      const watcher = await client.watcher(match.id, match.hostKey);
      const seen: Record<string, string> = {};
      for (const [who, key] of [
        ["right", olle.key],
        ["host", match.hostKey],
        ["watcher", watcher.key],
        ["nobody", undefined],
        ["stranger", host.key],
      ] as const)
        for (const path of ["", "/logbook", "/stream?from=0"]) {
          const headers = key === undefined ? {} : { Authorization: `Bearer ${key}` };
          const signal = AbortSignal.timeout(400);
          const response = await fetch(`${running.address}/api/matches/${match.id}${path}`, { headers, signal });
          let text = `${response.status} `;
          const chunks = response.body?.pipeThrough(new TextDecoderStream()) as AsyncIterable<string> | undefined;
          try {
            for await (const chunk of chunks ?? []) text += chunk;
          } catch {
            // A stream does not end by itself.
          }
          seen[`${who} ${path}`] = text.replaceAll(match.id, "ID").replaceAll(/20\d\d-[\d:.T-]+Z|"now":\d+/g, "TIME");
        }
      return seen;
    };
    const [one, two] = [await bytes(3), await bytes(8)];
    expect(Object.keys(one)).toHaveLength(15);
    expect(two).toEqual(one);
  });
});
