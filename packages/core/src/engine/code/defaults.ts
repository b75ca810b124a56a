/** First values: those that types have by themselves, and those that are written. */

import type { Expr } from "../../check/machine.js";
import type { Type } from "../../check/types.js";
import { Box, share } from "../values/box.js";
import type { ExpressionCode } from "./compiler.js";
import { clamp } from "./support.js";

/** The value a type has without being given one. */
export function defaultOf(code: ExpressionCode, type: Type): unknown {
  const { epoch, seats } = code.memory;
  switch (type.kind) {
    case "bool":
      return false;
    case "int":
      return Math.min(Math.max(0, type.low), type.high);
    case "num":
    case "enum":
      return 0;
    case "text":
      return "";
    case "list":
    case "map":
      return new Box(epoch, []);
    case "record": {
      const initials = code.machine.recordInitials.get(type.name) ?? [];
      return new Box(
        epoch,
        type.fields.map((field, i) => firstValue(code, field.type, initials[i])),
      );
    }
    case "perSeat":
      return new Box(
        epoch,
        seats.map(() => defaultOf(code, type.of)),
      );
    case "grid":
      return new Box(
        epoch,
        Array.from({ length: type.width * type.height }, () => defaultOf(code, type.of)),
      );
    default:
      return null;
  }
}

/** The first value of a field: its written default, clamped to its bounds, or that of its type. */
export function firstValue(code: ExpressionCode, type: Type, written: Expr | undefined): unknown {
  if (!written) return defaultOf(code, type);
  if (type.kind === "perSeat" && written.type.kind !== "perSeat")
    return new Box(
      code.memory.epoch,
      code.memory.seats.map(() => firstValue(code, type.of, written)),
    );
  const value = share(code.compile(written)());
  return clamp(type)?.(value as number) ?? value;
}
