/** What a request to a match is about, who asks, and what they are answered. */

import type { SeenMatch } from "@zany/client/api";
import type { Request, RequestHandler, Response } from "express";
import type { Caller, Callers } from "../access/callers.js";
import { Problem } from "../problems.js";
import { type Asker, askerOf, askersBeforeLeaving, needSight } from "./askers.js";
import type { Host } from "./host.js";
import type { TakenInput } from "./line.js";
import type { LiveMatch } from "./live.js";
import type { Sent } from "./seating.js";
import { seenMatch } from "./seen.js";

/** Where the matches of large machines are played. */
export interface Elsewhere {
  /** Passes requests for matches played there on. @param here whether a match is played here */
  handler(here: (match: string) => boolean): RequestHandler;
  /** Passes a request on and its answer back. */
  forward(request: Request<object>, response: Response, body: unknown): Promise<void>;
}

/** What the routes of matches work with. */
export interface MatchDoors {
  readonly host: Host;
  readonly callers: Callers;
  /** Undefined for the host that plays the matches of large machines itself. */
  readonly elsewhere?: Elsewhere | undefined;
}

/** A match that a request is about, who sends it, and what they are in it. */
export interface Asked {
  readonly match: LiveMatch;
  readonly caller: Caller;
  readonly asker: Asker;
}

/**
 * What a request is about, and who asks.
 *
 * @param seat the seat it names
 * @param sent how it is known, where it is answered as at first also when its sender has left the seat since: by what
 * its sender was then
 * @throws Problem 404, 401, 403, 429 after many wrong keys, or 409 when the match does not load
 */
export async function asked(
  { host, callers }: MatchDoors,
  request: Request<{ id: string }>,
  seat?: string,
  sent?: (asker: Asker) => Sent,
): Promise<Asked> {
  const caller = await callers.of(request);
  host.need(request.params.id);
  const match = await host.find(request.params.id);
  const before = sent && askersBeforeLeaving(match, caller, seat);
  const known = (one: Asker): boolean | undefined => sent && host.wasSent(match.id, sent(one));
  const asker =
    before?.find((one) => known(one) === true) ??
    before?.find((one) => known(one) === false) ??
    askerOf(match, caller, seat);
  const invited = caller.kind === "person" && Object.values(match.holders).some((h) => h.person === caller.person.id);
  needSight(asker, invited, callers.doors.open);
  return { match, caller, asker };
}

/** What was taken, as the one who asked sees it; for a repeated request, as it was then. @throws Problem 409, 412 */
export async function answer(host: Host, taken: TakenInput, asker: Asker): Promise<SeenMatch> {
  const { refusal, before, match } = taken;
  const seen = await seenMatch(before ? await host.at(match, before.step) : match, asker, host);
  if (!refusal) return seen;
  const { code, words, condition } = refusal;
  throw new Problem(code === "stale" ? 412 : 409, code, words, { ...(condition && { condition }), ...seen });
}
