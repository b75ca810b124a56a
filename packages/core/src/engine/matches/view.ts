/** What can be seen of a match: what a seat may do, what the game may tell it, and the match as one seat sees it. */

import type { Machine } from "../../check/machine.js";
import { describe, type Type } from "../../check/types.js";
import type { Deadline } from "./deadlines.js";
import type { ActionOption, EventOption } from "./options.js";
import { Box } from "../values/box.js";
import { type Engine, engineOf, type Runnable } from "./runnable.js";
import { SEAT_OUT } from "../situation/memory.js";
import type { Outcome, Situation } from "../situation/situation.js";
import type { Arguments } from "../values/json.js";
import { namingOf, seatStatus } from "../situation/situation-json.js";
import { type Json, toJson } from "../values/json.js";

/**
 * Every action that a seat can see now: open, or closed with the reason. With `chosen`, that action
 * alone, with the values of the next argument after those chosen so far.
 */
export function options(
  runnable: Runnable,
  situation: Situation,
  seat: string,
  chosen?: { readonly action: string; readonly args: Arguments },
): ActionOption[] {
  const { memory, options: offered } = looked(runnable, situation);
  const number = memory.naming.seats.indexOf(seat);
  return number < 0 ? [] : offered.of(number, chosen);
}

/** The names of the actions that are open to a seat now: what `options` says of them, in a fraction of the time. */
export function openActions(runnable: Runnable, situation: Situation, seat: string): string[] {
  const { memory, options: offered } = looked(runnable, situation);
  const number = memory.naming.seats.indexOf(seat);
  return number < 0 ? [] : offered.open(number);
}

/** Every event of the machine that the game can tell of; none once the match is over. */
export function events(runnable: Runnable, situation: Situation): EventOption[] {
  return looked(runnable, situation).options.events(situation);
}

/** The engine with a situation taken in, to be looked at. */
function looked(runnable: Runnable, situation: Situation): Engine {
  const engine = engineOf(runnable);
  engine.memory.load(situation);
  engine.memory.happenings = null;
  return engine;
}

/** A match as one seat may see it; `null` is a watcher, who sees what is public. */
export interface View {
  readonly machine: string;
  readonly step: number;
  /** The match's time, in milliseconds since 1970 UTC. */
  readonly now: number;
  /** Active states, outer first; under overlays, the frozen ones come first. */
  readonly states: readonly string[];
  /** The states that are awake and innermost: where the match stands. */
  readonly here: readonly string[];
  readonly turn: readonly string[];
  readonly seats: readonly SeatStatus[];
  readonly data: readonly ViewField[];
  /** The next timer that would do something; not told of one whose delay comes from a secret. */
  readonly due?: Deadline;
  readonly outcome: Outcome | null;
}

/** One piece of data as it is seen. */
export interface ViewField {
  readonly name: string;
  /** The state it belongs to; without, the machine. */
  readonly state?: string;
  readonly type: string;
  readonly value: Json;
  /** For numbers with bounds, and for those in records: their bounds by path below the value. */
  readonly bounds?: { readonly [path: string]: readonly [number, number] };
  /**
   * Which of them fall, or fill and are emptied: a bar tells something of breath, and nothing of a counter that only
   * rises.
   */
  readonly meters?: readonly string[];
}

/** What the data of a situation come to when they are written down, in characters of JSON, or a little more. */
export function dataSize(runnable: Runnable, situation: Situation): number {
  return engineOf(runnable).memory.weight(situation.root);
}

/** The seats on turn. */
export function turnOf(runnable: Runnable, situation: Situation): readonly string[] {
  const { memory, steps } = engineOf(runnable);
  memory.load(situation);
  return steps.turns.namesNow();
}

/** Whether a seat is in play, open, or out. */
export interface SeatStatus {
  readonly seat: string;
  readonly status: "in" | "open" | "out";
}

/** Every seat with its status. */
export function seatsNow({ machine }: Runnable, situation: Situation): SeatStatus[] {
  const { seats } = namingOf(machine, situation);
  return seats.map((seat, i) => ({ seat, status: seatStatus(situation.seats[i] ?? SEAT_OUT) }));
}

/** Whether a machine has anything that not everybody may see. */
export function keepsSecrets(runnable: Runnable): boolean {
  return !engineOf(runnable).secrecy.none;
}

/** Whether seats of this machine can be left: something in it says what happens then. */
export function canBeLeft(runnable: Runnable): boolean {
  return engineOf(runnable).canBeLeft;
}

/**
 * The next timer that would do something as things stand, with what it would do; undefined when there is none. Those
 * whose delay comes from a secret are not told of, and those whose condition does count as doing something.
 */
export function seenDue(runnable: Runnable, situation: Situation): Deadline | undefined {
  return looked(runnable, situation).deadlines.next(situation);
}

export function view(runnable: Runnable, situation: Situation, seat: string | null): View {
  const { machine, steps, meters } = looked(runnable, situation);
  const naming = namingOf(machine, situation);
  const me = seat === null ? -1 : naming.seats.indexOf(seat);
  const data: ViewField[] = [];
  const add = (field: Machine["data"][number], value: unknown, lowered: readonly string[], state?: string): void => {
    if (field.visibility === "hidden") return;
    let json = toJson(field.type, value, naming);
    if (field.visibility === "private") {
      if (field.type.kind !== "perSeat" || me < 0) return;
      json = { [seat as string]: toJson(field.type.of, (value as Box).parts[me], naming) };
    }
    const bounds = boundsOf(field.type);
    data.push({
      name: field.name,
      ...(state !== undefined && { state }),
      type: describe(field.type),
      value: json,
      ...(Object.keys(bounds).length > 0 && { bounds }),
      ...(lowered.length > 0 && { meters: lowered }),
    });
  };
  for (const field of machine.data) add(field, situation.root.parts[field.slot], meters.of(field.type, field.slot));
  for (const state of machine.states) {
    const box = state.slot >= 0 ? situation.root.parts[state.slot] : null;
    if (!(box instanceof Box)) continue;
    for (const [i, field] of state.fields.entries())
      add(field, box.parts[i], meters.of(field.type, state.slot, i), state.name);
  }
  const due = seenDue(runnable, situation);
  return {
    machine: machine.name,
    step: situation.step,
    now: situation.now,
    states: situation.configuration.activeStates,
    here: situation.configuration.leaves.filter((id) => id > 0).map((id) => machine.states[id]?.name ?? ""),
    turn: steps.turns.now().map((s) => naming.seats[s] as string),
    seats: seatsNow(runnable, situation),
    data,
    ...(due !== undefined && { due }),
    outcome: situation.outcome,
  };
}

/** The bounds of every number inside a type, by field names joined with dots; "" is the value itself. */
function boundsOf(
  type: Type,
  path = "",
  found: Record<string, readonly [number, number]> = {},
): Record<string, readonly [number, number]> {
  switch (type.kind) {
    case "int":
      if (type.low > -1e9 && type.high < 1e9) found[path] = [type.low, type.high];
      break;
    case "record":
      for (const f of type.fields) boundsOf(f.type, path ? `${path}.${f.name}` : f.name, found);
      break;
    case "perSeat":
    case "list":
    case "grid":
    case "maybe":
      boundsOf(type.of, path, found);
      break;
    default:
  }
  return found;
}
