/** "Did you mean": the known name that is nearest to a misspelt one. */

import type { Fix } from "./message.js";
import type { Span } from "./source.js";

/**
 * Optimal string alignment distance: insertions, deletions, substitutions and swaps of neighbours
 * (Damerau 1964, in the restricted form), with differences of case only costing less.
 */
function distance(a: string, b: string): number {
  let before: number[] = [];
  let last = Array.from({ length: b.length + 1 }, (_, j) => j);
  for (let i = 1; i <= a.length; i++) {
    const row = [i];
    for (let j = 1; j <= b.length; j++) {
      const x = a[i - 1] as string;
      const y = b[j - 1] as string;
      const change = x === y ? 0 : x.toLowerCase() === y.toLowerCase() ? 0.25 : 1;
      let best = Math.min((last[j] ?? 0) + 1, (row[j - 1] ?? 0) + 1, (last[j - 1] ?? 0) + change);
      if (i > 1 && j > 1 && x === b[j - 2] && a[i - 2] === y) best = Math.min(best, (before[j - 2] ?? 0) + 1);
      row.push(best);
    }
    before = last;
    last = row;
  }
  return last[b.length] ?? 0;
}

/** Names longer than this are not compared: nobody misspells them by a letter. */
const LONGEST = 100;

/** The nearest of `known` to `name`, or undefined when none is near enough to be a slip. */
export function nearest(name: string, known: Iterable<string>): string | undefined {
  let best: string | undefined;
  if (name.length > LONGEST) return undefined;
  // Of a name of one or two letters hardly anything is left after a slip: only its case can be wrong.
  let bestDistance = name.length < 3 ? 0.6 : Math.max(1, Math.floor(name.length / 3)) + 0.5;
  for (const candidate of known) {
    if (Math.abs(candidate.length - name.length) > bestDistance) continue;
    const d = distance(name, candidate);
    if (d < bestDistance) {
      best = candidate;
      bestDistance = d;
    }
  }
  return best;
}

/** The fix for a misspelt name: the nearest known one in its place; undefined when none is near. */
export function respelling(name: string, at: Span, known: Iterable<string>): Fix | undefined {
  const near = nearest(name, known);
  return near === undefined
    ? undefined
    : { title: `Write "${near}"`, edits: [{ from: at.from, to: at.to, text: near }] };
}

/** Names that a message lists at most. */
const MOST_NAMED = 16;

/** The help line for a misspelt name: "Did you mean ...?", else the known names when they are few. */
export function didYouMean(name: string, known: Iterable<string>, kind: string): string {
  const all = [...new Set(known)];
  const near = nearest(name, all);
  if (near) return `Did you mean "${near}"?`;
  if (all.length === 0) return `There is no ${kind} here at all.`;
  if (all.length <= 8) return `Known here: ${all.join(", ")}.`;
  return `Declare it, or use one of: ${all.slice(0, MOST_NAMED).join(", ")}${all.length > MOST_NAMED ? ", ..." : ""}.`;
}

/**
 * The same of what a running match knows, where nothing more can be declared: "Did you mean ...?" or "There are ...".
 */
export function whichExist(name: string, known: readonly string[]): string {
  const near = nearest(name, known);
  if (near) return `Did you mean "${near}"?`;
  if (known.length === 0) return "There are none.";
  return (
    `There ${known.length === 1 ? "is" : "are"} ${known.slice(0, MOST_NAMED).join(", ")}` +
    `${known.length > MOST_NAMED ? ", ..." : ""}.`
  );
}
