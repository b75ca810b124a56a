/**
 * The lock on a data folder: it belongs to one process at a time. The lock is an empty SQLite file kept in an
 * exclusive transaction, so it is the system's own and is gone the moment the process is, whatever ends it.
 */

import { mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { DatabaseSync } from "@photostructure/sqlite";
import { isBusy } from "./driver.js";

/** Says which process has a folder, in words that go on after "The data folder ...". */
export class FolderInUse extends Error {}

export class FolderLock {
  private constructor(
    private readonly sqlite: InstanceType<typeof DatabaseSync>,
    private readonly note: string,
  ) {}

  /**
   * Takes a folder, which is made when it is missing.
   *
   * @throws FolderInUse when another process has it
   */
  static take(folder: string): FolderLock {
    mkdirSync(folder, { recursive: true });
    const note = join(folder, "zany.owner");
    const sqlite = new DatabaseSync(join(folder, "zany.lock"));
    try {
      // With its journal in memory nothing is ever written, which works on a full disk too.
      sqlite.exec("PRAGMA busy_timeout = 0");
      sqlite.exec("PRAGMA journal_mode = MEMORY");
      sqlite.exec("BEGIN EXCLUSIVE");
    } catch (error) {
      sqlite.close();
      if (isBusy(error)) throw new FolderInUse(`is in use by ${ownerIn(note)}`);
      throw error;
    }
    return new FolderLock(sqlite, note);
  }

  /** Leaves word of who has the folder, for those who find it locked. The lock holds without it. */
  tell(owner: string): void {
    try {
      writeFileSync(this.note, `${owner}\n`);
    } catch {
      // A full disk: whoever comes is told less.
    }
  }

  release(): void {
    rmSync(this.note, { force: true });
    this.sqlite.close();
  }
}

function ownerIn(note: string): string {
  try {
    return readFileSync(note, "utf8").trim() || "another process";
  } catch {
    return "another process";
  }
}
