/**
 * Situations as a few words of 32 bits, and back into the working memory. What no rule can see is left out: such data
 * are those of a template.
 *
 * Loading makes nothing anew: the same boxes are filled each time, and owned by whatever step comes next, which changes
 * them in place. What a step gives away (by storing it in a second place) is replaced the next time.
 */

import type { Machine } from "../check/machine.js";
import { perMachine } from "../check/per-machine.js";
import type { Type } from "../check/types.js";
import { visitMachine } from "../check/visit.js";
import type { Configuration } from "../engine/situation/configuration.js";
import { type Memory, pendingSlotsOf, PENDING } from "../engine/situation/memory.js";
import type { Outcome, Situation } from "../engine/situation/situation.js";
import { Box, newEpoch } from "../engine/values/box.js";
import { type CodedBody, codedBody } from "./packing-code.js";
import { PlainData } from "./plain-data.js";
import {
  bitsOf,
  type Body,
  boxPacking,
  Field,
  fieldsOf,
  flagPacking,
  HEAD,
  holds,
  type Head,
  keyFor,
  pack,
  type Packing,
  placed,
  Pool,
  TooNarrow,
  unpack,
  Width,
  wholePacking,
} from "./packing.js";
import type { Marks } from "./options.js";
import {
  type Begun,
  type Layout,
  type Stride,
  strideCode,
  type Striding,
  type StridingCodec,
  type StridingOver,
  type Sweep,
  sweepCode,
  type Sweeping,
} from "./striding-code.js";
import type { Unseen } from "./unseen.js";
import type { Zone, Zones } from "./zones.js";

/** Where a match rests: the active states, or the result when it is over. */
interface Rest {
  /** Two with the same key are the same. */
  readonly key: string;
  readonly configuration: Configuration;
  readonly outcome: Outcome | null;
  /** Its number among them; -1 as long as it has none. */
  number: number;
}

/** Stands for the zone of no situation. */
const NOWHERE: Zone = { id: 0, timers: [], bounds: [], due: [] };

/** So many results are looked through for one. */
const FEW = 8;

/** After so many situations code is generated for the others; of a machine that has been searched, at once. */
const WORTH = 100;
/** Whether so many were packed of a machine before. */
const worthBefore = perMachine(() => ({ is: false }));

/** Results by their parts, one behind the other. */
type Outcomes = Map<unknown, Outcomes | Rest>;

/** Where a result stands behind its last part. */
const REST = Symbol("rest");

/** What is loaded of a situation besides its data. */
interface Loaded extends Begun {
  marks: number;
}

export class Codec implements StridingCodec {
  /** How many words a situation takes. */
  width: number;
  /** The machine's plain data, and the words in which they and what is packed stand. */
  readonly plain: PlainData;
  /** The bits of the plain data, word by word. */
  private readonly plainBits: Uint32Array;
  private readonly epoch = newEpoch();
  private readonly root: Box;
  private readonly timers: number[];
  private readonly configurations = new Map<Configuration, Rest>();
  /** Where the match rested last. */
  private resting: Rest | undefined;
  /** Results that were packed last. */
  private readonly ended: { readonly outcome: Outcome; readonly rest: Rest }[] = [];
  private readonly outcomes: Outcomes = new Map();
  private readonly rests: Pool<Rest>;
  private readonly zones: Width;
  private readonly seats = new Pool<readonly number[]>("who is seated", seatsKey);
  private readonly histories = new Pool<Situation["history"]>("what was active before", JSON.stringify);
  private readonly head: Head = { rest: 0, zone: 0, seats: 0, history: 0, marks: 0 };
  private readonly keepsHistory: boolean;
  /** Something of a situation stands in boxes alone. */
  private readonly hasBoxed: boolean;
  /** What was loaded last, besides data. */
  private readonly loaded: Loaded;
  private readonly body: Body;
  private readonly fields: readonly Field[];
  private coded: CodedBody;
  /** Null where it cannot be made. */
  private stride: Stride | null | undefined;
  private sweep: Sweep | null | undefined;
  /** The place of the move that was taken last, or stopped, when they are taken in one go. */
  strodeAt = 0;
  /** The situation that was gone on from last, when several are. */
  strodeIn = 0;
  private packed = 0;
  private readonly before: { is: boolean };
  private readonly worth: number;
  /** Enough had been packed when a situation was loaded for code to be generated. */
  private isWorthwhile = false;

  /**
   * @param template a situation of the match, whose data stand where nothing is packed
   * @param isGenerated packing runs as generated code; else it goes through what is packed. Both do the same
   * @param marks are packed with a situation, and stand as they were when it is loaded
   */
  constructor(
    private readonly memory: Memory,
    private readonly template: Situation,
    private readonly unseen: Unseen,
    private readonly isGenerated: boolean,
    private readonly marks?: Marks,
  ) {
    const { machine } = memory;
    this.before = worthBefore(machine);
    this.worth = this.before.is ? 1 : WORTH;
    const expected = machine.states.length + machine.endings.length * template.seats.length;
    this.rests = new Pool<Rest>("what is active, or the result,", ({ key }) => key, expected);
    this.zones = new Width("what timers have left", 1 + 2 * machine.timers.length);
    this.root = new Box(this.epoch, new Array<unknown>(machine.rootSize).fill(null));
    this.timers = machine.timers.map(() => Number.NaN);
    this.loaded = {
      configuration: template.configuration,
      outcome: template.outcome,
      seats: [],
      rest: 0,
      seated: 0,
      zone: NOWHERE,
      history: template.history,
      marks: 0,
    };
    this.keepsHistory = hasHistory(machine);
    const ready = machine.states.flatMap(({ turn }) => (turn && turn.readySlot >= 0 ? [turn.readySlot] : []));
    this.body = {
      head: {
        rest: this.rests.width.field(),
        zone: this.zones.field(),
        seats: this.seats.width.field(),
        history: this.histories.width.field(),
        marks: new Field(marks?.bits ?? 0),
      },
      ready: ready.map((slot) => ({ slot, field: new Field(template.seats.length) })),
      pending: machine.states.flatMap(pendingSlotsOf).map((slot) => ({ slot, field: new Field(1) })),
      data: machine.data.map(({ slot, name, type }) => ({
        slot,
        packing: this.packing(type, name, [slot], template.root.parts[slot]),
      })),
      states: machine.states
        .filter(({ slot }) => slot >= 0)
        .map(({ slot, name, fields }) => ({
          slot,
          there: new Field(1),
          packing: boxPacking(
            fields.map((field) => this.packing(field.type, `${name}.${field.name}`, undefined, undefined)),
          ),
        })),
    };
    // What steps work on in its words stands first: it stays where it is when other numbers become wider.
    const inWords = this.body.data.flatMap(({ packing }) => fieldsOf(packing, "plain"));
    const plain = inWords.filter(({ isScratch }) => !isScratch);
    const others = [
      ...Object.values(this.body.head),
      ...this.body.ready.map(({ field }) => field),
      ...this.body.pending.map(({ field }) => field),
      ...this.body.data.flatMap(({ packing }) => fieldsOf(packing, "boxed")),
      ...this.body.states.flatMap(({ there, packing }) => [there, ...fieldsOf(packing)]),
    ];
    this.fields = [...plain, ...others];
    const most = placed(plain) + others.length;
    const capacity =
      most +
      placed(
        inWords.filter(({ isScratch }) => isScratch),
        most,
      );
    this.width = placed(this.fields);
    const { pending, data, states } = this.body;
    this.hasBoxed =
      ready.length + pending.length + states.length > 0 || data.some(({ packing }) => holds(packing, "boxed"));
    const places = new Map(this.body.data.map(({ slot, packing }) => [slot, packing]));
    this.plain = PlainData.of(memory, places, capacity, isGenerated);
    this.plainBits = bitsOf(plain, this.plain.words.length);
    this.coded = this.code();
  }

  private code(): CodedBody {
    return this.isGenerated && this.packed >= this.worth
      ? codedBody(this.body, this.width, this.plainBits.subarray(0, this.width), this.epoch)
      : this.walked;
  }

  /** Where a situation is packed to, and loaded from. */
  get words(): Uint32Array {
    return this.plain.words;
  }

  /**
   * Packs what the working memory holds, besides the plain data, which stand in the words already.
   *
   * @throws TooNarrow when a field must be widened first
   */
  pack(zone: Zone): void {
    const { head, marks, memory } = this;
    const { outcome } = memory;
    if (++this.packed === this.worth) {
      this.before.is = true;
      this.coded = this.code();
    }
    head.rest = this.restNumber();
    // Who is seated is mostly as it was when the step began.
    head.seats = memory.seats === this.loaded.seats ? this.loaded.seated : this.seatsNumber();
    if (this.keepsHistory) head.history = this.histories.number(memory.history);
    if (outcome) {
      head.zone = 0;
      head.marks = 0;
    } else {
      if (zone.id > this.body.head.zone.mask) this.tooNarrow();
      head.zone = zone.id;
      if (marks) head.marks = marks.now;
    }
    this.coded.pack(this.words, memory.root.parts, head, outcome !== null);
  }

  restNumber(): number {
    const rest = this.restOf(this.memory);
    if (rest.number < 0) rest.number = this.rests.number(rest);
    return rest.number;
  }

  seatsNumber(): number {
    return this.seats.number(this.memory.seats);
  }

  tooNarrow(): never {
    throw new TooNarrow(this.zones);
  }

  /** The working memory holds the situation that was loaded last, or what steps have made of it. */
  get isLoaded(): boolean {
    return this.memory.epoch === this.epoch;
  }

  /** What timers may have left in the situation that was loaded last. */
  get zone(): Zone {
    return this.loaded.zone;
  }

  /** What is active in the situation that was loaded last. */
  get configuration(): Configuration {
    return this.loaded.configuration;
  }

  /**
   * Takes steps from situations that were loaded; undefined as long as it is not worth it, and where it cannot be made.
   *
   * @param over the same each time
   */
  strideOver(over: StridingOver): Stride | undefined {
    if (this.stride !== undefined) return this.stride ?? undefined;
    if (!this.isCoded) return undefined;
    this.stride = strideCode(this.layout, this.striding(over)) ?? null;
    return this.stride ?? undefined;
  }

  /** Situations are gone on from in one go, or may be when it is worth it. */
  get maySweep(): boolean {
    return this.sweep !== null;
  }

  /**
   * Goes on from whole situations; undefined as long as it is not worth it, and where it cannot be made.
   *
   * @param over the same each time @param sweeping likewise
   */
  sweepOver(over: StridingOver, sweeping: Sweeping): Sweep | undefined {
    if (this.sweep !== undefined) return this.sweep ?? undefined;
    if (!this.isCoded) return undefined;
    this.sweep = sweepCode(this.layout, this.striding(over), sweeping) ?? null;
    return this.sweep ?? undefined;
  }

  /** Steps are to be taken in one go. */
  private get isCoded(): boolean {
    return this.isGenerated && this.isWorthwhile && !this.marks && !this.keepsHistory;
  }

  private striding(over: StridingOver): Striding {
    return { ...over, memory: this.memory, words: this.words, loaded: this.loaded, codec: this };
  }

  private get layout(): Layout {
    const { body, width, plainBits: plain, epoch, timers } = this;
    return { body, width, plain, epoch, timers: timers.length };
  }

  /** The result of a packed situation; null when the match is not over. */
  outcomeOf(words: Uint32Array, at: number): Outcome | null {
    return this.rest(this.body.head.rest.read(words, at)).outcome;
  }

  isOver(rest: number): boolean {
    return this.rest(rest).outcome !== null;
  }

  private rest(number: number): Rest {
    return this.rests.values[number] as Rest;
  }

  /**
   * Puts a packed situation into the working memory, until the next one: its plain data into the words alone. Time
   * stands at 0.
   *
   * @returns what its timers may have left
   */
  load(from: Uint32Array, at: number, zones: Zones): Zone {
    const { head, loaded, words, width } = this;
    this.isWorthwhile = this.packed >= this.worth;
    for (let i = 0; i < width; i++) words[i] = from[at + i] as number;
    this.coded.load(words, this.root.parts, head);
    const { configuration, outcome } = this.rest(head.rest);
    loaded.rest = head.rest;
    loaded.configuration = configuration;
    loaded.outcome = outcome;
    loaded.seated = head.seats;
    loaded.seats = this.seats.values[head.seats] as readonly number[];
    if (this.keepsHistory) loaded.history = this.histories.values[head.history] as Situation["history"];
    loaded.marks = head.marks;
    loaded.zone = zones.of(head.zone);
    this.fill();
    return loaded.zone;
  }

  /** Puts the situation that was loaded last into the working memory once more. @returns as `load` does */
  reload(from: Uint32Array, at: number): Zone {
    const { words, width } = this;
    for (let i = 0; i < width; i++) words[i] = from[at + i] as number;
    if (this.hasBoxed) this.coded.load(words, this.root.parts, this.head);
    this.fill();
    return this.loaded.zone;
  }

  private fill(): void {
    const { timers, loaded, marks } = this;
    const { due } = loaded.zone;
    for (let i = 0; i < timers.length; i++) timers[i] = due[i] as number;
    this.memory.refill(this.epoch, this.root, timers, loaded);
    if (marks) marks.now = loaded.marks;
  }

  /**
   * Makes numbers wider.
   *
   * @returns copies a situation from words of the old layout to words of the new one @throws TooManyValues
   */
  widen(width: Width): (from: Uint32Array, at: number, to: Uint32Array, toAt: number) => void {
    const { fields } = this;
    const before = fields.map(({ bits, word, shift }) => Object.assign(new Field(bits), { word, shift }));
    width.widen();
    this.width = placed(fields);
    this.coded = this.code();
    this.stride = undefined;
    this.sweep = undefined;
    return (from, at, to, toAt) => {
      for (let i = 0; i < fields.length; i++) (fields[i] as Field).add((before[i] as Field).read(from, at), to, toAt);
    };
  }

  /** What is active, or the result. Sets of active states can be made anew: what is in them counts. */
  private restOf({ configuration, outcome }: Memory): Rest {
    if (outcome) return this.over(outcome, configuration);
    if (configuration === this.resting?.configuration) return this.resting;
    let rest = this.configurations.get(configuration);
    if (!rest) {
      rest = { key: JSON.stringify(configuration.layers), configuration, outcome, number: -1 };
      this.configurations.set(configuration, rest);
    }
    this.resting = rest;
    return rest;
  }

  /** A result, the same for the same. Many are made anew all the time, and told apart part by part. */
  private over(outcome: Outcome, configuration: Configuration): Rest {
    const { ended } = this;
    for (let i = 0; i < ended.length; i++) {
      const one = ended[i] as { readonly outcome: Outcome; readonly rest: Rest };
      if (one.outcome === outcome) return one.rest;
    }
    if (ended.length >= FEW) ended.length = 0;
    const rest = this.overIn(outcome, configuration);
    ended.push({ outcome, rest });
    return rest;
  }

  private overIn(outcome: Outcome, configuration: Configuration): Rest {
    let found = this.outcomes;
    const go = (part: unknown): void => {
      let next = found.get(part);
      if (!(next instanceof Map)) found.set(part, (next = new Map()));
      found = next;
    };
    go(outcome.ending);
    if (outcome.unfinished) go(true);
    for (const name in outcome.args) {
      const value = outcome.args[name];
      go(typeof value === "object" ? JSON.stringify(value) : value);
    }
    for (const { result, rank, score } of outcome.results) {
      go(result);
      if (rank !== undefined || score !== undefined) go(`${rank} ${score}`);
    }
    const known = found.get(REST);
    if (known && !(known instanceof Map)) return known;
    const rest = { key: JSON.stringify(outcome), configuration, outcome, number: -1 };
    found.set(REST, rest);
    return rest;
  }

  // ---- values ----------------------------------------------------------------------------------

  /** For hosts that do not run generated code. */
  private readonly walked: CodedBody = {
    pack: (words, parts, numbers, isOver) => {
      const { head, ready, pending, data, states } = this.body;
      for (let i = 0; i < this.width; i++) words[i] = (words[i] as number) & (this.plainBits[i] as number);
      for (const of of HEAD) head[of].add(numbers[of], words, 0);
      for (const { slot, field } of ready) field.add(isOver ? 0 : (parts[slot] as number), words, 0);
      for (const { slot, field } of pending) field.add(parts[slot] === PENDING ? 1 : 0, words, 0);
      for (const { slot, packing } of data) pack(packing, parts[slot], words, "boxed");
      for (const { slot, there, packing } of states) {
        if (parts[slot] === null) continue;
        there.add(1, words, 0);
        pack(packing, parts[slot], words, "all");
      }
    },
    load: (words, parts, numbers) => {
      const { head, ready, pending, data, states } = this.body;
      for (const of of HEAD) numbers[of] = head[of].read(words, 0);
      for (const { slot, field } of ready) parts[slot] = field.read(words, 0);
      for (const { slot, field } of pending) parts[slot] = field.read(words, 0) === 1 ? PENDING : null;
      for (const { slot, packing } of data) unpack(packing, words, parts, slot, this.epoch, "boxed");
      for (const { slot, there, packing } of states)
        if (there.read(words, 0) === 1) unpack(packing, words, parts, slot, this.epoch, "all");
        else parts[slot] = null;
    },
  };

  /** @param path the slot and the fields that lead here; undefined for data that are always seen */
  private packing(type: Type, name: string, path: readonly number[] | undefined, template: unknown): Packing {
    if (path && this.unseen.has(path)) return this.plainPacking(type, true) ?? { kind: "left", value: template };
    const parts = template instanceof Box ? template.parts : [];
    switch (type.kind) {
      case "record":
        return boxPacking(
          type.fields.map((field, i) =>
            this.packing(field.type, `${name}.${field.name}`, path && [...path, i], parts[i]),
          ),
        );
      case "perSeat":
        return boxPacking(
          this.template.seats.map((_, seat) => this.packing(type.of, `${name} per seat`, path, parts[seat])),
        );
      case "grid":
        return boxPacking(
          Array.from({ length: type.width * type.height }, (_, i) => this.packing(type.of, name, undefined, parts[i])),
        );
      default:
        return this.plainPacking(type, false) ?? this.pooled(name, type);
    }
  }

  /** For types of few values, which are numbers, or yes and no; undefined for others. */
  private plainPacking(type: Type, isScratch: boolean, orNone = false): Packing | undefined {
    switch (type.kind) {
      case "bool":
        return flagPacking(orNone, isScratch);
      case "int":
        return type.high - type.low < 2 ** 30
          ? wholePacking(type.low, type.high - type.low + 1, orNone, isScratch)
          : undefined;
      case "seat":
        return wholePacking(0, this.template.seats.length, orNone, isScratch);
      case "enum":
        return wholePacking(0, type.members.length, orNone, isScratch);
      case "maybe":
        return orNone ? undefined : this.plainPacking(type.of, isScratch, true);
      default:
        return undefined;
    }
  }

  private readonly pools = new Map<string, Pool<unknown>>();

  /** Values of one place are numbered together, whichever seat they are of. */
  private pooled(name: string, type: Type): Packing {
    const key = `${name} ${type.kind}`;
    const pool = this.pools.get(key) ?? new Pool<unknown>(name, keyFor(type));
    this.pools.set(key, pool);
    return { kind: "pool", pool, field: pool.width.field() };
  }
}

/** The states of all seats as a number. */
function seatsKey(seats: readonly number[]): number {
  let key = 0;
  for (let i = 0; i < seats.length; i++) key = key * 3 + (seats[i] as number);
  return key;
}

/** What was active before is kept only where something leads back to it. */
const hasHistory = perMachine((machine: Machine): boolean => {
  let has = false;
  visitMachine(machine, {
    arrow: ({ kind }) => {
      has ||= kind === "history";
    },
  });
  return has;
});
