/** What a match is given to begin with, as people type it: `kites.north.lift=3`, `state=Volley`, `state.kites=3`. */

import type { Given } from "../engine/matches/given.js";
import type { GivenDatum } from "../engine/matches/given.js";

/** A text that says nothing that could be given, in words for the person who typed it. */
export class BadGiven extends Error {}

/**
 * Reads texts of the form `PATH=VALUE`. `state` names the state to begin in, `state.NAME` its arguments; every other
 * path is one into the data. A value is JSON where it is JSON, else a text.
 *
 * @throws BadGiven for a text of another form, or arguments without a state
 */
export function givenFrom(texts: readonly string[]): Given {
  const data: GivenDatum[] = [];
  const args: Record<string, unknown> = {};
  let name: string | undefined;
  for (const text of texts) {
    const equals = text.indexOf("=");
    if (equals < 1) throw new BadGiven(`"${text}" is not of the form path=value.`);
    const parts = text.slice(0, equals).trim().replaceAll("[", ".").replaceAll("]", "").split(".");
    const value = valueFrom(text.slice(equals + 1).trim());
    if (parts[0] !== "state") data.push({ path: `/data/${parts.join("/")}`, value });
    else if (parts.length === 1) name = String(value);
    else args[parts.slice(1).join(".")] = value;
  }
  if (name === undefined && Object.keys(args).length > 0)
    throw new BadGiven(`Arguments are given, but no state to begin in: add state=NAME.`);
  const state = name === undefined ? undefined : { name, ...(Object.keys(args).length > 0 && { args }) };
  return { ...(data.length > 0 && { data }), ...(state && { state }) };
}

/** A value as typed: JSON where it is JSON, else a text. */
export function valueFrom(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return text;
  }
}
