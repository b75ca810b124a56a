/** The values that an argument may have, where a log tells it by a condition alone. */

import type { Type } from "../check/types.js";
import { engineOf, type Runnable } from "../engine/matches/runnable.js";
import { options } from "../engine/matches/view.js";
import type { Situation } from "../engine/situation/situation.js";
import { fromJson, type Json, toJson } from "../engine/values/json.js";

export interface ArgumentValue {
  readonly json: Json;
  /** As the engine holds it. */
  readonly raw: unknown;
}

/** More values than this are not tried one by one. */
const MOST_VALUES = 10_000;

/**
 * The values of a parameter: those that the action lists there, open or closed, else all of its type where they have an
 * end.
 *
 * @param args the arguments that are known
 */
export function argumentValues(
  runnable: Runnable,
  situation: Situation,
  seat: string,
  action: string,
  parameter: string,
  type: Type,
  args: Readonly<Record<string, Json>>,
): ArgumentValue[] {
  const { naming } = engineOf(runnable).memory;
  const [option] = options(runnable, situation, seat, { action, args });
  const listed = option?.parameters.find(({ name }) => name === parameter);
  const raw = (json: Json): ArgumentValue => ({ json, raw: fromJson(type, json, naming) });
  if (listed?.values) return listed.values.map(({ value }) => raw(value));
  const range = listed?.range ?? (type.kind === "int" ? type : undefined);
  if (range) {
    const { low, high } = range;
    return high - low < MOST_VALUES ? Array.from({ length: high - low + 1 }, (_, i) => raw(low + i)) : [];
  }
  const every = (count: number): ArgumentValue[] =>
    Array.from({ length: count }, (_, value) => ({ json: toJson(type, value, naming), raw: value }));
  switch (type.kind) {
    case "bool":
      return [raw(false), raw(true)];
    case "seat":
      return every(naming.seats.length);
    case "enum":
      return every(type.members.length);
    default:
      return [];
  }
}
