/**
 * Long work as jobs: logbooks are verified, machines explored, simulated, covered. Each job is kept with what it has
 * come to, so that it goes on when the service was stopped: verifying with the logbooks that are left, a simulation
 * with its next matches, everything else from its beginning. One is done after the other, beside the matches.
 */

import { availableParallelism } from "node:os";
import type { JobInfo, JobKind, JobResult, NewJob, Parts, VerifiedInJob } from "@zany/client/api";
import type { JobWish, Kept, WorkProgress, WorkResults } from "@zany/core";
import type { Logger } from "pino";
import { Background } from "../background.js";
import { pageOf } from "../http/pages.js";
import type { Logbooks } from "../logbooks.js";
import type { Machines } from "../machines.js";
import { Problem } from "../problems.js";
import { newId } from "../secrets.js";
import type { Store } from "../storage/store.js";
import { StorageFails, type Writer } from "../storage/writer.js";
import { WORKER, Workers } from "../workers/workers.js";
import { JobRows, type KeptJob } from "./job-rows.js";
import { LongWork, NotDone } from "./long-work.js";

/** How many jobs may wait. */
const MOST_WAITING = 50;
/** How often what a job has come to is written down, in milliseconds. */
const KEEP_EVERY = 500;
/** How much the priority of jobs is lowered, and how many logbooks are verified at once. */
const GIVES_WAY = 10;
/** How many bytes of kept logbooks are counted for coverage. */
const MOST_KEPT_TEXT = 64 * 1_024 * 1_024;
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
  private readonly rows: JobRows;
  private readonly verifiers = Array.from({ length: AT_ONCE }, () => new Workers(WORKER, GIVES_WAY));
  private readonly followers = new Map<string, Set<() => void>>();
  private current: Current | undefined;
  private readonly background: Background;

  constructor(
    store: Store,
    writer: Writer,
    private readonly machines: Machines,
    private readonly logbooks: Logbooks,
    private readonly log: Logger,
  ) {
    this.rows = new JobRows(store, writer);
    this.background = new Background(writer, log, "a job was not done", () => this.next());
  }

  /**
   * Takes a job on.
   *
   * @throws Problem 404 for a machine or logbook that is not here; 429 when too many wait
   */
  async add({ machine: reference, ...wish }: NewJob): Promise<JobInfo> {
    const waiting = await this.rows.waiting();
    if (waiting >= MOST_WAITING)
      throw new Problem(
        429,
        "tooManyWaiting",
        `${waiting} jobs wait, and ${MOST_WAITING} may. Cancel one, or wait.`,
        { waiting, allowed: MOST_WAITING },
        { "Retry-After": "10" },
      );
    const machine = reference === undefined ? undefined : await this.machines.find(reference);
    const needsLogbooks = wish.kind === "verify" || wish.kept;
    const logbooks = needsLogbooks ? await this.logbooksOf(wish.logbooks, machine?.name) : undefined;
    const id = newId();
    const asked = JSON.stringify({ ...wish, ...(logbooks && { logbooks }) });
    await this.rows.add({ id, kind: wish.kind, machine: machine?.hash ?? null, wish: asked });
    this.wake();
    return this.info(id);
  }

  /** Those that were named, each of which must be here; else all, or all of a machine's name. */
  private async logbooksOf(named: readonly string[] | undefined, machine: string | undefined): Promise<string[]> {
    if (named) {
      for (const id of named) await this.logbooks.find(id);
      return [...named];
    }
    return this.logbooks.ids(machine);
  }

  /** Jobs, the last first. @param after where the page before ended, as it said */
  async list(
    limit: number,
    after: string | undefined,
    { kind, machine }: { readonly kind?: JobKind | undefined; readonly machine?: string | undefined },
  ): Promise<{ readonly items: JobInfo[]; readonly next: string | null }> {
    const rows = await this.rows.list(limit + 1, {
      ...(kind !== undefined && { kind }),
      ...(machine !== undefined && { machine: (await this.machines.find(machine)).hash }),
      ...(after !== undefined && { before: Number(after) }),
    });
    const { items, next } = pageOf(rows, limit, ({ position }) => String(position));
    return { items: await Promise.all(items.map((row) => this.infoOf(row))), next };
  }

  /** @throws Problem 404 */
  async info(id: string): Promise<JobInfo> {
    return this.infoOf(await this.rows.find(id));
  }

  private async infoOf(row: KeptJob): Promise<JobInfo> {
    const { id, machine: hash, state, problem, created, ended } = row;
    const machine = hash === null ? undefined : await this.machines.stored(hash);
    const now = this.current?.id === id ? this.current.progress : undefined;
    // Of many logbooks it is told how many they are.
    const { logbooks, ...wish } = JSON.parse(row.wish) as NewJob;
    return {
      id,
      wish,
      ...(logbooks && { logbooks: logbooks.length }),
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
    const { kind, state, result, problem } = await this.rows.find(id);
    if (kind === "verify") return { kind, logbooks: await this.rows.parts(id) };
    if (result === null) throw new Problem(409, "notDone", nothingWords(state, problem), { state });
    return { kind, found: JSON.parse(result) } as JobResult;
  }

  /** Ends a job that goes on or waits; one that has ended stays as it is. @throws Problem 404 */
  async cancel(id: string): Promise<JobInfo> {
    await this.rows.find(id);
    await this.end(id, "cancelled", { words: "It was cancelled." });
    if (this.current?.id === id) stop(this.current);
    return this.info(id);
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
    this.background.wake();
  }

  /** Lets go of what is under way; it goes on at the next start. */
  async close(): Promise<void> {
    this.background.close();
    stop(this.current);
    await Promise.all(this.verifiers.map((each) => each.close()));
  }

  // ---- doing them ------------------------------------------------------------------------------

  /** @returns whether there was one */
  private async next(): Promise<boolean> {
    const row = await this.rows.next();
    if (!row || this.background.isClosed) return false;
    await this.doOne(row);
    return true;
  }

  private async doOne(row: KeptJob): Promise<void> {
    const { id, share, words, kept } = row;
    const current: Current = { id, progress: undefined, isStopped: false, work: undefined };
    this.current = current;
    try {
      await this.rows.progressed({ id, share, words, kept });
      this.changed(id);
      if (row.kind === "verify") await this.verify(row, current);
      else await this.search(row, current);
    } catch (error) {
      // What was cancelled has been told; what was stopped goes on later.
      if (this.background.isClosed || error instanceof StorageFails) throw error;
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
    await this.rows.end({ id, state, result, problem, words });
    this.changed(id);
  }

  /** A search or simulation, in a thread of its own. */
  private async search(row: KeptJob, current: Current): Promise<void> {
    const { id, machine: hash } = row;
    const stored = hash === null ? undefined : await this.machines.stored(hash);
    if (!stored) throw new NotDone("The machine is not stored here any more.");
    const { logbooks, ...wish } = JSON.parse(row.wish) as JobWish & Pick<NewJob, "logbooks">;
    const kept = logbooks && { logbooks: await this.textsOf(logbooks), of: logbooks.length };
    if (current.isStopped) return;
    const work = new LongWork({
      wish,
      ...(kept && { kept }),
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
      this.rows.progressed(state).catch(() => {});
    });
    if (result) await this.end(id, "done", { result: JSON.stringify(result satisfies WorkResults[JobWish["kind"]]) });
  }

  /** The texts of logbooks, the last ones first, as many as there is room for. */
  private async textsOf(logbooks: readonly string[]): Promise<string[]> {
    const texts: string[] = [];
    let room = MOST_KEPT_TEXT;
    for (const id of logbooks.toReversed()) {
      const pieces: Uint8Array[] = [];
      for await (const bytes of this.logbooks.pieces.read(id)) {
        room -= bytes.length;
        if (room < 0) return texts;
        pieces.push(bytes);
      }
      texts.push(Buffer.concat(pieces).toString("utf8"));
    }
    return texts;
  }

  /** All logbooks that are left, a few at once; each is written down when it is known. */
  private async verify({ id, wish, machine }: KeptJob, current: Current): Promise<void> {
    const { logbooks = [] } = JSON.parse(wish) as NewJob;
    const known = await this.rows.done(id);
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
        await this.rows.addPart(id, number, part, { share, words });
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

/** Why a job has no result. */
function nothingWords(state: KeptJob["state"], problem: string | null): string {
  if (state === "failed") return `This job came to nothing: ${problem}`;
  return state === "cancelled" ? "This job was cancelled." : `This job has come to nothing yet: it is ${state}.`;
}
