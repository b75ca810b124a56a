/**
 * A situation from its JSON. Anybody may have written that: what no match of the machine can be in is refused, so that
 * the engine can go on from whatever comes out of here.
 */

import type { Machine, State } from "../../check/machine.js";
import { isInside } from "../../check/tree.js";
import { Box } from "../values/box.js";
import { fromJson, type Json, type Naming, WrongValue } from "../values/json.js";
import { type DiceState, newDice } from "../values/random.js";
import type { Configuration, Configurations } from "./configuration.js";
import { PENDING, SEAT_IN, SEAT_OPEN, SEAT_OUT } from "./memory.js";
import { type Outcome, RESULT_OF_WORD, type SeatResult, type SeatResultWord, type Situation } from "./situation.js";
import { pendingArrows } from "./situation-json.js";
import { streamNames } from "./streams.js";

/** A seat's status by how it is written. */
const SEAT_STATUS: Readonly<Record<string, number>> = { in: SEAT_IN, open: SEAT_OPEN, out: SEAT_OUT };

/** The last millisecond that a date can be of (ECMA-262, time values). */
const LAST_TIME = 8.64e15;

/**
 * The situation that a JSON value stands for: the other way of `situationJson`, for machines of the same rules.
 *
 * @param configurations those of the engine that will go on with it
 * @param seed the match's, which its dice come from
 * @throws WrongValue when it is no situation of this machine
 */
export function situationFrom(
  machine: Machine,
  configurations: Configurations,
  json: unknown,
  seed: string,
): Situation {
  const whole = objectFrom(json, "the situation");
  const { naming, seats } = seatsFrom(machine, whole["seats"]);
  const outcome = whole["outcome"] == null ? null : outcomeFrom(machine, whole["outcome"], naming);
  const layers = listFrom(whole["layers"], "layers").map((layer) => idsFrom(machine, layer));
  const configuration = outcome ? configurations.none : activeFrom(machine, configurations, layers);
  return {
    step: countFrom(whole["step"], "step"),
    now: timeFrom(whole["now"], "now"),
    configuration,
    root: new Box(0, partsFrom(machine, whole, configuration, naming)),
    timers: timersFrom(machine, whole["timers"], configuration),
    seats,
    history: historyFrom(machine, whole["history"]),
    dice: diceFrom(machine, whole["dice"], naming, seed),
    outcome,
  };
}

function seatsFrom(machine: Machine, json: unknown): { readonly naming: Naming; readonly seats: number[] } {
  const { names, least } = machine.seats;
  const statuses = objectFrom(json, "seats");
  const count = Object.keys(statuses).length;
  const seats = names.slice(0, count);
  const missing = names.find((seat, i) => (i < least || i < count) && !Object.hasOwn(statuses, seat));
  if (missing !== undefined) throw new WrongValue(`seats has no ${missing}`);
  if (count > names.length) throw new WrongValue(`there are ${count} seats, and ${names.length} are the most`);
  const statusOf = (seat: string): number => {
    const status = statuses[seat];
    if (typeof status !== "string" || !Object.hasOwn(SEAT_STATUS, status))
      throw new WrongValue(`the status of ${seat} is none of ${Object.keys(SEAT_STATUS).join(", ")}`);
    return SEAT_STATUS[status] as number;
  };
  return { naming: { seats }, seats: seats.map(statusOf) };
}

/** Data of the machine and of the active states, who is ready, arrows still to be followed: the slots of the root. */
function partsFrom(
  machine: Machine,
  whole: { readonly [name: string]: unknown },
  { active }: Configuration,
  naming: Naming,
): unknown[] {
  const parts = new Array<unknown>(machine.rootSize).fill(null);
  const data = objectFrom(whole["data"], "data");
  for (const field of machine.data) parts[field.slot] = fromJson(field.type, data[field.name], naming);
  const local = objectFrom(whole["local"], "local");
  const ready = objectFrom(whole["ready"], "ready");
  for (const { id, name, slot, fields, turn } of machine.states) {
    if (slot >= 0 && Object.hasOwn(local, name) !== (active[id] === 1))
      throw new WrongValue(
        active[id] === 1 ? `${name} is active, and local has no data of it` : `local has data of ${name}, not active`,
      );
    if (slot >= 0 && active[id] === 1) {
      const own = objectFrom(local[name], name);
      parts[slot] = new Box(
        0,
        fields.map((field) => fromJson(field.type, own[field.name], naming)),
      );
    }
    const { readySlot = -1 } = turn ?? {};
    if (readySlot >= 0)
      parts[readySlot] = listFrom(ready[name] ?? [], "who is ready").reduce(
        (mask: number, seat) => mask | (1 << (fromJson({ kind: "seat" }, seat, naming) as number)),
        0,
      );
  }
  const pending = listFrom(whole["pending"] ?? [], "pending");
  for (const { name, slot } of pendingArrows(machine)) if (pending.includes(name)) parts[slot] = PENDING;
  return parts;
}

// ---- states ------------------------------------------------------------------------------------

function idsFrom(machine: Machine, names: unknown): number[] {
  const ids = listFrom(names, "a list of states").map((name) => {
    const state = machine.states.find((s) => s.id > 0 && s.name === name);
    if (!state) throw new WrongValue(`there is no state ${JSON.stringify(name)}`);
    return state.id;
  });
  return [...new Set(ids)].sort((a, b) => a - b);
}

/** The machine itself is active below its own states, and is not named among them. */
function activeFrom(
  machine: Machine,
  configurations: Configurations,
  layers: readonly (readonly number[])[],
): Configuration {
  const [base = [], ...laid] = layers;
  if (base.length === 0) throw new WrongValue("no state is active");
  refuseUnstable(machine, 0, base);
  for (const layer of laid) {
    const [overlay = 0] = layer;
    const { kind, name } = machine.states[overlay] as State;
    if (kind !== "overlay") throw new WrongValue(`${name} lies over the others, and is no overlay`);
    refuseUnstable(machine, overlay, layer);
  }
  if (new Set(laid.map(([overlay]) => overlay)).size < laid.length) throw new WrongValue("an overlay lies over itself");
  return configurations.of([[0, ...base], ...laid]);
}

/**
 * @param outer the state, or machine, that all of them lie in
 * @throws WrongValue for active states that no match can be in at once
 */
function refuseUnstable({ states }: Machine, outer: number, layer: readonly number[]): void {
  const active = new Set(layer);
  for (const id of layer) {
    const { name, parent, kind } = states[id] as State;
    if (kind === "overlay" && id !== outer) throw new WrongValue(`${name} is an overlay, and lies over no others`);
    if (id === outer || parent === outer || active.has(parent)) continue;
    throw new WrongValue(`${name} is active without ${states[parent]?.name}`);
  }
  const descend = (id: number): void => {
    const { name, parallel, start, children } = states[id] as State;
    const inside = children.filter((child) => states[child]?.kind !== "overlay");
    const entered = inside.filter((child) => active.has(child));
    const wanted = parallel ? inside.length : start >= 0 ? 1 : 0;
    if (entered.length !== wanted) {
      const where = id === 0 ? "the machine" : name;
      throw new WrongValue(`${entered.length} states are active in ${where}, and ${wanted} must be`);
    }
    entered.forEach(descend);
  };
  descend(outer);
}

function historyFrom(machine: Machine, json: unknown): Situation["history"] {
  const known = objectFrom(json, "history");
  return machine.states.map(({ id, name }) => {
    if (!Object.hasOwn(known, name)) return null;
    const leaves = idsFrom(machine, known[name]);
    const around = new Set<number>();
    for (const leaf of leaves) {
      if (!isInside(machine, leaf, id)) throw new WrongValue(`the history of ${name} is not inside it`);
      for (let at = leaf; at > id; at = machine.states[at]?.parent ?? 0) around.add(at);
    }
    refuseUnstable(machine, id, [...around]);
    return leaves;
  });
}

function timersFrom(machine: Machine, json: unknown, { active }: Configuration): number[] {
  const timers = objectFrom(json, "timers");
  return machine.timers.map(({ name, state }) => {
    if (!Object.hasOwn(timers, name)) return Number.NaN;
    if (active[state] !== 1) throw new WrongValue(`the timer ${name} runs, and its state is not active`);
    return timeFrom(timers[name], name);
  });
}

// ---- dice and results --------------------------------------------------------------------------

function diceFrom(machine: Machine, json: unknown, { seats }: Naming, seed: string): DiceState {
  const dice = newDice(seed, streamNames(machine));
  const taken = objectFrom(json, "dice");
  for (const { name, visibility, slot } of machine.streams) {
    if (visibility !== "private") dice.counters[slot] = countFrom(taken[name], name);
    else {
      const own = objectFrom(taken[name], name);
      for (const [i, seat] of seats.entries()) dice.counters[slot + i] = countFrom(own[seat], name);
    }
  }
  return dice;
}

const RESULTS: readonly string[] = Object.values(RESULT_OF_WORD);

function outcomeFrom(machine: Machine, json: unknown, naming: Naming): Outcome {
  const { ending: name, args, unfinished, results } = objectFrom(json, "outcome");
  const ending = machine.endings.find((each) => each.name === name);
  const isStub = unfinished === true && machine.states.some((state) => state.stub && state.name === name);
  if (!ending && !isStub) throw new WrongValue(`the outcome is of no ending: ${JSON.stringify(name ?? null)}`);
  const given = objectFrom(args, "the arguments of the ending");
  for (const parameter of ending?.parameters ?? []) fromJson(parameter.type, given[parameter.name], naming);
  const list = listFrom(results, "the results");
  return {
    ending: String(name),
    args: given as { readonly [name: string]: Json },
    unfinished: isStub,
    results: naming.seats.map((seat, i) => resultFrom(list[i], seat)),
  };
}

function resultFrom(json: unknown, seat: string): SeatResult {
  const { seat: of, result, rank, score } = objectFrom(json, `the result of ${seat}`);
  if (of !== seat || !RESULTS.includes(String(result)))
    throw new WrongValue(`the result of ${seat} is none of ${RESULTS.join(", ")}`);
  return {
    seat,
    result: result as SeatResultWord,
    ...(rank !== undefined && { rank: countFrom(rank, "a rank") }),
    ...(score !== undefined && { score: numberFrom(score, "a score") }),
  };
}

// ---- values ------------------------------------------------------------------------------------

function objectFrom(json: unknown, what: string): { readonly [name: string]: unknown } {
  if (json === null || typeof json !== "object" || Array.isArray(json)) throw new WrongValue(`${what} is no object`);
  return json as { readonly [name: string]: unknown };
}

function listFrom(json: unknown, what: string): readonly unknown[] {
  if (!Array.isArray(json)) throw new WrongValue(`${what} is no list`);
  return json;
}

function numberFrom(json: unknown, what: string): number {
  if (typeof json !== "number" || !Number.isFinite(json)) throw new WrongValue(`${what} is no number`);
  return json;
}

function countFrom(json: unknown, what: string): number {
  if (!Number.isSafeInteger(json) || (json as number) < 0) throw new WrongValue(`${what} is no count`);
  return json as number;
}

function timeFrom(json: unknown, what: string): number {
  const time = numberFrom(json, what);
  if (Math.abs(time) > LAST_TIME) throw new WrongValue(`${what} is later than any date`);
  return time;
}
