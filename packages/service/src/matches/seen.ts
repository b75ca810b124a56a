/** A match as somebody sees it. */

import type { SeenMatch } from "@zany/client/api";
import { type ActionOption, type Arguments, events, options, policyNames, view } from "@zany/core";
import { type Asker, seatOf } from "./keys.js";
import { clockOf, type LiveMatch } from "./live.js";

export function seenMatch(match: LiveMatch, asker: Asker): SeenMatch {
  const { id, machine, runnable, situation, suspended, cancelled, bots } = match;
  const seat = seatOf(asker);
  return {
    id,
    machine,
    seat,
    view: view(runnable, situation, seat),
    options: seat === null ? [] : options(runnable, situation, seat),
    suspended,
    cancelled,
    clock: clockOf(match),
    bots,
    policies: policyNames(runnable),
    events: asker.kind === "host" ? events(runnable, situation) : [],
  };
}

/** One action with the arguments chosen so far; undefined when it is not possible here. */
export function seenOption(match: LiveMatch, seat: string, action: string, args: Arguments): ActionOption | undefined {
  return options(match.runnable, match.situation, seat, { action, args })[0];
}
