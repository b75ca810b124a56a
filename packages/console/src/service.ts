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

/** A key of a match that this browser holds. */
export interface KeptKey {
  readonly match: string;
  readonly opens: "seat" | "host" | "watcher";
  /** The seat it opens, when it opens one. */
  readonly seat?: string;
  readonly key: string;
}

/** All keys of matches that this browser holds. */
export function keptKeys(): KeptKey[] {
  const matches = Object.keys(localStorage).filter((name) => name.startsWith(keep("")));
  return matches
    .map((name) => name.slice(keep("").length))
    .toSorted()
    .flatMap((match) => Object.entries(kept(match)).map(([name, key]) => ({ match, key, ...opened(name) })));
}

function opened(name: string): Pick<KeptKey, "opens" | "seat"> {
  if (name === HOST) return { opens: "host" };
  return name === WATCHER ? { opens: "watcher" } : { opens: "seat", seat: name };
}

/** Keeps a key that somebody enters, as what the service says that it opens. @throws ServiceProblem for a dead one */
export async function keepEntered(match: string, key: string): Promise<void> {
  const { owner, own } = await client.match(match, key);
  const me = await client.me(key).catch(() => undefined);
  if (me) throw new Error(`This is the key of a person, ${me.name}. It is entered at "Who you are".`);
  if (owner) keepKeys(match, {}, key);
  else if (own.length === 0) keepWatcher(match, key);
  else keepKeys(match, Object.fromEntries(own.map((seat) => [seat, key])));
}

/** Takes a key out of this browser. */
export function forgetKey({ match, key }: KeptKey): void {
  const left = Object.entries(kept(match)).filter(([, other]) => other !== key);
  if (left.length === 0) localStorage.removeItem(keep(match));
  else localStorage.setItem(keep(match), JSON.stringify(Object.fromEntries(left)));
}

function kept(match: string): Record<string, string> {
  try {
    return JSON.parse(localStorage.getItem(keep(match)) ?? "{}") as Record<string, string>;
  } catch {
    return {};
  }
}
