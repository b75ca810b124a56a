/**
 * Turns of seats that were eliminated, or have left. No rule suspects them where the time leads on, since nothing comes
 * to a standstill; but everybody waits for one that is out, and so they are looked for in every search.
 */

import type { Machine, State } from "../check/machine.js";
import { chainOf, ends, goesOnAlone, isInside } from "../check/tree.js";
import { visitMachine } from "../check/visit.js";
import type { Message } from "../language/message.js";
import type { Sign } from "./claims.js";

/** What is told once a search comes to the sign. */
export interface Watched {
  readonly message: Message;
  readonly sign: Sign;
}

/** For each state whose turn is one seat's and that only the time leads on from: that nobody has the turn there. */
export function outOnTurn(machine: Machine): Watched[] {
  let eliminates = false;
  visitMachine({ ...machine, tests: [] }, { statement: (s) => void (eliminates ||= s.kind === "eliminate") });
  const left = machine.signals.find(({ name, origin }) => name === "Left" && origin === "system")?.id;
  const canBeLeft = machine.states.some(({ listeners }) => listeners.some(({ signal }) => signal === left));
  return machine.states.flatMap((state) => {
    const { turn } = state;
    if (!turn || turn.each || turn.of.type.kind !== "seat" || !isForItsHolder(machine, state)) return [];
    const { from, to } = turn.of;
    const written = machine.sources.text(turn.of);
    const watched = (how: string, when: string, stayed: { readonly stayed?: true }): Watched => ({
      message: {
        severity: "warning",
        name: "out-on-turn",
        from,
        to,
        words: `"${written}" can be a seat that ${how}: then everybody waits until the time is up.`,
        help: `Give the turn on ${when}, or lead on at once: when not (${written} in inPlay) -> STATE.`,
      },
      sign: { kind: "onTurn", state: state.id, is: (count) => count === 0, ...stayed },
    });
    return [
      ...(eliminates ? [watched("has been eliminated", "when a seat is eliminated", { stayed: true })] : []),
      ...(canBeLeft ? [watched("has left", "when a seat leaves", {})] : []),
    ];
  });
}

/** Somebody is to act there, and nobody but who has the turn can lead on. */
function isForItsHolder(machine: Machine, state: State): boolean {
  const around = chainOf(machine, state.id);
  const inside = machine.states.filter(({ id }) => id !== state.id && isInside(machine, id, state.id));
  const actions = [...around, ...inside].flatMap((s) => s.actions);
  const ofTurn = actions.filter(({ by }) => by === undefined);
  const beside = actions.filter(({ by }) => by !== undefined);
  const staysThere = beside.every(({ arrow }) => ends(arrow).every(({ kind }) => kind === "stay"));
  return goesOnAlone(machine, around) && ofTurn.length > 0 && staysThere;
}
