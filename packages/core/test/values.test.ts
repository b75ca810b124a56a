/** What a match is made of: dice, digests, boxes, paths, sorting. Each against something that was not written here. */

import { createHash } from "node:crypto";
import { isDeepStrictEqual } from "node:util";
import { RunningDigest, sha256Hex } from "@zany/core";
import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { Box, newEpoch, ownedChild, sameValue, share } from "../src/engine/values/box.js";
import { pointerOf, pointerParts } from "../src/engine/values/pointer.js";
import { randomBelow, randomSmall, randomUnit, seedStream, WORDS_PER_STREAM } from "../src/engine/values/random.js";
import { sortedBy } from "../src/engine/values/sort.js";

const MASK = 0xffff_ffffn;

/** xoshiro128** 1.1, word for word from its authors' description, in whole numbers of any size. */
class Reference {
  private words: [bigint, bigint, bigint, bigint];

  constructor(words: readonly number[]) {
    this.words = words.map(BigInt) as [bigint, bigint, bigint, bigint];
  }

  next(): bigint {
    const rotate = (x: bigint, by: bigint): bigint => ((x << by) | (x >> (32n - by))) & MASK;
    const [s0, s1, s2, s3] = this.words;
    const result = (rotate((s1 * 5n) & MASK, 7n) * 9n) & MASK;
    const t = (s1 << 9n) & MASK;
    const x2 = s2 ^ s0;
    const x3 = s3 ^ s1;
    this.words = [s0 ^ x3, s1 ^ x2, x2 ^ t, rotate(x3, 11n)];
    return result;
  }
}

const words = fc
  .array(fc.integer({ min: 0, max: 0xffff_ffff }), { minLength: 4, maxLength: 4 })
  .filter((w) => w.some((x) => x !== 0));

describe("dice", () => {
  test("are those of the published generator", () => {
    fc.assert(
      fc.property(words, (state) => {
        const mine = Uint32Array.from(state);
        const reference = new Reference(state);
        for (let i = 0; i < 50; i++) expect(BigInt(randomBelow(mine, 0, 2 ** 32) >>> 0)).toBe(reference.next());
      }),
      { numRuns: 50 },
    );
  });

  test("begin with the first 16 bytes of SHA-256 of seed and stream, each stream apart", () => {
    fc.assert(
      fc.property(fc.string(), fc.string(), (seed, name) => {
        const state = new Uint32Array(2 * WORDS_PER_STREAM);
        seedStream(state, 1, seed, name);
        const bytes = createHash("sha256").update(`${seed}\u0000${name}`, "utf8").digest();
        expect([...state]).toEqual([0, 0, 0, 0, ...[0, 4, 8, 12].map((at) => bytes.readUInt32BE(at))]);
      }),
    );
  });

  test("a number below a count: what the drawn words say, words beyond the last whole group drawn again", () => {
    const counts = fc.oneof(
      fc.integer({ min: 1, max: 20 }),
      fc.integer({ min: 1, max: 0xffff_ffff }),
      fc.constantFrom(2 ** 31, 2 ** 31 + 1, 2 ** 32 - 1, 3 * 2 ** 30 + 1),
    );
    fc.assert(
      fc.property(words, counts, (state, count) => {
        const mine = Uint32Array.from(state);
        const reference = new Reference(state);
        const limit = (1n << 32n) - ((1n << 32n) % BigInt(count));
        for (let i = 0; i < 20; i++) {
          let word = reference.next();
          while (word >= limit) word = reference.next();
          expect(randomSmall(mine, 0, count)).toBe(Number(word % BigInt(count)));
        }
      }),
    );
  });

  test("counts beyond 32 bits take two words; a share takes 27 and 26 bits", () => {
    fc.assert(
      fc.property(words, fc.integer({ min: 2 ** 32 + 1, max: Number.MAX_SAFE_INTEGER }), (state, count) => {
        const mine = Uint32Array.from(state);
        const reference = new Reference(state);
        const limit = (1n << 53n) - ((1n << 53n) % BigInt(count));
        const draw = (): bigint => ((reference.next() & 0x1f_ffffn) << 32n) | reference.next();
        let drawn = draw();
        while (drawn >= limit) drawn = draw();
        expect(randomBelow(mine, 0, count)).toBe(Number(drawn % BigInt(count)));
        const unit = Number(((reference.next() >> 5n) << 26n) | (reference.next() >> 6n)) / 2 ** 53;
        expect(randomUnit(mine, 0)).toBe(unit);
      }),
    );
  });

  test("six faces come up as often as they should", () => {
    const state = new Uint32Array(WORDS_PER_STREAM);
    seedStream(state, 0, "the fair", "main");
    const counts = Array.from({ length: 6 }, () => 0);
    for (let i = 0; i < 60_000; i++) (counts[randomSmall(state, 0, 6)] as number)++;
    const chiSquared = counts.reduce((sum, n) => sum + (n - 10_000) ** 2 / 10_000, 0);
    // Five degrees of freedom: 20.5 is passed by one in a thousand fair dice.
    expect(chiSquared).toBeLessThan(20.5);
  });
});

describe("digests", () => {
  const sha256 = (text: string): string => createHash("sha256").update(text, "utf8").digest("hex");

  test("are SHA-256 of the text as UTF-8, in one piece or in many", () => {
    fc.assert(
      fc.property(fc.array(fc.string({ unit: "binary" }), { maxLength: 5 }), (pieces) => {
        const text = pieces.join("");
        if (/[\ud800-\udfff]/.test(pieces.join(" "))) return;
        expect(sha256Hex(text)).toBe(sha256(text));
        const running = new RunningDigest();
        for (const piece of pieces) running.add(piece);
        expect(running.hex()).toBe(sha256(text));
        running.add("more");
        expect(running.hex()).toBe(sha256(`${text}more`));
      }),
    );
  });
});

describe("boxes", () => {
  type Tree = number | readonly Tree[];
  const { tree } = fc.letrec<{ tree: Tree }>((tie) => ({
    tree: fc.oneof(
      { maxDepth: 4, withCrossShrink: true },
      fc.integer({ min: 0, max: 3 }),
      fc.array(tie("tree"), { maxLength: 4 }),
    ),
  }));
  const box = (t: Tree, owner: number): unknown =>
    typeof t === "number"
      ? t
      : new Box(
          owner,
          t.map((p) => box(p, owner)),
        );
  const plain = (value: unknown): Tree => (value instanceof Box ? value.parts.map(plain) : (value as number));

  test("are the same exactly when their parts are, whoever owns them", () => {
    fc.assert(
      fc.property(tree, tree, (a, b) => {
        expect(sameValue(box(a, 0), box(a, 7))).toBe(true);
        expect(sameValue(box(a, 1), box(b, 2))).toBe(isDeepStrictEqual(a, b));
      }),
    );
  });

  test("what has been given out never changes: it is copied by whoever writes", () => {
    fc.assert(
      fc.property(
        fc.array(fc.array(fc.nat(9), { minLength: 1, maxLength: 3 }), { minLength: 1, maxLength: 3 }),
        (lists) => {
          const mine = newEpoch();
          const root = box(lists, mine) as Box;
          const given = plain(root);
          const out = new Box(0, [share(root)]);
          const next = newEpoch();
          const top = new Box(next, out.parts.slice());
          for (let i = 0; i < lists.length; i++) {
            const inner = ownedChild(ownedChild(top, 0, next), i, next);
            inner.parts[0] = 100 + i;
            expect(ownedChild(ownedChild(top, 0, next), i, next)).toBe(inner);
          }
          expect(plain(out)).toEqual([given]);
          expect(plain(top)).toEqual([lists.map((l, i) => [100 + i, ...l.slice(1)])]);
        },
      ),
    );
  });
});

describe("paths and sorting", () => {
  test("a pointer is read as it was written, whatever names hold", () => {
    fc.assert(
      fc.property(
        fc.array(fc.oneof(fc.string(), fc.constantFrom("~", "/", "~1", "~0", "a/b~c", "")), { maxLength: 6 }),
        (parts) => {
          const pointer = pointerOf(parts);
          expect(pointerParts(pointer)).toEqual(parts);
          expect(pointer === "" || pointer.startsWith("/")).toBe(true);
        },
      ),
    );
    expect(pointerParts("/a~1b/m~0n")).toEqual(["a/b", "m~n"]);
  });

  test("equal keys keep their order, in short lists and in long ones", () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: -3, max: 3 }), { maxLength: 40 }), (keys) => {
        const items = keys.map((key, i) => ({ key, i }));
        const expected = items.toSorted((a, b) => a.key - b.key || a.i - b.i);
        expect(sortedBy(items.slice(), keys.slice())).toEqual(expected);
      }),
    );
  });
});
