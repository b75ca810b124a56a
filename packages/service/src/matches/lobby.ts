/** The lobby: seats that anybody may take, and playing whoever is there. */

import type { LobbyEntry, Page, Played, PlayRequest } from "@zany/client/api";
import { Router } from "express";
import { sql } from "kysely";
import type { Caller, Callers } from "../access/callers.js";
import { seatNames } from "../access/my-matches.js";
import { linkNext, pageOf } from "../http/pages.js";
import { isLarge } from "../machines.js";
import { Problem } from "../problems.js";
import type { Store } from "../storage/store.js";
import * as body from "../validation.js";
import { fittingOf } from "./beginning.js";
import type { Host } from "./host.js";
import type { Elsewhere } from "./asking.js";
import { Seating } from "./seating.js";

/** How many fitting matches are tried before a new one is begun: others may be faster at each. */
const TRIED = 20;

type PersonCaller = Extract<Caller, { kind: "person" }>;

export class Lobby {
  private readonly seating: Seating;
  /** Those who play anyone do so one after the other. */
  private last: Promise<unknown> = Promise.resolve();

  constructor(
    private readonly store: Store,
    private readonly host: Host,
    private readonly aside: 0 | 1,
  ) {
    this.seating = new Seating(host);
  }

  /** Matches with free seats, those that wait longest first. @param after where the page before ended, as it said */
  async page(machine: string | undefined, limit: number, after: string | undefined): Promise<Page<LobbyEntry>> {
    const [created = "", id = ""] = after?.split(" ") ?? [];
    const rows = await this.store.db
      .selectFrom("matches")
      .innerJoin("machines", "machines.hash", "matches.machine")
      .select(["matches.id", "header", "free", "hash", "rules", "machines.name", "version", "matches.created"])
      .where("free", "!=", "[]")
      .$if(machine !== undefined, (query) => query.where("machines.name", "=", machine ?? ""))
      .$if(after !== undefined, (query) =>
        query.where(sql<boolean>`(matches.created, matches.id) > (${created}, ${id})`),
      )
      .orderBy("matches.created")
      .orderBy("matches.id")
      .limit(limit + 1)
      .execute();
    const { items, next } = pageOf(rows, limit, (last) => `${last.created} ${last.id}`);
    const seats = await seatNames(this.store, items);
    const shown = items.map(
      ({ id: match, free, hash, rules, name, version, created: at }): LobbyEntry => ({
        match,
        machine: { name, version, hash, rules },
        free: JSON.parse(free) as string[],
        seats: (seats.get(match) ?? []).map((s) => ({ seat: s.seat, name: s.name })),
        created: at,
      }),
    );
    return { items: shown, next };
  }

  /**
   * Plays whoever is there: takes the oldest fitting seat that is free, or begins a match and waits in it. Asked again
   * while waiting, it is the same match.
   */
  play(wish: PlayRequest, caller: PersonCaller): Promise<Played> {
    const played = this.last.then(() => this.played(wish, caller));
    this.last = played.catch(() => {});
    return played;
  }

  private async played(wish: PlayRequest, caller: PersonCaller): Promise<Played> {
    const { rules, hash } = await this.host.machines.find(wish.machine);
    const { machine } = await this.host.machines.runnable(hash);
    const seats = wish.seats ?? machine.seats.least;
    const fitting = fittingOf(rules, seats, wish.given);
    const { id: me } = caller.person;
    const waiting = await this.candidates(fitting, me, true);
    const own = waiting[0];
    if (own) return { match: own.id, seat: own.seat ?? "", begun: false };
    for (const { id, free } of await this.candidates(fitting, me, false)) {
      const [seat] = JSON.parse(free) as string[];
      if (seat === undefined) continue;
      const taken = await this.seating.take(id, seat, caller, {}).catch((error: unknown) => {
        if (error instanceof Problem) return undefined;
        throw error;
      });
      if (taken && !taken.refusal) return { match: id, seat, begun: false };
    }
    const begin = {
      machine: hash,
      seats,
      ...(wish.given && { given: wish.given }),
      ...(wish.least !== undefined && { least: wish.least }),
    };
    const [first = "", ...others] = machine.seats.names.slice(0, seats);
    const { match } = await this.host.begin(
      { ...begin, people: { [first]: caller.person.handle }, open: others },
      caller,
    );
    return { match: match.id, seat: first, begun: true };
  }

  /** Matches of this kind with free seats, the oldest first: those one waits in oneself, or those of others. */
  private async candidates(fitting: string, person: string, own: boolean) {
    const seat = sql<string | null>`(SELECT seat FROM seats WHERE seats.match = matches.id
      AND seats.person = ${person} AND seats.state = 'held' LIMIT 1)`;
    return this.store.db
      .selectFrom("matches")
      .select(["id", "free", seat.as("seat")])
      .where("free", "!=", "[]")
      .where("fitting", "=", fitting)
      .where("aside", "=", this.aside)
      .where(seat, own ? "is not" : "is", null)
      .orderBy("created")
      .limit(TRIED)
      .execute();
  }
}

/** @param elsewhere where the matches of large machines are played; undefined for the host that plays them itself */
export function lobbyRoutes(lobby: Lobby, host: Host, callers: Callers, elsewhere?: Elsewhere): Router {
  const router = Router();
  router.get("/", async (request, response) => {
    await callers.inside(request);
    const { machine, limit, after } = body.valid(body.lobbyQuery, request.query);
    const page = await lobby.page(machine, limit, after);
    linkNext(request, response, page.next);
    response.json(page);
  });

  router.post("/play", async (request, response) => {
    const caller = await callers.person(request);
    const wish = body.valid(body.play, request.body);
    if (elsewhere && isLarge(await host.machines.find(wish.machine))) return elsewhere.forward(request, response, wish);
    const played = await lobby.play(wish, caller);
    response.status(played.begun ? 201 : 200).json(played);
  });
  return router;
}
