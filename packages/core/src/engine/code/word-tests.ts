/**
 * Conditions on data that stand in words, several of one word at once: where three places are to be the same, as in a
 * line of a board, one comparison of their bits tells.
 */

/**
 * What a piece of code tests: that some bits of a word are a number times a factor, which has the lowest bit of each
 * place, and a constant.
 */
export interface WordTest {
  readonly word: number;
  /** How many bits each place has. */
  readonly bits: number;
  /** The bits of all places; less than 2^31. */
  readonly mask: number;
  readonly factor: number;
  /** Code of a number that does nothing; undefined where the constant is all. */
  readonly value: string | undefined;
  readonly constant: number;
}

/** The bits of a word that a place takes. */
interface Bits {
  readonly word: number;
  readonly shift: number;
  readonly bits: number;
  readonly mask: number;
}

/** Bits are compared as numbers that are not negative. */
const MOST_BITS = 31;
/** A number that is written down. */
const WRITTEN = /^\d+$/;

/** The test that a place of a word is a number; undefined where it is not told by bits alone. */
export function wordTest({ word, shift, bits, mask }: Bits, number: string): WordTest | undefined {
  if (bits === 0 || shift + bits > MOST_BITS) return undefined;
  const [all, factor] = [mask * 2 ** shift, 2 ** shift];
  if (!WRITTEN.test(number)) return { word, bits, mask: all, factor, value: number, constant: 0 };
  return Number(number) > mask
    ? undefined
    : { word, bits, mask: all, factor, value: undefined, constant: Number(number) * factor };
}

/**
 * Two tests as one; undefined where they have to be made one after the other. A number that is too large for places of
 * so many bits is so for the highest of them too, and comes to bits that no word has under the mask.
 */
export function bothTests(a: WordTest, b: WordTest): WordTest | undefined {
  if (a.word !== b.word || (a.mask & b.mask) !== 0 || a.value !== b.value) return undefined;
  if (a.value !== undefined && a.bits !== b.bits) return undefined;
  return { ...a, mask: a.mask | b.mask, factor: a.factor + b.factor, constant: a.constant + b.constant };
}

/** @param wordCode the code of a word, by its number */
export function testCode(
  { word, mask, factor, value, constant }: WordTest,
  wordCode: (word: string) => string,
): string {
  const wanted = value === undefined ? String(constant) : factor === 1 ? `(${value})` : `(${value}) * ${factor}`;
  return `((${wordCode(String(word))} & ${mask}) === ${wanted})`;
}
