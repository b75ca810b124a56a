/** Machines: stored texts, known by their hashes. */

import { fromPortable, Runnable } from "@zany/core";
import { Router, raw } from "express";
import { sql } from "kysely";
import type { AddedMachine, MessageInfo, Parts, StoredMachine } from "@zany/client/api";
import type { Callers } from "./access/callers.js";
import { linkNext } from "./http/pages.js";
import { Problem } from "./problems.js";
import type { Reports } from "./reports.js";
import type { MachineRow } from "./storage/schema.js";
import type { Store } from "./storage/store.js";
import type { Writer } from "./storage/writer.js";
import { machinesQuery, valid } from "./validation.js";
import type { Workers } from "./workers/workers.js";

/** A machine is a text of up to two million characters, and so is each of its parts; all of them are less than this. */
export const LONGEST_BODY = 4 * 1_024 * 1_024;

/** How much of machines that are ready to run is kept, in bytes. */
const MAX_READY = 128_000_000;

/**
 * From how many characters on a machine is large: then making it ready takes longer than others may be kept waiting.
 */
const LARGE = 6_000;

/** True for a machine whose matches are played aside. */
export function isLarge({ text, parts }: Pick<MachineRow, "text" | "parts">): boolean {
  return text.length + parts.length > LARGE;
}

/** A machine as clients get it. */
function machineJson({ parts, ...row }: MachineRow): StoredMachine {
  return { ...row, parts: JSON.parse(parts) as Parts };
}

export class Machines {
  private readonly ready = new Map<string, Runnable>();

  private readonly insert;

  constructor(
    private readonly store: Store,
    private readonly writer: Writer,
    /** Does the work on texts from anybody. */
    private readonly workers: Workers,
    /** Does the work on texts that are stored, so that no new one keeps a match waiting. */
    private readonly preparers: Workers,
  ) {
    this.insert = store.prepare<Omit<MachineRow, "version">>((db, value) =>
      db
        .insertInto("machines")
        .values({
          hash: value("hash"),
          name: value("name"),
          version: (e) =>
            e
              .selectFrom("machines as others")
              .select(sql<number>`coalesce(max(others.version), 0) + 1`.as("next"))
              .where("others.name", "=", value("name")),
          text: value("text"),
          parts: value("parts"),
          rules: value("rules"),
          words: value("words"),
          created: value("created"),
        })
        .onConflict((conflict) => conflict.column("hash").doNothing()),
    );
  }

  /**
   * Stores a text and the files it includes. A version that is stored already is found again.
   *
   * @param body a `NewMachine` as JSON; it is long, so that a worker reads it
   * @throws Problem 400 when it is none; 422 with the messages when it does not compile
   */
  async add(body: Uint8Array): Promise<{ machine: MachineRow; created: boolean; messages: readonly MessageInfo[] }> {
    const asked = await this.workers.run("compile", body);
    if ("problem" in asked) {
      const { status, code, words, more } = asked.problem;
      throw new Problem(status, code, words, { ...more });
    }
    const { messages, machine } = asked;
    if (!machine) {
      const first = messages.find((m) => m.severity === "error");
      throw new Problem(422, "doesNotCompile", `The machine does not compile: line ${first?.line}: ${first?.words}`, {
        messages,
      });
    }
    const { hash } = machine;
    let created = false;
    await this.writer.write(() => {
      const row = { ...machine, parts: JSON.stringify(machine.parts), created: new Date().toISOString() };
      created = this.insert.run(row) > 0;
    });
    return { machine: await this.find(hash), created, messages };
  }

  /**
   * A stored version: by its hash, by `Name@2`, or the newest by `Name`.
   *
   * @throws Problem 404 when there is none
   */
  async find(reference: string): Promise<MachineRow> {
    const [name = "", version] = reference.split("@");
    let query = this.store.db.selectFrom("machines").selectAll();
    if (/^[0-9a-f]{64}$/.test(reference)) query = query.where("hash", "=", reference);
    else {
      query = query.where("name", "=", name).orderBy("version", "desc");
      if (version !== undefined) query = query.where("version", "=", Number(version));
    }
    const row = await query.limit(1).executeTakeFirst();
    if (!row) throw new Problem(404, "noSuchMachine", `There is no machine "${reference}" here.`);
    return row;
  }

  /** A version by its hash; undefined when it is not stored here. */
  async stored(hash: string): Promise<MachineRow | undefined> {
    return this.store.db.selectFrom("machines").selectAll().where("hash", "=", hash).executeTakeFirst();
  }

  /** A machine ready to run. */
  async runnable(hash: string): Promise<Runnable> {
    const known = this.ready.get(hash);
    if (known) return this.kept(hash, known);
    const { text, parts } = await this.find(hash);
    const machine = await this.preparers.run("prepare", { text, parts: JSON.parse(parts) as Parts });
    if (!machine) throw doesNotCompile();
    return this.ready.get(hash) ?? this.kept(hash, new Runnable(fromPortable(machine)));
  }

  private kept(hash: string, runnable: Runnable): Runnable {
    this.ready.delete(hash);
    this.ready.set(hash, runnable);
    let left = MAX_READY;
    for (const [other, { memory }] of [...this.ready].reverse()) {
      left -= memory;
      if (left < 0 && other !== hash) this.ready.delete(other);
    }
    return runnable;
  }
}

/** A machine that compiled when it was stored. */
export function doesNotCompile(): Problem {
  return new Problem(
    409,
    "doesNotCompile",
    "This machine was stored by another version of the service and does not compile in this one.",
  );
}

export function machineRoutes(machines: Machines, reports: Reports, callers: Callers): Router {
  const router = Router();
  // Whoever may begin a match may read what it is played by.
  router.use(async (request, _response, next) => {
    await (request.method === "GET" ? callers.inside(request) : callers.maker(request));
    next();
  });
  router.get("/", async (request, response) => {
    const { limit, after } = valid(machinesQuery, request.query);
    const page = await reports.listed(limit, after);
    linkNext(request, response, page.next);
    response.json(page);
  });
  router.post("/", raw({ type: "application/json", limit: LONGEST_BODY }), async (request, response) => {
    if (!Buffer.isBuffer(request.body))
      throw new Problem(415, "badContent", "Send the machine as application/json: its text, and its parts.");
    const { machine, created, messages } = await machines.add(request.body);
    if (created) reports.wake();
    const added: AddedMachine = { ...machineJson(machine), messages };
    response
      .status(created ? 201 : 200)
      .location(`/api/machines/${machine.hash}`)
      .json(added);
  });
  router.get("/:reference", async (request, response) => {
    const machine = await machines.find(request.params.reference);
    response.set("ETag", `"${machine.hash}"`).json(machineJson(machine));
  });
  return router;
}
