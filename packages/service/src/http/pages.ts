/** Pages of lists: what is behind one is told in its body, and as RFC 8288 has it, in `Link`. */

import type { Page } from "@zany/client/api";
import type { Request, Response } from "express";

/**
 * A page of a list.
 *
 * @param rows one more than are shown, when there are so many
 * @param limit how many are shown
 * @param behind what `after` is for the page behind one that ends with a row
 */
export function pageOf<Row>(rows: readonly Row[], limit: number, behind: (last: Row) => string): Page<Row> {
  const items = rows.slice(0, limit);
  const last = items.at(-1);
  return { items, next: rows.length > limit && last !== undefined ? behind(last) : null };
}

/** Says where the page behind this one is. @param next what `after` is for it; null for the last one */
export function linkNext(request: Request<object>, response: Response, next: string | null): void {
  if (next === null) return;
  const [path, search = ""] = request.originalUrl.split("?");
  const query = new URLSearchParams(search);
  query.set("after", next);
  response.set("Link", `<${path}?${query}>; rel="next"`);
}
