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

/**
 * Opens a database file, making it and its folder when they are missing. Write-ahead log, and every commit is on
 * the disk before it counts (synchronous FULL).
 */
export function openSqlite(file: string): DatabaseSyncInstance {
  mkdirSync(dirname(file), { recursive: true });
  const sqlite = new DatabaseSync(file);
  sqlite.exec("PRAGMA journal_mode = WAL");
  sqlite.exec("PRAGMA synchronous = FULL");
  sqlite.exec("PRAGMA foreign_keys = ON");
  sqlite.exec("PRAGMA busy_timeout = 5000");
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
