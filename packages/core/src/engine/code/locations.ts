/** Locations: what can be written to, found anew at every write. */

import type { Location } from "../../check/machine.js";
import { Box, ownedChild } from "../values/box.js";
import type { Get } from "../values/closure.js";
import type { ExpressionCode } from "./compiler.js";
import { checkedValue, slotFinder } from "./support.js";

/**
 * The box that directly holds a location, made the step's own, and the slot in it.
 * The two are asked for in this order, right after each other.
 */
export interface LocationCode {
  readonly holder: Get<Box>;
  readonly slot: (holder: Box) => number;
}

export function locationCode(code: ExpressionCode, { base, path }: Location): LocationCode {
  const { memory } = code;
  let { holder, slot } = baseCode(code, base);
  for (const step of path) {
    const outer = holder;
    const outerSlot = slot;
    if (step.kind === "present") {
      slot = (box) => {
        const i = outerSlot(box);
        checkedValue(box.parts[i], step);
        return i;
      };
      continue;
    }
    holder = () => {
      const parent = outer();
      return ownedChild(parent, outerSlot(parent), memory.epoch);
    };
    if (step.kind === "field") {
      const { field } = step;
      slot = () => field;
      continue;
    }
    const key = code.compile(step.key);
    const slotOf = slotFinder(step.of, step.key, memory.naming);
    slot = step.of.kind === "perSeat" ? (key as Get<number>) : (box) => slotOf(box.parts, key());
  }
  return { holder, slot };
}

function baseCode({ memory }: ExpressionCode, base: Location["base"]): LocationCode {
  switch (base.kind) {
    case "stateData":
      return {
        holder: () => ownedChild(memory.ownRoot(base.slot), base.slot, memory.epoch),
        slot: () => base.field,
      };
    case "data":
      return { holder: () => memory.ownRoot(base.slot), slot: () => base.slot };
    case "local": {
      const locals = new Box(0, memory.locals);
      return { holder: () => locals, slot: () => base.slot };
    }
  }
}
