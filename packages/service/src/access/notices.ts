/**
 * What people are told of their matches: written with the step that it is about, and read from there by whoever
 * listens, so that nobody misses anything or hears it twice.
 */

import type { Notice, NoticeKind, Page } from "@zany/client/api";
import type { Kysely } from "kysely";
import { seatsNow, turnOf } from "@zany/core";
import { pageOf } from "../http/pages.js";
import type { LiveMatch, MatchProgress } from "../matches/live.js";
import type { DeliveryRow, NoticeRow, Schema } from "../storage/schema.js";
import type { Entry, Store } from "../storage/store.js";

/** How many notices are read at once, and how many are kept for each person at least. */
const PAGE = 100;
const KEPT = 1_000;
/** How often those of long ago are forgotten: once in so many. */
const FORGET_EVERY = 256;

export class Notices {
  private readonly insert;
  private readonly hooksOf;
  private readonly insertDelivery;
  private readonly select;
  private readonly last;
  private readonly forget;
  private added = 0;
  private readonly listeners = new Set<() => void>();

  constructor(private readonly store: Store) {
    this.insert = store.prepare<Omit<NoticeRow, "id">>((db, value) =>
      db.insertInto("notices").values({
        person: value("person"),
        match: value("match"),
        step: value("step"),
        kind: value("kind"),
        client: value("client"),
        at: value("at"),
      }),
    );
    this.hooksOf = store.prepare<{ owner: string | null }, { id: string }>((db, value) =>
      db
        .selectFrom("hooks")
        .select("id")
        .where((e) => e.or([e("owner", "is", null), e("owner", "=", value("owner"))])),
    );
    this.insertDelivery = store.prepare<Omit<DeliveryRow, "id" | "notice" | "attempts" | "dead" | "failed">>(
      (db, value) =>
        db.insertInto("deliveries").values({
          hook: value("hook"),
          notice: ofLastNotice(db),
          person: value("person"),
          match: value("match"),
          step: value("step"),
          kind: value("kind"),
          at: value("at"),
          attempts: 0,
          dead: 0,
        }),
    );
    this.select = store.prepare<{ person: string; after: number }, Notice>((db, value) =>
      db
        .selectFrom("notices")
        .select(["id", "kind", "match", "step", "client", "at"])
        .where("person", "=", value("person"))
        .where("id", ">", value("after"))
        .orderBy("id")
        .limit(PAGE)
        .$castTo<Notice>(),
    );
    this.last = store.prepare<{ person: string }, { id: number | null }>((db, value) =>
      db
        .selectFrom("notices")
        .select((e) => e.fn.max("id").as("id"))
        .where("person", "=", value("person")),
    );
    this.forget = store.prepare<{ person: string }>((db, value) =>
      db
        .deleteFrom("notices")
        .where("person", "=", value("person"))
        .where("id", "<=", (of) =>
          of
            .selectFrom("notices")
            .select("id")
            .where("person", "=", value("person"))
            .orderBy("id", "desc")
            .limit(1)
            .offset(KEPT),
        ),
    );
  }

  /**
   * What people are told of a change, to be written together with it; `wake` is due when it is.
   *
   * @param client who caused it, as it calls itself
   */
  of(match: LiveMatch, before: MatchProgress | undefined, after: MatchProgress, client: string | null): Entry[] {
    const news = newsOf(match, before, after);
    if (news.length === 0) return [];
    const at = new Date().toISOString();
    const hooks = this.hooksOf.all({ owner: match.begunBy });
    return news.flatMap(([person, kind]) => {
      const told = { person, match: match.id, step: after.situation.step, kind, at };
      const forgetting = ++this.added % FORGET_EVERY === 0;
      return [
        this.insert.entry({ ...told, client }),
        ...hooks.map(({ id: hook }) => this.insertDelivery.entry({ ...told, hook })),
        ...(forgetting ? [this.forget.entry({ person })] : []),
      ];
    });
  }

  /** The notices of a person behind one, the oldest first, as many as are read at once. */
  after(person: string, id: number): Notice[] {
    return this.select.all({ person, after: id });
  }

  /** A page of what a person was told, the last first. @param before the notice that the page before ended with */
  async page(person: string, limit: number, before: number | undefined): Promise<Page<Notice>> {
    const rows = await this.store.db
      .selectFrom("notices")
      .select(["id", "kind", "match", "step", "client", "at"])
      .where("person", "=", person)
      .$if(before !== undefined, (query) => query.where("id", "<", before ?? 0))
      .orderBy("id", "desc")
      .limit(limit + 1)
      .$castTo<Notice>()
      .execute();
    return pageOf(rows, limit, ({ id }) => String(id));
  }

  /** The number of a person's last notice; 0 without any. */
  lastOf(person: string): number {
    return this.last.first({ person })?.id ?? 0;
  }

  /** Calls `then` whenever there may be news for somebody; gives the way to stop it. */
  listen(then: () => void): () => void {
    this.listeners.add(then);
    return () => this.listeners.delete(then);
  }

  wake(): void {
    for (const listener of this.listeners) listener();
  }
}

/** The notice that was written last: their numbers rise. */
function ofLastNotice(db: Kysely<Schema>) {
  return db.selectFrom("notices").select((e) => e.fn.max<number>("id").as("id"));
}

/** What is new in a match for whom. */
function newsOf(match: LiveMatch, before: MatchProgress | undefined, after: MatchProgress): [string, NoticeKind][] {
  const news = new Map<string, NoticeKind>();
  const holding = peopleIn(after, "held");
  const invited = peopleIn(after, "waiting");
  const were = before ? peopleIn(before, "waiting") : new Map<string, string[]>();
  for (const person of were.keys()) if (!invited.has(person) && !holding.has(person)) news.set(person, "withdrawn");
  const kind = before === undefined ? undefined : changeOf(before, after);
  if (holding.size > 0 && kind === undefined) {
    const turn = turnOf(match.runnable, after.situation);
    const was = before ? turnOf(match.runnable, before.situation) : [];
    const changed = turn.length !== was.length || turn.some((seat) => !was.includes(seat));
    for (const [person, seats] of holding) {
      const newly = seats.some((seat) => turn.includes(seat) && !was.includes(seat));
      if (
        newly ||
        (before !== undefined && !peopleIn(before, "held").has(person) && turn.some((s) => seats.includes(s)))
      )
        news.set(person, "your-turn");
      else if (changed) news.set(person, "others-turn");
    }
  }
  if (kind !== undefined) for (const person of [...holding.keys(), ...invited.keys()]) news.set(person, kind);
  // A seat that was left and is still in play waits: whoever began the match sees to it, or cancels.
  if (before !== undefined && match.begunBy !== null && newlyLeft(match, before, after))
    news.set(match.begunBy, "left");
  for (const person of invited.keys()) if (!were.has(person)) news.set(person, "invited");
  return [...news];
}

/** Whether somebody left a seat of a machine that cannot be left. */
function newlyLeft({ runnable }: LiveMatch, before: MatchProgress, after: MatchProgress): boolean {
  return seatsNow(runnable, after.situation).some(
    ({ seat, status }) =>
      status === "in" && after.holders[seat]?.state === "left" && before.holders[seat]?.state !== "left",
  );
}

/** What happened to a match as a whole; undefined while it goes on as before. */
function changeOf(before: MatchProgress, after: MatchProgress): NoticeKind | undefined {
  if (before.cancelled !== after.cancelled) return "cancelled";
  if (before.situation.outcome !== after.situation.outcome) return "over";
  if (before.suspended !== after.suspended) return after.suspended === null ? "resumed" : "suspended";
  return undefined;
}

/** People and their seats, of those that are held or wait for them. */
function peopleIn({ holders }: MatchProgress, state: "held" | "waiting"): Map<string, string[]> {
  const people = new Map<string, string[]>();
  for (const [seat, holder] of Object.entries(holders))
    if (holder.person !== null && holder.state === state)
      people.set(holder.person, [...(people.get(holder.person) ?? []), seat]);
  return people;
}
