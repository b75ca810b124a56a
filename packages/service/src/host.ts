/**
 * The host: matches that are being played. It holds them in memory while they are in use, takes their
 * inputs through the engine, writes every step down before anybody hears of it, and wakes them when a
 * timer is due. No rule of any game stands here.
 */

import {
  type ActionOption,
  type Arguments,
  begin,
  type BeginOptions,
  beginOptions,
  botNames,
  headerOf,
  type Header,
  type Input,
  inputFrom,
  makeBot,
  options,
  type Refusal,
  type ReportOption,
  reports,
  type Runnable,
  type Situation,
  type StepLine,
  step,
  stepLine,
  type Taken,
  type View,
  view,
} from "@zany/core";
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
/** What a bot takes to think, in milliseconds, so that people can follow it. */
const BOT_PAUSE = 250;
/** Steps that bots take one after the other before they wait for a person. */
const BOT_STEPS = 500;
/**
 * Timers that run one after the other with nobody doing anything; then the match sleeps for good, so that no clock
 * fills the disk.
 */
const MOST_IDLE_TIMERS = 100_000;
/** Who the holder of the game's own key is, in place of a seat. */
export const GAME = "";

/** Who asks: a seat's name, `GAME`, or null for a watcher. */
export type Who = string | null;

/** A match in memory. `head` is ahead of `shown` only while its steps are on their way to the disk. */
export interface LiveMatch {
  readonly id: string;
  readonly runnable: Runnable;
  readonly header: Header;
  head: Situation;
  shown: Situation;
  suspended: string | null;
  /** The time of a clock that is moved by hand; null on real time. */
  hand: number | null;
  bots: Readonly<Record<string, string>>;
  /** Steps that bots have taken since a person did something. */
  botSteps: number;
  /** Timers that have run since anybody did something, or since the match was loaded. */
  idleTimers: number;
}

/** A match as somebody sees it. */
export interface SeenMatch {
  readonly id: string;
  readonly machine: string;
  readonly seat: string | null;
  readonly view: View;
  readonly options: readonly ActionOption[];
  readonly suspended: string | null;
  readonly clock: "real" | "hand";
  readonly bots: Readonly<Record<string, string>>;
  readonly botNames: readonly string[];
  /** What the game can report; for the holder of its key only. */
  readonly reports: readonly ReportOption[];
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

  /** Begins a match and gives a key for each seat that is taken, and one for the game. The keys are told this once. */
  async begin(wish: NewMatch): Promise<{ match: LiveMatch; keys: Record<string, string>; gameKey: string }> {
    const machine = await this.machines.find(wish.machine);
    const runnable = await this.machines.runnable(machine.hash);
    const { seats, overrides, open, at } = wish;
    const how: BeginOptions = {
      seed: wish.seed ?? newKey(),
      now: Date.now(),
      ...(seats !== undefined && { seats }),
      ...(overrides && { overrides }),
      ...(open && { open }),
      ...(at && { at }),
    };
    const { taken, refusal, fault } = begin(runnable, how);
    if (!taken)
      throw new Problem(
        422,
        refusal?.code ?? fault?.code ?? "noBegin",
        refusal?.words ?? fault?.words ?? "The match does not begin.",
      );
    const header = headerOf(runnable, how, taken.situation);
    for (const [seat, bot] of Object.entries(wish.bots ?? {})) refuseBot(runnable, header, seat, bot);
    const line = stepLine(runnable, undefined, taken);
    const match: LiveMatch = {
      id: newId(),
      runnable,
      header,
      head: taken.situation,
      shown: taken.situation,
      suspended: null,
      hand: wish.hand ? taken.situation.now : null,
      bots: wish.bots ?? {},
      botSteps: 0,
      idleTimers: 0,
    };
    const keys = Object.fromEntries(
      header.seats.filter((seat) => !open?.includes(seat)).map((seat) => [seat, newKey()]),
    );
    const gameKey = newKey();
    const { sqlite } = this.store;
    await this.writer.write(() => {
      const now = new Date().toISOString();
      sqlite
        .prepare(
          "INSERT INTO matches (id, machine, header, step, outcome, due, suspended, hand, bots, created, updated) VALUES (?, ?, ?, 0, ?, ?, NULL, ?, ?, ?, ?)",
        )
        .run(
          match.id,
          runnable.hash,
          JSON.stringify(header),
          outcomeText(match.head),
          dueOf(match),
          match.hand,
          JSON.stringify(match.bots),
          now,
          now,
        );
      for (const [seat, key] of [...Object.entries(keys), [GAME, gameKey] as const])
        sqlite.prepare("INSERT INTO seats (match, seat, key_hash) VALUES (?, ?, ?)").run(match.id, seat, hashKey(key));
      sqlite
        .prepare("INSERT INTO steps (match, step, line, request) VALUES (?, 0, ?, NULL)")
        .run(match.id, JSON.stringify(line));
    });
    this.keep(match);
    this.schedule();
    this.wakeBots(match);
    return { match, keys, gameKey };
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
    let situation = begin(runnable, beginOptions(header)).taken?.situation;
    for (const line of lines.slice(1)) {
      const result: ReturnType<typeof step> | undefined = situation && step(runnable, situation, inputFrom(line));
      situation = result?.situation;
      if (!situation || situation.step !== line.step)
        throw new Problem(
          409,
          "doesNotReplay",
          `The match "${id}" does not replay beyond step ${line.step - 1}; its logbook can still be downloaded.`,
        );
    }
    if (!situation) throw new Problem(409, "doesNotReplay", `The match "${id}" does not begin any more.`);
    if (row.hand !== null && row.hand > situation.now) situation = { ...situation, now: row.hand };
    const match: LiveMatch = {
      id,
      runnable,
      header,
      head: situation,
      shown: situation,
      suspended: row.suspended,
      hand: row.hand,
      bots: JSON.parse(row.bots) as LiveMatch["bots"],
      botSteps: 0,
      idleTimers: 0,
    };
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

  async list(
    limit: number,
    machine: string | undefined,
  ): Promise<(Omit<MatchRow, "header" | "hand" | "bots"> & { name: string; number: number })[]> {
    let query = this.store.db
      .selectFrom("matches")
      .innerJoin("machines", "machines.hash", "matches.machine")
      .select([
        "matches.id",
        "matches.machine",
        "machines.name",
        "machines.number",
        "matches.step",
        "matches.outcome",
        "matches.due",
        "matches.suspended",
        "matches.created",
        "matches.updated",
      ])
      .orderBy("matches.updated", "desc")
      .limit(limit);
    if (machine !== undefined) query = query.where("machines.name", "=", machine);
    return query.execute();
  }

  /** All lines of a match that are on the disk. */
  async lines(id: string, after = -1): Promise<StepLine[]> {
    const rows = await this.store.db
      .selectFrom("steps")
      .select("line")
      .where("match", "=", id)
      .where("step", ">", after)
      .orderBy("step")
      .execute();
    return rows.map((row) => JSON.parse(row.line) as StepLine);
  }

  /**
   * Whose key it is; a watcher has none.
   *
   * @throws Problem 403 when the key is of no seat of this match
   */
  async whoHas(id: string, key: string | undefined): Promise<Who> {
    if (key === undefined) return null;
    const row = await this.store.db
      .selectFrom("seats")
      .select("seat")
      .where("match", "=", id)
      .where("key_hash", "=", hashKey(key))
      .executeTakeFirst();
    if (!row) throw new Problem(403, "badKey", "This key belongs to no seat of this match.");
    return row.seat;
  }

  // ---- playing ---------------------------------------------------------------------------------

  /** Takes an action for a seat. */
  act(
    id: string,
    seat: string,
    action: string,
    args: Arguments,
    believed: number,
    request: string | undefined,
  ): Promise<Acted> {
    return this.take(id, { kind: "act", seat, action, args, step: believed }, request);
  }

  /** Takes what the game reports. */
  report(id: string, report: string, args: Arguments, request: string | undefined): Promise<Acted> {
    return this.take(id, { kind: "report", report, args }, request);
  }

  /** Takes an open seat; its key is told this once. */
  async join(id: string, seat: string): Promise<Acted & { key: string }> {
    const key = newKey();
    const acted = await this.take(id, { kind: "join", seat }, undefined, () => {
      this.store.sqlite
        .prepare("INSERT INTO seats (match, seat, key_hash) VALUES (?, ?, ?)")
        .run(id, seat, hashKey(key));
    });
    return { ...acted, key };
  }

  leave(id: string, seat: string): Promise<Acted> {
    return this.take(id, { kind: "leave", seat }, undefined);
  }

  /**
   * Moves a clock that is moved by hand: by some milliseconds, or to the next timer.
   *
   * @throws Problem 409 when the match is on real time, or no timer runs
   */
  async moveClock(id: string, by: number | undefined): Promise<Acted> {
    const match = await this.find(id);
    if (match.hand === null)
      throw new Problem(
        409,
        "realClock",
        "This match is on real time; only a match begun with a clock moved by hand has one to move.",
      );
    const at = by === undefined ? view(match.runnable, match.head, null).due : match.head.now + by;
    if (at === undefined) throw new Problem(409, "noTimer", "No timer is running.");
    return this.take(id, { kind: "time", at }, undefined);
  }

  /** Gives a seat to a bot, or back to people. */
  async setBot(id: string, seat: string, bot: string | null): Promise<LiveMatch> {
    const match = await this.find(id);
    if (bot !== null) refuseBot(match.runnable, match.header, seat, bot);
    const { [seat]: _, ...others } = match.bots;
    const bots = bot === null ? others : { ...others, [seat]: bot };
    await this.writer.write(
      () => void this.store.sqlite.prepare("UPDATE matches SET bots = ? WHERE id = ?").run(JSON.stringify(bots), id),
    );
    match.bots = bots;
    match.botSteps = 0;
    for (const follower of this.followers) follower({ match, lines: [] });
    this.wakeBots(match);
    return match;
  }

  /**
   * Takes an input to rest. Acknowledged (resolved) only when it is on the disk. A request that was
   * taken before is acknowledged again and changes nothing.
   *
   * @param also is written together with the step
   */
  private async take(
    id: string,
    input: Input,
    request: string | undefined,
    also?: () => void,
    byBot = false,
  ): Promise<Acted> {
    const match = await this.find(id);
    if (request !== undefined) {
      const before = await this.store.db
        .selectFrom("steps")
        .select("step")
        .where("match", "=", id)
        .where("request", "=", request)
        .executeTakeFirst();
      if (before) return { match };
    }
    if (match.suspended !== null) throw new Problem(409, "suspended", `This match is suspended: ${match.suspended}`);
    const before = match.head;
    const result = step(match.runnable, before, { at: match.hand === null ? Date.now() : before.now, ...input });
    match.botSteps = byBot ? match.botSteps + 1 : 0;
    match.idleTimers = 0;
    if (match.hand !== null) match.hand = result.situation.now;
    const accepted = !result.refusal && !result.fault;
    await this.commit(match, before, result.situation, result.taken, {
      ...(accepted && request !== undefined && { request }),
      ...(accepted && also && { also }),
    });
    if (result.fault)
      throw new Problem(409, "fault", `The machine is at fault here: ${result.fault.words} Nothing was changed.`, {
        fault: { code: result.fault.code, line: match.runnable.machine.sources.place(result.fault.position).line },
      });
    return { match, ...(result.refusal && { refusal: result.refusal }) };
  }

  /** Writes steps down, shows them, and tells everyone who follows. */
  private async commit(
    match: LiveMatch,
    before: Situation,
    after: Situation,
    taken: readonly Taken[],
    { request, also }: { request?: string; also?: () => void } = {},
  ): Promise<void> {
    if (after === before) return;
    const lines: StepLine[] = [];
    let last = before;
    for (const one of taken) {
      lines.push(stepLine(match.runnable, last, one));
      last = one.situation;
    }
    match.head = after;
    const { sqlite } = this.store;
    try {
      await this.writer.write(() => {
        const insert = sqlite.prepare("INSERT INTO steps (match, step, line, request) VALUES (?, ?, ?, ?)");
        for (const [i, line] of lines.entries())
          insert.run(match.id, line.step, JSON.stringify(line), i === lines.length - 1 ? (request ?? null) : null);
        also?.();
        this.updateMatch(match, after);
      });
    } catch (error) {
      // What is in memory is ahead of the disk and must not be shown: the next use loads it anew.
      this.live.delete(match.id);
      throw error;
    }
    match.shown = after;
    for (const follower of this.followers) follower({ match, lines });
    this.schedule();
    this.wakeBots(match);
  }

  private updateMatch(match: LiveMatch, situation: Situation): void {
    this.store.sqlite
      .prepare("UPDATE matches SET step = ?, outcome = ?, due = ?, suspended = ?, hand = ?, updated = ? WHERE id = ?")
      .run(
        situation.step,
        outcomeText(situation),
        match.suspended === null ? dueOf(match) : null,
        match.suspended,
        match.hand,
        new Date().toISOString(),
        match.id,
      );
  }

  /** A match as somebody sees it. */
  look(match: LiveMatch, who: Who): SeenMatch {
    const { id, runnable, shown, suspended, bots } = match;
    const seat = who === GAME ? null : who;
    return {
      id,
      machine: runnable.hash,
      seat,
      view: view(runnable, shown, seat),
      options: seat === null ? [] : options(runnable, shown, seat),
      suspended,
      clock: match.hand === null ? "real" : "hand",
      bots,
      botNames: botNames(runnable),
      reports: who === GAME ? reports(runnable, shown) : [],
    };
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

  // ---- bots ------------------------------------------------------------------------------------

  private readonly thinking = new Set<string>();

  /** Lets the bots of a match act, a little later, when one of them is on turn. */
  private wakeBots(match: LiveMatch): void {
    const { id } = match;
    if (
      this.closed ||
      this.thinking.has(id) ||
      match.botSteps >= BOT_STEPS ||
      match.suspended !== null ||
      match.head.outcome ||
      Object.keys(match.bots).length === 0
    )
      return;
    this.thinking.add(id);
    setTimeout(() => {
      this.thinking.delete(id);
      if (!this.closed)
        this.botActs(id).catch((error: unknown) => this.log.error({ err: error, match: id }, "a bot could not act"));
    }, BOT_PAUSE).unref();
  }

  private async botActs(id: string): Promise<void> {
    const match = await this.find(id);
    const { runnable, head, header } = match;
    for (const seat of view(runnable, head, null).turn) {
      const name = match.bots[seat];
      // A seed for every step: what a bot does depends on nothing but the match.
      const input =
        name === undefined
          ? undefined
          : makeBot(runnable, name, `${header.seed} ${seat} ${head.step}`)?.choose(head, seat);
      if (!input) continue;
      await this.take(id, { ...input, step: head.step }, undefined, undefined, true);
      return;
    }
  }

  /** After a start of the service: the bots of all running matches go on. */
  async resumeBots(): Promise<void> {
    const rows = await this.store.db
      .selectFrom("matches")
      .select("id")
      .where("bots", "!=", "{}")
      .where("outcome", "is", null)
      .where("suspended", "is", null)
      .execute();
    for (const { id } of rows) this.wakeBots(await this.find(id));
  }

  // ---- time ------------------------------------------------------------------------------------

  /** Sets the alarm for the earliest timer of all matches. */
  schedule(): void {
    if (this.closed) return;
    clearTimeout(this.timer);
    const row = this.store.sqlite.prepare("SELECT min(due) AS due FROM matches WHERE due IS NOT NULL").get() as {
      due: number | null;
    };
    if (row.due === null) return;
    this.timer = setTimeout(() => void this.wake(), Math.min(MAX_SLEEP, Math.max(0, row.due - Date.now())));
    this.timer.unref();
  }

  private async wake(): Promise<void> {
    const now = Date.now();
    const rows = await this.store.db
      .selectFrom("matches")
      .select("id")
      .where("due", "<=", now)
      .orderBy("due")
      .limit(100)
      .execute();
    for (const { id } of rows) {
      try {
        const match = await this.find(id);
        const before = match.head;
        const result = step(match.runnable, before, { kind: "time", at: now });
        match.idleTimers += result.taken.length;
        if (result.fault) match.suspended = result.fault.words;
        else if (match.idleTimers > MOST_IDLE_TIMERS)
          match.suspended = `its clock has run ${MOST_IDLE_TIMERS} timers with nobody doing anything`;
        await this.commit(match, before, result.taken.at(-1)?.situation ?? before, result.taken);
        if (match.suspended !== null) await this.writer.write(() => this.updateMatch(match, match.head));
      } catch (error) {
        this.log.error({ err: error, match: id }, "a timer could not be run");
        await this.writer.write(
          () =>
            void this.store.sqlite
              .prepare("UPDATE matches SET due = NULL, suspended = ? WHERE id = ?")
              .run("its timer could not be run", id),
        );
      }
    }
    this.schedule();
  }

  close(): void {
    this.closed = true;
    clearTimeout(this.timer);
  }
}

/** @throws Problem 422 for a seat or bot that this match does not have */
function refuseBot(runnable: Runnable, header: Header, seat: string, bot: string): void {
  if (!header.seats.includes(seat)) throw new Problem(422, "noSuchSeat", `This match has no seat "${seat}".`);
  if (!botNames(runnable).includes(bot))
    throw new Problem(422, "noSuchBot", `This machine has no bot "${bot}"; it has ${botNames(runnable).join(", ")}.`);
}

/** When the service has to wake a match; never for one whose clock is moved by hand. */
function dueOf(match: LiveMatch): number | null {
  return match.hand === null ? (view(match.runnable, match.head, null).due ?? null) : null;
}

function outcomeText(situation: Situation): string | null {
  return situation.outcome ? JSON.stringify(situation.outcome) : null;
}
