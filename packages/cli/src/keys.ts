/** The keys of matches begun on this computer, so that nobody has to type them. */

import { closeSync, mkdirSync, openSync, readFileSync, renameSync, rmSync, writeSync } from "node:fs";
import { homedir } from "node:os";
import { dirname, join } from "node:path";
import { UsedWrongly, whyNot } from "./files.js";
import { complain } from "./terminal.js";

/** By match, the keys of its seats. */
type Keys = Record<string, Record<string, string>>;

/** How long another command may take to write the file, in milliseconds; then it is taken to have been stopped. */
const PATIENCE = 2_000;
const PAUSE = 20;

function file(): string {
  const state = process.env["XDG_STATE_HOME"] || join(homedir(), ".local", "state");
  return join(state, "zany", "keys.json");
}

/** @returns undefined when the file is there, but is not what this program wrote */
function read(path: string): Keys | undefined {
  let text: string;
  try {
    text = readFileSync(path, "utf8");
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === "ENOENT") return {};
    throw new UsedWrongly(`Cannot read the keys of your matches in "${path}": ${whyNot(error)}.`);
  }
  try {
    const keys: unknown = JSON.parse(text);
    return areKeys(keys) ? keys : undefined;
  } catch {
    return undefined;
  }
}

function areKeys(value: unknown): value is Keys {
  const isRecord = (record: unknown, of: (part: unknown) => boolean): boolean =>
    typeof record === "object" && record !== null && !Array.isArray(record) && Object.values(record).every(of);
  return isRecord(value, (seats) => isRecord(seats, (key) => typeof key === "string"));
}

/**
 * Keeps the keys of a match in a file that only this user may read. What was there before and is damaged is set aside.
 * They are told only once: what cannot be kept is printed.
 */
export function keepKeys(match: string, keys: Readonly<Record<string, string>>): void {
  try {
    addKeys(file(), match, keys);
  } catch (error) {
    const all = Object.entries(keys).map(([seat, key]) => `${seat} ${key}`);
    complain(`The keys of the match ${match} could not be kept: ${whyNot(error)}. Write them down: ${all.join(", ")}`);
  }
}

function addKeys(path: string, match: string, keys: Readonly<Record<string, string>>): void {
  mkdirSync(dirname(path), { recursive: true });
  const descriptor = claimed(`${path}.new`);
  const before = read(path);
  if (!before) {
    renameSync(path, `${path}.damaged`);
    complain(`The keys of your earlier matches cannot be read: they were damaged, and are kept in "${path}.damaged".`);
  }
  writeSync(descriptor, JSON.stringify({ ...before, [match]: { ...before?.[match], ...keys } }, null, 2));
  closeSync(descriptor);
  renameSync(`${path}.new`, path);
}

/** Makes a file that is not there, so that of several commands only one writes at a time. */
function claimed(path: string): number {
  for (let waited = 0; ; waited += PAUSE) {
    try {
      return openSync(path, "wx", 0o600);
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== "EEXIST") throw error;
      if (waited >= PATIENCE) rmSync(path, { force: true });
      else Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, PAUSE);
    }
  }
}

/** The key of a seat of a match begun here. */
export function keptKey(match: string, seat: string | undefined): string | undefined {
  const path = file();
  const all = read(path);
  if (!all) throw new UsedWrongly(`The keys of your matches cannot be read: "${path}" is damaged. Move it away.`);
  const keys = Object.hasOwn(all, match) ? all[match] : undefined;
  return seat !== undefined && keys && Object.hasOwn(keys, seat) ? keys[seat] : undefined;
}
