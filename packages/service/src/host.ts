/**
 * The host: matches that are being played. It holds them in memory while they are in use, takes their
 * inputs through the engine, writes every step down before anybody hears of it, and wakes them when a
 * timer is due. No rule of any game stands here.
 */

import { type ActionOption, type Arguments, begin, type BeginOptions, headerOf, type Header, inputFrom, options, type Refusal, type Runnable, type Situation, type StepLine, step, stepLine, type Taken, type View, view } from "@zany/core";
import type { Logger } from "pino";
import type { MatchRow, Store } from "./database.js";
import { hashKey, newId, newKey } from "./keys.js";
import type { Machines } from "./machines.js";
import { Problem } from "./problems.js";
import type { NewMatch } from "./validation.js";
import type { Writer } from "./writer.js";

/** How many matches are kept in memory. */
const MAX_LIVE = 1_000;
/** The longest sleep; the clock may be set while the service sleeps. */
const MAX_SLEEP = 60_000;

/** A match in memory. `head` is ahead of `shown` only while its steps are on their way to the disk. */
export interface LiveMatch {
  readonly id: string;
  readonly runnable: Runnable;
  readonly header: Header;
  head: Situation;
  shown: Situation;
  suspended: string | null;
}

/** A step that is on the disk, for those who follow the match. */
export interface Announcement {
  readonly match: LiveMatch;
  readonly lines: readonly StepLine[];
}

export interface Acted {
  readonly match: LiveMatch;
  readonly refusal?: Refusal;
}

export class Host {
  private readonly live = new Map<string, LiveMatch>();
  private readonly loading = new Map<string, Promise<LiveMatch>>();
  private readonly followers = new Set<(announcement: Announcement) => void>();
  private timer: NodeJS.Timeout | undefined;
  private closed = false;

  constructor(
    private readonly store: Store,
    private readonly writer: Writer,
    private readonly machines: Machines,
    private readonly log: Logger,
  ) {}

  // ---- beginning and finding -------------------------------------------------------------------

  /** Begins a match and gives a key for each seat. The keys are told this once. */
  async begin(wish: NewMatch): Promise<{ match: LiveMatch; keys: Record<string, string> }> {
    const machine = await this.machines.find(wish.machine);
    const runnable = await this.machines.runnable(machine.hash);
    const beginOptions: BeginOptions = { seed: wish.seed ?? newKey(), now: Date.now(), ...(wish.seats !== undefined && { seats: wish.seats }), ...(wish.overrides && { overrides: wish.overrides }) };
    const { taken, refusal, fault } = begin(runnable, beginOptions);
    if (!taken) throw new Problem(422, refusal?.code ?? fault?.code ?? "noBegin", refusal?.words ?? fault?.words ?? "The match does not begin.");
    const header = headerOf(runnable, beginOptions, taken.situation);
    const line = stepLine(runnable, undefined, taken);
    const match: LiveMatch = { id: newId(), runnable, header, head: taken.situation, shown: taken.situation, suspended: null };
    const keys = Object.fromEntries(header.seats.map((seat) => [seat, newKey()]));
    const { sqlite } = this.store;
    await this.writer.write(() => {
      const now = new Date().toISOString();
      sqlite
        .prepare("INSERT INTO matches (id, machine, header, step, outcome, due, suspended, created, updated) VALUES (?, ?, ?, 0, ?, ?, NULL, ?, ?)")
        .run(match.id, runnable.hash, JSON.stringify(header), outcomeText(match.head), dueOf(match), now, now);
      for (const [seat, key] of Object.entries(keys)) sqlite.prepare("INSERT INTO seats (match, seat, key_hash) VALUES (?, ?, ?)").run(match.id, seat, hashKey(key));
      sqlite.prepare("INSERT INTO steps (match, step, line, request) VALUES (?, 0, ?, NULL)").run(match.id, JSON.stringify(line));
    });
    this.keep(match);
    this.schedule();
    return { match, keys };
  }

  /** @throws Problem 404 */
  async find(id: string): Promise<LiveMatch> {
    const known = this.live.get(id);
    if (known) return known;
    const underWay = this.loading.get(id);
    if (underWay) return underWay;
    const loading = this.load(id).finally(() => this.loading.delete(id));
    this.loading.set(id, loading);
    return loading;
  }

  /** Plays a stored match again from its lines. */
  private async load(id: string): Promise<LiveMatch> {
    const row = await this.store.db.selectFrom("matches").selectAll().where("id", "=", id).executeTakeFirst();
    if (!row) throw new Problem(404, "noSuchMatch", `There is no match "${id}" here.`);
    const runnable = await this.machines.runnable(row.machine);
    const header = JSON.parse(row.header) as Header;
    const lines = await this.lines(id);
    const beginOptions: BeginOptions = { seed: header.seed, seats: header.seats.length, overrides: header.overrides, now: Date.parse(header.begun) };
    let situation = begin(runnable, beginOptions).taken?.situation;
    for (const line of lines.slice(1)) {
      const result: ReturnType<typeof step> | undefined = situation && step(runnable, situation, inputFrom(line));
      situation = result?.situation;
      if (!situation || situation.step !== line.step) throw new Problem(409, "doesNotReplay", `The match "${id}" does not replay beyond step ${line.step - 1}; its logbook can still be downloaded.`);
    }
    if (!situation) throw new Problem(409, "doesNotReplay", `The match "${id}" does not begin any more.`);
    const match: LiveMatch = { id, runnable, header, head: situation, shown: situation, suspended: row.suspended };
    this.keep(match);
    return match;
  }

  private keep(match: LiveMatch): void {
    this.live.set(match.id, match);
    for (const [id, other] of this.live) {
      if (this.live.size <= MAX_LIVE) break;
      if (other.head === other.shown) this.live.delete(id);
    }
  }

  async list(limit: number, machine: string | undefined): Promise<(Omit<MatchRow, "header"> & { name: string; number: number })[]> {
    let query = this.store.db
      .selectFrom("matches")
      .innerJoin("machines", "machines.hash", "matches.machine")
      .select(["matches.id", "matches.machine", "machines.name", "machines.number", "matches.step", "matches.outcome", "matches.due", "matches.suspended", "matches.created", "matches.updated"])
      .orderBy("matches.updated", "desc")
      .limit(limit);
    if (machine !== undefined) query = query.where("machines.name", "=", machine);
    return query.execute();
  }

  /** All lines of a match that are on the disk. */
  async lines(id: string, after = -1): Promise<StepLine[]> {
    const rows = await this.store.db.selectFrom("steps").select("line").where("match", "=", id).where("step", ">", after).orderBy("step").execute();
    return rows.map((row) => JSON.parse(row.line) as StepLine);
  }

  /**
   * The seat a key opens; null for a watcher without a key.
   *
   * @throws Problem 403 when the key is of no seat of this match
   */
  async seatOf(id: string, key: string | undefined): Promise<string | null> {
    if (key === undefined) return null;
    const row = await this.store.db.selectFrom("seats").select("seat").where("match", "=", id).where("key_hash", "=", hashKey(key)).executeTakeFirst();
    if (!row) throw new Problem(403, "badKey", "This key belongs to no seat of this match.");
    return row.seat;
  }

  // ---- playing ---------------------------------------------------------------------------------

  /**
   * Takes an action for a seat. Acknowledged (resolved) only when it is on the disk. A request that was
   * taken before is acknowledged again and changes nothing.
   */
  async act(id: string, seat: string, action: string, args: Arguments, believed: number, request: string | undefined): Promise<Acted> {
    const match = await this.find(id);
    if (request !== undefined) {
      const before = await this.store.db.selectFrom("steps").select("step").where("match", "=", id).where("request", "=", request).executeTakeFirst();
      if (before) return { match };
    }
    if (match.suspended !== null) throw new Problem(409, "suspended", `This match is suspended: ${match.suspended}`);
    const before = match.head;
    const result = step(match.runnable, before, { kind: "act", seat, action, args, step: believed, at: Date.now() });
    await this.commit(match, before, result.taken, result.fault && result.taken.length === 0 ? undefined : request);
    if (result.fault) throw new Problem(409, "fault", `The machine is at fault here: ${result.fault.words} Nothing was changed.`, { fault: { code: result.fault.code, line: match.runnable.machine.sources.place(result.fault.position).line } });
    return { match, ...(result.refusal && { refusal: result.refusal }) };
  }

  /** Writes steps down, shows them, and tells everyone who follows. */
  private async commit(match: LiveMatch, before: Situation, taken: readonly Taken[], request: string | undefined): Promise<void> {
    if (taken.length === 0) return;
    const lines: StepLine[] = [];
    let last = before;
    for (const one of taken) {
      lines.push(stepLine(match.runnable, last, one));
      last = one.situation;
    }
    match.head = last;
    const { sqlite } = this.store;
    try {
      await this.writer.write(() => {
        const insert = sqlite.prepare("INSERT INTO steps (match, step, line, request) VALUES (?, ?, ?, ?)");
        for (const [i, line] of lines.entries()) insert.run(match.id, line.step, JSON.stringify(line), i === lines.length - 1 ? (request ?? null) : null);
        this.updateMatch(match, last);
      });
    } catch (error) {
      // What is in memory is ahead of the disk and must not be shown: the next use loads it anew.
      this.live.delete(match.id);
      throw error;
    }
    match.shown = last;
    for (const follower of this.followers) follower({ match, lines });
    this.schedule();
  }

  private updateMatch(match: LiveMatch, situation: Situation): void {
    this.store.sqlite
      .prepare("UPDATE matches SET step = ?, outcome = ?, due = ?, suspended = ?, updated = ? WHERE id = ?")
      .run(situation.step, outcomeText(situation), match.suspended === null ? dueOf(match) : null, match.suspended, new Date().toISOString(), match.id);
  }

  /** A match as a seat sees it. */
  look(match: LiveMatch, seat: string | null): { id: string; machine: string; seat: string | null; view: View; options: ActionOption[]; suspended: string | null } {
    return { id: match.id, machine: match.runnable.hash, seat, view: view(match.runnable, match.shown, seat), options: seat === null ? [] : options(match.runnable, match.shown, seat), suspended: match.suspended };
  }

  /** One action with the arguments chosen so far. */
  choose(match: LiveMatch, seat: string, action: string, args: Arguments): ActionOption | undefined {
    return options(match.runnable, match.shown, seat, { action, args })[0];
  }

  /** Calls `follower` for every step written from now on; gives the way to stop it. */
  follow(follower: (announcement: Announcement) => void): () => void {
    this.followers.add(follower);
    return () => this.followers.delete(follower);
  }

  // ---- time ------------------------------------------------------------------------------------

  /** Sets the alarm for the earliest timer of all matches. */
  schedule(): void {
    if (this.closed) return;
    clearTimeout(this.timer);
    const row = this.store.sqlite.prepare("SELECT min(due) AS due FROM matches WHERE due IS NOT NULL").get() as { due: number | null };
    if (row.due === null) return;
    this.timer = setTimeout(() => void this.wake(), Math.min(MAX_SLEEP, Math.max(0, row.due - Date.now())));
    this.timer.unref();
  }

  private async wake(): Promise<void> {
    const now = Date.now();
    const rows = await this.store.db.selectFrom("matches").select("id").where("due", "<=", now).orderBy("due").limit(100).execute();
    for (const { id } of rows) {
      try {
        const match = await this.find(id);
        const before = match.head;
        const result = step(match.runnable, before, { kind: "time", at: now });
        if (result.fault) match.suspended = result.fault.words;
        await this.commit(match, before, result.taken, undefined);
        if (result.fault) await this.writer.write(() => this.updateMatch(match, match.head));
      } catch (error) {
        this.log.error({ err: error, match: id }, "a timer could not be run");
        await this.writer.write(() => void this.store.sqlite.prepare("UPDATE matches SET due = NULL, suspended = ? WHERE id = ?").run("its timer could not be run", id));
      }
    }
    this.schedule();
  }

  close(): void {
    this.closed = true;
    clearTimeout(this.timer);
  }
}

function dueOf(match: LiveMatch): number | null {
  const { due } = view(match.runnable, match.head, null);
  return due ?? null;
}

function outcomeText(situation: Situation): string | null {
  return situation.outcome ? JSON.stringify(situation.outcome) : null;
}
