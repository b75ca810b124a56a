/** Problems as RFC 9457 describes them: what every refused request gets. */

import { isUtf8 } from "node:buffer";
import type { NextFunction, Request, Response } from "express";
import type { Logger } from "pino";
import { storageFailure } from "./storage/driver.js";

/** A request that cannot be done, with everything its sender needs to know. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    /** A stable name, such as `stale`. */
    readonly code: string,
    detail: string,
    /** More members of the problem's document. */
    readonly more: Readonly<Record<string, unknown>> = {},
    /** Headers of the answer. */
    readonly headers: Readonly<Record<string, string>> = {},
  ) {
    super(detail);
  }
}

const TITLES: Readonly<Record<number, string>> = {
  400: "The request is not well formed",
  401: "A key is needed",
  403: "This is not allowed",
  404: "There is nothing here",
  405: "This is asked otherwise",
  409: "It cannot be done now",
  413: "This is too large",
  415: "This kind of content is not read here",
  412: "It has changed since",
  421: "This is not the place asked for",
  422: "It was understood, but is not right",
  429: "This is too much at once",
  500: "Something went wrong here",
  503: "It cannot be done at the moment",
};

/** Whatever no other handler has answered. */
export function noSuchAddress(request: Request): never {
  throw new Problem(404, "noSuchAddress", `There is nothing at ${request.method} ${request.originalUrl}.`);
}

/** Answers with the problem a handler threw. Anything unforeseen is logged and told without its inside. */
export function problemHandler(log: Logger) {
  // Express knows by the number of parameters that this one handles errors.
  return (error: unknown, request: Request, response: Response, _next: NextFunction): void => {
    if (response.headersSent) {
      // What was begun cannot be answered otherwise any more: its reader is told by the end of the connection.
      log.error({ err: error, url: request.url }, "a request failed while it was answered");
      response.destroy();
      return;
    }
    const problem = asProblem(error);
    if (problem.status === 500) log.error({ err: error, url: request.url }, "a request failed");
    response
      .status(problem.status)
      .set(problem.headers)
      .type("application/problem+json")
      .send(
        JSON.stringify({
          type: `/problems/${problem.code}`,
          title: TITLES[problem.status] ?? "Problem",
          status: problem.status,
          detail: problem.message,
          code: problem.code,
          ...problem.more,
        }),
      );
  };
}

/** For bodies: bytes that are no UTF-8 would be taken for others without a word. */
export function refuseOtherThanUtf8(_request: unknown, _response: unknown, body: Buffer): void {
  if (!isUtf8(body)) throw Object.assign(new Error("no UTF-8"), { type: NOT_UTF8 });
}

const NOT_UTF8 = "entity.not.utf8";

export function notUtf8(): Problem {
  return new Problem(400, "notUtf8", "The body is no UTF-8 text.");
}

/** @param why what the reader of JSON stumbled on */
export function notJson(why = ""): Problem {
  return new Problem(400, "badJson", `The body is no JSON object${why === "" ? "." : `: ${why}.`}`);
}

/** What Express says of a body that it does not read. */
interface BodyError {
  readonly type: string;
  readonly status: number;
  /** The most bytes it may have, and how many it has, where the request says so. */
  readonly limit: number;
  readonly length: number;
}

/** @param length how many bytes there are, where that is known */
export function tooLarge(limit: number, length: number | undefined, headers: Record<string, string> = {}): Problem {
  const has = length === undefined ? `more than ${limit}` : String(length);
  const more = { allowed: limit, ...(length !== undefined && { bytes: length }) };
  return new Problem(413, "tooLarge", `The body has ${has} bytes, and this address takes ${limit}.`, more, headers);
}

function asProblem(error: unknown): Problem {
  if (error instanceof Problem) return error;
  const failing = storageFailure(error);
  if (failing !== undefined)
    return new Problem(
      503,
      "storageFails",
      `Nothing can be read at the moment: ${failing}. Send it again in a while.`,
      {},
      { "Retry-After": "5" },
    );
  const { type, status, message, limit, length } = error as Partial<Error & BodyError>;
  if (type === "entity.parse.failed") return notJson(message);
  if (type === NOT_UTF8) return notUtf8();
  if (type === "entity.too.large") return tooLarge(limit ?? 0, length);
  if (type === "charset.unsupported" || type === "encoding.unsupported")
    return new Problem(415, "badContent", "Send UTF-8.");
  if (typeof status === "number" && status >= 400 && status < 500)
    return new Problem(status, "badRequest", "The request is not well formed.");
  return new Problem(500, "internal", "The service could not do this. Nothing was changed; its log says more.");
}
