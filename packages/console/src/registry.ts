/** What the page that is shown tells the frame around it: a list, as long as it is shown. */

import { useEffect, useSyncExternalStore } from "react";

export class Registry<Entry> {
  private entries: readonly Entry[] = [];
  private readonly listeners = new Set<() => void>();

  /** The entries of the page that is shown. */
  readonly told = (): readonly Entry[] => this.entries;

  tell(entries: readonly Entry[]): void {
    this.entries = entries;
    for (const listener of this.listeners) listener();
  }

  readonly listen = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };
}

/** Tells the entries of a page while it is shown. @param entries the same list until they change */
export function useTell<Entry>(registry: Registry<Entry>, entries: readonly Entry[]): void {
  useEffect(() => {
    registry.tell(entries);
    return () => registry.tell([]);
  }, [registry, entries]);
}

/** The entries of the page that is shown. */
export function useTold<Entry>(registry: Registry<Entry>): readonly Entry[] {
  return useSyncExternalStore(registry.listen, registry.told);
}
