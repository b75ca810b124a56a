/**
 * Situations as a few words of 32 bits, and back. What no rule can see is left out: such data are those of a template.
 */

import type { Machine } from "../check/machine.js";
import type { Type } from "../check/types.js";
import { visitMachine } from "../check/visit.js";
import type { Configuration } from "../engine/situation/configuration.js";
import { type Memory, pendingSlotsOf, PENDING } from "../engine/situation/memory.js";
import type { Outcome, Situation } from "../engine/situation/situation.js";
import { Box } from "../engine/values/box.js";
import type { Unseen } from "./unseen.js";
import type { Zone } from "./zones.js";

/** There are more different values somewhere than can be numbered. */
export class TooManyValues extends Error {}

/** The same for the sets of active states and results, and for what timers have left. Together they are a word. */
const CONFIGURATION_BITS = 14;
const ZONE_BITS = 18;
/** How many bits the number of a value takes whose type has no end, and so how many there can be. */
const POOL_BITS = 22;

/** Values of one place that are numbered as they come. */
class Pool<T> {
  private readonly numbers = new Map<string, number>();
  readonly values: T[] = [];

  constructor(
    private readonly what: string,
    private readonly bits = POOL_BITS,
  ) {}

  number(key: string, value: () => T): number {
    const known = this.numbers.get(key);
    if (known !== undefined) return known;
    const number = this.values.length;
    if (number >= 2 ** this.bits)
      throw new TooManyValues(`${this.what} has more than ${2 ** this.bits} different values`);
    this.numbers.set(key, number);
    this.values.push(value());
    return number;
  }
}

/** Bits one behind the other; no field goes over the end of a word. */
class Bits {
  words: Uint32Array = new Uint32Array(0);
  private word = 0;
  private bit = 0;

  start(words: Uint32Array): void {
    this.words = words;
    this.word = 0;
    this.bit = 0;
    words.fill(0);
  }

  again(words: Uint32Array): void {
    this.words = words;
    this.word = 0;
    this.bit = 0;
  }

  put(value: number, bits: number): void {
    if (this.bit + bits > 32) {
      this.word++;
      this.bit = 0;
    }
    this.words[this.word] = ((this.words[this.word] as number) | (value << this.bit)) >>> 0;
    this.bit += bits;
  }

  take(bits: number): number {
    if (this.bit + bits > 32) {
      this.word++;
      this.bit = 0;
    }
    const value = ((this.words[this.word] as number) >>> this.bit) & (bits === 32 ? -1 : (1 << bits) - 1);
    this.bit += bits;
    return value >>> 0;
  }
}

/** How the value of one place is packed. */
interface Packing {
  readonly put: (value: unknown, bits: Bits) => void;
  readonly take: (bits: Bits) => unknown;
  /** The widths of its fields, in order. */
  readonly widths: readonly number[];
  /** Packs nothing, of the same width. */
  readonly none: (bits: Bits) => void;
}

function bitsFor(count: number): number {
  return Math.max(0, Math.ceil(Math.log2(Math.max(1, count))));
}

/** A value by its content. */
function keyOf(value: unknown): string {
  return value instanceof Box
    ? `[${value.parts.map(keyOf).join(",")}]`
    : typeof value === "string"
      ? JSON.stringify(value)
      : String(value);
}

export class Codec {
  /** How many words a situation takes. */
  readonly width: number;
  private readonly bits = new Bits();
  private readonly data: { readonly slot: number; readonly packing: Packing }[];
  private readonly states: { readonly slot: number; readonly fields: readonly Packing[] }[];
  private readonly readySlots: readonly number[];
  private readonly pendingSlots: readonly number[];
  private readonly configurations = new Map<Configuration, number>();
  private readonly byLayers = new Pool<Configuration>("the set of active states", CONFIGURATION_BITS - 1);
  private readonly histories = new Pool<Situation["history"]>("what was active before");
  private readonly outcomes = new Pool<Outcome | null>("the result", CONFIGURATION_BITS - 1);
  private readonly seatBits: number;
  private readonly keepsHistory: boolean;

  /** @param template a situation of the match, whose data stand where nothing is packed */
  constructor(
    private readonly machine: Machine,
    private readonly template: Situation,
    private readonly unseen: Unseen,
  ) {
    const seats = template.seats.length;
    this.seatBits = seats;
    this.keepsHistory = hasHistory(machine);
    this.data = machine.data.map(({ slot, name, type }) => ({
      slot,
      packing: this.packing(type, name, [slot], template.root.parts[slot]),
    }));
    this.states = machine.states
      .filter(({ slot }) => slot >= 0)
      .map(({ slot, name, fields }) => ({
        slot,
        fields: fields.map((field) => this.packing(field.type, `${name}.${field.name}`, undefined, undefined)),
      }));
    this.readySlots = machine.states.flatMap(({ turn }) => (turn && turn.readySlot >= 0 ? [turn.readySlot] : []));
    this.pendingSlots = machine.states.flatMap(pendingSlotsOf);
    this.outcomes.number("null", () => null);
    const widths = [
      // The set of active states and the result share a number: over, none is active.
      CONFIGURATION_BITS,
      ZONE_BITS,
      ...(this.keepsHistory ? [POOL_BITS] : []),
      ...template.seats.map(() => 2),
      ...this.readySlots.map(() => this.seatBits),
      ...this.pendingSlots.map(() => 1),
      ...this.data.flatMap(({ packing }) => packing.widths),
      ...this.states.flatMap(({ fields }) => [1, ...fields.flatMap((field) => field.widths)]),
    ];
    this.width = wordsFor(widths);
  }

  /** Packs what the working memory holds. @throws TooManyValues */
  pack(memory: Memory, zone: Zone, words: Uint32Array): void {
    const { bits } = this;
    const { parts } = memory.root;
    bits.start(words);
    const { outcome } = memory;
    bits.put(
      outcome
        ? 2 * this.outcomes.number(JSON.stringify(outcome), () => outcome)
        : 2 * this.configuration(memory.configuration) + 1,
      CONFIGURATION_BITS,
    );
    if (zone.id >= 2 ** ZONE_BITS)
      throw new TooManyValues(`what timers have left has more than ${2 ** ZONE_BITS} different values`);
    bits.put(outcome ? 0 : zone.id, ZONE_BITS);
    if (this.keepsHistory)
      bits.put(
        this.histories.number(JSON.stringify(memory.history), () => memory.history),
        POOL_BITS,
      );
    for (let i = 0; i < this.seatBits; i++) bits.put(memory.seats[i] as number, 2);
    for (const slot of this.readySlots) bits.put(outcome ? 0 : (parts[slot] as number), this.seatBits);
    for (const slot of this.pendingSlots) bits.put(parts[slot] === PENDING ? 1 : 0, 1);
    for (const { slot, packing } of this.data) packing.put(parts[slot], bits);
    for (const { slot, fields } of this.states) {
      const box = parts[slot];
      bits.put(box instanceof Box ? 1 : 0, 1);
      for (let i = 0; i < fields.length; i++) {
        const field = fields[i] as Packing;
        if (box instanceof Box) field.put(box.parts[i], bits);
        else field.none(bits);
      }
    }
  }

  /** Whether the match is over in a packed situation. */
  isOver(words: Uint32Array): boolean {
    this.bits.again(words);
    return this.bits.take(CONFIGURATION_BITS) % 2 === 0;
  }

  /** The result of a packed situation in which the match is over. */
  outcomeOf(words: Uint32Array): Outcome | null {
    this.bits.again(words);
    return this.outcomes.values[this.bits.take(CONFIGURATION_BITS) / 2] ?? null;
  }

  /** A packed situation again, and the number of its zone. Time stands at 0, timers are the caller's. */
  unpack(words: Uint32Array): { readonly situation: Situation; readonly zone: number } {
    const { bits, template, machine } = this;
    bits.again(words);
    const first = bits.take(CONFIGURATION_BITS);
    const zone = bits.take(ZONE_BITS);
    const outcome = first % 2 === 0 ? (this.outcomes.values[first / 2] as Outcome | null) : null;
    const configuration = outcome ? template.configuration : (this.byLayers.values[(first - 1) / 2] as Configuration);
    const history = this.keepsHistory
      ? (this.histories.values[bits.take(POOL_BITS)] as Situation["history"])
      : template.history;
    const seats = template.seats.map(() => bits.take(2));
    const parts = new Array<unknown>(machine.rootSize).fill(null);
    for (const slot of this.readySlots) parts[slot] = bits.take(this.seatBits);
    for (const slot of this.pendingSlots) parts[slot] = bits.take(1) === 1 ? PENDING : null;
    for (const { slot, packing } of this.data) parts[slot] = packing.take(bits);
    for (const { slot, fields } of this.states) {
      const isThere = bits.take(1) === 1;
      const values = fields.map((field) => field.take(bits));
      if (isThere) parts[slot] = new Box(0, values);
    }
    const { dice, timers } = template;
    return {
      situation: { step: 0, now: 0, configuration, root: new Box(0, parts), timers, seats, history, dice, outcome },
      zone,
    };
  }

  private configuration(configuration: Configuration): number {
    const known = this.configurations.get(configuration);
    if (known !== undefined) return known;
    const number = this.byLayers.number(JSON.stringify(configuration.layers), () => configuration);
    this.configurations.set(configuration, number);
    return number;
  }

  // ---- values ----------------------------------------------------------------------------------

  /** @param path the slot and the fields that lead here; undefined for data that are always seen */
  private packing(type: Type, name: string, path: readonly number[] | undefined, template: unknown): Packing {
    if (path && this.unseen.has(path)) return { put: () => {}, take: () => template, widths: [], none: () => {} };
    const parts = template instanceof Box ? template.parts : [];
    switch (type.kind) {
      case "bool":
        return numbered(
          1,
          (value) => (value ? 1 : 0),
          (code) => code === 1,
        );
      case "int": {
        const { low, high } = type;
        if (high - low >= 2 ** 30) break;
        return numbered(
          bitsFor(high - low + 1),
          (value) => (value as number) - low,
          (code) => code + low,
        );
      }
      case "seat":
        return numbered(
          bitsFor(this.template.seats.length),
          (value) => value as number,
          (code) => code,
        );
      case "enum":
        return numbered(
          bitsFor(type.members.length),
          (value) => value as number,
          (code) => code,
        );
      case "maybe": {
        const inside = this.packing(type.of, name, path, undefined);
        if (inside.widths.length !== 1 || (inside.widths[0] as number) > 30) break;
        return {
          put: (value, bits) => {
            bits.put(value === null ? 0 : 1, 1);
            if (value === null) inside.none(bits);
            else inside.put(value, bits);
          },
          take: (bits) => {
            const isThere = bits.take(1) === 1;
            const value = inside.take(bits);
            return isThere ? value : null;
          },
          widths: [1, ...inside.widths],
          none: (bits) => {
            bits.put(0, 1);
            inside.none(bits);
          },
        };
      }
      case "record":
        return boxed(
          type.fields.map((field, i) =>
            this.packing(field.type, `${name}.${field.name}`, path && [...path, i], parts[i]),
          ),
        );
      case "perSeat":
        return boxed(
          this.template.seats.map((_, seat) => this.packing(type.of, `${name} per seat`, path, parts[seat])),
        );
      case "grid":
        return boxed(
          Array.from({ length: type.width * type.height }, (_, i) => this.packing(type.of, name, undefined, parts[i])),
        );
      default:
    }
    const pool = this.poolOf(name, type);
    return numbered(
      POOL_BITS,
      (value) => pool.number(keyOf(value), () => value),
      (code) => pool.values[code],
    );
  }

  private readonly pools = new Map<string, Pool<unknown>>();

  /** Values of one place are numbered together, whichever seat they are of. */
  private poolOf(name: string, type: Type): Pool<unknown> {
    const key = `${name} ${type.kind}`;
    let pool = this.pools.get(key);
    if (!pool) {
      pool = new Pool<unknown>(name);
      this.pools.set(key, pool);
    }
    return pool;
  }
}

function numbered(width: number, code: (value: unknown) => number, value: (code: number) => unknown): Packing {
  return {
    put: (v, bits) => bits.put(code(v), width),
    take: (bits) => value(bits.take(width)),
    widths: [width],
    none: (bits) => bits.put(0, width),
  };
}

function boxed(inside: readonly Packing[]): Packing {
  return {
    put: (value, bits) => {
      const { parts } = value as Box;
      for (let i = 0; i < inside.length; i++) (inside[i] as Packing).put(parts[i], bits);
    },
    take: (bits) =>
      new Box(
        0,
        inside.map((packing) => packing.take(bits)),
      ),
    widths: inside.flatMap(({ widths }) => widths),
    none: (bits) => {
      for (const packing of inside) packing.none(bits);
    },
  };
}

/** What was active before is kept only where something leads back to it. */
function hasHistory(machine: Machine): boolean {
  let has = false;
  visitMachine(machine, {
    arrow: ({ kind }) => {
      has ||= kind === "history";
    },
  });
  return has;
}

/** How many words fields take, when none goes over the end of one. */
function wordsFor(widths: readonly number[]): number {
  let words = 1;
  let bit = 0;
  for (const width of widths) {
    if (bit + width > 32) {
      words++;
      bit = 0;
    }
    bit += width;
  }
  return words;
}
