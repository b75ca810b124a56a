/**
 * Turns of seats that were eliminated. No rule suspects them where the time leads on, since nothing comes to a
 * standstill; but everybody waits for one that is out, and so they are looked for in every search.
 */

import type { Machine, State } from "../check/machine.js";
import { chainOf, goesOnAlone, isInside } from "../check/tree.js";
import { visitMachine } from "../check/visit.js";
import type { Message } from "../language/message.js";
import type { Sign } from "./claims.js";

/** What is told once a search comes to the sign. */
export interface Watched {
  readonly message: Message;
  readonly sign: Sign;
}

/** For each state whose turn is one seat's and that only the time leads on from: that nobody has the turn there. */
export function eliminatedOnTurn(machine: Machine): Watched[] {
  let eliminates = false;
  visitMachine({ ...machine, tests: [] }, { statement: (s) => void (eliminates ||= s.kind === "eliminate") });
  if (!eliminates) return [];
  return machine.states.flatMap((state) => {
    const { turn } = state;
    if (!turn || turn.each || turn.of.type.kind !== "seat" || !isForItsHolder(machine, state)) return [];
    const { from, to } = turn.of;
    const written = machine.sources.text(turn.of);
    const message: Message = {
      severity: "warning",
      name: "out-on-turn",
      from,
      to,
      words: `"${written}" can be a seat that has been eliminated: then everybody waits until the time is up.`,
      help: `Give the turn on when a seat is eliminated, or lead on at once: when not (${written} in inPlay) -> STATE.`,
    };
    return [{ message, sign: { kind: "onTurn", state: state.id, is: (count) => count === 0, stayed: true } }];
  });
}

/** Somebody is to act there, and nobody but who has the turn. */
function isForItsHolder(machine: Machine, state: State): boolean {
  const around = chainOf(machine, state.id);
  const inside = machine.states.filter(({ id }) => id !== state.id && isInside(machine, id, state.id));
  const actions = [...around, ...inside].flatMap((s) => s.actions);
  return goesOnAlone(machine, around) && actions.length > 0 && actions.every(({ by }) => by === undefined);
}
