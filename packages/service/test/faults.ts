/**
 * A fault run: many clients play many matches through a network that delays, reorders, doubles and cuts what they send,
 * while the service is killed at random moments and the clock is moved. Afterwards it is counted what was lost, doubled
 * or told differently. The tests run a short one, `npm run bench -- faults` a long one.
 */

import { execFileSync } from "node:child_process";
import { writeFileSync } from "node:fs";
import { createServer as createReceiver } from "node:http";
import { connect, createServer, type AddressInfo, type Server, type Socket } from "node:net";
import { join } from "node:path";
import { type HookMessage, type Notice, Seat, ServiceProblem, type StreamedStep, ZanyClient } from "@zany/client";
import { DatabaseSync } from "@photostructure/sqlite";
import { compile, Runnable, seenLine, type StepLine, verifyText } from "@zany/core";
import { Chance } from "../../core/test/generated-machines.js";
import { newFolder, type Running, startWith, ZANY } from "./running.js";

const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

/** Both may call at any time, each call with a tag of its own; each thinks in secret; a bell rings now and then. */
const CALLS = `machine Calls
seats left, right
data { called: int 0..1000000000  last: text max 40  private thought per seat: text max 40 }
start Open
state Open {
  turn of seats
  action call(tag: text max 40) { last = tag called += 1 } -> stay
  sealed action think(tag: text max 40) { thought[me] = tag } -> stay
  start Still
  state Still { after 400ms -> Ringing }
  state Ringing { after 400ms -> Still }
}
ending Over { draws all }
`;

export interface FaultOptions {
  readonly kills: number;
  readonly matches: number;
  readonly seed: number;
  /** Is told after each kill. */
  readonly progress?: (kills: number) => void;
}

/** What was counted; from `lost` on everything should be 0. */
export interface FaultCounts {
  readonly kills: number;
  readonly acknowledged: number;
  readonly refused: number;
  readonly steps: number;
  readonly connections: number;
  readonly cut: number;
  readonly clockMoved: number;
  readonly notices: number;
  readonly delivered: number;
  /** Acknowledged, and not in the logbook. */
  readonly lost: number;
  /** In the logbook more than once. */
  readonly doubled: number;
  /** Logbooks that do not verify. */
  readonly unverified: number;
  /** Steps that a client missed, was told twice or out of order, or saw otherwise than the service has them. */
  readonly differing: number;
  /** Notices that a person was told twice or out of order. */
  readonly noticesTwice: number;
  /** Notices that the webhook was never told of. */
  readonly undelivered: number;
}

// ---- the network ---------------------------------------------------------------------------------

/** A way to the service that is as bad as networks get; the address stays while the service comes and goes. */
class BadNetwork {
  /** Where the service is now; undefined while it is not. */
  to: number | undefined;
  bad = true;
  connections = 0;
  cut = 0;
  private readonly server: Server;
  private readonly open = new Set<Socket>();

  constructor(private readonly chance: Chance) {
    this.server = createServer((client) => this.join(client));
  }

  async listen(): Promise<string> {
    await new Promise<void>((resolve) => this.server.listen(0, "127.0.0.1", resolve));
    return `http://127.0.0.1:${(this.server.address() as AddressInfo).port}`;
  }

  close(): void {
    this.server.close();
    for (const socket of this.open) socket.destroy();
  }

  private join(client: Socket): void {
    this.connections++;
    client.on("error", () => {});
    this.open.add(client);
    client.once("close", () => this.open.delete(client));
    if (this.to === undefined) return void client.destroy();
    const service = connect(this.to, "127.0.0.1");
    service.on("error", () => client.destroy());
    this.pass(client, service);
    this.pass(service, client);
    // Some are cut, at any moment: before the request is there, before the answer is, or in the middle of it.
    if (this.bad && this.chance.one(4))
      setTimeout(() => {
        if (!this.bad || client.destroyed) return;
        this.cut++;
        client.destroy();
        service.destroy();
      }, this.chance.below(400));
  }

  /** Passes bytes on in their order; those of different connections overtake each other. */
  private pass(from: Socket, to: Socket): void {
    let before: Promise<void> = Promise.resolve();
    from.on("data", (piece: Buffer) => {
      const delay = this.bad && this.chance.one(3) ? this.chance.below(40) : 0;
      before = before
        .then(() => (delay > 0 ? new Promise<void>((resolve) => setTimeout(resolve, delay)) : undefined))
        .then(() => void (to.destroyed || to.write(piece)));
    });
    from.once("close", () => void before.then(() => to.destroy()));
    from.once("end", () => void before.then(() => to.end()));
  }
}

// ---- who plays -----------------------------------------------------------------------------------

/** Somebody in a seat: acts under names of their own, and keeps what the stream tells. */
class Player {
  readonly acknowledged = new Set<string>();
  readonly told: StreamedStep[] = [];
  refused = 0;
  playing = true;
  private tags = 0;
  private readonly stop = new AbortController();

  constructor(
    private readonly client: ZanyClient,
    readonly match: string,
    readonly seat: string,
    private readonly chance: Chance,
  ) {}

  /** Follows the match until told to stop. */
  async follow(): Promise<void> {
    const { signal } = this.stop;
    for await (const update of this.client.follow(this.match, { seat: this.seat, after: -1, signal }))
      if (update.kind === "step") this.told.push(update.line);
  }

  unfollow(): void {
    this.stop.abort();
  }

  async play(): Promise<void> {
    const seat = new Seat(this.client, { match: this.match, seat: this.seat, key: null }, { patience: 120_000 });
    while (this.playing) {
      const tag = `${this.match} ${this.seat} ${this.tags++}`;
      const action = this.chance.one(4) ? "think" : "call";
      if (this.chance.one(8)) await this.counted(tag, () => seat.act(action, { tag }, tag));
      else {
        // The same request several times at once and again, as a client sends it that is in doubt and in a hurry.
        const send = () => this.client.act(this.match, undefined, action, { tag }, undefined, tag, this.seat);
        await Promise.all([this.counted(tag, send), this.counted(tag, send)]);
      }
      await pause(this.chance.below(30));
    }
  }

  private async counted(tag: string, act: () => Promise<unknown>): Promise<void> {
    for (;;) {
      try {
        await act();
        this.acknowledged.add(tag);
        return;
      } catch (error) {
        if (!(error instanceof ServiceProblem)) throw error;
        if (error.status >= 400 && error.status < 500) {
          this.refused++;
          return;
        }
        await pause(this.chance.below(80));
      }
    }
  }
}

// ---- the run -------------------------------------------------------------------------------------

/** Waits until something is so, for a minute at most. */
async function until(done: () => Promise<boolean> | boolean): Promise<void> {
  for (let i = 0; i < 600 && !(await done()); i++) await pause(100);
}

export async function faultRun({ kills, matches: many, seed, progress }: FaultOptions): Promise<FaultCounts> {
  const chance = new Chance(seed);
  const folder = newFolder();
  const said = execFileSync(process.execPath, [ZANY, "admin", "--data", folder], { encoding: "utf8" });
  const adminKey = / once: (\S+)/.exec(said)?.[1] ?? "";
  const clock = movedClock();
  const network = new BadNetwork(chance);
  const address = await network.listen();
  const hook = await receiver(chance);
  let service = await started(folder, address, clock.node);
  network.to = Number(new URL(service.address).port);

  const admin = new ZanyClient(service.address);
  const { hash } = await admin.addMachine(CALLS);
  const people = await Promise.all(["mira", "olle"].map((handle) => admin.addPerson({ name: handle, handle })));
  const [mira, olle] = people.map(({ key }) => key);
  await admin.addHook(hook.url, adminKey);
  const clientOf = (key: string | undefined): ZanyClient => new ZanyClient(address, () => key);
  const players: Player[] = [];
  const ids: string[] = [];
  for (let i = 0; i < many; i++) {
    const { id } = await admin.beginMatch({ machine: hash, people: { left: "mira", right: "olle" } }, mira);
    await admin.join(id, "right", olle);
    ids.push(id);
    players.push(new Player(clientOf(mira), id, "left", chance), new Player(clientOf(olle), id, "right", chance));
  }
  const listeners = people.map(({ key }) => listener(clientOf(key)));
  const following = [...players.map((player) => player.follow()), ...listeners.map((each) => each.listen())];
  const playing = players.map((player) => player.play());

  const acknowledged = (): number => players.reduce((sum, player) => sum + player.acknowledged.size, 0);
  for (let kill = 1; kill <= kills; kill++) {
    // However slow the machine is, about as much is acknowledged between two kills as there are players.
    const enough = acknowledged() + players.length;
    await pause(400 + chance.below(1_200));
    await until(() => acknowledged() >= enough);
    if (chance.one(3)) clock.move(leap(chance));
    network.to = undefined;
    await service.stop("SIGKILL");
    if (chance.one(3)) clock.move(leap(chance));
    service = await started(folder, address, clock.node);
    network.to = Number(new URL(service.address).port);
    progress?.(kill);
  }

  // From here on all is well: who is in doubt asks again, and everybody hears of everything.
  network.bad = false;
  hook.bad = false;
  for (const player of players) player.playing = false;
  await Promise.all(playing);
  const end = new ZanyClient(service.address);
  const hosts = await Promise.all(ids.map((id) => end.cancel(id, mira ?? "")));
  const last = new Map(hosts.map((match) => [match.id, match.view.step]));
  await until(() => players.every((player) => (player.told.at(-1)?.step ?? -1) >= (last.get(player.match) ?? 0)));
  const notices = await Promise.all(people.map(({ key }) => allNotices(end, key)));
  await until(() => listeners.every((each, i) => each.heard.at(-1)?.id === notices[i]?.at(-1)?.id));
  const expected = people.flatMap(({ handle }, i) =>
    (notices[i] ?? []).map((n) => `${handle} ${n.match} ${n.step} ${n.kind}`),
  );
  await until(() => expected.every((notice) => hook.came.has(notice)));
  for (const player of players) player.unfollow();
  for (const each of listeners) each.stop();
  await Promise.all(following);
  await service.stop();
  network.close();
  hook.close();

  const counts = counted(booksIn(folder), players);
  return {
    kills,
    connections: network.connections,
    cut: network.cut,
    clockMoved: clock.moved,
    notices: expected.length,
    delivered: hook.deliveries,
    ...counts,
    noticesTwice: listeners.reduce(
      (sum, { heard }) => sum + heard.filter((n, i) => n.id <= (heard[i - 1]?.id ?? 0)).length,
      0,
    ),
    undelivered: expected.filter((notice) => !hook.came.has(notice)).length,
  };
}

function started(folder: string, address: string, node: readonly string[]): Promise<Running> {
  return startWith(node, folder, "--hook-host", "127.0.0.1", "--url", address, "--log-level", "silent");
}

/** What the logbooks and the players' copies come to. */
function counted(
  books: ReadonlyMap<string, string>,
  players: readonly Player[],
): Pick<FaultCounts, "acknowledged" | "refused" | "steps" | "lost" | "doubled" | "unverified" | "differing"> {
  const runnable = new Runnable(compile(CALLS).machine);
  const count = { acknowledged: 0, refused: 0, steps: 0, lost: 0, doubled: 0, unverified: 0, differing: 0 };
  for (const [id, book] of books) {
    const verdict = verifyText(runnable, book);
    // A match that was cancelled has no closing line; that is all that is wrong with it.
    if (verdict.kind !== "verified" && verdict.kind !== "truncated") count.unverified++;
    const lines = book
      .trimEnd()
      .split("\n")
      .slice(1)
      .map((line) => JSON.parse(line) as StepLine);
    count.steps += lines.length;
    const times = new Map<string, number>();
    for (const { input } of lines) {
      const tag = input.kind === "action" ? String(input.args?.["tag"]) : undefined;
      if (tag !== undefined) times.set(tag, (times.get(tag) ?? 0) + 1);
    }
    count.doubled += [...times.values()].filter((n) => n > 1).length;
    for (const player of players.filter((p) => p.match === id)) {
      count.acknowledged += player.acknowledged.size;
      count.refused += player.refused;
      count.lost += [...player.acknowledged].filter((tag) => !times.has(tag)).length;
      const seen = lines.map((line) => JSON.stringify(seenLine(runnable, line, player.seat)));
      const told = player.told.map(({ client: _, ...line }) => JSON.stringify(line));
      for (let i = 0; i < Math.max(seen.length, told.length); i++) if (seen[i] !== told[i]) count.differing++;
    }
  }
  return count;
}

/** The whole logbooks by match, as they are stored: no key would show all of them before their ending. */
function booksIn(folder: string): ReadonlyMap<string, string> {
  const sqlite = new DatabaseSync(join(folder, "zany.db"));
  const books = new Map<string, string>();
  for (const { id, header } of sqlite.prepare("SELECT id, header FROM matches").all() as {
    id: string;
    header: string;
  }[]) {
    const steps = sqlite.prepare("SELECT line FROM steps WHERE match = ? ORDER BY step").all(id) as { line: string }[];
    books.set(id, `${[header, ...steps.map(({ line }) => line)].join("\n")}\n`);
  }
  sqlite.close();
  return books;
}

/** All that a person was told, by their stream from its beginning. */
async function allNotices(client: ZanyClient, key: string): Promise<readonly Notice[]> {
  const stop = new AbortController();
  const all: Notice[] = [];
  const quiet = (): NodeJS.Timeout => setTimeout(() => stop.abort(), 1_000);
  let timer = quiet();
  for await (const update of client.followMine({ key, after: -1, signal: stop.signal })) {
    if (update.kind !== "notice") continue;
    all.push(update.notice);
    clearTimeout(timer);
    timer = quiet();
  }
  return all;
}

/** Somebody who hears of all their matches. */
function listener(client: ZanyClient): { readonly heard: Notice[]; listen(): Promise<void>; stop(): void } {
  const stop = new AbortController();
  const heard: Notice[] = [];
  return {
    heard,
    async listen() {
      for await (const update of client.followMine({ after: -1, signal: stop.signal }))
        if (update.kind === "notice") heard.push(update.notice);
    },
    stop: () => stop.abort(),
  };
}

/** A program that is told by webhook; while things are bad it sometimes does not take what comes. */
async function receiver(
  chance: Chance,
): Promise<{ url: string; came: Set<string>; deliveries: number; bad: boolean; close(): void }> {
  const server = createReceiver((request, response) => {
    let text = "";
    request.on("data", (part: Buffer) => (text += part.toString()));
    request.on("end", () => {
      if (own.bad && chance.one(50)) return void (chance.one(2) ? response.destroy() : response.writeHead(503).end());
      const { person, match, step, kind } = JSON.parse(text) as HookMessage;
      own.deliveries++;
      own.came.add(`${person} ${match} ${step} ${kind}`);
      response.writeHead(204).end();
    });
  });
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  const own = {
    url: `http://127.0.0.1:${(server.address() as AddressInfo).port}/told`,
    came: new Set<string>(),
    deliveries: 0,
    bad: true,
    close: () => void server.close(),
  };
  return own;
}

/** Put before the service's program: its clock, moved by what a file says, in milliseconds. */
const CLOCK = `
const { readFileSync } = require("node:fs");
const file = __dirname + "/offset";
const Real = Date;
let offset = 0;
const look = () => { try { offset = Number(readFileSync(file, "utf8")) || 0; } catch {} };
look();
setInterval(look, 20).unref();
globalThis.Date = class Date extends Real {
  constructor(...parts) { if (parts.length === 0) super(Real.now() + offset); else super(...parts); }
  static now() { return Real.now() + offset; }
};
`;

/** By how much a clock is moved: mostly by seconds, now and then by so much that thousands of bells are due at once. */
function leap(chance: Chance): number {
  const most = chance.one(4) ? 20 * 60_000 : 2_000;
  return chance.below(2 * most) - most;
}

/** A clock of the service's process that can be moved while it runs. */
function movedClock(): { readonly node: readonly string[]; readonly moved: number; move(by: number): void } {
  const folder = newFolder();
  writeFileSync(join(folder, "clock.cjs"), CLOCK);
  let offset = 0;
  let moved = 0;
  return {
    node: ["--require", join(folder, "clock.cjs")],
    get moved() {
      return moved;
    },
    move(by) {
      moved++;
      offset += by;
      writeFileSync(join(folder, "offset"), String(offset));
    },
  };
}
