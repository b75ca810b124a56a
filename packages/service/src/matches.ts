/** Matches over HTTP: begin, look, act, follow, download. */

import { canonicalJson, closingLine, seenHeader, seenLine, sha256Hex } from "@zany/core";
import { Router } from "express";
import { streamMatch } from "./events.js";
import type { Host } from "./host.js";
import { bearerKey } from "./keys.js";
import { Problem } from "./problems.js";
import { act, choose, listQuery, newMatch, valid } from "./validation.js";

export function matchRoutes(host: Host): Router {
  const router = Router();

  router.get("/", async (request, response) => {
    const { limit, machine } = valid(listQuery, request.query);
    const matches = await host.list(limit, machine);
    response.json({ matches: matches.map((m) => ({ ...m, outcome: m.outcome === null ? null : JSON.parse(m.outcome) })) });
  });

  router.post("/", async (request, response) => {
    const { match, keys } = await host.begin(valid(newMatch, request.body));
    response.status(201).location(`/api/matches/${match.id}`).json({ ...host.look(match, null), keys });
  });

  router.get("/:id", async (request, response) => {
    const match = await host.find(request.params.id);
    const seat = await host.seatOf(match.id, bearerKey(request));
    const shown = host.look(match, seat);
    response.set("Cache-Control", "no-cache").set("ETag", `"${match.id}-${shown.view.step}-${sha256Hex(canonicalJson(shown)).slice(0, 16)}"`).json(shown);
  });

  router.post("/:id/actions", async (request, response) => {
    const wish = valid(act, request.body);
    const seat = await seated(host, request.params.id, bearerKey(request));
    const { match, refusal } = await host.act(request.params.id, seat, wish.action, wish.args, wish.step, wish.request);
    if (refusal) throw new Problem(409, refusal.code, refusal.words, { ...(refusal.condition && { condition: refusal.condition }), ...host.look(match, seat) });
    response.json(host.look(match, seat));
  });

  router.post("/:id/options", async (request, response) => {
    const { action, args } = valid(choose, request.body);
    const seat = await seated(host, request.params.id, bearerKey(request));
    const option = host.choose(await host.find(request.params.id), seat, action, args);
    if (!option) throw new Problem(404, "notOpenHere", `"${action}" is not possible here.`);
    response.json(option);
  });

  router.get("/:id/events", async (request, response) => {
    const match = await host.find(request.params.id);
    const seat = await host.seatOf(match.id, bearerKey(request));
    await streamMatch(host, match, seat, request, response);
  });

  router.get("/:id/logbook", async (request, response) => {
    const match = await host.find(request.params.id);
    const seat = await host.seatOf(match.id, bearerKey(request));
    const lines = await host.lines(match.id);
    response.type("application/x-ndjson").attachment(`${match.header.machine}-${match.id}.jsonl`);
    if (!match.shown.outcome) {
      const seen = [seenHeader(match.header), ...lines.map((line) => seenLine(match.runnable, line, seat))];
      response.send(seen.map((line) => `${JSON.stringify(line)}\n`).join(""));
      return;
    }
    const text = [match.header, ...lines].map((line) => `${JSON.stringify(line)}\n`).join("");
    response.send(`${text}${JSON.stringify(closingLine(match.runnable, match.shown, sha256Hex(text)))}\n`);
  });

  return router;
}

/** The seat whose key comes with a request. @throws Problem 401 without a key */
async function seated(host: Host, id: string, key: string | undefined): Promise<string> {
  await host.find(id);
  const seat = await host.seatOf(id, key);
  if (seat === null) throw new Problem(401, "noKey", "To act, send your seat's key: Authorization: Bearer KEY.");
  return seat;
}
