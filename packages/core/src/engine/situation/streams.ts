/** The streams of dice of a machine, as the generator and digests name them. */

import type { Machine } from "../../check/machine.js";

/**
 * What tells the streams of a machine apart, in the order of their numbers: the name, and of a private stream also the
 * seat, behind a byte 0.
 */
export function streamNames({ streams, seats }: Machine): string[] {
  return streams.flatMap(({ name, visibility }) =>
    visibility === "private" ? seats.names.map((seat) => `${name}\u0000${seat}`) : [name],
  );
}
