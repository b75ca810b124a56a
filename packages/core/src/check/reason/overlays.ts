/** What lies frozen below overlays, over all the places from which each is entered. */

import type { Machine } from "../machine.js";
import { isInside, overlayOf } from "../tree.js";
import type { Accesses } from "./accesses.js";
import { joinKnowledge, type Knowledge } from "./knowledge.js";

/** What lies below an overlay: a frozen leaf, what is known there, and the arrows still to be taken. */
export interface Frozen {
  readonly leaf: number;
  readonly store: Knowledge;
  readonly peers: Set<number>;
  readonly fresh: ReadonlySet<number>;
}

export class Overlays {
  /** What lay below when it was entered, by overlay, frozen leaf and arrows still to be taken. */
  private readonly frozen = new Map<number, Map<string, Frozen>>();
  private readonly writes = new Map<number, ReadonlySet<number>>();

  constructor(
    private readonly machine: Machine,
    private readonly accesses: Accesses,
  ) {}

  /** Takes down from where an overlay is entered. @returns whether that is news */
  freeze(overlay: number, at: Omit<Frozen, "peers"> & { readonly peers: ReadonlySet<number> }): boolean {
    const below = this.frozen.get(overlay) ?? new Map<string, Frozen>();
    this.frozen.set(overlay, below);
    const fresh = new Set([...at.fresh].filter((id) => isInside(this.machine, at.leaf, id)));
    const key = [at.leaf, ...[...fresh].sort((a, b) => a - b)].join();
    const known = below.get(key);
    const store = known ? joinKnowledge(known.store, at.store) : at.store;
    if (known && store === known.store) return false;
    below.set(key, { leaf: at.leaf, store, peers: new Set([...(known?.peers ?? []), ...at.peers]), fresh });
    return true;
  }

  /** All that may lie right below an overlay. */
  below(overlay: number): Iterable<Frozen> {
    return this.frozen.get(overlay)?.values() ?? [];
  }

  /** Whether a state lies frozen below an overlay; undefined when it may. */
  lies(state: number, overlay: number, seen = new Set<number>()): boolean | undefined {
    if (seen.has(overlay)) return undefined;
    seen.add(overlay);
    const below = [...this.below(overlay)].map(({ leaf }) => {
      if (isInside(this.machine, leaf, state)) return true;
      const under = overlayOf(this.machine, leaf);
      return under < 0 ? false : this.lies(state, under, seen);
    });
    if (below.length > 0 && below.every((is) => is === true)) return true;
    return below.some((is) => is !== false) ? undefined : false;
  }

  /** What lay below, but for what the overlay may have written. */
  thawed(overlay: number, below: Knowledge, above: Knowledge): Knowledge {
    const writes = this.writtenIn(overlay);
    let store = below.moved().withInPlay(above.inPlay);
    for (const [slot, value] of above.data.entries()) {
      const inside = this.machine.states.some((s) => s.slot === slot && isInside(this.machine, s.id, overlay));
      if (inside) store = store.write(slot, undefined);
      else if (writes.has(slot) && value !== undefined) store = store.write(slot, value);
    }
    return store;
  }

  /** The slots that may be written while an overlay is active. */
  private writtenIn(overlay: number): ReadonlySet<number> {
    const known = this.writes.get(overlay);
    if (known) return known;
    const slots = new Set<number>();
    for (const access of this.accesses.all) {
      if (access.kind !== "write") continue;
      // The machine's own listeners hold under the overlay too.
      for (const id of this.accesses.statesOf(access.place))
        if (id === 0 || isInside(this.machine, id, overlay)) slots.add(Number(/^[ds](\d+)/.exec(access.path)?.[1]));
    }
    this.writes.set(overlay, slots);
    return slots;
  }
}
