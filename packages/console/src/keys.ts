/** The keys of the page that is shown, for the list that `?` opens. */

import { useEffect, useSyncExternalStore } from "react";

/** A key, or several that do the same, and what they do. */
export interface KeyHelp {
  readonly keys: string;
  readonly words: string;
}

/** Keys that work on every page. */
export const EVERYWHERE: readonly KeyHelp[] = [
  { keys: "Ctrl K", words: "go to a page, a machine or a match" },
  { keys: "?", words: "this list" },
];

let known: readonly KeyHelp[] = [];
const listeners = new Set<() => void>();

function set(keys: readonly KeyHelp[]): void {
  known = keys;
  for (const listener of listeners) listener();
}

/** Tells the keys of a page while it is shown. @param keys the same list at every call */
export function useKeyHelp(keys: readonly KeyHelp[]): void {
  useEffect(() => {
    set(keys);
    return () => set([]);
  }, [keys]);
}

/** The keys of the page that is shown. */
export function usePageKeys(): readonly KeyHelp[] {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => known,
  );
}

/** True for a key that somebody types into a field. */
export function isTyping({ target }: KeyboardEvent): boolean {
  return (
    target instanceof HTMLInputElement ||
    target instanceof HTMLSelectElement ||
    target instanceof HTMLTextAreaElement ||
    (target instanceof HTMLElement && target.isContentEditable)
  );
}
