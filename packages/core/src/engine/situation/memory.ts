/**
 * The working memory of a machine's steps. A situation is taken in here, the closures of expressions and
 * effects read and write it, and a new situation is made from it when the step has come to rest. A fault
 * leaves it behind as it is: the situation it came from has not been touched.
 */

import type { Machine, State } from "../../check/machine.js";
import { PER_EFFECT } from "../../check/size.js";
import type { Field, Type } from "../../check/types.js";
import type { Span } from "../../language/source.js";
import { Box, newEpoch, share, sizeOf } from "../values/box.js";
import { type Configuration, Configurations } from "./configuration.js";
import { Fault } from "../values/fault.js";
import { Dice, newDice, randomBelow, randomUnit } from "../values/random.js";
import { streamNames } from "./streams.js";
import type { HeardRecord, Outcome, RollRecord, Situation, StepHappenings } from "./situation.js";
import { type Json, put, toJson } from "../values/json.js";
import { JsonSizes, MAX_JSON } from "../values/weight.js";

/**
 * Most effects in one step, so that every step ends soon. Whatever goes through elements, cells or characters pays an
 * effect for every four of them.
 */
export const MAX_EFFECTS = 100_000;
/** What a roll costs, in effects: it is written down. */
export const ROLL_COST = 8;
/** As many faces a roll has at most: whole numbers are exact up to here. */
const MOST_FACES = 2 ** 53;
/** How many values and characters of one value are told with a signal, and how many clamps of a step. */
const MOST_TOLD = 200;
const MOST_CLAMPED = 1_000;
/** Most signals waiting at once. */
const MAX_SIGNALS = 1_000;

/** In play and held, in play and open, or out for good (eliminated, or left). */
export const SEAT_IN = 0;
export const SEAT_OPEN = 1;
export const SEAT_OUT = 2;

/** A signal that was raised and is still to be heard. */
export interface WaitingSignal {
  readonly signal: number;
  readonly values: readonly unknown[];
  /** Where in the text it was raised. */
  readonly at: Span;
}

/** A roll set by hand: a face, an index from 0, or yes and no; null leaves it to chance. */
export type SetRoll = number | boolean | null;

/** Data that can be of any size. */
interface Weighed {
  readonly slot: number;
  /** For a list of values of a fixed size, what each of them comes to; else 0. */
  readonly element: number;
  /** The type of the machine's data; undefined for a state's, which are its fields. */
  readonly type: Type | undefined;
  readonly fields: readonly Field[];
}

const NO_ROLLS: readonly SetRoll[] = [];

/** Decides rolls in place of the dice: for a search that tries every face. */
export interface Roller {
  /** A whole number from `low` to `high`. */
  whole(low: number, high: number, at: Span): number;
  /** A number from `low` up to `high`. */
  real(low: number, high: number, at: Span): number;
  /** Yes with a probability of `part` in `whole`. */
  chance(part: number, whole: number, at: Span): boolean;
  /** An index with a probability in proportion to its weight, of which at least one is above 0. */
  weighted(weights: readonly number[], at: Span): number;
}

/** In the root's slot of an arrow behind `enter`: its state was entered, and the arrow is still to be followed. */
export const PENDING = true;

/** The slots that say which of a state's arrows behind `enter` are still to be followed. */
export function pendingSlotsOf({ whens }: State): number[] {
  return whens.flatMap(({ test }) => (test.kind === "entered" && test.pendingSlot >= 0 ? [test.pendingSlot] : []));
}

/** What a situation is besides its data and its time. */
export interface Refilled {
  configuration: Configuration;
  outcome: Outcome | null;
  seats: readonly number[];
  history: Situation["history"];
}

export class Memory {
  epoch = 0;
  root: Box = new Box(0, []);
  readonly locals: unknown[];
  /** The seat acting, or -1. */
  me = -1;
  now = 0;
  configuration: Configuration;
  timers: readonly number[] = [];
  /** The timers are a copy of this step's own. */
  timersOwned = false;
  seats: readonly number[] = [];
  history: readonly (readonly number[] | null)[] = [];
  readonly dice: Dice;
  outcome: Outcome | null = null;
  /** Waiting signals stand from `nextSignal` up to `endOfSignals`; what is behind is left over and overwritten. */
  private readonly signals: WaitingSignal[] = [];
  private nextSignal = 0;
  private endOfSignals = 0;
  /** Seats that already have a result, while an ending is being worked out; else -1. */
  named = -1;
  /** False while the match begins: laws about changes do not count yet. */
  begun = true;
  /** Filled only when somebody wants to know what happened. */
  happenings: StepHappenings | null = null;
  /** Which slots of the root were written in this step; slot n counts as bit n mod 32. */
  touched = 0;
  setRolls: readonly SetRoll[] = [];
  /** Rolls in place of the dice, which then stay as they are; for searches. Whole generated steps do not ask it. */
  roller: Roller | null = null;
  /** What is shuffled is noted here as it stood before, when somebody wants to know. */
  shuffles: { readonly rolled: number; readonly items: readonly unknown[] }[] | null = null;
  private nextSetRoll = 0;
  /** Effects so far in this step. Blocks count themselves here; loops look whether it is too much. */
  effects = 0;
  /** What the notes of this step have come to, which nobody pays for. */
  noted = 0;
  private everySeatList = new Box(0, []);
  private inPlayCache: Box | null = null;
  private inPlayOf: readonly number[] | null = null;

  /** The names of the seats of the match at hand: a machine with `seats 2..6` has fewer than it could. */
  readonly naming: { seats: readonly string[] };
  readonly configurations: Configurations;
  /** What tells the streams of dice apart, by their numbers. */
  private readonly streams: readonly string[];
  private readonly sizes: JsonSizes;
  /** What data of a fixed size come to at most. */
  private fixedWeight = 0;
  private readonly weighed: Weighed[] = [];
  /** How often it has been filled anew: a run notices when somebody else used it. */
  loads = 0;

  /** @param configurations of another memory for the same machine, whose situations come here; its own when left out */
  constructor(
    readonly machine: Machine,
    configurations?: Configurations,
  ) {
    this.naming = { seats: machine.seats.names };
    this.configurations = configurations ?? new Configurations(machine);
    this.configuration = this.configurations.none;
    const { names } = machine.seats;
    this.sizes = new JsonSizes(Math.max(0, ...names.map((name) => name.length)), names.length);
    const fixed = (type: Type): boolean => this.sizes.most(type) < Number.POSITIVE_INFINITY;
    for (const { name, type, slot } of machine.data) {
      if (fixed(type)) this.fixedWeight += name.length + 4 + this.sizes.most(type);
      else if (type.kind === "list" && fixed(type.of))
        this.weighed.push({ slot, element: this.sizes.most(type.of), type, fields: [] });
      else this.weighed.push({ slot, element: 0, type, fields: [] });
    }
    for (const { slot, name, fields } of machine.states) {
      if (slot < 0) continue;
      if (!fields.every((field) => fixed(field.type))) this.weighed.push({ slot, element: 0, type: undefined, fields });
      else for (const { type } of fields) this.fixedWeight += name.length + 4 + this.sizes.most(type);
    }
    this.streams = streamNames(machine);
    this.locals = new Array<unknown>(machine.locals).fill(null);
    this.dice = Dice.from("", this.streams);
  }

  // ---- situations ------------------------------------------------------------------------------

  /** Takes a situation in. */
  load(situation: Situation, setRolls: readonly SetRoll[] = NO_ROLLS): void {
    this.loads++;
    this.release();
    this.root = situation.root;
    this.configuration = situation.configuration;
    this.timers = situation.timers;
    this.seat(situation.seats);
    this.history = situation.history;
    this.dice.take(situation.dice);
    this.outcome = situation.outcome;
    this.now = situation.now;
    this.me = -1;
    this.reset(setRolls);
  }

  /**
   * Takes a situation in whose boxes are filled anew for it: they belong to the step that comes, which changes them in
   * place. For searches, in which no situation is given out; time stands at 0.
   *
   * @param epoch who owns the boxes
   */
  refill(epoch: number, root: Box, timers: number[], { configuration, outcome, seats, history }: Refilled): void {
    // Most of it is as it was: reading is cheaper than writing.
    if (this.epoch !== epoch || this.root !== root || this.timers !== timers) {
      this.loads++;
      this.epoch = epoch;
      this.root = root;
      this.timers = timers;
      this.timersOwned = true;
      this.now = 0;
      this.happenings = null;
    }
    if (this.configuration !== configuration) this.configuration = configuration;
    if (this.outcome !== outcome) this.outcome = outcome;
    if (this.seats !== seats) this.seat(seats);
    if (this.history !== history) this.history = history;
    this.me = -1;
    this.reset(NO_ROLLS);
  }

  /** Changes who is seated. */
  seat(seats: readonly number[]): void {
    this.seats = seats;
    if (this.naming.seats.length !== seats.length) this.naming.seats = this.machine.seats.names.slice(0, seats.length);
  }

  /** A situation as the memory stands. */
  publish(step: number): Situation {
    this.release();
    return {
      step,
      now: this.now,
      configuration: this.configuration,
      root: this.root,
      timers: this.timers,
      seats: this.seats,
      history: this.history,
      dice: this.dice.state(),
      outcome: this.outcome,
    };
  }

  /**
   * A situation as the memory stands, at the end of a step that may be written down.
   *
   * @throws Fault when it comes to more than can be
   */
  publishWritable(step: number): Situation {
    const situation = this.publish(step);
    if (this.weight(situation.root) > MAX_JSON)
      throw new Fault(
        "tooLarge",
        { from: 0, to: 0 },
        `The match's data come to more than ${MAX_JSON} characters when they are written down.`,
      );
    return situation;
  }

  /** What the data come to when they are written down. */
  weight({ parts }: Box): number {
    let weight = this.fixedWeight;
    for (let i = 0; i < this.weighed.length; i++) {
      const { slot, element, type, fields } = this.weighed[i] as Weighed;
      const value = parts[slot];
      if (element > 0) weight += element * (value as Box).parts.length;
      else if (type) weight += this.sizes.of(type, value);
      else if (value instanceof Box)
        for (const [j, field] of fields.entries()) weight += this.sizes.of(field.type, value.parts[j]);
    }
    return weight;
  }

  /** Begins a step that goes on in the memory as it stands. */
  again(): void {
    this.me = -1;
    this.touched = 0;
    this.effects = 0;
    this.noted = 0;
  }

  /** Empties the memory for a new match: seats and dice, no state active, no data yet. */
  clear(seed: string, seats: readonly number[], now: number, setRolls: readonly SetRoll[]): void {
    const { machine } = this;
    this.loads++;
    this.release();
    this.now = now;
    this.me = -1;
    this.outcome = null;
    this.seat(seats);
    this.history = machine.states.map(() => null);
    this.timers = machine.timers.map(() => Number.NaN);
    this.configuration = this.configurations.none;
    this.reset(setRolls);
    this.dice.take(newDice(seed, this.streams));
    this.root = new Box(this.epoch, new Array<unknown>(machine.rootSize).fill(null));
    for (const { turn } of machine.states) if (turn && turn.readySlot >= 0) this.root.parts[turn.readySlot] = 0;
  }

  // ---- steps -----------------------------------------------------------------------------------

  /** Prepares for a step. What the step before owned stays owned; `release` ends that. */
  private reset(setRolls: readonly SetRoll[]): void {
    this.clearSignals();
    this.touched = 0;
    this.setRolls = setRolls;
    this.nextSetRoll = 0;
    this.effects = 0;
    this.noted = 0;
    this.named = -1;
  }

  /** Counts effects in a loop; a step that has more than any sensible machine needs is stopped. */
  spend(count: number, at: Span): void {
    this.effects += count;
    if (this.effects > MAX_EFFECTS)
      throw new Fault("tooManyEffects", at, `This step does more than ${MAX_EFFECTS} effects come to.`);
  }

  /** Counts elements, cells or characters that are gone through; the few of a hand or a queue cost nothing. */
  charge(parts: number, at: Span): void {
    if (parts >= PER_EFFECT) this.spend(Math.floor(parts / PER_EFFECT), at);
  }

  /** Pays for a value that is about to stand in a second place, where its parts may have to be copied. */
  kept<T>(value: T, at: Span): T {
    this.charge(sizeOf(value), at);
    return share(value);
  }

  // ---- writing ---------------------------------------------------------------------------------

  /** The root box, as the step's own; the slot says what of it will be written. */
  ownRoot(slot: number): Box {
    this.touched |= 1 << (slot & 31);
    if (this.root.owner === this.epoch) return this.root;
    this.root = new Box(this.epoch, this.root.parts.slice());
    return this.root;
  }

  setTimer(timer: number, value: number): void {
    if (!this.timersOwned) {
      this.timers = this.timers.slice();
      this.timersOwned = true;
    }
    (this.timers as number[])[timer] = value;
  }

  /** Everything is part of a situation now: the next write of anything copies it. */
  release(): void {
    this.epoch = newEpoch();
    this.timersOwned = false;
  }

  setSeat(seat: number, status: number): void {
    const seats = this.seats.slice();
    seats[seat] = status;
    this.seats = seats;
  }

  /** The seats in play, as a list. */
  inPlay(): Box {
    if (this.inPlayOf !== this.seats || !this.inPlayCache) {
      const list: number[] = [];
      for (let seat = 0; seat < this.seats.length; seat++) if (this.seats[seat] !== SEAT_OUT) list.push(seat);
      this.inPlayCache = new Box(0, list);
      this.inPlayOf = this.seats;
    }
    return this.inPlayCache;
  }

  /** The seats in play that somebody holds, as a list. */
  seated(): Box {
    const list: number[] = [];
    for (let seat = 0; seat < this.seats.length; seat++) if (this.seats[seat] === SEAT_IN) list.push(seat);
    return new Box(0, list);
  }

  /** All seats of the match, as a list. */
  everySeat(): Box {
    if (this.everySeatList.parts.length !== this.seats.length)
      this.everySeatList = new Box(
        0,
        this.seats.map((_, seat) => seat),
      );
    return this.everySeatList;
  }

  /** Cyclically the next seat in play after `seat`; the seat itself when it is the only one. */
  nextSeat(seat: number, at: Span): number {
    const count = this.seats.length;
    for (let i = 1; i <= count; i++) {
      const candidate = (seat + i) % count;
      if (this.seats[candidate] !== SEAT_OUT) return candidate;
    }
    throw new Fault("noNextSeat", at, "No seat is in play, so there is no next one.");
  }

  raise(signal: number, values: readonly unknown[], at: Span): void {
    if (this.waiting >= MAX_SIGNALS)
      throw new Fault("tooManySignals", at, `More than ${MAX_SIGNALS} signals wait at once.`);
    this.signals[this.endOfSignals++] = { signal, values, at };
  }

  /** How many signals wait. */
  get waiting(): number {
    return this.endOfSignals - this.nextSignal;
  }

  /** Whether a signal waits to be heard. */
  isWaiting(signal: number): boolean {
    for (let i = this.nextSignal; i < this.endOfSignals; i++) if (this.signals[i]?.signal === signal) return true;
    return false;
  }

  /** Takes the signal that has waited longest. */
  takeSignal(): WaitingSignal {
    const signal = this.signals[this.nextSignal++] as WaitingSignal;
    if (this.nextSignal === this.endOfSignals) this.clearSignals();
    return signal;
  }

  /** Forgets all waiting signals and gives their numbers. */
  dropSignals(): number[] {
    const dropped = this.signals.slice(this.nextSignal, this.endOfSignals).map((s) => s.signal);
    this.clearSignals();
    return dropped;
  }

  /** Records a signal that is being heard; those who act on it go into the list it gives. */
  recordSignal(signal: number, values: readonly unknown[], at: Span): HeardRecord[] | undefined {
    const declared = this.machine.signals[signal];
    if (!this.happenings || !declared) return undefined;
    const heard: HeardRecord[] = [];
    const named: { [name: string]: Json } = {};
    for (let i = 0; i < declared.parameters.length; i++) {
      const { name, type } = declared.parameters[i] as (typeof declared.parameters)[number];
      put(named, name, this.shortJson(type, values[i]));
    }
    this.happenings.signals.push({ signal: declared.name, values: named, position: at.from, heard });
    return heard;
  }

  /** A value as a signal's record tells it: of a large one, how much it is. */
  shortJson(type: Type, value: unknown): Json {
    const size = sizeOf(value);
    return size > MOST_TOLD ? `(${size} values)` : toJson(type, value, this.naming);
  }

  /** Records a value that was stopped at its bound. */
  recordClamped(position: number, wanted: number, kept: number): void {
    const clamped = this.happenings?.clamped;
    if (clamped && clamped.length < MOST_CLAMPED) clamped.push({ position, wanted, kept });
  }

  private clearSignals(): void {
    this.nextSignal = 0;
    this.endOfSignals = 0;
  }

  // ---- rolls -----------------------------------------------------------------------------------

  /** A whole number from `low` to `high`. */
  rollWhole(stream: number, low: number, high: number, at: Span): number {
    if (high < low) throw new Fault("emptyRange", at, `The range ${low}..${high} holds no face.`);
    if (high - low >= MOST_FACES)
      throw new Fault("outOfRange", at, `The range ${low}..${high} has more than 2^53 faces.`);
    this.spend(ROLL_COST, at);
    if (this.roller) return this.roller.whole(low, high, at);
    let value = low + randomBelow(this.dice, stream, high - low + 1);
    const set = this.nextSet();
    if (set !== null) {
      if (typeof set !== "number" || !Number.isInteger(set) || set < low || set > high)
        throw new Fault("badRoll", at, `The roll set to ${set} is not one of ${low}..${high}.`);
      value = set;
    }
    if (this.happenings) this.recordRoll(stream, `${low}..${high}`, value, at);
    return value;
  }

  /** A number from `low` up to `high`. */
  rollReal(stream: number, low: number, high: number, at: Span): number {
    if (high < low) throw new Fault("emptyRange", at, `The range ${low}..${high} is empty.`);
    this.spend(ROLL_COST, at);
    if (this.roller) return this.roller.real(low, high, at);
    let value = low + randomUnit(this.dice, stream) * (high - low);
    const set = this.nextSet();
    if (set !== null) {
      if (typeof set !== "number" || set < low || set > high)
        throw new Fault("badRoll", at, `The roll set to ${set} is not between ${low} and ${high}.`);
      value = set;
    }
    if (this.happenings) this.recordRoll(stream, `${low}..${high}`, value, at);
    return value;
  }

  /** Yes with a probability of `part` percent, or of `part` in `whole`. */
  rollChance(stream: number, part: number, whole: number | undefined, at: Span): boolean {
    if (whole !== undefined && whole < 1)
      throw new Fault("emptyRange", at, `A chance of ${part} in ${whole} says nothing.`);
    this.spend(ROLL_COST, at);
    if (this.roller) return this.roller.chance(part, whole ?? 100, at);
    let value =
      whole === undefined ? randomUnit(this.dice, stream) * 100 < part : randomBelow(this.dice, stream, whole) < part;
    const set = this.nextSet();
    if (set !== null) {
      if (typeof set !== "boolean")
        throw new Fault("badRoll", at, `The roll set to ${set} answers a chance: set true or false.`);
      value = set;
    }
    if (this.happenings) this.recordRoll(stream, whole === undefined ? `${part}%` : `${part} in ${whole}`, value, at);
    return value;
  }

  /** An index from 0 with a probability in proportion to its weight. */
  pickWeighted(stream: number, weights: readonly number[], at: Span): number {
    let total = 0;
    for (const weight of weights) {
      if (weight < 0) throw new Fault("badWeights", at, `A weight is ${weight}; weights are not negative.`);
      total += weight;
    }
    if (total > MOST_FACES) throw new Fault("badWeights", at, "The weights add up to more than 2^53.");
    this.spend(ROLL_COST + weights.length, at);
    if (total === 0) throw new Fault("badWeights", at, "The weights add up to 0, so nothing can be picked.");
    if (this.roller) return this.roller.weighted(weights, at);
    let left = randomBelow(this.dice, stream, total);
    let index = 0;
    while (left >= (weights[index] as number)) left -= weights[index++] as number;
    const set = this.nextSet();
    if (set !== null) {
      if (typeof set !== "number" || !Number.isInteger(set) || set < 0 || set >= weights.length)
        throw new Fault("badRoll", at, `The roll set to ${set} is not an index from 0 to ${weights.length - 1}.`);
      index = set;
    }
    if (this.happenings) this.recordRoll(stream, weightsText(weights), index, at);
    return index;
  }

  /** What the next roll is set to. */
  private nextSet(): SetRoll {
    return this.nextSetRoll < this.setRolls.length ? (this.setRolls[this.nextSetRoll++] as SetRoll) : null;
  }

  /** How many of the set rolls have not been used. */
  get unusedSetRolls(): number {
    return this.setRolls.length - this.nextSetRoll;
  }

  private recordRoll(stream: number, range: string, value: number | boolean, at: Span): void {
    const roll: RollRecord = {
      position: at.from,
      range,
      value,
      ...(stream > 0 && streamOf(this.streams[stream] as string)),
    };
    this.happenings?.rolls.push(roll);
  }
}

/** So many weights stand in the range of a roll; of more, how many there are. */
const WEIGHTS_WRITTEN = 16;

function weightsText(weights: readonly number[]): string {
  const written = weights.slice(0, WEIGHTS_WRITTEN).join(", ");
  return `weights ${written}${weights.length > WEIGHTS_WRITTEN ? `, ... (${weights.length})` : ""}`;
}

/** A stream as rolls name it. */
function streamOf(name: string): Pick<RollRecord, "stream" | "seat"> {
  const [stream = "", seat] = name.split("\u0000");
  return { stream, ...(seat !== undefined && { seat }) };
}
