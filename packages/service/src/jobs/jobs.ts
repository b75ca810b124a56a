/**
 * Long work as jobs: logbooks are verified, machines explored, simulated, covered. Each job is kept with what it has
 * come to, so that it goes on when the service was stopped: verifying with the logbooks that are left, a simulation
 * with its next matches, everything else from its beginning. One is done after the other, beside the matches.
 */

import { availableParallelism } from "node:os";
import type { JobInfo, JobKind, JobResult, NewJob, Parts, VerifiedInJob } from "@zany/client/api";
import type { Kept, Wish, WorkProgress, WorkResults } from "@zany/core";
import type { Logger } from "pino";
import type { Logbooks } from "../logbooks.js";
import type { Machines } from "../machines.js";
import { Problem } from "../problems.js";
import { newId } from "../secrets.js";
import type { Selectable } from "kysely";
import type { JobRow } from "../storage/schema.js";
import type { Store } from "../storage/store.js";
import { StorageFails, type Writer } from "../storage/writer.js";
import { WORKER, Workers } from "../workers/workers.js";
import { LongWork, NotDone } from "./long-work.js";

/** A job as it is kept. */
type KeptJob = Selectable<JobRow>;

/** How many jobs may wait, and how many that have ended are kept. */
const MOST_WAITING = 50;
const MOST_ENDED = 200;
/** How often what a job has come to is written down, in milliseconds. */
const KEEP_EVERY = 500;
/** How much the priority of jobs is lowered, and how many logbooks are verified at once. */
const GIVES_WAY = 10;
const AT_ONCE = Math.max(1, Math.min(4, availableParallelism()));

/** What is done now, and how to stop it. */
interface Current {
  readonly id: string;
  progress: WorkProgress | undefined;
  /** Nobody wants it any more. */
  isStopped: boolean;
  /** The thread that does it. */
  work: LongWork | undefined;
}

function stop(current: Current | undefined): void {
  if (!current) return;
  current.isStopped = true;
  current.work?.stop();
}

export class Jobs {
  private readonly insert;
  private readonly insertPart;
  private readonly progressed;
  private readonly ended;
  private readonly forget;
  private readonly verifiers = Array.from({ length: AT_ONCE }, () => new Workers(WORKER, GIVES_WAY));
  private readonly followers = new Map<string, Set<() => void>>();
  private current: Current | undefined;
  private working: Promise<void> | undefined;
  private again = false;
  private closed = false;

  constructor(
    private readonly store: Store,
    private readonly writer: Writer,
    private readonly machines: Machines,
    private readonly logbooks: Logbooks,
    private readonly log: Logger,
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
    this.progressed = store.prepare<Pick<KeptJob, "id" | "share" | "words" | "kept">>((db, value) =>
      db
        .updateTable("jobs")
        .set({ state: "running", share: value("share"), words: value("words"), kept: value("kept") })
        .where("id", "=", value("id"))
        .where("ended", "is", null),
    );
    this.ended = store.prepare<Pick<KeptJob, "id" | "state" | "result" | "problem" | "ended" | "words">>((db, value) =>
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
    writer.onChange((failing) => failing === undefined && this.wake());
  }

  /**
   * Takes a job on.
   *
   * @throws Problem 404 for a machine or logbook that is not here; 429 when too many wait
   */
  async add({ machine: reference, ...wish }: NewJob): Promise<JobInfo> {
    const waiting = await this.waitingCount();
    if (waiting >= MOST_WAITING)
      throw new Problem(
        429,
        "tooManyWaiting",
        `${waiting} jobs wait, and ${MOST_WAITING} may. Cancel one, or wait.`,
        { waiting, allowed: MOST_WAITING },
        { "Retry-After": "10" },
      );
    const machine = reference === undefined ? undefined : await this.machines.find(reference);
    const logbooks = wish.kind === "verify" ? await this.logbooksOf(wish.logbooks, machine?.name) : undefined;
    const row: Omit<KeptJob, "position"> = {
      id: newId(),
      kind: wish.kind,
      machine: machine?.hash ?? null,
      wish: JSON.stringify({ ...wish, ...(logbooks && { logbooks }) }),
      state: "waiting",
      share: null,
      words: "",
      kept: null,
      result: null,
      problem: null,
      created: new Date().toISOString(),
      ended: null,
    };
    await this.writer.write(() => void this.insert.run(row));
    this.wake();
    return this.info(await this.find(row.id));
  }

  /** Those that were named, each of which must be here; else all, or all of a machine's name. */
  private async logbooksOf(named: readonly string[] | undefined, machine: string | undefined): Promise<string[]> {
    if (named) {
      for (const id of named) await this.logbooks.find(id);
      return [...named];
    }
    const rows = await this.store.db
      .selectFrom("logbooks")
      .select(["id", "machine_name"])
      .orderBy("position")
      .execute();
    return rows.filter((row) => machine === undefined || row.machine_name === machine).map(({ id }) => id);
  }

  private async waitingCount(): Promise<number> {
    const { count } = await this.store.db
      .selectFrom("jobs")
      .select(({ fn }) => fn.countAll<number>().as("count"))
      .where("ended", "is", null)
      .executeTakeFirstOrThrow();
    return count;
  }

  /** Jobs, the last first. @param after where the page before ended, as it said */
  async list(
    limit: number,
    after: string | undefined,
    { kind, machine }: { readonly kind?: JobKind | undefined; readonly machine?: string | undefined },
  ): Promise<{ readonly items: JobInfo[]; readonly next: string | null }> {
    let query = this.store.db.selectFrom("jobs").selectAll();
    if (kind !== undefined) query = query.where("kind", "=", kind);
    if (machine !== undefined) query = query.where("machine", "=", (await this.machines.find(machine)).hash);
    if (after !== undefined) query = query.where("position", "<", Number(after));
    const rows = await query
      .orderBy("position", "desc")
      .limit(limit + 1)
      .execute();
    const shown = rows.slice(0, limit);
    return {
      items: await Promise.all(shown.map((row) => this.info(row))),
      next: rows.length > limit ? String(shown.at(-1)?.position) : null,
    };
  }

  /** @throws Problem 404 */
  async find(id: string): Promise<KeptJob> {
    const row = await this.store.db.selectFrom("jobs").selectAll().where("id", "=", id).executeTakeFirst();
    if (!row) throw new Problem(404, "noSuchJob", `There is no job "${id}" here.`);
    return row;
  }

  async info(row: KeptJob): Promise<JobInfo> {
    const { id, machine: hash, wish, state, problem, created, ended } = row;
    const machine = hash === null ? undefined : await this.machines.stored(hash);
    const now = this.current?.id === id ? this.current.progress : undefined;
    return {
      id,
      wish: JSON.parse(wish) as JobInfo["wish"],
      machine: machine ? { name: machine.name, version: machine.version, hash: machine.hash } : null,
      state,
      share: now ? (now.share ?? null) : row.share,
      words: now?.words ?? row.words,
      problem,
      created,
      ended,
      ...(now?.soFar && { soFar: now.soFar }),
    };
  }

  /** What a job has come to; of one that verifies, so far. @throws Problem 404; 409 when it has come to nothing yet */
  async result(id: string): Promise<JobResult> {
    const { kind, state, result } = await this.find(id);
    if (kind === "verify") return { kind, logbooks: await this.parts(id) };
    if (result === null)
      throw new Problem(409, "notDone", `This job has come to nothing yet: it is ${state}.`, { state });
    return { kind, found: JSON.parse(result) } as JobResult;
  }

  private async parts(id: string): Promise<VerifiedInJob[]> {
    const rows = await this.store.db
      .selectFrom("job_parts")
      .select("part")
      .where("job", "=", id)
      .orderBy("number")
      .execute();
    return rows.map(({ part }) => JSON.parse(part) as VerifiedInJob);
  }

  /** Ends a job that goes on or waits; one that has ended stays as it is. @throws Problem 404 */
  async cancel(id: string): Promise<JobInfo> {
    await this.find(id);
    await this.end(id, "cancelled", { words: "It was cancelled." });
    if (this.current?.id === id) stop(this.current);
    return this.info(await this.find(id));
  }

  /** Calls `then` whenever something of a job has changed, until what it gives is called. */
  follow(id: string, then: () => void): () => void {
    const all = this.followers.get(id) ?? new Set();
    this.followers.set(id, all.add(then));
    return () => {
      all.delete(then);
      if (all.size === 0) this.followers.delete(id);
    };
  }

  private changed(id: string): void {
    for (const then of this.followers.get(id) ?? []) then();
  }

  /** Goes on with what waits: at the start, and whenever a job was taken on. */
  wake(): void {
    if (this.working) this.again = true;
    else
      this.working = this.work()
        .catch((error: unknown) => {
          if (!this.closed && !(error instanceof StorageFails)) this.log.error({ err: error }, "a job was not done");
        })
        .finally(() => {
          this.working = undefined;
          if (this.again && !this.closed) this.wake();
        });
  }

  /** Lets go of what is under way; it goes on at the next start. */
  async close(): Promise<void> {
    this.closed = true;
    stop(this.current);
    await Promise.all(this.verifiers.map((each) => each.close()));
  }

  // ---- doing them ------------------------------------------------------------------------------

  private async work(): Promise<void> {
    this.again = false;
    while (!this.closed && this.writer.failing === undefined) {
      const row = await this.store.db
        .selectFrom("jobs")
        .selectAll()
        .where("ended", "is", null)
        .orderBy("position")
        .limit(1)
        .executeTakeFirst();
      if (!row || this.closed) return;
      await this.doOne(row);
    }
  }

  private async doOne(row: KeptJob): Promise<void> {
    const { id, share, words, kept } = row;
    const current: Current = { id, progress: undefined, isStopped: false, work: undefined };
    this.current = current;
    try {
      await this.writer.write(() => void this.progressed.run({ id, share, words, kept }));
      this.changed(id);
      if (row.kind === "verify") await this.verify(row, current);
      else await this.search(row, current);
    } catch (error) {
      // What was cancelled has been told; what was stopped goes on later.
      if (this.closed || error instanceof StorageFails) throw error;
      if (!(error instanceof NotDone)) this.log.error({ err: error, job: id }, "a job failed");
      const problem = error instanceof NotDone ? error.message : "Something went wrong inside; the log has more.";
      await this.end(id, "failed", { problem });
    } finally {
      this.current = undefined;
    }
  }

  private async end(
    id: string,
    state: "done" | "failed" | "cancelled",
    { result = null, problem = null, words = "" }: { result?: string | null; problem?: string | null; words?: string },
  ): Promise<void> {
    await this.writer.write(() => {
      this.ended.run({ id, state, result, problem, words, ended: new Date().toISOString() });
      this.forget.run({});
    });
    this.changed(id);
  }

  /** A search or simulation, in a thread of its own. */
  private async search(row: KeptJob, current: Current): Promise<void> {
    const { id, machine: hash } = row;
    const stored = hash === null ? undefined : await this.machines.stored(hash);
    if (!stored) throw new NotDone("The machine is not stored here any more.");
    if (current.isStopped) return;
    const work = new LongWork({
      wish: JSON.parse(row.wish) as Wish,
      text: stored.text,
      parts: JSON.parse(stored.parts) as Parts,
      ...(row.kept !== null && { from: JSON.parse(row.kept) as Kept }),
    });
    current.work = work;
    let written = Date.now();
    const result = await work.done((progress, kept) => {
      current.progress = progress;
      this.changed(id);
      if (Date.now() - written < KEEP_EVERY) return;
      written = Date.now();
      const { share = null, words } = progress;
      const state = { id, share, words, kept: kept ? JSON.stringify(kept) : null };
      // While the disk fails it is done all the same.
      this.writer.write(() => void this.progressed.run(state)).catch(() => {});
    });
    if (result) await this.end(id, "done", { result: JSON.stringify(result satisfies WorkResults[Wish["kind"]]) });
  }

  /** All logbooks that are left, a few at once; each is written down when it is known. */
  private async verify({ id, wish, machine }: KeptJob, current: Current): Promise<void> {
    const { logbooks = [] } = JSON.parse(wish) as NewJob;
    const done = await this.store.db.selectFrom("job_parts").select("number").where("job", "=", id).execute();
    const known = new Set(done.map(({ number }) => number));
    const left = logbooks.flatMap((logbook, number) => (known.has(number) ? [] : [{ logbook, number }]));
    const since = Date.now();
    let came = 0;
    const next = async (workers: Workers): Promise<void> => {
      for (let one = left.shift(); one && !current.isStopped; one = left.shift()) {
        const { logbook, number } = one;
        const part = await this.verified(logbook, machine ?? undefined, workers);
        if (current.isStopped) return;
        came++;
        const seconds = Math.ceil((((Date.now() - since) / came) * left.length) / 1_000);
        const all = known.size + came;
        const share = all / logbooks.length;
        const words = `${all} of ${logbooks.length} logbooks, ${seconds} s to go`;
        await this.writer.write(() => {
          this.insertPart.run({ job: id, number, part: JSON.stringify(part) });
          this.progressed.run({ id, share, words, kept: null });
        });
        current.progress = { share, words };
        this.changed(id);
      }
    };
    await Promise.all(this.verifiers.map(next));
    if (!current.isStopped) await this.end(id, "done", {});
  }

  /** A logbook that cannot be verified says why; the others go on. */
  private async verified(logbook: string, machine: string | undefined, workers: Workers): Promise<VerifiedInJob> {
    try {
      return { logbook, verified: await this.logbooks.verify(logbook, machine, workers) };
    } catch (error) {
      if (!(error instanceof Problem)) throw error;
      return { logbook, problem: error.message };
    }
  }
}
