/** Whatever chooses for a seat. */

import type { Input, Situation } from "../engine/situation/situation.js";

export interface Player {
  /** What the seat does now, or undefined when it has nothing to do. */
  choose(situation: Situation, seat: string): (Input & { kind: "action" }) | undefined;
}
