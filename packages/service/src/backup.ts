/** A copy of a data folder in one file, made while a service uses it, and the way back. */

import { copyFileSync, existsSync, mkdirSync, renameSync, rmSync } from "node:fs";
import { join } from "node:path";
import { CannotStart, databaseOf } from "./folder.js";
import { copySqlite, storageFailure } from "./storage/driver.js";
import { DataOfAnotherVersion } from "./storage/migrations.js";
import { Store } from "./storage/store.js";

/**
 * Copies all that a data folder holds, as it is at one moment, into a file. A service may use the folder meanwhile.
 *
 * @throws CannotStart when there is nothing to copy, or the file is there already or cannot be written
 */
export function backup(folder: string, file: string): void {
  if (!existsSync(databaseOf(folder))) throw new CannotStart(`There is no data folder "${folder}" to copy.`);
  if (existsSync(file)) throw new CannotStart(`"${file}" is there already. Choose another file with --out.`);
  try {
    copySqlite(databaseOf(folder), file);
  } catch (error) {
    rmSync(file, { force: true });
    throw new CannotStart(`"${folder}" could not be copied to "${file}": ${storageFailure(error) ?? String(error)}.`);
  }
}

/**
 * Makes a data folder of a copy.
 *
 * @throws CannotStart when the file is no such copy, or the folder holds data already
 */
export async function restore(file: string, folder: string): Promise<void> {
  if (!existsSync(file)) throw new CannotStart(`There is no file "${file}".`);
  if (existsSync(databaseOf(folder)))
    throw new CannotStart(`The data folder "${folder}" holds data already. Choose an empty one with --data.`);
  mkdirSync(folder, { recursive: true });
  // It is the folder's only when it was opened once: half a copy is none.
  const trial = join(folder, "restored.db");
  try {
    copyFileSync(file, trial);
    await (await Store.open(trial)).close();
    renameSync(trial, databaseOf(folder));
  } catch (error) {
    for (const end of ["", "-wal", "-shm"]) rmSync(`${trial}${end}`, { force: true });
    const why = error instanceof DataOfAnotherVersion ? error.message : storageFailure(error);
    if (why === undefined) throw error;
    throw new CannotStart(`"${file}" is no copy of a data folder that this version reads: ${why}.`);
  }
}
