/** Matches over HTTP: begin, look, act, follow, download. */

import type { BegunMatch, JoinedMatch, SeenMatch } from "@zany/client/api";
import { canonicalJson, type Input, sha256Hex } from "@zany/core";
import { type Request, type Response, Router } from "express";
import { isLarge } from "../machines.js";
import { Problem } from "../problems.js";
import { bearerKey } from "../secrets.js";
import * as body from "../validation.js";
import { type Asker, HOST, needHolder, needHost, needSeat, WATCHER } from "./keys.js";
import type { Host } from "./host.js";
import type { RequestName, TakenInput, Wish } from "./line.js";
import type { LiveMatch } from "./live.js";
import { sendLogbook } from "./logbook.js";
import { seenMatch, seenOption } from "./seen.js";
import { streamMatch } from "./stream.js";

/** Where the matches of large machines are played. */
export interface Elsewhere {
  /** Passes a request on and its answer back. */
  forward(request: Request<object>, response: Response, body: unknown): Promise<void>;
}

/** @param elsewhere undefined for the host that plays them itself */
export function matchRoutes(host: Host, elsewhere?: Elsewhere): Router {
  const router = Router();
  lookingRoutes(router, host);
  beginningRoutes(router, host, elsewhere);
  playingRoutes(router, host);
  seatRoutes(router, host);
  return router;
}

/** Who asks. @throws Problem 404, 401, 403, or 429 after many wrong keys */
async function askerOf(host: Host, request: Request<{ id: string }>): Promise<Asker> {
  const { id } = request.params;
  const key = bearerKey(request);
  const address = request.ip ?? "";
  host.need(id);
  if (key !== undefined) host.wrongKeys.refuse(address);
  try {
    return host.keys.asker(id, key);
  } catch (error) {
    if (error instanceof Problem && error.code === "badKey") await host.wrongKeys.slow(address);
    throw error;
  }
}

/** The match a request is about, and who asks. @throws Problem as above, or 409 when the match does not load */
async function asked(host: Host, request: Request<{ id: string }>): Promise<{ match: LiveMatch; asker: Asker }> {
  const asker = await askerOf(host, request);
  return { match: await host.find(request.params.id), asker };
}

/** What was taken, as the one who asked sees it. @throws Problem 409 for a refusal */
function answer({ match, refusal }: TakenInput, asker: Asker): SeenMatch {
  const seen = seenMatch(match, asker);
  if (!refusal) return seen;
  const { code, words, condition } = refusal;
  throw new Problem(409, code, words, { ...(condition && { condition }), ...seen });
}

/** A named request: the name belongs to the key it comes with, and to all that is asked for. */
function named(request: Request<{ id: string }>, name: string | undefined, content: unknown): RequestName | undefined {
  const key = bearerKey(request);
  return name === undefined || key === undefined ? undefined : { name, key, content };
}

/** Lists, single matches, their streams and logbooks. */
function lookingRoutes(router: Router, host: Host): void {
  router.get("/", async (request, response) => {
    const { limit, machine } = body.valid(body.matchQuery, request.query);
    response.json({ matches: await host.records.list(limit, machine) });
  });

  router.get("/:id", async (request, response) => {
    const { match, asker } = await asked(host, request);
    const seen = seenMatch(match, asker);
    response
      .set("Cache-Control", "no-cache")
      .set("ETag", `"${match.id}-${seen.view.step}-${sha256Hex(canonicalJson(seen)).slice(0, 16)}"`)
      .json(seen);
  });

  router.get("/:id/stream", async (request, response) => {
    const { match, asker } = await asked(host, request);
    await streamMatch(host, match, asker, request, response);
  });

  router.get("/:id/logbook", async (request, response) => {
    const { id } = request.params;
    await sendLogbook(host, id, await askerOf(host, request), response);
  });
}

/** Beginning, going on with a match that does not, and ending it: what may come with another version of a machine. */
function beginningRoutes(router: Router, host: Host, elsewhere: Elsewhere | undefined): void {
  router.post("/", async (request, response) => {
    const wish = body.valid(body.newMatch, request.body);
    if (elsewhere && isLarge(await host.machines.find(wish.machine))) return elsewhere.forward(request, response, wish);
    const { match, keys, hostKey } = await host.begin(wish);
    const begun: BegunMatch = { ...seenMatch(match, WATCHER), keys, hostKey };
    response.status(201).location(`/api/matches/${match.id}`).json(begun);
  });

  router.post("/:id/resume", async (request, response) => {
    const wish = body.valid(body.resume, request.body ?? {});
    const { id } = request.params;
    needHost(await askerOf(host, request));
    if (elsewhere && wish.machine !== undefined && isLarge(await host.machines.find(wish.machine))) {
      await host.handOver(id);
      return elsewhere.forward(request, response, wish);
    }
    response.json(seenMatch(await host.resume(id, wish.machine), HOST));
  });

  router.delete("/:id", async (request, response) => {
    needHost(await askerOf(host, request));
    response.json(seenMatch(await host.cancel(request.params.id), HOST));
  });
}

/** Actions, events of the game, time. */
function playingRoutes(router: Router, host: Host): void {
  router.post("/:id/actions", async (request, response) => {
    const { action, args, step, request: name } = body.valid(body.action, request.body);
    const { match, asker } = await asked(host, request);
    const input: Input = { kind: "action", seat: needSeat(asker), action, args, step };
    const wish: Wish = { input: () => input, request: named(request, name, input) };
    response.json(answer(await host.take(match.id, wish), asker));
  });

  router.post("/:id/options", async (request, response) => {
    const { action, args } = body.valid(body.option, request.body);
    const { match, asker } = await asked(host, request);
    const option = seenOption(match, needSeat(asker), action, args);
    if (!option) throw new Problem(404, "notOpenHere", `"${action}" is not possible here.`);
    response.json(option);
  });

  router.post("/:id/events", async (request, response) => {
    const { event, args, request: name } = body.valid(body.event, request.body);
    const { match, asker } = await asked(host, request);
    needHost(asker);
    const input: Input = { kind: "event", event, args };
    const wish: Wish = { input: () => input, request: named(request, name, input) };
    response.json(answer(await host.take(match.id, wish), HOST));
  });

  router.post("/:id/wait", async (request, response) => {
    const { by } = body.valid(body.wait, request.body ?? {});
    const { match, asker } = await asked(host, request);
    needHost(asker);
    response.json(answer(await host.wait(match.id, by), HOST));
  });
}

/** Who plays: taking a seat, leaving it, letting a bot play it. */
function seatRoutes(router: Router, host: Host): void {
  router.post("/:id/seats/:seat", async (request, response) => {
    const { id, seat } = request.params;
    const asker = await askerOf(host, request);
    const { key, ...taken } = await host.join(id, seat);
    // Only who got the seat sees what it sees.
    const joined: JoinedMatch = { ...answer(taken, taken.refusal ? asker : { kind: "seat", seat }), key };
    response.status(201).json(joined);
  });

  router.delete("/:id/seats/:seat", async (request, response) => {
    const { match, asker } = await asked(host, request);
    const { seat } = request.params;
    needHolder(asker, seat);
    response.json(answer(await host.take(match.id, { input: () => ({ kind: "leave", seat }) }), asker));
  });

  router.put("/:id/bots/:seat", async (request, response) => {
    const { policy } = body.valid(body.bot, request.body);
    const { match, asker } = await asked(host, request);
    const { seat } = request.params;
    needHolder(asker, seat);
    response.json(seenMatch(await host.setBot(match.id, seat, policy), asker));
  });
}
