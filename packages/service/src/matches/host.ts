/**
 * The host: matches that are being played. It holds them in memory while they are in use and gives each its line of
 * inputs. No rule of any game stands here; lines, loading, bots, the clock, keys and records have files of their own.
 */

import { setImmediate as nextTurn } from "node:timers/promises";
import type { MachineVersion, NewMatch, StreamedStep } from "@zany/client/api";
import { type Caller, isHost } from "../access/callers.js";
import type { Keys } from "../access/keys.js";
import { Notices } from "../access/notices.js";
import type { People } from "../access/people.js";
import {
  type BeginOptions,
  begin,
  type Header,
  headerOf,
  nextTimer,
  type Runnable,
  stepLine,
  type Taken,
  view,
} from "@zany/core";
import type { Logger } from "pino";
import { isLarge, type Machines } from "../machines.js";
import { Problem } from "../problems.js";
import { newId, newKey, newSeed, unsealed } from "../secrets.js";
import type { Store } from "../storage/store.js";
import type { Write, Writer } from "../storage/writer.js";
import { fittingOf, linkTo, seatingOf, wantsHostKey } from "./beginning.js";
import { Bots, needPolicy } from "./bots.js";
import { chained, chainOf } from "./chain.js";
import { MatchClock } from "./clock.js";
import {
  type Change,
  MatchLine,
  type RequestName,
  requestColumns,
  requestReused,
  type TakenInput,
  type Wish,
} from "./line.js";
import type { LiveMatch } from "./live.js";
import { type CarriedOver, carriedOver, loadMatch, situationAt } from "./loading.js";
import { type Playing, PlayingMatches } from "./playing.js";
import { MatchRecords, noSuchMatch, requestId, type StoredMatch } from "./records.js";
import { Room } from "./room.js";
import { endStreams } from "./streams.js";

/** Steps that are on the disk, for those who follow the match. */
export interface Announcement {
  readonly match: LiveMatch;
  readonly lines: readonly StreamedStep[];
}

type Follower = (announcement: Announcement) => void;

/** How long the keys of a match that was begun are told again to whoever repeats the request, in milliseconds. */
const KEPT_ANSWERS = 86_400_000;

/** A match that was begun, with what is told this once. */
export interface Begun {
  readonly match: LiveMatch;
  readonly keys: Readonly<Record<string, string>>;
  readonly links: Readonly<Record<string, string>>;
  readonly hostKey: string | undefined;
}

/** Of which match another is the rematch, and by how many seats everybody moves on. */
export interface Rematch {
  readonly of: string;
  readonly movedOn: number;
}

/** How a match that does not go on is to go on. */
export interface Resuming {
  /** Another version of its machine; undefined for the one it has. */
  readonly machine: string | undefined;
  /** Whether to go on although its steps diverge on that version than they went. */
  readonly anyway: boolean;
  /** Whether who asks may know all of the match; a person who plays in it may not. */
  readonly tellsAll: boolean;
}

/** What is kept of the answer to beginning, to be told again. */
type KeptAnswer = Omit<Begun, "match"> & { readonly id: string };

/** Which matches a host plays. */
export interface Place {
  /** Those of large machines, or the others. */
  readonly aside: boolean;
  /** The service's name, which the ids of its matches begin with; empty for one that stands alone. */
  readonly name: string;
  /** Whether what players asked for and did not get is kept with the match. */
  readonly keepsRefusals: boolean;
  /** Is told of a match that belongs to the other host from now on. */
  readonly movedAway?: (match: string) => void;
}

/** A match carried over to another version of its machine. */
interface Mended {
  readonly match: LiveMatch;
  readonly aside: 0 | 1;
  readonly lines: CarriedOver["lines"] | undefined;
}

export class Host {
  readonly records: MatchRecords;
  private readonly room: Room;
  readonly notices: Notices;
  private readonly bots: Bots;
  private readonly clock: MatchClock;
  /** Those in memory, the last used at the end. */
  private readonly live = new PlayingMatches();
  private readonly loading = new Map<string, Promise<Playing>>();
  private readonly followers = new Map<string, Set<Follower>>();
  /** Those that are begun now, by key and name of the request. */
  private readonly beginning = new Map<string, { readonly content: string; readonly begun: Promise<Begun> }>();
  private stopping = false;

  constructor(
    store: Store,
    private readonly writer: Writer,
    readonly machines: Machines,
    readonly keys: Keys,
    readonly people: People,
    private readonly log: Logger,
    private readonly place: Place,
  ) {
    this.notices = new Notices(store);
    this.records = new MatchRecords(store, place.aside ? 1 : 0);
    this.room = new Room(this.records);
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

  /**
   * Begins a match and gives a key for each seat that nobody is named for, and one for the host. They are told this
   * once; a named request that is repeated is told the same again.
   *
   * @throws Problem 422 when it does not begin that way, 409 for a name that was used for something else
   */
  async begin(wish: NewMatch, caller: Caller, request?: RequestName, rematch?: Rematch): Promise<Begun> {
    this.refuseStopping();
    if (!request) return this.begun(wish, caller, undefined, rematch);
    const before = await this.begunBefore(request);
    if (before) return before;
    const { content, ...named } = requestColumns({ ...request, secret: "" });
    const id = requestId(named);
    const twin = this.beginning.get(id);
    if (twin && twin.content !== content) throw requestReused(request.name);
    if (twin) return twin.begun;
    const begun = this.begun(wish, caller, request, rematch).finally(() => this.beginning.delete(id));
    this.beginning.set(id, { content, begun });
    return begun;
  }

  /**
   * The match that a request of this name began, with what was told then; undefined for a new name.
   *
   * @throws Problem 409 for a name that was used for something else
   */
  async begunBefore(request: RequestName): Promise<Begun | undefined> {
    const { key_hash, name, content } = requestColumns({ ...request, secret: "" });
    const known = this.records.requestOf("", key_hash, name);
    if (!known) return undefined;
    if (known.content !== content || known.answer === null) throw requestReused(request.name);
    const { id, ...kept } = JSON.parse(unsealed(known.answer, request.key.key, request.name)) as KeptAnswer;
    return { match: await this.find(id), ...kept };
  }

  private async begun(wish: NewMatch, caller: Caller, request?: RequestName, rematch?: Rematch): Promise<Begun> {
    const isBegun = this.room.enter(caller);
    let id: string | undefined;
    try {
      const begun = await this.begunInRoom(wish, caller, request, rematch);
      id = begun.match.id;
      return begun;
    } finally {
      isBegun(id);
    }
  }

  private async begunInRoom(
    wish: NewMatch,
    caller: Caller,
    request: RequestName | undefined,
    rematch: Rematch | undefined,
  ): Promise<Begun> {
    const { name, version, hash, rules } = await this.machines.find(wish.machine);
    const runnable = await this.machines.runnable(hash);
    const { seats, given, bots = {}, least = 0 } = wish;
    const { open, holders, unnamed } = seatingOf(wish, caller, this.people);
    const how: BeginOptions = {
      seed: wish.seed ?? newSeed(),
      now: Date.now(),
      ...(seats !== undefined && { seats }),
      ...(open.length > 0 && { open }),
      ...(given && { given }),
    };
    // Each of these may take a while for a heavy machine: others get their turn between.
    await nextTurn();
    const first = beginOrRefuse(runnable, how);
    const { situation } = first;
    await nextTurn();
    const header = headerOf(runnable, how, situation);
    const headerText = JSON.stringify(header);
    for (const [seat, policy] of Object.entries(bots)) needPolicy(runnable, header.seats, seat, policy);
    needSeats(header.seats, Object.keys(holders));
    if (least > header.seats.length)
      throw new Problem(422, "badLeast", `This match has ${header.seats.length} seats; ${least} can never be held.`);
    await nextTurn();
    const line = JSON.stringify(stepLine(runnable, undefined, first));
    const match: LiveMatch = {
      id: this.place.name === "" ? newId() : `${this.place.name}-${newId()}`,
      machine: { name, version, hash, rules },
      runnable,
      header,
      headerText,
      begunBy: caller.kind === "person" ? caller.person.id : null,
      hosted: wantsHostKey(wish, caller) || isHost(caller),
      fitting: fittingOf(rules, header.seats.length, given),
      least,
      bots,
      holders,
      cancelled: null,
      cancelledBy: null,
      confirmed: [],
      rematchOf: rematch?.of ?? null,
      movedOn: rematch?.movedOn ?? 0,
      situation,
      chain: chained(chainOf(headerText), line),
      suspended: null,
      manualTime: wish.clock === "manual" ? situation.now : null,
      botSteps: 0,
      idleTimers: 0,
    };
    const { id } = match;
    const keys = Object.fromEntries(unnamed(header.seats).map((seat) => [seat, newKey()]));
    const secrets = Object.fromEntries((wish.links ?? []).map((seat) => [seat, newKey()]));
    const links = Object.fromEntries(Object.entries(secrets).map(([seat, secret]) => [seat, linkTo(id, secret)]));
    const hostKey = wantsHostKey(wish, caller) ? newKey() : undefined;
    const answer: KeptAnswer = { id, keys, links, hostKey };
    const { records, notices } = this;
    const kept = request && requestColumns({ ...request, secret: JSON.stringify(answer), lasts: KEPT_ANSWERS });
    await this.writer.write(
      () => {
        records.addMatch(match);
        for (const [seat, key] of Object.entries(keys)) this.keys.giveSeat(id, seat, key);
        for (const [seat, secret] of Object.entries(secrets)) this.keys.giveSeat(id, seat, secret, "link");
        if (hostKey !== undefined) this.keys.add(hostKey, { kind: "host", match: id });
      },
      records.step(id, 0, line, null),
      ...records.results(match, match),
      ...(kept ? [records.request({ ...kept, match: "", step: 0 })] : []),
      ...notices.of(match, undefined, match, null),
    );
    notices.wake();
    this.keep(match);
    this.clock.schedule();
    this.bots.wake(match);
    return { match, keys, links, hostKey };
  }

  /** Whether a match is in memory here, being played. */
  holds(id: string): boolean {
    return this.live.has(id);
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
    if (known) return known;
    const underWay = this.loading.get(id);
    if (underWay) return underWay;
    const loading = this.load(id).finally(() => this.loading.delete(id));
    this.loading.set(id, loading);
    return loading;
  }

  /** Plays a stored match again. */
  private async load(id: string): Promise<Playing> {
    const stored = await this.records.find(id);
    const { row, header } = stored;
    const { machine, runnable } = await this.version(row.machine);
    const { header: headerText, step, chain } = row;
    const snapshots = await this.records.snapshots(id);
    const { situation } = await loadMatch({ id, header, headerText, step, chain }, runnable, this.records, snapshots);
    return this.keep(liveOf(stored, { machine, runnable, header, headerText, situation, chain }));
  }

  /** What is stored of who plays a match, which need not load. @throws Problem 404 */
  async stored(id: string): Promise<Pick<LiveMatch, "id" | "header" | "holders" | "begunBy">> {
    const live = this.live.get(id);
    if (live) return live.match;
    const { row, header, holders } = await this.records.find(id);
    return { id, header, holders, begunBy: row.begun_by };
  }

  /** Writes something beside the steps of matches, such as a key. Resolves when it is on the disk. */
  write(write: Write): Promise<void> {
    this.refuseStopping();
    return this.writer.write(write);
  }

  private async version(reference: string): Promise<{ machine: MachineVersion; runnable: Runnable; aside: 0 | 1 }> {
    const row = await this.machines.find(reference);
    const { name, version, hash, rules } = row;
    const runnable = await this.machines.runnable(hash);
    return { machine: { name, version, hash, rules }, runnable, aside: isLarge(row) ? 1 : 0 };
  }

  private keep(match: LiveMatch): Playing {
    const written = (of: LiveMatch, lines: readonly StreamedStep[]): void => {
      this.announce({ match: of, lines });
      this.live.played(of.id);
      this.clock.schedule();
      this.bots.wake(of);
    };
    const { records, writer, log, notices } = this;
    const line = new MatchLine(match, records, writer, log, notices, written, this.place.keepsRefusals);
    const playing = { match, line };
    this.live.add(playing);
    return playing;
  }

  // ---- playing ---------------------------------------------------------------------------------

  /** Takes an input to rest, in its turn; see `MatchLine.take`. */
  async take(id: string, wish: Wish): Promise<TakenInput> {
    this.refuseStopping();
    return (await this.playing(id)).line.take(wish);
  }

  /** Changes what is beside the situation of a match, in its turn. */
  async change(id: string, change: Change): Promise<LiveMatch> {
    this.refuseStopping();
    const { match, line } = await this.playing(id);
    await line.take(change);
    return match;
  }

  /** Whether a match has taken this request; false for another of the same name and key, undefined for none. */
  wasSent(id: string, { request }: Pick<Wish, "request">): boolean | undefined {
    if (!request) return undefined;
    const { key_hash, name, content } = requestColumns(request);
    const taken = this.records.requestOf(id, key_hash, name);
    return taken && taken.content === content;
  }

  /** A match as it was at a step. */
  async at(match: LiveMatch, step: number): Promise<LiveMatch> {
    if (match.situation.step === step) return match;
    return { ...match, situation: await situationAt(match, this.records, step) };
  }

  /**
   * Lets time pass on a manual clock: some milliseconds, or until the next timer.
   *
   * @throws Problem 409 when the match is on real time, or no timer runs
   */
  async wait(id: string, by: number | undefined, sent: Pick<Wish, "request" | "client">): Promise<TakenInput> {
    const match = await this.find(id);
    if (match.manualTime === null)
      throw new Problem(409, "realClock", "This match is on real time; only a match begun with a manual clock waits.");
    return this.take(id, {
      input: ({ situation: now }) => {
        const time = by === undefined ? nextTimer(match.runnable.machine, now)?.due : now.now + by;
        if (time === undefined) throw new Problem(409, "noTimer", "No timer is running.");
        return { kind: "time", time };
      },
      ...sent,
    });
  }

  // ---- matches that do not go on ----------------------------------------------------------------

  /** Writes down that a match that does not load does not go on, and why. */
  suspend(id: string, why: string): Promise<void> {
    return this.writer.write(this.records.suspension(id, why, null));
  }

  /**
   * Lets a suspended match go on, or one that does not load: as it is, or on another version of its machine, on which
   * its inputs are replayed.
   *
   * @throws Problem 409 when it still does not load, diverges on that version and that was not said to be right, is
   * refused an input there, or was not suspended
   */
  async resume(id: string, wish: Resuming): Promise<LiveMatch> {
    this.refuseStopping();
    const stored = await this.records.find(id);
    const { row } = stored;
    if (row.cancelled !== null) throw new Problem(409, "cancelled", "This match was cancelled.");
    if (row.suspended === null && (await this.loads(id))) throw notSuspended();
    const mended = wish.machine === undefined ? undefined : await this.mended(stored, wish.machine, wish);
    this.live.delete(id);
    const after = mended?.match ?? (await this.find(id));
    const { records, notices } = this;
    await this.writer.write(
      ...(mended ? this.mendedWrites(mended) : []),
      // The clock looks at it at once, and then knows when the next timer is due.
      records.suspension(id, null, Date.now()),
      ...notices.of(after, { ...after, suspended: row.suspended ?? "" }, { ...after, suspended: null }, null),
    );
    notices.wake();
    this.live.delete(id);
    if (mended?.lines) endStreams(id);
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

  /** Forgets a match for good. @param forgotten what is written for it */
  async forget(id: string, forgotten: () => void): Promise<void> {
    await this.live.get(id)?.line.settled();
    this.letGo(id);
    await this.write(forgotten);
  }

  private async loads(id: string): Promise<boolean> {
    return this.find(id).then(
      () => true,
      () => false,
    );
  }

  /** A match as it would be on another version. @throws Problem 409 when it diverges there and that is not right */
  private async mended(stored: StoredMatch, reference: string, { anyway, tellsAll }: Resuming): Promise<Mended> {
    const { machine, runnable, aside } = await this.version(reference);
    const { name, hash, rules } = machine;
    const header: Header = { ...stored.header, machine: { name, hash, rules } };
    const headerText = JSON.stringify(header);
    const carried = await carriedOver({ id: stored.row.id, header, headerText }, runnable, this.records, tellsAll);
    const { otherwise, situation, chain, lines } = carried;
    const match = { ...liveOf(stored, { machine, runnable, header, headerText, situation, chain }), suspended: null };
    if (otherwise && !anyway) {
      const { states, turn, outcome } = view(runnable, situation, null);
      const ends = outcome ? `it ends in ${outcome.ending}` : `it stands in ${states.join(" > ") || name}`;
      throw new Problem(
        409,
        "diverges",
        `On ${name}@${machine.version} the match diverges from step ${otherwise.step} on` +
          `${tellsAll ? ` (${otherwise.differences[0]?.path})` : ""}; after all that was played ${ends}. Sent with ` +
          "`anyway`, it goes on with that: its steps are then those of that version.",
        {
          step: otherwise.step,
          ...(tellsAll && { differences: otherwise.differences }),
          comesTo: { step: situation.step, states, turn, outcome },
        },
      );
    }
    return { match, aside, lines };
  }

  /** What is written of a match that goes on with another version of its machine. */
  private mendedWrites({ match, aside, lines }: Mended): readonly Write[] {
    const { records } = this;
    const { id, machine, headerText: header, chain } = match;
    return [
      () => {
        records.setMachine({ id, machine: machine.hash, header, chain, aside });
        if (lines) records.rewrite(id, lines);
      },
      records.progress(match, match),
      ...records.results(match, match),
    ];
  }

  /** Ends a match for good, without a result. @throws Problem 409 when it is over or does not load */
  async cancel(id: string, by: NonNullable<LiveMatch["cancelledBy"]>): Promise<LiveMatch> {
    this.refuseStopping();
    const { match, line } = await this.playing(id);
    await line.take((progress) => {
      if (progress.situation.outcome) throw new Problem(409, "matchOver", "This match is over.");
      if (progress.cancelled === null) progress.cancelledBy = by;
      progress.cancelled ??= new Date().toISOString();
      progress.suspended = null;
      return undefined;
    });
    return match;
  }

  // ---- following -------------------------------------------------------------------------------

  /** Calls `follower` for every step of a match written from now on; gives the way to stop it. */
  follow(id: string, follower: Follower): () => void {
    const all = this.followers.get(id) ?? new Set();
    this.followers.set(id, all.add(follower));
    return () => {
      all.delete(follower);
      if (all.size === 0) this.followers.delete(id);
    };
  }

  private announce(announcement: Announcement): void {
    for (const follower of this.followers.get(announcement.match.id) ?? []) follower(announcement);
  }

  private refuseStopping(): void {
    if (this.stopping) throw new Problem(503, "stopping", "The service is stopping.", {}, { "Retry-After": "5" });
  }
}

/** A match as it stands in memory. @param played what comes of its machine and its steps */
function liveOf(
  { row, bots, holders }: StoredMatch,
  played: Pick<LiveMatch, "machine" | "runnable" | "header" | "headerText" | "situation" | "chain">,
): LiveMatch {
  const { id, suspended, cancelled, manual_time: manualTime } = row;
  const now = Math.max(played.situation.now, manualTime ?? 0);
  return {
    ...played,
    ...{ id, suspended, cancelled, manualTime, bots, holders },
    begunBy: row.begun_by,
    hosted: row.hosted === 1,
    fitting: row.fitting,
    least: row.least,
    rematchOf: row.rematch_of,
    movedOn: row.moved_on,
    cancelledBy: row.cancelled_by,
    confirmed: JSON.parse(row.confirmed) as string[],
    situation: { ...played.situation, now },
    botSteps: 0,
    idleTimers: 0,
  };
}

/** @throws Problem 422 for a seat that a match does not have */
function needSeats(seats: readonly string[], wanted: readonly string[]): void {
  const unknown = wanted.find((seat) => !seats.includes(seat));
  if (unknown !== undefined)
    throw new Problem(422, "noSuchSeat", `There is no seat ${unknown}; the seats are ${seats.join(", ")}.`);
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
