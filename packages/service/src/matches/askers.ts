/** What somebody is in a match: who may act for which seat, speak for the game, invite, or only look. */

import { type Caller, CHALLENGE, isHost } from "../access/callers.js";
import { Problem } from "../problems.js";
import { isHosts, seatsOf } from "./holders.js";
import type { LiveMatch } from "./live.js";

/** What has to be known of a match for it. */
type Stored = Pick<LiveMatch, "id" | "header" | "holders" | "begunBy">;

/** What a request may do in a match. */
export interface Asker {
  readonly caller: Caller;
  /** The seats it acts for: its own, and for the host those that the host holds. */
  readonly seats: readonly string[];
  /** The seat it acts for, when that is one: the seat it names, or its only one. */
  readonly acts: string | null;
  /** Whose eyes it sees with; null for what is public. */
  readonly seat: string | null;
  /** Speaks for the game: events, time, bots. */
  readonly host: boolean;
  /** Began it, or speaks for it: invites, and cancels. */
  readonly owner: boolean;
  readonly admin: boolean;
}

/**
 * What a caller is in a match.
 *
 * @param wanted the seat that a request names; without one, the first of one's own
 * @throws Problem 403 for a key of another match, or a seat that is not one's own
 */
export function askerOf(match: Stored, caller: Caller, wanted?: string): Asker {
  const { id, header } = match;
  if ("match" in caller && caller.match !== id) throw new Problem(403, "badKey", "This key is of another match.");
  const began = caller.kind === "person" && match.begunBy === caller.person.id;
  const host = caller.kind === "host" || (began && isHost(caller));
  const own = caller.kind === "seat" || (caller.kind === "person" && !isHost(caller));
  const seats =
    caller.kind === "seat"
      ? match.holders[caller.seat]?.state === "left"
        ? []
        : [caller.seat]
      : host
        ? header.seats.filter((seat) => isHosts(match, seat))
        : caller.kind === "person"
          ? seatsOf(match, caller.person.id)
          : [];
  if (wanted !== undefined && !seats.includes(wanted)) throw notOfThisKey(caller, wanted);
  return {
    caller,
    seats,
    acts: wanted ?? (own && seats.length === 1 ? (seats[0] ?? null) : null),
    seat: wanted ?? (caller.kind === "seat" ? caller.seat : own ? (seats[0] ?? null) : null),
    host,
    owner: host || began,
    admin: caller.kind === "admin",
  };
}

/**
 * What a caller may have been in a match before they left a seat, for a request that is sent again: the seat may have
 * been taken by somebody else since, so which it was is told by the request alone.
 *
 * @param wanted the seat that a request names
 * @returns none for somebody who holds what they need
 */
export function askersBeforeLeaving(match: Stored, caller: Caller, wanted?: string): Asker[] {
  if (caller.kind !== "seat" && caller.kind !== "person") return [];
  const now = askerOf(match, caller);
  if (wanted === undefined ? now.seats.length > 0 : now.seats.includes(wanted)) return [];
  const may = caller.kind === "seat" ? [caller.seat] : match.header.seats;
  return may
    .filter((seat) => wanted === undefined || seat === wanted)
    .map((seat) => ({ ...now, seats: [seat], acts: seat, seat }));
}

/** The asker with the eyes of a seat it has just got. */
export function seatedAt(asker: Asker, seat: string): Asker {
  return { ...asker, seats: [...asker.seats, seat], acts: seat, seat };
}

/** Somebody who has no part in a match yet. */
export function stranger(caller: Caller): Asker {
  return { caller, seats: [], acts: null, seat: null, host: false, owner: false, admin: false };
}

/**
 * Whether somebody may look at a match at all. @param open whether nobody needs a key
 * @throws Problem 401 or 403
 */
export function needSight({ caller, seats, owner, admin }: Asker, invited: boolean, open: boolean): void {
  const has = seats.length > 0 || caller.kind === "seat" || caller.kind === "watcher";
  if (open || owner || admin || invited || has) return;
  if (caller.kind === "nobody") throw noKey("To see a match, send a key");
  throw new Problem(403, "badKey", "This match is not yours: you hold no seat in it, and have no watcher's link.");
}

/**
 * The seat to act for.
 *
 * @throws Problem 401 or 403 for somebody without a seat, 400 for somebody with several who names none
 */
export function needSeat({ caller, seats, acts }: Asker): string {
  if (acts !== null) return acts;
  if (seats.length > 0)
    throw new Problem(400, "whichSeat", `Say for which seat: \`seat\` is one of ${seats.join(", ")}.`);
  if (caller.kind === "nobody") throw noKey("To act, send your seat's key");
  throw new Problem(403, "badKey", "You hold no seat in this match.");
}

/** @throws Problem 401 or 403 unless the request speaks for the game */
export function needHost({ caller, host }: Asker): void {
  if (host) return;
  if (caller.kind === "nobody") throw noKey("To speak for the game, send the host's key");
  throw new Problem(403, "badKey", "This is not the host's key of this match.");
}

/**
 * Lets whoever speaks for the game end it, or see to one that does not go on, and the admin. @throws Problem 401, 403
 */
export function needCare(asker: Asker): void {
  if (asker.owner || asker.admin) return;
  needHost(asker);
}

/** Lets whoever began a match invite to it. @throws Problem 401 or 403 for others */
export function needOwner(asker: Asker): void {
  if (!asker.owner) needHost(asker);
}

/**
 * Lets whoever holds a seat decide about it, or the host; about one that was left, whoever began the match.
 *
 * @throws Problem 401 or 403 for others
 */
export function needHolder({ caller, seats, host, owner }: Asker, seat: string, left = false): void {
  if (host || seats.includes(seat) || (owner && left)) return;
  if (caller.kind === "nobody") throw noKey("Send the seat's key or the host's");
  throw notOfThisKey(caller, seat);
}

function notOfThisKey(caller: Caller, seat: string): Problem {
  if (caller.kind === "nobody") return noKey("Send the seat's key or the host's");
  return new Problem(403, "badKey", `This key is not of ${seat}.`);
}

function noKey(what: string): Problem {
  return new Problem(401, "noKey", `${what}: Authorization: Bearer KEY.`, {}, CHALLENGE);
}
