/**
 * What is known once all are ready: where each seat is ready only by an action that sets something of its own, that is
 * set for every seat.
 */

import type { Action, Expr, Machine, State, Statement } from "../machine.js";
import { chainOf, ends, isInside } from "../tree.js";
import { visitMachine } from "../visit.js";

type Assignment = Statement & { readonly kind: "assign" };

/**
 * The slots of data per seat that may be none, and of which no seat in play has none once all are ready in a state.
 * Nothing but entering the state may take them back while it is active.
 */
export function chosenOnceReady(machine: Machine, state: State): readonly number[] {
  const { turn, id } = state;
  if (!turn?.each || (turn.of.kind !== "inPlay" && turn.of.kind !== "seats")) return [];
  const around = chainOf(machine, id);
  if (around.some(({ parallel }) => parallel)) return [];
  const readying = machine.actions.filter(
    ({ state: of, arrow }) =>
      (isInside(machine, of, id) || isInside(machine, id, of)) && ends(arrow).some(({ kind }) => kind === "ready"),
  );
  if (readying.length === 0) return [];
  const writes = writesTo(machine);
  return machine.data
    .filter(({ type }) => type.kind === "perSeat" && type.of.kind === "maybe")
    .map(({ slot }) => slot)
    .filter((slot) => {
      const chosen = readying.map((action) => choiceIn(action, slot));
      if (chosen.some((choice) => choice === undefined)) return false;
      return (writes.get(slot) ?? []).every(
        (s) => chosen.includes(s as Assignment) || isAsEntered(state, s) || isElsewhere(machine, state, s),
      );
    });
}

/** Where an action sets a datum of the seat that acts, whatever else it does. */
function choiceIn({ block }: Action, slot: number): Assignment | undefined {
  return block?.statements.find((s): s is Assignment => {
    if (s.kind !== "assign" || s.op !== "=" || s.target.base.kind !== "data" || s.target.base.slot !== slot)
      return false;
    const [index, ...inside] = s.target.path;
    return index?.kind === "index" && index.key.kind === "me" && inside.length === 0 && !mayBeNone(s.value);
  });
}

function mayBeNone({ kind, type }: Expr): boolean {
  return type.kind === "maybe" || kind === "default";
}

/** Every statement that writes to data, by slot. */
function writesTo(machine: Machine): Map<number, Statement[]> {
  const writes = new Map<number, Statement[]>();
  visitMachine(
    { ...machine, tests: [] },
    {
      statement: (s) => {
        if ((s.kind !== "assign" && s.kind !== "change") || s.target.base.kind !== "data") return;
        const { slot } = s.target.base;
        writes.set(slot, [...(writes.get(slot) ?? []), s]);
      },
    },
  );
  return writes;
}

function isAsEntered({ enters }: State, { from, to }: Statement): boolean {
  return enters.some(({ block }) => block && block.from <= from && to <= block.to);
}

/** Whether something is done in a state that is never active together with another. */
function isElsewhere({ states }: Machine, { from, to }: State, s: Statement): boolean {
  const isAround = (of: State): boolean => of.from <= s.from && s.to <= of.to;
  const around = states.filter((of) => of.id > 0 && isAround(of));
  return (
    around.length > 0 &&
    around.every((of) => of.kind !== "overlay" && !(of.from <= from && to <= of.to)) &&
    !(from <= s.from && s.to <= to)
  );
}
