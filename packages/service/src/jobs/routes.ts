/** Jobs over HTTP: taken on, listed, followed as server-sent events, cancelled; what they came to. */

import { type Request, type Response, Router } from "express";
import type { Callers } from "../access/callers.js";
import { linkNext } from "../http/pages.js";
import { addStream, needRoom } from "../matches/streams.js";
import { jobsQuery, newJob, valid } from "../validation.js";
import type { Jobs } from "./jobs.js";

/** A comment now and then keeps proxies from closing a quiet stream; how often a job is told of at most. */
const HEARTBEAT = 20_000;
const TELL_EVERY = 250;

export function jobRoutes(jobs: Jobs, callers: Callers): Router {
  const router = Router();
  router.use(async (request, _response, next) => {
    await callers.maker(request);
    next();
  });
  router.get("/", async (request, response) => {
    const { limit, after, kind, machine } = valid(jobsQuery, request.query);
    const page = await jobs.list(limit, after, { kind, machine });
    linkNext(request, response, page.next);
    response.json(page);
  });
  router.post("/", async (request, response) => {
    const info = await jobs.add(valid(newJob, request.body ?? {}));
    response.status(201).location(`/api/jobs/${info.id}`).json(info);
  });
  router.get("/:id", async (request, response) => {
    response.json(await jobs.info(request.params.id));
  });
  router.get("/:id/result", async (request, response) => {
    response.json(await jobs.result(request.params.id));
  });
  router.get("/:id/stream", (request, response) => streamJob(jobs, callers, request, response));
  router.delete("/:id", async (request, response) => {
    response.json(await jobs.cancel(request.params.id));
  });
  return router;
}

/** Tells how a job is whenever that has changed, as an event `job`, until it has ended. */
async function streamJob(
  jobs: Jobs,
  callers: Callers,
  request: Request<{ id: string }>,
  response: Response,
): Promise<void> {
  const { id } = request.params;
  const caller = await callers.of(request);
  await jobs.info(id);
  needRoom(caller);
  response
    .status(200)
    .set({ "Content-Type": "text/event-stream", "Cache-Control": "no-cache, no-transform", "X-Accel-Buffering": "no" });
  response.flushHeaders();
  addStream("", caller.hash, response);
  let timer: NodeJS.Timeout | undefined;
  let number = 0;
  const tell = async (): Promise<void> => {
    timer = undefined;
    const info = await jobs.info(id);
    // A slow reader is told again when it has read.
    if (!response.writableNeedDrain || info.ended !== null)
      response.write(`id: ${++number}\nevent: job\ndata: ${JSON.stringify(info)}\n\n`);
    if (info.ended !== null) response.end();
  };
  const soon = (wait: number): void => {
    timer ??= setTimeout(() => void tell().catch(() => response.destroy()), wait);
  };
  const stop = jobs.follow(id, () => soon(TELL_EVERY));
  const heartbeat = setInterval(() => response.write(": still here\n\n"), HEARTBEAT).unref();
  response.on("close", () => {
    clearTimeout(timer);
    clearInterval(heartbeat);
    stop();
  });
  soon(0);
}
