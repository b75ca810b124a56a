/** People: somebody with a display name, a handle to be invited by, and a key for each device. */

import type { Page } from "@zany/client/api";
import { sql } from "kysely";
import { pageOf } from "../http/pages.js";
import { Problem } from "../problems.js";
import { newId, newKey } from "../secrets.js";
import type { PersonRow } from "../storage/schema.js";
import type { Store } from "../storage/store.js";
import type { Writer } from "../storage/writer.js";
import type { Keys } from "./keys.js";

export type Person = Pick<PersonRow, "id" | "kind" | "handle" | "name">;

export class People {
  private readonly insert;
  private readonly select;
  private readonly byHandle;
  private readonly update;

  constructor(
    private readonly store: Store,
    private readonly writer: Writer,
    private readonly keys: Keys,
  ) {
    this.insert = store.prepare<PersonRow>((db, value) =>
      db.insertInto("people").values({
        id: value("id"),
        kind: value("kind"),
        handle: value("handle"),
        name: value("name"),
        created: value("created"),
      }),
    );
    this.select = store.prepare<{ id: string }, Person>((db, value) =>
      db.selectFrom("people").select(["id", "kind", "handle", "name"]).where("id", "=", value("id")),
    );
    this.byHandle = store.prepare<{ handle: string }, Person>((db, value) =>
      db.selectFrom("people").select(["id", "kind", "handle", "name"]).where("handle", "=", value("handle")),
    );
    this.update = store.prepare<Pick<PersonRow, "id" | "name">>((db, value) =>
      db
        .updateTable("people")
        .set({ name: value("name") })
        .where("id", "=", value("id")),
    );
  }

  /**
   * Makes a person with a first key, which is told this once.
   *
   * @param handle without, one made of letters
   * @throws Problem 409 for a handle that is taken
   */
  async add(
    kind: Person["kind"],
    name: string,
    handle: string | undefined,
    device: string,
  ): Promise<{ person: Person; key: string }> {
    const person: Person = { id: newId(), kind, handle: handle ?? `${kind}-${newId(6)}`, name };
    const key = newKey();
    await this.writer.write(() => {
      if (this.byHandle.first({ handle: person.handle }))
        throw new Problem(
          409,
          "handleTaken",
          `Somebody else is called "${person.handle}" here. Choose another handle.`,
        );
      this.insert.run({ ...person, created: new Date().toISOString() });
      this.keys.add(key, { kind: "person", person: person.id, name: device });
    });
    return { person, key };
  }

  /** Gives a person a key for one more device, told this once. */
  async addKey(person: string, device: string): Promise<string> {
    const key = newKey();
    await this.writer.write(() => this.keys.add(key, { kind: "person", person, name: device }));
    return key;
  }

  rename(id: string, name: string): Promise<void> {
    return this.writer.write(() => void this.update.run({ id, name }));
  }

  /** Somebody by id, whom a key or a seat names. */
  find(id: string): Person {
    const person = this.select.first({ id });
    if (!person) throw new Error(`there is no person ${id}`);
    return person;
  }

  /** Somebody by handle. @throws Problem 422 when there is nobody of that handle who can hold a seat */
  called(handle: string): Person {
    const person = this.byHandle.first({ handle });
    if (person && person.kind !== "host") return person;
    throw new Problem(422, "noSuchPerson", `There is nobody with the handle "${handle}" here.`);
  }

  /** Everybody, for the admin, by handle. @param after a handle to go on behind */
  async list(limit: number, after: string | undefined): Promise<Page<Person>> {
    const rows = await this.store.db
      .selectFrom("people")
      .select(["id", "kind", "handle", "name"])
      .$if(after !== undefined, (query) => query.where("handle", ">", after ?? ""))
      .orderBy("handle")
      .limit(limit + 1)
      .execute();
    return pageOf(rows, limit, ({ handle }) => handle);
  }

  /** Those a person has played with, the last first. @param after where the page before ended, as it said */
  async playedWith(person: string, limit: number, after: string | undefined): Promise<Page<Person>> {
    const [played = "", id = ""] = after?.split(" ") ?? [];
    const last = sql<string>`max(matches.updated)`;
    const rows = await this.store.db
      .selectFrom("seats as own")
      .innerJoin("seats as other", "other.match", "own.match")
      .innerJoin("people", "people.id", "other.person")
      .innerJoin("matches", "matches.id", "own.match")
      .select(["people.id", "people.kind", "people.handle", "people.name", last.as("played")])
      .where("own.person", "=", person)
      .where("other.person", "!=", person)
      .where("own.state", "=", "held")
      .where("other.state", "=", "held")
      .groupBy("people.id")
      .$if(after !== undefined, (query) => query.having(sql<boolean>`(${last}, people.id) < (${played}, ${id})`))
      .orderBy("played", "desc")
      .orderBy("people.id", "desc")
      .limit(limit + 1)
      .execute();
    return pageOf(rows, limit, (one) => `${one.played} ${one.id}`);
  }
}
