/** Sorting by numbers, ties in the order in which they stand. */

/** Short lists are sorted in place by insertion; from here on the built-in stable sort is faster. */
const LONG = 12;

/** Sorts `items` by their `keys`, ascending and stable. May change both lists; gives the sorted items. */
export function sortedBy(items: unknown[], keys: number[]): unknown[] {
  if (items.length > LONG) {
    const order = items.map((_, i) => i).sort((a, b) => (keys[a] as number) - (keys[b] as number) || a - b);
    return order.map((i) => items[i]);
  }
  for (let i = 1; i < items.length; i++) {
    const key = keys[i] as number;
    const item = items[i];
    let j = i - 1;
    for (; j >= 0 && (keys[j] as number) > key; j--) {
      keys[j + 1] = keys[j] as number;
      items[j + 1] = items[j];
    }
    keys[j + 1] = key;
    items[j + 1] = item;
  }
  return items;
}
