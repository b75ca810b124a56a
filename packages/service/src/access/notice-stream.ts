/**
 * What a person is told of all their matches, as server-sent events: each notice an event of its kind, with its number
 * as its id, so that a client that was away goes on with `Last-Event-ID`. Without that header it begins with `?from=`,
 * or with the next one.
 */

import { once } from "node:events";
import type { Request, Response } from "express";
import { addStream, needRoom } from "../matches/streams.js";
import { Problem } from "../problems.js";
import { noticesQuery, valid } from "../validation.js";
import type { Caller } from "./callers.js";
import type { Notices } from "./notices.js";

/** A comment now and then keeps proxies from closing a quiet stream. */
const HEARTBEAT = 20_000;
/** How long somebody may not read before the stream is ended; it can be taken up again. */
const PATIENCE = 60_000;

export async function streamNotices(
  notices: Notices,
  caller: Extract<Caller, { kind: "person" }>,
  request: Request,
  response: Response,
): Promise<void> {
  const { from } = valid(noticesQuery, request.query);
  needRoom(caller);
  const header = request.get("last-event-id");
  if (header !== undefined && !/^\d{1,15}$/.test(header))
    throw new Problem(400, "badRequest", "Last-Event-ID is the number of the last notice you have.");
  const { id: person } = caller.person;
  let sent = header !== undefined ? Number(header) : from !== undefined ? from - 1 : notices.lastOf(person);
  response
    .status(200)
    .set({ "Content-Type": "text/event-stream", "Cache-Control": "no-cache, no-transform", "X-Accel-Buffering": "no" });
  response.flushHeaders();
  // Where one begins, so that a client that is told of nothing knows where to go on.
  response.write(`id: ${sent}\nevent: here\ndata: {"id":${sent}}\n\n`);
  addStream("", caller.hash, response);
  let sending = false;
  let again = false;
  const send = async (): Promise<void> => {
    again = true;
    if (sending) return;
    sending = true;
    while (again && !response.destroyed) {
      again = false;
      for (let page = notices.after(person, sent); page.length > 0; page = notices.after(person, sent)) {
        for (const notice of page) {
          response.write(`id: ${notice.id}\nevent: ${notice.kind}\ndata: ${JSON.stringify(notice)}\n\n`);
          sent = notice.id;
        }
        if (response.writableNeedDrain) await drained(response);
        if (response.destroyed) break;
      }
    }
    sending = false;
  };
  const stop = notices.listen(() => void send());
  const heartbeat = setInterval(() => response.write(": still here\n\n"), HEARTBEAT).unref();
  response.on("close", () => {
    clearInterval(heartbeat);
    stop();
  });
  await send();
}

/** Waits until a slow reader has read; one that does not is dropped, and comes again. */
async function drained(response: Response): Promise<void> {
  const signal = AbortSignal.timeout(PATIENCE);
  await once(response, "drain", { signal }).catch(() => response.destroy());
}
