/** A match of a simulation as one that can be opened: the first of its ending, one that is stuck. */

import type { Runnable } from "../engine/matches/runnable.js";
import { courseEvidence } from "../explore/evidence.js";
import type { Evidence } from "../language/message.js";
import { type MatchOptions, simulatedCourse } from "../search/simulate.js";

/**
 * @param number the number of the match, as a tally's `examples` tell it
 * @returns the match, up to a fault where it comes to one; undefined when it cannot begin
 */
export function exampleMatch(runnable: Runnable, options: MatchOptions, number: number): Evidence | undefined {
  const { how, taken } = simulatedCourse(runnable, options, number);
  const [first, ...steps] = taken;
  return first && courseEvidence(runnable, { how, first, taken: steps }, `match ${number} of a simulation`);
}
