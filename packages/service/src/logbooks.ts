/** Logbooks that were uploaded: kept as they came, verified against any stored version. */

import { once } from "node:events";
import type { LogbookInfo, Parts, VerifiedLogbook } from "@zany/client/api";
import type { Outcome } from "@zany/core";
import { type Request, Router } from "express";
import { doesNotCompile, type Machines } from "./machines.js";
import type { Callers } from "./access/callers.js";
import { linkNext, pageOf } from "./http/pages.js";
import { Problem, tooLarge } from "./problems.js";
import type { Reports } from "./reports.js";
import { newId } from "./secrets.js";
import { type Bytes, Pieces } from "./storage/pieces.js";
import type { LogbookRow, MachineRow } from "./storage/schema.js";
import type { Store } from "./storage/store.js";
import type { Writer } from "./storage/writer.js";
import { logbookQuery, logbooksQuery, valid, verifyLogbook } from "./validation.js";
import type { MachineText } from "./workers/tasks.js";
import type { Workers } from "./workers/workers.js";

/** The most bytes that a logbook may have, and how many may come at the same time. */
const MAX_LOGBOOK = 64 * 1_024 * 1_024;
const MOST_COMING = 20;
const TYPES = ["application/x-ndjson", "application/jsonl", "text/plain"];

type LogbookContent = Omit<LogbookRow, "position">;

/** A logbook as lists show it. */
function infoOf(row: LogbookContent): LogbookInfo {
  const { id, name, machine_name, machine_hash, steps, outcome, created } = row;
  return {
    id,
    name,
    machine: { name: machine_name, hash: machine_hash },
    steps,
    outcome: outcome === null ? null : (JSON.parse(outcome) as Outcome),
    created,
  };
}

export class Logbooks {
  readonly pieces: Pieces;
  private readonly insert;
  private readonly deleteLost;
  private coming = 0;

  constructor(
    private readonly store: Store,
    private readonly writer: Writer,
    private readonly machines: Machines,
    private readonly workers: Workers,
  ) {
    this.pieces = new Pieces(store, writer);
    this.insert = store.prepare<LogbookContent>((db, value) =>
      db.insertInto("logbooks").values({
        id: value("id"),
        name: value("name"),
        machine_name: value("machine_name"),
        machine_hash: value("machine_hash"),
        steps: value("steps"),
        outcome: value("outcome"),
        created: value("created"),
      }),
    );
    this.deleteLost = store.prepare<object>((db) =>
      db.deleteFrom("pieces").where("of", "not in", (e) => e.selectFrom("logbooks").select("id")),
    );
  }

  /** Lets go of what came before the service ended, and did not come whole. */
  async clean(): Promise<void> {
    await this.writer.write(() => void this.deleteLost.run({}));
  }

  /**
   * Keeps a logbook. Its header must be readable; whether it is right, `verify` says.
   *
   * @throws Problem 422 for what is no logbook; 429 when too many come at the same time
   */
  async add(bytes: Bytes, name: string): Promise<LogbookInfo> {
    if (this.coming >= MOST_COMING)
      throw new Problem(429, "tooManyWaiting", "Too many logbooks come at the same time.", {}, { "Retry-After": "2" });
    const id = newId();
    this.coming++;
    try {
      await this.pieces.keep(id, bytes);
      return await this.read(id, name);
    } catch (error) {
      // While the disk fails it stays until the service starts again.
      await this.pieces.drop(id).catch(() => {});
      throw error;
    } finally {
      this.coming--;
    }
  }

  /** Looks at what has come whole. */
  private async read(id: string, name: string): Promise<LogbookInfo> {
    const read = await this.workers.run("read", undefined, this.pieces.read(id));
    if ("words" in read) throw new Problem(422, "notALogbook", read.words);
    const { machine, steps, outcome } = read;
    const row: LogbookContent = {
      id,
      name,
      machine_name: machine.name,
      machine_hash: machine.hash,
      steps,
      outcome: outcome ? JSON.stringify(outcome) : null,
      created: new Date().toISOString(),
    };
    await this.writer.write(() => void this.insert.run(row));
    return infoOf(row);
  }

  /** Logbooks in the order in which they came. @param after where the page before ended, as it said */
  async list(
    limit: number,
    after?: string,
  ): Promise<{ readonly logbooks: LogbookInfo[]; readonly next: string | null }> {
    const rows = await this.store.db
      .selectFrom("logbooks")
      .selectAll()
      .where("position", ">", Number(after ?? -1))
      .orderBy("position")
      .limit(limit + 1)
      .execute();
    const { items, next } = pageOf(rows, limit, ({ position }) => String(position));
    return { logbooks: items.map(infoOf), next };
  }

  /** The ids of all logbooks, or of all of a machine's name, in the order in which they came. */
  async ids(machine?: string): Promise<string[]> {
    let query = this.store.db.selectFrom("logbooks").select("id");
    if (machine !== undefined) query = query.where("machine_name", "=", machine);
    return (await query.orderBy("position").execute()).map(({ id }) => id);
  }

  /** The names under which logbooks came. */
  async names(): Promise<ReadonlySet<string>> {
    const rows = await this.store.db.selectFrom("logbooks").select("name").execute();
    return new Set(rows.map(({ name }) => name));
  }

  /** @throws Problem 404 */
  async find(id: string): Promise<LogbookContent> {
    const row = await this.store.db.selectFrom("logbooks").selectAll().where("id", "=", id).executeTakeFirst();
    if (!row) throw new Problem(404, "noSuchLogbook", `There is no logbook "${id}" here.`);
    return row;
  }

  /**
   * Verifies a logbook against a version; without one, against the newest of its machine's name.
   *
   * @param workers those who do it
   */
  async verify(id: string, reference: string | undefined, workers = this.workers): Promise<VerifiedLogbook> {
    const row = await this.find(id);
    const stored = await this.machines.find(reference ?? row.machine_name);
    const { name, version, hash, rules } = stored;
    const playedOn = row.machine_hash === hash ? undefined : await this.machines.stored(row.machine_hash);
    const machine = { ...textOf(stored), ...(playedOn && { playedOn: textOf(playedOn) }) };
    const verdict = await workers.run("verify", machine, this.pieces.read(id));
    if (!verdict) throw doesNotCompile();
    return { machine: { name, version, hash, rules }, verdict };
  }
}

function textOf({ text, parts }: Pick<MachineRow, "text" | "parts">): MachineText {
  return { text, parts: JSON.parse(parts) as Parts };
}

/** The bytes of a request's body as they come. @throws Problem 413 or 415 for what is no logbook's text */
async function* bodyOf(request: Request): AsyncGenerator<Uint8Array> {
  if (!request.is(TYPES) || (request.get("content-encoding") ?? "identity") !== "identity")
    throw new Problem(415, "badContent", "Send the logbook's text as application/x-ndjson, as it is.");
  const charset = /charset="?([\w-]+)/i.exec(request.get("content-type") ?? "")?.[1] ?? "utf-8";
  if (!/^utf-?8$/i.test(charset)) throw new Problem(415, "badContent", "Send UTF-8.");
  let size = 0;
  // What is refused half-way is answered before its sender is cut off.
  for await (const bytes of request.iterator({ destroyOnReturn: false })) {
    size += (bytes as Uint8Array).length;
    if (size > MAX_LOGBOOK) throw tooLarge(MAX_LOGBOOK, undefined, CLOSE);
    yield bytes as Uint8Array;
  }
}

/** What is not read to its end is cut off. */
const CLOSE = { Connection: "close" };

export function logbookRoutes(logbooks: Logbooks, reports: Reports, callers: Callers): Router {
  const router = Router();
  router.use(async (request, _response, next) => {
    await callers.maker(request);
    next();
  });
  router.get("/", async (request, response) => {
    const { limit, after } = valid(logbooksQuery, request.query);
    const page = await logbooks.list(limit, after);
    linkNext(request, response, page.next);
    response.json(page);
  });
  router.post("/", async (request, response) => {
    const length = Number(request.get("content-length"));
    if (length > MAX_LOGBOOK) throw tooLarge(MAX_LOGBOOK, length, CLOSE);
    const { name } = valid(logbookQuery, request.query);
    const row = await logbooks.add(bodyOf(request), name);
    reports.wake();
    response.status(201).location(`/api/logbooks/${row.id}`).json(row);
  });
  router.get("/:id", async (request, response) => {
    const { id, name } = await logbooks.find(request.params.id);
    response.attachment(name.endsWith(".jsonl") ? name : `${name}.jsonl`).type("application/x-ndjson");
    for await (const bytes of logbooks.pieces.read(id)) {
      if (!response.write(bytes)) await once(response, "drain").catch(() => {});
      if (response.destroyed) return;
    }
    response.end();
  });
  router.post("/:id/verify", async (request, response) => {
    const { machine } = valid(verifyLogbook, request.body ?? {});
    response.json(await logbooks.verify(request.params.id, machine));
  });
  return router;
}
