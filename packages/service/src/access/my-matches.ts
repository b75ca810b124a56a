/** The matches of a person: whose turn it is, invitations, and those that are over. */

import type { MineFilter, MyMatch, Page } from "@zany/client/api";
import { sql } from "kysely";
import { pageOf } from "../http/pages.js";
import { infoOf, INFO_COLUMNS } from "../matches/records.js";
import type { Store } from "../storage/store.js";

export class MyMatches {
  constructor(private readonly store: Store) {}

  /**
   * A page of somebody's matches, the last played first.
   *
   * @param after where the page before ended, as it said
   */
  async page(
    person: string,
    filter: MineFilter | undefined,
    limit: number,
    after: string | undefined,
  ): Promise<Page<MyMatch>> {
    const [updated = "", id = ""] = after?.split(" ") ?? [];
    const turn = sql<boolean>`EXISTS (SELECT 1 FROM json_each(matches.turn) WHERE value IN
      (SELECT seat FROM seats AS own WHERE own.match = matches.id AND own.person = ${person} AND own.state = 'held'))`;
    const going = sql<boolean>`matches.outcome IS NULL AND matches.cancelled IS NULL`;
    const state = filter === "invitations" ? ["waiting" as const] : ["held" as const, "left" as const];
    const mine = this.store.db
      .selectFrom("seats")
      .select("match")
      .where("person", "=", person)
      .where("state", "in", filter === undefined ? ["held", "left", "waiting"] : state);
    const rows = await this.store.db
      .selectFrom("matches")
      .innerJoin("machines", "machines.hash", "matches.machine")
      .select(INFO_COLUMNS)
      .where("matches.id", "in", mine)
      .$if(filter === "my-turn", (query) => query.where(turn).where(going))
      .$if(filter === "others-turn", (query) => query.where(sql<boolean>`NOT ${turn}`).where(going))
      .$if(filter === "invitations", (query) => query.where(going))
      .$if(filter === "finished", (query) => query.where(sql<boolean>`NOT (${going})`))
      .$if(after !== undefined, (query) =>
        query.where(sql<boolean>`(matches.updated, matches.id) < (${updated}, ${id})`),
      )
      .orderBy("matches.updated", "desc")
      .orderBy("matches.id", "desc")
      .limit(limit + 1)
      .execute();
    const { items, next } = pageOf(rows, limit, (last) => `${last.updated} ${last.id}`);
    const seats = await seatNames(this.store, items);
    const shown = items.map((row): MyMatch => {
      const all = seats.get(row.id) ?? [];
      return {
        ...infoOf(row),
        own: all.filter((s) => s.person === person && s.state === "held").map((s) => s.seat),
        invited: all.filter((s) => s.person === person && s.state === "waiting").map((s) => s.seat),
        seats: all.map(({ seat, name }) => ({ seat, name })),
      };
    });
    return { items: shown, next };
  }
}

/** A seat of a match with the name of whoever sits there. */
interface NamedSeat {
  readonly seat: string;
  readonly name: string | null;
  readonly person: string | null;
  readonly state: string | null;
}

/** The seats of matches, in their order, with the names of those who sit there. */
export async function seatNames(
  store: Store,
  matches: readonly { readonly id: string; readonly header: string }[],
): Promise<Map<string, NamedSeat[]>> {
  const ids = matches.map((match) => match.id);
  const rows =
    ids.length === 0
      ? []
      : await store.db
          .selectFrom("seats")
          .leftJoin("people", "people.id", "seats.person")
          .select(["match", "seat", "seats.person", "state", "people.name as person_name", "seats.name as own_name"])
          .where("match", "in", ids)
          .execute();
  return new Map(
    matches.map(({ id, header }) => [
      id,
      (JSON.parse(header) as { seats: string[] }).seats.map((seat): NamedSeat => {
        const row = rows.find((r) => r.match === id && r.seat === seat);
        const sits = row?.state === "held" || row?.state === "waiting";
        return {
          seat,
          name: sits ? (row.person_name ?? row.own_name) : null,
          person: row?.person ?? null,
          state: row?.state ?? null,
        };
      }),
    ]),
  );
}
