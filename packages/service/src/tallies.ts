/** Finished matches added up: by machine and version, and by seat or person. */

import type { Page, TalliedMatches } from "@zany/client/api";
import { Router } from "express";
import { sql } from "kysely";
import type { Callers } from "./access/callers.js";
import { linkNext, pageOf } from "./http/pages.js";
import { Problem } from "./problems.js";
import type { Store } from "./storage/store.js";
import { tallyQuery, valid } from "./validation.js";

/** What tallies are asked for. */
export interface TallyWish {
  readonly machine?: string;
  readonly version?: number;
  /** A handle. */
  readonly person?: string;
  /** What is told apart beside the machine. */
  readonly by: readonly ("version" | "seat" | "person")[];
  readonly limit: number;
  /** What a page said to go on behind it. */
  readonly after?: string;
}

export class Tallies {
  constructor(private readonly store: Store) {}

  /** The tallies, those of most matches first. */
  async list({ machine, version, person, by, limit, after }: TallyWish): Promise<Page<TalliedMatches>> {
    const of = (what: "version" | "seat" | "person") => by.includes(what);
    const apart = (["version", "seat", "person"] as const).filter(of);
    const order = sql.join([
      sql`-count(DISTINCT results.match)`,
      sql.ref("machine"),
      ...apart.map((what) => (what === "person" ? sql`coalesce(handle, '')` : sql.ref(what))),
    ]);
    const parts = after?.split(" ");
    const behind = parts?.map((part, i) =>
      i === 0 ? -Number(part) : apart[i - 2] === "version" ? Number(part) : part,
    );
    if (behind && (behind.length !== 2 + apart.length || behind.some(Number.isNaN)))
      throw new Problem(400, "badRequest", '"after" comes from a list that tells other things apart.');
    const rows = await this.store.db
      .selectFrom("results")
      .leftJoin("people", "people.id", "results.person")
      .select((e) => [
        "machine",
        of("version") ? e.ref("version").as("version") : sql<null>`NULL`.as("version"),
        of("seat") ? e.ref("seat").as("seat") : sql<null>`NULL`.as("seat"),
        of("person") ? e.ref("handle").as("handle") : sql<null>`NULL`.as("handle"),
        of("person") ? e.ref("people.name").as("name") : sql<null>`NULL`.as("name"),
        sql<number>`count(DISTINCT results.match)`.as("matches"),
        sql<number>`sum(result = 'win')`.as("wins"),
        sql<number>`sum(result = 'loss')`.as("losses"),
        sql<number>`sum(result = 'draw')`.as("draws"),
        sql<number>`avg(steps)`.as("steps"),
        sql<number>`avg(lasted)`.as("lasted"),
        sql<number | null>`max(score)`.as("best"),
      ])
      .$if(machine !== undefined, (query) => query.where("machine", "=", machine ?? ""))
      .$if(version !== undefined, (query) => query.where("version", "=", version ?? 0))
      .$if(person !== undefined, (query) => query.where("handle", "=", person ?? ""))
      .groupBy(["machine"])
      .$if(of("version"), (query) => query.groupBy("version"))
      .$if(of("seat"), (query) => query.groupBy("seat"))
      .$if(of("person"), (query) => query.groupBy("results.person"))
      .$if(behind !== undefined, (query) => query.having(sql<boolean>`(${order}) > (${sql.join(behind ?? [])})`))
      .orderBy(order)
      .limit(limit + 1)
      .execute();
    const { items, next } = pageOf(rows, limit, (last) =>
      [last.matches, last.machine, ...apart.map((what) => last[what === "person" ? "handle" : what])].join(" "),
    );
    const shown = items.map(({ handle, name: called, ...row }) => ({
      ...row,
      person: handle === null || called === null ? null : { handle, name: called },
    }));
    return { items: shown, next };
  }
}

export function tallyRoutes(tallies: Tallies, callers: Callers): Router {
  const router = Router();
  router.get("/", async (request, response) => {
    await callers.inside(request);
    const page = await tallies.list(valid(tallyQuery, request.query));
    linkNext(request, response, page.next);
    response.json(page);
  });
  return router;
}
