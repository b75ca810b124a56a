/** How a match is to begin: who holds which seat, and which keys and links are made for it. */

import type { NewMatch } from "@zany/client/api";
import { canonicalJson, type Given, sha256Hex } from "@zany/core";
import type { Caller } from "../access/callers.js";
import { isHost } from "../access/callers.js";
import type { People } from "../access/people.js";
import { Problem } from "../problems.js";
import { FREE, linkHolds, personHolds } from "./holders.js";
import type { Holder, Holders } from "./live.js";

/** What was asked for, seat by seat. */
export interface Seating {
  readonly holders: Holders;
  /** The seats that are open to the machine: nobody sits there yet. */
  readonly open: readonly string[];
  /** The seats that nobody is named for, of `seats`: their keys are given to whoever begins. */
  unnamed(seats: readonly string[]): string[];
}

/**
 * Reads who shall sit where.
 *
 * @throws Problem 422 for somebody who is not there, or a seat with two holders
 */
export function seatingOf(wish: NewMatch, caller: Caller, people: People): Seating {
  const { links = [], open = [], bots = {}, external = {} } = wish;
  const invited = Object.entries(wish.people ?? {});
  const wanted = [...invited.map(([seat]) => seat), ...links, ...open, ...Object.keys(external)];
  const twice = wanted.find((seat, i) => wanted.indexOf(seat) !== i);
  if (twice !== undefined) throw new Problem(422, "twoHolders", `${twice} has two holders; a seat has one.`);
  const holders: Record<string, Holder> = {};
  for (const [seat, handle] of invited) {
    const { id } = people.called(handle);
    const self = caller.kind === "person" && caller.person.id === id;
    holders[seat] = personHolds(id, self ? "held" : "waiting");
  }
  for (const seat of links) holders[seat] = linkHolds("waiting");
  // The bot sits there, and goes when somebody comes.
  for (const seat of open) if (Object.hasOwn(bots, seat)) holders[seat] = FREE;
  for (const [seat, name] of Object.entries(external))
    holders[seat] = { kind: "host", person: null, state: "held", name: null, external: name };
  const waiting = Object.keys(holders).filter((seat) => holders[seat]?.state === "waiting");
  return {
    holders,
    open: [...waiting, ...open.filter((seat) => !Object.hasOwn(bots, seat))],
    unnamed: (seats) => seats.filter((seat) => !wanted.includes(seat)),
  };
}

/** Whether whoever begins a match gets a key that speaks for its game. */
export function wantsHostKey({ hostKey }: NewMatch, caller: Caller): boolean {
  return caller.kind !== "person" || (hostKey === true && !isHost(caller));
}

/** The digest of what two matches have in common that are the same to somebody who plays anyone. */
export function fittingOf(rules: string, seats: number, given: Given | undefined): string {
  return sha256Hex(canonicalJson({ rules, seats, given: given ?? null } as never));
}

/** The address of a seat's link, below the service's: its secret never reaches a server's log. */
export function linkTo(match: string, secret: string): string {
  return `/matches/${match}/seat#${secret}`;
}

/** The address of a watcher's link. */
export function watcherLink(match: string, key: string): string {
  return `/matches/${match}#watch=${key}`;
}
