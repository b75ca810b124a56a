/**
 * Which requests of a match may have been taken already. Nearly every request is new, and is told so without asking the
 * database for it.
 */

import type { MatchRecords } from "./records.js";

/** So many are read of those that are stored, and so many are known; a match with more asks the database each time. */
const MOST_READ = 1_000;
const MOST_KNOWN = 20_000;

/** What FNV-1a begins with for 32 bits, and multiplies by (Fowler, Noll and Vo, 1991). */
const OFFSET = 0x811c9dc5;
const PRIME = 0x01000193;

export class RequestNames {
  /** Digests of keys and names; read when the first is asked for, null for a match with too many. */
  private known: Set<number> | null | undefined;

  constructor(
    private readonly match: string,
    private readonly records: Pick<MatchRecords, "requestNames">,
  ) {}

  /** False for a request that was certainly not taken before. */
  mayHave(request: string): boolean {
    if (this.known === undefined) {
      const names = this.records.requestNames(this.match, MOST_READ + 1);
      this.known = names.length > MOST_READ ? null : new Set(names.map(digest));
    }
    return this.known?.has(digest(request)) ?? true;
  }

  add(request: string): void {
    this.known?.add(digest(request));
    if (this.known && this.known.size > MOST_KNOWN) this.known = null;
  }
}

/** Some have the same: the database tells those apart. */
function digest(request: string): number {
  let hash = OFFSET;
  for (let i = 0; i < request.length; i++) hash = Math.imul(hash ^ request.charCodeAt(i), PRIME);
  return hash;
}
