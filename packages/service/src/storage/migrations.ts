/** How a database comes to the tables of `schema.ts`: version by version, each written once and never changed. */

import { type Kysely, type Migration, Migrator, sql } from "kysely";
import type { Schema } from "./schema.js";

/** The first migrations of data folders with logbooks that this version does not read, and what does. */
const OLDER_FORMATS = [
  { format: 1, migrations: ["0001-first", "0002-parts", "0003-hand-and-bots"], lastVersion: "0.1.0" },
  { format: 2, migrations: ["0100-format-2", "0101-rules"], lastVersion: "0.2.0" },
];

const migrations: Record<string, Migration> = {
  "0200-format-3": {
    async up(db: Kysely<unknown>) {
      const { schema } = db;
      const strict = sql`STRICT`;
      await schema
        .createTable("machines")
        .addColumn("hash", "text", (c) => c.primaryKey())
        .addColumn("name", "text", (c) => c.notNull())
        .addColumn("version", "integer", (c) => c.notNull())
        .addColumn("text", "text", (c) => c.notNull())
        .addColumn("parts", "text", (c) => c.notNull())
        .addColumn("rules", "text", (c) => c.notNull())
        .addColumn("created", "text", (c) => c.notNull())
        .addUniqueConstraint("machines_name_version", ["name", "version"])
        .modifyEnd(strict)
        .execute();
      await schema
        .createTable("matches")
        .addColumn("id", "text", (c) => c.primaryKey())
        .addColumn("machine", "text", (c) => c.notNull().references("machines.hash"))
        .addColumn("header", "text", (c) => c.notNull())
        .addColumn("step", "integer", (c) => c.notNull())
        .addColumn("chain", "text", (c) => c.notNull())
        .addColumn("outcome", "text")
        .addColumn("due", "integer")
        .addColumn("due_seen", "integer")
        .addColumn("suspended", "text")
        .addColumn("cancelled", "text")
        .addColumn("manual_time", "integer")
        .addColumn("bots", "text", (c) => c.notNull())
        .addColumn("created", "text", (c) => c.notNull())
        .addColumn("updated", "text", (c) => c.notNull())
        .modifyEnd(strict)
        .execute();
      await schema.createIndex("matches_due").on("matches").column("due").where("due", "is not", null).execute();
      await schema.createIndex("matches_updated").on("matches").column("updated").execute();
      await schema
        .createTable("keys")
        .addColumn("match", "text", (c) => c.notNull().references("matches.id"))
        .addColumn("seat", "text", (c) => c.notNull())
        .addColumn("key_hash", "text", (c) => c.notNull())
        .addPrimaryKeyConstraint("keys_primary", ["match", "seat"])
        .modifyEnd(strict)
        .execute();
      await schema
        .createTable("steps")
        .addColumn("match", "text", (c) => c.notNull())
        .addColumn("step", "integer", (c) => c.notNull())
        .addColumn("line", "text", (c) => c.notNull())
        .addPrimaryKeyConstraint("steps_primary", ["match", "step"])
        .modifyEnd(sql`STRICT, WITHOUT ROWID`)
        .execute();
      await schema
        .createTable("requests")
        .addColumn("match", "text", (c) => c.notNull())
        .addColumn("key_hash", "text", (c) => c.notNull())
        .addColumn("name", "text", (c) => c.notNull())
        .addColumn("content", "text", (c) => c.notNull())
        .addColumn("step", "integer", (c) => c.notNull())
        .addPrimaryKeyConstraint("requests_primary", ["match", "key_hash", "name"])
        .modifyEnd(sql`STRICT, WITHOUT ROWID`)
        .execute();
      await schema
        .createTable("snapshots")
        .addColumn("match", "text", (c) => c.notNull())
        .addColumn("step", "integer", (c) => c.notNull())
        .addColumn("situation", "text", (c) => c.notNull())
        .addColumn("chain", "text", (c) => c.notNull())
        .addColumn("seal", "text", (c) => c.notNull())
        .addPrimaryKeyConstraint("snapshots_primary", ["match", "step"])
        .modifyEnd(strict)
        .execute();
      await schema
        .createTable("logbooks")
        .addColumn("position", "integer", (c) => c.primaryKey().autoIncrement())
        .addColumn("id", "text", (c) => c.notNull().unique())
        .addColumn("name", "text", (c) => c.notNull())
        .addColumn("machine_name", "text", (c) => c.notNull())
        .addColumn("machine_hash", "text", (c) => c.notNull())
        .addColumn("steps", "integer", (c) => c.notNull())
        .addColumn("outcome", "text")
        .addColumn("text", "text", (c) => c.notNull())
        .addColumn("created", "text", (c) => c.notNull())
        .modifyEnd(strict)
        .execute();
      await schema
        .createTable("touches")
        .addColumn("at", "integer", (c) => c.notNull())
        .modifyEnd(strict)
        .execute();
    },
  },
  "0201-aside": {
    async up(db: Kysely<unknown>) {
      await db.schema
        .alterTable("matches")
        .addColumn("aside", "integer", (c) => c.notNull().defaultTo(0))
        .execute();
      // What counts as large is what did when this was written.
      await sql`UPDATE matches SET aside = 1 WHERE machine IN
        (SELECT hash FROM machines WHERE length(text) + length(parts) > 12000)`.execute(db);
    },
  },
  "0202-pieces": {
    async up(db: Kysely<unknown>) {
      await db.schema
        .createTable("pieces")
        .addColumn("of", "text", (c) => c.notNull())
        .addColumn("piece", "integer", (c) => c.notNull())
        .addColumn("bytes", "blob", (c) => c.notNull())
        .addPrimaryKeyConstraint("pieces_primary", ["of", "piece"])
        .modifyEnd(sql`STRICT`)
        .execute();
      await sql`INSERT INTO pieces ("of", piece, bytes) SELECT id, 0, CAST(text AS BLOB) FROM logbooks`.execute(db);
      await db.schema.alterTable("logbooks").dropColumn("text").execute();
    },
  },
  "0203-reports": {
    async up(db: Kysely<unknown>) {
      await db.schema
        .createTable("reports")
        .addColumn("machine", "text", (c) => c.primaryKey().references("machines.hash"))
        .addColumn("checker", "text", (c) => c.notNull())
        .addColumn("report", "text", (c) => c.notNull())
        .modifyEnd(sql`STRICT`)
        .execute();
      await db.schema
        .createTable("verdicts")
        .addColumn("logbook", "text", (c) => c.notNull().references("logbooks.id"))
        .addColumn("machine", "text", (c) => c.notNull().references("machines.hash"))
        .addColumn("kind", "text", (c) => c.notNull())
        .addColumn("step", "integer")
        .addPrimaryKeyConstraint("verdicts_primary", ["logbook", "machine"])
        .modifyEnd(sql`STRICT`)
        .execute();
      // Whose turn it is in matches of before is known with their next step.
      await db.schema
        .alterTable("matches")
        .addColumn("turn", "text", (c) => c.notNull().defaultTo("[]"))
        .execute();
    },
  },
  "0204-words": {
    async up(db: Kysely<unknown>) {
      await db.schema
        .alterTable("machines")
        .addColumn("words", "text", (c) => c.notNull().defaultTo(""))
        .execute();
    },
  },
  "0205-people": {
    async up(db: Kysely<unknown>) {
      const { schema } = db;
      const strict = sql`STRICT`;
      await schema
        .createTable("people")
        .addColumn("id", "text", (c) => c.primaryKey())
        .addColumn("kind", "text", (c) => c.notNull())
        .addColumn("handle", "text", (c) => c.notNull().unique())
        .addColumn("name", "text", (c) => c.notNull())
        .addColumn("created", "text", (c) => c.notNull())
        .modifyEnd(strict)
        .execute();
      await schema.alterTable("keys").renameTo("keys_of_before").execute();
      await schema
        .createTable("keys")
        .addColumn("key_hash", "text", (c) => c.primaryKey())
        .addColumn("kind", "text", (c) => c.notNull())
        .addColumn("match", "text", (c) => c.references("matches.id"))
        .addColumn("seat", "text")
        .addColumn("person", "text", (c) => c.references("people.id"))
        .addColumn("parent", "text")
        .addColumn("name", "text", (c) => c.notNull())
        .addColumn("created", "text", (c) => c.notNull())
        .addColumn("expires", "integer")
        .modifyEnd(sql`STRICT, WITHOUT ROWID`)
        .execute();
      await sql`INSERT INTO keys (key_hash, kind, match, seat, name, created)
        SELECT key_hash, iif(seat = '', 'host', 'seat'), keys_of_before.match, nullif(seat, ''), '', matches.created
        FROM keys_of_before INNER JOIN matches ON matches.id = keys_of_before.match`.execute(db);
      await schema.dropTable("keys_of_before").execute();
      await schema.createIndex("keys_match").on("keys").columns(["match", "seat"]).execute();
      await schema.createIndex("keys_person").on("keys").column("person").where("person", "is not", null).execute();
      await schema.createIndex("keys_parent").on("keys").column("parent").where("parent", "is not", null).execute();
      await schema
        .createTable("seats")
        .addColumn("match", "text", (c) => c.notNull().references("matches.id"))
        .addColumn("seat", "text", (c) => c.notNull())
        .addColumn("kind", "text", (c) => c.notNull())
        .addColumn("person", "text", (c) => c.references("people.id"))
        .addColumn("state", "text", (c) => c.notNull())
        .addColumn("name", "text")
        .addColumn("external", "text")
        .addPrimaryKeyConstraint("seats_primary", ["match", "seat"])
        .modifyEnd(sql`STRICT, WITHOUT ROWID`)
        .execute();
      await schema.createIndex("seats_person").on("seats").columns(["person", "match"]).execute();
      await schema
        .createTable("notices")
        .addColumn("id", "integer", (c) => c.primaryKey().autoIncrement())
        .addColumn("person", "text", (c) => c.notNull().references("people.id"))
        .addColumn("match", "text", (c) => c.notNull().references("matches.id"))
        .addColumn("step", "integer", (c) => c.notNull())
        .addColumn("kind", "text", (c) => c.notNull())
        .addColumn("client", "text")
        .addColumn("at", "text", (c) => c.notNull())
        .modifyEnd(strict)
        .execute();
      await schema.createIndex("notices_person").on("notices").columns(["person", "id"]).execute();
      const matches = schema.alterTable("matches");
      await matches.addColumn("begun_by", "text", (c) => c.references("people.id")).execute();
      await matches.addColumn("hosted", "integer", (c) => c.notNull().defaultTo(1)).execute();
      await matches.addColumn("fitting", "text", (c) => c.notNull().defaultTo("")).execute();
      await matches.addColumn("free", "text", (c) => c.notNull().defaultTo("[]")).execute();
      await matches.addColumn("cancelled_by", "text").execute();
      await sql`UPDATE matches SET cancelled_by = 'host' WHERE cancelled IS NOT NULL`.execute(db);
      await matches.addColumn("confirmed", "text", (c) => c.notNull().defaultTo("[]")).execute();
      await matches.addColumn("rematch_of", "text", (c) => c.references("matches.id")).execute();
      await matches.addColumn("moved_on", "integer", (c) => c.notNull().defaultTo(0)).execute();
      await sql`CREATE UNIQUE INDEX matches_rematch ON matches (rematch_of) WHERE rematch_of IS NOT NULL`.execute(db);
      await schema
        .createTable("results")
        .addColumn("match", "text", (c) => c.notNull())
        .addColumn("seat", "text", (c) => c.notNull())
        .addColumn("machine", "text", (c) => c.notNull())
        .addColumn("version", "integer", (c) => c.notNull())
        .addColumn("person", "text", (c) => c.references("people.id"))
        .addColumn("ending", "text", (c) => c.notNull())
        .addColumn("result", "text", (c) => c.notNull())
        .addColumn("rank", "integer")
        .addColumn("score", "real")
        .addColumn("steps", "integer", (c) => c.notNull())
        .addColumn("lasted", "integer", (c) => c.notNull())
        .addColumn("ended", "text", (c) => c.notNull())
        .addPrimaryKeyConstraint("results_primary", ["match", "seat"])
        .modifyEnd(sql`STRICT, WITHOUT ROWID`)
        .execute();
      await schema.createIndex("results_machine").on("results").columns(["machine", "version"]).execute();
      await schema
        .createIndex("results_person")
        .on("results")
        .column("person")
        .where("person", "is not", null)
        .execute();
      await matches.addColumn("least", "integer", (c) => c.notNull().defaultTo(0)).execute();
      await sql`CREATE INDEX matches_free ON matches (created) WHERE free != '[]'`.execute(db);
      await schema.alterTable("steps").addColumn("client", "text").execute();
      await schema.alterTable("requests").addColumn("answer", "blob").execute();
      await schema.alterTable("requests").addColumn("expires", "integer").execute();
    },
  },
  "0206-hooks": {
    async up(db: Kysely<unknown>) {
      const { schema } = db;
      await schema
        .createTable("hooks")
        .addColumn("id", "text", (c) => c.primaryKey())
        .addColumn("owner", "text", (c) => c.references("people.id"))
        .addColumn("url", "text", (c) => c.notNull())
        .addColumn("secret", "text", (c) => c.notNull())
        .addColumn("next", "integer", (c) => c.notNull())
        .addColumn("failures", "integer", (c) => c.notNull())
        .addColumn("created", "text", (c) => c.notNull())
        .modifyEnd(sql`STRICT`)
        .execute();
      await schema
        .createTable("deliveries")
        .addColumn("id", "integer", (c) => c.primaryKey().autoIncrement())
        .addColumn("hook", "text", (c) => c.notNull().references("hooks.id").onDelete("cascade"))
        .addColumn("notice", "integer", (c) => c.notNull())
        .addColumn("person", "text", (c) => c.notNull().references("people.id"))
        .addColumn("match", "text", (c) => c.notNull())
        .addColumn("step", "integer", (c) => c.notNull())
        .addColumn("kind", "text", (c) => c.notNull())
        .addColumn("at", "text", (c) => c.notNull())
        .addColumn("attempts", "integer", (c) => c.notNull())
        .addColumn("dead", "integer", (c) => c.notNull())
        .addColumn("failed", "text")
        .modifyEnd(sql`STRICT`)
        .execute();
      await schema.createIndex("deliveries_hook").on("deliveries").columns(["hook", "dead", "id"]).execute();
    },
  },
  "0207-open-matches": {
    async up(db: Kysely<unknown>) {
      await sql`CREATE INDEX matches_open_by ON matches (begun_by)
        WHERE begun_by IS NOT NULL AND outcome IS NULL AND cancelled IS NULL`.execute(db);
    },
  },
  "0208-deadlines": {
    async up(db: Kysely<unknown>) {
      await db.schema.alterTable("matches").addColumn("deadline", "text").execute();
      // What the timers of matches that go on would do is written with their next step.
      await sql`UPDATE matches SET deadline = json_object('timer', '', 'at', due_seen, 'to', json_array(),
        'words', 'its timer runs') WHERE due_seen IS NOT NULL`.execute(db);
      await db.schema.alterTable("matches").dropColumn("due_seen").execute();
    },
  },
  "0209-refusals": {
    async up(db: Kysely<unknown>) {
      await db.schema
        .createTable("refusals")
        .addColumn("match", "text", (c) => c.notNull())
        .addColumn("number", "integer", (c) => c.notNull())
        .addColumn("after", "integer", (c) => c.notNull())
        .addColumn("line", "text", (c) => c.notNull())
        .addPrimaryKeyConstraint("refusals_primary", ["match", "number"])
        .modifyEnd(sql`STRICT, WITHOUT ROWID`)
        .execute();
    },
  },
  "0210-jobs": {
    async up(db: Kysely<unknown>) {
      await db.schema
        .createTable("jobs")
        .addColumn("position", "integer", (c) => c.primaryKey().autoIncrement())
        .addColumn("id", "text", (c) => c.notNull().unique())
        .addColumn("kind", "text", (c) => c.notNull())
        .addColumn("machine", "text")
        .addColumn("wish", "text", (c) => c.notNull())
        .addColumn("state", "text", (c) => c.notNull())
        .addColumn("share", "real")
        .addColumn("words", "text", (c) => c.notNull())
        .addColumn("kept", "text")
        .addColumn("result", "text")
        .addColumn("problem", "text")
        .addColumn("created", "text", (c) => c.notNull())
        .addColumn("ended", "text")
        .modifyEnd(sql`STRICT`)
        .execute();
      await db.schema
        .createTable("job_parts")
        .addColumn("job", "text", (c) => c.notNull().references("jobs.id").onDelete("cascade"))
        .addColumn("number", "integer", (c) => c.notNull())
        .addColumn("part", "text", (c) => c.notNull())
        .addPrimaryKeyConstraint("job_parts_primary", ["job", "number"])
        .modifyEnd(sql`STRICT, WITHOUT ROWID`)
        .execute();
    },
  },
  "0211-status": {
    async up(db: Kysely<unknown>) {
      // Few of many: lists of them look at no others, and steps of other matches write nothing more.
      await sql`CREATE INDEX matches_suspended ON matches (updated, id) WHERE suspended IS NOT NULL`.execute(db);
      await sql`CREATE INDEX matches_cancelled ON matches (updated, id) WHERE cancelled IS NOT NULL`.execute(db);
    },
  },
};

/** A database that another version of the service made, in words for the person who started this one. */
export class DataOfAnotherVersion extends Error {}

/**
 * Brings a database to the newest version.
 *
 * @throws DataOfAnotherVersion when it holds what this version does not read; nothing is changed then
 */
export async function bringUpToDate(db: Kysely<Schema>): Promise<void> {
  const migrator = new Migrator({ db, provider: { getMigrations: async () => migrations } });
  const tables = await db.introspection.getTables({ withInternalKyselyTables: true });
  if (tables.some((t) => t.name === "kysely_migration")) {
    const rows = await sql<{ name: string }>`SELECT name FROM kysely_migration`.execute(db);
    const foreign = rows.rows.map((row) => row.name).filter((name) => migrations[name] === undefined);
    const older = OLDER_FORMATS.find((known) => foreign.some((name) => known.migrations.includes(name)));
    if (older)
      throw new DataOfAnotherVersion(
        `holds matches and logbooks of format ${older.format}. The last version that reads them ` +
          `is ${older.lastVersion}`,
      );
    if (foreign.length > 0) throw new DataOfAnotherVersion("was written by a newer version of Zany Compass");
  }
  const due = (await migrator.getMigrations()).some((migration) => migration.executedAt === undefined);
  if (!due) return;
  const { error } = await migrator.migrateToLatest();
  if (error) throw error;
}
