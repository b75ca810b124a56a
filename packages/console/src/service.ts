/** The service these pages come from, and the keys of seats that this browser holds. */

import { type NewMatch, ZanyClient } from "@zany/client";
import { ownKey } from "./identity.js";

/** Requests for which no other key is named come with one's own. */
export const client = new ZanyClient("", ownKey);

/** Under this name the host's key stands among the seats', and a watcher's link's. */
const HOST = "(host)";
const WATCHER = "(watcher)";

const keep = (match: string): string => `zany.keys.${match}`;

/**
 * Begins a match and keeps its keys here; gives its id. The seats that nobody is named for are those of whoever sits
 * here, by their own key where they have one.
 */
export async function begin(wish: NewMatch): Promise<string> {
  const { id, keys, hostKey } = await client.beginMatch({ ...wish, hostKey: true });
  keepKeys(id, ownKey() === undefined ? keys : {}, hostKey);
  if (ownKey() !== undefined) for (const key of Object.values(keys)) await client.claim(id, key);
  return id;
}

/** Keeps keys of a match beside those kept before: of seats, and of the host. */
export function keepKeys(match: string, keys: Readonly<Record<string, string>>, host?: string): void {
  localStorage.setItem(
    keep(match),
    JSON.stringify({ ...kept(match), ...keys, ...(host !== undefined && { [HOST]: host }) }),
  );
}

/** Keeps the key of a watcher's link. */
export function keepWatcher(match: string, key: string): void {
  keepKeys(match, { [WATCHER]: key });
}

/** The keys of seats that this browser holds for a match. */
export function keysOf(match: string): Readonly<Record<string, string>> {
  const { [HOST]: _, [WATCHER]: _watcher, ...seats } = kept(match);
  return seats;
}

/** The host's key, when this browser holds it. */
export function hostKeyOf(match: string): string | undefined {
  return kept(match)[HOST];
}

/** The key to look at a match with, when it is no seat's. */
export function watcherKeyOf(match: string): string | undefined {
  return kept(match)[WATCHER];
}

function kept(match: string): Record<string, string> {
  try {
    return JSON.parse(localStorage.getItem(keep(match)) ?? "{}") as Record<string, string>;
  } catch {
    return {};
  }
}
