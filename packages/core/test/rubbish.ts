/** What nobody would send, made at random of what somebody would. */

import type { Chance } from "./generated-machines.js";

/** Values that have been trouble, or look like it. */
const VALUES: readonly unknown[] = [
  null,
  true,
  -1,
  1e308,
  0.5,
  "",
  "x",
  [],
  {},
  [null],
  { a: 1 },
  "__proto__",
  9007199254740991,
  "\u0000\u001b[2J",
  "x".repeat(3000),
];

/** A JSON value with something in it that does not belong there. */
export function mutated(value: unknown, chance: Chance): unknown {
  if (chance.one(3)) return chance.of(VALUES);
  if (Array.isArray(value)) return value.map((item) => (chance.one(value.length) ? mutated(item, chance) : item));
  if (value === null || typeof value !== "object") return chance.of(VALUES);
  const copy: Record<string, unknown> = { ...value };
  const name = chance.of(Object.keys(copy));
  if (name === undefined || chance.one(8)) copy[String(chance.of(VALUES))] = 1;
  else if (chance.one(5)) delete copy[name];
  else copy[name] = mutated(copy[name], chance);
  return copy;
}

/** A text with something cut out, put in or cut off. */
export function mutatedText(text: string, chance: Chance): string {
  const at = chance.below(text.length);
  switch (chance.below(4)) {
    case 0:
      return text.slice(0, at) + text.slice(at + 1 + chance.below(30));
    case 1:
      return (
        text.slice(0, at) +
        chance.of(["{", "}", "(", "->", "\u0000", "\ud800", "else", "9".repeat(30), '"']) +
        text.slice(at)
      );
    case 2:
      return text.slice(0, at) + text.slice(chance.below(text.length)).slice(0, 200) + text.slice(at);
    default:
      return text.slice(0, at);
  }
}
