/**
 * What something came to at each step of a match: as a plot where it is a number or a condition, and where it
 * changed.
 */

import type { Json } from "../engine/values/json.js";
import { canonicalJson } from "../logbook/canonical.js";
import type { Plot, PlotPoint } from "./plot.js";

/** A value that something had from a step on; undefined where it was not there. */
export interface ValueFrom {
  readonly step: number;
  readonly value: Json | undefined;
}

/** @param values of each step from 0 on */
export function valuesFrom(values: readonly (Json | undefined)[]): ValueFrom[] {
  const found: ValueFrom[] = [];
  let last: string | undefined;
  for (const [step, value] of values.entries()) {
    const written = value === undefined ? "" : canonicalJson(value);
    if (written !== last) found.push({ step, value });
    last = written;
  }
  return found;
}

/**
 * @param values of each step from 0 on
 * @param at the step that is looked at
 * @returns undefined for what is neither a number nor a condition
 */
export function plotOfValues(title: string, values: readonly (Json | undefined)[], at?: number): Plot | undefined {
  const points = values.flatMap((value, x): PlotPoint[] =>
    typeof value === "number" || typeof value === "boolean" ? [{ x, y: Number(value) }] : [],
  );
  if (points.length === 0) return undefined;
  const up = typeof values.find((value) => value !== undefined) === "boolean" ? "1 while it holds" : "";
  return {
    ...{ title, across: "step", up, kind: "lines", stepped: true, series: [{ name: title, points }] },
    ...(at !== undefined && { at }),
  };
}
