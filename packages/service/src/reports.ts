/**
 * What is told of machines in lists: what the checker says, whether their tests pass, how the stored logbooks go on the
 * newest version. It is found out in the background, one after the other, and kept.
 */

import type { KeptMatches, ListedMachine, MachineReport, Parts } from "@zany/client/api";
import { sql } from "kysely";
import type { Logger } from "pino";
import { Background } from "./background.js";
import { pageOf } from "./http/pages.js";
import { Problem } from "./problems.js";
import type { Pieces } from "./storage/pieces.js";
import type { ReportRow, VerdictRow } from "./storage/schema.js";
import type { Store } from "./storage/store.js";
import type { Writer } from "./storage/writer.js";
import type { MachineText } from "./workers/tasks.js";
import type { Workers } from "./workers/workers.js";

/** Changes with what the checker finds: reports of others are made anew. */
const CHECKER = "0.3.0";

interface Wanted {
  readonly hash: string;
  readonly text: string;
  readonly parts: string;
}

export class Reports {
  private readonly insertReport;
  private readonly insertVerdict;
  private readonly background: Background;

  constructor(
    private readonly store: Store,
    private readonly writer: Writer,
    private readonly pieces: Pieces,
    private readonly workers: Workers,
    log: Logger,
  ) {
    this.background = new Background(
      writer,
      log,
      "a report was not made",
      async () => (await this.nextReport()) || (await this.nextVerdict()),
    );
    this.insertReport = store.prepare<ReportRow>((db, value) =>
      db
        .insertInto("reports")
        .values({ machine: value("machine"), checker: value("checker"), report: value("report") })
        .onConflict((conflict) =>
          conflict.column("machine").doUpdateSet({ checker: value("checker"), report: value("report") }),
        ),
    );
    this.insertVerdict = store.prepare<VerdictRow>((db, value) =>
      db
        .insertInto("verdicts")
        .values({ logbook: value("logbook"), machine: value("machine"), kind: value("kind"), step: value("step") })
        .onConflict((conflict) => conflict.columns(["logbook", "machine"]).doNothing()),
    );
  }

  /** Finds out what is not known yet: at the start, and whenever a machine or a logbook was stored. */
  wake(): void {
    this.background.wake();
  }

  /** Lets go of what is under way. */
  async close(): Promise<void> {
    this.background.close();
    await this.workers.close();
  }

  private async nextReport(): Promise<boolean> {
    const wanted = await this.store.db
      .selectFrom("machines")
      .leftJoin("reports", "reports.machine", "machines.hash")
      .select(["hash", "text", "parts"])
      .where((e) => e.or([e("checker", "is", null), e("checker", "!=", CHECKER)]))
      .orderBy("machines.created", "desc")
      .limit(1)
      .executeTakeFirst();
    if (!wanted) return false;
    const report = await this.told(() => this.workers.run("report", textOf(wanted)));
    if (this.background.isClosed) return false;
    const row = { machine: wanted.hash, checker: CHECKER, report: JSON.stringify(report ?? null) };
    await this.writer.write(() => void this.insertReport.run(row));
    return true;
  }

  /** A logbook on the newest version of its machine's name. */
  private async nextVerdict(): Promise<boolean> {
    const wanted = await this.store.db
      .selectFrom("logbooks")
      .innerJoin("machines", "machines.name", "logbooks.machine_name")
      .leftJoin("verdicts", (join) =>
        join.onRef("verdicts.logbook", "=", "logbooks.id").onRef("verdicts.machine", "=", "machines.hash"),
      )
      .select(["logbooks.id", "hash", "machines.text", "parts"])
      .where("verdicts.kind", "is", null)
      .where("version", "=", (e) =>
        e
          .selectFrom("machines as others")
          .select(sql<number>`max(others.version)`.as("newest"))
          .whereRef("others.name", "=", "logbooks.machine_name"),
      )
      .orderBy("position")
      .limit(1)
      .executeTakeFirst();
    if (!wanted) return false;
    const { id, hash } = wanted;
    const verdict = await this.told(() => this.workers.run("verify", textOf(wanted), this.pieces.read(id)));
    if (this.background.isClosed) return false;
    const step = verdict?.kind === "diverged" ? verdict.step : null;
    await this.writer.write(
      () => void this.insertVerdict.run({ logbook: id, machine: hash, kind: verdict?.kind ?? "foreign", step }),
    );
    return true;
  }

  /** What a worker comes to; undefined for a text that it had to give up. */
  private async told<T>(work: () => Promise<T>): Promise<T | undefined> {
    try {
      return await work();
    } catch (error) {
      if (this.background.isClosed || (error instanceof Problem && error.status === 422)) return undefined;
      throw error;
    }
  }

  // ---- lists -----------------------------------------------------------------------------------

  /**
   * Versions, by name, the newest of each first.
   *
   * @param after where the page before ended, as it said
   */
  async listed(
    limit: number,
    after?: string,
  ): Promise<{ readonly machines: ListedMachine[]; readonly next: string | null }> {
    const [name = "", version = "0"] = after?.split(" ") ?? [];
    const rows = await this.store.db
      .selectFrom("machines")
      .leftJoin("reports", "reports.machine", "machines.hash")
      .select((e) => [
        "hash",
        "name",
        "version",
        "rules",
        "machines.created",
        "machines.words",
        "report",
        e
          .selectFrom("matches")
          .select((m) => m.fn.max("updated").as("played"))
          .whereRef("matches.machine", "=", "machines.hash")
          .as("played"),
      ])
      .$if(after !== undefined, (query) =>
        query.where(sql<boolean>`name > ${name} or (name = ${name} and version < ${Number(version)})`),
      )
      .orderBy("name")
      .orderBy("version", "desc")
      .limit(limit + 1)
      .execute();
    const kept = await this.kept();
    const { items, next } = pageOf(rows, limit, (last) => `${last.name} ${last.version}`);
    const machines = items.map(({ report, ...row }, i) => ({
      ...row,
      report: report === null ? null : (JSON.parse(report) as MachineReport | null),
      kept: (items[i - 1]?.name ?? name) === row.name ? null : (kept.get(row.hash) ?? NONE_KEPT),
    }));
    return { machines, next };
  }

  /** How the stored logbooks go, by the newest version of each name. */
  private async kept(): Promise<ReadonlyMap<string, KeptMatches>> {
    const rows = await this.store.db
      .selectFrom("logbooks")
      .innerJoin("machines", "machines.name", "logbooks.machine_name")
      .leftJoin("verdicts", (join) =>
        join.onRef("verdicts.logbook", "=", "logbooks.id").onRef("verdicts.machine", "=", "machines.hash"),
      )
      .select((e) => ["hash", "kind", e.fn.countAll<number>().as("count")])
      .groupBy(["hash", "kind"])
      .execute();
    const kept = new Map<string, KeptMatches>();
    for (const { hash, kind, count } of rows) {
      const group =
        kind === null ? "waiting" : kind === "verified" || kind === "diverged" ? kind : ("damaged" as const);
      const before = kept.get(hash) ?? NONE_KEPT;
      kept.set(hash, { ...before, [group]: before[group] + count });
    }
    return kept;
  }
}

const NONE_KEPT: KeptMatches = { verified: 0, diverged: 0, damaged: 0, waiting: 0 };

function textOf({ text, parts }: Wanted): MachineText {
  return { text, parts: JSON.parse(parts) as Parts };
}
