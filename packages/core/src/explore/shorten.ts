/** Matches without the moves that they do not need. */

import { smallest } from "../review/smallest.js";
import type { Move, Way } from "./report.js";

/** How many moves in a row are tried to be left out at last. */
const LONGEST_RUN = 8;

/**
 * Leaves moves out of a match that comes to something, as long as it still does.
 *
 * @param last it comes to it by its last move, which stays
 * @param works whether a match with these moves still does; undefined where it is not looked any more
 */
export function shortened(
  { moves, ...way }: Way,
  last: boolean,
  works: (moves: readonly Move[]) => boolean | undefined,
): Way {
  const end = last ? moves.slice(-1) : [];
  const own = last ? moves.slice(0, -1) : moves;
  const does = (some: readonly Move[]): boolean | undefined => works([...some, ...end]);
  const kept = own.length > 0 && does([]) ? [] : withoutRuns(smallest(own, does), does);
  return { ...way, moves: [...kept, ...end] };
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
