/** Seats by their names: of `seats 2..6 crew` a match may have fewer than the text can name. */

import type { Span } from "../language/source.js";
import type { Expr } from "./machine.js";
import { intBetween, listOf, SEAT } from "./types.js";

/**
 * A seat by its number. One that does not sit down in every match is looked for among those that do, which is a fault
 * where it is missing.
 *
 * @param least how many seats every match has
 */
export function seatNamed(value: number, least: number, at: Span): Expr {
  const span = { from: at.from, to: at.to };
  if (value < least) return { kind: "constant", value, type: SEAT, ...span };
  return {
    kind: "index",
    of: { kind: "seats", type: listOf(SEAT), ...span },
    key: { kind: "constant", value, type: intBetween(value, value), ...span },
    type: SEAT,
    ...span,
  };
}

/** The number of a seat that is named and does not sit down in every match; undefined for other expressions. */
export function seatAtTimes(e: Expr): number | undefined {
  const isName = e.kind === "index" && e.of.kind === "seats" && e.of.from === e.from && e.of.to === e.to;
  return isName && e.key.kind === "constant" ? Number(e.key.value) : undefined;
}

/** An expression whose value is only compared: a seat that is named may be missing, and is none of those there then. */
export function onlyCompared(e: Expr): Expr {
  const value = seatAtTimes(e);
  return value === undefined ? e : { kind: "constant", value, type: e.type, from: e.from, to: e.to };
}
