/** The keys of matches begun on this computer, so that nobody has to type them. */

import { chmodSync, mkdirSync, readFileSync, renameSync, writeFileSync } from "node:fs";
import { homedir } from "node:os";
import { dirname, join } from "node:path";

type Keys = Record<string, Record<string, string>>;

function file(): string {
  const state = process.env["XDG_STATE_HOME"] ?? join(homedir(), ".local", "state");
  return join(state, "zany", "keys.json");
}

function read(): Keys {
  try {
    return JSON.parse(readFileSync(file(), "utf8")) as Keys;
  } catch {
    return {};
  }
}

/** Keeps the keys of a match in a file that only this user may read. */
export function keepKeys(match: string, keys: Readonly<Record<string, string>>): void {
  const path = file();
  mkdirSync(dirname(path), { recursive: true });
  const before = read();
  const all = { ...before, [match]: { ...before[match], ...keys } };
  writeFileSync(`${path}.new`, JSON.stringify(all, null, 2), { mode: 0o600 });
  chmodSync(`${path}.new`, 0o600);
  renameSync(`${path}.new`, path);
}

/** The key of a seat of a match begun here. */
export function keptKey(match: string, seat: string | undefined): string | undefined {
  const keys = read()[match];
  return seat !== undefined && keys && Object.hasOwn(keys, seat) ? keys[seat] : undefined;
}
