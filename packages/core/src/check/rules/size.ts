/** Declarations that come to more than a step, or a situation, may hold. */

import type { Messages } from "../../language/message.js";
import type { Machine } from "../machine.js";
import { routineSizes, valuesOf } from "../size.js";

/** The most operations one use of a function or effect may come to. */
const MAX_OPERATIONS = 20_000;
/** The most values a machine may begin with. */
const MAX_VALUES = 200_000;

export function checkSize(machine: Machine, messages: Messages): void {
  const sizes = routineSizes(machine);
  for (const list of ["functions", "effects"] as const) {
    // The first that is too large is the cause; what uses it is too large only because of it.
    const found = machine[list].find((_, id) => (sizes[list][id] ?? 0) > MAX_OPERATIONS);
    if (found)
      messages.error(
        "too-large",
        found,
        `One use of "${found.name}" comes to more than ${MAX_OPERATIONS} operations, with everything it calls.`,
        "Keep what is needed several times with let, or call less.",
      );
  }
  let total = 0;
  const known = new Map();
  for (const field of [...machine.data, ...machine.states.flatMap((s) => s.fields)]) {
    const before = total;
    total += valuesOf(field.type, machine.seats.names.length, known);
    if (total > MAX_VALUES && before <= MAX_VALUES)
      messages.error(
        "too-large",
        field,
        `With "${field.name}" the machine begins with more than ${MAX_VALUES} values.`,
        "Keep such data in lists or maps, which begin empty.",
      );
  }
}
