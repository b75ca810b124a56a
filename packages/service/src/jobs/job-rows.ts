/** The jobs in the database: what is asked for, how far it came, what it came to. */

import type { JobKind, VerifiedInJob } from "@zany/client/api";
import type { Selectable } from "kysely";
import { Problem } from "../problems.js";
import type { JobRow } from "../storage/schema.js";
import type { Store } from "../storage/store.js";
import type { Writer } from "../storage/writer.js";

/** A job as it is kept. */
export type KeptJob = Selectable<JobRow>;

/** How many that have ended are kept. */
const MOST_ENDED = 200;

/** How a job has ended. */
type Ended = Pick<KeptJob, "id" | "state" | "result" | "problem" | "words">;

export class JobRows {
  private readonly insert;
  private readonly insertPart;
  private readonly setProgress;
  private readonly setEnd;
  private readonly forget;

  constructor(
    private readonly store: Store,
    private readonly writer: Writer,
  ) {
    this.insert = store.prepare<Omit<KeptJob, "position">>((db, value) =>
      db.insertInto("jobs").values({
        id: value("id"),
        kind: value("kind"),
        machine: value("machine"),
        wish: value("wish"),
        state: value("state"),
        share: value("share"),
        words: value("words"),
        kept: value("kept"),
        result: value("result"),
        problem: value("problem"),
        created: value("created"),
        ended: value("ended"),
      }),
    );
    this.insertPart = store.prepare<{ job: string; number: number; part: string }>((db, value) =>
      db
        .insertInto("job_parts")
        .values({ job: value("job"), number: value("number"), part: value("part") })
        .onConflict((conflict) => conflict.columns(["job", "number"]).doNothing()),
    );
    // One that has ended stays as it is.
    this.setProgress = store.prepare<Pick<KeptJob, "id" | "share" | "words" | "kept">>((db, value) =>
      db
        .updateTable("jobs")
        .set({ state: "running", share: value("share"), words: value("words"), kept: value("kept") })
        .where("id", "=", value("id"))
        .where("ended", "is", null),
    );
    this.setEnd = store.prepare<Ended & { ended: string }>((db, value) =>
      db
        .updateTable("jobs")
        .set({
          state: value("state"),
          result: value("result"),
          problem: value("problem"),
          ended: value("ended"),
          words: value("words"),
          kept: null,
        })
        .where("id", "=", value("id"))
        .where("ended", "is", null),
    );
    // The parts go with their jobs.
    this.forget = store.prepare<object>((db) =>
      db
        .deleteFrom("jobs")
        .where("position", "in", (e) =>
          e
            .selectFrom("jobs as old")
            .select("old.position")
            .where("old.ended", "is not", null)
            .orderBy("old.position", "desc")
            .limit(-1)
            .offset(MOST_ENDED),
        ),
    );
  }

  /** Keeps a job that waits for its turn. */
  async add(job: Pick<KeptJob, "id" | "kind" | "machine" | "wish">): Promise<void> {
    const created = new Date().toISOString();
    const nothing = { share: null, words: "", kept: null, result: null, problem: null, ended: null };
    await this.writer.write(() => void this.insert.run({ ...job, ...nothing, state: "waiting", created }));
  }

  /** @throws Problem 404 */
  async find(id: string): Promise<KeptJob> {
    const row = await this.store.db.selectFrom("jobs").selectAll().where("id", "=", id).executeTakeFirst();
    if (!row) throw new Problem(404, "noSuchJob", `There is no job "${id}" here.`);
    return row;
  }

  /** The last first. @param machine by its hash @param before the position that the page before ended with */
  list(most: number, of: { kind?: JobKind; machine?: string; before?: number }): Promise<KeptJob[]> {
    const { kind, machine, before } = of;
    let query = this.store.db.selectFrom("jobs").selectAll();
    if (kind !== undefined) query = query.where("kind", "=", kind);
    if (machine !== undefined) query = query.where("machine", "=", machine);
    if (before !== undefined) query = query.where("position", "<", before);
    return query.orderBy("position", "desc").limit(most).execute();
  }

  /** How many have not ended. */
  async waiting(): Promise<number> {
    const { count } = await this.store.db
      .selectFrom("jobs")
      .select(({ fn }) => fn.countAll<number>().as("count"))
      .where("ended", "is", null)
      .executeTakeFirstOrThrow();
    return count;
  }

  /** The one that has waited longest, or was under way when the service was stopped. */
  next(): Promise<KeptJob | undefined> {
    return this.store.db
      .selectFrom("jobs")
      .selectAll()
      .where("ended", "is", null)
      .orderBy("position")
      .limit(1)
      .executeTakeFirst();
  }

  async progressed(job: Pick<KeptJob, "id" | "share" | "words" | "kept">): Promise<void> {
    await this.writer.write(() => void this.setProgress.run(job));
  }

  /** Ends a job, and lets go of the oldest of those that have ended. */
  async end(job: Ended): Promise<void> {
    await this.writer.write(() => {
      this.setEnd.run({ ...job, ended: new Date().toISOString() });
      this.forget.run({});
    });
  }

  // ---- what verifying comes to, logbook by logbook ----------------------------------------------

  /** @param number its place among the logbooks that were asked for @param progress how far it came with it */
  async addPart(
    job: string,
    number: number,
    part: VerifiedInJob,
    progress: Pick<KeptJob, "share" | "words">,
  ): Promise<void> {
    await this.writer.write(() => {
      this.insertPart.run({ job, number, part: JSON.stringify(part) });
      this.setProgress.run({ id: job, ...progress, kept: null });
    });
  }

  async parts(job: string): Promise<VerifiedInJob[]> {
    const rows = await this.store.db
      .selectFrom("job_parts")
      .select("part")
      .where("job", "=", job)
      .orderBy("number")
      .execute();
    return rows.map(({ part }) => JSON.parse(part) as VerifiedInJob);
  }

  /** The places of the logbooks that are done. */
  async done(job: string): Promise<ReadonlySet<number>> {
    const rows = await this.store.db.selectFrom("job_parts").select("number").where("job", "=", job).execute();
    return new Set(rows.map(({ number }) => number));
  }
}
