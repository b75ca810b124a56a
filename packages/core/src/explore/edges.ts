/**
 * Which situation leads to which, as far as there is room; situations are gone on from in the order of their numbers.
 * Two kinds: packed ones of searches that ask only where something leads, and those that know how likely it is.
 */

/** Most edges that are kept. */
export const MOST_EDGES = 100_000_000;
/** Of so many targets it is looked whether they stand there already. */
export const MOST_COMPARED = 24;

export interface Edges {
  /** How many there are. */
  readonly size: number;
  readonly bytes: number;
  /** All of them were kept. */
  readonly complete: boolean;
  /** From now on edges lead from this situation. */
  begin(source: number): void;
  /** From now on edges are of one choice. */
  choose(): void;
  /** @param part how likely it is, as a share of `total` */
  add(target: number, part: number, total: number): void;
  hasAny(source: number): boolean;
  /** The edges of a situation. */
  each(source: number, edge: (target: number) => void): void;
  /** Whether an edge of a situation leads to one of some kind. */
  some(source: number, test: (target: number) => boolean): boolean;
}

/** For every situation 1 when one of those given can be reached from it. */
export function leadingTo(edges: Edges, given: Uint8Array): Uint8Array {
  const reached = given.slice();
  // Most edges lead to situations that were found later: from the last to the first, mostly all is told.
  return passBack(edges, reached) ? reached : followedBack(edges, reached);
}

/** Marks what leads to marked situations, once from the last to the first. @returns whether all are marked */
function passBack(edges: Edges, reached: Uint8Array): boolean {
  const isReached = (target: number): boolean => reached[target] === 1;
  let all = true;
  for (let source = reached.length - 1; source >= 0; source--) {
    if (reached[source] === 1) continue;
    if (edges.some(source, isReached)) reached[source] = 1;
    else all = false;
  }
  return all;
}

function followedBack(edges: Edges, given: Uint8Array): Uint8Array {
  const count = given.length;
  const starts = new Uint32Array(count + 1);
  for (let source = 0; source < count; source++)
    edges.each(source, (target) => {
      if (target < count) starts[target + 1] = (starts[target + 1] as number) + 1;
    });
  for (let i = 0; i < count; i++) starts[i + 1] = (starts[i + 1] as number) + (starts[i] as number);
  const back = new Uint32Array(starts[count] as number);
  const next = starts.slice();
  for (let source = 0; source < count; source++)
    edges.each(source, (target) => {
      if (target >= count) return;
      back[next[target] as number] = source;
      next[target] = (next[target] as number) + 1;
    });
  const reached = given.slice();
  const waiting: number[] = [];
  for (let id = 0; id < count; id++) if (given[id] === 1) waiting.push(id);
  for (let id = waiting.pop(); id !== undefined; id = waiting.pop())
    for (let i = starts[id] as number; i < (starts[id + 1] as number); i++) {
      const source = back[i] as number;
      if (reached[source] === 1) continue;
      reached[source] = 1;
      waiting.push(source);
    }
  return reached;
}
