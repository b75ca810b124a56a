/** The service these pages come from, and the seats' keys that this browser holds. */

import { ZanyClient } from "@zany/client";

export const client = new ZanyClient();

const keep = (match: string): string => `zany.keys.${match}`;

/** Keeps the keys of a match begun in this browser. */
export function keepKeys(match: string, keys: Readonly<Record<string, string>>): void {
  localStorage.setItem(keep(match), JSON.stringify(keys));
}

/** The keys this browser holds for a match, by seat. */
export function keysOf(match: string): Readonly<Record<string, string>> {
  try {
    return JSON.parse(localStorage.getItem(keep(match)) ?? "{}") as Record<string, string>;
  } catch {
    return {};
  }
}
