/** What is kept of matches: their rows, steps and lists. Every statement on these tables stands here. */

import type { MatchInfo } from "@zany/client/api";
import type { Header, Outcome, Situation, StepLine } from "@zany/core";
import { Problem } from "../problems.js";
import type { MatchRow, StepRow } from "../storage/schema.js";
import type { Store } from "../storage/store.js";
import { dueOf, type LiveMatch } from "./live.js";

/** The columns that change while a match is played. */
type Progress = Pick<MatchRow, "id" | "step" | "outcome" | "due" | "suspended" | "manual_time" | "updated">;

/** How many matches whose timers are due are woken at once. */
const MOST_DUE = 100;

export class MatchRecords {
  private readonly insertMatch;
  private readonly insertStep;
  private readonly updateMatch;
  private readonly updateBots;
  private readonly updateSuspended;
  private readonly selectEarliest;
  private readonly selectRequest;

  constructor(private readonly store: Store) {
    this.insertMatch = store.prepare<MatchRow>((db, value) =>
      db.insertInto("matches").values({
        id: value("id"),
        machine: value("machine"),
        header: value("header"),
        step: value("step"),
        outcome: value("outcome"),
        due: value("due"),
        suspended: value("suspended"),
        manual_time: value("manual_time"),
        bots: value("bots"),
        created: value("created"),
        updated: value("updated"),
      }),
    );
    this.insertStep = store.prepare<StepRow>((db, value) =>
      db
        .insertInto("steps")
        .values({ match: value("match"), step: value("step"), line: value("line"), request: value("request") }),
    );
    this.updateMatch = store.prepare<Progress>((db, value) =>
      db
        .updateTable("matches")
        .set({
          step: value("step"),
          outcome: value("outcome"),
          due: value("due"),
          suspended: value("suspended"),
          manual_time: value("manual_time"),
          updated: value("updated"),
        })
        .where("id", "=", value("id")),
    );
    this.updateBots = store.prepare<{ id: string; bots: string }>((db, value) =>
      db
        .updateTable("matches")
        .set({ bots: value("bots") })
        .where("id", "=", value("id")),
    );
    this.updateSuspended = store.prepare<{ id: string; suspended: string }>((db, value) =>
      db
        .updateTable("matches")
        .set({ due: null, suspended: value("suspended") })
        .where("id", "=", value("id")),
    );
    this.selectEarliest = store.prepare<object, { due: number | null }>((db) =>
      db
        .selectFrom("matches")
        .select((e) => e.fn.min("due").as("due"))
        .where("due", "is not", null),
    );
    this.selectRequest = store.prepare<{ match: string; request: string }, { step: number }>((db, value) =>
      db.selectFrom("steps").select("step").where("match", "=", value("match")).where("request", "=", value("request")),
    );
  }

  // ---- inside a write ---------------------------------------------------------------------------

  addMatch(match: LiveMatch): void {
    const now = new Date().toISOString();
    this.insertMatch.run({
      ...progressOf(match, match.head),
      machine: match.machine.hash,
      header: JSON.stringify(match.header),
      bots: JSON.stringify(match.bots),
      created: now,
      updated: now,
    });
  }

  addStep(match: string, line: StepLine, request: string | null): void {
    this.insertStep.run({ match, step: line.step, line: JSON.stringify(line), request });
  }

  update(match: LiveMatch, situation: Situation): void {
    this.updateMatch.run({ ...progressOf(match, situation), updated: new Date().toISOString() });
  }

  setBots(id: string, bots: LiveMatch["bots"]): void {
    this.updateBots.run({ id, bots: JSON.stringify(bots) });
  }

  suspend(id: string, why: string): void {
    this.updateSuspended.run({ id, suspended: why });
  }

  // ---- reading ----------------------------------------------------------------------------------

  /** @throws Problem 404 */
  async find(id: string): Promise<{ row: MatchRow; header: Header; bots: LiveMatch["bots"] }> {
    const row = await this.store.db.selectFrom("matches").selectAll().where("id", "=", id).executeTakeFirst();
    if (!row) throw new Problem(404, "noSuchMatch", `There is no match "${id}" here.`);
    return { row, header: JSON.parse(row.header) as Header, bots: JSON.parse(row.bots) as LiveMatch["bots"] };
  }

  /** The matches played last, of one machine's name or of all. */
  async list(limit: number, machine: string | undefined): Promise<MatchInfo[]> {
    const rows = await this.store.db
      .selectFrom("matches")
      .innerJoin("machines", "machines.hash", "matches.machine")
      .select([
        "id",
        "hash",
        "rules",
        "name",
        "version",
        "step",
        "outcome",
        "due",
        "suspended",
        "matches.created",
        "updated",
      ])
      .$if(machine !== undefined, (query) => query.where("name", "=", machine ?? ""))
      .orderBy("updated", "desc")
      .limit(limit)
      .execute();
    return rows.map(({ hash, rules, name, version, outcome, ...row }) => ({
      ...row,
      machine: { name, version, hash, rules },
      outcome: outcome === null ? null : (JSON.parse(outcome) as Outcome),
    }));
  }

  /** The lines of a match that are on the disk, after a step. */
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

  /** Whether a request of that name led to a step of the match. */
  knowsRequest(match: string, request: string): boolean {
    return this.selectRequest.first({ match, request }) !== undefined;
  }

  /** When the earliest timer of all matches is due, in milliseconds since 1970 UTC. */
  earliestDue(): number | null {
    return this.selectEarliest.first({})?.due ?? null;
  }

  /** Matches whose timers are due by a time, the earliest first. */
  async dueBy(time: number): Promise<string[]> {
    const query = this.store.db.selectFrom("matches").select("id").where("due", "<=", time).orderBy("due");
    return (await query.limit(MOST_DUE).execute()).map((row) => row.id);
  }

  /** Matches that are still played and have bots in seats. */
  async withBots(): Promise<string[]> {
    const rows = await this.store.db
      .selectFrom("matches")
      .select("id")
      .where("bots", "!=", "{}")
      .where("outcome", "is", null)
      .where("suspended", "is", null)
      .execute();
    return rows.map((row) => row.id);
  }
}

function progressOf(match: LiveMatch, situation: Situation): Omit<Progress, "updated"> {
  return {
    id: match.id,
    step: situation.step,
    outcome: situation.outcome ? JSON.stringify(situation.outcome) : null,
    due: dueOf(match),
    suspended: match.suspended,
    manual_time: match.manualTime,
  };
}
