/**
 * Edges of searches that ask only where something leads, in few bytes: of each situation the targets in order, the
 * first by how far it lies behind its source, every other by how far behind the one before, seven bits in a byte
 * (LEB128).
 */

import { type Edges, MOST_COMPARED, MOST_EDGES } from "./edges.js";

/** So many bytes a number takes at most. */
const LONGEST = 5;
/** Arrays of less than so many entries become twice as long; longer ones not: what is never filled is lost. */
const FEW = 100_000;
/** The sign of how far the first target lies behind its source stands in the lowest bit. */
const SIGN = 2;
const MORE = 0x80;
const LOW = 0x7f;
const BITS = 7;

export class PackedEdges implements Edges {
  /** Where the bytes of each source begin, up to those of the one that is gone on from. */
  private starts = new Uint32Array(1_024);
  private packed = new Uint8Array(4_096);
  /** How many sources are packed, and in how many bytes. */
  private sources = 0;
  private used = 0;
  /** The targets of the source that is gone on from. */
  private open = new Int32Array(64);
  private opened = 0;
  size = 0;
  complete = true;

  get bytes(): number {
    return this.starts.byteLength + this.packed.byteLength + this.open.byteLength;
  }

  begin(source: number): void {
    if (source > this.sources) this.close();
  }

  choose(): void {}

  add(target: number): void {
    const { open } = this;
    for (let i = this.opened - 1, first = Math.max(0, this.opened - MOST_COMPARED); i >= first; i--)
      if (open[i] === target) return;
    this.append(target);
  }

  /** Adds one that may be there already, of which there are few: that is seen when they are packed. */
  append(target: number): void {
    if (this.size >= MOST_EDGES) {
      this.complete = false;
      return;
    }
    if (this.opened >= this.open.length) this.open = longer(this.open, this.open.length * 2);
    this.open[this.opened++] = target;
    this.size++;
  }

  /** Packs the targets of the source that was gone on from. */
  private close(): void {
    const source = this.sources++;
    if (source + 2 > this.starts.length) this.starts = longer(this.starts, grown(this.starts.length, 2));
    const { open, opened } = this;
    if (opened > 0) {
      inOrder(open, opened);
      const room = this.used + opened * LONGEST;
      if (room > this.packed.length) this.packed = longer(this.packed, grown(this.packed.length, room));
      const behind = (open[0] as number) - source;
      let { used } = this;
      used = put(this.packed, used, behind < 0 ? -behind * SIGN - 1 : behind * SIGN);
      for (let i = 1; i < opened; i++) {
        const step = (open[i] as number) - (open[i - 1] as number);
        // The same once more, for which nobody looked, or not so far back.
        if (step === 0) this.size--;
        else used = put(this.packed, used, step);
      }
      this.used = used;
      this.opened = 0;
    }
    this.starts[source + 1] = this.used;
  }

  hasAny(source: number): boolean {
    if (source >= this.sources) return source === this.sources && this.opened > 0;
    return (this.starts[source] as number) < (this.starts[source + 1] as number);
  }

  each(source: number, edge: (target: number) => void): void {
    this.some(source, (target) => {
      edge(target);
      return false;
    });
  }

  some(source: number, test: (target: number) => boolean): boolean {
    if (source >= this.sources) return source === this.sources && this.open.subarray(0, this.opened).some(test);
    const { packed, starts } = this;
    const end = starts[source + 1] as number;
    let target = source;
    for (let at = starts[source] as number, isFirst = true; at < end; isFirst = false) {
      let number = 0;
      let shift = 0;
      let byte = packed[at++] as number;
      for (; byte >= MORE; byte = packed[at++] as number, shift += BITS) number |= (byte & LOW) << shift;
      number |= byte << shift;
      if (!isFirst) target += number;
      else target += (number & 1) === 0 ? number >> 1 : -((number + 1) >> 1);
      if (test(target)) return true;
    }
    return false;
  }
}

/** @param number less than 2^31, as twice the number of a situation is @returns the place behind it */
function put(packed: Uint8Array, from: number, number: number): number {
  let at = from;
  let rest = number;
  for (; rest > LOW; rest >>>= BITS) packed[at++] = (rest & LOW) | MORE;
  packed[at++] = rest;
  return at;
}

/** Brings the first so many numbers in order. */
function inOrder(numbers: Int32Array, count: number): void {
  // Few are nearly always in order already.
  if (count > MOST_COMPARED) {
    numbers.subarray(0, count).sort();
    return;
  }
  for (let i = 1; i < count; i++) {
    const number = numbers[i] as number;
    let at = i;
    for (; at > 0 && (numbers[at - 1] as number) > number; at--) numbers[at] = numbers[at - 1] as number;
    numbers[at] = number;
  }
}

/** How long an array of a length becomes, at least so long. */
function grown(length: number, least: number): number {
  return Math.max(Math.ceil(length * (length < FEW ? 2 : 1.25)), least);
}

function longer<A extends Uint8Array | Uint32Array | Int32Array>(array: A, length: number): A {
  const larger = new (array.constructor as new (length: number) => A)(length);
  larger.set(array);
  return larger;
}
