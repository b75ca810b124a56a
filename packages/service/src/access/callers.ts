/**
 * Who a request comes from, by the key it carries. On loopback nobody needs one: whoever is on this computer may store
 * machines, begin matches and watch them. Elsewhere nothing is open but what a key opens.
 */

import type { Request } from "express";
import { Problem } from "../problems.js";
import { bearerKey, hashSecret, NO_KEY } from "../secrets.js";
import type { FoundKey, Keys } from "./keys.js";
import type { People, Person } from "./people.js";
import { addressOf, WrongKeys } from "./wrong-keys.js";

/** Who asks. `hash` is the digest of the key, the same for as long as it is the same client. */
export type Caller =
  | { readonly kind: "nobody"; readonly hash: string }
  | { readonly kind: "admin"; readonly hash: string }
  /** `address` is where the request comes from. */
  | { readonly kind: "person"; readonly hash: string; readonly person: Person; readonly address: string }
  | { readonly kind: "seat"; readonly hash: string; readonly match: string; readonly seat: string }
  | { readonly kind: "host"; readonly hash: string; readonly match: string }
  | { readonly kind: "watcher"; readonly hash: string; readonly match: string };

/** Whether keys are needed. */
export interface Doors {
  /** Nobody needs a key, as on loopback. */
  readonly open: boolean;
  /** Anybody may become a guest. */
  readonly guests: boolean;
}

export class Callers {
  private readonly wrong = new WrongKeys();

  constructor(
    private readonly keys: Keys,
    readonly people: People,
    readonly doors: Doors,
  ) {}

  /**
   * Who a request comes from.
   *
   * @throws Problem 401 for a key that is not known, 429 after many of them
   */
  async of(request: Request<object>): Promise<Caller> {
    const bearer = bearerKey(request);
    const hash = bearer?.hash ?? ticketOf(request);
    if (hash === undefined) return NOBODY;
    this.wrong.refuse(request);
    const found = this.keys.findHash(hash);
    // A ticket opens the one stream it was made for; a key stands in no address.
    const fits = bearer === undefined ? found?.kind === "ticket" && isOf(found, request) : found?.kind !== "ticket";
    const caller = found && fits ? this.callerOf(found, addressOf(request)) : undefined;
    if (caller) return caller;
    await this.wrong.slow(request);
    throw new Problem(401, "badKey", "This key is not known here. It may have been revoked.", {}, CHALLENGE);
  }

  /** Who asks, when that is somebody with a key, or anybody where none is needed. @throws Problem 401, 429 */
  async inside(request: Request<object>): Promise<Caller> {
    const caller = await this.of(request);
    if (caller.kind === "nobody" && !this.doors.open)
      throw new Problem(401, "noKey", "Nothing is open here without a key: Authorization: Bearer KEY.", {}, CHALLENGE);
    return caller;
  }

  /** @throws Problem 401 or 403 for anybody but a person or a game's own server */
  async person(request: Request<object>): Promise<Extract<Caller, { kind: "person" }>> {
    const caller = await this.of(request);
    if (caller.kind === "person") return caller;
    throw new Problem(
      caller.kind === "nobody" ? 401 : 403,
      caller.kind === "nobody" ? "noKey" : "badKey",
      "For this, a person's key is needed: Authorization: Bearer KEY.",
      {},
      caller.kind === "nobody" ? CHALLENGE : {},
    );
  }

  /** @throws Problem 401 or 403 for anybody but the admin */
  async admin(request: Request<object>): Promise<void> {
    const caller = await this.of(request);
    if (caller.kind === "admin") return;
    throw new Problem(
      caller.kind === "nobody" ? 401 : 403,
      caller.kind === "nobody" ? "noKey" : "badKey",
      "For this, the admin's key is needed: Authorization: Bearer KEY.",
      {},
      caller.kind === "nobody" ? CHALLENGE : {},
    );
  }

  /** Whoever may store machines and logbooks, and see everything that is public. @throws Problem 401, 403 */
  async maker(request: Request<object>): Promise<void> {
    const caller = await this.inside(request);
    if (this.doors.open || caller.kind === "admin" || isHost(caller)) return;
    throw new Problem(403, "badKey", "For this, the admin's key is needed, or that of a game's own server.");
  }

  private callerOf(found: FoundKey, address: string): Caller | undefined {
    const { key_hash: hash, kind, match, seat, person, parent } = found;
    if (kind === "admin") return { kind, hash };
    if (kind === "person" && person !== null) return { kind, hash, person: this.people.find(person), address };
    if (kind === "seat" && match !== null && seat !== null) return { kind, hash, match, seat };
    if ((kind === "host" || kind === "watcher") && match !== null) return { kind, hash, match };
    const stands = kind === "ticket" && parent !== null ? this.keys.findHash(parent) : undefined;
    return stands && this.callerOf(stands, address);
  }
}

/** True for a game's own server. */
export function isHost(caller: Caller): boolean {
  return caller.kind === "person" && caller.person.kind === "host";
}

/** What a 401 says of the keys that are taken. */
export const CHALLENGE = { "WWW-Authenticate": 'Bearer realm="Zany Compass"' };

/** What names of requests of clients without a key belong to. */
const NOBODY: Caller = { kind: "nobody", hash: NO_KEY.hash };

/** Whether a ticket was made for the stream that a request asks for. */
function isOf({ match }: FoundKey, request: Request<object>): boolean {
  const [path] = request.originalUrl.split("?");
  return path === (match === null ? "/api/me/stream" : `/api/matches/${match}/stream`);
}

/** The digest of a ticket, which stands in the address of a stream: browsers' own event source sends no header. */
function ticketOf(request: Request<object>): string | undefined {
  const { ticket } = request.query;
  return typeof ticket === "string" && request.path.endsWith("/stream") ? hashSecret(ticket) : undefined;
}
