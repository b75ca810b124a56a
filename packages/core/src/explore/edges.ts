/**
 * Which situation leads to which, as far as there is room; situations are gone on from in the order of their numbers.
 */

/** Most edges that are kept. */
const MOST = 100_000_000;
/** Of so many targets it is looked whether they stand there already. */
const MOST_COMPARED = 24;

export class Edges {
  private offsets = new Uint32Array(1_024);
  private targets = new Uint32Array(4_096);
  private sources = 0;
  private count = 0;
  /** From here on an edge is looked for that leads to the same. */
  private first = 0;
  /** How likely each is: parts of totals; without a length where that is not asked. */
  private parts = new Float64Array(0);
  private totals = new Float64Array(0);
  /** How likely each is, is a share of whole numbers. */
  whole = true;
  /** All of them were kept. */
  complete = true;

  /** @param weighted whether it is kept how likely each of them is */
  constructor(private readonly weighted: boolean) {}

  get bytes(): number {
    return this.offsets.byteLength + this.targets.byteLength + this.parts.byteLength + this.totals.byteLength;
  }

  /** How many there are. */
  get size(): number {
    return this.count;
  }

  /** From now on edges lead from this situation. */
  begin(source: number): void {
    if (source + 2 > this.offsets.length) this.offsets = grown(this.offsets);
    this.offsets[source] = this.count;
    this.sources = source + 1;
    this.offsets[this.sources] = this.count;
    this.first = this.count;
  }

  /** From now on edges are of one choice: how likely they are is kept apart from those of others. */
  choose(): void {
    if (this.weighted) this.first = this.count;
  }

  add(target: number, part: number, total: number): void {
    if (this.joins(target, part, total)) return;
    if (this.count >= MOST) {
      this.complete = false;
      return;
    }
    if (this.count >= this.targets.length) this.targets = grown(this.targets);
    if (this.weighted) {
      if (this.count >= this.parts.length) {
        this.parts = longer(this.parts);
        this.totals = longer(this.totals);
      }
      if (!Number.isSafeInteger(part) || !Number.isSafeInteger(total)) this.whole = false;
      this.parts[this.count] = part;
      this.totals[this.count] = total;
    }
    this.targets[this.count++] = target;
    this.offsets[this.sources] = this.count;
  }

  /** Joins an edge to one that leads to the same: of the many ways of rolling the last few are looked at. */
  private joins(target: number, part: number, total: number): boolean {
    const first = Math.max(this.first, this.count - MOST_COMPARED);
    for (let i = this.count - 1; i >= first; i--) {
      if (this.targets[i] !== target) continue;
      if (!this.weighted) return true;
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

  /** Whether one edge of a situation leads to a target. */
  leads(source: number, target: number): boolean {
    if (source >= this.sources) return false;
    for (let i = this.offsets[source] as number; i < (this.offsets[source + 1] as number); i++)
      if (this.targets[i] === target) return true;
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

  /** For every situation 1 when one of those given can be reached from it. */
  leadingTo(given: Uint8Array): Uint8Array {
    const reached = given.slice();
    // Most edges lead to situations that were found later: from the last to the first, mostly all is told.
    return this.passBack(reached) ? reached : this.followedBack(reached);
  }

  /** Marks what leads to marked situations, once from the last to the first. @returns whether all are marked */
  private passBack(reached: Uint8Array): boolean {
    const { offsets, targets } = this;
    let all = true;
    for (let source = reached.length - 1; source >= 0; source--) {
      if (reached[source] === 1) continue;
      const end = source < this.sources ? (offsets[source + 1] as number) : 0;
      let i = source < this.sources ? (offsets[source] as number) : 0;
      while (i < end && reached[targets[i] as number] !== 1) i++;
      if (i < end) reached[source] = 1;
      else all = false;
    }
    return all;
  }

  private followedBack(given: Uint8Array): Uint8Array {
    const starts = new Uint32Array(given.length + 1);
    for (let i = 0; i < this.count; i++) {
      const behind = (this.targets[i] as number) + 1;
      if (behind <= given.length) starts[behind] = (starts[behind] as number) + 1;
    }
    for (let i = 0; i < given.length; i++) starts[i + 1] = (starts[i + 1] as number) + (starts[i] as number);
    const back = new Uint32Array(this.count);
    const next = starts.slice();
    for (let source = 0; source < this.sources; source++)
      for (let i = this.offsets[source] as number; i < (this.offsets[source + 1] as number); i++) {
        const target = this.targets[i] as number;
        if (target >= given.length) continue;
        back[next[target] as number] = source;
        next[target] = (next[target] as number) + 1;
      }
    const reached = given.slice();
    const waiting: number[] = [];
    for (let id = 0; id < given.length; id++) if (given[id] === 1) waiting.push(id);
    for (let id = waiting.pop(); id !== undefined; id = waiting.pop())
      for (let i = starts[id] as number; i < (starts[id + 1] as number); i++) {
        const source = back[i] as number;
        if (reached[source] === 1) continue;
        reached[source] = 1;
        waiting.push(source);
      }
    return reached;
  }
}

function longer(array: Float64Array<ArrayBuffer>): Float64Array<ArrayBuffer> {
  const larger = new Float64Array(Math.max(1_024, array.length * 2));
  larger.set(array);
  return larger;
}

function grown(array: Uint32Array<ArrayBuffer>): Uint32Array<ArrayBuffer> {
  const larger = new Uint32Array(array.length * 2);
  larger.set(array);
  return larger;
}
