/** The streams that are open, so that they can be ended. */

import type { Response } from "express";
import type { Caller } from "../access/callers.js";
import { Problem } from "../problems.js";

/** What a stream is of, and the digest of the key it was opened with. */
interface Stream {
  readonly match: string;
  readonly key: string;
}

/** How many streams may be open at once with one key, and with none, as watchers on loopback have. */
export const MOST_OF_A_KEY = 200;
export const MOST_WITHOUT = 10_000;

const streams = new Map<Response, Stream>();
/** How many of them are open with each key. */
const counts = new Map<string, number>();

/** @throws Problem 429 when as many streams are open with a key as may be */
export function needRoom({ kind, hash }: Caller): void {
  const most = kind === "nobody" ? MOST_WITHOUT : MOST_OF_A_KEY;
  const open = counts.get(hash) ?? 0;
  if (open < most) return;
  throw new Problem(
    429,
    "tooManyStreams",
    `${open} streams are open with this key, and ${most} may be. Close one first.`,
    { open, allowed: most },
    { "Retry-After": "5" },
  );
}

/** Keeps a stream until it is closed. @param match empty for a person's stream */
export function addStream(match: string, key: string, response: Response): void {
  streams.set(response, { match, key });
  counts.set(key, (counts.get(key) ?? 0) + 1);
  response.once("close", () => {
    streams.delete(response);
    const left = (counts.get(key) ?? 1) - 1;
    if (left > 0) counts.set(key, left);
    else counts.delete(key);
  });
}

/** Ends the streams that were opened with any of these keys. */
export function endStreamsOf(keys: readonly string[]): void {
  for (const [response, { key }] of streams) if (keys.includes(key)) response.end();
}

/** Ends the streams of a match, or all, so that the service can stop. */
export function endStreams(match?: string): void {
  for (const [response, of] of streams) if (match === undefined || of.match === match) response.end();
}
