/**
 * Steps that stopped halfway, and what each comes to in all ways in which the dice can fall from there. Many steps lead
 * to the same halfway: the blow that ends a round, whoever strikes it. What follows is then known.
 *
 * They are packed as situations are: what no rule can see at rest none can see there, for it is written before it is
 * read by one and the same block.
 */

import { NOBODY, Table } from "./table.js";

/** How many are known at most. What is not met again soon is mostly never met again. */
const MOST = 1 << 15;

/** After so many it is looked whether it is worth it. */
const TRIED = 1_000;
/** It is worth it where one halfway spares so many steps that would be taken whole. */
const WORTH = 3;

/** A situation, and how likely a step leads there from halfway; that is always 1 where it is not asked. */
export interface Lead {
  readonly target: number;
  part: number;
  readonly total: number;
}

/** What a step comes to from halfway. */
export interface Half {
  /** Where it leads: each situation once, for each total of its shares. */
  readonly leads: readonly Lead[];
  /** In how many ways the dice can fall. */
  readonly ways: number;
  /** How many rolls that took. */
  readonly rolls: number;
}

export const NO_HALF: Half = { leads: [], ways: 0, rolls: 0 };

export class Halves {
  /** How many steps stopped, and how many that would have been taken whole they stood for. */
  private stopped = 0;
  private spared = 0;
  private table: Table;
  /** By their numbers; null where something goes wrong, which is told of whole steps. */
  private known: (Half | null)[] = [];
  private key: Uint32Array;

  /** @param packed how many words a situation takes */
  constructor(packed: number) {
    this.key = new Uint32Array(packed + 1);
    this.table = new Table(this.width);
  }

  get bytes(): number {
    return this.table.bytes;
  }

  /** All of them packed, one behind the other; one begins at its number times `width`. */
  get arena(): Uint32Array {
    return this.table.arena;
  }

  /** How many words one takes. */
  get width(): number {
    return this.key.length;
  }

  /** As far as can be told. */
  get isWorthwhile(): boolean {
    return this.stopped < TRIED || this.spared > WORTH * this.stopped;
  }

  /** A step stopped that would have been taken in so many ways. */
  spare(ways: number): void {
    this.spared += ways;
  }

  /**
   * The number of one.
   *
   * @param words in which it stands @param touched what the step has written, of which is asked at rest
   */
  numberOf(words: Uint32Array, touched: number): number {
    this.stopped++;
    if (this.known.length >= MOST) this.clear(this.width - 1);
    const { key, width } = this;
    for (let i = 0; i < width - 1; i++) key[i] = words[i] as number;
    key[width - 1] = touched;
    const id = this.table.add(key, NOBODY);
    return id < 0 ? -id - 1 : id;
  }

  touchedBy(id: number): number {
    return this.arena[(id + 1) * this.width - 1] as number;
  }

  /** What one comes to; undefined when that is not known. */
  of(id: number): Half | null | undefined {
    return this.known[id];
  }

  keep(id: number, half: Half | null): void {
    this.known[id] = half;
  }

  /** Forgets all. @param packed how many words a situation takes from now on */
  clear(packed: number): void {
    this.key = new Uint32Array(packed + 1);
    this.table = new Table(this.width);
    this.known = [];
  }
}
