/** What comes after a match: everybody confirms how it ended, and some want to play again. */

import type { NewMatch, Rematched, RematchRequest } from "@zany/client/api";
import { Problem } from "../problems.js";
import { type Asker, needSeat } from "./askers.js";
import type { Begun, Host } from "./host.js";
import type { LiveMatch } from "./live.js";
import type { Seating, Sent } from "./seating.js";

export class Afterwards {
  /** Rematches that are asked for now, by match: the second who asks agrees to what the first began. */
  private readonly asking = new Map<string, Promise<unknown>>();

  constructor(
    private readonly host: Host,
    private readonly seating: Seating,
  ) {}

  /** Confirms for a seat how a match ended. @throws Problem 409 while it goes on */
  confirm(id: string, seat: string): Promise<LiveMatch> {
    return this.host.change(id, (progress) => {
      if (!progress.situation.outcome) throw notOver();
      if (!progress.confirmed.includes(seat)) progress.confirmed = [...progress.confirmed, seat];
      return undefined;
    });
  }

  /**
   * Asks for a rematch, or agrees to the one that was asked for: a match of the same kind, its seats kept or swapped.
   * Each match has one.
   *
   * @throws Problem 409 while the match goes on
   */
  async rematch(match: LiveMatch, asker: Asker, wish: RematchRequest, sent: Sent): Promise<Rematched> {
    const { id, situation, cancelled } = match;
    if (!situation.outcome && cancelled === null) throw notOver();
    const seat = asker.host ? undefined : needSeat(asker);
    const turn = (this.asking.get(id) ?? Promise.resolve()).then(() => this.asked(match, asker, seat, wish, sent));
    const settled = turn.catch(() => {}).finally(() => this.asking.get(id) === settled && this.asking.delete(id));
    this.asking.set(id, settled);
    return turn;
  }

  private async asked(
    match: LiveMatch,
    asker: Asker,
    seat: string | undefined,
    wish: RematchRequest,
    sent: Sent,
  ): Promise<Rematched> {
    const begun = await this.begun(match, asker, wish, sent);
    const known = this.host.records.rematchOf(match.id);
    const next = begun?.match ?? (await this.host.find(known ?? ""));
    const own = seat === undefined ? null : movedTo(match, seat, next.movedOn);
    const name = match.holders[seat ?? ""]?.name ?? null;
    const key = own === null ? undefined : await this.takeOwn(next, own, name, asker, sent);
    const agreed = Object.values(next.holders).every((holder) => holder.state !== "waiting");
    return {
      ...{ match: next.id, seat: own, agreed },
      ...(key !== undefined && { key }),
      ...(asker.host && begun && { keys: begun.keys }),
      ...(asker.host && begun?.hostKey !== undefined && { hostKey: begun.hostKey }),
    };
  }

  /** Begins the rematch for whoever asks first; for a host who repeats that, what was told then. */
  private async begun(match: LiveMatch, asker: Asker, wish: RematchRequest, sent: Sent): Promise<Begun | undefined> {
    const before = asker.host && sent.request ? await this.host.begunBefore(sent.request) : undefined;
    if (before || this.host.records.rematchOf(match.id) !== undefined) return before;
    const movedOn = wish.swap ? 1 : 0;
    const again = this.wishOf(match, asker, movedOn);
    return this.host.begin(again, asker.caller, asker.host ? sent.request : undefined, { of: match.id, movedOn });
  }

  /** Takes one's own seat in a rematch; gives its key to who has no key of a person. */
  private async takeOwn(
    next: LiveMatch,
    seat: string,
    name: string | null,
    asker: Asker,
    sent: Sent,
  ): Promise<string | undefined> {
    const holder = next.holders[seat];
    const repeated = holder?.kind === "link" && sent.request !== undefined;
    if (!holder || (holder.state !== "waiting" && !repeated)) return undefined;
    const taken = await this.seating.takeKept(next.id, seat, asker.caller, { ...holder, name }, sent);
    return taken.refusal ? undefined : taken.key;
  }

  /** The same kind of match with the same people; who has no key of a person comes with the key of the seat before. */
  private wishOf(match: LiveMatch, asker: Asker, movedOn: number): NewMatch {
    const { header, holders, bots, machine, manualTime } = match;
    const people: Record<string, string> = {};
    const links: string[] = [];
    const open: string[] = [];
    const policies: Record<string, string> = {};
    for (const seat of header.seats) {
      const to = movedTo(match, seat, movedOn);
      const holder = holders[seat];
      const policy = bots[seat];
      if (policy !== undefined) policies[to] = policy;
      if (holder?.state === "left" || holder?.kind === "open") open.push(to);
      else if (holder?.person && holder.state === "held") people[to] = this.host.people.find(holder.person).handle;
      else if (policy === undefined && !asker.host) links.push(to);
    }
    return {
      machine: machine.hash,
      seats: header.seats.length,
      people,
      links,
      open,
      bots: policies,
      clock: manualTime === null ? "real" : "manual",
      ...(header.given && { given: header.given }),
    };
  }
}

/** The seat that whoever sat in one sits in next. */
function movedTo({ header: { seats } }: LiveMatch, seat: string, movedOn: number): string {
  return seats[(seats.indexOf(seat) + movedOn) % seats.length] ?? seat;
}

function notOver(): Problem {
  return new Problem(409, "notOver", "This match is not over.");
}
