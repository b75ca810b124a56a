/**
 * What is turned away before anybody looks at it: pages of other sites, names that were bound to this computer's
 * address by somebody else, bodies that no page of ours would send.
 *
 * A page on another site can make a browser send requests here, also to loopback, and a name of its own can be made to
 * lead here. Neither can set a body's type without asking first, nor hide its own name.
 */

import { isIP } from "node:net";
import cors from "cors";
import type { Request, RequestHandler } from "express";
import { setPlainHeaders } from "../http/headers.js";
import { askedWrongly } from "../http/addresses.js";
import { Problem } from "../problems.js";
import { type Limits, limiter } from "./limits.js";

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

/** @param limits what one client may ask for */
export function doorkeeper({ names, origins }: Names, limits: Limits): RequestHandler {
  const count = limiter(limits);
  const forPages = cors({ origin: [...origins], allowedHeaders: ALLOWED, exposedHeaders: EXPOSED, maxAge: 600 });
  return (request, response, next) => {
    setPlainHeaders(response);
    // Browsers and Node send both when a page asks whether what it has is still so; the second is meant for caches.
    if (request.headers["if-none-match"] !== undefined) delete request.headers["cache-control"];
    refuseForeignNames(request, names);
    refuseForeignPages(request, origins);
    const known = (error?: unknown): void => {
      const wrong = error ?? otherType(request) ?? askedWrongly(request);
      if (wrong) next(wrong);
      else count(request).then(() => next(), next);
    };
    // Programs say no origin, and need nothing of what pages do.
    if (request.headers.origin === undefined) known();
    else forPages(request, response, known);
  };
}

/** Only addresses, `localhost` and names that were told lead here: others were bound by somebody else. */
function refuseForeignNames(request: Request, names: readonly string[]): void {
  const name = hostnameOf(request.headers.host ?? "");
  if (name !== undefined && (isIP(name) > 0 || name === "localhost" || names.includes(name))) return;
  throw new Problem(
    421,
    "foreignName",
    "This service does not know itself by the name it was asked for. Start it with: --url ADDRESS",
  );
}

/** The name or address of a `Host` header, without its port; undefined for what is none. */
function hostnameOf(host: string): string | undefined {
  const [, six, name] = /^(?:\[([0-9a-fA-F:.]+)\]|([\w.-]+))(?::\d{1,5})?$/.exec(host) ?? [];
  return six ?? name?.toLowerCase();
}

/** What changes something is asked by our own pages, by those of origins that were told, and by programs. */
function refuseForeignPages({ headers, method }: Request, origins: readonly string[]): void {
  const { origin, host } = headers;
  const foreign =
    origin === undefined
      ? headers["sec-fetch-site"] === "cross-site"
      : origin !== `http://${host}` && origin !== `https://${host}` && !origins.includes(origin);
  if (!foreign || ["GET", "HEAD", "OPTIONS"].includes(method)) return;
  throw new Problem(
    403,
    "foreignPage",
    "A page of another origin may not do this. Start the service with: --origin ORIGIN",
  );
}

/** What is wrong with the type of a body, if anything. */
function otherType(request: Request): Problem | undefined {
  const { headers } = request;
  const hasBody = Number(headers["content-length"] ?? 0) > 0 || headers["transfer-encoding"] !== undefined;
  if (!hasBody || headers["content-type"] === "application/json" || request.is(TYPES)) return undefined;
  return new Problem(415, "badContent", "Send bodies as application/json, and logbooks as application/x-ndjson.");
}
