/** What one seat may see of a logbook while the match is still played: no seed, no secrets, no digests. */

import type { Machine } from "../check/machine.js";
import { engineOf, type Runnable } from "../engine/matches/runnable.js";
import { pointerParts } from "../engine/values/pointer.js";
import type { Change } from "../engine/situation/situation-json.js";
import type { Json } from "../engine/values/json.js";
import type { Header, LineInput, StepLine } from "./format.js";

/** A header without what would tell the dice beforehand. */
export function seenHeader(header: Header): Omit<Header, "seed" | "given" | "from"> {
  const { seed: _, given: _given, from: _from, ...seen } = header;
  return seen;
}

/**
 * A step as `seat` may see it (`null`: a watcher). Private and hidden data, notes to others and the arguments of
 * others' sealed actions are left out; so are the rolls, signals, clamped values and what was heard that come from a
 * secret of others.
 */
export function seenLine(runnable: Runnable, line: StepLine, seat: string | null): StepLine {
  const { machine } = runnable;
  const { digest: _, signals, clamped, ...rest } = line;
  const maySee = (source: string): boolean => mayBeTold(runnable, line.input, source, seat);
  const seenSignals = signals
    ?.filter(({ source }) => maySee(source))
    .map(({ heard, ...signal }) => ({ ...signal, heard: heard.filter((by) => maySee(by.source)) }));
  const seenClamped = clamped?.filter(({ source }) => maySee(source));
  return {
    ...rest,
    ...(seenSignals && seenSignals.length > 0 && { signals: seenSignals }),
    ...(seenClamped && seenClamped.length > 0 && { clamped: seenClamped }),
    input: seenInput(machine, line.input, seat),
    dice: line.dice.filter((roll) => (roll.seat === undefined || roll.seat === seat) && maySee(roll.source)),
    notes: line.notes.filter((note) => typeof note === "string" || note.to === seat),
    changes: line.changes.flatMap((change) => seenChange(machine, change, seat)),
  };
}

/** Whether what happened at a place of the text may be told to a seat. */
function mayBeTold(runnable: Runnable, input: LineInput, source: string, seat: string | null): boolean {
  const { secrecy } = engineOf(runnable);
  if (secrecy.none) return true;
  const { sources } = runnable.machine;
  const [, file = sources.files[0]?.name ?? "", line, column] = /^(?:(.*):)?(\d+):(\d+)$/.exec(source) ?? [];
  const position = sources.position({ file, line: Number(line), column: Number(column) });
  // A place that is not there tells nothing of who may see it.
  const audience = position === undefined ? "nobody" : secrecy.at(position);
  return audience === "all" || (audience === "actor" && input.kind === "action" && input.seat === seat);
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
