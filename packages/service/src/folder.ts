/** The data folder: taken by one process, opened, and told in words why it cannot be. */

import { join } from "node:path";
import { isDamaged, storageFailure } from "./storage/driver.js";
import { FolderInUse, FolderLock } from "./storage/lock.js";
import { DataOfAnotherVersion } from "./storage/migrations.js";
import { Store } from "./storage/store.js";

/** Says why the service could not start, in words for the person who started it. */
export class CannotStart extends Error {}

/** What keeps a folder from being used, by the code of the system's error. */
const UNUSABLE: Readonly<Record<string, string>> = {
  EACCES: "may not be written by you",
  EPERM: "may not be written by you",
  EROFS: "lies on a disk that cannot be written",
  ENOSPC: "lies on a disk that is full",
  ENOTDIR: "lies inside a file",
  EEXIST: "is a file",
};

/** Why a folder cannot be used, in words; undefined for an error that is none of those. */
function unusable(error: unknown): string | undefined {
  if (error instanceof DataOfAnotherVersion || error instanceof FolderInUse) return error.message;
  if (isDamaged(error)) return "holds a zany.db that is no database of this program, or a damaged one";
  const failure = storageFailure(error);
  return failure === undefined ? UNUSABLE[(error as NodeJS.ErrnoException).code ?? ""] : `cannot be used: ${failure}`;
}

/** The database's file in a data folder. */
export function databaseOf(folder: string): string {
  return join(folder, "zany.db");
}

/**
 * Takes the data folder and opens what is in it.
 *
 * @throws CannotStart when it cannot be used, another process has it, or another version of the service wrote it
 */
export async function openFolder(folder: string): Promise<{ store: Store; lock: FolderLock }> {
  let lock: FolderLock | undefined;
  try {
    lock = FolderLock.take(folder);
    return { lock, store: await Store.open(databaseOf(folder)) };
  } catch (error) {
    lock?.release();
    const why = unusable(error);
    if (why === undefined) throw error;
    const orStop = error instanceof FolderInUse ? "Stop it, or choose" : "Choose";
    throw new CannotStart(`The data folder "${folder}" ${why}. ${orStop} another folder with --data.`);
  }
}
