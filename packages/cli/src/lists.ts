/** Lists of a service, printed whole: page by page as they come, or as one JSON value. */

import { everyOne, type Page } from "@zany/client";
import { say, sayJson } from "./terminal.js";

interface ListWords<T> {
  /** What is said of an empty list. */
  readonly none: string;
  /** One entry, in a line. */
  line(entry: T): string;
}

/** @param read gives the page behind one, or the first */
export async function sayList<T>(
  read: (after: string | undefined) => Promise<Page<T>>,
  options: { readonly json?: boolean },
  { none, line }: ListWords<T>,
): Promise<number> {
  const all: T[] = [];
  let some = false;
  for await (const entry of everyOne(read)) {
    some = true;
    if (options.json) all.push(entry);
    else say(line(entry));
  }
  if (options.json) sayJson(all);
  else if (!some) say(none);
  return 0;
}
