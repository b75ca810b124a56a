/** How a request is known: the name its sender gave it, and what the sending client calls itself. */

import type { Request } from "express";
import { Problem } from "../problems.js";
import { bearerKey, NO_KEY, type SentKey } from "../secrets.js";
import type { RequestName } from "./line.js";
import type { Sent } from "./seating.js";

/** The header by which a client says what it calls itself, so that it knows its own changes again. */
const CLIENT = "zany-client";

/** What a request without a name is known by. */
export const NOT_NAMED: Sent = { request: undefined, client: undefined };

/**
 * What a request is known by: `request` of its body, or the header `Idempotency-Key`, which means the same.
 *
 * @param content all that is asked for, when it is not the body
 * @param key what the name belongs to, when it is not the key that comes with the request
 * @throws Problem 400 for two names that differ, or one that is too long
 */
export function sentBy(
  request: Request<object>,
  wish: { readonly request?: string | undefined },
  content: unknown = wish,
  key: SentKey = bearerKey(request) ?? NO_KEY,
): Sent {
  const header = request.get("idempotency-key");
  if (header !== undefined && !/^[\x21-\x7e]{1,100}$/.test(header))
    throw new Problem(400, "badRequest", "Idempotency-Key is 1 to 100 characters without spaces.");
  if (header !== undefined && wish.request !== undefined && header !== wish.request)
    throw new Problem(400, "badRequest", "Idempotency-Key and `request` name this request differently.");
  const name = header ?? wish.request;
  const named: RequestName | undefined =
    name === undefined
      ? undefined
      : { name, key, content: { to: `${request.method} ${request.baseUrl}${request.path}`, content } };
  return { request: named, client: clientOf(request) };
}

/** @throws Problem 400 for a name that is none */
function clientOf(request: Request<object>): string | undefined {
  const client = request.get(CLIENT);
  if (client !== undefined && !/^[\w.-]{1,60}$/.test(client))
    throw new Problem(400, "badRequest", "Zany-Client is 1 to 60 letters, digits, dots, hyphens and underscores.");
  return client;
}
