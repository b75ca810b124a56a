/** What one seat may see of a logbook while the match is still played: no seed, no secrets, no digests. */

import type { Machine } from "../check/machine.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { pointerParts } from "../engine/values/pointer.js";
import type { Change } from "../engine/situation/situation-json.js";
import type { Json } from "../engine/values/json.js";
import type { Header, LineInput, StepLine } from "./format.js";

/** A header without what would tell the dice beforehand. */
export function seenHeader(header: Header): Omit<Header, "seed" | "given"> {
  const { seed: _, given: _given, ...seen } = header;
  return seen;
}

/**
 * A step as `seat` may see it (`null`: a watcher). Private and hidden data, notes to others and the
 * arguments of others' sealed actions are left out; so are the dice, signals and clamped values of a machine that
 * keeps any secret, because they can tell one.
 */
export function seenLine(runnable: Runnable, line: StepLine, seat: string | null): StepLine {
  const { machine } = runnable;
  const { digest: _, signals, clamped, ...rest } = line;
  const open = !keepsSecrets(machine);
  return {
    ...rest,
    ...(open && signals && { signals }),
    ...(open && clamped && { clamped }),
    input: seenInput(machine, line.input, seat),
    dice: open ? line.dice : [],
    notes: line.notes.filter((note) => typeof note === "string" || note.to === seat),
    changes: line.changes.flatMap((change) => seenChange(machine, change, seat)),
  };
}

function keepsSecrets(machine: Machine): boolean {
  return [...machine.data, ...machine.states.flatMap((s) => s.fields)].some((field) => field.visibility !== "public");
}

function seenInput(machine: Machine, input: LineInput, seat: string | null): LineInput {
  if (input.kind !== "action" || input.seat === seat) return input;
  const sealed = machine.actions.some((a) => a.sealed && a.name === input.action);
  return sealed ? { kind: "action", seat: input.seat as string } : input;
}

function seenChange(machine: Machine, change: Change, seat: string | null): Change[] {
  const [root, ...parts] = pointerParts(change.path);
  if (root !== "data" && root !== "local") return [change];
  if (parts.length === 0 || (root === "local" && parts.length === 1)) {
    const members = change.value as { readonly [name: string]: Json } | undefined;
    if (!members) return [change];
    const base = change.path;
    const kept = Object.entries(members).flatMap(([name, value]) =>
      seenChange(machine, { path: `${base}/${name}`, value }, seat),
    );
    return [
      {
        path: base,
        value: Object.fromEntries(kept.map((c) => [pointerParts(c.path).at(-1) as string, c.value as Json])),
      },
    ];
  }
  const fields = root === "data" ? machine.data : (machine.states.find((s) => s.name === parts[0])?.fields ?? []);
  const [name, owner] = root === "data" ? parts : parts.slice(1);
  const field = fields.find((f) => f.name === name);
  if (!field || field.visibility === "public") return [change];
  if (field.visibility === "hidden" || field.type.kind !== "perSeat" || seat === null) return [];
  if (owner !== undefined) return owner === seat ? [change] : [];
  const whole = change.value as { readonly [name: string]: Json } | undefined;
  return [whole ? { path: change.path, value: { [seat]: whole[seat] ?? null } } : change];
}
