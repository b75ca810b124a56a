/**
 * Who holds the seats of a match. A seat is held by one of one kind: a person, a link's, the host, a bot, or nobody.
 */

import type { HolderKind, SeatHolder } from "@zany/client/api";
import { type Runnable, type SeatStatus, seatsNow } from "@zany/core";
import type { People } from "../access/people.js";
import type { Holder, LiveMatch, MatchProgress } from "./live.js";

/** A seat that a bot plays until somebody takes it. */
export const FREE: Holder = { kind: "open", person: null, state: "held", name: null, external: null };

export function personHolds(person: string, state: Holder["state"] = "held"): Holder {
  return { kind: "person", person, state, name: null, external: null };
}

export function linkHolds(state: Holder["state"], name: string | null = null): Holder {
  return { kind: "link", person: null, state, name, external: null };
}

/** The seats that a person holds, or left, in the order of the seats. */
export function seatsOf(
  match: Pick<LiveMatch, "header" | "holders">,
  person: string,
  state: "held" | "left" = "held",
): string[] {
  return match.header.seats.filter((seat) => {
    const holder = match.holders[seat];
    return holder?.person === person && holder.state === state;
  });
}

/** What holds a seat. @param open whether nobody sits there in the match */
function kindOf({ holders, bots }: MatchProgress, seat: string, open: boolean): HolderKind {
  const holder = holders[seat];
  if (holder && (holder.state === "held" || holder.state === "waiting")) return holder.kind;
  if (open) return "open";
  return bots[seat] === undefined ? "host" : "bot";
}

/** Whether the host acts for a seat: it is neither a person's nor a link's, nor kept for one. */
export function isHosts({ holders }: Pick<MatchProgress, "holders">, seat: string): boolean {
  const holder = holders[seat];
  return holder === undefined || holder.kind === "host" || holder.state === "left";
}

/** Whether anybody may take a seat: nobody sits there, or only a bot, and it is kept for nobody. */
function isFree({ holders }: MatchProgress, seat: string, open: boolean): boolean {
  const holder = holders[seat];
  if (holder?.kind === "open") return true;
  return open && (holder === undefined || holder.state === "left");
}

/** The seats that anybody may take. */
export function freeSeats(runnable: Runnable, progress: MatchProgress): string[] {
  return seatsNow(runnable, progress.situation).flatMap(({ seat, status }) =>
    isFree(progress, seat, status === "open") ? [seat] : [],
  );
}

/** How many seats are held by somebody: by a person, the host or a bot that does not only wait for one. */
export function heldSeats(runnable: Runnable, progress: MatchProgress): number {
  return seatsNow(runnable, progress.situation).filter(
    ({ seat, status }) => status === "in" && progress.holders[seat]?.kind !== "open",
  ).length;
}

/** Who sits where, as everybody may know it: display names, nothing else. */
export function sitting(match: LiveMatch, people: People, seats: readonly SeatStatus[]): SeatHolder[] {
  return seats.map(({ seat, status }) => {
    const holder = match.holders[seat];
    const person = holder?.person === null || holder === undefined ? undefined : people.find(holder.person);
    return {
      seat,
      holder: kindOf(match, seat, status === "open"),
      // The bot that plays on for somebody who left is not called by their name.
      name: holder?.state === "left" && match.bots[seat] !== undefined ? null : (person?.name ?? holder?.name ?? null),
      invitation: holder && holder.state !== "held" && holder.state !== "left" ? holder.state : null,
      bot: match.bots[seat] ?? null,
      left: holder?.state === "left" && status === "in",
    };
  });
}
