/** Pieces of words that messages of the checker share. */

import type { Parameter } from "./machine.js";
import { SYMBOL_WORDS, type ValueSymbol } from "./scope.js";
import { describe } from "./types.js";

/** What a name stands for, with its article. */
export function article(symbol: ValueSymbol): string {
  return SYMBOL_WORDS[symbol.kind];
}

/** "no seats", "one seat", "3 seats". */
export function countOf(n: number, noun: string): string {
  return n === 0 ? `no ${noun}s` : n === 1 ? `one ${noun}` : `${n} ${noun}s`;
}

/** How something with parameters is called. */
export function signatureHelp(what: string, parameters: readonly Parameter[]): string {
  return `It is written ${what}(${parameters.map((p) => `${p.name}: ${describe(p.type)}`).join(", ")}).`;
}

/** With a capital at the beginning. */
export function capital(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}

/** With "a" or "an" before it, where it takes one. */
export function withArticle(text: string): string {
  if (["none", "nothing", "something unknown"].includes(text)) return text;
  return /^[aeiou]/i.test(text) ? `an ${text}` : `a ${text}`;
}
