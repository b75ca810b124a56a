/** Example values: one situation, in words, in which some conditions hold together. */

import type { Expr, Machine } from "../machine.js";
import { type Field, MAX_INT, type Type } from "../types.js";
import type { Evaluator } from "./evaluate.js";
import { bitsOf, isSingle, meet, only, type Possible, choice } from "./possible.js";
import { readsOf } from "../reads.js";
import type { Knowledge } from "./knowledge.js";

/** Values tried before the search gives up. */
const MAX_TRIES = 400;
/** Values named in words; more would not be read. */
const MAX_NAMED = 4;

/** A datum that holds one plain value: a slot of the root box, and the way into it. */
interface Leaf {
  readonly words: string;
  readonly slot: number;
  readonly path: readonly number[];
  readonly value: Possible;
  readonly type: Type;
}

export interface Witness {
  /** The values in words, "" when the tests hold whatever the data are. */
  readonly words: string;
  /** Whether the values show it by themselves; else it hangs on what cannot be told of lists and grids. */
  readonly shows: boolean;
}

/**
 * Looks for values under which all tests surely hold.
 *
 * @param stores what is known where the tests may hold together, one store for each way
 * @returns undefined when none was found
 */
export function witness(
  values: Evaluator,
  stores: readonly Knowledge[],
  tests: readonly (readonly [Expr, boolean])[],
): Witness | undefined {
  let tries = 0;
  const holds = (store: Knowledge): boolean =>
    tests.every(([test, wanted]) => values.truth(test, store) === (wanted ? 2 : 1));
  const possible = (store: Knowledge): boolean =>
    tests.every(([test, wanted]) => values.truth(test, store) & (wanted ? 2 : 1));
  // What has been learned on the way must not say otherwise than the values do.
  const agrees = (store: Knowledge): boolean => {
    const bare = store.withoutFacts();
    return store.agrees((e) => values.evaluate(e, bare));
  };
  const slots = new Set<number>();
  for (const [test] of tests) for (const slot of readsOf(values.machine, test).slots) slots.add(slot);
  const search = (store: Knowledge, leaves: readonly Leaf[]): Knowledge | undefined => {
    if (!possible(store) || ++tries > MAX_TRIES) return undefined;
    const [leaf, ...rest] = leaves;
    if (!leaf) return holds(store) && agrees(store) ? store : undefined;
    const now = at(store, leaf);
    if (!now) return undefined;
    if (isSingle(now)) return search(store, rest);
    for (const candidate of candidates(now)) {
      const found = search(set(store, leaf, candidate), rest);
      if (found) return found;
    }
    return undefined;
  };
  for (const store of stores) {
    const leaves = leavesOf(values.machine, store, slots).slice(0, 24);
    const found = search(store, leaves);
    if (!found) continue;
    // Best are values that show it by themselves, without what is known besides.
    const bare = found.withoutFacts();
    const shows = holds(bare);
    const shown = shows ? bare : found;
    return { words: inWords(values.machine, needed(leaves, shown, holds, values), shown), shows };
  }
  return undefined;
}

function candidates(value: Possible): Possible[] {
  switch (value.kind) {
    case "number": {
      const picks = new Set([value.low, value.high, 0, 1, Math.min(value.low + 1, value.high)]);
      return [...picks].filter((n) => n >= value.low && n <= value.high && Math.abs(n) < MAX_INT).map(only);
    }
    case "choice":
      return bitsOf(value.mask).map((bit) => choice(2 ** bit));
    case "maybe":
      return [
        ...(value.none ? [{ kind: "maybe" as const, none: true, of: undefined }] : []),
        ...(value.of ? candidates(value.of).map((of) => ({ kind: "maybe" as const, none: false, of })) : []),
      ];
    case "list":
      return [
        ...new Set([value.least, Math.min(value.least + 1, value.most), Math.min(value.most, value.least + 2)]),
      ].map((n) => ({ ...value, least: n, most: n }));
    default:
      return [];
  }
}

function leavesOf(machine: Machine, store: Knowledge, slots: ReadonlySet<number>): Leaf[] {
  const leaves: Leaf[] = [];
  const walk = (words: string, slot: number, path: readonly number[], value: Possible, type: Type): void => {
    switch (value.kind) {
      case "perSeat":
        for (const [seat, one] of value.seats.entries())
          walk(
            `${words}[${machine.seats.names[seat]}]`,
            slot,
            [...path, seat],
            one,
            type.kind === "perSeat" ? type.of : type,
          );
        return;
      case "record":
        for (const [i, field] of value.fields.entries()) {
          const declared: Field | undefined = type.kind === "record" ? type.fields[i] : undefined;
          if (declared) walk(`${words}.${declared.name}`, slot, [...path, i], field, declared.type);
        }
        return;
      case "number":
      case "choice":
      case "maybe":
      case "list":
        leaves.push({ words, slot, path, value, type });
        return;
      default:
    }
  };
  for (const slot of slots) {
    const value = store.data[slot];
    const field = machine.data[slot];
    if (value && field) walk(field.name, slot, [], value, field.type);
    const state = machine.states.find((s) => s.slot === slot);
    if (state && value?.kind === "record")
      for (const [i, f] of state.fields.entries()) walk(`${f.name}`, slot, [i], value.fields[i] as Possible, f.type);
  }
  return leaves;
}

function at(store: Knowledge, leaf: Leaf): Possible | undefined {
  let value = store.data[leaf.slot];
  for (const step of leaf.path)
    value = value?.kind === "record" ? value.fields[step] : value?.kind === "perSeat" ? value.seats[step] : undefined;
  return value;
}

function set(store: Knowledge, leaf: Leaf, value: Possible): Knowledge {
  const now = at(store, leaf);
  return put(store, leaf, (now && meet(now, value)) ?? value);
}

function put(store: Knowledge, leaf: Leaf, value: Possible): Knowledge {
  const into = (now: Possible, path: readonly number[]): Possible => {
    const [step, ...rest] = path;
    if (step === undefined) return value;
    if (now.kind === "record")
      return { kind: "record", fields: now.fields.map((f, i) => (i === step ? into(f, rest) : f)) };
    if (now.kind === "perSeat")
      return { kind: "perSeat", seats: now.seats.map((s, i) => (i === step ? into(s, rest) : s)) };
    return now;
  };
  const now = store.data[leaf.slot];
  return now ? store.learn(leaf.slot, into(now, leaf.path)) : store;
}

/** The data that make the example: those whose value cannot be left open. */
function needed(
  leaves: readonly Leaf[],
  found: Knowledge,
  holds: (store: Knowledge) => boolean,
  values: Evaluator,
): Leaf[] {
  let open = found;
  return leaves.filter((leaf) => {
    const without = put(open, leaf, values.anyOf(leaf.type));
    if (!holds(without)) return true;
    open = without;
    return false;
  });
}

function inWords(machine: Machine, leaves: readonly Leaf[], store: Knowledge): string {
  const named = leaves.map((leaf) => ({ leaf, value: at(store, leaf) })).filter(({ value }) => value !== undefined);
  const words = named.flatMap(({ leaf, value }) => {
    const text = value && valueWords(machine, value, leaf.type);
    return text === undefined ? [] : [leaf.type.kind === "list" ? `${leaf.words} ${text}` : `${leaf.words} = ${text}`];
  });
  return words.length > MAX_NAMED ? `${words.slice(0, MAX_NAMED).join(", ")}, ...` : words.join(", ");
}

function valueWords(machine: Machine, value: Possible, type: Type): string | undefined {
  if (value.kind === "maybe")
    return value.none ? "none" : value.of && valueWords(machine, value.of, type.kind === "maybe" ? type.of : type);
  if (value.kind === "list")
    return value.least !== value.most ? undefined : value.most === 0 ? "empty" : `with ${value.most} in it`;
  if (!isSingle(value)) return undefined;
  if (value.kind === "number") return String(value.low);
  if (value.kind !== "choice") return undefined;
  const [bit = 0] = bitsOf(value.mask);
  if (type.kind === "bool") return bit === 1 ? "true" : "false";
  if (type.kind === "seat") return machine.seats.names[bit];
  return type.kind === "enum" ? type.members[bit] : undefined;
}
