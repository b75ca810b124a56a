/** What is not the same in two views of a match, by the names that people call it by. */

import type { View, ViewField } from "../engine/matches/view.js";
import type { Json } from "../engine/values/json.js";

/** A value that changed; one side is missing where it came or went. */
export interface ViewChange {
  /** `kites.south.lift`, `crews[0].place`, `Break.why`. */
  readonly path: string;
  readonly before?: Json;
  readonly after?: Json;
}

/** What changed in the data that both views show, down to the parts that did, in the order in which they are shown. */
export function viewChanges(before: View, after: View): ViewChange[] {
  const changes: ViewChange[] = [];
  const was = new Map(before.data.map((field) => [nameOf(field), field.value]));
  for (const field of after.data) {
    const name = nameOf(field);
    if (was.has(name)) compare(name, was.get(name) as Json, field.value, changes);
    else changes.push({ path: name, after: field.value });
    was.delete(name);
  }
  for (const [path, value] of was) changes.push({ path, before: value });
  return changes;
}

/** What a piece of data is called: its name, behind its state's when it belongs to one. */
export function nameOf({ state, name }: ViewField): string {
  return state === undefined ? name : `${state}.${name}`;
}

function compare(path: string, before: Json, after: Json, changes: ViewChange[]): void {
  if (JSON.stringify(before) === JSON.stringify(after)) return;
  if (Array.isArray(before) && Array.isArray(after) && before.length === after.length) {
    for (const [i, part] of after.entries()) compare(`${path}[${i}]`, before[i] as Json, part as Json, changes);
    return;
  }
  if (isRecord(before) && isRecord(after) && Object.keys(before).join() === Object.keys(after).join()) {
    for (const [name, part] of Object.entries(after)) compare(`${path}.${name}`, before[name] as Json, part, changes);
    return;
  }
  changes.push({ path, before, after });
}

/** Cells change as one. */
function isRecord(value: Json): value is { readonly [name: string]: Json } {
  return value !== null && typeof value === "object" && !Array.isArray(value) && Object.keys(value).join() !== "x,y";
}
