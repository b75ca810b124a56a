/**
 * The host: matches that are being played. It holds them in memory while they are in use and gives each its line of
 * inputs. No rule of any game stands here; lines, loading, bots, the clock, keys and records have files of their own.
 */

import type { MachineVersion, NewMatch } from "@zany/client/api";
import {
  type BeginOptions,
  begin,
  dataSize,
  type Header,
  headerOf,
  nextTimer,
  type Runnable,
  type StepLine,
  stepLine,
  type Taken,
} from "@zany/core";
import type { Logger } from "pino";
import { isLarge, type Machines } from "../machines.js";
import { Problem } from "../problems.js";
import { newId, newKey, newSeed } from "../secrets.js";
import type { MatchRow } from "../storage/schema.js";
import type { Store } from "../storage/store.js";
import type { Writer } from "../storage/writer.js";
import { Bots, needPolicy } from "./bots.js";
import { chained, chainOf } from "./chain.js";
import { MatchClock } from "./clock.js";
import { MatchKeys } from "./keys.js";
import { MatchLine, type TakenInput, type Wish } from "./line.js";
import type { LiveMatch } from "./live.js";
import { loadMatch } from "./loading.js";
import { MatchRecords, noSuchMatch } from "./records.js";
import { endStreams } from "./streams.js";
import { WrongKeys } from "./wrong-keys.js";

/**
 * How much of matches is kept in memory, in bytes: their machines, for each character of their data ten, and what every
 * match takes.
 */
const MAX_LIVE = 256_000_000;
const PER_CHARACTER = 10;
const PER_MATCH = 20_000;

/** Steps that are on the disk, for those who follow the match. */
export interface Announcement {
  readonly match: LiveMatch;
  readonly lines: readonly StepLine[];
}

/** A match in memory with its line of inputs. */
interface Playing {
  readonly match: LiveMatch;
  readonly line: MatchLine;
}

/** Which matches a host plays. */
export interface Place {
  /** Those of large machines, or the others. */
  readonly aside: boolean;
  /** Is told of a match that belongs to the other host from now on. */
  readonly movedAway?: (match: string) => void;
}

export class Host {
  readonly keys: MatchKeys;
  readonly wrongKeys = new WrongKeys();
  readonly records: MatchRecords;
  private readonly bots: Bots;
  private readonly clock: MatchClock;
  /** Those in memory, the last used at the end. */
  private readonly live = new Map<string, Playing>();
  private readonly loading = new Map<string, Promise<Playing>>();
  private readonly followers = new Set<(announcement: Announcement) => void>();
  private stopping = false;

  constructor(
    store: Store,
    private readonly writer: Writer,
    readonly machines: Machines,
    private readonly log: Logger,
    private readonly place: Place = { aside: false },
  ) {
    this.keys = new MatchKeys(store);
    this.records = new MatchRecords(store, place.aside ? 1 : 0);
    this.bots = new Bots(this, log);
    this.clock = new MatchClock(this, this.records, writer, log);
    writer.onChange((failing) => {
      if (failing !== undefined) return;
      this.clock.schedule();
      for (const { match } of this.live.values()) this.bots.wake(match);
    });
  }

  /**
   * Sets the clock going and lets bots go on, after a start of the service. A match that does not load is left alone.
   */
  async resumeAll(): Promise<void> {
    this.clock.schedule();
    for (const id of await this.records.withBots()) {
      try {
        this.bots.wake(await this.find(id));
      } catch (error) {
        this.log.warn({ err: error, match: id }, "a match could not be loaded");
      }
    }
  }

  /** Takes no more inputs, and resolves when those under way have been answered. */
  async stop(): Promise<void> {
    this.stopping = true;
    this.clock.close();
    this.bots.close();
    await Promise.allSettled(this.loading.values());
    for (const { line } of this.live.values()) await line.settled();
  }

  // ---- beginning and finding -------------------------------------------------------------------

  /** Begins a match and gives a key for each seat that is taken, and one for the host. The keys are told this once. */
  async begin(wish: NewMatch): Promise<{ match: LiveMatch; keys: Record<string, string>; hostKey: string }> {
    this.refuseStopping();
    const { name, version, hash, rules } = await this.machines.find(wish.machine);
    const runnable = await this.machines.runnable(hash);
    const { seats, open, given, bots = {} } = wish;
    const how: BeginOptions = {
      seed: wish.seed ?? newSeed(),
      now: Date.now(),
      ...(seats !== undefined && { seats }),
      ...(open && { open }),
      ...(given && { given }),
    };
    const first = beginOrRefuse(runnable, how);
    const { situation } = first;
    const header = headerOf(runnable, how, situation);
    const headerText = JSON.stringify(header);
    for (const [seat, policy] of Object.entries(bots)) needPolicy(runnable, header.seats, seat, policy);
    const line = JSON.stringify(stepLine(runnable, undefined, first));
    const match: LiveMatch = {
      id: newId(),
      machine: { name, version, hash, rules },
      runnable,
      header,
      headerText,
      bots,
      cancelled: null,
      situation,
      chain: chained(chainOf(headerText), line),
      suspended: null,
      manualTime: wish.clock === "manual" ? situation.now : null,
      botSteps: 0,
      idleTimers: 0,
    };
    const taken = header.seats.filter((seat) => !open?.includes(seat));
    const keys = Object.fromEntries(taken.map((seat) => [seat, newKey()]));
    const hostKey = newKey();
    await this.writer.write(() => {
      this.records.addMatch(match);
      for (const [seat, key] of Object.entries(keys)) this.keys.giveSeat(match.id, seat, key);
      this.keys.giveHost(match.id, hostKey);
      this.records.addStep(match.id, 0, line);
    });
    this.keep(match);
    this.clock.schedule();
    this.bots.wake(match);
    return { match, keys, hostKey };
  }

  /** @throws Problem 404 for a match that is not there; it need not load */
  need(id: string): void {
    if (!this.live.has(id) && !this.records.exists(id)) throw noSuchMatch(id);
  }

  /** @throws Problem 404, or 409 when it does not load */
  async find(id: string): Promise<LiveMatch> {
    return (await this.playing(id)).match;
  }

  private async playing(id: string): Promise<Playing> {
    const known = this.live.get(id);
    if (known) {
      this.live.delete(id);
      this.live.set(id, known);
      return known;
    }
    const underWay = this.loading.get(id);
    if (underWay) return underWay;
    const loading = this.load(id).finally(() => this.loading.delete(id));
    this.loading.set(id, loading);
    return loading;
  }

  /** Plays a stored match again. */
  private async load(id: string): Promise<Playing> {
    const { row, header, bots } = await this.records.find(id);
    const { machine, runnable } = await this.version(row.machine);
    const { header: headerText, step, chain, suspended, cancelled, manual_time: manualTime } = row;
    const snapshots = await this.records.snapshots(id);
    const loaded = await loadMatch({ id, header, headerText, step, chain }, runnable, this.records, snapshots);
    const now = Math.max(loaded.situation.now, manualTime ?? 0);
    return this.keep({
      ...{ id, machine, runnable, header, headerText, suspended, cancelled, manualTime, bots },
      situation: { ...loaded.situation, now },
      chain,
      botSteps: 0,
      idleTimers: 0,
    });
  }

  private async version(reference: string): Promise<{ machine: MachineVersion; runnable: Runnable; aside: 0 | 1 }> {
    const row = await this.machines.find(reference);
    const { name, version, hash, rules } = row;
    const runnable = await this.machines.runnable(hash);
    return { machine: { name, version, hash, rules }, runnable, aside: isLarge(row) ? 1 : 0 };
  }

  private keep(match: LiveMatch): Playing {
    const line = new MatchLine(match, this.records, this.writer, this.log, (of, lines) => {
      this.announce({ match: of, lines });
      this.clock.schedule();
      this.bots.wake(of);
    });
    const playing = { match, line };
    this.live.set(match.id, playing);
    this.makeRoom(match.id);
    return playing;
  }

  /** Lets go of those used longest ago while all together take too much. @param used stays in any case */
  private makeRoom(used: string): void {
    let left = MAX_LIVE;
    const machines = new Set<Runnable>();
    for (const [id, { match, line }] of [...this.live].reverse()) {
      if (!machines.has(match.runnable)) left -= match.runnable.memory;
      machines.add(match.runnable);
      left -= PER_MATCH + PER_CHARACTER * dataSize(match.runnable, match.situation);
      if (left < 0 && line.idle && id !== used) this.live.delete(id);
    }
  }

  // ---- playing ---------------------------------------------------------------------------------

  /** Takes an input to rest, in its turn; see `MatchLine.take`. */
  async take(id: string, wish: Wish): Promise<TakenInput> {
    this.refuseStopping();
    return (await this.playing(id)).line.take(wish);
  }

  /** Takes an open seat; its key is told this once. */
  async join(id: string, seat: string): Promise<TakenInput & { key: string }> {
    const key = newKey();
    const also = (): void => this.keys.giveSeat(id, seat, key);
    return { ...(await this.take(id, { input: () => ({ kind: "join", seat }), also })), key };
  }

  /**
   * Lets time pass on a manual clock: some milliseconds, or until the next timer.
   *
   * @throws Problem 409 when the match is on real time, or no timer runs
   */
  async wait(id: string, by: number | undefined): Promise<TakenInput> {
    const match = await this.find(id);
    if (match.manualTime === null)
      throw new Problem(409, "realClock", "This match is on real time; only a match begun with a manual clock waits.");
    return this.take(id, {
      input: (now) => {
        const time = by === undefined ? nextTimer(match.runnable.machine, now)?.due : now.now + by;
        if (time === undefined) throw new Problem(409, "noTimer", "No timer is running.");
        return { kind: "time", time };
      },
    });
  }

  /** Lets a policy play a seat, or with null gives it back to people. */
  async setBot(id: string, seat: string, policy: string | null): Promise<LiveMatch> {
    this.refuseStopping();
    const match = await this.find(id);
    if (policy !== null) needPolicy(match.runnable, match.header.seats, seat, policy);
    const { line } = await this.playing(id);
    await line.take((progress) => {
      const { [seat]: _, ...others } = progress.bots;
      progress.bots = policy === null ? others : { ...others, [seat]: policy };
      progress.botSteps = 0;
    });
    return match;
  }

  // ---- matches that do not go on ----------------------------------------------------------------

  /** Writes down that a match that does not load does not go on, and why. */
  suspend(id: string, why: string): Promise<void> {
    return this.writer.write(() => this.records.suspend(id, why, null));
  }

  /**
   * Lets a suspended match go on, or one that does not load: as it is, or on another version of its machine on which
   * all its steps go as they went.
   *
   * @throws Problem 409 when it still does not load, goes another way on that version, or was not suspended
   */
  async resume(id: string, reference: string | undefined): Promise<LiveMatch> {
    this.refuseStopping();
    const { row, header } = await this.records.find(id);
    if (row.cancelled !== null) throw new Problem(409, "cancelled", "This match was cancelled.");
    if (row.suspended === null && (await this.loads(id))) throw notSuspended();
    const mended = reference === undefined ? undefined : await this.mended(id, header, reference);
    this.live.delete(id);
    if (!mended) await this.find(id);
    // The clock looks at it at once, and then knows when the next timer is due.
    await this.writer.write(() => {
      if (mended) this.records.setMachine({ id, ...mended });
      this.records.suspend(id, null, Date.now());
    });
    this.live.delete(id);
    const match = await this.find(id);
    if (mended && mended.aside !== Number(this.place.aside)) {
      this.letGo(id);
      this.place.movedAway?.(id);
      return match;
    }
    this.announce({ match, lines: [] });
    this.clock.schedule();
    this.bots.wake(match);
    return match;
  }

  /**
   * Leaves a match that does not go on to the other host, which resumes it. What is under way is answered first.
   *
   * @throws Problem 409 for a match that goes on: it has one line of inputs, here
   */
  async handOver(id: string): Promise<void> {
    const { row } = await this.records.find(id);
    if (row.suspended === null && (await this.loads(id))) throw notSuspended();
    await this.live.get(id)?.line.settled();
    this.letGo(id);
  }

  /** Forgets a match that the other host plays from now on. Whoever follows it has to ask anew. */
  private letGo(id: string): void {
    this.live.delete(id);
    endStreams(id);
  }

  /** Takes up a match that the other host has played. */
  async takeUp(id: string): Promise<void> {
    this.letGo(id);
    const match = await this.find(id);
    this.clock.schedule();
    this.bots.wake(match);
  }

  private async loads(id: string): Promise<boolean> {
    return this.find(id).then(
      () => true,
      () => false,
    );
  }

  /** A match as it would be on another version. @throws Problem 409 when it goes another way there */
  private async mended(
    id: string,
    old: Header,
    reference: string,
  ): Promise<Pick<MatchRow, "machine" | "header" | "chain" | "aside">> {
    const { machine, runnable, aside } = await this.version(reference);
    const { name, hash, rules } = machine;
    const header: Header = { ...old, machine: { name, hash, rules } };
    const headerText = JSON.stringify(header);
    const { row } = await this.records.find(id);
    let chain = chainOf(headerText);
    for await (const lines of this.records.lines(id)) for (const { line } of lines) chain = chained(chain, line);
    await loadMatch({ id, header, headerText, step: row.step, chain }, runnable, this.records, []);
    return { machine: hash, header: headerText, chain, aside };
  }

  /** Ends a match for good, without a result. @throws Problem 409 when it is over or does not load */
  async cancel(id: string): Promise<LiveMatch> {
    this.refuseStopping();
    const { match, line } = await this.playing(id);
    await line.take((progress) => {
      if (progress.situation.outcome) throw new Problem(409, "matchOver", "This match is over.");
      progress.cancelled ??= new Date().toISOString();
      progress.suspended = null;
    });
    return match;
  }

  // ---- following -------------------------------------------------------------------------------

  /** Calls `follower` for every step written from now on; gives the way to stop it. */
  follow(follower: (announcement: Announcement) => void): () => void {
    this.followers.add(follower);
    return () => this.followers.delete(follower);
  }

  private announce(announcement: Announcement): void {
    for (const follower of this.followers) follower(announcement);
  }

  private refuseStopping(): void {
    if (this.stopping) throw new Problem(503, "stopping", "The service is stopping.", {}, { "Retry-After": "5" });
  }
}

function notSuspended(): Problem {
  return new Problem(409, "notSuspended", "This match is not suspended: it goes on.");
}

/** @throws Problem 422 when a match does not begin that way */
function beginOrRefuse(runnable: Runnable, how: BeginOptions): Taken {
  const { taken, refusal, fault } = begin(runnable, how);
  if (taken) return taken;
  const { code, words } = refusal ?? fault ?? { code: "noBegin", words: "The match does not begin." };
  throw new Problem(422, code, words);
}
