/** Pages of lists: what is behind one is told in its body, and as RFC 8288 has it, in `Link`. */

import type { Request, Response } from "express";

/** Says where the page behind this one is. @param next what `after` is for it; null for the last one */
export function linkNext(request: Request<object>, response: Response, next: string | null): void {
  if (next === null) return;
  const [path, search = ""] = request.originalUrl.split("?");
  const query = new URLSearchParams(search);
  query.set("after", next);
  response.set("Link", `<${path}?${query}>; rel="next"`);
}
