/** Something that can be done in a situation. */

import type { Move } from "../engine/matches/moves.js";
import type { Zone } from "./zones.js";

/** How likely something is: so many parts of a total. */
export interface Share {
  readonly part: number;
  readonly total: number;
}

/** What always happens. */
export const ALL: Share = { part: 1, total: 1 };

/** Something that happens: what timers have left then, and how likely it is. */
export interface Choice extends Share {
  readonly move: Move;
  readonly zone: Zone;
}

/** What kind of move it is: which action, event, timer. */
export function kindOf(move: Move): string {
  switch (move.kind) {
    case "action":
      return `action ${move.id}`;
    case "event":
      return `event ${move.signal}`;
    case "timer":
      return `timer ${move.timer}`;
    default:
      return move.kind;
  }
}
