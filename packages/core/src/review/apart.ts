/** What differs between two situations that may be of two versions of a machine. */

import type { Runnable } from "../engine/matches/runnable.js";
import type { Situation } from "../engine/situation/situation.js";
import { type FullChange, situationJson } from "../engine/situation/situation-json.js";
import type { Json } from "../engine/values/json.js";
import { pointerOf } from "../engine/values/pointer.js";

/** What is compared: data, data of states, who is ready, and seats; not what they were rolled from. */
const COMPARED = ["data", "local", "ready", "seats"] as const;

/**
 * Path by path, in the order of the first, then what only the second has.
 *
 * @returns `before` as it is in the first, `after` as in the second; left out where there is none
 */
export function situationsApart(
  one: { readonly runnable: Runnable; readonly situation: Situation },
  other: { readonly runnable: Runnable; readonly situation: Situation },
): FullChange[] {
  const [first, second] = [one, other].map(
    ({ runnable, situation }) => situationJson(runnable.machine, situation) as { readonly [name: string]: Json },
  );
  return COMPARED.flatMap((name) => [...apart([name], first?.[name], second?.[name])]);
}

function* apart(path: readonly string[], before: Json | undefined, after: Json | undefined): Generator<FullChange> {
  if (isParted(before) && isParted(after) && Array.isArray(before) === Array.isArray(after)) {
    const [own, others] = [before, after] as { readonly [name: string]: Json }[];
    // Lists of another length are told whole: what stands where in them says little.
    if (!Array.isArray(before) || before.length === (after as readonly Json[]).length) {
      for (const key of new Set([...Object.keys(own ?? {}), ...Object.keys(others ?? {})]))
        yield* apart([...path, key], own?.[key], others?.[key]);
      return;
    }
  }
  if (JSON.stringify(before) === JSON.stringify(after)) return;
  yield {
    path: pointerOf(path),
    ...(before !== undefined && { before }),
    ...(after !== undefined && { after }),
  };
}

function isParted(json: Json | undefined): json is Exclude<Json, string | number | boolean | null> {
  return json !== null && typeof json === "object";
}
