/**
 * The keys got on this computer, so that nobody has to type them: of matches, and of persons, by service. They stand in
 * one JSON file that only this user may read: `$XDG_STATE_HOME/zany/keys.json`, or `~/.local/state/zany/keys.json`.
 */

import { closeSync, mkdirSync, openSync, readFileSync, renameSync, rmSync, writeSync } from "node:fs";
import { homedir } from "node:os";
import { dirname, join } from "node:path";
import { ZanyClient } from "@zany/client";
import { UsedWrongly, whyNot } from "./files.js";
import { complain } from "./terminal.js";

/** What commands that talk to a service are told: where it is, whose key is used, and whether JSON is printed. */
export interface ServiceOptions {
  readonly service: string;
  readonly json?: boolean;
  readonly key?: string;
}

/** By match, the keys of its seats. */
type MatchKeys = Readonly<Record<string, Readonly<Record<string, string>>>>;

/** Somebody's key in a service. */
export interface KeptPerson {
  readonly handle: string;
  readonly key: string;
}

/** What the file holds. */
export interface KeptKeys {
  readonly zany: "keys";
  readonly matches: MatchKeys;
  /** By the address of the service. */
  readonly people: Readonly<Record<string, KeptPerson>>;
}

const NONE: KeptKeys = { zany: "keys", matches: {}, people: {} };

/** How long another command may take to write the file, in milliseconds; then it is taken to have been stopped. */
const PATIENCE = 2_000;
const PAUSE = 20;

export function keysFile(): string {
  const state = process.env["XDG_STATE_HOME"] || join(homedir(), ".local", "state");
  return join(state, "zany", "keys.json");
}

/** @returns undefined when the file is there, but is not what this program wrote */
function read(path: string): KeptKeys | undefined {
  let text: string;
  try {
    text = readFileSync(path, "utf8");
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === "ENOENT") return NONE;
    throw new UsedWrongly(`Cannot read the keys kept in "${path}": ${whyNot(error)}.`);
  }
  try {
    return keysFrom(JSON.parse(text));
  } catch {
    return undefined;
  }
}

function keysFrom(value: unknown): KeptKeys | undefined {
  if (areMatchKeys(value)) return { ...NONE, matches: value };
  if (!isRecord(value, () => true)) return undefined;
  const { zany, matches, people } = value;
  const isPerson = (one: unknown): boolean => isRecord(one, isText) && isText(one["handle"]) && isText(one["key"]);
  if (zany !== "keys" || !areMatchKeys(matches) || !isRecord(people, isPerson)) return undefined;
  return value as unknown as KeptKeys;
}

/** Also what versions before 0.4 wrote, which knew matches alone. */
function areMatchKeys(value: unknown): value is MatchKeys {
  return isRecord(value, (seats) => isRecord(seats, isText));
}

function isRecord(value: unknown, of: (part: unknown) => boolean): value is Readonly<Record<string, unknown>> {
  return typeof value === "object" && value !== null && !Array.isArray(value) && Object.values(value).every(of);
}

function isText(value: unknown): boolean {
  return typeof value === "string";
}

/**
 * Keeps the keys of a match. What was there before and is damaged is set aside. They are told only once: what cannot
 * be kept is printed.
 */
export function keepKeys(match: string, keys: Readonly<Record<string, string>>): void {
  const all = Object.entries(keys).map(([seat, key]) => `${seat} ${key}`);
  keep(`The keys of the match ${match}`, all.join(", "), (before) => ({
    ...before,
    matches: { ...before.matches, [match]: { ...before.matches[match], ...keys } },
  }));
}

/** Keeps who one is in a service. */
export function keepPerson(service: string, person: KeptPerson): void {
  keep(`The key of ${person.handle}`, person.key, (before) => ({
    ...before,
    people: { ...before.people, [service]: person },
  }));
}

function keep(what: string, keys: string, change: (before: KeptKeys) => KeptKeys): void {
  try {
    write(keysFile(), change);
  } catch (error) {
    complain(`${what} could not be kept: ${whyNot(error)}. Write them down: ${keys}`);
  }
}

function write(path: string, change: (before: KeptKeys) => KeptKeys): void {
  mkdirSync(dirname(path), { recursive: true });
  const descriptor = claimed(`${path}.new`);
  const before = read(path);
  if (!before) {
    renameSync(path, `${path}.damaged`);
    complain(`The keys of your earlier matches cannot be read: they were damaged, and are kept in "${path}.damaged".`);
  }
  writeSync(descriptor, JSON.stringify(change(before ?? NONE), null, 2));
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

/** All that is kept. @throws UsedWrongly when the file is damaged */
export function keptKeys(): KeptKeys {
  const path = keysFile();
  const all = read(path);
  if (!all) throw new UsedWrongly(`The keys of your matches cannot be read: "${path}" is damaged. Move it away.`);
  return all;
}

/** The key of a seat of a match begun here. */
export function keptKey(match: string, seat: string | undefined): string | undefined {
  const { matches } = keptKeys();
  const keys = Object.hasOwn(matches, match) ? matches[match] : undefined;
  return seat !== undefined && keys && Object.hasOwn(keys, seat) ? keys[seat] : undefined;
}

/** Who one is in a service; undefined for nobody yet, or when that cannot be read any more. */
export function keptPerson(service: string): KeptPerson | undefined {
  try {
    const people = read(keysFile())?.people;
    return people && Object.hasOwn(people, service) ? people[service] : undefined;
  } catch (error) {
    if (!(error instanceof UsedWrongly)) throw error;
    return undefined;
  }
}

/** A client that sends the key that was named, or that of who one is in the service. */
export function clientOf({ service, key = keptPerson(service)?.key }: ServiceOptions): ZanyClient {
  return new ZanyClient(service, () => key);
}
