/** Keys and names made at random, and how keys come in and are kept. */

import { createCipheriv, createDecipheriv, hash, hkdfSync, randomBytes } from "node:crypto";
import type { Request } from "express";
import { Problem } from "./problems.js";

/** Letters that are hard to mistake for each other. */
const ALPHABET = "23456789abcdefghjkmnpqrstuvwxyz";

/** A short name for a match or logbook. */
export function newId(length = 10): string {
  return [...randomBytes(length)].map((byte) => ALPHABET[byte % ALPHABET.length]).join("");
}

/** A key: 192 bits, hard to guess. */
export function newKey(): string {
  return randomBytes(24).toString("base64url");
}

/** Where the dice of a match come from: 256 bits of the system's. */
export function newSeed(): string {
  return randomBytes(32).toString("base64url");
}

/** What is kept of a key. */
export function hashSecret(key: string): string {
  return hash("sha256", key);
}

/** AES-256-GCM: a random nonce of 12 bytes, a tag of 16, then what is sealed. */
const CIPHER = "aes-256-gcm";
const NONCE = 12;
const TAG = 16;

/**
 * Seals a text so that only who sends the same key and the same name again can read it: with a key made of both by
 * HKDF (RFC 5869).
 */
export function sealed(text: string, key: string, name: string): Uint8Array {
  const nonce = randomBytes(NONCE);
  const cipher = createCipheriv(CIPHER, sealingKey(key, name), nonce);
  const body = Buffer.concat([cipher.update(text, "utf8"), cipher.final()]);
  return Buffer.concat([nonce, cipher.getAuthTag(), body]);
}

/** What `sealed` has sealed. */
export function unsealed(bytes: Uint8Array, key: string, name: string): string {
  const decipher = createDecipheriv(CIPHER, sealingKey(key, name), bytes.subarray(0, NONCE));
  decipher.setAuthTag(bytes.subarray(NONCE, NONCE + TAG));
  return decipher.update(bytes.subarray(NONCE + TAG), undefined, "utf8") + decipher.final("utf8");
}

function sealingKey(key: string, name: string): Buffer {
  return Buffer.from(hkdfSync("sha256", `${key} ${name}`, "", "the answer to a request", 32));
}

/** A key as it came, with its digest. */
export interface SentKey {
  readonly key: string;
  readonly hash: string;
}

/** What a client without a key sends. */
export const NO_KEY: SentKey = sentKey("");

export function sentKey(key: string): SentKey {
  return { key, hash: hashSecret(key) };
}

/** The keys of requests under way: several ask for them, and each is digested once. */
const BEARERS = new WeakMap<Request<object>, SentKey>();

/**
 * The key of a request's `Authorization: Bearer` header, or undefined when it has none.
 *
 * @throws Problem 401 for a header of another form
 */
export function bearerKey(request: Request<object>): SentKey | undefined {
  const header = request.headers.authorization;
  if (header === undefined) return undefined;
  const known = BEARERS.get(request);
  if (known) return known;
  const [, key] = /^Bearer ([A-Za-z0-9_-]{1,200})$/i.exec(header) ?? [];
  if (key === undefined) throw new Problem(401, "badKey", "The Authorization header is not of the form: Bearer KEY.");
  const sent = sentKey(key);
  BEARERS.set(request, sent);
  return sent;
}
