/** Matches without the moves that they do not need. */

import { smallest } from "../review/smallest.js";
import type { Move, Way } from "./report.js";

/** How many moves in a row are tried to be left out at last, or to be one other move instead. */
const LONGEST_RUN = 8;
/** How many other moves are tried in one place. */
const MOST_OTHERS = 32;

/** Where matches are tried. */
export interface Trials {
  /** Whether moves from a situation on come to it; undefined where it is not looked any more. */
  works(from: number, moves: readonly Move[]): boolean | undefined;
  /** The situation a move leads to; undefined where it cannot be made, or is at fault. */
  after(from: number, move: Move): number | undefined;
  /** What can be done in a situation. */
  open(at: number, most: number): readonly Move[];
}

/**
 * Leaves moves out of a match that comes to something, and takes one move for several, as long as it still does.
 *
 * @param last it comes to it by its last move, which stays
 */
export function shortened({ moves, ...way }: Way, last: boolean, trials: Trials): Way {
  const end = last ? moves.slice(-1) : [];
  const own = last ? moves.slice(0, -1) : moves;
  const does = (some: readonly Move[]): boolean | undefined => trials.works(way.begin, [...some, ...end]);
  if (own.length === 0 || does([])) return { ...way, moves: end };
  const without = (some: readonly Move[]): readonly Move[] => withoutRuns(smallest(some, does), does);
  const fewer = without(own);
  const others = withOthers(fewer, way.begin, trials, end);
  return { ...way, moves: [...(others.length < fewer.length ? without(others) : fewer), ...end] };
}

/**
 * Takes one move for several: ending a turn at once for walking about first, which cannot just be left out. From the
 * end on, as what comes later may need what was done before, and is in nobody's way once it is gone.
 */
function withOthers(moves: readonly Move[], begin: number, trials: Trials, end: readonly Move[]): readonly Move[] {
  const ids = [begin];
  for (const move of moves) {
    const reached = trials.after(ids.at(-1) as number, move);
    if (reached === undefined) break;
    ids.push(reached);
  }
  let kept = moves;
  for (let i = Math.min(ids.length, moves.length) - 1; i >= 0; ) {
    const shorter = withOneFor(kept.slice(i), ids[i] as number, trials, end);
    if (shorter) kept = [...kept.slice(0, i), ...shorter];
    else i--;
  }
  return kept;
}

/** @returns the moves with another one for as many of the first as can be; undefined where none will do */
function withOneFor(
  moves: readonly Move[],
  at: number,
  trials: Trials,
  end: readonly Move[],
): readonly Move[] | undefined {
  const others = trials.open(at, MOST_OTHERS).flatMap((move) => {
    const reached = trials.after(at, move);
    return reached === undefined ? [] : [{ move, reached }];
  });
  for (let size = Math.min(LONGEST_RUN, moves.length); size > 1; size--) {
    const rest = moves.slice(size);
    const found = others.find(({ reached }) => trials.works(reached, [...rest, ...end]) === true);
    if (found) return [found.move, ...rest];
  }
  return undefined;
}

/** Leaves out what only goes together, such as a round in which everybody moves. */
function withoutRuns(moves: readonly Move[], works: (some: readonly Move[]) => boolean | undefined): readonly Move[] {
  let kept = moves;
  for (let size = LONGEST_RUN; size > 1; size--)
    for (let at = 0; at + size <= kept.length; ) {
      const fewer = kept.filter((_, i) => i < at || i >= at + size);
      if (works(fewer) === true) kept = fewer;
      else at++;
    }
  return kept;
}
