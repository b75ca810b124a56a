/** Machines: stored texts, known by their content. */

import { type Compilation, compile, type Message, Runnable } from "@zany/core";
import { Router } from "express";
import type { MachineRow, Store } from "./database.js";
import { Problem } from "./problems.js";
import { newMachine, valid } from "./validation.js";
import type { Writer } from "./writer.js";

/** How many machines are kept ready to run. */
const MAX_READY = 200;

/** A message with places instead of positions, as clients get it. */
export function messageJson(compilation: Compilation, message: Message) {
  const { from, to, related, ...rest } = message;
  const start = compilation.sources.place(from);
  const end = compilation.sources.place(to);
  return {
    ...rest,
    file: start.file,
    line: start.line,
    column: start.column,
    endLine: end.line,
    endColumn: end.column,
    ...(related && { related: { words: related.words, line: compilation.sources.place(related.from).line } }),
  };
}

/** The texts of included files, by their paths from the folder of the machine's file. */
export type Parts = Readonly<Record<string, string>>;

function compileWith(text: string, parts: Parts): Compilation {
  // Warnings take reasoning, and a text from anybody must not keep the service from its matches.
  return compile(text, undefined, (path) => (Object.hasOwn(parts, path) ? parts[path] : undefined), {
    errorsOnly: true,
  });
}

/** A machine as clients get it. */
function machineJson({ parts, ...row }: MachineRow) {
  return { ...row, parts: JSON.parse(parts) as Parts };
}

export class Machines {
  private readonly ready = new Map<string, Runnable>();

  constructor(
    private readonly store: Store,
    private readonly writer: Writer,
  ) {}

  /**
   * Stores a text and the files it includes. A version that is stored already is found again.
   *
   * @throws Problem 422 with the messages when it does not compile
   */
  async add(
    text: string,
    parts: Parts,
  ): Promise<{ machine: MachineRow; created: boolean; messages: ReturnType<typeof messageJson>[] }> {
    const compilation = compileWith(text, parts);
    const messages = compilation.messages.map((m) => messageJson(compilation, m));
    if (!compilation.ok) {
      const [first] = messages.filter((m) => m.severity === "error");
      throw new Problem(422, "doesNotCompile", `The machine does not compile: line ${first?.line}: ${first?.words}`, {
        messages,
      });
    }
    const runnable = new Runnable(compilation.machine);
    const { hash } = runnable;
    const { name } = compilation.machine;
    const { sqlite } = this.store;
    let created = false;
    await this.writer.write(() => {
      const next = sqlite
        .prepare("SELECT coalesce(max(number), 0) + 1 AS number FROM machines WHERE name = ?")
        .get(name) as { number: number };
      const done = sqlite
        .prepare(
          "INSERT INTO machines (hash, name, number, text, parts, created) VALUES (?, ?, ?, ?, ?, ?) ON CONFLICT (hash) DO NOTHING",
        )
        .run(hash, name, next.number, text, JSON.stringify(compilation.parts), new Date().toISOString());
      created = done.changes > 0;
    });
    this.keep(runnable);
    return { machine: await this.find(hash), created, messages };
  }

  /**
   * A stored version: by its hash, by `Name@2`, or the newest by `Name`.
   *
   * @throws Problem 404 when there is none
   */
  async find(reference: string): Promise<MachineRow> {
    const [name = "", number] = reference.split("@");
    let query = this.store.db.selectFrom("machines").selectAll();
    if (/^[0-9a-f]{64}$/.test(reference)) query = query.where("hash", "=", reference);
    else {
      query = query.where("name", "=", name).orderBy("number", "desc");
      if (number !== undefined) query = query.where("number", "=", Number(number));
    }
    const row = await query.limit(1).executeTakeFirst();
    if (!row) throw new Problem(404, "noSuchMachine", `There is no machine "${reference}" here.`);
    return row;
  }

  async list(): Promise<Omit<MachineRow, "text" | "parts">[]> {
    return this.store.db
      .selectFrom("machines")
      .select(["hash", "name", "number", "created"])
      .orderBy("name")
      .orderBy("number", "desc")
      .execute();
  }

  /** A machine ready to run. */
  async runnable(hash: string): Promise<Runnable> {
    const known = this.ready.get(hash);
    if (known) return known;
    const { text, parts } = await this.find(hash);
    const compilation = compileWith(text, JSON.parse(parts) as Parts);
    if (!compilation.ok)
      throw new Problem(
        409,
        "doesNotCompile",
        "This machine was stored by another version of the service and does not compile in this one.",
      );
    const runnable = new Runnable(compilation.machine);
    this.keep(runnable);
    return runnable;
  }

  private keep(runnable: Runnable): void {
    this.ready.delete(runnable.hash);
    this.ready.set(runnable.hash, runnable);
    const [oldest] = this.ready.keys();
    if (this.ready.size > MAX_READY && oldest !== undefined) this.ready.delete(oldest);
  }
}

export function machineRoutes(machines: Machines): Router {
  const router = Router();
  router.get("/", async (_request, response) => {
    response.json({ machines: await machines.list() });
  });
  router.post("/", async (request, response) => {
    const { text, parts } = valid(newMachine, request.body);
    const { machine, created, messages } = await machines.add(text, parts);
    response
      .status(created ? 201 : 200)
      .location(`/api/machines/${machine.hash}`)
      .json({ ...machineJson(machine), messages });
  });
  router.get("/:reference", async (request, response) => {
    const machine = await machines.find(request.params.reference);
    response.set("ETag", `"${machine.hash}"`).json(machineJson(machine));
  });
  return router;
}
