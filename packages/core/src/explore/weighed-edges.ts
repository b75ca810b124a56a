/** Edges that know how likely each of them is, by the choice that leads there: for a Markov chain. */

import { type Edges, MOST_COMPARED, MOST_EDGES } from "./edges.js";

export class WeighedEdges implements Edges {
  private offsets = new Uint32Array(1_024);
  private targets = new Uint32Array(4_096);
  private sources = 0;
  private count = 0;
  /** From here on an edge is looked for that leads to the same. */
  private first = 0;
  /** How likely each is: parts of totals. */
  private parts = new Float64Array(1_024);
  private totals = new Float64Array(1_024);
  /** How likely each is, is a share of whole numbers. */
  whole = true;
  complete = true;

  get bytes(): number {
    return this.offsets.byteLength + this.targets.byteLength + this.parts.byteLength + this.totals.byteLength;
  }

  get size(): number {
    return this.count;
  }

  begin(source: number): void {
    if (source + 2 > this.offsets.length) this.offsets = grown(this.offsets);
    this.offsets[source] = this.count;
    this.sources = source + 1;
    this.offsets[this.sources] = this.count;
    this.first = this.count;
  }

  choose(): void {
    this.first = this.count;
  }

  add(target: number, part: number, total: number): void {
    if (this.joins(target, part, total)) return;
    if (this.count >= MOST_EDGES) {
      this.complete = false;
      return;
    }
    if (this.count >= this.targets.length) this.targets = grown(this.targets);
    if (this.count >= this.parts.length) {
      this.parts = longer(this.parts);
      this.totals = longer(this.totals);
    }
    if (!Number.isSafeInteger(part) || !Number.isSafeInteger(total)) this.whole = false;
    this.parts[this.count] = part;
    this.totals[this.count] = total;
    this.targets[this.count++] = target;
    this.offsets[this.sources] = this.count;
  }

  /** Joins an edge to one that leads to the same: of the many ways of rolling the last few are looked at. */
  private joins(target: number, part: number, total: number): boolean {
    const first = Math.max(this.first, this.count - MOST_COMPARED);
    for (let i = this.count - 1; i >= first; i--) {
      if (this.targets[i] !== target) continue;
      if (this.totals[i] !== total) continue;
      this.parts[i] = (this.parts[i] as number) + part;
      return true;
    }
    return false;
  }

  hasAny(source: number): boolean {
    return source < this.sources && (this.offsets[source] as number) < (this.offsets[source + 1] as number);
  }

  /** The number of the first edge of a situation among all. */
  firstOf(source: number): number {
    return this.offsets[source] as number;
  }

  some(source: number, test: (target: number) => boolean): boolean {
    if (source >= this.sources) return false;
    for (let i = this.offsets[source] as number; i < (this.offsets[source + 1] as number); i++)
      if (test(this.targets[i] as number)) return true;
    return false;
  }

  /** The edges of a situation, each with how likely it is. */
  each(source: number, edge: (target: number, part: number, total: number) => void): void {
    if (source >= this.sources) return;
    for (let i = this.offsets[source] as number; i < (this.offsets[source + 1] as number); i++)
      edge(this.targets[i] as number, this.parts[i] as number, this.totals[i] as number);
  }

  /**
   * Situations in an order in which each comes behind those that lead to it (Kahn, 1962).
   *
   * @param none a target that is no situation @returns undefined when some lead round in a circle
   */
  inOrder(count: number, none: number): number[] | undefined {
    const before = new Uint32Array(count);
    for (let i = 0; i < this.count; i++) {
      const target = this.targets[i] as number;
      if (target !== none) before[target] = (before[target] as number) + 1;
    }
    const order: number[] = [];
    for (let id = 0; id < count; id++) if (before[id] === 0) order.push(id);
    for (let at = 0; at < order.length; at++)
      this.each(order[at] as number, (target) => {
        if (target === none) return;
        before[target] = (before[target] as number) - 1;
        if (before[target] === 0) order.push(target);
      });
    return order.length === count ? order : undefined;
  }
}

function longer(array: Float64Array<ArrayBuffer>): Float64Array<ArrayBuffer> {
  const larger = new Float64Array(array.length * 2);
  larger.set(array);
  return larger;
}

function grown(array: Uint32Array<ArrayBuffer>): Uint32Array<ArrayBuffer> {
  const larger = new Uint32Array(array.length * 2);
  larger.set(array);
  return larger;
}
