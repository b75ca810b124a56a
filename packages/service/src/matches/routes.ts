/** Matches over HTTP: begin, look, act, follow, download. */

import type { BegunMatch, JoinedMatch, SeenMatch } from "@zany/client/api";
import { canonicalJson, closingLine, seenHeader, seenLine, sha256Hex } from "@zany/core";
import { type Request, Router } from "express";
import { Problem } from "../problems.js";
import { bearerKey } from "../secrets.js";
import * as body from "../validation.js";
import { type Asker, HOST, needHolder, needHost, needSeat, seatOf, WATCHER } from "./keys.js";
import type { Host } from "./host.js";
import type { LiveMatch, TakenInput } from "./live.js";
import { seenMatch, seenOption } from "./seen.js";
import { streamMatch } from "./stream.js";

export function matchRoutes(host: Host): Router {
  const router = Router();
  lookingRoutes(router, host);
  playingRoutes(router, host);
  seatRoutes(router, host);
  return router;
}

/** The match a request is about, and who asks. @throws Problem 404, 401 or 403 */
async function asked(host: Host, request: Request<{ id: string }>): Promise<{ match: LiveMatch; asker: Asker }> {
  const match = await host.find(request.params.id);
  return { match, asker: host.keys.asker(match.id, bearerKey(request)) };
}

/** What was taken, as the one who asked sees it. @throws Problem 409 for a refusal */
function answer({ match, refusal }: TakenInput, asker: Asker): SeenMatch {
  const seen = seenMatch(match, asker);
  if (!refusal) return seen;
  const { code, words, condition } = refusal;
  throw new Problem(409, code, words, { ...(condition && { condition }), ...seen });
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
    const { match, asker } = await asked(host, request);
    const lines = await host.records.lines(match.id);
    response.type("application/x-ndjson").attachment(`${match.machine.name}-${match.id}.jsonl`);
    if (!match.shown.outcome) {
      const seen = lines.map((line) => seenLine(match.runnable, line, seatOf(asker)));
      response.send([seenHeader(match.header), ...seen].map((line) => `${JSON.stringify(line)}\n`).join(""));
      return;
    }
    const text = [match.header, ...lines].map((line) => `${JSON.stringify(line)}\n`).join("");
    response.send(`${text}${JSON.stringify(closingLine(match.runnable, match.shown, sha256Hex(text)))}\n`);
  });
}

/** Beginning, actions, events of the game, time. */
function playingRoutes(router: Router, host: Host): void {
  router.post("/", async (request, response) => {
    const { match, keys, hostKey } = await host.begin(body.valid(body.newMatch, request.body));
    const begun: BegunMatch = { ...seenMatch(match, WATCHER), keys, hostKey };
    response.status(201).location(`/api/matches/${match.id}`).json(begun);
  });

  router.post("/:id/actions", async (request, response) => {
    const { action, args, step, request: name } = body.valid(body.action, request.body);
    const { match, asker } = await asked(host, request);
    const seat = needSeat(asker);
    response.json(
      answer(await host.take(match.id, { kind: "action", seat, action, args, step }, { request: name }), asker),
    );
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
    response.json(answer(await host.take(match.id, { kind: "event", event, args }, { request: name }), HOST));
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
    const { key, ...taken } = await host.join(id, seat);
    const joined: JoinedMatch = { ...answer(taken, { kind: "seat", seat }), key };
    response.status(201).json(joined);
  });

  router.delete("/:id/seats/:seat", async (request, response) => {
    const { match, asker } = await asked(host, request);
    const { seat } = request.params;
    needHolder(asker, seat);
    response.json(answer(await host.take(match.id, { kind: "leave", seat }), asker));
  });

  router.put("/:id/bots/:seat", async (request, response) => {
    const { policy } = body.valid(body.bot, request.body);
    const { match, asker } = await asked(host, request);
    const { seat } = request.params;
    needHolder(asker, seat);
    response.json(seenMatch(await host.setBot(match.id, seat, policy), asker));
  });
}
