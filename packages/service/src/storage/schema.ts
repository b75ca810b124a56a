/** The database's tables and their migrations. */

import { type Generated, type Kysely, type Migration, Migrator, sql } from "kysely";

export interface MachineRow {
  /** SHA-256 of the text and its parts: what a version is known by. */
  hash: string;
  name: string;
  /** 1 for the first version of this name, and so on. */
  version: number;
  text: string;
  /** The texts of the included files by their paths, JSON. */
  parts: string;
  /** SHA-256 of what the texts mean. */
  rules: string;
  created: string;
}

export interface MatchRow {
  id: string;
  /** The hash of the machine it is played on. */
  machine: string;
  /** The logbook's header, JSON. */
  header: string;
  step: number;
  /** The digest of the header and all lines up to `step`; see `chained`. */
  chain: string;
  /** The outcome, JSON, once it is over. */
  outcome: string | null;
  /** When the next timer is due, in milliseconds since 1970 UTC. */
  due: number | null;
  /** The same as everybody may see it. */
  due_seen: number | null;
  /** Why a match does not go on although it is not over: a fault in a timer. */
  suspended: string | null;
  /** When it was cancelled for good; RFC 3339, UTC. */
  cancelled: string | null;
  /** The time of a manual clock, in milliseconds since 1970 UTC; null for a match on real time. */
  manual_time: number | null;
  /** The policies of bots by their seats, JSON. */
  bots: string;
  /** 1 when its machine is large, so that it is played aside; else 0. */
  aside: number;
  /** The seats on turn, JSON; none for a match that does not go on. */
  turn: string;
  created: string;
  updated: string;
}

interface KeyRow {
  match: string;
  /** The seat; empty for the host's key. */
  seat: string;
  /** SHA-256 of the key; the key itself is not kept. */
  key_hash: string;
}

export interface StepRow {
  match: string;
  step: number;
  /** The logbook's line, without its line end. */
  line: string;
}

/** A request that led to a step, so that a repeated one does no harm. */
export interface RequestRow {
  match: string;
  /** SHA-256 of the key it came with. */
  key_hash: string;
  /** The name that its sender gave it. */
  name: string;
  /** SHA-256 of what was asked for. */
  content: string;
  step: number;
}

/** A situation of a match, so that loading need not begin at the beginning. */
export interface SnapshotRow {
  match: string;
  step: number;
  /** The situation, canonical JSON: what the digest in the line of that step is of. */
  situation: string;
  /** `chained` of the lines up to that step. */
  chain: string;
  /** Ties the others and the header together; see `sealOf`. */
  seal: string;
}

/** Holds what is written to see whether the disk takes it. */
interface TouchRow {
  at: number;
}

export interface LogbookRow {
  /** Ascending number of storing, for the order of lists. */
  position: Generated<number>;
  id: string;
  name: string;
  machine_name: string;
  machine_hash: string;
  steps: number;
  outcome: string | null;
  created: string;
}

/** A piece of a long text; see `Pieces`. */
interface PieceRow {
  /** What it is of: the id of a logbook. */
  of: string;
  /** 0 for the first. */
  piece: number;
  bytes: Uint8Array;
}

/** What a version of this program found out about a version of a machine. */
export interface ReportRow {
  /** The machine's hash. */
  machine: string;
  /** The version of the program. */
  checker: string;
  /** JSON; see `MachineReport`. */
  report: string;
}

/** How a logbook goes on a version of its machine. */
export interface VerdictRow {
  logbook: string;
  /** The machine's hash. */
  machine: string;
  kind: string;
  /** Where it diverges; null otherwise. */
  step: number | null;
}

export interface Schema {
  machines: MachineRow;
  matches: MatchRow;
  keys: KeyRow;
  steps: StepRow;
  requests: RequestRow;
  snapshots: SnapshotRow;
  logbooks: LogbookRow;
  pieces: PieceRow;
  reports: ReportRow;
  verdicts: VerdictRow;
  touches: TouchRow;
}

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
