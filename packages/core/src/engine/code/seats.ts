/** Expressions about who plays and where the match stands. */

import { SEAT_OUT } from "../situation/memory.js";
import { Box } from "../values/box.js";
import type { ExpressionTable } from "./compiler.js";

export const SEATS: ExpressionTable<
  "me" | "seats" | "inPlay" | "seated" | "others" | "now" | "next" | "canAct" | "inState"
> = {
  me:
    ({ memory }) =>
    () =>
      memory.me,
  seats:
    ({ memory }) =>
    () =>
      memory.everySeat(),
  inPlay:
    ({ memory }) =>
    () =>
      memory.inPlay(),
  seated:
    ({ memory }) =>
    () =>
      memory.seated(),
  now:
    ({ memory }) =>
    () =>
      memory.now,

  /** Those in play but the one acting; while an ending is worked out, every seat that has not been named. */
  others({ memory }) {
    return () => {
      const list: number[] = [];
      for (let seat = 0; seat < memory.seats.length; seat++) {
        const isOther =
          memory.named >= 0
            ? (memory.named & (1 << seat)) === 0
            : seat !== memory.me && memory.seats[seat] !== SEAT_OUT;
        if (isOther) list.push(seat);
      }
      return new Box(0, list);
    };
  },

  next(code, e) {
    const seat = code.number(e.seat);
    return () => code.memory.nextSeat(seat(), e);
  },

  canAct(code, e) {
    const seat = code.number(e.seat);
    return () => code.canAct(seat());
  },

  inState:
    ({ memory }, { state }) =>
    () =>
      memory.configuration.active[state] === 1,
};
