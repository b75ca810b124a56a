/**
 * Steps of a search with all that is around them in one piece of generated code, which does what `Codec.reload`,
 * `Codec.pack` and `Table.add` do: several steps from one situation, or all of several situations.
 */

import type { ActionMove, GeneratedSteps, MoveList, Take } from "../engine/situation/generated-steps.js";
import type { Configuration } from "../engine/situation/configuration.js";
import type { Memory, Refilled } from "../engine/situation/memory.js";
import type { Quiet } from "./options.js";
import type { Body } from "./packing.js";
import { loadsOf, packsOf, Writer } from "./packing-code.js";
import { addCode, type Table } from "./table.js";
import type { Zone, Zones } from "./zones.js";

/** What steps are taken in. */
export interface StridingOver {
  readonly table: Table;
  readonly zones: Zones;
  /** Whether the last step has stopped halfway. */
  readonly halfway: { readonly stopped: boolean };
  /** Whether dice were rolled in the last step. */
  readonly odometer: { readonly hasRolled: boolean; reset(): void };
  readonly watch: StridingWatch;
  /** A step in which it sees something is not taken. */
  readonly quiet: Quiet | undefined;
}

/** Is told of steps. */
export interface StridingWatch {
  /** How many were taken. */
  taken: number;
  /** A situation that was not there before stands in the working memory. */
  met(id: number): void;
  /** A step had more effects than most have. */
  hadMore(effects: number): void;
}

/** What a step begins in, which was loaded, and what stands for what it comes to. */
export interface Striding extends StridingOver {
  readonly memory: Memory;
  readonly words: Uint32Array;
  readonly loaded: Begun;
  readonly codec: StridingCodec;
}

/** Loads situations whole, and gives numbers to what comes up. */
export interface StridingCodec {
  /** The place of the move that is taken. */
  strodeAt: number;
  /** The situation in which it is taken, when several are gone on from. */
  strodeIn: number;
  /** Whether the match is over where it rests so. */
  isOver(rest: number): boolean;
  load(from: Uint32Array, at: number, zones: Zones): Zone;
  /** The number of what is active, or of the result. @throws TooNarrow */
  restNumber(): number;
  /** The number of who is seated. @throws TooNarrow */
  seatsNumber(): number;
  /** There is no number for a zone. @throws TooNarrow */
  tooNarrow(): never;
}

/** What a situation is besides its data, by numbers too. */
export interface Begun extends Refilled {
  rest: number;
  seated: number;
  zone: Zone;
}

/**
 * Takes actions in the situation that was loaded last, one after the other, and takes in what they lead to.
 *
 * @param takes do them, by their numbers @param moves are taken, from one place to before another
 * @param parent the situation's number @param zone what timers may have left
 * @param reached gets the numbers of what they lead to, by their places
 * @returns the place of the first that was not taken, which comes behind the first that rolled dice; or `STOPPED`
 * @throws Fault, TooNarrow
 */
export type Stride = (
  takes: readonly (Take | undefined)[],
  moves: readonly unknown[],
  from: number,
  to: number,
  parent: number,
  zone: Zone,
  reached: number[],
) => number;

/** What all of several situations is done with. */
export interface Sweeping {
  /** What is generated for a configuration. */
  readonly steps: { of(configuration: Configuration): GeneratedSteps };
  readonly list: MoveList & { readonly faults: readonly unknown[] };
  readonly edges: { begin(source: number): void; append(target: number): void };
  readonly met: { action(id: number): void; turn(seat: number): void };
  readonly watch: SweepingWatch;
}

/** Is told of situations, and asked about them. */
export interface SweepingWatch {
  /** The moves that are open in the situation that was loaded last, as many of the list as that. */
  readonly listed: ActionMove[];
  listedCount: number;
  /** Looks at a situation in which somebody else than the seat of the first move may be on turn. */
  lookAt(id: number): void;
  /** The search has gone as far as it is to go. */
  isEnough(): boolean;
}

/**
 * Goes on from situations one after the other, as far as all that can happen in them is actions, told in one go.
 *
 * It ends in `strodeIn`, the first that it has not gone on from; `strodeAt` says with which move it is to go on there,
 * which comes behind the first that rolled dice; 0 where nothing of it was done.
 *
 * @throws Fault, TooNarrow
 */
export type Sweep = (from: number, to: number) => void;

/** A step of fewer effects counts as one; for each time that it has as many more it counts as another. */
export const EFFECTS_A_STEP = 60;

/** The step has stopped halfway. */
export const STOPPED = -(2 ** 31);

/** How situations are laid out. */
export interface Layout {
  readonly body: Body;
  /** How many words a situation takes. */
  readonly width: number;
  /** The bits of the machine's plain data, which stay as they are. */
  readonly plain: Uint32Array;
  /** Who owns the boxes that hold a situation. */
  readonly epoch: number;
  /** How many timers there are. */
  readonly timers: number;
}

/** @returns undefined where situations are too large for that */
export function strideCode(layout: Layout, striding: Striding): Stride | undefined {
  const code = new StepCode(layout, striding);
  if (!code.isStraight) return undefined;
  return code.build(
    "takes, moves, from, to, parent, zone, reached",
    `for (let i = from; i < to; i++) {\nconst move = moves[i];\nC.strodeAt = i;\n${code.begun}` +
      `takes[move.id](move.seat, move.args);\nif (H.stopped) return ${STOPPED};\n` +
      `${code.seen("return i;\n")}${code.packed}` +
      "reached[i] = number;\nif (isNew) V.met(number);\nif (O.hasRolled) return i + 1;\n}\nreturn to;\n",
  ) as Stride;
}

/** @returns undefined where situations are too large for that */
export function sweepCode(layout: Layout, striding: Striding, sweeping: Sweeping): Sweep | undefined {
  const { steps: G, list: L, edges: E, met: N, watch: U } = sweeping;
  const code = new StepCode(layout, striding, { G, L, E, N, U });
  if (!code.isStraight) return undefined;
  const { head } = layout.body;
  const { width } = layout;
  const other = (["rest", "seats", "zone"] as const)
    .filter((of) => head[of].bits > 0)
    .map((of) => `${code.writer.take(head[of])} !== ${{ rest: "X.rest", seats: "X.seated", zone: "X.zone.id" }[of]}`);
  const loadsOther =
    other.length === 0
      ? ""
      : `{\nconst A = T.arena, at = parent * ${width};\n${code.words}if (${other.join(" || ")}) {\n` +
        `if (C.isOver(${code.writer.take(head.rest)})) continue;\nC.load(A, at, Z);\n}\n}\n`;
  return code.build(
    "from, to",
    "const moves = U.listed;\n" +
      "for (let parent = from; parent < to; parent++) {\nC.strodeIn = parent;\nC.strodeAt = 0;\n" +
      "if (parent > from && U.isEnough()) return;\n" +
      `E.begin(parent);\n${loadsOther}if (X.outcome !== null) continue;\n` +
      `${layout.timers > 0 ? "if (X.zone.timers.length > 0) return;\nconst zone = X.zone;\n" : ""}${code.begun}` +
      "const steps = G.of(M.configuration), count = steps.list(moves, L);\nU.listedCount = count;\n" +
      "if (count <= 0 || L.faults.length > 0) return;\n" +
      "const seat = moves[0].seat;\nif (steps.alone() === seat) N.turn(seat);\nelse U.lookAt(parent);\n" +
      "const takes = steps.takes;\n" +
      `for (let i = 0; i < count; i++) {\nconst move = moves[i];\nC.strodeAt = i;\n${code.begun}` +
      `takes[move.id](move.seat, move.args);\n${code.seen("O.reset();\nreturn;\n")}${code.packed}` +
      "V.taken++;\nN.action(move.id);\nE.append(number);\nif (isNew) V.met(number);\n" +
      "if (O.hasRolled) {\nC.strodeAt = i + 1;\nreturn;\n}\n}\n}\nC.strodeIn = to;\nC.strodeAt = 0;\n",
  ) as Sweep;
}

/** The code of one step. */
class StepCode {
  readonly writer = new Writer();
  /** Puts a situation's words, from place `at` of the arena A, into variables. */
  readonly words: string;
  /** Puts situation `parent` into the working memory, of which the head is loaded. */
  readonly begun: string;
  /** Takes in the situation that the working memory holds then: its number is `number`, and whether it `isNew`. */
  readonly packed: string;
  private readonly constants: readonly string[];

  constructor(
    private readonly layout: Layout,
    private readonly striding: Striding,
    more: Readonly<Record<string, unknown>> = {},
  ) {
    const { memory: M, words: W, table: T, zones: Z, loaded: X, halfway: H } = striding;
    const { odometer: O, watch: V, codec: C, quiet: Q } = striding;
    const { body, width, plain, timers } = layout;
    const { head } = body;
    const { writer } = this;
    // Each by itself: what is read of it all the time has the same shape in every search.
    this.constants = Object.entries({ M, W, T, Z, X, H, O, V, C, Q, ...more }).map(
      ([name, one]) => `${name} = ${writer.keep(one)}`,
    );
    const each = (code: (i: number) => string, count = width): string =>
      Array.from({ length: count }, (_, i) => code(i)).join("");
    const loads = loadsOf(body, writer);
    const packs = packsOf(body, writer);
    this.words = each((i) => `const w${i} = A[at + ${i}];\n`);
    this.begun =
      `{\nconst A = T.arena, at = parent * ${width};\n${this.words}${each((i) => `W[${i}] = w${i};\n`)}` +
      `${loads === "" ? "" : `const parts = M.root.parts;\n${loads}`}}\n` +
      "if (M.configuration !== X.configuration) M.configuration = X.configuration;\n" +
      "M.outcome = null;\nif (M.seats !== X.seats) M.seat(X.seats);\n" +
      (timers === 0
        ? ""
        : `{\nconst due = X.zone.due, timers = M.timers;\n${each((i) => `timers[${i}] = due[${i}];\n`, timers)}}\n`) +
      "M.again();\n";
    const zone =
      timers === 0 ? "X.zone.id" : `isOver ? 0 : Z.after(zone, M.timers).id;\nif (z > ${head.zone.mask}) C.tooNarrow()`;
    this.packed =
      "const isOver = M.outcome !== null;\n" +
      "const rest = isOver || M.configuration !== X.configuration ? C.restNumber() : X.rest;\n" +
      "const seats = M.seats === X.seats ? X.seated : C.seatsNumber();\n" +
      `const z = ${zone};\n` +
      `${packs === "" ? "" : "const parts = M.root.parts;\n"}${each((i) => `let w${i} = W[${i}] & ${plain[i]};\n`)}` +
      writer.put(head.rest, "rest") +
      writer.put(head.zone, "z") +
      writer.put(head.seats, "seats") +
      packs +
      each((i) => `W[${i}] = w${i};\n`) +
      addCode(width) +
      `if (M.effects > ${EFFECTS_A_STEP}) V.hadMore(M.effects);\n`;
  }

  /** What is done where something was seen in a step, which is then to be taken otherwise. */
  seen(then: string): string {
    return this.striding.quiet ? `if (Q.hasSeen) {\nQ.drop();\n${then}}\n` : "";
  }

  /** All that is written was written out: nothing is gone through. */
  get isStraight(): boolean {
    return this.writer.isStraight;
  }

  build(parameters: string, code: string): unknown {
    return this.writer.build(parameters, code, this.layout.epoch, this.constants);
  }
}
