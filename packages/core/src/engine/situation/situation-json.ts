/** A situation as JSON, and the differences between two situations as paths and values. */

import type { Machine } from "../../check/machine.js";
import { perMachine } from "../../check/per-machine.js";
import type { Type } from "../../check/types.js";
import { Box } from "../values/box.js";
import { under } from "../values/pointer.js";
import type { DiceState } from "../values/random.js";
import { PENDING, pendingSlotsOf, SEAT_IN, SEAT_OPEN } from "./memory.js";
import type { Situation } from "./situation.js";
import { type Json, keyText, type Naming, put, toJson } from "../values/json.js";

/** How a seat's status is written. */
export function seatStatus(status: number | undefined): "in" | "open" | "out" {
  return status === SEAT_IN ? "in" : status === SEAT_OPEN ? "open" : "out";
}

/**
 * The whole situation, as digests cover it: step, time (ms), states by layer, data, data of active states, who is
 * ready, arrows behind `enter` still to be followed, running timers, seats, dice, history and outcome. See
 * docs/logbook.md. `situationFrom` of situation-from.ts reads it back.
 */
export function situationJson(machine: Machine, situation: Situation): Json {
  const naming = namingOf(machine, situation);
  const name = (id: number): string => machine.states[id]?.name ?? "";
  const data: Record<string, Json> = {};
  for (const f of machine.data) put(data, f.name, toJson(f.type, situation.root.parts[f.slot], naming));
  const local: Record<string, Json> = {};
  const ready: Record<string, Json> = {};
  for (const state of machine.states) {
    const box = state.slot >= 0 ? situation.root.parts[state.slot] : null;
    if (box instanceof Box)
      local[state.name] = Object.fromEntries(
        state.fields.map((f, i) => [f.name, toJson(f.type, box.parts[i], naming)]),
      );
    const slot = state.turn?.readySlot ?? -1;
    if (slot >= 0 && situation.root.parts[slot] !== 0)
      ready[state.name] = naming.seats.filter(
        (_, seat) => ((situation.root.parts[slot] as number) & (1 << seat)) !== 0,
      );
  }
  const pending = pendingArrows(machine)
    .filter(({ slot }) => situation.root.parts[slot] === PENDING)
    .map((arrow) => arrow.name);
  const timers: Record<string, Json> = {};
  for (const { id, name } of machine.timers)
    if (!Number.isNaN(situation.timers[id])) put(timers, name, situation.timers[id] as number);
  const history: Record<string, Json> = {};
  for (const [id, leaves] of situation.history.entries()) if (leaves) put(history, name(id), leaves.map(name));
  const seats: Record<string, Json> = {};
  for (const [i, seat] of naming.seats.entries()) put(seats, seat, seatStatus(situation.seats[i]));
  return {
    step: situation.step,
    now: situation.now,
    layers: situation.configuration.layers.map((layer) => layer.filter((id) => id > 0).map(name)),
    data,
    local,
    ready,
    ...(pending.length > 0 && { pending }),
    timers,
    seats,
    dice: diceJson(machine, situation.dice, naming),
    history,
    outcome: situation.outcome as unknown as Json,
  };
}

/** The arrows behind `enter` that can be left over, as digests name them: `State.enter1`, counted in text order. */
export const pendingArrows = perMachine((machine): readonly { readonly name: string; readonly slot: number }[] =>
  machine.states.flatMap((state) =>
    pendingSlotsOf(state).map((slot, i) => ({ name: `${state.name}.enter${i + 1}`, slot })),
  ),
);

/** How many words were taken of each stream; of private ones by seat. */
function diceJson({ streams }: Machine, { counters }: DiceState, { seats }: Naming): Json {
  return Object.fromEntries(
    streams.map(({ name, visibility, slot }) => [
      name,
      visibility === "private"
        ? Object.fromEntries(seats.map((seat, i) => [seat, counters[slot + i] as number]))
        : (counters[slot] as number),
    ]),
  );
}

/** The names of a situation's seats. */
export function namingOf(machine: Machine, situation: Pick<Situation, "seats">): Naming {
  return { seats: machine.seats.names.slice(0, situation.seats.length) };
}

/** A value that is new at its path; without a value it is gone. */
export interface Change {
  /** A JSON Pointer into the situation: `/data/kites/north/lift`. */
  readonly path: string;
  readonly value?: Json;
}

/** What differs in data, state data and seats between two situations of one match, in the order of the text. */
export function changesBetween(machine: Machine, before: Situation, after: Situation): Change[] {
  const naming = namingOf(machine, after);
  const changes: Change[] = [];
  eachChange(machine, before, after, (path, _, is) => {
    const value = is?.(naming);
    changes.push(value === undefined ? { path } : { path, value });
  });
  return changes;
}

/** The same with what was there before. */
export function changesWithBefore(machine: Machine, before: Standing, after: Standing): FullChange[] {
  const naming = namingOf(machine, after);
  const changes: FullChange[] = [];
  eachChange(machine, before, after, (path, was, is) => {
    const change = { path, ...(was && { before: was(naming) }), ...(is && { after: is(naming) }) };
    changes.push(change);
  });
  return changes;
}

/**
 * A change with what was there before; without `before` there was nothing, without `after` there is nothing any more.
 */
export interface FullChange {
  readonly path: string;
  readonly before?: Json;
  readonly after?: Json;
}

/** What of a situation changes are looked for in. */
type Standing = Pick<Situation, "root" | "seats">;

/** Is told of a change: the value that was, and the value that is, each as JSON when asked; undefined for nothing. */
type Found = (path: string, was: ToJson | undefined, is: ToJson | undefined) => void;
type ToJson = (naming: Naming) => Json;

function eachChange(machine: Machine, before: Standing, after: Standing, found: Found): void {
  const naming = namingOf(machine, after);
  for (const { type, slot, name } of machine.data) {
    const was = before.root.parts[slot];
    const is = after.root.parts[slot];
    if (was !== is) compare(type, was, is, under("/data", name), naming, found);
  }
  for (const state of machine.states) {
    if (state.slot < 0) continue;
    const was = before.root.parts[state.slot] as Box | null;
    const is = after.root.parts[state.slot] as Box | null;
    if (was === is) continue;
    const path = under("/local", state.name);
    const whole =
      (box: Box): ToJson =>
      (names) =>
        Object.fromEntries(state.fields.map((f, i) => [f.name, toJson(f.type, box.parts[i], names)]));
    if (!is || !was) found(path, was ? whole(was) : undefined, is ? whole(is) : undefined);
    else
      for (const [i, f] of state.fields.entries())
        compare(f.type, was.parts[i], is.parts[i], under(path, f.name), naming, found);
  }
  for (const [i, seat] of naming.seats.entries()) {
    const was = before.seats[i];
    const is = after.seats[i];
    if (was !== is)
      found(
        under("/seats", seat),
        () => seatStatus(was),
        () => seatStatus(is),
      );
  }
}

function compare(type: Type, was: unknown, is: unknown, path: string, naming: Naming, found: Found): void {
  if (was === is) return;
  if (was instanceof Box && is instanceof Box) {
    const [a, b] = [was.parts, is.parts];
    switch (type.kind) {
      case "record":
        for (let i = 0; i < b.length; i++) {
          const field = type.fields[i];
          if (field && a[i] !== b[i]) compare(field.type, a[i], b[i], under(path, field.name), naming, found);
        }
        return;
      case "perSeat":
        for (let i = 0; i < b.length; i++)
          if (a[i] !== b[i]) compare(type.of, a[i], b[i], under(path, naming.seats[i] ?? ""), naming, found);
        return;
      case "list":
        if (a.length !== b.length) break;
        for (let i = 0; i < b.length; i++)
          if (a[i] !== b[i]) compare(type.of, a[i], b[i], `${path}/${i}`, naming, found);
        return;
      case "grid":
        for (let i = 0; i < b.length; i++)
          if (a[i] !== b[i])
            compare(type.of, a[i], b[i], `${path}/${Math.floor(i / type.width)}/${i % type.width}`, naming, found);
        return;
      case "map":
        compareMaps(type, a, b, path, naming, found);
        return;
      case "maybe":
        compare(type.of, was, is, path, naming, found);
        return;
      default:
    }
  }
  found(
    path,
    (names) => toJson(type, was, names),
    (names) => toJson(type, is, names),
  );
}

function compareMaps(
  type: Type & { kind: "map" },
  a: readonly unknown[],
  b: readonly unknown[],
  path: string,
  naming: Naming,
  found: Found,
): void {
  const entryOf =
    (value: unknown): ToJson =>
    (names) =>
      toJson(type.value, value, names);
  const before = new Map<unknown, unknown>();
  for (let i = 0; i < a.length; i += 2) before.set(a[i], a[i + 1]);
  for (let i = 0; i < b.length; i += 2) {
    const at = under(path, keyText(type.key, b[i], naming));
    if (before.has(b[i])) compare(type.value, before.get(b[i]), b[i + 1], at, naming, found);
    else found(at, undefined, entryOf(b[i + 1]));
    before.delete(b[i]);
  }
  for (const [key, value] of before) found(under(path, keyText(type.key, key, naming)), entryOf(value), undefined);
}
