/**
 * How stored steps are tied together, so that what was changed outside of the service is noticed when a match is
 * loaded: every line adds to a digest that begins with the header, and a snapshot is sealed with it.
 */

import { hash } from "node:crypto";

/** The chain before the first line. @param header the header's text, as it is stored */
export function chainOf(header: string): string {
  return sha256(header);
}

/** The chain after one more line: SHA-256 of the chain before it, a line feed and the line's text. */
export function chained(chain: string, line: string): string {
  return sha256(`${chain}\n${line}`);
}

/** What a snapshot must come with: SHA-256 of the header, the chain at its step and its text, a line feed between. */
export function sealOf(header: string, chain: string, situation: string): string {
  return sha256(`${header}\n${chain}\n${situation}`);
}

function sha256(text: string): string {
  return hash("sha256", text);
}
