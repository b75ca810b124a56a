/** Who sits at this browser: their key, kept here. Pages that ask for it are drawn anew when it changes. */

import { useSyncExternalStore } from "react";

const OWN = "zany.person";
const listeners = new Set<() => void>();

/** The key of whoever sits at this browser; undefined for nobody yet. */
export function ownKey(): string | undefined {
  return localStorage.getItem(OWN) ?? undefined;
}

/** Keeps one's own key, or with undefined forgets it. */
export function keepOwnKey(key: string | undefined): void {
  if (key === undefined) localStorage.removeItem(OWN);
  else localStorage.setItem(OWN, key);
  for (const listener of listeners) listener();
}

/** The same as `ownKey`, as it is now. */
export function useOwnKey(): string | undefined {
  return useSyncExternalStore(listen, ownKey);
}

function listen(listener: () => void): () => void {
  listeners.add(listener);
  window.addEventListener("storage", listener);
  return () => {
    listeners.delete(listener);
    window.removeEventListener("storage", listener);
  };
}
