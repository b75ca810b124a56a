/**
 * SQLite under Kysely. The driver has the interface of Node's own `node:sqlite`, which can take its place once
 * Node 22 is the floor: change the import below, and nothing else.
 */

import { mkdirSync } from "node:fs";
import { dirname } from "node:path";
import { DatabaseSync, type DatabaseSyncInstance } from "@photostructure/sqlite";
import { type SqliteDatabase, SqliteDialect, type SqliteStatement } from "kysely";

/** A value as SQLite takes it. */
export type SqlValue = null | number | bigint | string | Uint8Array;

// ---- errors ----------------------------------------------------------------------------------------

/** The primary result codes of SQLite (sqlite3.h) that say the storage fails, each in words. */
const STORAGE_FAILURES: ReadonlyMap<number, string> = new Map([
  [3, "its files may not be used"],
  [5, "another program has it locked"],
  [6, "another program has it locked"],
  [7, "there is not enough memory"],
  [8, "it cannot be written, only read"],
  [10, "the disk does not take what is written"],
  [11, "its file is damaged"],
  [13, "the disk is full"],
  [14, "its files cannot be opened"],
  [15, "its locks do not work"],
  [26, "its file is no database"],
]);
const BUSY = 5;
const DAMAGED: readonly number[] = [11, 26];

/** The primary result code of an error of SQLite's; 0 for any other error. */
function resultCode(error: unknown): number {
  const { errcode } = error as { errcode?: unknown };
  return typeof errcode === "number" ? errcode & 0xff : 0;
}

/** Why the storage fails, in words; undefined when the error is of another kind. */
export function storageFailure(error: unknown): string | undefined {
  return STORAGE_FAILURES.get(resultCode(error));
}

export function isBusy(error: unknown): boolean {
  return resultCode(error) === BUSY;
}

/** True when a file is no database, or not a whole one. */
export function isDamaged(error: unknown): boolean {
  return DAMAGED.includes(resultCode(error));
}

/**
 * Copies a database, as it is at one moment, into a new file. Whoever else has it open goes on reading and writing.
 *
 * @throws when the file is there already, or no database
 */
export function copySqlite(from: string, to: string): void {
  const sqlite = new DatabaseSync(from, { readOnly: true });
  try {
    sqlite.prepare("VACUUM INTO ?").run(to);
  } finally {
    sqlite.close();
  }
}

// ---- the database ----------------------------------------------------------------------------------

/**
 * Opens a database file, making it and its folder when they are missing. Write-ahead log, and every commit is on
 * the disk before it counts (synchronous FULL).
 */
export function openSqlite(file: string): DatabaseSyncInstance {
  mkdirSync(dirname(file), { recursive: true });
  try {
    return openedIn(file, "NORMAL");
  } catch (error) {
    if (storageFailure(error) === undefined) throw error;
    // On a full disk there is no room for the index of the log that processes share. Alone, SQLite needs none.
    return openedIn(file, "EXCLUSIVE");
  }
}

/**
 * After how many pages (of 4 kB) the log is brought into the file. What is played is written again and again to the
 * same pages: the longer the log, the fewer of them are copied.
 */
const CHECKPOINT_EVERY = 4_000;

function openedIn(file: string, lockingMode: "NORMAL" | "EXCLUSIVE"): DatabaseSyncInstance {
  const sqlite = new DatabaseSync(file);
  try {
    sqlite.exec("PRAGMA busy_timeout = 5000");
    sqlite.exec(`PRAGMA locking_mode = ${lockingMode}`);
    sqlite.exec("PRAGMA journal_mode = WAL");
    sqlite.exec("PRAGMA synchronous = FULL");
    sqlite.exec(`PRAGMA wal_autocheckpoint = ${CHECKPOINT_EVERY}`);
    sqlite.exec("PRAGMA foreign_keys = ON");
    sqlite.prepare("SELECT count(*) FROM sqlite_master").get();
  } catch (error) {
    sqlite.close();
    throw error;
  }
  return sqlite;
}

/** Runs `work`, which must be synchronous, in one transaction; when it throws, nothing of it is kept. */
export function transaction<T>(sqlite: DatabaseSyncInstance, work: () => T): T {
  sqlite.exec("BEGIN IMMEDIATE");
  try {
    const result = work();
    sqlite.exec("COMMIT");
    return result;
  } catch (error) {
    // A failing disk may have ended the transaction by itself.
    if (sqlite.isTransaction) sqlite.exec("ROLLBACK");
    throw error;
  }
}

/** The dialect that lets Kysely work on an open database. */
export function dialectOn(sqlite: DatabaseSyncInstance): SqliteDialect {
  const database: SqliteDatabase = {
    close: () => sqlite.close(),
    prepare(text: string): SqliteStatement {
      const statement = sqlite.prepare(text);
      const values = (parameters: readonly unknown[]) => parameters as readonly SqlValue[];
      return {
        // Kysely asks whether a statement gives rows: one with columns does.
        reader: statement.columns().length > 0,
        all: (parameters) => statement.all(...values(parameters)),
        run: (parameters) => statement.run(...values(parameters)),
        iterate: (parameters) => statement.iterate(...values(parameters)),
      };
    },
  };
  return new SqliteDialect({ database });
}
