/** What a match waits for, in words: which seat, which event, which timer; or that nothing can go on, and why. */

import type { State } from "../check/machine.js";
import { nextTimer, type Situation } from "../engine/situation/situation.js";
import { events, openActions, options, view } from "../engine/matches/view.js";
import type { ParameterOption } from "../engine/matches/options.js";
import type { Runnable } from "../engine/matches/runnable.js";

/** What can still happen. */
export interface Waiting {
  /** Seats to which some action is open. */
  readonly seats: readonly string[];
  /** Events that are heard now, with what they carry: `Thrown(left: int 0..4)`. */
  readonly events: readonly string[];
  /** The next timer and when it is due, in milliseconds since 1970 UTC. */
  readonly timer?: { readonly name: string; readonly due: number };
  /** Sentences that say all of it; when nothing can happen any more, why. */
  readonly words: readonly string[];
}

export function waiting(runnable: Runnable, situation: Situation): Waiting {
  const { machine } = runnable;
  const seen = view(runnable, situation, null);
  const seats = seen.seats.map((s) => s.seat).filter((seat) => openActions(runnable, situation, seat).length > 0);
  const heard = events(runnable, situation)
    .filter((event) => event.heard)
    .map(({ event, parameters }) => event + (parameters.length > 0 ? `(${parameters.map(typed).join(", ")})` : ""));
  const next = nextTimer(machine, situation);
  const timer = next && { name: next.timer.name, due: next.due };
  const words: string[] = [];
  const closed = seen.turn.filter((seat) => !seats.includes(seat));
  for (const seat of closed) words.push(closedTo(runnable, situation, seat));
  if (seen.turn.length === 0) words.push(`It is nobody's turn in ${seen.here.join(", ") || machine.name}.`);
  if (seats.length > 0 && closed.length + (seen.turn.length === 0 ? 1 : 0) > 0)
    words.push(`${seats.join(", ")} may act.`);
  if (heard.length > 0) words.push(`It waits for the game's event ${heard.join(" or ")}.`);
  if (timer) words.push(`The next timer is ${timer.name}.`);
  if (seats.length + heard.length === 0 && !timer) {
    const conditions = awake(runnable, situation).flatMap(({ name, whens }) =>
      whens.map((when) => `${name} waits until ${conditionOf(runnable, when)}`),
    );
    words.push(
      `Nothing can go on: no action is open, no timer runs, and no event is ` +
        `heard.${conditions.length > 0 ? ` ${conditions.join("; ")}, but nothing is left that could change it.` : ""}`,
    );
  }
  return { seats, events: heard, ...(timer && { timer }), words };
}

function typed({ name, type }: ParameterOption): string {
  return `${name}: ${type}`;
}

function closedTo(runnable: Runnable, situation: Situation, seat: string): string {
  const reasons = options(runnable, situation, seat)
    .filter((option) => !option.open)
    .map(({ action, reason }) => `${action} (${(reason ?? "closed").replace(/\.$/, "")})`);
  const why = reasons.length > 0 ? `: ${reasons.join(", ")}` : " there";
  return `It is ${seat}'s turn, and nothing is open to ${seat}${why}.`;
}

function awake({ machine }: Runnable, { configuration }: Situation): State[] {
  const states: State[] = [];
  for (const leaf of configuration.leaves)
    for (let id = leaf; id >= 0; id = machine.states[id]?.parent ?? -1) {
      const state = machine.states[id] as State;
      if (!states.includes(state)) states.push(state);
    }
  return states;
}

function conditionOf({ machine }: Runnable, { test }: State["whens"][number]): string {
  switch (test.kind) {
    case "holds":
      return `"${machine.sources.written(test.test)}"`;
    case "allReady":
      return "all are ready";
    case "done":
      return `${machine.states[test.of]?.name} is done`;
    case "entered":
      return "it is entered";
  }
}
