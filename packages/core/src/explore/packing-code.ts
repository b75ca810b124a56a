/** Packing and unpacking as generated code: for one machine, all in a row, with every shift and mask as a number. */

import { PENDING } from "../engine/situation/memory.js";
import type { Box } from "../engine/values/box.js";
import {
  type Body,
  type BoxPacking,
  type Field,
  HEAD,
  type Head,
  owned,
  type Packing,
  pack,
  unpack,
} from "./packing.js";

export interface CodedBody {
  /** Writes a situation's head and the root's data into words, all of which are written. @throws TooNarrow */
  pack(parts: readonly unknown[], words: Uint32Array, head: Head, isOver: boolean): void;
  /** Puts packed data into the root, and what is said beside them into a head. */
  load(words: Uint32Array, at: number, parts: unknown[], head: Head): void;
}

/** Boxes of more parts than this are gone through, not written out. */
const MOST_WRITTEN = 256;

class Writer {
  /** Objects that the code refers to. */
  readonly kept: unknown[] = [];
  private variables = 0;

  constructor(
    private readonly width: number,
    private readonly epoch: number,
  ) {}

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

  /** Packs by going through: into words of its own, which are added to those at hand. */
  private walked(packs: string, value: string): string {
    const words = this.keep(new Uint32Array(this.width));
    const adds = Array.from({ length: this.width }, (_, i) => `w${i} |= ${words}[${i}];\n`).join("");
    return `${words}.fill(0);\n${packs}(${value}, ${words});\n${adds}`;
  }

  packed(packing: Packing, value: string): string {
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
        if (packing.of.length > MOST_WRITTEN)
          return this.walked(
            this.keep((box: Box, words: Uint32Array) => pack(packing, box, words)),
            value,
          );
        const parts = this.variable();
        const inside = packing.of.map((part, i) => this.packed(part, `${parts}[${i}]`)).join("");
        return inside && `const ${parts} = ${value}.parts;\n${inside}`;
      }
    }
  }

  /** Two writes: of what is known to be none, or to be a number, the host's compiler makes less than of either. */
  private orNone(place: string, number: string, value: string): string {
    return `if (${number} === 0) ${place} = null; else ${place} = ${value};\n`;
  }

  loaded(packing: Packing, place: string, parts: string, slot: number): string {
    switch (packing.kind) {
      case "left":
        return `${place} = ${this.keep(packing.value)};\n`;
      case "flag": {
        const number = this.take(packing.field);
        return packing.orNone ? this.orNone(place, number, `${number} === 2`) : `${place} = ${number} === 1;\n`;
      }
      case "whole": {
        const number = this.take(packing.field);
        return packing.orNone
          ? this.orNone(place, number, `${number} + ${packing.low - 1}`)
          : `${place} = ${number} + ${packing.low};\n`;
      }
      case "pool":
        return `${place} = ${this.keep(packing.pool.values)}[${this.take(packing.field)}];\n`;
      case "box": {
        const { epoch } = this;
        if (packing.of.length > MOST_WRITTEN) {
          const load = (words: Uint32Array, at: number, into: unknown[]): void =>
            unpack(packing, words, at, into, slot, epoch);
          return `${this.keep(load)}(words, at, ${parts});\n`;
        }
        const box = this.variable();
        const inner = this.variable();
        const anew = this.keep((of: BoxPacking) => owned(of, epoch));
        const kept = this.keep(packing);
        return (
          `let ${box} = ${kept}.box;\nif (${box}.owner !== EPOCH) ${box} = ${anew}(${kept});\n` +
          `${place} = ${box};\nconst ${inner} = ${box}.parts;\n` +
          packing.of.map((part, i) => this.loaded(part, `${inner}[${i}]`, inner, i)).join("")
        );
      }
    }
  }

  build(parameters: string, code: string): unknown {
    return makerOf(`"use strict";\nreturn (${parameters}) => {\n${code}};`)(this.kept, this.epoch, PENDING);
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

/** @param width how many words a situation takes @param epoch who owns the boxes that hold one */
export function codedBody({ head, ready, pending, data, states }: Body, width: number, epoch: number): CodedBody {
  const numbers = Array.from({ length: width }, (_, i) => i);
  const packer = new Writer(width, epoch);
  const packs = [
    ...numbers.map((i) => `let w${i} = 0;\n`),
    ...HEAD.map((of) => packer.put(head[of], `head.${of}`)),
    ...ready.map(({ slot, field }) => packer.put(field, `isOver ? 0 : parts[${slot}]`)),
    ...pending.map(({ slot, field }) => packer.put(field, `parts[${slot}] === PENDING ? 1 : 0`)),
    ...data.map(({ slot, packing }) => packer.packed(packing, `parts[${slot}]`)),
    ...states.map(
      ({ slot, there, packing }) =>
        `if (parts[${slot}] !== null) {\n${packer.put(there, "1")}${packer.packed(packing, `parts[${slot}]`)}}\n`,
    ),
    ...numbers.map((i) => `words[${i}] = w${i};\n`),
  ];
  const loader = new Writer(width, epoch);
  const loads = [
    ...numbers.map((i) => `const w${i} = words[at + ${i}];\n`),
    ...HEAD.map((of) => `head.${of} = ${loader.take(head[of])};\n`),
    ...ready.map(({ slot, field }) => `parts[${slot}] = ${loader.take(field)};\n`),
    ...pending.map(({ slot, field }) => `parts[${slot}] = ${loader.take(field)} === 1 ? PENDING : null;\n`),
    ...data.map(({ slot, packing }) => loader.loaded(packing, `parts[${slot}]`, "parts", slot)),
    ...states.map(
      ({ slot, there, packing }) =>
        `if (${loader.take(there)} === 1) {\n${loader.loaded(packing, `parts[${slot}]`, "parts", slot)}} ` +
        `else parts[${slot}] = null;\n`,
    ),
  ];
  return {
    pack: packer.build("parts, words, head, isOver", packs.join("")) as CodedBody["pack"],
    load: loader.build("words, at, parts, head", loads.join("")) as CodedBody["load"],
  };
}
