/** A smallest set that still does it, found by trying subsets: delta debugging (Zeller and Hildebrandt, 2002). */

/**
 * @param all a set that does it, in an order that is kept
 * @param works whether a set does it; undefined where that is not known
 * @returns a set of which nothing can be left out by itself
 */
export function smallest<T>(all: readonly T[], works: (some: readonly T[]) => boolean | undefined): readonly T[] {
  let current = all;
  for (let parts = 2; current.length > 1; ) {
    const size = Math.ceil(current.length / parts);
    const pieces = Array.from({ length: parts }, (_, i) => current.slice(i * size, (i + 1) * size)).filter(
      ({ length }) => length > 0,
    );
    const piece = pieces.find((some) => some.length < current.length && works(some) === true);
    if (piece) {
      current = piece;
      parts = 2;
      continue;
    }
    const rest = pieces
      .map((some) => current.filter((one) => !some.includes(one)))
      .find((some) => some.length > 0 && some.length < current.length && works(some) === true);
    if (rest) {
      current = rest;
      parts = Math.max(parts - 1, 2);
    } else if (parts >= current.length) return current;
    else parts = Math.min(parts * 2, current.length);
  }
  return current;
}
