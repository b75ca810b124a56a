/**
 * How many matches of somebody go on, and how many may: by who began them, and of guests by the address they come from
 * too. Anybody becomes a guest, as often as they like, so that what one guest may have says little of one address.
 */

import type { Caller } from "../access/callers.js";
import type { Person } from "../access/people.js";
import { Problem } from "../problems.js";

/** How many matches of one person go on at once. */
export const MOST_OPEN: Readonly<Record<Person["kind"], number>> = { guest: 20, person: 500, host: 100_000 };
/** How many matches of guests go on that were begun from one address, since the service was started. */
export const MOST_FROM = 200;
/** Of how many addresses it is known; who came first is forgotten first. */
const ADDRESSES = 10_000;
/** One may be over any moment, in seconds. */
const AGAIN = 60;

/** What is stored of matches. */
interface Stored {
  /** How many matches that somebody began go on, up to a number. */
  openOf(person: string, most: number): number;
  /** Whether a match is there, and is not over. */
  goesOn(id: string): boolean;
}

export class Room {
  /** The matches of guests, by their addresses. */
  private readonly begun = new Map<string, Set<string>>();
  /** How many are being begun, by person or address. */
  private readonly underWay = new Map<string, number>();

  constructor(private readonly stored: Stored) {}

  /**
   * Makes room for one more match of somebody.
   *
   * @returns to be told when it has begun, with its id, or could not be begun
   * @throws Problem 429 when as many as may go on already
   */
  enter(caller: Caller): (id?: string) => void {
    if (caller.kind !== "person") return () => {};
    const { person, address } = caller;
    const most = MOST_OPEN[person.kind];
    const open = this.stored.openOf(person.id, most) + this.beginning(person.id);
    if (open >= most) throw tooManyOpen(open, most, "of your matches");
    const isGuest = person.kind === "guest";
    const from = isGuest ? this.openFrom(address) + this.beginning(address) : 0;
    if (from >= MOST_FROM) throw tooManyOpen(from, MOST_FROM, "matches that guests began from here");
    const counted = isGuest ? [person.id, address] : [person.id];
    for (const each of counted) this.underWay.set(each, this.beginning(each) + 1);
    return (id) => {
      for (const each of counted) this.leave(each);
      if (isGuest && id !== undefined) this.add(address, id);
    };
  }

  private beginning(of: string): number {
    return this.underWay.get(of) ?? 0;
  }

  private leave(of: string): void {
    const left = this.beginning(of) - 1;
    if (left > 0) this.underWay.set(of, left);
    else this.underWay.delete(of);
  }

  /** It is looked which of them are over only when they seem too many. */
  private openFrom(address: string): number {
    const begun = this.begun.get(address);
    if (!begun) return 0;
    if (begun.size + this.beginning(address) >= MOST_FROM)
      for (const id of begun) if (!this.stored.goesOn(id)) begun.delete(id);
    return begun.size;
  }

  private add(address: string, id: string): void {
    const begun = this.begun.get(address) ?? new Set();
    this.begun.delete(address);
    this.begun.set(address, begun.add(id));
    const [oldest] = this.begun.keys();
    if (this.begun.size > ADDRESSES && oldest !== undefined) this.begun.delete(oldest);
  }
}

/** @param whose what is counted */
function tooManyOpen(open: number, allowed: number, whose: string): Problem {
  const words = `${open} ${whose} go on, and ${allowed} may. End one first.`;
  return new Problem(429, "tooManyOpen", words, { open, allowed }, { "Retry-After": String(AGAIN) });
}
