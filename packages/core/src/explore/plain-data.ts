/**
 * The machine's plain data as they stand in words while a search goes on: numbers of a range, yes and no, members,
 * seats. Generated steps work on them there; for everybody else they are put into the boxes of the working memory.
 */

import type { PackedData } from "../engine/code/packed-data.js";
import type { Memory } from "../engine/situation/memory.js";
import { bitsOf, boxPacking, fieldsOf, pack, type Packing, renewed, unpackPlain } from "./packing.js";
import { plainCode } from "./packing-code.js";

/** After so many times it is worth generating code for the others. */
const WORTH = 500;

export class PlainData implements PackedData {
  readonly words: Uint32Array;
  private moved = 0;
  /** The words' bits that are not of plain data, word by word. */
  private readonly others: Uint32Array;
  private readonly inOrder: readonly (readonly [number, Packing])[];
  private coded: ReturnType<typeof plainCode> | undefined;

  /** @param capacity how many words a situation will take at most */
  private constructor(
    private readonly memory: Memory,
    readonly places: ReadonlyMap<number, Packing>,
    private readonly key: string,
    capacity: number,
    private readonly isGenerated: boolean,
  ) {
    this.words = new Uint32Array(capacity);
    this.inOrder = [...places];
    const plain = bitsOf(
      this.inOrder.flatMap(([, packing]) => fieldsOf(packing, "plain")),
      capacity,
    );
    this.others = plain.map((bits) => ~bits);
  }

  /** The same for the same places, so that what was generated for them serves the next search. */
  static of(memory: Memory, places: ReadonlyMap<number, Packing>, capacity: number, isGenerated: boolean): PlainData {
    const key = `${isGenerated} ${JSON.stringify([...places].map(([slot, packing]) => [slot, writtenDown(packing)]))}`;
    const before = known.get(memory);
    if (before?.key === key && before.words.length >= capacity) return before;
    // It outlives its search, whose other values it lets go of.
    const plain = new Map([...places].map(([slot, packing]) => [slot, withoutValues(packing)]));
    const made = new PlainData(memory, plain, key, capacity, isGenerated);
    known.set(memory, made);
    return made;
  }

  toBoxes(): void {
    const { memory, words } = this;
    if (memory.root.owner !== memory.epoch) memory.root = renewed(memory.root, memory.epoch, 0);
    const { parts } = memory.root;
    const coded = this.code();
    if (coded) coded.toBoxes(words, parts, memory.epoch);
    else for (const [slot, packing] of this.inOrder) unpackPlain(packing, words, parts, slot, memory.epoch);
  }

  fromBoxes(): void {
    const { words, others, inOrder } = this;
    const { parts } = this.memory.root;
    const coded = this.code();
    if (coded) {
      coded.fromBoxes(words, parts);
      return;
    }
    for (let i = 0; i < words.length; i++) words[i] = (words[i] as number) & (others[i] as number);
    for (const [slot, packing] of inOrder) pack(packing, parts[slot], words, "plain");
  }

  private code(): ReturnType<typeof plainCode> | undefined {
    if (!this.isGenerated || ++this.moved < WORTH) return undefined;
    return (this.coded ??= plainCode(this.inOrder, this.words.length));
  }
}

/** What was made last for a working memory. */
const known = new WeakMap<Memory, PlainData>();

/** A place with nothing but its plain data. */
function withoutValues(packing: Packing): Packing {
  if (packing.kind === "box") return boxPacking(packing.of.map(withoutValues));
  return packing.kind === "pool" ? { kind: "left", value: null } : packing;
}

/** A place, as far as code depends on it. */
function writtenDown(packing: Packing): unknown {
  switch (packing.kind) {
    case "box":
      return packing.of.map(writtenDown);
    case "whole":
    case "flag": {
      const { kind, low, orNone, field } = packing;
      return [kind, low, orNone, field.word, field.shift, field.bits];
    }
    default:
      return packing.kind;
  }
}
