/** Answers to what is asked most often, without what Express looks at for every answer. */

import type { Response } from "express";

/** Answers with JSON that nobody asks for again by its ETag. */
export function answerJson(response: Response, value: unknown): void {
  const text = JSON.stringify(value);
  response.setHeader("Content-Type", "application/json; charset=utf-8");
  response.setHeader("Content-Length", Buffer.byteLength(text));
  response.end(text);
}
