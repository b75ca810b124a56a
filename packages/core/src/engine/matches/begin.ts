/** Beginning a match: step 0. */

import type { State } from "../../check/machine.js";
import { Fault } from "../values/fault.js";
import { type Json, WrongValue } from "../values/json.js";
import { SEAT_IN, SEAT_OPEN, type SetRoll } from "../situation/memory.js";
import { type FaultReport, newHappenings, type Refusal, type Taken } from "../situation/situation.js";
import { situationFrom } from "../situation/situation-from.js";
import { noSuchSeat } from "./admission.js";
import { applyGiven, type Given, startOf } from "./given.js";
import { faultReport, refuseUnusedRolls } from "./one-input.js";
import { loadRestored } from "./restore.js";
import { type Engine, engineOf, type Runnable } from "./runnable.js";

export interface BeginOptions {
  /** Where all dice come from. */
  readonly seed: string;
  /** How many seats, for machines with a range of them; else all. */
  readonly seats?: number;
  /** Seats that nobody has taken yet. */
  readonly open?: readonly string[];
  /** Starting data and a starting state in place of the machine's own. */
  readonly given?: Given;
  /** The match's time in milliseconds since 1970 UTC. */
  readonly now?: number;
  /** Rolls set by hand, in the order in which they are rolled. */
  readonly dice?: readonly SetRoll[];
  /**
   * A whole situation to go on from, as `situationJson` writes it; nothing else of the beginning happens then, and
   * `seats`, `open`, `given` and `now` are not looked at.
   */
  readonly from?: Json;
}

/** The first step of a match, or why there is none. */
export interface Begun {
  readonly taken?: Taken;
  readonly refusal?: Refusal;
  readonly fault?: FaultReport;
}

/**
 * Begins a match. Given data come first, then `enter` of the start, then all that follows.
 *
 * @returns the first situation, or a refusal (bad seats or given data) or fault, without one
 */
export function begin(runnable: Runnable, options: BeginOptions): Begun {
  return beginOn(engineOf(runnable), options);
}

/** The same in an engine. */
export function beginOn(engine: Engine, options: BeginOptions): Begun {
  const { machine, memory, steps } = engine;
  if (options.from !== undefined) return beginFrom(engine, options.from, options.seed);
  const refusal = badSeats(engine, options);
  if (refusal) return { refusal };
  const count = options.seats ?? machine.seats.least;
  const happenings = newHappenings();
  memory.happenings = happenings;
  memory.begun = false;
  try {
    const seats = machine.seats.names.slice(0, count);
    memory.clear(
      options.seed,
      seats.map((name) => (options.open?.includes(name) ? SEAT_OPEN : SEAT_IN)),
      options.now ?? 0,
      options.dice ?? [],
    );
    fillData(engine);
    for (const datum of options.given?.data ?? []) applyGiven(engine, datum);
    const { target, args } = startOf(engine, options.given?.state);
    const overlay = machine.states[target]?.kind === "overlay";
    steps.order.start(overlay ? 0 : target, overlay ? [] : args);
    steps.settle();
    if (overlay) {
      if (memory.outcome) throw new WrongValue("the match is over before the overlay could be laid over it");
      steps.order.lay(target, args, machine.states[target] as State);
      steps.settle();
    }
    refuseUnusedRolls(memory);
    const { dice = [] } = options;
    const input = { kind: "begin", time: memory.now, ...(dice.length > 0 && { dice }) } as const;
    return { taken: { input, situation: memory.publishWritable(0), happenings } };
  } catch (error) {
    if (error instanceof Fault) return { fault: faultReport(error) };
    if (!(error instanceof WrongValue)) throw error;
    return { refusal: badGiven(error) };
  } finally {
    memory.begun = true;
  }
}

function badGiven({ message }: WrongValue): Refusal {
  return { code: "badGiven", words: `What is given does not fit: ${message}${/[.?]$/.test(message) ? "" : "."}` };
}

/** Goes on from a whole situation, as step 0 of another match. */
function beginFrom(engine: Engine, from: Json, seed: string): Begun {
  const { machine, memory } = engine;
  try {
    const situation = { ...situationFrom(machine, memory.configurations, from, seed), step: 0 };
    if (situation.outcome) throw new WrongValue("that match is over already");
    loadRestored(engine, situation);
    memory.publishWritable(0);
    const happenings = newHappenings();
    return { taken: { input: { kind: "begin", time: situation.now }, situation, happenings } };
  } catch (error) {
    if (error instanceof Fault) return { fault: faultReport(error) };
    if (!(error instanceof WrongValue)) throw error;
    return { refusal: badGiven(error) };
  }
}

/** The machine's data with their first values, in a memory that was cleared. */
export function fillData({ machine, memory, code }: Engine): void {
  for (const field of machine.data) memory.root.parts[field.slot] = code.first(field);
}

function badSeats({ machine }: Engine, { seats, open }: BeginOptions): Refusal | undefined {
  const { names, least } = machine.seats;
  const count = seats ?? least;
  if (!Number.isInteger(count) || count < least || count > names.length)
    return {
      code: "badSeats",
      words: `This machine has ${least === names.length ? least : `${least} to ${names.length}`} seats, not ${count}.`,
    };
  const playing = names.slice(0, count);
  const unknown = open?.find((seat) => !playing.includes(seat));
  return unknown === undefined ? undefined : { code: "badSeats", words: noSuchSeat(unknown, playing) };
}
