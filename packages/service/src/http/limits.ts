/** What this service allows at most, told to whoever asks before they run into it: `GET /api/limits`. */

import type { ServiceLimits } from "@zany/client/api";
import type { Limits } from "../access/limits.js";
import { LONGEST_BODY } from "../machines.js";
import type { Patience } from "../matches/care.js";
import { MOST_WAITING } from "../matches/line.js";
import { MOST_FROM, MOST_OPEN } from "../matches/room.js";
import { MOST_OF_A_KEY, MOST_WITHOUT } from "../matches/streams.js";
import { LONGEST_TEXT, MOST_SEATS } from "../validation.js";

/** @param rates what one client may ask for in a minute */
export function serviceLimits(rates: Limits, patience: Patience): ServiceLimits {
  return {
    requests: rates.requests,
    makings: rates.makings,
    openMatches: { ...MOST_OPEN, address: MOST_FROM },
    streams: { withKey: MOST_OF_A_KEY, without: MOST_WITHOUT },
    waitingInputs: MOST_WAITING,
    seats: MOST_SEATS,
    machineText: LONGEST_TEXT,
    body: LONGEST_BODY,
    idle: patience.idle,
    finished: patience.finished ?? null,
  };
}
