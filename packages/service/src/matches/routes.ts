/** Matches over HTTP: begin, look, act, follow, download. Who comes and goes has a file of its own. */

import type { BegunMatch, ToldMatch, WatcherKey } from "@zany/client/api";
import { canonicalJson, type Input, sha256Hex, type StepLine } from "@zany/core";
import type { Request, Router } from "express";
import { answerJson } from "../http/answer.js";
import { linkNext } from "../http/pages.js";
import { isLarge } from "../machines.js";
import { Problem } from "../problems.js";
import { newKey } from "../secrets.js";
import * as body from "../validation.js";
import { type Asker, askerOf, needCare, needHost, needOwner, needSeat } from "./askers.js";
import { answer, asked, type MatchDoors } from "./asking.js";
import { watcherLink } from "./beginning.js";
import type { Host } from "./host.js";
import type { TakenInput, Wish } from "./line.js";
import { sendLogbook } from "./logbook.js";
import { seatRoutes } from "./seat-routes.js";
import { seenMatch, seenOption } from "./seen.js";
import { NOT_NAMED, sentBy } from "./sent.js";
import { streamMatch } from "./stream.js";
import { tracedStep } from "./traced.js";

/** How long events and the like are remembered, in milliseconds. */
const REMEMBERED = 86_400_000;

export function matchRoutes(router: Router, doors: MatchDoors): void {
  // What is asked most often stands first.
  playingRoutes(router, doors);
  lookingRoutes(router, doors);
  beginningRoutes(router, doors);
  seatRoutes(router, doors);
  keyRoutes(router, doors);
}

/** Lists, single matches, their streams and logbooks. */
function lookingRoutes(router: Router, doors: MatchDoors): void {
  const { host, callers } = doors;
  router.get("/", async (request, response) => {
    await callers.maker(request);
    const page = await host.records.list(body.valid(body.matchQuery, request.query));
    linkNext(request, response, page.next);
    response.json(page);
  });

  router.get("/:id", async (request, response) => {
    const { seat } = body.valid(body.seatQuery, request.query);
    const { match, asker } = await asked(doors, request, seat);
    const seen = await seenMatch(match, asker, host);
    response
      .set({ "Cache-Control": "no-cache", Vary: "Authorization" })
      .set("ETag", `"${match.id}-${seen.view.step}-${sha256Hex(canonicalJson(seen as never)).slice(0, 16)}"`)
      .json(seen);
  });

  router.get("/:id/stream", async (request, response) => {
    const { seat } = body.valid(body.streamQuery, request.query);
    const { match, asker } = await asked(doors, request, seat);
    await streamMatch(host, match, asker, request, response);
  });

  router.get("/:id/trace", async (request, response) => {
    const { step } = body.valid(body.traceQuery, request.query);
    const { match, asker } = await asked(doors, request);
    response.json(await tracedStep(host, match, asker, step));
  });

  router.get("/:id/logbook", async (request, response) => {
    const { id } = request.params;
    const { seat } = body.valid(body.seatQuery, request.query);
    const caller = await callers.of(request);
    host.need(id);
    await sendLogbook(doors, id, caller, seat, response);
  });
}

/** Beginning, going on with a match that does not, and ending it: what may come with another version of a machine. */
function beginningRoutes(router: Router, doors: MatchDoors): void {
  const { host, callers, elsewhere } = doors;
  router.post("/", async (request, response) => {
    const caller = await callers.inside(request);
    if (caller.kind !== "nobody" && caller.kind !== "person" && caller.kind !== "admin")
      throw new Problem(403, "badKey", "This key is of one match; to begin another, use a person's key or none.");
    const wish = body.valid(body.newMatch, request.body);
    if (elsewhere && isLarge(await host.machines.find(wish.machine))) return elsewhere.forward(request, response, wish);
    const { match, keys, links, hostKey } = await host.begin(wish, caller, sentBy(request, wish).request);
    const first = await host.at(match, 0);
    const begun: BegunMatch = {
      ...(await seenMatch(first, askerOf(match, caller), host)),
      keys,
      links,
      ...(hostKey !== undefined && { hostKey }),
    };
    response.status(201).location(`/api/matches/${match.id}`).json(begun);
  });

  router.post("/:id/resume", async (request, response) => {
    const wish = body.valid(body.resume, request.body ?? {});
    const { id } = request.params;
    const asker = await careOf(doors, request);
    if (elsewhere && wish.machine !== undefined && isLarge(await host.machines.find(wish.machine))) {
      await host.handOver(id);
      return elsewhere.forward(request, response, wish);
    }
    const { machine, anyway = false } = wish;
    const match = await host.resume(id, { machine, anyway, tellsAll: asker.host || asker.admin });
    response.json(await seenMatch(match, askerOf(match, await callers.of(request)), host));
  });

  router.delete("/:id", async (request, response) => {
    const asker = await careOf(doors, request);
    const match = await host.cancel(request.params.id, asker.owner ? "host" : "admin");
    response.json(await seenMatch(match, askerOf(match, await callers.of(request)), host));
  });
}

/** Lets whoever sees to a match do so, although it may not load. @throws Problem 404, 401, 403 */
async function careOf({ host, callers }: MatchDoors, request: Request<{ id: string }>): Promise<Asker> {
  const caller = await callers.of(request);
  const asker = askerOf(await host.stored(request.params.id), caller);
  needCare(asker);
  return asker;
}

/** Actions, events of the game, time. */
function playingRoutes(router: Router, doors: MatchDoors): void {
  const { host } = doors;
  router.post("/:id/actions", async (request, response) => {
    const { action, args, step, seat, ...wanted } = body.valid(body.action, request.body);
    const inputOf = (by: string): Input => ({
      kind: "action",
      seat: by,
      action,
      args,
      ...(step !== undefined && { step }),
    });
    const { match, asker } = await asked(doors, request, seat, ({ acts }) =>
      acts === null ? NOT_NAMED : sentBy(request, wanted, inputOf(acts)),
    );
    const input = inputOf(needSeat(asker));
    const wish: Wish = { input: () => input, ...sentBy(request, wanted, input) };
    answerJson(response, await answer(host, await host.take(match.id, wish), asker));
  });

  router.post("/:id/options", async (request, response) => {
    const { action, args, seat } = body.valid(body.option, request.body);
    const { match, asker } = await asked(doors, request, seat);
    const option = seenOption(match, needSeat(asker), action, args);
    if (!option) throw new Problem(404, "notOpenHere", `"${action}" is not possible here.`);
    response.json(option);
  });

  router.post("/:id/events", async (request, response) => {
    const { event, args, ...wanted } = body.valid(body.event, request.body);
    const { match, asker } = await asked(doors, request);
    needHost(asker);
    const input: Input = { kind: "event", event, args };
    const { request: name, client } = sentBy(request, wanted, input);
    const wish: Wish = { input: () => input, client, request: name && { ...name, lasts: REMEMBERED } };
    const taken = await host.take(match.id, wish);
    const seen = await answer(host, taken, asker);
    response.json({ ...seen, heardBy: heardBy(host, match.id, taken) } satisfies ToldMatch);
  });

  router.post("/:id/wait", async (request, response) => {
    const { by, ...wanted } = body.valid(body.wait, request.body ?? {});
    const { match, asker } = await asked(doors, request);
    needHost(asker);
    const { request: name, client } = sentBy(request, wanted, { by: by ?? null });
    const sent = { client, request: name && { ...name, lasts: REMEMBERED } };
    response.json(await answer(host, await host.wait(match.id, by, sent), asker));
  });
}

/** The states that acted on an event that was taken. */
function heardBy({ records }: Host, id: string, { step, before }: TakenInput): string[] {
  const [stored] = records.page(id, (before?.step ?? step ?? 0) - 1, 1);
  const { signals = [] } = stored ? (JSON.parse(stored.line) as StepLine) : {};
  return (signals[0]?.heard ?? []).map(({ state }) => state);
}

/** Keys for those who only look, and tickets for streams. */
function keyRoutes(router: Router, doors: MatchDoors): void {
  const { host } = doors;
  router.post("/:id/watchers", async (request, response) => {
    const { match, asker } = await asked(doors, request);
    needOwner(asker);
    const key = newKey();
    await host.write(() => host.keys.add(key, { kind: "watcher", match: match.id }));
    const watcher: WatcherKey = { key, link: watcherLink(match.id, key) };
    response.status(201).json(watcher);
  });

  router.delete("/:id/watchers", async (request, response) => {
    const { match, asker } = await asked(doors, request);
    needOwner(asker);
    await host.write(() => host.keys.revokeAll(match.id, "watcher"));
    response.status(204).end();
  });

  router.post("/:id/tickets", async (request, response) => {
    const { caller, match } = await asked(doors, request);
    if (caller.kind === "nobody") throw new Problem(400, "noTicketNeeded", "Without a key, no ticket is needed.");
    const ticket = newKey();
    let expires = 0;
    await host.write(() => {
      expires = host.keys.addTicket(ticket, caller.hash, match.id);
    });
    response.status(201).json({ ticket, expires });
  });
}
