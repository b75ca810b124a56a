/** Lists of a service, printed whole: page by page as they come, or as one JSON value. */

import { everyOne, type Page } from "@zany/client";
import { say, sayJson } from "./terminal.js";

interface ListWords<T> {
  /** What is said of an empty list. */
  readonly none: string;
  /** One entry, in a line. */
  line(entry: T): string;
}

/** Gives the page behind one, or the first. */
type Read<T> = (after: string | undefined) => Promise<Page<T>>;

export async function whole<T>(read: Read<T>): Promise<T[]> {
  const all: T[] = [];
  for await (const one of everyOne(read)) all.push(one);
  return all;
}

export async function sayList<T>(
  read: Read<T>,
  options: { readonly json?: boolean },
  { none, line }: ListWords<T>,
): Promise<number> {
  if (options.json) {
    sayJson(await whole(read));
    return 0;
  }
  let some = false;
  for await (const entry of everyOne(read)) {
    some = true;
    say(line(entry));
  }
  if (!some) say(none);
  return 0;
}
