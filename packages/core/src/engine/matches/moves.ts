/**
 * Everything that can happen in a situation: actions of all seats with all arguments, events, timers, seats that
 * change.
 */

import type { Machine, Signal, Timer } from "../../check/machine.js";
import { type IntType, MAX_INT, type Type } from "../../check/types.js";
import type { Span } from "../../language/source.js";
import type { PackedData } from "../code/packed-data.js";
import type { Configuration, VisibleAction } from "../situation/configuration.js";
import type { ActionMove, MoveList, Take } from "../situation/generated-steps.js";
import { SEAT_IN, SEAT_OPEN, SEAT_OUT } from "../situation/memory.js";
import type { Input } from "../situation/situation.js";
import type { ReadyAction, ReadyParameter } from "../steps/actions.js";
import type { Halfway } from "../steps/halfway.js";
import { MOST_COMBINED, MOST_LISTED } from "../steps/move-code.js";
import type { StepGenerator } from "../steps/step-generator.js";
import { Fault } from "../values/fault.js";
import { toJson } from "../values/json.js";
import { gridCells } from "./cells.js";
import type { Engine } from "./runnable.js";

/** One thing that can happen; arguments as the engine holds them. */
export type Move =
  | ActionMove
  | { readonly kind: "event"; readonly signal: number; readonly args: readonly unknown[] }
  | { readonly kind: "timer"; readonly timer: number }
  | { readonly kind: "join" | "leave"; readonly seat: number };

/** Something whose values have no end, or too many to try each: what was tried of it stands beside it. */
export interface NotAll extends Span {
  readonly words: string;
}

export interface MovesOptions {
  /** Seats may be left and taken at any time: any number of them, or one of those that were there at first. */
  readonly seats?: "any" | "one";
  /** The game's events happen, with all their arguments. */
  readonly events?: boolean;
}

export class Moves implements MoveList {
  /** What was not tried whole, by where it stands. */
  readonly notAll = new Map<number, NotAll>();
  /** Faults met while it was asked what is open, in the situation that was listed last. */
  readonly faults: { readonly fault: Fault; readonly action: number; readonly seat: number }[] = [];
  /** The values of types that have been listed. */
  private readonly known = new Map<Type, readonly unknown[]>();
  /** The game's events. */
  private readonly happening: Machine["signals"];
  /** Each of them with all its arguments, for so many seats; listed once. */
  private readonly told = new Map<number, readonly Move[]>();
  private toldFor = -1;
  private readonly joined: number;
  private readonly left: number;
  /** Takes steps and lists what is open; undefined where nothing is generated. */
  private generator: StepGenerator | undefined;

  /** @param compared whole numbers that the machine compares with, which are tried where a range is too large to be */
  constructor(
    private readonly engine: Engine,
    private readonly options: MovesOptions,
    private readonly compared: readonly number[],
  ) {
    const { signals } = engine.machine;
    this.generator = engine.steps.generator;
    this.happening = options.events ? signals.filter(({ origin }) => origin === "event") : [];
    this.joined = signals.findIndex(({ name, origin }) => origin === "system" && name === "Joined");
    this.left = signals.findIndex(({ name, origin }) => origin === "system" && name === "Left");
  }

  /** What can happen in the situation that the working memory holds, timers left out; none when the match is over. */
  list(): Move[] {
    const { memory } = this.engine;
    if (this.faults.length > 0) this.faults.length = 0;
    const moves: Move[] = [];
    if (memory.outcome) return moves;
    const count = this.generator?.of(memory.configuration).list(moves as ActionMove[], this) ?? -1;
    if (count < 0) {
      moves.length = 0;
      this.faults.length = 0;
      for (const visible of memory.configuration.actions.values())
        for (let seat = 0; seat < memory.seats.length; seat++)
          if (memory.seats[seat] === SEAT_IN) this.actions(visible, seat, moves);
    }
    if (this.happening.length > 0) this.events(moves);
    if (this.options.seats)
      for (let seat = 0; seat < memory.seats.length; seat++)
        for (const kind of ["join", "leave"] as const) if (this.mayChange(kind, seat)) moves.push({ kind, seat });
    return moves;
  }

  private mayChange(kind: "join" | "leave", seat: number): boolean {
    const { engine, options } = this;
    const { seats } = engine.memory;
    if (kind === "join") return seats[seat] === SEAT_OPEN;
    return seats[seat] === SEAT_IN && engine.canBeLeft && (options.seats === "any" || !seats.includes(SEAT_OUT));
  }

  /** Whether a move would be listed for the situation that the working memory holds; of timers that is not asked. */
  has(move: Move): boolean {
    const { memory, admission } = this.engine;
    if (memory.outcome) return false;
    switch (move.kind) {
      case "action": {
        const input = this.inputOf(move);
        if (input.kind !== "action") return false;
        memory.effects = 0;
        try {
          return "run" in admission.admit(0, input.seat, input.action, input.args ?? {}, undefined);
        } catch (error) {
          // A step with it would be at fault before it was taken.
          if (!(error instanceof Fault)) throw error;
          return false;
        }
      }
      case "event":
        return memory.configuration.listeners[move.signal] !== undefined;
      case "timer":
        return true;
      default:
        return this.mayChange(move.kind, move.seat);
    }
  }

  /**
   * Takes a move to rest, in the working memory; what was listed must be what it holds.
   *
   * @throws Fault whose words say only that there is one, when `canTellMore`; taken by `takeTelling` it has its own
   */
  take(move: Move): void {
    const { memory } = this.engine;
    const { generator } = this;
    if (!generator) this.takeTelling(move);
    else if (move.kind === "action") generator.of(memory.configuration).takes[move.id]?.(move.seat, move.args);
    else {
      generator.packed?.toBoxes();
      this.begin(move);
      generator.packed?.fromBoxes();
      generator.rest();
    }
  }

  /** What is generated, where nothing but actions can happen, and timers; else undefined. */
  get actionsAlone(): StepGenerator | undefined {
    return this.happening.length === 0 && !this.options.seats ? this.generator : undefined;
  }

  /** What takes actions as `take` does, by their numbers; undefined where nothing is generated. */
  taking(configuration: Configuration): readonly (Take | undefined)[] | undefined {
    return this.generator?.of(configuration).takes;
  }

  /** From now on steps are taken over data that stand in words. @returns false where nothing is generated */
  takeOver(packed: PackedData): boolean {
    this.generator = this.engine.steps.generatorOver(packed);
    return this.generator !== undefined;
  }

  /** Asks steps over words to stop halfway; undefined where nothing is generated. */
  get halfway(): Halfway | undefined {
    return this.generator?.halfway;
  }

  /**
   * Goes on to rest from halfway.
   *
   * @throws Fault as `take` does
   */
  goOn(): void {
    this.generator?.rest();
  }

  /** The last step, or half of one, has done less than half of what a step may. */
  get isShort(): boolean {
    return this.generator?.isShort ?? false;
  }

  /** The seat whose turn alone it is, as far as that can be told fast; -1 for none, or when it cannot. */
  alone(): number {
    const { configuration, seats } = this.engine.memory;
    const seat = this.generator?.of(configuration).alone() ?? -1;
    return seats[seat] === SEAT_OUT ? -1 : seat;
  }

  /** How many small steps the last step has taken. */
  get smallSteps(): number {
    return this.engine.steps.order.budget.count;
  }

  get canTellMore(): boolean {
    return this.generator !== undefined;
  }

  /** Takes a move to rest likewise, by those who can tell what is wrong. @throws Fault */
  takeTelling(move: Move): void {
    this.begin(move);
    this.engine.steps.settle();
  }

  /** Does what a move does at first; what follows from it is still to be done. */
  private begin(move: Move): void {
    const { memory, steps, machine } = this.engine;
    switch (move.kind) {
      case "action": {
        const ready = steps.actions.of(move.id);
        memory.me = move.seat;
        // The published order keeps what an action enables from choosing it until it runs.
        if (machine.standardOrder)
          this.isChosen(memory.configuration.actions.get(ready.action.name) ?? [], move.seat, move);
        for (let i = 0; i < ready.parameters.length; i++)
          memory.locals[(ready.parameters[i] as ReadyParameter).slot] = move.args[i];
        ready.run();
        break;
      }
      case "event": {
        const signal = machine.signals[move.signal] as Machine["signals"][number];
        steps.order.announce(signal.id, move.args, signal);
        break;
      }
      case "timer":
        steps.runTimer(machine.timers[move.timer] as Timer);
        break;
      default: {
        memory.setSeat(move.seat, move.kind === "join" ? SEAT_IN : SEAT_OUT);
        const signal = machine.signals[move.kind === "join" ? this.joined : this.left];
        if (signal) steps.order.announce(signal.id, [move.seat], signal);
      }
    }
  }

  /** A move as an input of a match. */
  inputOf(move: Move): Input {
    const { machine, memory } = this.engine;
    const { naming } = memory;
    const named = (parameters: readonly { readonly name: string; readonly type: Type }[], args: readonly unknown[]) =>
      Object.fromEntries(parameters.map(({ name, type }, i) => [name, toJson(type, args[i], naming)]));
    switch (move.kind) {
      case "action": {
        const { name, parameters } = machine.actions[move.id] as Machine["actions"][number];
        const seat = machine.seats.names[move.seat] ?? "";
        return { kind: "action", seat, action: name, args: named(parameters, move.args) };
      }
      case "event": {
        const { name, parameters } = machine.signals[move.signal] as Machine["signals"][number];
        return { kind: "event", event: name, args: named(parameters, move.args) };
      }
      case "timer":
        return { kind: "timer", timer: machine.timers[move.timer]?.name ?? "" };
      default:
        return { kind: move.kind, seat: machine.seats.names[move.seat] ?? "" };
    }
  }

  // ---- actions ---------------------------------------------------------------------------------

  private actions(visible: readonly VisibleAction[], seat: number, moves: Move[]): void {
    const { memory, admission, steps, machine } = this.engine;
    memory.me = seat;
    for (const one of visible) {
      memory.effects = 0;
      try {
        if (!admission.mayAct(one, seat)) continue;
        const ready = steps.actions.of(one.id);
        if (!ready.needsApart.every((need) => need.test())) continue;
        const from = moves.length;
        this.fill(ready, 0, seat, [], moves, { left: MOST_COMBINED });
        // In the standard order the first of several actions of one name that fits is taken.
        if (machine.standardOrder && visible.length > 1)
          moves.splice(
            from,
            moves.length - from,
            ...moves.slice(from).filter((move) => this.isChosen(visible, seat, move)),
          );
      } catch (error) {
        this.failed(error, one.id, seat);
      }
      if (!machine.standardOrder) return;
    }
  }

  private fill(
    ready: ReadyAction,
    at: number,
    seat: number,
    args: unknown[],
    moves: Move[],
    budget: { left: number },
  ): void {
    const { memory } = this.engine;
    const p = ready.parameters[at];
    if (!p) {
      for (const need of ready.needsOfArguments) if (!need.test()) return;
      moves.push({ kind: "action", seat, id: ready.action.id, args: args.slice() });
      return;
    }
    for (const value of this.valuesOf(p)) {
      if (--budget.left < 0) {
        this.cut(ready.action.id);
        return;
      }
      memory.locals[p.slot] = value;
      if (!p.fits()) continue;
      args[at] = value;
      this.fill(ready, at + 1, seat, args, moves, budget);
      memory.locals[p.slot] = value;
    }
  }

  failed(error: unknown, action: number, seat: number): void {
    if (!(error instanceof Fault)) throw error;
    this.faults.push({ fault: error, action, seat });
  }

  cut(id: number): void {
    const { action } = this.engine.steps.actions.of(id);
    this.leaveOut(action, `of ${action.name} the first ${MOST_COMBINED} combinations of arguments`);
  }

  private isChosen(visible: readonly VisibleAction[], seat: number, move: Move): boolean {
    if (move.kind !== "action") return true;
    const { admission, steps, memory } = this.engine;
    const { parameters } = steps.actions.of(move.id);
    const given = new Map(parameters.map(({ name }, i) => [name, move.args[i]]));
    const chosen = steps.order.choose(
      visible,
      (one) => admission.mayAct(one, seat),
      ({ id }) => {
        const ready = steps.actions.of(id);
        if (ready.parameters.length !== given.size) return false;
        for (const p of ready.parameters) {
          memory.locals[p.slot] = given.get(p.name);
          if (!given.has(p.name) || !p.open()) return false;
        }
        return ready.needs.every((need) => need.test());
      },
    );
    return chosen === move.id;
  }

  private valuesOf(p: ReadyParameter): readonly unknown[] {
    const { ends, values, type, parameter } = p;
    if (ends) {
      const [low, high] = [ends.low(), ends.high()];
      if (high - low >= MOST_LISTED) return this.some(parameter, low, high);
      return Array.from({ length: Math.max(0, high - low + 1) }, (_, i) => low + i);
    }
    if (values) return values();
    return this.allOf(type, parameter);
  }

  // ---- events ----------------------------------------------------------------------------------

  private events(moves: Move[]): void {
    const { memory } = this.engine;
    for (const signal of this.happening) {
      if (memory.configuration.listeners[signal.id] === undefined) continue;
      const all = this.eventsOf(signal);
      for (let i = 0; i < all.length; i++) moves.push(all[i] as Move);
    }
  }

  private eventsOf({ id, parameters }: Signal): readonly Move[] {
    const { length } = this.engine.memory.seats;
    if (length !== this.toldFor) this.told.clear();
    this.toldFor = length;
    const known = this.told.get(id);
    if (known) return known;
    let all: unknown[][] = [[]];
    for (const parameter of parameters)
      all = all.flatMap((args) => this.allOf(parameter.type, parameter).map((value) => [...args, value]));
    const told = all.map((args): Move => ({ kind: "event", signal: id, args }));
    this.told.set(id, told);
    return told;
  }

  // ---- values ----------------------------------------------------------------------------------

  /** The values of a type; where they have no end, some of them. */
  allOf(type: Type, at: Span & { readonly name: string }): readonly unknown[] {
    // Of seats there may be fewer than the machine has names for.
    const known = type.kind === "seat" ? undefined : this.known.get(type);
    if (known) return known;
    const values = this.listed(type, at);
    this.known.set(type, values);
    return values;
  }

  private listed(type: Type, at: Span & { readonly name: string }): readonly unknown[] {
    switch (type.kind) {
      case "bool":
        return [false, true];
      case "enum":
        return type.members.map((_, i) => i);
      case "seat":
        return this.engine.memory.seats.map((_, i) => i);
      case "int": {
        const { low, high } = type as IntType;
        if (high - low >= MOST_LISTED) return this.some(at, low, high);
        return Array.from({ length: high - low + 1 }, (_, i) => low + i);
      }
      case "maybe":
        return [null, ...this.allOf(type.of, at)];
      case "text":
        this.leaveOut(at, `of "${at.name}", a text, the empty one and one other`);
        return ["", "x"];
      case "cell": {
        const { cells } = gridCells(this.engine.machine);
        const tried =
          cells.length > 0 ? `the ${cells.length} cells of the grids there are` : "nothing: there is no grid";
        this.leaveOut(at, `of "${at.name}" ${tried}`);
        return cells;
      }
      case "num":
        this.leaveOut(at, `of "${at.name}", a number, 0 and those that are compared`);
        return [...new Set([0, ...this.compared])];
      default:
        this.leaveOut(at, `of "${at.name}" nothing: such values are not made up`);
        return [];
    }
  }

  /** Of a large range its ends, and what the machine compares with and their neighbours. */
  some(at: Span & { readonly name: string }, low: number, high: number): number[] {
    const tried = [low, high, 0, 1, ...this.compared.flatMap((n) => [n - 1, n, n + 1])];
    const values = [...new Set(tried)].filter((n) => n >= low && n <= high).sort((a, b) => a - b);
    const all = high - low >= MAX_INT ? "values, of which there is no end" : `values of ${high - low + 1}`;
    this.leaveOut(at, `of "${at.name}" ${values.length} ${all}`);
    return values;
  }

  private leaveOut({ from, to }: Span, words: string): void {
    if (!this.notAll.has(from)) this.notAll.set(from, { from, to, words });
  }
}
