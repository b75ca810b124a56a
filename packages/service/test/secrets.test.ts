/**
 * What a seat may not know never leaves: matches that differ in one secret alone are played side by side, and whatever
 * anybody else can fetch of them is the same to the last byte.
 */

import { readFileSync } from "node:fs";
import { join } from "node:path";
import { type BegunMatch, type NewMatch, ZanyClient } from "@zany/client";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { discreetMachine } from "../../core/test/discreet-machines.js";
import { Chance } from "../../core/test/generated-machines.js";
import { newFolder, ROOT, type Running, startService } from "./running.js";

/** Every way in which a secret could show besides: rolls, clamps, signals, faults, conditions, choices, timers. */
const VAULT = `machine Vault
seats left, right
private dice palm
hidden dice deal
signal Tapped(hint: int)
data {
  private code per seat: int 0..99 = 7
  private purse per seat: int 0..20 = 5
  hidden trap: int 0..9 = 3
  hidden pile: list of int = [4, 8, 15, 16]
  seen: int 0..1000
}
function risky(n: int): num = 100 / (n - 3)
start Open
state Open {
  turn of seats
  after 1s * (10 + trap) { seen += 0 } -> Open2
  on Tapped(hint) { seen += 0 }
  action look { note to me "your code is {code[me]}" } -> stay
  action stride { code[me] = palm.roll(1..99) } -> stay
  action mix { pile = deal.shuffle(pile) } -> stay
  action fill { purse[me] += code[me] } -> stay
  action drain { trap += 9  trap -= 9  trap += 9 } -> stay
  action tap { raise Tapped(code[me]) } -> stay
  action divide { let x = risky(trap) seen += 0 } -> stay
  action fetch { let x = pile[trap] } -> stay
  action guess(n: int 0..99) needs n == code[next(me)] and purse[me] > 100 else "not that" -> stay
  action force needs trap > 10 and seen >= 0 -> stay
  action own needs code[me] > 200 -> stay
  action reach(n: int in pile) -> stay
  sealed action hide(n: int 0..9) { let both = n + palm.roll(1..6)  purse[me] += both  if both > 5 { raise Tapped(both) } } -> stay
  action end -> Over
}
state Open2 { turn of seats action back -> Open }
ending Over { draws all }
`;

/** A sealed action in a machine that has no private data at all. */
const PLAIN = `machine Plain
seats left, right
private dice palm
signal Chosen(n: int)
data { tally: int 0..9 }
start Open
state Open {
  turn of each seats
  on Chosen(n) { tally += 0 }
  sealed action pick1(n: int 0..9) { let die = palm.roll(1..9) raise Chosen(n) tally += 0  note to me "{die}" } -> ready
  sealed action burst(n: int 1..9) { let x = [1, 2][n] } -> ready
  when all ready -> again Open
}
ending Over { draws all }
`;

let service: Running;
let client: ZanyClient;

beforeAll(async () => {
  service = await startService(newFolder());
  client = new ZanyClient(service.address);
});
afterAll(() => service.stop());

interface Asked {
  readonly method: string;
  readonly path: string;
  readonly body?: unknown;
}

const act = (action: string, args: object = {}, step = 0): Asked => ({
  method: "POST",
  path: "/actions",
  body: { action, args, step },
});
const get = (path: string): Asked => ({ method: "GET", path });

/** A match, and everything that can be fetched of it, without what is new in every match. */
class Watched {
  private constructor(readonly match: BegunMatch) {}

  static async begin(machine: string, wish: Partial<NewMatch>): Promise<Watched> {
    return new Watched(await client.beginMatch({ machine, seed: "tide", clock: "manual", ...wish }));
  }

  /** The answer to a request: status, headers that say something, body. */
  async ask({ method, path, body }: Asked, key: string | undefined): Promise<string> {
    const response = await fetch(`${service.address}/api/matches/${this.match.id}${path}`, {
      method,
      headers: {
        ...(key !== undefined && { Authorization: `Bearer ${key}` }),
        ...(body !== undefined && { "Content-Type": "application/json" }),
      },
      ...(body !== undefined && { body: JSON.stringify(body) }),
    });
    const headers = [...response.headers].filter(([name]) => !["date", "etag", "content-length"].includes(name));
    return this.common(`${response.status} ${JSON.stringify(headers)} ${await response.text()}`);
  }

  /** The stream from the beginning up to what is to be seen now. */
  async stream(key: string | undefined): Promise<string> {
    const abort = new AbortController();
    const response = await fetch(`${service.address}/api/matches/${this.match.id}/stream?from=0`, {
      headers: key === undefined ? {} : { Authorization: `Bearer ${key}` },
      signal: abort.signal,
    });
    let text = "";
    const reader = (response.body as ReadableStream<Uint8Array>).getReader();
    while (!/event: now\ndata: .*\n\n/.test(text)) {
      const { value, done } = await reader.read();
      if (done) throw new Error(`The stream ended after: ${text}`);
      text += new TextDecoder().decode(value);
    }
    abort.abort();
    return this.common(text);
  }

  /** This match in the list of matches. */
  async listed(): Promise<string> {
    const row = (await client.matches()).items.find((m) => m.id === this.match.id);
    return this.common(JSON.stringify({ ...row, updated: "", created: "" }));
  }

  /** Times are told from the beginning on; names that are new in every match are left out. */
  private common(text: string): string {
    const begun = this.match.view.now;
    return text
      .replaceAll(this.match.id, "ID")
      .replace(/\b\d{13}\b/g, (ms) => `T${Number(ms) - begun}`)
      .replace(/\d{4}-\d\d-\d\dT[\d:.]+Z/g, (time) => `T${Date.parse(time) - begun}`);
  }
}

/** Plays two matches by the same requests of a seat; what others see of them must be the same after each. */
async function side(
  pair: readonly [Watched, Watched],
  by: string,
  asked: readonly (readonly [Asked, Asked])[],
  others: readonly (string | undefined)[],
): Promise<void> {
  const both = async (what: string, of: (w: Watched) => Promise<string>): Promise<void> => {
    const [a, b] = await Promise.all([of(pair[0]), of(pair[1])]);
    expect(a, what).toBe(b);
  };
  for (const [i, requests] of asked.entries()) {
    for (const [j, watched] of pair.entries()) {
      const step = (await client.match(watched.match.id)).view.step;
      const request = requests[j] as Asked;
      await watched.ask({ ...request, body: { ...(request.body as object), step } }, watched.match.keys[by]);
    }
    const what = `after request ${i}: ${JSON.stringify(requests[0].body)}`;
    for (const other of others) {
      const key = ({ match }: Watched): string | undefined =>
        other === "host" ? match.hostKey : other === undefined ? undefined : match.keys[other];
      await both(`${what}, seen by ${other}`, (w) => w.ask(get(""), key(w)));
      await both(`${what}, logbook for ${other}`, (w) => w.ask(get("/logbook"), key(w)));
      await both(`${what}, stream for ${other}`, (w) => w.stream(key(w)));
    }
    await both(`${what}, listed`, (w) => w.listed());
    // Only so many wrong keys are answered within a minute.
    if (i === 0) await both(`${what}, a wrong key`, (w) => w.ask(get(""), "nokey"));
    await both(`${what}, joining what is taken`, (w) => w.ask({ method: "POST", path: `/seats/${by}` }, undefined));
  }
}

const twice = (asked: Asked): readonly [Asked, Asked] => [asked, asked];

describe("what a seat may not know", () => {
  test("private data of another seat, whatever is done with it", async () => {
    const { hash } = await client.addMachine(VAULT);
    const begin = (value: number) => Watched.begin(hash, { given: { data: [{ path: "/data/code/left", value }] } });
    const pair = [await begin(7), await begin(55)] as const;
    const all = ["look", "fill", "tap", "own", "stride"].map((action) => twice(act(action)));
    await side(pair, "left", [...all, twice(act("hide", { n: 3 }))], ["right", "host", undefined]);
    const dice = async (key: string | undefined): Promise<boolean> =>
      (await client.matchLogbook(pair[0].match.id, key)).includes('"stream":"palm","seat":"left"');
    expect(await Promise.all([pair[0].match.keys["left"], pair[0].match.keys["right"], undefined].map(dice))).toEqual([
      true,
      false,
      false,
    ]);
    // What the other seat itself tries is answered in the same way, too; but for what depends on the secret openly.
    for (const request of [act("own"), act("guess", { n: 3 }), { ...act("guess"), path: "/options" }]) {
      const answers = await Promise.all(
        pair.map(async (w) =>
          w.ask(
            {
              ...request,
              body: {
                ...(request.body as object),
                step: undefined,
                ...(request.path === "/actions" && { step: (await client.match(w.match.id)).view.step }),
              },
            },
            w.match.keys["right"],
          ),
        ),
      );
      expect(answers[0]).toBe(answers[1]);
      expect(answers[0]).toMatch(/^(200|409)/);
    }
  });

  test("hidden data, from everybody: timers, faults, rolls, clamps, conditions and choices", async () => {
    const { hash } = await client.addMachine(VAULT);
    const begin = (value: number) =>
      Watched.begin(hash, {
        given: {
          data: [
            { path: "/data/trap", value },
            { path: "/data/pile", value: [value, 8, 15] },
          ],
        },
      });
    const pair = [await begin(4), await begin(7)] as const;
    const asked = ["mix", "drain", "fetch", "force"].map((action) => twice(act(action)));
    await side(pair, "left", asked, ["left", "right", "host", undefined]);
    for (const request of [act("divide"), act("fetch"), act("force"), act("reach", { n: 99 })]) {
      const fresh = [await begin(3), await begin(3)] as const;
      const [one] = await Promise.all(fresh.map((w) => w.ask(request, w.match.keys["right"])));
      expect(one).not.toMatch(/\[\d+\]|is 3|zero|trap (is|=)/);
    }
  });

  test("what was chosen for a sealed action, with private data in the machine or without", async () => {
    for (const text of [VAULT, PLAIN]) {
      const { hash } = await client.addMachine(text);
      const pair = [await Watched.begin(hash, {}), await Watched.begin(hash, {})] as const;
      const name = text === VAULT ? "hide" : "pick1";
      await side(pair, "left", [[act(name, { n: 1 }), act(name, { n: 9 })]], ["right", "host", undefined]);
    }
  });

  test("hands that were dealt, and where a runner goes, in the fair's own machines", async () => {
    const machine = async (file: string): Promise<string> =>
      (await client.addMachine(readFileSync(join(ROOT, "examples", file), "utf8"))).hash;
    const tricks = await machine("gull-tricks.zany");
    const dealt = [
      await Watched.begin(tricks, { seed: "ebb" }),
      await Watched.begin(tricks, { seed: "flow" }),
    ] as const;
    await side(dealt, "tern", [twice(act("lay", { card: { suit: "sails", value: 1 } }))], ["host", undefined]);
    const trails = await machine("lantern-trails.zany");
    const pair = [await Watched.begin(trails, { seats: 2 }), await Watched.begin(trails, { seats: 2 })] as const;
    const [by = "", other] = pair[0].match.view.seats.map(({ seat }) => seat);
    const { options } = await client.match(pair[0].match.id, pair[0].match.keys[by]);
    const goals = options.find((o) => o.action === "run")?.parameters[0]?.values?.map((v) => v.value) ?? [];
    expect(goals.length).toBeGreaterThan(1);
    await side(
      pair,
      by,
      [[act("run", { goal: goals[0] }), act("run", { goal: goals[1] })]],
      [other, "host", undefined],
    );
  });

  test("machines at random that keep their secrets", async () => {
    for (let seed = 0; seed < 3; seed++) {
      const { hash } = await client.addMachine(discreetMachine(new Chance(seed)));
      const begin = (h: number) => Watched.begin(hash, { given: { data: [{ path: "/data/h", value: h }] } });
      const asked = Array.from({ length: 3 }, (_, i) => twice(act(`act${i}`)));
      await side([await begin(2), await begin(8)], "ann", asked, ["ann", "ben", "host", undefined]);
    }
  });

  test("a fault of a sealed action is told to its seat alone, and taking a seat shows no other", async () => {
    const { hash } = await client.addMachine(PLAIN);
    const w = await Watched.begin(hash, {});
    expect(await w.ask(act("burst", { n: 7 }), w.match.keys["left"])).toMatch(/there is no \[7\]|"code":"fault"/i);
    const open = await Watched.begin(hash, { open: ["right"] });
    const refused = await open.ask({ method: "POST", path: "/seats/left" }, undefined);
    expect(refused).toMatch(/^409 .*"code":"seatTaken"}$/);
    expect(refused).not.toMatch(/"(view|options|seats|step)":/);
    expect(await open.ask({ method: "POST", path: "/seats/right" }, undefined)).toMatch(/^201 .*"seat":"right"/);
  });
});
