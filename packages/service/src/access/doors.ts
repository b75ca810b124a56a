/**
 * What is turned away before anybody looks at it: pages of other sites, names that were bound to this computer's
 * address by somebody else, bodies that no page of ours would send.
 *
 * A page on another site can make a browser send requests here, also to loopback, and a name of its own can be made to
 * lead here. Neither can set a body's type without asking first, nor hide its own name.
 */

import { isIP } from "node:net";
import cors from "cors";
import { type RequestHandler, Router } from "express";
import { Problem } from "../problems.js";

export interface Names {
  /** Names this service is reached by beside addresses and `localhost`: of a proxy in front of it. */
  readonly names: readonly string[];
  /** Other origins whose pages may ask: a game's own page, such as `https://fair.example`. */
  readonly origins: readonly string[];
}

/** Headers of requests that pages of other origins may set, and of answers that they may read. */
const ALLOWED = ["Authorization", "Content-Type", "Idempotency-Key", "If-None-Match", "Last-Event-ID", "Zany-Client"];
const EXPOSED = ["ETag", "Link", "Location", "Retry-After"];

/** The types of bodies that are read here; a page of another site cannot send one without asking first. */
const TYPES = ["application/json", "application/x-ndjson", "application/jsonl"];

export function doorkeeper({ names, origins }: Names): Router {
  const router = Router();
  router.use(refuseForeignNames(names), refuseForeignPages(origins));
  router.use(forPages(cors({ origin: [...origins], allowedHeaders: ALLOWED, exposedHeaders: EXPOSED, maxAge: 600 })));
  router.use(refuseOtherTypes);
  return router;
}

/** Only addresses, `localhost` and names that were told lead here: others were bound by somebody else. */
function refuseForeignNames(names: readonly string[]): RequestHandler {
  return (request, _response, next) => {
    const name = hostnameOf(request.get("host") ?? "");
    if (name !== undefined && (isIP(name) > 0 || name === "localhost" || names.includes(name))) return next();
    next(
      new Problem(
        421,
        "foreignName",
        "This service does not know itself by the name it was asked for. Start it with: --url ADDRESS",
      ),
    );
  };
}

/** What only browsers need: programs say no origin. */
function forPages(handler: RequestHandler): RequestHandler {
  return (request, response, next) => {
    if (request.headers.origin === undefined) next();
    else handler(request, response, next);
  };
}

/** The name or address of a `Host` header, without its port; undefined for what is none. */
function hostnameOf(host: string): string | undefined {
  const [, six, name] = /^(?:\[([0-9a-fA-F:.]+)\]|([\w.-]+))(?::\d{1,5})?$/.exec(host) ?? [];
  return six ?? name?.toLowerCase();
}

/** What changes something is asked by our own pages, by those of origins that were told, and by programs. */
function refuseForeignPages(origins: readonly string[]): RequestHandler {
  return (request, _response, next) => {
    const origin = request.get("origin");
    const own = [`http://${request.get("host")}`, `https://${request.get("host")}`];
    const foreign =
      origin === undefined
        ? request.get("sec-fetch-site") === "cross-site"
        : !own.includes(origin) && !origins.includes(origin);
    if (!foreign || ["GET", "HEAD", "OPTIONS"].includes(request.method)) return next();
    next(
      new Problem(
        403,
        "foreignPage",
        "A page of another origin may not do this. Start the service with: --origin ORIGIN",
      ),
    );
  };
}

const refuseOtherTypes: RequestHandler = (request, _response, next) => {
  const hasBody = Number(request.get("content-length") ?? 0) > 0 || request.get("transfer-encoding") !== undefined;
  if (!hasBody || request.is(TYPES)) return next();
  next(new Problem(415, "badContent", "Send bodies as application/json, and logbooks as application/x-ndjson."));
};
