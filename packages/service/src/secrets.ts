/** Keys and names made at random, and how keys come in and are kept. */

import { createHash, randomBytes } from "node:crypto";
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
  return createHash("sha256").update(key).digest("hex");
}

/**
 * The key of a request's `Authorization: Bearer` header, or undefined when it has none.
 *
 * @throws Problem 401 for a header of another form
 */
export function bearerKey(request: Request): string | undefined {
  const header = request.get("authorization");
  if (header === undefined) return undefined;
  const match = /^Bearer ([A-Za-z0-9_-]{1,200})$/i.exec(header);
  if (!match) throw new Problem(401, "badKey", "The Authorization header is not of the form: Bearer KEY.");
  return match[1];
}
