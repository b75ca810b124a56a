/** Packing and unpacking as generated code: for one machine, all in a row, with every shift and mask as a number. */

import { PENDING } from "../engine/situation/memory.js";
import type { Box } from "../engine/values/box.js";
import {
  belongs,
  bitsOf,
  type Body,
  type Field,
  fieldsOf,
  HEAD,
  type Head,
  holds,
  owned,
  type Packing,
  pack,
  type Part,
  renewed,
  unpack,
  unpackPlain,
} from "./packing.js";

export interface CodedBody {
  /** Writes a situation's head and what stands in the root's boxes into words. @throws TooNarrow */
  pack(words: Uint32Array, parts: readonly unknown[], head: Head, isOver: boolean): void;
  /** Puts what stands in boxes alone into the root, and what is said beside it into a head. */
  load(words: Uint32Array, parts: unknown[], head: Head): void;
}

export interface PlainCode {
  /** Puts the plain data from words into the boxes of the root. */
  toBoxes(words: Uint32Array, parts: unknown[], epoch: number): void;
  /** Writes the plain data of the root's boxes into their words. */
  fromBoxes(words: Uint32Array, parts: readonly unknown[]): void;
}

/** Boxes of more parts than this are gone through, not written out. */
const MOST_WRITTEN = 256;

/** Writes code, and keeps what it refers to. */
export class Writer {
  /** Objects that the code refers to. */
  readonly kept: unknown[] = [];
  private variables = 0;
  /** What is done when the words are written: boxes that are gone through add to them. */
  private after = "";
  private before = "";

  keep(value: unknown): string {
    this.kept.push(value);
    return `K[${this.kept.length - 1}]`;
  }

  variable(): string {
    return `t${this.variables++}`;
  }

  /** Adds a number to its word. */
  put({ word, shift, bits }: Field, number: string): string {
    return bits === 0 ? `${number};\n` : `w${word} |= (${number}) << ${shift};\n`;
  }

  /** A number out of its word. */
  take({ word, shift, bits, mask }: Field): string {
    return bits === 0 ? "0" : `(w${word} >>> ${shift} & ${mask})`;
  }

  packed(packing: Packing, value: string, part: Part): string {
    if (packing.kind !== "box" && !belongs(packing, part)) return "";
    switch (packing.kind) {
      case "left":
        return "";
      case "flag":
        return packing.orNone
          ? this.put(packing.field, `${value} === null ? 0 : ${value} ? 2 : 1`)
          : this.put(packing.field, `${value} ? 1 : 0`);
      case "whole":
        return packing.orNone
          ? this.put(packing.field, `${value} === null ? 0 : ${value} - ${packing.low - 1}`)
          : this.put(packing.field, `${value} - ${packing.low}`);
      case "pool":
        return this.put(packing.field, `${this.keep(packing.pool)}.number(${value})`);
      case "box": {
        if (packing.of.length > MOST_WRITTEN) {
          if (!holds(packing, part)) return "";
          const walked = this.keep((box: Box, words: Uint32Array) => pack(packing, box, words, part));
          const box = this.variable();
          this.after += `if (${box}) ${walked}(${box}, words);\n`;
          this.before += `let ${box} = null;\n`;
          return `${box} = ${value};\n`;
        }
        const parts = this.variable();
        const inside = packing.of.map((inner, i) => this.packed(inner, `${parts}[${i}]`, part)).join("");
        return inside && `const ${parts} = ${value}.parts;\n${inside}`;
      }
    }
  }

  /**
   * Code that writes the words in which something of a part stands.
   *
   * @param others the bits of the rest, which stay as they are
   */
  writes(code: string, others: Uint32Array): string {
    const numbers = [...others.keys()].filter((i) => others[i] !== ALL);
    const declared = numbers.map((i) => `let w${i} = 0;\n`).join("");
    const written = numbers.map((i) => {
      const kept = others[i] === 0 ? "" : `words[${i}] & ${others[i]} | `;
      return `words[${i}] = ${kept}w${i};\n`;
    });
    return `${declared}${this.before}${code}${written.join("")}${this.after}`;
  }

  /** Two writes: of what is known to be none, or to be a number, the host's compiler makes less than of either. */
  private orNone(place: string, number: string, value: string): string {
    return `if (${number} === 0) ${place} = null; else ${place} = ${value};\n`;
  }

  loaded(packing: Packing, place: string, parts: string, slot: number, part: "boxed" | "all"): string {
    if (!holds(packing, part)) return "";
    switch (packing.kind) {
      case "left":
        return `${place} = ${this.keep(packing.value)};\n`;
      case "flag":
      case "whole":
        return this.plain(packing, place);
      case "pool":
        return `${place} = ${this.keep(packing.pool.values)}[${this.take(packing.field)}];\n`;
      case "box": {
        if (packing.of.length > MOST_WRITTEN) {
          const load = (words: Uint32Array, into: unknown[], epoch: number): void =>
            unpack(packing, words, into, slot, epoch, part);
          return `${this.keep(load)}(words, ${parts}, EPOCH);\n`;
        }
        const box = this.variable();
        const inner = this.variable();
        const kept = this.keep(packing);
        return (
          `let ${box} = ${kept}.box;\nif (${box}.owner !== EPOCH) ${box} = ${this.keep(owned)}(${kept}, EPOCH);\n` +
          `${place} = ${box};\nconst ${inner} = ${box}.parts;\n` +
          packing.of.map((of, i) => this.loaded(of, `${inner}[${i}]`, inner, i, part)).join("")
        );
      }
    }
  }

  private plain(packing: Packing & { readonly kind: "whole" | "flag" }, place: string): string {
    const number = this.take(packing.field);
    if (packing.kind === "flag")
      return packing.orNone ? this.orNone(place, number, `${number} === 2`) : `${place} = ${number} === 1;\n`;
    return packing.orNone
      ? this.orNone(place, number, `${number} + ${packing.low - 1}`)
      : `${place} = ${number} + ${packing.low};\n`;
  }

  /** Into the boxes that are there. */
  loadedPlain(packing: Packing, place: string, parts: string, slot: number): string {
    if (packing.kind === "whole" || packing.kind === "flag") return this.plain(packing, place);
    if (packing.kind !== "box" || !holds(packing, "plain")) return "";
    if (packing.of.length > MOST_WRITTEN) {
      const load = (words: Uint32Array, into: unknown[], epoch: number): void =>
        unpackPlain(packing, words, into, slot, epoch);
      return `${this.keep(load)}(words, ${parts}, epoch);\n`;
    }
    const box = this.variable();
    const inner = this.variable();
    return (
      `let ${box} = ${place};\nif (${box} === null || ${box}.owner !== epoch) ` +
      `${place} = ${box} = ${this.keep(renewed)}(${box}, epoch, ${packing.of.length});\n` +
      `const ${inner} = ${box}.parts;\n` +
      packing.of.map((of, i) => this.loadedPlain(of, `${inner}[${i}]`, inner, i)).join("")
    );
  }

  /** All that was written is written out: nothing is gone through. */
  get isStraight(): boolean {
    return this.after === "";
  }

  /** @param constants what is known before: `name = code` */
  build(parameters: string, code: string, epoch = 0, constants: readonly string[] = []): unknown {
    const before = constants.map((constant) => `const ${constant};\n`).join("");
    return makerOf(`"use strict";\n${before}return (${parameters}) => {\n${code}};`)(this.kept, epoch, PENDING);
  }
}

/** A function that makes a function from what it refers to. */
type Maker = (kept: readonly unknown[], epoch: number, pending: unknown) => unknown;

/** What was made last, by its text: what the host has learned about it serves the next search of the same machine. */
const makers = new Map<string, Maker>();
const MOST_MAKERS = 64;

function makerOf(code: string): Maker {
  const known = makers.get(code);
  if (known) return known;
  if (makers.size >= MOST_MAKERS) makers.clear();
  const maker = new Function("K", "EPOCH", "PENDING", code) as Maker;
  makers.set(code, maker);
  return maker;
}

/** All bits of a word. */
const ALL = 0xffffffff;

/**
 * @param width how many words a situation takes
 * @param plain the bits of the machine's plain data, which stay as they are
 * @param epoch who owns the boxes that hold a situation
 */
export function codedBody(body: Body, width: number, plain: Uint32Array, epoch: number): CodedBody {
  const numbers = Array.from({ length: width }, (_, i) => i);
  const packer = new Writer();
  const packs = HEAD.map((of) => packer.put(body.head[of], `head.${of}`)).join("") + packsOf(body, packer);
  const loader = new Writer();
  const loads = [
    ...numbers.map((i) => `const w${i} = words[${i}];\n`),
    ...HEAD.map((of) => `head.${of} = ${loader.take(body.head[of])};\n`),
    loadsOf(body, loader),
  ];
  return {
    pack: packer.build("words, parts, head, isOver", packer.writes(packs, plain)) as CodedBody["pack"],
    load: loader.build("words, parts, head", loads.join(""), epoch) as CodedBody["load"],
  };
}

/** Code that adds what stands in boxes alone to the variables of its words. */
export function packsOf({ ready, pending, data, states }: Body, writer: Writer): string {
  return [
    ...ready.map(({ slot, field }) => writer.put(field, `isOver ? 0 : parts[${slot}]`)),
    ...pending.map(({ slot, field }) => writer.put(field, `parts[${slot}] === PENDING ? 1 : 0`)),
    ...data.map(({ slot, packing }) => writer.packed(packing, `parts[${slot}]`, "boxed")),
    ...states.map(
      ({ slot, there, packing }) =>
        `if (parts[${slot}] !== null) {\n` +
        `${writer.put(there, "1")}${writer.packed(packing, `parts[${slot}]`, "all")}}\n`,
    ),
  ].join("");
}

/** Code that puts what stands in boxes alone into them, from the variables of its words. */
export function loadsOf({ ready, pending, data, states }: Body, writer: Writer): string {
  return [
    ...ready.map(({ slot, field }) => `parts[${slot}] = ${writer.take(field)};\n`),
    ...pending.map(({ slot, field }) => `parts[${slot}] = ${writer.take(field)} === 1 ? PENDING : null;\n`),
    ...data.map(({ slot, packing }) => writer.loaded(packing, `parts[${slot}]`, "parts", slot, "boxed")),
    ...states.map(
      ({ slot, there, packing }) =>
        `if (${writer.take(there)} === 1) {\n${writer.loaded(packing, `parts[${slot}]`, "parts", slot, "all")}} ` +
        `else parts[${slot}] = null;\n`,
    ),
  ].join("");
}

/** @param places by slots of the root @param width how many words there are */
export function plainCode(places: readonly (readonly [number, Packing])[], width: number): PlainCode {
  const plain = bitsOf(
    places.flatMap(([, packing]) => fieldsOf(packing, "plain")),
    width,
  );
  const from = new Writer();
  const packs = places.map(([slot, packing]) => from.packed(packing, `parts[${slot}]`, "plain"));
  const to = new Writer();
  const loads = [
    ...[...plain.keys()].filter((i) => plain[i] !== 0).map((i) => `const w${i} = words[${i}];\n`),
    ...places.map(([slot, packing]) => to.loadedPlain(packing, `parts[${slot}]`, "parts", slot)),
  ];
  const others = plain.map((bits) => ~bits);
  return {
    fromBoxes: from.build("words, parts", from.writes(packs.join(""), others)) as PlainCode["fromBoxes"],
    toBoxes: to.build("words, parts, epoch", loads.join("")) as PlainCode["toBoxes"],
  };
}
