/**
 * The steps of a search: a situation is put into the working memory, a move is made there, and the situation that it
 * leads to is taken in. The same is done in three ways, whose results are the same: by itself, in one go with all that
 * is around it (generated code), and from halfway on, where it is known what follows.
 */

import type { Engine } from "../engine/matches/runnable.js";
import type { Move as Happening, Moves } from "../engine/matches/moves.js";
import type { Memory } from "../engine/situation/memory.js";
import type { Situation } from "../engine/situation/situation.js";
import { Fault } from "../engine/values/fault.js";
import { ALL } from "./choice.js";
import { Codec } from "./codec.js";
import { type Half, Halves, type Lead, NO_HALF } from "./halves.js";
import { type Chance, Odometer, type Told, Unlistable } from "./odometer.js";
import type { Marks, Quiet } from "./options.js";
import { TooNarrow } from "./packing.js";
import {
  EFFECTS_A_STEP,
  STOPPED,
  type Stride,
  type StridingOver,
  type StridingWatch,
  type Sweeping,
} from "./striding-code.js";
import { NOBODY, Table } from "./table.js";
import type { Unseen } from "./unseen.js";
import { type Zone, Zones } from "./zones.js";

/** What a small step of a step that is at fault counts as; it is gone through more than once. */
const EFFECTS_A_SMALL_STEP = 6;
/** What a step gives for rolls that cannot be listed. */
export const UNLISTED = -1;
/** What a step gives that is known from halfway on: `half` says where it leads. */
export const HALFWAY = -2;

/** Is told of steps. */
export interface Watch {
  /** A situation that was not there before stands in the working memory. */
  met(id: number): void;
  /** A move was made in a situation, and what it leads to stands in the working memory; undefined where nobody asks. */
  readonly done: ((at: number, move: Happening) => void) | undefined;
  failed(at: number, fault: Fault, move: Happening): void;
  unlisted(roll: Unlistable): void;
}

export interface SteppingOptions {
  /** Makes what rolls in every way. */
  readonly odometer?: (() => Odometer) | undefined;
  /** It is asked how likely things are. */
  readonly isWeighed: boolean;
  /** Somebody looks into boxes all the time, and marks what has happened on the way. */
  readonly isWatched: boolean;
  readonly marks?: Marks | undefined;
  /** Listens while steps are taken; what it sees is to be told of by `once`. */
  readonly quiet?: Quiet | undefined;
}

export class Stepping implements StridingWatch {
  codec!: Codec;
  table!: Table;
  readonly zones: Zones;
  readonly odometer: Odometer;
  /** What rolls now. */
  roller: Odometer | Chance | Told;
  /** How many steps were taken. */
  taken = 0;
  /** Effects of long steps, beyond those of others. */
  private more = 0;
  /** What the last step comes to that gave `HALFWAY`. */
  half: Half = NO_HALF;
  private readonly memory: Memory;
  /** Rolls from halfway on. */
  private readonly onwards: Odometer;
  /** Steps are taken over data that stand in words. */
  private overWords = false;
  /** What is known of steps from halfway on; undefined where steps are taken whole. */
  private halves: Halves | undefined;
  /** What steps are taken in that are taken in one go; undefined where none are. */
  private striding: StridingOver | undefined;
  /** The situation that the working memory holds, as long as nothing has been done in it. */
  private loaded = NOBODY;
  /** The situation that was loaded last. */
  private last = NOBODY;
  /** A move that is taken alone, and where it leads. */
  private readonly alone: Happening[] = [];
  private readonly reached: number[] = [];
  /** How many moves were taken in the situation where the last sweep has ended; the last may have rolled. */
  sweptMoves = 0;

  constructor(
    private readonly engine: Engine,
    private readonly moves: Moves,
    private readonly unseen: Unseen,
    private readonly options: SteppingOptions,
    private readonly watch: Watch,
  ) {
    const { odometer = () => new Odometer() } = options;
    this.memory = engine.memory;
    this.zones = new Zones(engine.machine.timers.length);
    this.odometer = odometer();
    this.onwards = odometer();
    this.roller = this.odometer;
  }

  /** Begins with a situation in which matches begin, as a pattern for all others; the first time. */
  open(situation: Situation): void {
    if (this.table) return;
    const { isWatched, marks } = this.options;
    this.codec = new Codec(this.memory, situation, this.unseen, this.engine.code.isGenerated, marks);
    this.table = new Table(this.codec.width);
    this.overWords = !isWatched && this.moves.takeOver(this.codec.plain);
    if (!this.overWords) return;
    this.halves = new Halves(this.codec.width);
    this.striding = this.moves.halfway && {
      table: this.table,
      zones: this.zones,
      halfway: this.moves.halfway,
      odometer: this.odometer,
      watch: this,
      quiet: this.options.quiet,
    };
  }

  met(id: number): void {
    this.watch.met(id);
  }

  hadMore(effects: number): void {
    this.more += effects - EFFECTS_A_STEP;
  }

  /** From now on dice are rolled by this one. */
  rollBy(roller: Odometer | Chance | Told): void {
    this.roller = roller;
    this.memory.roller = roller;
  }

  /** How many steps were taken, long ones counted as several. */
  get work(): number {
    return this.taken + Math.floor(this.more / EFFECTS_A_STEP);
  }

  get bytes(): number {
    return this.table.bytes + (this.halves?.bytes ?? 0);
  }

  // ---- situations ------------------------------------------------------------------------------

  /** Puts a situation into the working memory. @returns what its timers may have left */
  load(id: number): Zone {
    const { table, codec } = this;
    this.loaded = id;
    const at = id * table.width;
    const zone = (this.last === id && codec.reload(table.arena, at)) || codec.load(table.arena, at, this.zones);
    this.last = id;
    if (!this.overWords) codec.plain.toBoxes();
    return zone;
  }

  /** Puts a situation into the boxes of the working memory, where everybody can look at it. */
  show(id: number): Zone {
    const zone = this.load(id);
    this.unpacked();
    return zone;
  }

  /** Whatever was loaded is no longer there. */
  forget(): void {
    this.loaded = NOBODY;
  }

  /** Whoever looks at the data looks into boxes. */
  unpacked(): void {
    if (this.overWords) this.codec.plain.toBoxes();
  }

  /**
   * Takes in the situation that the working memory holds.
   *
   * @param parent where it was met from @returns its number; -1 minus it when it is known
   */
  found(zone: Zone, parent: number): number {
    this.pack(zone);
    const id = this.table.add(this.codec.words, parent);
    if (id >= 0) this.watch.met(id);
    return id;
  }

  /** Packs what the working memory holds, in wider fields where that is needed. @throws TooManyValues */
  private pack(zone: Zone): void {
    const { codec, table } = this;
    for (;;)
      try {
        codec.pack(zone);
        return;
      } catch (error) {
        if (!(error instanceof TooNarrow)) throw error;
        const copy = codec.widen(error.width);
        this.halves?.clear(codec.width);
        table.repack(codec.width, copy);
      }
  }

  // ---- steps -----------------------------------------------------------------------------------

  /**
   * Takes a move, with the rolls that are to come.
   *
   * @param telling by those who can tell what is wrong, with the same rolls
   * @returns the number of the situation that it leads to; undefined for a fault, or one of the numbers above
   */
  once(id: number, move: Happening, zone: Zone, telling = false): number | undefined {
    const { memory } = this;
    // What is open was asked of it just now: nothing has been changed.
    if (telling) this.show(id);
    else if (this.loaded === id) memory.again();
    else this.load(id);
    this.loaded = NOBODY;
    if (move.kind === "timer") memory.setTimer(move.timer, 0);
    if (!telling) this.taken++;
    try {
      if (telling) this.moves.takeTelling(move);
      else this.moves.take(move);
      if (memory.effects > EFFECTS_A_STEP) this.more += memory.effects - EFFECTS_A_STEP;
      if (this.moves.halfway?.stopped) return HALFWAY;
      if (telling || !this.overWords) this.codec.plain.fromBoxes();
      this.watch.done?.(id, move);
      const reached = this.found(this.zones.after(zone, memory.timers), id);
      return reached < 0 ? -reached - 1 : reached;
    } catch (error) {
      if (error instanceof Unlistable) {
        this.watch.unlisted(error);
        return UNLISTED;
      }
      if (!(error instanceof Fault)) throw error;
      if (!telling && this.moves.canTellMore) {
        this.roller.again();
        return this.once(id, move, zone, true);
      }
      // It may have gone round in a circle until it was too much.
      const effects = memory.effects + this.moves.smallSteps * EFFECTS_A_SMALL_STEP;
      if (effects > EFFECTS_A_STEP) this.more += effects - EFFECTS_A_STEP;
      this.watch.failed(id, error, move);
      return undefined;
    }
  }

  /**
   * Takes a move as far as halfway, if it stops there and it is known or can be worked out what follows, which `half`
   * is then; else whole.
   *
   * @param most ways of rolling that may still be tried @returns as `once` does
   */
  halfOnce(id: number, move: Happening, zone: Zone, most: number): number | undefined {
    const { odometer, halves } = this;
    const { halfway } = this.moves;
    if (!halves || !halfway || !this.mayStop) return this.quickOnce(id, move, zone);
    halfway.ask();
    const reached = this.quickOnce(id, move, zone);
    halfway.cease();
    if (reached !== HALFWAY) return reached;
    // Of a step that was taken whole before, the other ways are, too.
    const half =
      !this.dropsSeen() && odometer.isAtEnd && this.moves.isShort ? this.halfFrom(halves, id, zone, most) : null;
    if (half && half.ways <= most && odometer.takesOn(half.rolls)) {
      halves.spare(half.ways);
      this.half = half;
      return HALFWAY;
    }
    this.taken--;
    odometer.again();
    return this.quickOnce(id, move, zone);
  }

  /** Something was seen in half of a step; it is forgotten, for what is taken whole is told of. */
  private dropsSeen(): boolean {
    const { quiet } = this.options;
    if (!quiet?.hasSeen) return false;
    quiet.drop();
    return true;
  }

  /** Some steps can stop halfway, and it is worth it. */
  private get mayStop(): boolean {
    return this.moves.halfway?.isPossible === true && this.halves?.isWorthwhile === true;
  }

  /** As `once`: in one go, where that can be done; whatever is odd is left to `once`. */
  private quickOnce(id: number, move: Happening, zone: Zone): number | undefined {
    const { reached, alone } = this;
    alone[0] = move;
    const took = this.stride(id, alone, 0, 1, zone, reached);
    if (took === STOPPED) return HALFWAY;
    if (took === 1) return reached[0];
    this.roller.again();
    return this.once(id, move, zone);
  }

  /**
   * Takes actions in a situation, as far as that goes in one go; the first of others, and whatever is odd, is left.
   *
   * @param moves from one place on, to before another @param reached gets where they lead, by their places
   * @returns the place of the first that was not taken, or `STOPPED`
   */
  private stride(
    id: number,
    moves: readonly Happening[],
    from: number,
    to: number,
    zone: Zone,
    reached: number[],
  ): number {
    const { codec, striding } = this;
    let end = from;
    while (end < to && (moves[end] as Happening).kind === "action") end++;
    const stride: Stride | undefined = striding && end > from ? codec.strideOver(striding) : undefined;
    if (stride === undefined) return from;
    if (this.last !== id || !codec.isLoaded) this.load(id);
    this.loaded = NOBODY;
    let next = from;
    try {
      next = stride(this.moves.taking(codec.configuration) ?? [], moves, from, end, id, zone, reached);
    } catch (error) {
      if (!(error instanceof Fault || error instanceof TooNarrow || error instanceof Unlistable)) throw error;
      this.last = NOBODY;
      next = codec.strodeAt;
    }
    this.taken += next === STOPPED ? 1 : next - from;
    return next;
  }

  /**
   * Takes moves in a situation, each in the first way of rolling, as long as they are actions, roll no dice, and
   * nothing is odd about them.
   *
   * @param reached gets where they lead, by their places
   * @returns the place of the first that was not taken, which comes behind the first that has rolled
   */
  straightOn(id: number, moves: readonly Happening[], from: number, zone: Zone, reached: number[]): number {
    if (this.mayStop) return from;
    const { odometer, codec } = this;
    odometer.reset();
    const next = this.stride(id, moves, from, moves.length, zone, reached);
    // What one has rolled that stopped at a fault is rolled anew when it is taken otherwise.
    if (next === codec.strodeAt) odometer.reset();
    return next;
  }

  /**
   * Goes on from situations one after the other, as far as all that can happen in them is actions, told in one go.
   *
   * @returns the first that it has not gone on from, of which `sweptMoves` were taken
   */
  sweep(from: number, to: number, sweeping: Sweeping): number {
    const { odometer, codec, striding, moves } = this;
    this.sweptMoves = 0;
    if (!striding || this.mayStop || !codec.maySweep) return from;
    if (this.last !== from || !codec.isLoaded) this.load(from);
    const sweep = codec.sweepOver(striding, sweeping);
    if (!sweep) return from;
    this.forget();
    this.last = NOBODY;
    odometer.reset();
    if (moves.faults.length > 0) moves.faults.length = 0;
    try {
      sweep(from, to);
    } catch (error) {
      if (!(error instanceof Fault || error instanceof TooNarrow || error instanceof Unlistable)) throw error;
      // What it has rolled is rolled anew when it is taken otherwise.
      odometer.reset();
    }
    this.sweptMoves = codec.strodeAt;
    return codec.strodeIn;
  }

  /** What the step comes to that stands halfway in the working memory; null where it is to be taken whole. */
  private halfFrom(halves: Halves, id: number, before: Zone, most: number): Half | null {
    const { memory } = this;
    const zone = this.zones.after(before, memory.timers);
    this.pack(zone);
    const half = halves.numberOf(this.codec.words, memory.touched);
    const known = halves.of(half);
    if (known !== undefined) return known;
    memory.roller = this.onwards;
    const found = this.onFrom(halves, half, id, zone, most);
    memory.roller = this.odometer;
    this.last = NOBODY;
    if (found !== undefined) halves.keep(half, found);
    return found ?? null;
  }

  /**
   * Takes a step on from halfway, in all ways.
   *
   * @returns null where something goes wrong, or it is long; undefined where it cannot be told to the end
   */
  private onFrom(halves: Halves, half: number, id: number, zone: Zone, most: number): Half | null | undefined {
    const { onwards, codec, moves } = this;
    const { memory } = this;
    const leads: Lead[] = [];
    const { spent } = this.odometer;
    const { arena } = halves;
    onwards.reset(spent);
    for (let ways = 1; ways <= most; ways++) {
      codec.load(arena, half * halves.width, this.zones);
      memory.touched = halves.touchedBy(half);
      try {
        moves.goOn();
        if (this.dropsSeen()) return undefined;
        const found = this.found(this.zones.after(zone, memory.timers), id);
        const target = found < 0 ? -found - 1 : found;
        const { part, total } = this.options.isWeighed ? onwards.share : ALL;
        const same = leads.find((lead) => lead.target === target && lead.total === total);
        if (!same) leads.push({ target, part, total });
        else if (this.options.isWeighed) same.part += part;
      } catch (error) {
        if (error instanceof Unlistable || error instanceof Fault) return null;
        throw error;
      }
      if (!moves.isShort) return null;
      // Numbers have become wider.
      if (halves.arena !== arena) return undefined;
      if (!onwards.next()) return { leads, ways, rolls: onwards.spent - spent };
    }
    return undefined;
  }
}
