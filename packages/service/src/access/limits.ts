/** How much one client may ask for in a while: by its key, and without one by its address. */

import type { Request } from "express";
import { RateLimiterMemory, RateLimiterRes } from "rate-limiter-flexible";
import { Problem } from "../problems.js";
import { bearerKey } from "../secrets.js";

/** What somebody may do in a minute. */
export interface Limits {
  /** Requests of any kind. */
  readonly requests: number;
  /** Storing machines and logbooks, beginning, joining, becoming a guest. */
  readonly makings: number;
}

/** On loopback a client is a program of one's own, or a test. Elsewhere there are others. */
export const OWN: Limits = { requests: 1_000_000, makings: 60_000 };
export const OTHERS: Limits = { requests: 6_000, makings: 120 };

const MINUTE = 60;

/** What is made by a request: it costs disk. */
const MAKINGS =
  /^\/(machines|logbooks|matches|people|lobby\/play|matches\/[^/]+\/(seats\/[^/]+|links|watchers|tickets))\/?$/;

/**
 * Counts requests under `/api`.
 *
 * @returns counts one. @throws Problem 429 when there are too many, with what was allowed and when to come again
 */
export function limiter(limits: Limits): (request: Request) => Promise<void> {
  const requests = new RateLimiterMemory({ points: limits.requests, duration: MINUTE });
  const makings = new RateLimiterMemory({ points: limits.makings, duration: MINUTE });
  return async (request) => {
    const who = clientOf(request);
    await count(requests, who, limits.requests, "requests");
    if (request.method === "POST" && MAKINGS.test(request.path))
      await count(makings, who, limits.makings, "things made (machines, matches, seats and the like)");
  };
}

async function count(limiter: RateLimiterMemory, who: string, allowed: number, what: string): Promise<void> {
  try {
    await limiter.consume(who);
  } catch (refused) {
    if (!(refused instanceof RateLimiterRes)) throw refused;
    const seconds = Math.max(1, Math.ceil(refused.msBeforeNext / 1000));
    throw new Problem(
      429,
      "tooMany",
      `More than ${allowed} ${what} in a minute came from here. Come again in ${seconds} s.`,
      { allowed },
      { "Retry-After": String(seconds) },
    );
  }
}

/** Who is counted: the digest of a key, whether it is known or not, or an address. */
function clientOf(request: Request): string {
  return bearerKey(request)?.hash ?? `from ${request.ip}`;
}
