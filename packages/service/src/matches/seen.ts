/** A match as somebody sees it. */

import type { SeenMatch } from "@zany/client/api";
import { type ActionOption, type Arguments, events, options, policyNames, type Runnable, view } from "@zany/core";
import type { People } from "../access/people.js";
import { giveWay } from "../breath.js";
import type { Asker } from "./askers.js";
import { sitting } from "./holders.js";
import { clockOf, type LiveMatch } from "./live.js";
import type { MatchRecords } from "./records.js";

/** What is asked beside the match itself. */
export interface Sight {
  readonly people: People;
  readonly records: Pick<MatchRecords, "rematchOf">;
}

/** How long it took to look at a match of a machine last, in milliseconds; what takes longer than `LONG` gives way. */
const TOOK = new WeakMap<Runnable, number>();
const LONG = 2;

/**
 * A match as it is when it is this one's turn. The step before, looking, and writing down what is seen may each take a
 * while for a heavy machine: others get their turn between. A light one is not kept waiting for that.
 */
export async function seenMatch(match: LiveMatch, asker: Asker, host: Sight): Promise<SeenMatch> {
  if ((TOOK.get(match.runnable) ?? LONG) >= LONG) await giveWay();
  const began = performance.now();
  const seen = seenNow(match, asker, host);
  const took = performance.now() - began;
  TOOK.set(match.runnable, took);
  if (took >= LONG) await giveWay();
  return seen;
}

/** A match as it is now, at once. */
export function seenNow(match: LiveMatch, asker: Asker, { people, records }: Sight): SeenMatch {
  const { id, machine, runnable, situation, suspended, cancelled, cancelledBy, bots, hosted, least } = match;
  const { seat, seats: own } = asker;
  const seen = view(runnable, situation, seat);
  return {
    id,
    machine,
    seat,
    own,
    owner: asker.owner,
    seats: sitting(match, people, seen.seats),
    hosted,
    least,
    confirmed: seen.seats.flatMap(({ seat: name }) => (isConfirmed(match, name) ? [name] : [])),
    rematch: seen.outcome || cancelled ? (records.rematchOf(id) ?? null) : null,
    rematchOf: match.rematchOf,
    view: seen,
    options: seat === null ? [] : options(runnable, situation, seat),
    suspended,
    cancelled,
    cancelledBy,
    clock: clockOf(match),
    bots,
    policies: policyNames(runnable),
    events: asker.host ? events(runnable, situation) : [],
  };
}

/** Bots confirm at once. */
function isConfirmed({ situation, confirmed, bots }: LiveMatch, seat: string): boolean {
  return situation.outcome !== null && (confirmed.includes(seat) || bots[seat] !== undefined);
}

/** One action with the arguments chosen so far; undefined when it is not possible here. */
export function seenOption(match: LiveMatch, seat: string, action: string, args: Arguments): ActionOption | undefined {
  return options(match.runnable, match.situation, seat, { action, args })[0];
}
