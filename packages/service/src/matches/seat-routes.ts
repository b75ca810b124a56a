/** Seats over HTTP: taking one, leaving it, letting a bot play it, inviting to it. */

import type { JoinedMatch, NewLink } from "@zany/client/api";
import type { Response, Router } from "express";
import { Problem } from "../problems.js";
import { sentKey } from "../secrets.js";
import * as body from "../validation.js";
import { Afterwards } from "./afterwards.js";
import { type Asker, askerOf, needHolder, needOwner, needSeat, seatedAt, stranger } from "./askers.js";
import type { Host } from "./host.js";
import { answer, asked, type MatchDoors } from "./asking.js";
import { Seating, type TakenSeat } from "./seating.js";
import { seenMatch } from "./seen.js";
import { sentBy } from "./sent.js";

export function seatRoutes(router: Router, doors: MatchDoors): void {
  const { host, callers } = doors;
  const seating = new Seating(host);
  const afterwards = new Afterwards(host, seating);

  router.post("/:id/seats/:seat", async (request, response) => {
    const { id, seat } = request.params;
    const wanted = body.valid(body.seat, request.body ?? {});
    // Where keys are needed, a seat is taken by somebody who is somebody: no watcher's, seat's or host's key takes one.
    const caller = callers.doors.open ? await callers.of(request) : await callers.person(request);
    host.need(id);
    const taken = await seating.take(id, seat, caller, sentBy(request, wanted));
    await joined(host, taken, stranger(caller), response);
  });

  router.delete("/:id/seats/:seat", async (request, response) => {
    const { seat } = request.params;
    const wanted = body.valid(body.seat, request.body ?? {});
    const sent = sentBy(request, wanted);
    const { asker, match, caller } = await asked(doors, request, undefined, () => sent);
    // Who has left holds the seat no more; sent again, they are answered as they were.
    if (host.wasSent(match.id, sent) === undefined) needHolder(asker, seat);
    const left = await seating.leave(match.id, seat, asker, sent);
    response.json(await answer(host, left, askerOf(match, caller)));
  });

  router.put("/:id/bots/:seat", async (request, response) => {
    const { policy, ...wanted } = body.valid(body.bot, request.body);
    const { match, asker } = await asked(doors, request);
    const { seat } = request.params;
    needHolder(asker, seat, match.holders[seat]?.state === "left");
    await seating.setBot(match.id, seat, policy, sentBy(request, wanted, { policy }));
    response.json(await seenMatch(match, asker, host));
  });

  router.put("/:id/invitations/:seat", async (request, response) => {
    const whom = body.valid(body.invitation, request.body);
    const { match, asker } = await asked(doors, request);
    const { seat } = request.params;
    needOwner(asker);
    const link = await seating.invite(match.id, seat, whom);
    if (link === undefined) response.json(await seenMatch(match, asker, host));
    else response.status(201).json({ seat, link } satisfies NewLink);
  });

  router.delete("/:id/invitations/:seat", async (request, response) => {
    const { match, asker } = await asked(doors, request);
    await seating.withdraw(match.id, request.params.seat, asker);
    response.json(await seenMatch(match, asker, host));
  });

  // Whoever has the link needs nothing else.
  router.post("/:id/links", async (request, response) => {
    const { id } = request.params;
    const { secret, name, ...wanted } = body.valid(body.link, request.body);
    const caller = await callers.of(request);
    host.need(id);
    const sent = sentBy(request, wanted, { secret, name }, sentKey(secret));
    const taken = await seating.redeem(id, secret, name ?? null, sent);
    await joined(host, taken, stranger(caller), response);
  });

  router.post("/:id/confirmations", async (request, response) => {
    const { seat } = body.valid(body.confirmation, request.body ?? {});
    const { match, asker } = await asked(doors, request, seat);
    response.json(await seenMatch(await afterwards.confirm(match.id, needSeat(asker)), asker, host));
  });

  router.post("/:id/rematch", async (request, response) => {
    const wish = body.valid(body.rematch, request.body ?? {});
    const { match, asker } = await asked(doors, request, wish.seat);
    response.status(201).json(await afterwards.rematch(match, asker, wish, sentBy(request, wish)));
  });

  router.post("/:id/claims", async (request, response) => {
    const { key } = body.valid(body.claim, request.body);
    const caller = await callers.person(request);
    host.need(request.params.id);
    const { match, seat } = await seating.claim(request.params.id, key, caller.person.id);
    const { asker } = await asked(doors, request, seat);
    response.json(await seenMatch(match, asker, host));
  });
}

/** Answers whoever took a seat; only who got it sees what it sees. */
async function joined(host: Host, taken: TakenSeat, asker: Asker, response: Response): Promise<void> {
  const { seat, key, refusal } = taken;
  // Who did not get it may be a stranger, and is shown nothing of the match.
  if (refusal) throw new Problem(409, refusal.code, refusal.words);
  const seen = await answer(host, taken, seatedAt(asker, seat));
  const match: JoinedMatch = { ...seen, ...(key !== undefined && { key }) };
  response.status(201).json(match);
}
