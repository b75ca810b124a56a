/**
 * The generator behind all dice: xoshiro128** 1.1 (David Blackman and Sebastiano Vigna, 2018, public
 * domain), seeded by SHA-256. It is written here rather than taken from a package because it is part
 * of the logbook format (docs/logbook.md): no update may ever change what a seed rolls.
 */

import { sha256Bytes } from "./hash.js";

const TWO_32 = 4294967296;
const TWO_53 = 9007199254740992;

/** The state of one stream: four words of 32 bits, not all zero. */
export const WORDS_PER_STREAM = 4;

/** Writes the first state of a stream: the first 16 bytes of SHA-256(seed, 0 byte, stream name), big-endian. */
export function seedStream(words: Uint32Array, stream: number, seed: string, name: string): void {
  const bytes = sha256Bytes(`${seed}\u0000${name}`);
  const at = stream * WORDS_PER_STREAM;
  for (let i = 0; i < WORDS_PER_STREAM; i++) {
    words[at + i] = new DataView(bytes.buffer, bytes.byteOffset).getUint32(i * 4);
  }
  if (words.subarray(at, at + WORDS_PER_STREAM).every((w) => w === 0)) words[at] = 1;
}

/** The next 32 bits of a stream, as a number from 0 to 2^32 - 1. Changes the state. */
function next32(words: Uint32Array, at: number): number {
  const s0 = words[at] as number;
  const s1 = words[at + 1] as number;
  const s2 = (words[at + 2] as number) ^ s0;
  const s3 = (words[at + 3] as number) ^ s1;
  const times5 = Math.imul(s1, 5);
  const result = Math.imul((times5 << 7) | (times5 >>> 25), 9) >>> 0;
  words[at] = s0 ^ s3;
  words[at + 1] = s1 ^ s2;
  words[at + 2] = s2 ^ (s1 << 9);
  words[at + 3] = (s3 << 11) | (s3 >>> 21);
  return result;
}

/**
 * A whole number from 0 to `count - 1`, each equally likely: values beyond the greatest multiple of
 * `count` are drawn again. Takes 32 bits at a time, or two draws (21 high bits, then 32 low ones)
 * when `count` is over 2^32.
 */
export function randomBelow(words: Uint32Array, stream: number, count: number): number {
  const at = stream * WORDS_PER_STREAM;
  if (count < TWO_32) return randomSmall(words, at, count);
  if (count === TWO_32) return next32(words, at);
  const limit = TWO_53 - (TWO_53 % count);
  for (;;) {
    const high = next32(words, at) & 0x1fffff;
    const x = high * TWO_32 + next32(words, at);
    if (x < limit) return x % count;
  }
}

/** The same for a count below 2^32; the stream's words begin at `at`. */
export function randomSmall(words: Uint32Array, at: number, count: number): number {
  const divisor = count >>> 0;
  const last = TWO_32 - divisor;
  for (;;) {
    const x = next32(words, at);
    const rest = (x >>> 0) % divisor;
    // The last, incomplete group of `count` values begins above `last`.
    if (x - rest <= last) return rest;
  }
}

/** A number from 0 up to, not including, 1: 53 random bits, 27 from the first draw and 26 from the second. */
export function randomUnit(words: Uint32Array, stream: number): number {
  const at = stream * WORDS_PER_STREAM;
  const high = next32(words, at) >>> 5;
  const low = next32(words, at) >>> 6;
  return (high * 67108864 + low) / TWO_53;
}
