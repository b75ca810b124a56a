/**
 * A match as server-sent events. Each step is an event `step` whose id is its number, so that a client
 * that was away goes on with `Last-Event-ID`; after the steps comes `now`, the view and what is open.
 * Without that header it begins with `?from=STEP`, or with the next step to be taken.
 */

import { once } from "node:events";
import type { StreamedStep } from "@zany/client/api";
import { seenLine } from "@zany/core";
import type { Request, Response } from "express";
import { Problem } from "../problems.js";
import { streamQuery, valid } from "../validation.js";
import type { Announcement, Host } from "./host.js";
import type { Asker } from "./askers.js";
import type { LiveMatch } from "./live.js";
import { seenNow } from "./seen.js";
import { addStream, needRoom } from "./streams.js";

/** A comment now and then keeps proxies from closing a quiet stream. */
const HEARTBEAT = 20_000;

/**
 * How much may wait for somebody who does not read, in bytes; then the stream is dropped, and can be taken up again.
 */
const MOST_UNREAD = 2_000_000;

export async function streamMatch(
  host: Host,
  match: LiveMatch,
  asker: Asker,
  request: Request,
  response: Response,
): Promise<void> {
  const { from } = valid(streamQuery, request.query);
  needRoom(asker.caller);
  const header = request.get("last-event-id");
  if (header !== undefined && !/^\d{1,15}$/.test(header))
    throw new Problem(400, "badRequest", "Last-Event-ID is the number of the last step you have.");
  // From here on nothing may be missed: follow first, keep what comes, then send what was before.
  let sent = header !== undefined ? Number(header) : from !== undefined ? from - 1 : match.situation.step;
  let early: StreamedStep[] | undefined = [];
  const write = (text: string): void => {
    response.write(text);
    if (response.writableLength > MOST_UNREAD) response.destroy();
  };
  const sendStep = (of: LiveMatch, line: StreamedStep): void => {
    if (line.step <= sent) return;
    write(stepText(of, line, asker));
    sent = line.step;
  };
  const send = (announcement: Announcement): void => {
    for (const line of announcement.lines) sendStep(announcement.match, line);
    write(nowText(announcement, asker, host));
  };
  const stop = host.follow(match.id, (announcement) => {
    if (early) early.push(...announcement.lines);
    else send(announcement);
  });
  response
    .status(200)
    .set({ "Content-Type": "text/event-stream", "Cache-Control": "no-cache, no-transform", "X-Accel-Buffering": "no" });
  response.flushHeaders();
  addStream(match.id, asker.caller.hash, response);
  const heartbeat = setInterval(() => write(": still here\n\n"), HEARTBEAT);
  heartbeat.unref();
  response.on("close", () => {
    clearInterval(heartbeat);
    stop();
  });
  for await (const lines of host.records.lines(match.id, sent)) {
    for (const { line, client } of lines)
      sendStep(match, { ...(JSON.parse(line) as StreamedStep), ...(client !== null && { client }) });
    // What was before comes as fast as it is read.
    if (response.writableNeedDrain) await once(response, "drain").catch(() => {});
    if (response.destroyed) return;
  }
  const kept = early;
  early = undefined;
  send({ lines: kept, match: await host.find(match.id) });
}

/** What was written lately, by who sees it: a thousand who watch one match cost little more than one. */
const stepTexts = new WeakMap<StreamedStep, Map<string | null, string>>();
const nowTexts = new WeakMap<Announcement, Map<string, string>>();

/** A step as an event, as a seat sees it. */
function stepText({ runnable }: LiveMatch, told: StreamedStep, { seat }: Asker): string {
  const texts = stepTexts.get(told) ?? new Map<string | null, string>();
  const known = texts.get(seat);
  if (known !== undefined) return known;
  const { client, ...line } = told;
  const step: StreamedStep = { ...seenLine(runnable, line, seat), ...(client !== undefined && { client }) };
  const text = `id: ${line.step}\nevent: step\ndata: ${JSON.stringify(step)}\n\n`;
  stepTexts.set(told, texts.set(seat, text));
  return text;
}

/** The match now as an event, as somebody sees it. */
function nowText(announcement: Announcement, asker: Asker, host: Host): string {
  const { seat, seats, owner, host: speaks } = asker;
  const who = JSON.stringify([seat, seats, owner, speaks]);
  const texts = nowTexts.get(announcement) ?? new Map<string, string>();
  const known = texts.get(who);
  if (known !== undefined) return known;
  const text = `event: now\ndata: ${JSON.stringify(seenNow(announcement.match, asker, host))}\n\n`;
  nowTexts.set(announcement, texts.set(who, text));
  return text;
}
