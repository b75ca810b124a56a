/** The colours of the language's words, from the one table of words and the one of what is built in. */

import { BUILT_IN_CALLS, BUILT_IN_VALUES } from "../check/builtins.js";
import { MAP_MOVES, MAP_PARTS, WORDS, type Word, type WordRole } from "../language/words.js";

export type WordColour = "declaration" | "control" | "operator" | "value" | "type" | "function";

const COLOURS: Readonly<Record<WordRole, WordColour>> = {
  item: "declaration",
  top: "declaration",
  statement: "control",
  test: "control",
  arrow: "control",
  clause: "control",
  operator: "operator",
  value: "value",
  type: "type",
};

/** Words that begin something stand first in their line; where they can be names too, only there they are words. */
function standsFirst({ role, reserved }: Word): boolean {
  return !reserved && (role === "item" || role === "top" || role === "statement" || role === "test");
}

/** The words of a colour: those coloured wherever they stand, and those coloured as the first of a line alone. */
export function wordsOfColour(colour: WordColour): { readonly anywhere: string[]; readonly first: string[] } {
  const words = [...WORDS.values()].filter((word) => COLOURS[word.role] === colour);
  const built = colour === "value" ? Object.keys(BUILT_IN_VALUES) : [];
  return {
    anywhere: [...words.filter((word) => !standsFirst(word)).map((word) => word.text), ...built],
    first: words.filter(standsFirst).map((word) => word.text),
  };
}

/**
 * The colour of a word, from what stands around it in its line; undefined for names.
 * An editor that colours line by line asks here; what the text means only the compiler knows.
 */
export function colourOf(text: string, before: string, after: string): WordColour | undefined {
  if (BUILT_IN_CALLS.has(text) && after.startsWith("(")) return "function";
  const word = WORDS.get(text);
  if (word && (!standsFirst(word) || /^\s*$/.test(before))) return COLOURS[word.role];
  return Object.hasOwn(BUILT_IN_VALUES, text) ? "value" : undefined;
}

/** The same in a mapping of a game's own log, whose lines begin with words of their own. */
export function mapColourOf(text: string, before: string, after: string): WordColour | undefined {
  if (MAP_PARTS.has(text) && /^\s*$/.test(before)) return "declaration";
  if (MAP_MOVES.some((move) => move === text) && /->\s*$/.test(before)) return "control";
  return text === "tells" || text === "told" ? "control" : colourOf(text, before, after);
}
