/** Logbooks that were uploaded: kept as they came, verified against any stored version. */

import { type Logbook, NotALogbook, readLogbook, type Verdict, verifyText } from "@zany/core";
import { Router, text as textBody } from "express";
import type { LogbookRow, Store } from "./database.js";
import { newId } from "./keys.js";
import type { Machines } from "./machines.js";
import { Problem } from "./problems.js";
import { valid, verifyLogbook } from "./validation.js";
import type { Writer } from "./writer.js";

const MAX_LOGBOOK = "64mb";

export class Logbooks {
  constructor(
    private readonly store: Store,
    private readonly writer: Writer,
    private readonly machines: Machines,
  ) {}

  /** Keeps a logbook. Its header must be readable; whether it is right, `verify` says. */
  async add(text: string, name: string): Promise<Omit<LogbookRow, "text" | "position">> {
    let logbook: Logbook;
    try {
      logbook = readLogbook(text);
    } catch (error) {
      if (error instanceof NotALogbook) throw new Problem(422, "notALogbook", error.message);
      throw error;
    }
    const id = newId();
    const { machine, hash } = logbook.header;
    const outcome = logbook.closing?.result ? JSON.stringify(logbook.closing.result) : null;
    await this.writer.write(() => {
      this.store.sqlite
        .prepare(
          "INSERT INTO logbooks (id, name, machine, hash, steps, outcome, text, created) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .run(id, name, machine, hash, Math.max(0, logbook.steps.length - 1), outcome, text, new Date().toISOString());
    });
    const { text: _, ...row } = await this.find(id);
    return row;
  }

  async list(): Promise<Omit<LogbookRow, "text" | "position">[]> {
    return this.store.db
      .selectFrom("logbooks")
      .select(["id", "name", "machine", "hash", "steps", "outcome", "created", "position"])
      .orderBy("position")
      .execute();
  }

  /** @throws Problem 404 */
  async find(id: string): Promise<Omit<LogbookRow, "position">> {
    const row = await this.store.db.selectFrom("logbooks").selectAll().where("id", "=", id).executeTakeFirst();
    if (!row) throw new Problem(404, "noSuchLogbook", `There is no logbook "${id}" here.`);
    return row;
  }

  /** Verifies a logbook against a version; without one, against the newest of its machine's name. */
  async verify(
    id: string,
    reference: string | undefined,
  ): Promise<{ machine: string; number: number; hash: string; verdict: Verdict }> {
    const row = await this.find(id);
    const version = await this.machines.find(reference ?? row.machine);
    const runnable = await this.machines.runnable(version.hash);
    return {
      machine: version.name,
      number: version.number,
      hash: version.hash,
      verdict: verifyText(runnable, row.text),
    };
  }
}

export function logbookRoutes(logbooks: Logbooks): Router {
  const router = Router();
  const shown = (row: Omit<LogbookRow, "text" | "position">) => ({
    ...row,
    outcome: row.outcome === null ? null : JSON.parse(row.outcome),
  });
  router.get("/", async (_request, response) => {
    response.json({ logbooks: (await logbooks.list()).map(shown) });
  });
  router.post(
    "/",
    textBody({ type: ["application/x-ndjson", "application/jsonl", "text/plain"], limit: MAX_LOGBOOK }),
    async (request, response) => {
      if (typeof request.body !== "string" || request.body === "")
        throw new Problem(415, "badContent", "Send the logbook's text as application/x-ndjson.");
      const name = typeof request.query["name"] === "string" ? request.query["name"].slice(0, 200) : "logbook";
      const row = await logbooks.add(request.body, name);
      response.status(201).location(`/api/logbooks/${row.id}`).json(shown(row));
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
