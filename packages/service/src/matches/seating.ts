/**
 * Who comes to a seat, who goes, and who is invited. Each is a change in the match's line, so that it has one winner.
 */

import type { InvitationRequest } from "@zany/client/api";
import { canBeLeft, type Input, seatsNow } from "@zany/core";
import type { Caller } from "../access/callers.js";
import { Problem } from "../problems.js";
import { newKey, unsealed } from "../secrets.js";
import type { Asker } from "./askers.js";
import { linkTo } from "./beginning.js";
import { needPolicy } from "./bots.js";
import { FREE, linkHolds, personHolds } from "./holders.js";
import type { Host } from "./host.js";
import { type RequestName, requestColumns, type TakenInput } from "./line.js";
import type { Holder, LiveMatch, MatchProgress } from "./live.js";

/** How long the key of a seat is told again to whoever repeats the request, in milliseconds. */
const KEPT = 86_400_000;

/** A seat that was taken. Its key is told this once; a person's own key opens it as well, so they get none. */
export type TakenSeat = TakenInput & { readonly seat: string; readonly key: string | undefined };

/** How a request is known, and which client sends it. */
export interface Sent {
  readonly request?: RequestName | undefined;
  readonly client?: string | undefined;
}

export class Seating {
  constructor(private readonly host: Host) {}

  /** Takes a seat that anybody may take, or that the caller is invited to. */
  async take(id: string, seat: string, caller: Caller, sent: Sent): Promise<TakenSeat> {
    if (caller.kind !== "person") return this.seated(id, seat, linkHolds("held"), newKey(), sent);
    return this.seated(id, seat, personHolds(caller.person.id), undefined, sent);
  }

  /** Takes a seat that is kept for the caller, whatever it is kept by. */
  takeKept(id: string, seat: string, caller: Caller, kept: Holder, sent: Sent): Promise<TakenSeat> {
    if (kept.kind === "person") return this.take(id, seat, caller, sent);
    return this.seated(id, seat, linkHolds("held", kept.name), newKey(), sent, true);
  }

  /**
   * Takes the seat of a link. It works once.
   *
   * @throws Problem 403 for a link that is not known, was used, or was replaced
   */
  async redeem(id: string, secret: string, name: string | null, sent: Sent): Promise<TakenSeat> {
    const link = this.host.keys.find(secret);
    if (link?.kind === "link" && link.match === id && link.seat !== null)
      return this.seated(id, link.seat, linkHolds("held", name), newKey(), sent, true);
    const before = sent.request && this.before(id, sent.request);
    if (before) return { match: await this.host.find(id), before, ...before };
    throw new Problem(403, "badLink", "This link is not known: it was used, replaced or withdrawn. Ask for a new one.");
  }

  /** What a link was exchanged for by a request of this name, which is repeated. */
  private before(id: string, request: RequestName) {
    const { key_hash, name, content } = requestColumns({ ...request, secret: "" });
    const known = this.host.records.requestOf(id, key_hash, name);
    if (known?.content !== content || known.answer === null) return undefined;
    const key = unsealed(known.answer, request.key.key, request.name);
    return { ...known, key, seat: this.host.keys.find(key)?.seat ?? "" };
  }

  private async seated(
    id: string,
    seat: string,
    holder: Holder,
    key: string | undefined,
    { request, client }: Sent,
    invited = false,
  ): Promise<TakenSeat> {
    const { runnable } = await this.host.find(id);
    const taken = await this.host.take(id, {
      input(at) {
        const status = seatsNow(runnable, at.situation).find((s) => s.seat === seat)?.status;
        const now = at.holders[seat];
        if (now?.state === "held" && now.person !== null && now.person === holder.person)
          throw new Problem(409, "seatTaken", `You hold ${seat} already.`);
        const awaited = now?.state === "waiting" && (invited || now.person === (holder.person ?? ""));
        if (isKept(now) && !awaited) throw reserved(seat);
        const without = status === "in" && (now?.kind === "open" || now?.state === "waiting");
        return without ? undefined : { kind: "join", seat };
      },
      change: (progress) => {
        progress.bots = withoutBot(progress.bots, seat);
        return this.setHolder(id, progress, seat, holder, () => {
          if (key === undefined) this.host.keys.revokeSeat(id, seat);
          else this.host.keys.giveSeat(id, seat, key);
        });
      },
      request: request && { ...request, lasts: KEPT, ...(key !== undefined && { secret: key }) },
      client,
    });
    const again = taken.before?.answer;
    return { ...taken, seat, key: again && request ? unsealed(again, request.key.key, request.name) : key };
  }

  /**
   * Leaves a seat for good. Where the machine cannot be left, a person or whoever came by a link goes all the same: the
   * seat waits, and whoever began the match is told.
   */
  async leave(id: string, seat: string, asker: Asker, { request, client }: Sent): Promise<TakenInput> {
    const { runnable } = await this.host.find(id);
    return this.host.take(id, {
      input: ({ holders }) => {
        const holder = holders[seat];
        if (holder?.state === "left") throw new Problem(409, "seatOut", `${seat} was left already.`);
        const goes = !asker.host && (holder?.kind === "person" || holder?.kind === "link");
        return goes && !canBeLeft(runnable) ? undefined : { kind: "leave", seat };
      },
      change: (progress) => {
        const { [seat]: holder } = progress.holders;
        return holder && this.setHolder(id, progress, seat, { ...holder, state: "left" });
      },
      request: request && { ...request, lasts: KEPT },
      client,
    });
  }

  /**
   * Lets a policy play a seat, or with null gives it back to people. A bot in a seat that is open to all takes part
   * until somebody comes.
   */
  async setBot(id: string, seat: string, policy: string | null, { request, client }: Sent): Promise<LiveMatch> {
    const match = await this.host.find(id);
    const { runnable, header } = match;
    if (policy !== null) needPolicy(runnable, header.seats, seat, policy);
    const isOpen = ({ situation }: MatchProgress): boolean =>
      seatsNow(runnable, situation).some((s) => s.seat === seat && s.status === "open");
    let joins = false;
    await this.host.take(id, {
      input(at): Input | undefined {
        joins = policy !== null && isOpen(at);
        if (joins && isKept(at.holders[seat])) throw reserved(seat);
        return joins ? { kind: "join", seat } : undefined;
      },
      change: (progress) => {
        progress.bots = policy === null ? withoutBot(progress.bots, seat) : { ...progress.bots, [seat]: policy };
        progress.botSteps = 0;
        return joins ? this.setHolder(id, progress, seat, FREE) : undefined;
      },
      request: request && { ...request, lasts: KEPT },
      client,
    });
    return match;
  }

  /**
   * Keeps an open seat for somebody: a person, or whoever opens its link. A new link takes the place of the one
   * before, and of the key that was got for it.
   *
   * @returns the link's address below the service's; undefined for a person
   * @throws Problem 409 for a seat that somebody else sits in, 422 for somebody who is not there
   */
  async invite(id: string, seat: string, whom: InvitationRequest): Promise<string | undefined> {
    const { runnable, header } = await this.host.find(id);
    needSeat(header.seats, seat);
    const secret = "link" in whom ? newKey() : undefined;
    const holder =
      "person" in whom ? personHolds(this.host.people.called(whom.person).id, "waiting") : linkHolds("waiting");
    await this.host.change(id, (progress) => {
      const status = seatsNow(runnable, progress.situation).find((s) => s.seat === seat)?.status;
      const now = progress.holders[seat];
      const free = status === "open" || (secret !== undefined && (now === undefined || now.kind === "link"));
      if (status === "out" || !free)
        throw new Problem(
          409,
          "seatTaken",
          `Nobody can be invited to ${seat}: ${status === "out" ? "it is out" : "somebody sits there"}.`,
        );
      return this.setHolder(id, progress, seat, holder, () => {
        if (secret === undefined) this.host.keys.revokeSeat(id, seat);
        else this.host.keys.giveSeat(id, seat, secret, "link");
      });
    });
    return secret === undefined ? undefined : linkTo(id, secret);
  }

  /**
   * Declines an invitation, or takes it back.
   *
   * @throws Problem 409 when nobody is invited to the seat, 403 for somebody who neither is nor invites
   */
  async withdraw(id: string, seat: string, asker: Asker): Promise<LiveMatch> {
    const self = asker.caller.kind === "person" ? asker.caller.person.id : undefined;
    return this.host.change(id, (progress) => {
      const now = progress.holders[seat];
      const mine = self !== undefined && now?.person === self;
      if (!mine && !asker.owner)
        throw new Problem(403, "badKey", "Only who is invited can decline, and only who began the match can withdraw.");
      if (now?.state !== "waiting") throw new Problem(409, "notInvited", `Nobody is invited to ${seat}.`);
      const state = mine ? "declined" : "withdrawn";
      return this.setHolder(id, progress, seat, { ...now, state }, () => this.host.keys.revokeSeat(id, seat));
    });
  }

  /** Gives a seat that is held by its key to a person who has both keys. The seat's key ends. */
  async claim(id: string, key: string, person: string): Promise<{ readonly match: LiveMatch; readonly seat: string }> {
    const found = this.host.keys.find(key);
    if (found?.kind !== "seat" || found.match !== id || found.seat === null)
      throw new Problem(403, "badKey", "This is no key of a seat of this match.");
    const { seat } = found;
    const match = await this.host.change(id, (progress) => {
      // By now the key may have been replaced, or the seat claimed.
      const still = this.host.keys.find(key) !== undefined && progress.holders[seat]?.kind !== "person";
      if (!still) throw new Problem(403, "badKey", "This is no key of a seat of this match.");
      return this.setHolder(id, progress, seat, personHolds(person), () => this.host.keys.revokeSeat(id, seat));
    });
    return { match, seat };
  }

  /** Sets who holds a seat; gives what is to be written. */
  private setHolder(id: string, progress: MatchProgress, seat: string, holder: Holder, also?: () => void): () => void {
    progress.holders = { ...progress.holders, [seat]: holder };
    return () => {
      this.host.records.setSeat(id, seat, holder);
      also?.();
    };
  }
}

/** Whether a seat is kept for somebody: whoever began the match says what becomes of it when they do not come. */
function isKept(holder: Holder | undefined): boolean {
  return holder !== undefined && holder.state !== "held" && holder.state !== "left";
}

function withoutBot(bots: MatchProgress["bots"], seat: string): MatchProgress["bots"] {
  const { [seat]: _, ...others } = bots;
  return others;
}

/** @throws Problem 404 for a seat that a match does not have */
function needSeat(seats: readonly string[], seat: string): void {
  if (!seats.includes(seat))
    throw new Problem(404, "noSuchSeat", `There is no seat ${seat}; the seats are ${seats.join(", ")}.`);
}

function reserved(seat: string): Problem {
  return new Problem(409, "reserved", `${seat} is kept for somebody who is invited.`);
}
