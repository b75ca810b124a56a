/**
 * The host: matches that are being played. It holds them in memory while they are in use, takes their
 * inputs through the engine, and writes every step down before anybody hears of it. No rule of any game
 * stands here; bots, the clock, keys and records have files of their own.
 */

import type { MachineVersion, NewMatch } from "@zany/client/api";
import {
  type BeginOptions,
  begin,
  beginOptions,
  headerOf,
  type Input,
  inputFrom,
  type Runnable,
  type Situation,
  type StepLine,
  type StepOptions,
  step,
  stepLine,
  type Taken,
  view,
} from "@zany/core";
import type { Logger } from "pino";
import type { Machines } from "../machines.js";
import { Problem } from "../problems.js";
import { newId, newKey } from "../secrets.js";
import type { Store } from "../storage/store.js";
import type { Writer } from "../storage/writer.js";
import { Bots, needPolicy } from "./bots.js";
import { MatchClock } from "./clock.js";
import { MatchKeys } from "./keys.js";
import { type InputExtras, type LiveMatch, liveMatch, type TakenInput } from "./live.js";
import { MatchRecords } from "./records.js";

/** Every step is written down, so its words are made as it is taken. */
const WRITTEN: StepOptions = { happenings: "now" };
/** How many matches are kept in memory. */
const MAX_LIVE = 1_000;

/** Steps that are on the disk, for those who follow the match. */
export interface Announcement {
  readonly match: LiveMatch;
  readonly lines: readonly StepLine[];
}

export class Host {
  readonly keys: MatchKeys;
  readonly records: MatchRecords;
  private readonly bots: Bots;
  private readonly clock: MatchClock;
  private readonly live = new Map<string, LiveMatch>();
  private readonly loading = new Map<string, Promise<LiveMatch>>();
  private readonly followers = new Set<(announcement: Announcement) => void>();

  constructor(
    store: Store,
    private readonly writer: Writer,
    private readonly machines: Machines,
    log: Logger,
  ) {
    this.keys = new MatchKeys(store);
    this.records = new MatchRecords(store);
    this.bots = new Bots(this, log);
    this.clock = new MatchClock(this, this.records, log);
  }

  /** Sets the clock going and lets bots go on, after a start of the service. */
  async resume(): Promise<void> {
    this.clock.schedule();
    for (const id of await this.records.withBots()) this.bots.wake(await this.find(id));
  }

  close(): void {
    this.clock.close();
    this.bots.close();
  }

  // ---- beginning and finding -------------------------------------------------------------------

  /** Begins a match and gives a key for each seat that is taken, and one for the host. The keys are told this once. */
  async begin(wish: NewMatch): Promise<{ match: LiveMatch; keys: Record<string, string>; hostKey: string }> {
    const { name, version, hash, rules } = await this.machines.find(wish.machine);
    const runnable = await this.machines.runnable(hash);
    const { seats, open, given, bots = {} } = wish;
    const how: BeginOptions = {
      seed: wish.seed ?? newKey(),
      now: Date.now(),
      ...(seats !== undefined && { seats }),
      ...(open && { open }),
      ...(given && { given }),
    };
    const first = beginOrRefuse(runnable, how);
    const { situation } = first;
    const header = headerOf(runnable, how, situation);
    for (const [seat, policy] of Object.entries(bots)) needPolicy(runnable, header.seats, seat, policy);
    const manualTime = wish.clock === "manual" ? situation.now : null;
    const machine: MachineVersion = { name, version, hash, rules };
    const match = liveMatch({ id: newId(), machine, runnable, header, suspended: null, manualTime, bots }, situation);
    const taken = header.seats.filter((seat) => !open?.includes(seat));
    const keys = Object.fromEntries(taken.map((seat) => [seat, newKey()]));
    const hostKey = newKey();
    const line = stepLine(runnable, undefined, first);
    await this.writer.write(() => {
      this.records.addMatch(match);
      for (const [seat, key] of Object.entries(keys)) this.keys.giveSeat(match.id, seat, key);
      this.keys.giveHost(match.id, hostKey);
      this.records.addStep(match.id, line, null);
    });
    this.keep(match);
    this.clock.schedule();
    this.bots.wake(match);
    return { match, keys, hostKey };
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
    const { row, header, bots } = await this.records.find(id);
    const { name, version, hash, rules } = await this.machines.find(row.machine);
    const runnable = await this.machines.runnable(hash);
    let situation = replayed(id, begin(runnable, beginOptions(header)).taken, 0);
    for (const line of (await this.records.lines(id)).slice(1))
      situation = replayed(id, step(runnable, situation, inputFrom(line)), line.step);
    const { suspended, manual_time: manualTime } = row;
    if (manualTime !== null && manualTime > situation.now) situation = { ...situation, now: manualTime };
    const machine: MachineVersion = { name, version, hash, rules };
    const match = liveMatch({ id, machine, runnable, header, suspended, manualTime, bots }, situation);
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

  // ---- playing ---------------------------------------------------------------------------------

  /** Takes an open seat; its key is told this once. */
  async join(id: string, seat: string): Promise<TakenInput & { key: string }> {
    const key = newKey();
    const also = (): void => this.keys.giveSeat(id, seat, key);
    return { ...(await this.take(id, { kind: "join", seat }, { also })), key };
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
    const time = by === undefined ? view(match.runnable, match.head, null).due : match.head.now + by;
    if (time === undefined) throw new Problem(409, "noTimer", "No timer is running.");
    return this.take(id, { kind: "time", time });
  }

  /** Lets a policy play a seat, or with null gives it back to people. */
  async setBot(id: string, seat: string, policy: string | null): Promise<LiveMatch> {
    const match = await this.find(id);
    if (policy !== null) needPolicy(match.runnable, match.header.seats, seat, policy);
    const { [seat]: _, ...others } = match.bots;
    const bots = policy === null ? others : { ...others, [seat]: policy };
    await this.writer.write(() => this.records.setBots(id, bots));
    match.bots = bots;
    match.botSteps = 0;
    this.announce({ match, lines: [] });
    this.bots.wake(match);
    return match;
  }

  /**
   * Takes an input to rest. Acknowledged (resolved) only when it is on the disk. A request that was
   * taken before is acknowledged again and changes nothing.
   *
   * @throws Problem 409 for a match that is suspended, or a fault of its machine
   */
  async take(id: string, input: Input, extras: InputExtras = {}): Promise<TakenInput> {
    const { request, also, byBot = false } = extras;
    const match = await this.find(id);
    if (request !== undefined && this.records.knowsRequest(id, request)) return { match };
    if (match.suspended !== null) throw new Problem(409, "suspended", `This match is suspended: ${match.suspended}`);
    const before = match.head;
    const time = match.manualTime === null ? Date.now() : before.now;
    const { situation, taken, refusal, fault } = step(match.runnable, before, { time, ...input }, WRITTEN);
    match.botSteps = byBot ? match.botSteps + 1 : 0;
    match.idleTimers = 0;
    if (match.manualTime !== null) match.manualTime = situation.now;
    await this.commit(match, before, situation, taken, refusal || fault ? {} : { request, ...(also && { also }) });
    if (fault)
      throw new Problem(409, "fault", `The machine is at fault here: ${fault.words} Nothing was changed.`, {
        fault: { code: fault.code, line: match.runnable.machine.sources.place(fault.position).line },
      });
    return { match, ...(refusal && { refusal }) };
  }

  /** Writes steps down, shows them, and tells everyone who follows. */
  async commit(
    match: LiveMatch,
    before: Situation,
    after: Situation,
    taken: readonly Taken[],
    { request, also }: InputExtras = {},
  ): Promise<void> {
    if (after === before) return;
    const lines = taken.map((one, i) => stepLine(match.runnable, taken[i - 1]?.situation ?? before, one));
    match.head = after;
    try {
      await this.writer.write(() => {
        for (const line of lines)
          this.records.addStep(match.id, line, line === lines.at(-1) ? (request ?? null) : null);
        also?.();
        this.records.update(match, after);
      });
    } catch (error) {
      // What is in memory is ahead of the disk and must not be shown: the next use loads it anew.
      this.live.delete(match.id);
      throw error;
    }
    match.shown = after;
    this.announce({ match, lines });
    this.clock.schedule();
    this.bots.wake(match);
  }

  /** Writes down that a match does not go on, and why. */
  suspend(id: string, why: string): Promise<void> {
    return this.writer.write(() => this.records.suspend(id, why));
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
}

/** @throws Problem 422 when a match does not begin that way */
function beginOrRefuse(runnable: Runnable, how: BeginOptions): Taken {
  const { taken, refusal, fault } = begin(runnable, how);
  if (taken) return taken;
  const { code, words } = refusal ?? fault ?? { code: "noBegin", words: "The match does not begin." };
  throw new Problem(422, code, words);
}

/** The situation after one stored step was taken again. @throws Problem 409 when it does not go that way */
function replayed(id: string, result: { readonly situation?: Situation } | undefined, number: number): Situation {
  const situation = result?.situation;
  if (situation && situation.step === number) return situation;
  throw new Problem(
    409,
    "doesNotReplay",
    number === 0
      ? `The match "${id}" does not begin any more.`
      : `The match "${id}" does not replay beyond step ${number - 1}; its logbook can still be downloaded.`,
  );
}
