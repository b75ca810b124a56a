/** What is worked out when it is first asked for, so that a large machine is ready at once. */

/** A table by number, each of whose entries is made when it is first asked for. */
export class LazyTable<T extends object | string | number | boolean | null> {
  private readonly made: (T | undefined)[] = [];

  /** @param make gives the same for the same number, at every call */
  constructor(private readonly make: (id: number) => T) {}

  of(id: number): T {
    return this.made[id] ?? this.first(id);
  }

  private first(id: number): T {
    const made = this.make(id);
    this.made[id] = made;
    return made;
  }
}

/** Things with numbers, each in its place. */
export function byNumber<T extends { readonly id: number }>(items: readonly T[]): readonly T[] {
  const placed: T[] = [];
  for (const item of items) placed[item.id] = item;
  return placed;
}
