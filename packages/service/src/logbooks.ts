/** Logbooks that were uploaded: kept as they came, verified against any stored version. */

import type { LogbookInfo, Parts, VerifiedLogbook } from "@zany/client/api";
import type { Outcome } from "@zany/core";
import { Router, text as textBody } from "express";
import { doesNotCompile, type Machines } from "./machines.js";
import { Problem } from "./problems.js";
import { newId } from "./secrets.js";
import type { LogbookRow } from "./storage/schema.js";
import type { Store } from "./storage/store.js";
import type { Writer } from "./storage/writer.js";
import { valid, verifyLogbook } from "./validation.js";
import type { Workers } from "./workers/workers.js";

const MAX_LOGBOOK = "64mb";

type LogbookContent = Omit<LogbookRow, "position">;

/** A logbook as lists show it. */
function infoOf(row: Omit<LogbookContent, "text">): LogbookInfo {
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
  private readonly insert;

  constructor(
    private readonly store: Store,
    private readonly writer: Writer,
    private readonly machines: Machines,
    private readonly workers: Workers,
  ) {
    this.insert = store.prepare<LogbookContent>((db, value) =>
      db.insertInto("logbooks").values({
        id: value("id"),
        name: value("name"),
        machine_name: value("machine_name"),
        machine_hash: value("machine_hash"),
        steps: value("steps"),
        outcome: value("outcome"),
        text: value("text"),
        created: value("created"),
      }),
    );
  }

  /**
   * Keeps a logbook. Its header must be readable; whether it is right, `verify` says.
   *
   * @throws Problem 422 for a text that is no logbook
   */
  async add(text: string, name: string): Promise<LogbookInfo> {
    const read = await this.workers.run("read", text);
    if ("words" in read) throw new Problem(422, "notALogbook", read.words);
    const { machine, steps, outcome } = read;
    const row: LogbookContent = {
      id: newId(),
      name,
      machine_name: machine.name,
      machine_hash: machine.hash,
      steps,
      outcome: outcome ? JSON.stringify(outcome) : null,
      text,
      created: new Date().toISOString(),
    };
    await this.writer.write(() => void this.insert.run(row));
    return infoOf(row);
  }

  async list(): Promise<LogbookInfo[]> {
    const rows = await this.store.db
      .selectFrom("logbooks")
      .select(["id", "name", "machine_name", "machine_hash", "steps", "outcome", "created"])
      .orderBy("position")
      .execute();
    return rows.map(infoOf);
  }

  /** @throws Problem 404 */
  async find(id: string): Promise<LogbookContent> {
    const row = await this.store.db.selectFrom("logbooks").selectAll().where("id", "=", id).executeTakeFirst();
    if (!row) throw new Problem(404, "noSuchLogbook", `There is no logbook "${id}" here.`);
    return row;
  }

  /** Verifies a logbook against a version; without one, against the newest of its machine's name. */
  async verify(id: string, reference: string | undefined): Promise<VerifiedLogbook> {
    const row = await this.find(id);
    const stored = await this.machines.find(reference ?? row.machine_name);
    const { name, version, hash, rules } = stored;
    const machine = { text: stored.text, parts: JSON.parse(stored.parts) as Parts };
    const verdict = await this.workers.run("verify", { machine, text: row.text });
    if (!verdict) throw doesNotCompile();
    return { machine: { name, version, hash, rules }, verdict };
  }
}

export function logbookRoutes(logbooks: Logbooks): Router {
  const router = Router();
  router.get("/", async (_request, response) => {
    response.json({ logbooks: await logbooks.list() });
  });
  router.post(
    "/",
    textBody({ type: ["application/x-ndjson", "application/jsonl", "text/plain"], limit: MAX_LOGBOOK }),
    async (request, response) => {
      if (typeof request.body !== "string" || request.body === "")
        throw new Problem(415, "badContent", "Send the logbook's text as application/x-ndjson.");
      const name = typeof request.query["name"] === "string" ? request.query["name"].slice(0, 200) : "logbook";
      const row = await logbooks.add(request.body, name);
      response.status(201).location(`/api/logbooks/${row.id}`).json(row);
    },
  );
  router.get("/:id", async (request, response) => {
    const row = await logbooks.find(request.params.id);
    response
      .type("application/x-ndjson")
      .attachment(row.name.endsWith(".jsonl") ? row.name : `${row.name}.jsonl`)
      .send(row.text);
  });
  router.post("/:id/verify", async (request, response) => {
    const { machine } = valid(verifyLogbook, request.body ?? {});
    response.json(await logbooks.verify(request.params.id, machine));
  });
  return router;
}
