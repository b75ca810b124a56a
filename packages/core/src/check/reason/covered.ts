/** Where was gone on with what: whoever comes there again with no more than that comes to nothing new. */

import { covers, type Knowledge } from "./knowledge.js";

/** Kept for one place; more are not looked through. */
const MAX_KEPT = 32;

export class Covered {
  private readonly known = new Map<string, Knowledge[]>();

  /**
   * Whether all that is possible there was among what was gone on with; if not, it is gone on with from now on.
   *
   * @param place tells all by which going on differs but for what is known
   */
  has(place: string, store: Knowledge): boolean {
    const known = this.known.get(place);
    if (!known) this.known.set(place, [store]);
    else if (known.some((before) => covers(before, store))) return true;
    else if (known.length < MAX_KEPT) known.push(store);
    return false;
  }

  clear(): void {
    this.known.clear();
  }
}
