/** What a machine allows at most and how long it waits, as people want to know it before they begin a match of it. */

import type { Machine, Timer } from "../check/machine.js";
import type { Type } from "../check/types.js";
import { LONGEST_NOTE, MOST_NOTES } from "../engine/code/statements.js";
import { MAX_JSON } from "../engine/values/weight.js";

export interface MachineLimits {
  readonly seats: { readonly least: number; readonly most: number };
  /** Every timer with how long it waits, in milliseconds; null where that is worked out in the match. */
  readonly deadlines: readonly { readonly timer: string; readonly delay: number | null; readonly repeats: boolean }[];
  /** The longest texts that data and arguments hold, in characters: `letter`, `pass(words)`. */
  readonly texts: readonly { readonly of: string; readonly most: number }[];
  /** All data when they are written down, in characters. */
  readonly data: number;
  /** The notes of a step, and the characters of each. */
  readonly notes: { readonly most: number; readonly longest: number };
}

export function limitsOf(machine: Machine): MachineLimits {
  const { names, least } = machine.seats;
  const texts: { of: string; most: number }[] = [];
  const add = (of: string, type: Type): void => {
    const most = longestIn(type);
    if (most !== undefined) texts.push({ of, most });
  };
  for (const field of machine.data) add(field.name, field.type);
  for (const state of machine.states) for (const field of state.fields) add(`${state.name}.${field.name}`, field.type);
  for (const action of machine.actions)
    for (const { name, type } of action.parameters) add(`${action.name}(${name})`, type);
  return {
    seats: { least, most: names.length },
    deadlines: machine.timers.map((timer) => ({ timer: timer.name, delay: delayOf(timer), repeats: timer.repeats })),
    texts,
    data: MAX_JSON,
    notes: { most: MOST_NOTES, longest: LONGEST_NOTE },
  };
}

function delayOf({ delay }: Timer): number | null {
  return delay.kind === "constant" ? (delay.value as number) : null;
}

/** The longest text in a value of a type. @param within the records around it: lists may hold their own kind */
function longestIn(type: Type, within: ReadonlySet<string> = new Set()): number | undefined {
  switch (type.kind) {
    case "text":
      return type.max;
    case "record": {
      if (within.has(type.name)) return undefined;
      const inside = new Set(within).add(type.name);
      return type.fields.map((field) => longestIn(field.type, inside)).reduce(longer, undefined);
    }
    case "perSeat":
    case "list":
    case "grid":
    case "maybe":
      return longestIn(type.of, within);
    case "map":
      return [type.key, type.value].map((part) => longestIn(part, within)).reduce(longer, undefined);
    default:
      return undefined;
  }
}

function longer(one: number | undefined, other: number | undefined): number | undefined {
  return one === undefined || (other !== undefined && other > one) ? other : one;
}
