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
import type { Host } from "./host.js";
import type { Asker } from "./askers.js";
import type { LiveMatch } from "./live.js";
import { seenNow } from "./seen.js";
import { addStream } from "./streams.js";

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
  const sendStep = ({ runnable }: LiveMatch, { client, ...line }: StreamedStep): void => {
    if (line.step <= sent) return;
    const step: StreamedStep = { ...seenLine(runnable, line, asker.seat), ...(client !== undefined && { client }) };
    write(`id: ${line.step}\nevent: step\ndata: ${JSON.stringify(step)}\n\n`);
    sent = line.step;
  };
  const send = (lines: readonly StreamedStep[], of: LiveMatch): void => {
    for (const line of lines) sendStep(of, line);
    write(`event: now\ndata: ${JSON.stringify(seenNow(of, asker, host))}\n\n`);
  };
  const stop = host.follow((announcement) => {
    if (announcement.match.id !== match.id) return;
    if (early) early.push(...announcement.lines);
    else send(announcement.lines, announcement.match);
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
  send(kept, await host.find(match.id));
}
