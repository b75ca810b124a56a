/** The database: its tables, their migrations, and how it is opened. */

import { mkdirSync } from "node:fs";
import { dirname } from "node:path";
import SqliteDatabase, { type Database as Sqlite } from "better-sqlite3";
import { type Generated, Kysely, type Migration, Migrator, SqliteDialect, sql } from "kysely";

export interface MachineRow {
  /** SHA-256 of the text: the version's name. */
  hash: string;
  name: string;
  /** 1 for the first version of this name, and so on. */
  number: number;
  text: string;
  /** The texts of the included files by their paths, JSON. */
  parts: string;
  created: string;
}

export interface MatchRow {
  id: string;
  /** The hash of the machine it is played on. */
  machine: string;
  /** The logbook's header, JSON. */
  header: string;
  step: number;
  /** The outcome, JSON, once it is over. */
  outcome: string | null;
  /** When the next timer is due, in milliseconds since 1970 UTC. */
  due: number | null;
  /** Why a match does not go on although it is not over: a fault in a timer. */
  suspended: string | null;
  /** The time of a match whose clock is moved by hand, in milliseconds since 1970 UTC; null for one on real time. */
  hand: number | null;
  /** The bots in seats, by seat, JSON. */
  bots: string;
  created: string;
  updated: string;
}

interface SeatRow {
  match: string;
  /** Empty for the key of the game itself. */
  seat: string;
  /** SHA-256 of the seat's key; the key itself is not kept. */
  key_hash: string;
}

interface StepRow {
  match: string;
  step: number;
  /** The logbook's line, without its line end. */
  line: string;
  /** The request that led to it, so that a repeated one does no harm. */
  request: string | null;
}

export interface LogbookRow {
  id: string;
  name: string;
  machine: string;
  hash: string;
  steps: number;
  outcome: string | null;
  text: string;
  created: string;
  /** Ascending number of storing, for the order of lists. */
  position: Generated<number>;
}

interface Schema {
  machines: MachineRow;
  matches: MatchRow;
  seats: SeatRow;
  steps: StepRow;
  logbooks: LogbookRow;
}

const migrations: Record<string, Migration> = {
  "0001-first": {
    async up(db: Kysely<unknown>) {
      await sql`CREATE TABLE machines (hash TEXT PRIMARY KEY, name TEXT NOT NULL, number INTEGER NOT NULL, text TEXT NOT NULL, created TEXT NOT NULL, UNIQUE (name, number)) STRICT`.execute(
        db,
      );
      await sql`CREATE TABLE matches (id TEXT PRIMARY KEY, machine TEXT NOT NULL REFERENCES machines (hash), header TEXT NOT NULL, step INTEGER NOT NULL, outcome TEXT, due INTEGER, suspended TEXT, created TEXT NOT NULL, updated TEXT NOT NULL) STRICT`.execute(
        db,
      );
      await sql`CREATE INDEX matches_due ON matches (due) WHERE due IS NOT NULL`.execute(db);
      await sql`CREATE INDEX matches_updated ON matches (updated)`.execute(db);
      await sql`CREATE TABLE seats (match TEXT NOT NULL REFERENCES matches (id), seat TEXT NOT NULL, key_hash TEXT NOT NULL, PRIMARY KEY (match, seat)) STRICT`.execute(
        db,
      );
      await sql`CREATE TABLE steps (match TEXT NOT NULL, step INTEGER NOT NULL, line TEXT NOT NULL, request TEXT, PRIMARY KEY (match, step)) STRICT, WITHOUT ROWID`.execute(
        db,
      );
      await sql`CREATE UNIQUE INDEX steps_request ON steps (match, request) WHERE request IS NOT NULL`.execute(db);
      await sql`CREATE TABLE logbooks (position INTEGER PRIMARY KEY AUTOINCREMENT, id TEXT NOT NULL UNIQUE, name TEXT NOT NULL, machine TEXT NOT NULL, hash TEXT NOT NULL, steps INTEGER NOT NULL, outcome TEXT, text TEXT NOT NULL, created TEXT NOT NULL) STRICT`.execute(
        db,
      );
    },
  },
  "0002-parts": {
    async up(db: Kysely<unknown>) {
      await sql`ALTER TABLE machines ADD COLUMN parts TEXT NOT NULL DEFAULT '{}'`.execute(db);
    },
  },
  "0003-hand-and-bots": {
    async up(db: Kysely<unknown>) {
      await sql`ALTER TABLE matches ADD COLUMN hand INTEGER`.execute(db);
      await sql`ALTER TABLE matches ADD COLUMN bots TEXT NOT NULL DEFAULT '{}'`.execute(db);
    },
  },
};

/** An open database: Kysely for most of it, the driver itself for what happens at every step. */
export interface Store {
  readonly db: Kysely<Schema>;
  readonly sqlite: Sqlite;
}

/**
 * Opens the database file and brings it to the newest version. Write-ahead log, and every commit is on
 * the disk before it counts (synchronous FULL).
 */
export async function openStore(file: string): Promise<Store> {
  mkdirSync(dirname(file), { recursive: true });
  const sqlite = new SqliteDatabase(file);
  sqlite.pragma("journal_mode = WAL");
  sqlite.pragma("synchronous = FULL");
  sqlite.pragma("foreign_keys = ON");
  sqlite.pragma("busy_timeout = 5000");
  const db = new Kysely<Schema>({ dialect: new SqliteDialect({ database: sqlite }) });
  const { error } = await new Migrator({ db, provider: { getMigrations: async () => migrations } }).migrateToLatest();
  if (error) throw error;
  return { db, sqlite };
}
