/** Who a request comes from: the holder of a seat's key, the host, or a watcher. */

import { hashSecret } from "../secrets.js";
import { Problem } from "../problems.js";
import type { Store } from "../storage/store.js";

/** Who asks. A watcher has no key. */
export type Asker =
  | { readonly kind: "seat"; readonly seat: string }
  | { readonly kind: "host" }
  | { readonly kind: "watcher" };

export const WATCHER: Asker = { kind: "watcher" };
export const HOST: Asker = { kind: "host" };

/** The seat that an asker sees a match with; null for what is public. */
export function seatOf(asker: Asker): string | null {
  return asker.kind === "seat" ? asker.seat : null;
}

/** In the table the host's key stands where a seat's name would be empty. */
const HOST_COLUMN = "";

export class MatchKeys {
  private readonly insert;
  private readonly holder;
  private readonly forget;

  constructor(store: Store) {
    this.forget = store.prepare<{ match: string; seat: string }>((db, value) =>
      db.deleteFrom("keys").where("match", "=", value("match")).where("seat", "=", value("seat")),
    );
    this.insert = store.prepare<{ match: string; seat: string; key_hash: string }>((db, value) =>
      db.insertInto("keys").values({ match: value("match"), seat: value("seat"), key_hash: value("key_hash") }),
    );
    this.holder = store.prepare<{ match: string; key_hash: string }, { seat: string }>((db, value) =>
      db
        .selectFrom("keys")
        .select("seat")
        .where("match", "=", value("match"))
        .where("key_hash", "=", value("key_hash")),
    );
  }

  /** Gives a seat a key, and takes one away that it had; to be called inside a write. */
  giveSeat(match: string, seat: string, key: string): void {
    this.forget.run({ match, seat });
    this.insert.run({ match, seat, key_hash: hashSecret(key) });
  }

  /** Gives the host its key; to be called inside a write. */
  giveHost(match: string, key: string): void {
    this.insert.run({ match, seat: HOST_COLUMN, key_hash: hashSecret(key) });
  }

  /**
   * Whose key it is.
   *
   * @throws Problem 403 when the key is of no seat of this match
   */
  asker(match: string, key: string | undefined): Asker {
    if (key === undefined) return WATCHER;
    const row = this.holder.first({ match, key_hash: hashSecret(key) });
    if (!row) throw new Problem(403, "badKey", "This key belongs to no seat of this match.");
    return row.seat === HOST_COLUMN ? HOST : { kind: "seat", seat: row.seat };
  }
}

/** The seat whose key came with a request. @throws Problem 401 for anybody else */
export function needSeat(asker: Asker): string {
  if (asker.kind !== "seat")
    throw new Problem(401, "noKey", "To act, send your seat's key: Authorization: Bearer KEY.");
  return asker.seat;
}

/** @throws Problem 401 or 403 unless the host's key came with a request */
export function needHost(asker: Asker): void {
  if (asker.kind === "watcher")
    throw new Problem(401, "noKey", "To speak for the game, send the host's key: Authorization: Bearer KEY.");
  if (asker.kind !== "host")
    throw new Problem(403, "badKey", "This is a seat's key; for this, the host's key is needed.");
}

/** Lets whoever holds a seat decide about it, or the host. @throws Problem 401 or 403 for others */
export function needHolder(asker: Asker, seat: string): void {
  if (asker.kind === "watcher")
    throw new Problem(401, "noKey", "Send the seat's key or the host's: Authorization: Bearer KEY.");
  if (asker.kind === "seat" && asker.seat !== seat) throw new Problem(403, "badKey", `This key is not of ${seat}.`);
}
