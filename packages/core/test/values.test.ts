/** What a match is made of: dice, digests, boxes, paths, sorting. Each against something that was not written here. */

import { createCipheriv, createHash } from "node:crypto";
import { isDeepStrictEqual } from "node:util";
import { RunningDigest, sha256Hex } from "@zany/core";
import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { Box, newEpoch, ownedChild, sameValue, share } from "../src/engine/values/box.js";
import { pointerOf, pointerParts } from "../src/engine/values/pointer.js";
import { Fault } from "../src/engine/values/fault.js";
import { PackageHash } from "../src/engine/values/hash.js";
import { chacha20, Dice, newDice, randomBelow, randomSmall, randomUnit } from "../src/engine/values/random.js";
import { sortedBy } from "../src/engine/values/sort.js";

/** The words of a stream, from the ChaCha20 of the system's own library. */
class Reference {
  private readonly bytes: Buffer;
  private at: number;

  /** @param skip words that were taken before; a multiple of 16 */
  constructor(seed: string, name: string, skip = 0) {
    const key = createHash("sha256").update(`${seed}\u0000${name}`, "utf8").digest();
    // The library's 16 bytes are the number of the first block, least byte first, and the nonce.
    const from = Buffer.alloc(16);
    from.writeUInt32LE(skip / 16);
    this.bytes = createCipheriv("chacha20", key, from).update(Buffer.alloc(4096));
    this.at = 0;
  }

  next(): bigint {
    this.at += 4;
    return BigInt(this.bytes.readUInt32LE(this.at - 4));
  }
}

const NAMES = ["main", "loot", "hand\u0000north"];
const streams = fc.tuple(fc.string(), fc.nat(2));

describe("dice", () => {
  test("are the blocks of RFC 8439", () => {
    const block = (key: Uint8Array, number: number): string => {
      const words = new Uint32Array(16);
      chacha20(new Uint32Array(key.buffer), 0, number, words, 0);
      return Buffer.from(words.buffer).toString("hex");
    };
    // Appendix A.1, test vectors 1, 2 and 4.
    const zero = new Uint8Array(32);
    expect(block(zero, 0)).toBe(
      "76b8e0ada0f13d90405d6ae55386bd28bdd219b8a08ded1aa836efcc8b770dc7da41597c5157488d7724e03fb8d84a376a43b8f41518a11cc387b669b2ee6586",
    );
    expect(block(zero, 1)).toBe(
      "9f07e7be5551387a98ba977c732d080dcb0f29a048e3656912c6533e32ee7aed29b721769ce64e43d57133b074d839d531ed1f28510afb45ace10a1f4b794d6f",
    );
    expect(block(new Uint8Array(32).fill(255, 1, 2), 2)).toBe(
      "72d54dfbf12ec44b362692df94137f328fea8da73990265ec1bbbea1ae9af0ca13b25aa26cb4a648cb9b9d1be65b2c0924a66c54d545ec1b7374f4872e99f096",
    );
  });

  test("the key is SHA-256 of seed and stream, each stream apart; words are counted, and any can be gone on from", () => {
    fc.assert(
      fc.property(streams, fc.nat(2 ** 28), ([seed, stream], blocks) => {
        const skip = blocks * 16;
        const name = NAMES[stream] as string;
        const dice = Dice.from(seed, NAMES);
        const at = (counter: number): Dice => {
          const state = newDice(seed, NAMES);
          state.counters[stream] = counter;
          return new Dice(state);
        };
        const [first, far] = [new Reference(seed, name), new Reference(seed, name, skip)];
        const gone = at(skip);
        for (let i = 0; i < 40; i++) {
          expect(BigInt(dice.word(stream))).toBe(first.next());
          const word = far.next();
          expect(BigInt(gone.word(stream))).toBe(word);
          expect(BigInt(at(skip + i).word(stream))).toBe(word);
        }
        expect([...dice.state().counters]).toEqual(NAMES.map((_, i) => (i === stream ? 40 : 0)));
      }),
      { numRuns: 50 },
    );
  });

  test("a stream ends after 2^36 words", () => {
    const state = newDice("end", ["main"]);
    state.counters[0] = 2 ** 36 - 1;
    const dice = new Dice(state);
    expect(dice.word(0)).toBeGreaterThanOrEqual(0);
    expect(() => dice.word(0)).toThrow(Fault);
  });

  test("a number below a count: what the words say, words beyond the last whole group taken anew", () => {
    const counts = fc.oneof(
      fc.integer({ min: 1, max: 20 }),
      fc.integer({ min: 1, max: 0xffff_ffff }),
      fc.constantFrom(2 ** 31, 2 ** 31 + 1, 2 ** 32 - 1, 3 * 2 ** 30 + 1),
    );
    fc.assert(
      fc.property(streams, counts, ([seed, stream], count) => {
        const mine = Dice.from(seed, NAMES);
        const reference = new Reference(seed, NAMES[stream] as string);
        const limit = (1n << 32n) - ((1n << 32n) % BigInt(count));
        for (let i = 0; i < 20; i++) {
          let word = reference.next();
          while (word >= limit) word = reference.next();
          expect(randomSmall(mine, stream, count)).toBe(Number(word % BigInt(count)));
        }
      }),
    );
  });

  test("counts beyond 32 bits take two words; a share takes 27 and 26 bits", () => {
    fc.assert(
      fc.property(streams, fc.integer({ min: 2 ** 32 + 1, max: Number.MAX_SAFE_INTEGER }), ([seed, stream], count) => {
        const mine = Dice.from(seed, NAMES);
        const reference = new Reference(seed, NAMES[stream] as string);
        const limit = (1n << 53n) - ((1n << 53n) % BigInt(count));
        const wide = (): bigint => ((reference.next() & 0x1f_ffffn) << 32n) | reference.next();
        let drawn = wide();
        while (drawn >= limit) drawn = wide();
        expect(randomBelow(mine, stream, count)).toBe(Number(drawn % BigInt(count)));
        const unit = Number(((reference.next() >> 5n) << 26n) | (reference.next() >> 6n)) / 2 ** 53;
        expect(randomUnit(mine, stream)).toBe(unit);
      }),
    );
  });

  test("six faces come up as often as they should", () => {
    const dice = Dice.from("the fair", ["main"]);
    const counts = Array.from({ length: 6 }, () => 0);
    for (let i = 0; i < 60_000; i++) (counts[randomSmall(dice, 0, 6)] as number)++;
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
        // By what the host brings along, and by the package for hosts that bring nothing.
        for (const running of [new RunningDigest(), new RunningDigest(() => new PackageHash())]) {
          for (const piece of pieces) running.add(piece);
          expect(running.hex()).toBe(sha256(text));
          running.add("more");
          expect(running.hex()).toBe(sha256(`${text}more`));
        }
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
