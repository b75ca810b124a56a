/** Lists that a service gives in pages. */

import type { Page } from "./api.js";

/**
 * Everything of a list, page by page: the next one is asked for when all before it was read.
 *
 * @param read gives the page behind one, or the first, such as `(after) => client.lobby(key, undefined, after)`
 */
export async function* everyOne<T>(read: (after: string | undefined) => Promise<Page<T>>): AsyncGenerator<T> {
  for (let after: string | undefined; ; ) {
    const { items, next }: Page<T> = await read(after);
    yield* items;
    if (!next) return;
    after = next;
  }
}
