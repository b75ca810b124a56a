/** The service's own log. */

import { type Logger, pino } from "pino";

/** A log on the standard output. When that takes no more (a file on a full disk), the service goes on without. */
export function ownLog(level: string): Logger {
  const output = pino.destination(1);
  output.on("error", () => {});
  return pino({ level }, output);
}
