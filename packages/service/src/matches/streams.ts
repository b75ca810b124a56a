/** The streams that are open, so that they can be ended. */

import type { Response } from "express";

const streams = new Map<Response, string>();

/** Keeps a stream of a match until it is closed. */
export function addStream(match: string, response: Response): void {
  streams.set(response, match);
  response.once("close", () => streams.delete(response));
}

/** Ends the streams of a match, or all, so that the service can stop. */
export function endStreams(match?: string): void {
  for (const [response, of] of streams) if (match === undefined || of === match) response.end();
}
