/** What is kept of matches: their rows, steps and lists. Every statement on these tables stands here. */

import type { MatchInfo, MatchStatus } from "@zany/client/api";
import { type Deadline, type Header, type Outcome, seenDue, turnOf } from "@zany/core";
import { type RawBuilder, sql } from "kysely";
import { pageOf } from "../http/pages.js";
import { Problem } from "../problems.js";
import type {
  MachineRow,
  MatchRow,
  RequestRow,
  ResultRow,
  SeatRow,
  SnapshotRow,
  RefusalRow,
  StepRow,
} from "../storage/schema.js";
import type { Entry, Store } from "../storage/store.js";
import { freeSeats } from "./holders.js";
import { type Holder, type Holders, dueOf, type LiveMatch, type MatchProgress } from "./live.js";

/** The columns that change while a match is played. */
type Progress = Omit<
  MatchRow,
  "machine" | "header" | "aside" | "begun_by" | "hosted" | "fitting" | "least" | "rematch_of" | "moved_on" | "created"
>;

/** Which matches are listed. */
interface MatchesWish {
  readonly limit: number;
  /** Those of machines of this name. */
  readonly machine?: string;
  readonly status?: MatchStatus;
  /** What a page said to go on behind it. */
  readonly after?: string;
}

/** What stands in the row of a match of each status; each has exactly one. */
const HAS_STATUS: { readonly [Status in MatchStatus]: RawBuilder<boolean> } = {
  running: sql`outcome IS NULL AND cancelled IS NULL AND suspended IS NULL`,
  suspended: sql`suspended IS NOT NULL AND outcome IS NULL AND cancelled IS NULL`,
  finished: sql`outcome IS NOT NULL`,
  cancelled: sql`cancelled IS NOT NULL`,
};

/** Matches, and what `after` is for those behind them. */
interface ListedMatches {
  readonly matches: readonly MatchInfo[];
  readonly next: string | null;
}

/** How many matches whose timers are due are woken at once. */
const MOST_DUE = 100;
/** How many lines are read at once. */
const PAGE = 100;
/** How many snapshots are kept of a match: the last one, and one to fall back on. */
const SNAPSHOTS = 2;

/** A line of a match as it is stored. */
export type StoredLine = Omit<StepRow, "match">;

/** What is stored of a match besides its steps. */
export interface StoredMatch {
  readonly row: MatchRow;
  readonly header: Header;
  readonly bots: LiveMatch["bots"];
  readonly holders: Holders;
}

/** What lists show of a match, beside its machine. */
export const INFO_COLUMNS = [
  "matches.id",
  "header",
  "hash",
  "rules",
  "machines.name",
  "version",
  "step",
  "outcome",
  "deadline",
  "suspended",
  "cancelled",
  "turn",
  "matches.created",
  "updated",
] as const;

type InfoRow = Pick<
  MatchRow,
  "id" | "header" | "step" | "outcome" | "deadline" | "suspended" | "cancelled" | "turn" | "created" | "updated"
> &
  Pick<MachineRow, "hash" | "rules" | "name" | "version">;

export function infoOf({ hash, rules, name, version, outcome, deadline, turn, header: _, ...row }: InfoRow): MatchInfo {
  return {
    ...row,
    turn: JSON.parse(turn) as string[],
    machine: { name, version, hash, rules },
    due: deadline === null ? null : (JSON.parse(deadline) as Deadline),
    outcome: outcome === null ? null : (JSON.parse(outcome) as Outcome),
  };
}

/** What is kept of a request that was taken. */
export type TakenRequest = Pick<RequestRow, "content" | "step" | "answer">;

/** What a request is known by: the digest of its key, and its name. */
export function requestId({ key_hash, name }: { readonly key_hash: string; readonly name: string }): string {
  return `${key_hash} ${name}`;
}

/** So much that was refused is kept of a match. */
const MOST_REFUSALS = 1_000;

export class MatchRecords {
  private readonly insertMatch;
  private readonly insertStep;
  private readonly insertRefusal;
  private readonly selectRefusals;
  private readonly countRefusals;
  private readonly deleteRefusals;
  private readonly insertRequest;
  private readonly insertSnapshot;
  private readonly deleteSnapshots;
  private readonly selectOpen;
  private readonly updateMatch;
  private readonly updateMachine;
  private readonly deleteSteps;
  private readonly limitRequests;
  private readonly updateSuspended;
  private readonly selectEarliest;
  private readonly selectRequest;
  private readonly selectRequestNames;
  private readonly selectLines;
  private readonly selectExists;
  private readonly selectGoesOn;
  private readonly upsertSeat;
  private readonly deleteRequests;
  private readonly insertResult;
  private readonly selectRematch;

  /**
   * @param aside 1 for the matches played aside, 0 for the others: which of them are told of by their timers and bots
   */
  constructor(
    private readonly store: Store,
    private readonly aside: 0 | 1 = 0,
  ) {
    this.insertMatch = store.prepare<MatchRow>((db, value) =>
      db.insertInto("matches").values({
        id: value("id"),
        machine: value("machine"),
        header: value("header"),
        step: value("step"),
        chain: value("chain"),
        outcome: value("outcome"),
        due: value("due"),
        deadline: value("deadline"),
        suspended: value("suspended"),
        cancelled: value("cancelled"),
        manual_time: value("manual_time"),
        bots: value("bots"),
        aside: value("aside"),
        turn: value("turn"),
        begun_by: value("begun_by"),
        hosted: value("hosted"),
        fitting: value("fitting"),
        free: value("free"),
        least: value("least"),
        cancelled_by: value("cancelled_by"),
        confirmed: value("confirmed"),
        rematch_of: value("rematch_of"),
        moved_on: value("moved_on"),
        created: value("created"),
        updated: value("updated"),
      }),
    );
    this.insertStep = store.prepare<StepRow>((db, value) =>
      db.insertInto("steps").values({
        match: value("match"),
        step: value("step"),
        line: value("line"),
        client: value("client"),
      }),
    );
    this.insertRefusal = store.prepare<RefusalRow>((db, value) =>
      db.insertInto("refusals").values({
        match: value("match"),
        number: value("number"),
        after: value("after"),
        line: value("line"),
      }),
    );
    this.selectRefusals = store.prepare<{ match: string }, Pick<RefusalRow, "after" | "line">>((db, value) =>
      db.selectFrom("refusals").select(["after", "line"]).where("match", "=", value("match")).orderBy("number"),
    );
    this.countRefusals = store.prepare<{ match: string }, { count: number }>((db, value) =>
      db
        .selectFrom("refusals")
        .select((e) => e.fn.countAll<number>().as("count"))
        .where("match", "=", value("match")),
    );
    this.deleteRefusals = store.prepare<{ match: string }>((db, value) =>
      db.deleteFrom("refusals").where("match", "=", value("match")),
    );
    this.upsertSeat = store.prepare<SeatRow>((db, value) =>
      db.replaceInto("seats").values({
        match: value("match"),
        seat: value("seat"),
        kind: value("kind"),
        person: value("person"),
        state: value("state"),
        name: value("name"),
        external: value("external"),
      }),
    );
    this.insertResult = store.prepare<ResultRow>((db, value) =>
      db.replaceInto("results").values({
        match: value("match"),
        seat: value("seat"),
        machine: value("machine"),
        version: value("version"),
        person: value("person"),
        ending: value("ending"),
        result: value("result"),
        rank: value("rank"),
        score: value("score"),
        steps: value("steps"),
        lasted: value("lasted"),
        ended: value("ended"),
      }),
    );
    this.selectRematch = store.prepare<{ id: string }, { id: string }>((db, value) =>
      db.selectFrom("matches").select("id").where("rematch_of", "=", value("id")),
    );
    this.deleteRequests = store.prepare<{ now: number }>((db, value) =>
      db.deleteFrom("requests").where("expires", "<", value("now")),
    );
    this.insertRequest = store.prepare<RequestRow>((db, value) =>
      db.insertInto("requests").values({
        match: value("match"),
        key_hash: value("key_hash"),
        name: value("name"),
        content: value("content"),
        step: value("step"),
        answer: value("answer"),
        expires: value("expires"),
      }),
    );
    this.insertSnapshot = store.prepare<SnapshotRow>((db, value) =>
      db.insertInto("snapshots").values({
        match: value("match"),
        step: value("step"),
        situation: value("situation"),
        chain: value("chain"),
        seal: value("seal"),
      }),
    );
    this.deleteSnapshots = store.prepare<{ match: string; before: number }>((db, value) =>
      db.deleteFrom("snapshots").where("match", "=", value("match")).where("step", "<", value("before")),
    );
    this.updateMatch = store.prepare<Progress>((db, value) =>
      db
        .updateTable("matches")
        .set({
          step: value("step"),
          chain: value("chain"),
          outcome: value("outcome"),
          due: value("due"),
          deadline: value("deadline"),
          suspended: value("suspended"),
          cancelled: value("cancelled"),
          cancelled_by: value("cancelled_by"),
          confirmed: value("confirmed"),
          manual_time: value("manual_time"),
          bots: value("bots"),
          turn: value("turn"),
          free: value("free"),
          updated: value("updated"),
        })
        .where("id", "=", value("id")),
    );
    this.selectOpen = store.prepare<{ person: string; most: number }, { open: number }>((db, value) =>
      db
        .selectFrom((of) =>
          of
            .selectFrom("matches")
            .select("id")
            .where("begun_by", "=", value("person"))
            .where("outcome", "is", null)
            .where("cancelled", "is", null)
            .limit(sql<number>`${value("most")}`)
            .as("open_matches"),
        )
        .select((e) => e.fn.countAll<number>().as("open")),
    );
    this.updateMachine = store.prepare<Pick<MatchRow, "id" | "machine" | "header" | "chain" | "aside">>((db, value) =>
      db
        .updateTable("matches")
        .set({ machine: value("machine"), header: value("header"), chain: value("chain"), aside: value("aside") })
        .where("id", "=", value("id")),
    );
    this.deleteSteps = store.prepare<{ match: string }>((db, value) =>
      db.deleteFrom("steps").where("match", "=", value("match")),
    );
    this.limitRequests = store.prepare<{ match: string; last: number }>((db, value) =>
      db
        .updateTable("requests")
        .set({ step: value("last") })
        .where("match", "=", value("match"))
        .where("step", ">", value("last")),
    );
    this.updateSuspended = store.prepare<Pick<MatchRow, "id" | "suspended" | "due">>((db, value) =>
      db
        .updateTable("matches")
        .set({ due: value("due"), suspended: value("suspended") })
        .where("id", "=", value("id")),
    );
    this.selectEarliest = store.prepare<object, { due: number | null }>((db) =>
      db
        .selectFrom("matches")
        .select((e) => e.fn.min("due").as("due"))
        .where("due", "is not", null)
        .where("aside", "=", aside),
    );
    this.selectRequest = store.prepare<Pick<RequestRow, "match" | "key_hash" | "name">, TakenRequest>((db, value) =>
      db
        .selectFrom("requests")
        .select(["content", "step", "answer"])
        .where("match", "=", value("match"))
        .where("key_hash", "=", value("key_hash"))
        .where("name", "=", value("name")),
    );
    this.selectRequestNames = store.prepare<{ match: string; most: number }, Pick<RequestRow, "key_hash" | "name">>(
      (db, value) =>
        db.selectFrom("requests").select(["key_hash", "name"]).where("match", "=", value("match")).limit(value("most")),
    );
    this.selectLines = store.prepare<{ match: string; after: number; most: number }, StoredLine>((db, value) =>
      db
        .selectFrom("steps")
        .select(["step", "line", "client"])
        .where("match", "=", value("match"))
        .where("step", ">", value("after"))
        .orderBy("step")
        .limit(value("most")),
    );
    this.selectExists = store.prepare<{ id: string }, { id: string }>((db, value) =>
      db.selectFrom("matches").select("id").where("id", "=", value("id")),
    );
    this.selectGoesOn = store.prepare<{ id: string }, { id: string }>((db, value) =>
      db
        .selectFrom("matches")
        .select("id")
        .where("id", "=", value("id"))
        .where("outcome", "is", null)
        .where("cancelled", "is", null),
    );
  }

  // ---- what is written --------------------------------------------------------------------------

  /** @param client who caused it, as it calls itself */
  step(match: string, step: number, line: string, client: string | null): Entry {
    return this.insertStep.entry({ match, step, line, client });
  }

  request(request: RequestRow): Entry {
    return this.insertRequest.entry(request);
  }

  /** Another snapshot, and none of those that it makes needless. */
  snapshot(snapshot: SnapshotRow, every: number): readonly Entry[] {
    const { match, step } = snapshot;
    const before = step - every * (SNAPSHOTS - 1);
    return [this.insertSnapshot.entry(snapshot), this.deleteSnapshots.entry({ match, before })];
  }

  progress(match: LiveMatch, progress: MatchProgress): Entry {
    return this.updateMatch.entry({ updated: new Date().toISOString(), ...progressOf(match, progress) });
  }

  /** How a match has ended for each seat: tallies are made of this. Nothing while it goes on. */
  results({ id, machine, header, holders }: LiveMatch, { situation }: MatchProgress): readonly Entry[] {
    const { outcome, step, now } = situation;
    const ended = new Date().toISOString();
    return (outcome?.results ?? []).map(({ seat, result, rank, score }) =>
      this.insertResult.entry({
        match: id,
        seat,
        machine: machine.name,
        version: machine.version,
        person: holders[seat]?.person ?? null,
        ending: outcome?.ending ?? "",
        result,
        rank: rank ?? null,
        score: score ?? null,
        steps: step,
        lasted: now - Date.parse(header.begun),
        ended,
      }),
    );
  }

  /** For a match that does not load: why it does not go on, or null to try again at a time. */
  suspension(id: string, suspended: string | null, due: number | null): Entry {
    return this.updateSuspended.entry({ id, suspended, due });
  }

  // ---- inside a write ---------------------------------------------------------------------------

  addMatch(match: LiveMatch): void {
    const now = new Date().toISOString();
    this.insertMatch.run({
      ...progressOf(match, match),
      machine: match.machine.hash,
      header: match.headerText,
      aside: this.aside,
      begun_by: match.begunBy,
      hosted: match.hosted ? 1 : 0,
      fitting: match.fitting,
      least: match.least,
      rematch_of: match.rematchOf,
      moved_on: match.movedOn,
      created: now,
      updated: now,
    });
    for (const [seat, holder] of Object.entries(match.holders)) this.setSeat(match.id, seat, holder);
  }

  /** Keeps what was refused, up to a number of them in a match. */
  addRefusal(match: string, after: number, line: string): void {
    const number = this.countRefusals.first({ match })?.count ?? 0;
    if (number < MOST_REFUSALS) this.insertRefusal.run({ match, number, after, line });
  }

  /** What was refused in a match, in order, where that is kept. */
  refusalsOf(match: string): readonly Pick<RefusalRow, "after" | "line">[] {
    return this.selectRefusals.all({ match });
  }

  /** Says who holds a seat from now on. */
  setSeat(match: string, seat: string, holder: Holder): void {
    this.upsertSeat.run({ match, seat, ...holder });
  }

  /** Forgets requests whose time is over. */
  cleanRequests(): void {
    this.deleteRequests.run({ now: Date.now() });
  }

  /** Sets another version of the machine, with all that follows from it; snapshots are of the old one. */
  setMachine(version: Pick<MatchRow, "id" | "machine" | "header" | "chain" | "aside">): void {
    const { id } = version;
    this.updateMachine.run(version);
    this.deleteSnapshots.run({ match: id, before: Number.MAX_SAFE_INTEGER });
  }

  /** Puts other lines in the place of all that a match has; what named requests led to is looked for among them. */
  rewrite(id: string, lines: readonly Omit<StoredLine, "step">[]): void {
    this.deleteSteps.run({ match: id });
    this.deleteRefusals.run({ match: id });
    for (const [step, { line, client }] of lines.entries()) this.insertStep.run({ match: id, step, line, client });
    this.limitRequests.run({ match: id, last: lines.length - 1 });
  }

  // ---- reading ----------------------------------------------------------------------------------

  exists(id: string): boolean {
    return this.selectExists.first({ id }) !== undefined;
  }

  /** Whether a match is there, and is not over. */
  goesOn(id: string): boolean {
    return this.selectGoesOn.first({ id }) !== undefined;
  }

  /** @throws Problem 404 */
  async find(id: string): Promise<StoredMatch> {
    const row = await this.store.db.selectFrom("matches").selectAll().where("id", "=", id).executeTakeFirst();
    if (!row) throw noSuchMatch(id);
    const holders = await this.holdersOf(id);
    try {
      const header = JSON.parse(row.header) as Header;
      return { row, header, bots: JSON.parse(row.bots) as LiveMatch["bots"], holders };
    } catch {
      throw damaged(id, "its header is not readable");
    }
  }

  private async holdersOf(id: string): Promise<Holders> {
    const rows = await this.store.db.selectFrom("seats").selectAll().where("match", "=", id).execute();
    return Object.fromEntries(rows.map(({ match: _, seat, ...holder }) => [seat, holder]));
  }

  /** The snapshots of a match, the newest first. */
  async snapshots(match: string): Promise<SnapshotRow[]> {
    return this.store.db
      .selectFrom("snapshots")
      .selectAll()
      .where("match", "=", match)
      .orderBy("step", "desc")
      .execute();
  }

  /** The matches played last, of one machine's name and one status, or of all. */
  async list({ limit, machine, status, after }: MatchesWish): Promise<ListedMatches> {
    const [updated = "", id = ""] = after?.split(" ") ?? [];
    const rows = await this.store.db
      .selectFrom("matches")
      .innerJoin("machines", "machines.hash", "matches.machine")
      .select(INFO_COLUMNS)
      .$if(machine !== undefined, (query) => query.where("name", "=", machine ?? ""))
      .$if(status !== undefined, (query) => query.where(HAS_STATUS[status as MatchStatus]))
      .$if(after !== undefined, (query) => query.where(sql<boolean>`(updated, matches.id) < (${updated}, ${id})`))
      .orderBy("updated", "desc")
      .orderBy("matches.id", "desc")
      .limit(limit + 1)
      .execute();
    const { items, next } = pageOf(rows, limit, (last) => `${last.updated} ${last.id}`);
    return { matches: items.map(infoOf), next };
  }

  /** The lines of a match after a step, as many as are read at once; none when there are no more. */
  page(match: string, after: number, most = PAGE): StoredLine[] {
    return this.selectLines.all({ match, after, most });
  }

  /** All lines of a match after a step, page by page, so that nothing else has to wait long. */
  async *lines(match: string, after = -1): AsyncGenerator<StoredLine[]> {
    for (let last = after; ; ) {
      const lines = this.page(match, last);
      if (lines.length === 0) return;
      last = lines.at(-1)?.step as number;
      yield lines;
      await new Promise((resolve) => setImmediate(resolve));
    }
  }

  /** How many matches of somebody go on, up to a number. */
  openOf(person: string, most: number): number {
    return this.selectOpen.first({ person, most })?.open ?? 0;
  }

  /** A request that was taken: what it asked for, and what it led to; undefined for one that was not. */
  requestOf(match: string, key_hash: string, name: string): TakenRequest | undefined {
    return this.selectRequest.first({ match, key_hash, name });
  }

  /** The requests of a match that were taken, as many as are asked for; see `requestId`. */
  requestNames(match: string, most: number): string[] {
    return this.selectRequestNames.all({ match, most }).map(requestId);
  }

  /** The rematch of a match; undefined when nobody has asked for one. */
  rematchOf(id: string): string | undefined {
    return this.selectRematch.first({ id })?.id;
  }

  /** When the earliest timer of all matches is due, in milliseconds since 1970 UTC. */
  earliestDue(): number | null {
    return this.selectEarliest.first({})?.due ?? null;
  }

  /** Matches whose timers are due by a time, the earliest first. */
  async dueBy(time: number): Promise<string[]> {
    const rows = await this.store.db
      .selectFrom("matches")
      .select("id")
      .where("due", "<=", time)
      .where("aside", "=", this.aside)
      .orderBy("due")
      .limit(MOST_DUE)
      .execute();
    return rows.map((row) => row.id);
  }

  /** Matches that are still played and have bots in seats. */
  async withBots(): Promise<string[]> {
    const rows = await this.store.db
      .selectFrom("matches")
      .select("id")
      .where("bots", "!=", "{}")
      .where("aside", "=", this.aside)
      .where("outcome", "is", null)
      .where("suspended", "is", null)
      .where("cancelled", "is", null)
      .execute();
    return rows.map((row) => row.id);
  }
}

/** What is stored of a match does not fit together. */
export function damaged(id: string, how: string): Problem {
  return new Problem(
    409,
    "damaged",
    `What is stored of the match "${id}" was damaged: ${how}. Its logbook can be downloaded.`,
  );
}

export function noSuchMatch(id: string): Problem {
  return new Problem(404, "noSuchMatch", `There is no match "${id}" here.`);
}

function progressOf({ id, runnable }: LiveMatch, progress: MatchProgress): Omit<Progress, "updated"> {
  const { situation, chain, suspended, cancelled, manualTime, bots } = progress;
  const goesOn = suspended === null && cancelled === null && situation.outcome === null;
  const due = dueOf(runnable, progress);
  const deadline = due === null ? undefined : seenDue(runnable, situation);
  return {
    id,
    step: situation.step,
    chain,
    outcome: situation.outcome ? JSON.stringify(situation.outcome) : null,
    due,
    deadline: deadline === undefined ? null : JSON.stringify(deadline),
    suspended,
    cancelled,
    cancelled_by: progress.cancelledBy,
    confirmed: JSON.stringify(progress.confirmed),
    manual_time: manualTime,
    bots: JSON.stringify(bots),
    turn: JSON.stringify(goesOn ? turnOf(runnable, situation) : []),
    free: JSON.stringify(goesOn ? freeSeats(runnable, progress) : []),
  };
}
