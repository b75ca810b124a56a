/**
 * All situations that were found, packed one behind the other in the order in which they were: that is the queue, too.
 */

/** Where a situation was met first has no one before it. */
export const NOBODY = 0xffffffff;

export class Table {
  /** All situations; one begins at its number times the width. */
  arena: Uint32Array;
  private parents: Uint32Array;
  /**
   * For each place of the table 0, or the number of a situation and one more; above its bits stand those bits of the
   * situation's hash that did not choose the place: most that are different are told apart without looking into them.
   */
  slots: Int32Array;
  /** How many situations there are. */
  count = 0;

  /** @param width how many words a situation takes */
  constructor(public width: number) {
    this.arena = new Uint32Array(width * 1_024);
    this.parents = new Uint32Array(1_024);
    this.slots = new Int32Array(4_096);
  }

  /** How many bytes it takes. */
  get bytes(): number {
    return this.arena.byteLength + this.parents.byteLength + this.slots.byteLength;
  }

  /**
   * Takes a situation in. @param parent where it was met from @returns its number; -1 minus it when it was there
   * already
   */
  add(words: Uint32Array, parent: number): number {
    const { width, slots, arena } = this;
    const mask = slots.length - 1;
    const hash = hashOf(words, 0, width);
    const rest = hash & ~mask;
    let slot = hash & mask;
    for (let entry = slots[slot] as number; entry !== 0; entry = slots[slot] as number) {
      if ((entry & ~mask) === rest) {
        const number = entry & mask;
        const at = (number - 1) * width;
        let i = 0;
        while (i < width && arena[at + i] === words[i]) i++;
        if (i === width) return -number;
      }
      slot = (slot + 1) & mask;
    }
    return this.enter(words, parent, slot, rest);
  }

  /**
   * Takes in a situation that is not there yet.
   * @param slot its place
   * @param rest what stands there above its number
   */
  enter(words: Uint32Array, parent: number, slot: number, rest: number): number {
    const { width, slots, arena } = this;
    const id = this.count++;
    if (this.count * width > arena.length) this.arena = grown(arena, width);
    if (this.count > this.parents.length) this.parents = grown(this.parents, 1);
    for (let i = 0; i < width; i++) this.arena[id * width + i] = words[i] as number;
    this.parents[id] = parent;
    slots[slot] = rest | (id + 1);
    if (this.count * 4 > slots.length * 3) this.spread();
    return id;
  }

  /** Writes all situations anew, in another number of words. @param copy copies one from words to others */
  repack(width: number, copy: (from: Uint32Array, at: number, to: Uint32Array, toAt: number) => void): void {
    const arena = new Uint32Array(Math.max(this.count, 1_024) * width);
    for (let id = 0; id < this.count; id++) copy(this.arena, id * this.width, arena, id * width);
    this.arena = arena;
    this.width = width;
    this.fill();
  }

  parent(id: number): number {
    return this.parents[id] as number;
  }

  private spread(): void {
    this.slots = new Int32Array(this.slots.length * 2);
    this.fill();
  }

  /** Finds a place in the empty table for each situation. */
  private fill(): void {
    const { slots } = this;
    slots.fill(0);
    const mask = slots.length - 1;
    for (let id = 0; id < this.count; id++) {
      const hash = hashOf(this.arena, id * this.width, this.width);
      let slot = hash & mask;
      while (slots[slot] !== 0) slot = (slot + 1) & mask;
      slots[slot] = (hash & ~mask) | (id + 1);
    }
  }
}

/**
 * The code of `add`, with every word by itself: of a situation in the variables w0, w1 and so on, and in the words W.
 * T is the table; afterwards `number` is the situation's, and `isNew` whether it was not there before.
 *
 * @param width how many words there are
 */
export function addCode(width: number): string {
  const each = (code: (i: number) => string, between = ""): string =>
    Array.from({ length: width }, (_, i) => code(i)).join(between);
  const mixed = (i: number): string =>
    `h = Math.imul(h ^ w${i}, ${FIRST});\nh = Math.imul(h ^ (h >>> 13), ${SECOND});\nh ^= h >>> 16;\n`;
  return (
    `let h = ${SEED};\n${each(mixed)}` +
    "const S = T.slots, A = T.arena, mask = S.length - 1, above = h & ~mask;\nlet slot = h & mask;\n" +
    "let number = -1;\nfor (let entry = S[slot]; entry !== 0; entry = S[slot]) {\nif ((entry & ~mask) === above) {\n" +
    `const found = (entry & mask) - 1, at = found * ${width};\n` +
    `if (${each((i) => `(A[at + ${i}] | 0) === w${i}`, " && ")}) {\nnumber = found;\nbreak;\n}\n}\n` +
    "slot = (slot + 1) & mask;\n}\nconst isNew = number < 0;\n" +
    "if (isNew) number = T.enter(W, parent, slot, above);\n"
  );
}

/** Arrays of less than so many situations become twice as long. */
const FEW = 100_000;

/**
 * A longer array, for a number of situations of so many words; of many not twice as long: what is never filled is lost.
 */
function grown(array: Uint32Array, width: number): Uint32Array {
  const count = array.length / width;
  const larger = new Uint32Array(Math.ceil(count * (count < FEW ? 2 : 1.25)) * width);
  larger.set(array);
  return larger;
}

const SEED = 0x9e3779b9;
const FIRST = 0x85ebca6b;
const SECOND = 0xc2b2ae35;

/** The finalizer of MurmurHash3 (Appleby, public domain), word after word. */
function hashOf(words: Uint32Array, at: number, width: number): number {
  let hash = SEED;
  for (let i = 0; i < width; i++) {
    hash = Math.imul(hash ^ (words[at + i] as number), FIRST);
    hash = Math.imul(hash ^ (hash >>> 13), SECOND);
    hash ^= hash >>> 16;
  }
  return hash;
}
