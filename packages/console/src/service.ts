/** The service these pages come from, and the seats' keys that this browser holds. */

import { type StoredMachine, ZanyClient } from "@zany/client";
import { type Compilation, compile } from "@zany/core";

export const client = new ZanyClient();

/** Compiles a stored machine with the files it includes. */
export function compileStored({ text, parts }: StoredMachine): Compilation {
  return compile(text, undefined, (path) => (Object.hasOwn(parts, path) ? parts[path] : undefined));
}

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
