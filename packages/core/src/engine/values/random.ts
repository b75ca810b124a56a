/**
 * The generator behind all dice: the ChaCha20 block function of RFC 8439, so that nobody can tell from the rolls they
 * saw what will be rolled next, or was rolled for somebody else. It is written here rather than taken from a package
 * because it is part of the logbook format (docs/logbook.md): no update may ever change what a seed rolls.
 */

import { Fault } from "./fault.js";
import { sha256Bytes } from "./hash.js";

const TWO_32 = 4294967296;
const TWO_53 = 9007199254740992;

/** Words of 32 bits in a block. */
const BLOCK = 16;
/** The words of a key. */
const KEY = 8;
/** A stream has this many words: 2^32 blocks. */
const MOST_WORDS = TWO_32 * BLOCK;

/**
 * The keys of a match's streams, which follow from its seed. All situations of a match share them; they are no part of
 * a situation as JSON.
 */
export class DiceKeys {
  /** Made when something is rolled first. */
  private words: Uint32Array | undefined;

  /** @param names what tells the streams apart, in their order; see `streamNames` */
  constructor(
    private readonly seed: string,
    private readonly names: readonly string[],
  ) {}

  /** Writes a block of a stream: its 16 words go to `into` from `at` on. */
  block(stream: number, block: number, into: Uint32Array, at: number): void {
    chacha20((this.words ??= this.made()), stream * KEY, block, into, at);
  }

  private made(): Uint32Array {
    const { seed, names } = this;
    const words = new Uint32Array(names.length * KEY);
    for (const [stream, name] of names.entries()) {
      const bytes = sha256Bytes(`${seed}\u0000${name}`);
      const view = new DataView(bytes.buffer, bytes.byteOffset);
      for (let i = 0; i < KEY; i++) words[stream * KEY + i] = view.getUint32(i * 4, true);
    }
    return words;
  }
}

/** How far the streams of a match have been used: their keys, and how many words were taken of each. Never changed. */
export interface DiceState {
  readonly keys: DiceKeys;
  readonly counters: Float64Array;
}

/** Streams of dice that are being rolled. Each keeps the block that its last word was in. */
export class Dice {
  private keys: DiceKeys;
  private readonly streams: number;
  private readonly blocks: Uint32Array;
  /** For each stream the number of the first word in its block here; NaN when there is none. */
  private readonly firsts: Float64Array;
  /** For each stream the next word in its block; one behind the last when another block comes next. */
  private readonly next: Uint32Array;
  /** For each stream the number of the next word that is not in its block. */
  private readonly beyond: Float64Array;
  /** The state that was taken last: given again when nothing was rolled since. */
  private given: DiceState;

  constructor(state: DiceState) {
    const streams = state.counters.length;
    this.streams = streams;
    this.given = state;
    this.keys = state.keys;
    this.blocks = new Uint32Array(streams * BLOCK);
    this.firsts = new Float64Array(streams).fill(Number.NaN);
    this.next = new Uint32Array(streams).fill(BLOCK);
    this.beyond = state.counters.slice();
  }

  /** Dice that nothing was rolled with. */
  static from(seed: string, names: readonly string[]): Dice {
    return new Dice(newDice(seed, names));
  }

  /** Goes on from a state. */
  take(state: DiceState): void {
    this.given = state;
    if (this.keys !== state.keys) {
      this.keys = state.keys;
      this.firsts.fill(Number.NaN);
    }
    for (let i = 0; i < this.streams; i++) {
      const counter = state.counters[i] as number;
      const first = this.firsts[i] as number;
      const known = counter >= first && counter < first + BLOCK;
      this.next[i] = known ? counter - first : BLOCK;
      this.beyond[i] = known ? first + BLOCK : counter;
    }
  }

  /** The state that they are in; the one taken last when nothing was rolled. */
  state(): DiceState {
    const { given, streams } = this;
    for (let i = 0; i < streams; i++)
      if (this.counter(i) !== given.counters[i]) {
        const counters = new Float64Array(streams);
        for (let j = 0; j < streams; j++) counters[j] = this.counter(j);
        return (this.given = { keys: this.keys, counters });
      }
    return given;
  }

  /** How many words have been taken of a stream. */
  private counter(stream: number): number {
    const next = this.next[stream] as number;
    return next < BLOCK ? (this.firsts[stream] as number) + next : (this.beyond[stream] as number);
  }

  /** The next word of a stream, from 0 to 2^32 - 1. */
  word(stream: number): number {
    const i = this.next[stream] as number;
    if (i === BLOCK) return this.refilled(stream);
    this.next[stream] = i + 1;
    return this.blocks[stream * BLOCK + i] as number;
  }

  private refilled(stream: number): number {
    const n = this.beyond[stream] as number;
    if (n >= MOST_WORDS)
      throw new Fault("tooManyRolls", { from: 0, to: 0 }, "A stream of dice has been used up: it has 2^36 words.");
    const block = Math.floor(n / BLOCK);
    const first = block * BLOCK;
    this.keys.block(stream, block, this.blocks, stream * BLOCK);
    this.firsts[stream] = first;
    this.beyond[stream] = first + BLOCK;
    this.next[stream] = n - first + 1;
    return this.blocks[stream * BLOCK + (n - first)] as number;
  }
}

/** The dice of a match that begins. */
export function newDice(seed: string, names: readonly string[]): DiceState {
  return { keys: new DiceKeys(seed, names), counters: new Float64Array(names.length) };
}

/**
 * A whole number from 0 to `count - 1`, each equally likely: values beyond the greatest multiple of `count` are rolled
 * again. Takes one word, or two (21 low bits of the first above the 32 of the second) when `count` is over 2^32.
 *
 * @param count from 1 to 2^53
 */
export function randomBelow(dice: Dice, stream: number, count: number): number {
  if (count < TWO_32) return randomSmall(dice, stream, count);
  if (count === TWO_32) return dice.word(stream);
  const limit = TWO_53 - (TWO_53 % count);
  for (;;) {
    const high = dice.word(stream) & 0x1fffff;
    const x = high * TWO_32 + dice.word(stream);
    if (x < limit) return x % count;
  }
}

/** The same for a count below 2^32. */
export function randomSmall(dice: Dice, stream: number, count: number): number {
  const divisor = count >>> 0;
  const last = TWO_32 - divisor;
  for (;;) {
    const x = dice.word(stream);
    const rest = (x >>> 0) % divisor;
    // The last, incomplete group of `count` values begins above `last`.
    if (x - rest <= last) return rest;
  }
}

/** A number from 0 up to, not including, 1: 53 random bits, 27 from the first word and 26 from the second. */
export function randomUnit(dice: Dice, stream: number): number {
  const high = dice.word(stream) >>> 5;
  const low = dice.word(stream) >>> 6;
  return (high * 67108864 + low) / TWO_53;
}

/**
 * The ChaCha20 block function (RFC 8439, section 2.3) with nonce 0: 16 words of 32 bits, whose bytes in the standard
 * are the words' own, least first.
 *
 * @param key 8 words from `at` on
 * @param block the block's number, below 2^32
 */
export function chacha20(key: Uint32Array, at: number, block: number, into: Uint32Array, to: number): void {
  const k0 = (key[at] as number) | 0;
  const k1 = (key[at + 1] as number) | 0;
  const k2 = (key[at + 2] as number) | 0;
  const k3 = (key[at + 3] as number) | 0;
  const k4 = (key[at + 4] as number) | 0;
  const k5 = (key[at + 5] as number) | 0;
  const k6 = (key[at + 6] as number) | 0;
  const k7 = (key[at + 7] as number) | 0;
  // "expand 32-byte k"
  let a0 = 0x61707865;
  let a1 = 0x3320646e;
  let a2 = 0x79622d32;
  let a3 = 0x6b206574;
  let b0 = k0;
  let b1 = k1;
  let b2 = k2;
  let b3 = k3;
  let c0 = k4;
  let c1 = k5;
  let c2 = k6;
  let c3 = k7;
  let d0 = block | 0;
  let d1 = 0;
  let d2 = 0;
  let d3 = 0;
  // biome-ignore format: one line a quarter of a quarter round
  for (let round = 0; round < 10; round++) {
    // Columns.
    a0 = (a0 + b0) | 0; d0 ^= a0; d0 = (d0 << 16) | (d0 >>> 16);
    a1 = (a1 + b1) | 0; d1 ^= a1; d1 = (d1 << 16) | (d1 >>> 16);
    a2 = (a2 + b2) | 0; d2 ^= a2; d2 = (d2 << 16) | (d2 >>> 16);
    a3 = (a3 + b3) | 0; d3 ^= a3; d3 = (d3 << 16) | (d3 >>> 16);
    c0 = (c0 + d0) | 0; b0 ^= c0; b0 = (b0 << 12) | (b0 >>> 20);
    c1 = (c1 + d1) | 0; b1 ^= c1; b1 = (b1 << 12) | (b1 >>> 20);
    c2 = (c2 + d2) | 0; b2 ^= c2; b2 = (b2 << 12) | (b2 >>> 20);
    c3 = (c3 + d3) | 0; b3 ^= c3; b3 = (b3 << 12) | (b3 >>> 20);
    a0 = (a0 + b0) | 0; d0 ^= a0; d0 = (d0 << 8) | (d0 >>> 24);
    a1 = (a1 + b1) | 0; d1 ^= a1; d1 = (d1 << 8) | (d1 >>> 24);
    a2 = (a2 + b2) | 0; d2 ^= a2; d2 = (d2 << 8) | (d2 >>> 24);
    a3 = (a3 + b3) | 0; d3 ^= a3; d3 = (d3 << 8) | (d3 >>> 24);
    c0 = (c0 + d0) | 0; b0 ^= c0; b0 = (b0 << 7) | (b0 >>> 25);
    c1 = (c1 + d1) | 0; b1 ^= c1; b1 = (b1 << 7) | (b1 >>> 25);
    c2 = (c2 + d2) | 0; b2 ^= c2; b2 = (b2 << 7) | (b2 >>> 25);
    c3 = (c3 + d3) | 0; b3 ^= c3; b3 = (b3 << 7) | (b3 >>> 25);
    // Diagonals.
    a0 = (a0 + b1) | 0; d3 ^= a0; d3 = (d3 << 16) | (d3 >>> 16);
    a1 = (a1 + b2) | 0; d0 ^= a1; d0 = (d0 << 16) | (d0 >>> 16);
    a2 = (a2 + b3) | 0; d1 ^= a2; d1 = (d1 << 16) | (d1 >>> 16);
    a3 = (a3 + b0) | 0; d2 ^= a3; d2 = (d2 << 16) | (d2 >>> 16);
    c2 = (c2 + d3) | 0; b1 ^= c2; b1 = (b1 << 12) | (b1 >>> 20);
    c3 = (c3 + d0) | 0; b2 ^= c3; b2 = (b2 << 12) | (b2 >>> 20);
    c0 = (c0 + d1) | 0; b3 ^= c0; b3 = (b3 << 12) | (b3 >>> 20);
    c1 = (c1 + d2) | 0; b0 ^= c1; b0 = (b0 << 12) | (b0 >>> 20);
    a0 = (a0 + b1) | 0; d3 ^= a0; d3 = (d3 << 8) | (d3 >>> 24);
    a1 = (a1 + b2) | 0; d0 ^= a1; d0 = (d0 << 8) | (d0 >>> 24);
    a2 = (a2 + b3) | 0; d1 ^= a2; d1 = (d1 << 8) | (d1 >>> 24);
    a3 = (a3 + b0) | 0; d2 ^= a3; d2 = (d2 << 8) | (d2 >>> 24);
    c2 = (c2 + d3) | 0; b1 ^= c2; b1 = (b1 << 7) | (b1 >>> 25);
    c3 = (c3 + d0) | 0; b2 ^= c3; b2 = (b2 << 7) | (b2 >>> 25);
    c0 = (c0 + d1) | 0; b3 ^= c0; b3 = (b3 << 7) | (b3 >>> 25);
    c1 = (c1 + d2) | 0; b0 ^= c1; b0 = (b0 << 7) | (b0 >>> 25);
  }
  into[to] = (a0 + 0x61707865) | 0;
  into[to + 1] = (a1 + 0x3320646e) | 0;
  into[to + 2] = (a2 + 0x79622d32) | 0;
  into[to + 3] = (a3 + 0x6b206574) | 0;
  into[to + 4] = (b0 + k0) | 0;
  into[to + 5] = (b1 + k1) | 0;
  into[to + 6] = (b2 + k2) | 0;
  into[to + 7] = (b3 + k3) | 0;
  into[to + 8] = (c0 + k4) | 0;
  into[to + 9] = (c1 + k5) | 0;
  into[to + 10] = (c2 + k6) | 0;
  into[to + 11] = (c3 + k7) | 0;
  into[to + 12] = (d0 + block) | 0;
  into[to + 13] = d1;
  into[to + 14] = d2;
  into[to + 15] = d3;
}
