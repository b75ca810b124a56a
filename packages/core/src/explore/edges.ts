/** Which situation leads to which, as far as there is room; situations are gone on from in the order of their numbers. */

/** Most edges that are kept. */
const MOST = 100_000_000;

export class Edges {
  private offsets = new Uint32Array(1_024);
  private targets = new Uint32Array(4_096);
  private sources = 0;
  private count = 0;
  /** All of them were kept. */
  complete = true;

  get bytes(): number {
    return this.offsets.byteLength + this.targets.byteLength;
  }

  /** From now on edges lead from this situation. */
  begin(source: number): void {
    if (source + 2 > this.offsets.length) this.offsets = grown(this.offsets);
    this.offsets[source] = this.count;
    this.sources = source + 1;
    this.offsets[this.sources] = this.count;
  }

  add(target: number): void {
    // Ways of rolling that come to the same stand beside each other.
    if (this.count > (this.offsets[this.sources - 1] as number) && this.targets[this.count - 1] === target) return;
    if (this.count >= MOST) {
      this.complete = false;
      return;
    }
    if (this.count >= this.targets.length) this.targets = grown(this.targets);
    this.targets[this.count++] = target;
    this.offsets[this.sources] = this.count;
  }

  hasAny(source: number): boolean {
    return source < this.sources && (this.offsets[source] as number) < (this.offsets[source + 1] as number);
  }

  /** For every situation 1 when one of those given can be reached from it. */
  leadingTo(given: Uint8Array): Uint8Array {
    const starts = new Uint32Array(given.length + 1);
    for (let i = 0; i < this.count; i++) (starts[(this.targets[i] as number) + 1] as number)++;
    for (let i = 0; i < given.length; i++) starts[i + 1] = (starts[i + 1] as number) + (starts[i] as number);
    const back = new Uint32Array(this.count);
    const next = starts.slice();
    for (let source = 0; source < this.sources; source++)
      for (let i = this.offsets[source] as number; i < (this.offsets[source + 1] as number); i++) {
        const target = this.targets[i] as number;
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

function grown(array: Uint32Array<ArrayBuffer>): Uint32Array<ArrayBuffer> {
  const larger = new Uint32Array(array.length * 2);
  larger.set(array);
  return larger;
}
