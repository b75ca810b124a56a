/** Data that stand in words while a search takes steps: plain numbers, and what is one of a few. */

/** Where a number stands: so many bits of a word. */
interface Bits {
  readonly word: number;
  readonly shift: number;
  readonly bits: number;
  /** The bits of a number, at the word's end. */
  readonly mask: number;
}

/** What a place holds. */
export type Place =
  /** A number from `low` on, yes or no (0 or 1 then), or none of them, which is the number 0. */
  | { readonly kind: "whole" | "flag"; readonly low: number; readonly orNone: boolean; readonly field: Bits }
  /** Several in one: the fields of a record, the values of all seats, the elements of a grid. */
  | { readonly kind: "box"; readonly of: readonly Place[] }
  /** What stands in boxes alone. */
  | { readonly kind: "pool" | "left" };

export interface PackedData {
  /** The same words as long as code runs that was generated for them. */
  readonly words: Uint32Array;
  /** By the slots of the root. */
  readonly places: ReadonlyMap<number, Place>;
  /** Puts what stands in words into the boxes of the working memory. */
  toBoxes(): void;
  /** Puts what stands in boxes into the words. */
  fromBoxes(): void;
}
