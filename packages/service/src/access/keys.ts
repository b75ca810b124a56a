/** The keys of everybody: made, found by what is kept of them, and taken away. */

import type { KeyRow } from "../storage/schema.js";
import type { Store } from "../storage/store.js";
import { hashSecret } from "../secrets.js";

/** A key as it is found. */
export type FoundKey = Pick<KeyRow, "key_hash" | "kind" | "match" | "seat" | "person" | "parent" | "expires">;

/** What a new key opens. */
export interface NewKey {
  readonly kind: KeyRow["kind"];
  readonly match?: string;
  readonly seat?: string;
  readonly person?: string;
  /** The digest of the key that it ends with. */
  readonly parent?: string;
  readonly name?: string;
  /** In milliseconds since 1970 UTC. */
  readonly expires?: number;
}

/** A key in the list of its owner: never the key itself. */
export interface ListedKey {
  /** The first letters of its digest: what it is revoked by. */
  readonly id: string;
  readonly name: string;
  readonly created: string;
}

/** How long a ticket opens its stream, in milliseconds. */
const TICKET_LASTS = 60_000;

/** How many letters of a digest tell one key of a person from the others. */
const ID_LENGTH = 16;

/** How many keys that were found lately are remembered. */
const REMEMBERED = 10_000;

export class Keys {
  /** Keys as they were found, by digest, those found last at the end; revoked ones are forgotten, in both threads. */
  private readonly found = new Map<string, FoundKey>();
  private readonly insert;
  private readonly select;
  private readonly ofSeat;
  private readonly ofMatch;
  private readonly deleteOne;
  private readonly selectChildren;
  private readonly deleteExpired;
  private readonly listeners: ((hashes: readonly string[]) => void)[] = [];

  constructor(private readonly store: Store) {
    this.insert = store.prepare<KeyRow>((db, value) =>
      db.insertInto("keys").values({
        key_hash: value("key_hash"),
        kind: value("kind"),
        match: value("match"),
        seat: value("seat"),
        person: value("person"),
        parent: value("parent"),
        name: value("name"),
        created: value("created"),
        expires: value("expires"),
      }),
    );
    this.select = store.prepare<{ key_hash: string }, FoundKey>((db, value) =>
      db
        .selectFrom("keys")
        .select(["key_hash", "kind", "match", "seat", "person", "parent", "expires"])
        .where("key_hash", "=", value("key_hash")),
    );
    this.ofSeat = store.prepare<{ match: string; seat: string }, { key_hash: string }>((db, value) =>
      db
        .selectFrom("keys")
        .select("key_hash")
        .where("match", "=", value("match"))
        .where("seat", "=", value("seat"))
        .where("kind", "in", ["seat", "link"]),
    );
    this.ofMatch = store.prepare<{ match: string; kind: KeyRow["kind"] }, { key_hash: string }>((db, value) =>
      db.selectFrom("keys").select("key_hash").where("match", "=", value("match")).where("kind", "=", value("kind")),
    );
    this.selectChildren = store.prepare<{ parent: string }, { key_hash: string }>((db, value) =>
      db.selectFrom("keys").select("key_hash").where("parent", "=", value("parent")),
    );
    this.deleteOne = store.prepare<{ key_hash: string }>((db, value) =>
      db.deleteFrom("keys").where("key_hash", "=", value("key_hash")),
    );
    this.deleteExpired = store.prepare<{ now: number }>((db, value) =>
      db.deleteFrom("keys").where("expires", "<", value("now")),
    );
  }

  /** Whose key it is; undefined for one that is not known, or has ended. Digests are compared, never keys. */
  find(key: string): FoundKey | undefined {
    return this.findHash(hashSecret(key));
  }

  findHash(key_hash: string): FoundKey | undefined {
    const row = this.found.get(key_hash) ?? this.remembered(this.select.first({ key_hash }));
    return row && row.expires !== null && row.expires < Date.now() ? undefined : row;
  }

  private remembered(row: FoundKey | undefined): FoundKey | undefined {
    if (row === undefined) return undefined;
    this.found.set(row.key_hash, row);
    const [oldest] = this.found.keys();
    if (this.found.size > REMEMBERED && oldest !== undefined) this.found.delete(oldest);
    return row;
  }

  /** Looks keys up anew that the other thread has taken away. */
  forget(hashes: readonly string[]): void {
    for (const hash of hashes) this.found.delete(hash);
  }

  // ---- inside a write ---------------------------------------------------------------------------

  /** Keeps the digest of a key. */
  add(key: string, { kind, match, seat, person, parent, name = "", expires }: NewKey): void {
    this.insert.run({
      key_hash: hashSecret(key),
      kind,
      match: match ?? null,
      seat: seat ?? null,
      person: person ?? null,
      parent: parent ?? null,
      name,
      created: new Date().toISOString(),
      expires: expires ?? null,
    });
  }

  /** Keeps a ticket: it stands for a key in the address of one stream, for a while. @param match none for a person's */
  addTicket(ticket: string, parent: string, match?: string): number {
    const expires = Date.now() + TICKET_LASTS;
    this.add(ticket, { kind: "ticket", parent, expires, ...(match !== undefined && { match }) });
    return expires;
  }

  /** Gives a seat a key or a link, and takes away what it had. */
  giveSeat(match: string, seat: string, key: string, kind: "seat" | "link" = "seat"): void {
    this.revokeSeat(match, seat);
    this.add(key, { kind, match, seat });
  }

  /** Takes a seat's key and link away. */
  revokeSeat(match: string, seat: string): void {
    this.revoke(this.ofSeat.all({ match, seat }).map((row) => row.key_hash));
  }

  /** Takes all keys of a kind away that a match has. */
  revokeAll(match: string, kind: KeyRow["kind"]): void {
    this.revoke(this.ofMatch.all({ match, kind }).map((row) => row.key_hash));
  }

  /** Takes keys away, and those made with them. Their streams end. */
  revoke(hashes: readonly string[]): void {
    const gone: string[] = [];
    for (const key_hash of hashes) {
      this.revokeMadeWith(key_hash, gone);
      this.deleteOne.run({ key_hash });
      gone.push(key_hash);
    }
    this.forget(gone);
    if (gone.length > 0) setImmediate(() => this.tell(gone));
  }

  private revokeMadeWith(parent: string, gone: string[]): void {
    for (const { key_hash } of this.selectChildren.all({ parent })) {
      this.deleteOne.run({ key_hash });
      gone.push(key_hash);
    }
  }

  /** Forgets keys that have ended by themselves. */
  clean(): void {
    this.deleteExpired.run({ now: Date.now() });
  }

  // ---- lists --------------------------------------------------------------------------------------

  /** The keys of a person, or of the admin, the oldest first. */
  async listOf(person: string | null): Promise<ListedKey[]> {
    const rows = await this.store.db
      .selectFrom("keys")
      .select(["key_hash", "name", "created"])
      .where("kind", "=", person === null ? "admin" : "person")
      .where("person", person === null ? "is" : "=", person)
      .orderBy("created")
      .execute();
    return rows.map(({ key_hash, name, created }) => ({ id: key_hash.slice(0, ID_LENGTH), name, created }));
  }

  /** The digest of a person's key by its id in the list. */
  async hashOf(person: string, id: string): Promise<string | undefined> {
    const row = await this.store.db
      .selectFrom("keys")
      .select("key_hash")
      .where("kind", "=", "person")
      .where("person", "=", person)
      .where("key_hash", ">=", id)
      .where("key_hash", "<", `${id}g`)
      .executeTakeFirst();
    return id.length === ID_LENGTH ? row?.key_hash : undefined;
  }

  /** Whether there is an admin's key. */
  async hasAdmin(): Promise<boolean> {
    return (await this.listOf(null)).length > 0;
  }

  // ---- who wants to know ----------------------------------------------------------------------------

  /** Calls `then` with the digests of keys that were taken away. */
  onRevoked(then: (hashes: readonly string[]) => void): void {
    this.listeners.push(then);
  }

  tell(hashes: readonly string[]): void {
    for (const listener of this.listeners) listener(hashes);
  }
}

/** The id of a key in lists. */
export function idOf(key_hash: string): string {
  return key_hash.slice(0, ID_LENGTH);
}
