/** The streams that are open, so that they can be ended. */

import type { Response } from "express";

/** What a stream is of, and the digest of the key it was opened with. */
interface Stream {
  readonly match: string;
  readonly key: string;
}

const streams = new Map<Response, Stream>();

/** Keeps a stream until it is closed. @param match empty for a person's stream */
export function addStream(match: string, key: string, response: Response): void {
  streams.set(response, { match, key });
  response.once("close", () => streams.delete(response));
}

/** Ends the streams that were opened with any of these keys. */
export function endStreamsOf(keys: readonly string[]): void {
  for (const [response, { key }] of streams) if (keys.includes(key)) response.end();
}

/** Ends the streams of a match, or all, so that the service can stop. */
export function endStreams(match?: string): void {
  for (const [response, of] of streams) if (match === undefined || of.match === match) response.end();
}
