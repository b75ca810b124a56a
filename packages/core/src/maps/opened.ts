/**
 * Lists and records that stand in a text: what a log of lines or of comma-separated values has no other way to tell.
 */

import type { Json } from "../engine/values/json.js";

/** What stands between the entries of a list: the first of these that there is. */
const BETWEEN = [",", ";", "|", "/", " "];
/** What a list may stand in. */
const AROUND = /^(?:\[(.*)\]|\((.*)\)|\{(.*)\})$/s;

/** A text that is JSON of a list or of an object as what it means; anything else as it is. */
export function opened(json: Json): Json {
  if (typeof json !== "string" || !/^\s*[[{]/.test(json)) return json;
  try {
    return JSON.parse(json) as Json;
  } catch {
    return json;
  }
}

/**
 * The entries of a list that stands in a text: JSON, or with commas, semicolons, bars, slashes or spaces between them,
 * in brackets or without. One entry alone is a list of one.
 *
 * @param decimalComma a comma belongs to a number
 */
export function listOpened(json: Json, decimalComma: boolean): Json {
  const value = opened(json);
  if (typeof value !== "string") return value;
  const text = value.trim();
  const [, ...inside] = AROUND.exec(text) ?? [];
  const entries = (inside.find((part) => part !== undefined) ?? text).trim();
  if (entries === "") return [];
  const between = BETWEEN.find((one) => entries.includes(one) && !(one === "," && decimalComma));
  return between === undefined ? [entries] : entries.split(between).map((entry) => entry.trim());
}
