/** Matches over HTTP: begin, look, act, follow, download. */

import { canonicalJson, closingLine, seenHeader, seenLine, sha256Hex } from "@zany/core";
import { Router } from "express";
import { streamMatch } from "./events.js";
import { type Acted, GAME, type Host, type SeenMatch, type Who } from "./host.js";
import { bearerKey } from "./keys.js";
import { Problem } from "./problems.js";
import { act, choose, listQuery, moveClock, newMatch, report, setBot, valid } from "./validation.js";

export function matchRoutes(host: Host): Router {
  const router = Router();

  router.get("/", async (request, response) => {
    const { limit, machine } = valid(listQuery, request.query);
    const matches = await host.list(limit, machine);
    response.json({
      matches: matches.map((m) => ({ ...m, outcome: m.outcome === null ? null : JSON.parse(m.outcome) })),
    });
  });

  router.post("/", async (request, response) => {
    const { match, keys, gameKey } = await host.begin(valid(newMatch, request.body));
    response
      .status(201)
      .location(`/api/matches/${match.id}`)
      .json({ ...host.look(match, null), keys, gameKey });
  });

  router.get("/:id", async (request, response) => {
    const match = await host.find(request.params.id);
    const seat = await host.whoHas(match.id, bearerKey(request));
    const shown = host.look(match, seat);
    response
      .set("Cache-Control", "no-cache")
      .set("ETag", `"${match.id}-${shown.view.step}-${sha256Hex(canonicalJson(shown)).slice(0, 16)}"`)
      .json(shown);
  });

  router.post("/:id/actions", async (request, response) => {
    const wish = valid(act, request.body);
    const seat = await seated(host, request.params.id, bearerKey(request));
    response.json(
      answer(host, seat, await host.act(request.params.id, seat, wish.action, wish.args, wish.step, wish.request)),
    );
  });

  router.post("/:id/reports", async (request, response) => {
    const wish = valid(report, request.body);
    await game(host, request.params.id, bearerKey(request));
    response.json(answer(host, GAME, await host.report(request.params.id, wish.report, wish.args, wish.request)));
  });

  router.post("/:id/time", async (request, response) => {
    const { by } = valid(moveClock, request.body ?? {});
    await game(host, request.params.id, bearerKey(request));
    response.json(answer(host, GAME, await host.moveClock(request.params.id, by)));
  });

  router.post("/:id/seats/:seat", async (request, response) => {
    const { key, ...acted } = await host.join(request.params.id, request.params.seat);
    response.status(201).json({ ...answer(host, request.params.seat, acted), key });
  });

  router.delete("/:id/seats/:seat", async (request, response) => {
    const { id, seat } = request.params;
    const who = await own(host, id, seat, bearerKey(request));
    response.json(answer(host, who, await host.leave(id, seat)));
  });

  router.put("/:id/bots/:seat", async (request, response) => {
    const { bot } = valid(setBot, request.body);
    const { id, seat } = request.params;
    const who = await own(host, id, seat, bearerKey(request));
    response.json(host.look(await host.setBot(id, seat, bot), who));
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
    const seat = await host.whoHas(match.id, bearerKey(request));
    await streamMatch(host, match, seat, request, response);
  });

  router.get("/:id/logbook", async (request, response) => {
    const match = await host.find(request.params.id);
    const who = await host.whoHas(match.id, bearerKey(request));
    const seat = who === GAME ? null : who;
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

/** What was taken, as the one who asked sees it. @throws Problem 409 for a refusal */
function answer(host: Host, who: Who, { match, refusal }: Acted): SeenMatch {
  if (refusal)
    throw new Problem(409, refusal.code, refusal.words, {
      ...(refusal.condition && { condition: refusal.condition }),
      ...host.look(match, who),
    });
  return host.look(match, who);
}

/** @throws Problem 401 or 403 unless the game's own key comes with a request */
async function game(host: Host, id: string, key: string | undefined): Promise<void> {
  await host.find(id);
  const who = await host.whoHas(id, key);
  if (who === null) throw new Problem(401, "noKey", "To speak for the game, send its key: Authorization: Bearer KEY.");
  if (who !== GAME) throw new Problem(403, "badKey", "This is a seat's key; for this, the game's own is needed.");
}

/** Who decides about a seat: whoever sits there, or the game. @throws Problem 401 or 403 for others */
async function own(host: Host, id: string, seat: string, key: string | undefined): Promise<string> {
  await host.find(id);
  const who = await host.whoHas(id, key);
  if (who === null) throw new Problem(401, "noKey", "Send the seat's key or the game's: Authorization: Bearer KEY.");
  if (who !== GAME && who !== seat) throw new Problem(403, "badKey", `This key is not of ${seat}.`);
  return who;
}

/** The seat whose key comes with a request. @throws Problem 401 without a key */
async function seated(host: Host, id: string, key: string | undefined): Promise<string> {
  await host.find(id);
  const seat = await host.whoHas(id, key);
  if (seat === null || seat === GAME)
    throw new Problem(401, "noKey", "To act, send your seat's key: Authorization: Bearer KEY.");
  return seat;
}
