/** The keys of the page that is shown, for the list that `?` opens. */

import { Registry } from "./registry.js";

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

/** The keys of the page that is shown. */
export const pageKeys = new Registry<KeyHelp>();

/** True for a key that somebody types into a field. */
export function isTyping({ target }: KeyboardEvent): boolean {
  return (
    target instanceof HTMLInputElement ||
    target instanceof HTMLSelectElement ||
    target instanceof HTMLTextAreaElement ||
    (target instanceof HTMLElement && target.isContentEditable)
  );
}
