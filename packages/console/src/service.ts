/** The service these pages come from, and the seats' keys that this browser holds. */

import { ZanyClient } from "@zany/client";

export const client = new ZanyClient();

/** Under this name the host's key stands among the seats'. */
const HOST = "(host)";

const keep = (match: string): string => `zany.keys.${match}`;

/** Keeps keys of a match beside those kept before: of seats, and of the host. */
export function keepKeys(match: string, keys: Readonly<Record<string, string>>, host?: string): void {
  localStorage.setItem(
    keep(match),
    JSON.stringify({ ...kept(match), ...keys, ...(host !== undefined && { [HOST]: host }) }),
  );
}

/** The keys this browser holds for a match, by seat. */
export function keysOf(match: string): Readonly<Record<string, string>> {
  const { [HOST]: _, ...seats } = kept(match);
  return seats;
}

/** The host's key, when this browser holds it. */
export function hostKeyOf(match: string): string | undefined {
  return kept(match)[HOST];
}

function kept(match: string): Record<string, string> {
  try {
    return JSON.parse(localStorage.getItem(keep(match)) ?? "{}") as Record<string, string>;
  } catch {
    return {};
  }
}
