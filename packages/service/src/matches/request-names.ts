/**
 * Which requests of a match may have been taken already. Nearly every request is new, and is told so without asking the
 * database for it.
 */

import type { MatchRecords } from "./records.js";

/** So many are known by heart; a match with more asks the database each time. */
const MOST = 1_000;

export class RequestNames {
  /** By key and name; read when the first is asked for, null for a match with too many. */
  private known: Set<string> | null | undefined;

  constructor(
    private readonly match: string,
    private readonly records: Pick<MatchRecords, "requestNames">,
  ) {}

  /** False for a request that was certainly not taken before. */
  mayHave(request: string): boolean {
    if (this.known === undefined) {
      const names = this.records.requestNames(this.match, MOST + 1);
      this.known = names.length > MOST ? null : new Set(names);
    }
    return this.known?.has(request) ?? true;
  }

  add(request: string): void {
    this.known?.add(request);
    if (this.known && this.known.size > MOST) this.known = null;
  }
}
