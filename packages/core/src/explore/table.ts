/**
 * All situations that were found, packed one behind the other in the order in which they were: that is the queue, too.
 */

/** Where a situation was met first has no one before it. */
export const NOBODY = 0xffffffff;

export class Table {
  private arena: Uint32Array;
  private parents: Uint32Array;
  /** For each place of the table the number of a situation and one more, or 0. */
  private slots: Int32Array;
  /** How many situations there are. */
  count = 0;

  /** @param width how many words a situation takes */
  constructor(readonly width: number) {
    this.arena = new Uint32Array(width * 1_024);
    this.parents = new Uint32Array(1_024);
    this.slots = new Int32Array(4_096);
  }

  /** How many bytes it takes. */
  get bytes(): number {
    return this.arena.byteLength + this.parents.byteLength + this.slots.byteLength;
  }

  /** The number of a situation that is there; -1 for one that is not. */
  find(words: Uint32Array): number {
    return this.look(words, false, 0);
  }

  /**
   * Takes a situation in. @param parent where it was met from @returns its number; -1 minus it when it was there
   * already
   */
  add(words: Uint32Array, parent: number): number {
    return this.look(words, true, parent);
  }

  private look(words: Uint32Array, adds: boolean, parent: number): number {
    const { width, slots, arena } = this;
    const mask = slots.length - 1;
    let slot = hashOf(words, 0, width) & mask;
    for (let entry = slots[slot] as number; entry !== 0; entry = slots[slot] as number) {
      const at = (entry - 1) * width;
      let i = 0;
      while (i < width && arena[at + i] === words[i]) i++;
      if (i === width) return adds ? -entry : entry - 1;
      slot = (slot + 1) & mask;
    }
    if (!adds) return -1;
    const id = this.count++;
    if (this.count * width > arena.length) this.arena = grown(arena, this.arena.length * 2);
    if (this.count > this.parents.length) this.parents = grown(this.parents, this.parents.length * 2);
    this.arena.set(words, id * width);
    this.parents[id] = parent;
    slots[slot] = id + 1;
    if (this.count * 2 > slots.length) this.spread();
    return id;
  }

  /** Writes a situation's words. */
  read(id: number, words: Uint32Array): void {
    const at = id * this.width;
    for (let i = 0; i < this.width; i++) words[i] = this.arena[at + i] as number;
  }

  parent(id: number): number {
    return this.parents[id] as number;
  }

  private spread(): void {
    const slots = new Int32Array(this.slots.length * 2);
    const mask = slots.length - 1;
    for (let id = 0; id < this.count; id++) {
      let slot = hashOf(this.arena, id * this.width, this.width) & mask;
      while (slots[slot] !== 0) slot = (slot + 1) & mask;
      slots[slot] = id + 1;
    }
    this.slots = slots;
  }
}

function grown(array: Uint32Array, length: number): Uint32Array {
  const larger = new Uint32Array(length);
  larger.set(array);
  return larger;
}

/** The finalizer of MurmurHash3 (Appleby, public domain), word after word. */
function hashOf(words: Uint32Array, at: number, width: number): number {
  let hash = 0x9e3779b9;
  for (let i = 0; i < width; i++) {
    hash = Math.imul(hash ^ (words[at + i] as number), 0x85ebca6b);
    hash = Math.imul(hash ^ (hash >>> 13), 0xc2b2ae35);
    hash ^= hash >>> 16;
  }
  return hash >>> 0;
}
