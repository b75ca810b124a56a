/** Webhooks: addresses of other programs that are told what people are told. Kept, listed, and let go. */

import type { AddedHook, DeadDelivery, HookInfo, Page } from "@zany/client/api";
import { Router } from "express";
import { sql } from "kysely";
import { linkNext, pageOf } from "../http/pages.js";
import { Problem } from "../problems.js";
import { newId, newKey } from "../secrets.js";
import type { Store } from "../storage/store.js";
import type { Writer } from "../storage/writer.js";
import * as body from "../validation.js";
import { type Callers, isHost } from "./callers.js";
import type { Reach } from "./reach.js";

export class Hooks {
  constructor(
    private readonly store: Store,
    private readonly writer: Writer,
    private readonly reach: Reach,
  ) {}

  /**
   * Keeps an address. Its secret is told this once.
   *
   * @param owner the host whose matches it is told of, by id; null for the admin's
   * @throws Problem 422 for an address that may not be reached from here
   */
  async add(owner: string | null, url: string): Promise<AddedHook> {
    const why = this.reach.refusal(new URL(url));
    if (why !== undefined) throw new Problem(422, "badHook", why);
    const hook = { id: newId(), url, secret: newKey(), created: new Date().toISOString() };
    await this.writer.write(() => {
      this.store.execute(this.store.db.insertInto("hooks").values({ ...hook, owner, next: 0, failures: 0 }));
    });
    return { ...hook, waiting: 0, dead: 0 };
  }

  /** Those of an owner, in the order in which they were made. @param after where the page before ended, as it said */
  async list(owner: string | null, limit: number, after: string | undefined): Promise<Page<HookInfo>> {
    const [created = "", id = ""] = after?.split(" ") ?? [];
    const rows = await this.store.db
      .selectFrom("hooks")
      .leftJoin("deliveries", "deliveries.hook", "hooks.id")
      .select((e) => [
        "hooks.id",
        "url",
        "created",
        e.fn.coalesce(e.fn.sum("dead"), e.lit(0)).as("dead"),
        e.fn.count("deliveries.id").as("all"),
      ])
      .where("owner", owner === null ? "is" : "=", owner)
      .$if(after !== undefined, (query) => query.where(sql<boolean>`(created, hooks.id) > (${created}, ${id})`))
      .groupBy("hooks.id")
      .orderBy("created")
      .orderBy("hooks.id")
      .limit(limit + 1)
      .execute();
    const { items, next } = pageOf(rows, limit, (last) => `${last.created} ${last.id}`);
    const shown = items.map(({ all, dead, ...hook }) => ({
      ...hook,
      waiting: Number(all) - Number(dead),
      dead: Number(dead),
    }));
    return { items: shown, next };
  }

  /** @throws Problem 404 */
  async remove(owner: string | null, id: string): Promise<void> {
    await this.need(owner, id);
    await this.writer.write(() => this.store.execute(this.store.db.deleteFrom("hooks").where("id", "=", id)));
  }

  /** What was given up, the last first. @param after where the page before ended @throws Problem 404 */
  async dead(owner: string | null, id: string, limit: number, after: string | undefined): Promise<Page<DeadDelivery>> {
    await this.need(owner, id);
    const rows = await this.store.db
      .selectFrom("deliveries")
      .innerJoin("people", "people.id", "deliveries.person")
      .select([
        "deliveries.id as delivery",
        "handle as person",
        "match",
        "step",
        "deliveries.kind",
        "at",
        "attempts",
        "failed",
      ])
      .where("hook", "=", id)
      .where("dead", "=", 1)
      .$if(after !== undefined, (query) => query.where("deliveries.id", "<", Number(after)))
      .orderBy("deliveries.id", "desc")
      .limit(limit + 1)
      .execute();
    const { items, next } = pageOf(rows, limit, ({ delivery }) => String(delivery));
    return {
      items: items.map((row) => ({ ...row, kind: row.kind as DeadDelivery["kind"], failed: row.failed ?? "" })),
      next,
    };
  }

  private async need(owner: string | null, id: string): Promise<void> {
    const found = await this.store.db
      .selectFrom("hooks")
      .select("id")
      .where("id", "=", id)
      .where("owner", owner === null ? "is" : "=", owner)
      .executeTakeFirst();
    if (!found) throw new Problem(404, "noSuchHook", `You have no webhook "${id}".`);
  }
}

export function hookRoutes(hooks: Hooks, callers: Callers): Router {
  const router = Router();

  /** Whose webhooks a request is about. @throws Problem 401 or 403 for anybody but the admin and hosts */
  const ownerOf = async (request: Parameters<Callers["of"]>[0]): Promise<string | null> => {
    const caller = await callers.of(request);
    if (caller.kind === "person" && isHost(caller)) return caller.person.id;
    await callers.admin(request);
    return null;
  };

  router.get("/", async (request, response) => {
    const owner = await ownerOf(request);
    const { limit, after } = body.valid(body.timedQuery, request.query);
    const page = await hooks.list(owner, limit, after);
    linkNext(request, response, page.next);
    response.json(page);
  });

  router.post("/", async (request, response) => {
    const owner = await ownerOf(request);
    const { url } = body.valid(body.newHook, request.body);
    response.status(201).json(await hooks.add(owner, url));
  });

  router.delete("/:id", async (request, response) => {
    await hooks.remove(await ownerOf(request), request.params.id);
    response.status(204).end();
  });

  router.get("/:id/dead", async (request, response) => {
    const owner = await ownerOf(request);
    const { limit, after } = body.valid(body.deadQuery, request.query);
    const page = await hooks.dead(owner, request.params.id, limit, after);
    linkNext(request, response, page.next);
    response.json(page);
  });
  return router;
}
