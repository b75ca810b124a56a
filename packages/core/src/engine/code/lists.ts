/** Expressions that make lists, records and maps, or ask them; grids are in a file of their own. */

import type { Type } from "../../check/types.js";
import { Box, ownedChild, share, sizeOf } from "../values/box.js";
import type { Get } from "../values/closure.js";
import type { ExpressionTable } from "./compiler.js";
import { gridCall } from "./grid.js";
import { locationCode } from "./locations.js";
import { clamp, contains, filled, mapSlot, takenFrom } from "./support.js";

export const LISTS: ExpressionTable<
  "listProperty" | "listHas" | "mapProperty" | "gridProperty" | "gridCall" | "take" | "list" | "filled" | "record"
> = {
  listProperty(code, e) {
    const of = code.list(e.of);
    const { memory } = code;
    switch (e.property) {
      case "size":
        return () => of().parts.length;
      case "empty":
        return () => of().parts.length === 0;
      case "first":
        return () => filled(of().parts, "first", e)[0];
      case "last":
        return () => filled(of().parts, "last", e).at(-1);
      case "rest":
        return () => {
          const list = of();
          const parts = filled(list.parts, "rest", e);
          memory.charge(sizeOf(list), e);
          return new Box(memory.epoch, parts.slice(1).map(share));
        };
      case "indices":
        return () => {
          const { parts } = of();
          memory.charge(parts.length, e);
          return new Box(
            memory.epoch,
            parts.map((_, i) => i),
          );
        };
    }
  },

  listHas(code, e) {
    const of = code.list(e.of);
    const value = code.compile(e.value);
    const { memory } = code;
    return () => {
      const list = of();
      return contains(memory, list, value(), e);
    };
  },

  mapProperty(code, e) {
    const of = code.list(e.of);
    const paid = (map: Box): Box => {
      code.memory.charge(sizeOf(map), e);
      return map;
    };
    switch (e.property) {
      case "size":
        return () => of().parts.length / 2;
      case "empty":
        return () => of().parts.length === 0;
      case "keys":
        return () => new Box(0, entries(paid(of()), 0));
      case "values":
        return () => new Box(0, entries(paid(of()), 1).map(share));
    }
  },

  gridProperty: gridCall,
  gridCall,

  take(code, e) {
    const { memory } = code;
    const { holder, slot } = locationCode(code, e.target);
    const first = e.method === "take";
    return () => {
      const parent = holder();
      const list = ownedChild(parent, slot(parent), memory.epoch);
      if (first) memory.charge(list.parts.length, e);
      return takenFrom(list, first, e);
    };
  },

  list(code, e) {
    const items = e.items.map((item) => code.stored(item));
    return () => {
      const parts = items.map((item) => item());
      return new Box(code.memory.epoch, parts);
    };
  },

  filled(code, e) {
    const { type } = e;
    const of = type.kind === "map" ? type.value : type.kind === "grid" || type.kind === "perSeat" ? type.of : type;
    const within = clamp(of);
    const items = e.items.map((item): Get => {
      const get = code.stored(item);
      return within ? () => within(get() as number) : get;
    });
    const keys = e.keys.map((key) => code.stored(key));
    const { memory } = code;
    // Fewer seats may play than there can be.
    if (type.kind === "perSeat")
      return () =>
        new Box(
          memory.epoch,
          memory.seats.map((_, seat) => items[seat]?.()),
        );
    if (type.kind !== "map")
      return () =>
        new Box(
          memory.epoch,
          items.map((item) => item()),
        );
    return () => {
      const parts: unknown[] = [];
      for (const [i, item] of items.entries()) {
        const key = keys[i]?.();
        const slot = mapSlot(parts, key);
        if (slot < 0) parts.splice(~slot, 0, key, item());
        else parts[slot + 1] = item();
      }
      return new Box(memory.epoch, parts);
    };
  },

  record(code, e) {
    const fields = e.fields.map((field, i): Get => {
      const type = e.type.kind === "record" ? (e.type.fields[i]?.type as Type) : field.type;
      const get = code.stored(field);
      const within = clamp(type);
      return within ? () => within(get() as number) : get;
    });
    return () => {
      const parts = fields.map((field) => field());
      return new Box(code.memory.epoch, parts);
    };
  },
};

/** The keys of a map's entries, or their values. */
function entries(map: Box, which: 0 | 1): unknown[] {
  return map.parts.filter((_, i) => i % 2 === which);
}
