/** Admission: the tests an action has to pass before it is taken, and the words of those that fail. */

import type { Secrecy } from "../../check/secrecy.js";
import type { Machine } from "../../check/machine.js";
import type { RefusalCode } from "../../check/refusals.js";
import { whichExist } from "../../language/suggest.js";
import type { Code } from "../code/code.js";
import type { VisibleAction } from "../situation/configuration.js";
import { type Memory, SEAT_OPEN, SEAT_OUT } from "../situation/memory.js";
import type { Refusal } from "../situation/situation.js";
import { type Arguments, NO_ARGUMENTS } from "../values/json.js";
import type { ReadyAction, ReadyParameter } from "../steps/actions.js";
import type { Steps } from "../steps/steps.js";
import { fromJson, seatNumber, toText, WrongValue } from "../values/json.js";
import { FailedConditions } from "./failed-condition.js";

/** An action that has passed all tests: running it takes it. */
export type Admitted = Pick<ReadyAction, "run">;

export class Admission {
  private readonly conditions: FailedConditions;

  constructor(
    private readonly machine: Machine,
    private readonly memory: Memory,
    code: Code,
    private readonly steps: Steps,
    secrecy: () => Secrecy,
  ) {
    this.conditions = new FailedConditions(machine, code.expressions, secrecy);
  }

  /**
   * Tests an action in the order of the refusal codes; the match stands at step `current`. When all tests pass, its
   * arguments and `me` are set in the working memory and the action to run is returned.
   *
   * @param step the step its sender believes to be current
   */
  admit(
    current: number,
    seatName: string,
    actionName: string,
    args: Arguments,
    step: number | undefined,
  ): Admitted | Refusal {
    const { memory, steps } = this;
    if (step !== undefined && step !== current)
      return refusal("stale", `The match has moved on: it is at step ${current}, not ${step}.`);
    if (memory.outcome) return matchOver(memory.outcome.ending, memory.outcome.unfinished);
    const seat = seatNumber(memory.naming.seats, seatName);
    const unseated = this.unseated(seat, seatName);
    if (unseated) return unseated;
    const visible = memory.configuration.actions.get(actionName);
    if (!visible) return this.notHere(actionName);
    memory.me = seat;
    let unfit: Refusal | undefined;
    let isMine = false;
    const chosen = steps.order.choose(
      visible,
      (action) => {
        const mine = this.mayAct(action, seat);
        isMine ||= mine;
        return mine;
      },
      ({ id }) => {
        const ready = steps.actions.of(id);
        const refused = this.bind(ready, args) ?? this.unmet(ready.needs);
        unfit ??= refused;
        return refused === undefined;
      },
    );
    if (chosen >= 0) return steps.actions.of(chosen);
    if (unfit) return unfit;
    return isMine ? refusal("needsFailed", `No branch of "${actionName}" holds now.`) : this.notNow(visible, seat);
  }

  private unseated(seat: number, name: string): Refusal | undefined {
    const { seats } = this.memory;
    if (seat < 0 || seat >= seats.length) return refusal("notSeated", noSuchSeat(name, this.memory.naming.seats));
    if (seats[seat] === SEAT_OPEN) return refusal("notSeated", `Nobody sits at ${name} yet.`);
    return seats[seat] === SEAT_OUT ? refusal("seatOut", `${name} is out of this match.`) : undefined;
  }

  private notHere(action: string): Refusal {
    const { machine, memory } = this;
    const known = machine.actions.map((a) => a.name);
    if (known.includes(action)) {
      const { leaves } = memory.configuration;
      const here = leaves.map((id) => (id === 0 ? machine.name : machine.states[id]?.name)).join(", ");
      return refusal("notOpenHere", `"${action}" is not possible in ${here}.`);
    }
    return refusal("unknownAction", `There is no action "${action}". ${whichExist(action, [...new Set(known)])}`);
  }

  /** Sets the arguments in the working memory, or says which does not fit. */
  private bind(ready: ReadyAction, args: Arguments): Refusal | undefined {
    const { memory } = this;
    const unknown = unknownArgument(ready, args);
    if (unknown !== undefined) return unknown;
    for (const p of ready.parameters) {
      const wrong = this.set(p, args);
      if (wrong !== undefined) return badArgument(ready, p.name, `: ${wrong}.`);
      if (p.open()) continue;
      const closed = this.closedValue(p);
      if (closed === undefined) continue;
      const value = toText(p.type, memory.locals[p.slot], memory.naming);
      const refused = badArgument(ready, p.name, ` cannot be ${value}: ${closed}.`);
      return p.parameter.where ? { ...refused, condition: this.conditions.explain(p.parameter.where) } : refused;
    }
    return undefined;
  }

  /** Sets the value of a parameter in the working memory, or says why it is none of its type. */
  set({ name, type, slot, isSeat, inherited }: ReadyParameter, args: Arguments): string | undefined {
    const { memory } = this;
    const given = !inherited || Object.hasOwn(args, name) ? args[name] : undefined;
    const seat = isSeat ? seatNumber(memory.naming.seats, given) : -1;
    if (seat >= 0) {
      memory.locals[slot] = seat;
      return undefined;
    }
    try {
      memory.locals[slot] = fromJson(type, given, memory.naming);
      return undefined;
    } catch (error) {
      if (!(error instanceof WrongValue)) throw error;
      return error.message;
    }
  }

  /** Why the value that is set for a parameter is closed; undefined when it is open. */
  closedValue(p: ReadyParameter): string | undefined {
    const { domain } = p.parameter;
    if (domain && p.inDomain && !p.inDomain()) return `it is not in ${this.conditions.written(domain)}`;
    return this.unfitting(p);
  }

  /** The same for a value that comes from the domain. */
  unfitting(p: ReadyParameter): string | undefined {
    const { where } = p.parameter;
    return where && !p.fits() ? (p.reason?.() ?? this.conditions.inWords(where)) : undefined;
  }

  /** The first of some needs that fails. */
  unmet(needs: ReadyAction["needs"]): Refusal | undefined {
    for (const need of needs) {
      if (need.test()) continue;
      const words = need.reason?.() ?? this.conditions.inWords(need.written);
      return { ...refusal("needsFailed", sentence(words)), condition: this.conditions.explain(need.written) };
    }
    return undefined;
  }

  /** True when an action is a seat's to take, as far as turns go. */
  mayAct(visible: VisibleAction, seat: number): boolean {
    const { by } = this.steps.actions.of(visible.id);
    if (by === "anyone") return true;
    if (by) return by().includes(seat);
    for (const turn of visible.turns) if (this.steps.turns.includes(turn, seat)) return true;
    return false;
  }

  /** Why an action is not a seat's to take now. */
  notNow(visible: readonly VisibleAction[], seat: number): Refusal & { readonly code: RefusalCode } {
    const { steps, memory } = this;
    const { seats } = memory.naming;
    if (visible.some((v) => v.turns.some((turn) => steps.turns.isReady(turn, seat))))
      return refusal("alreadyReady", `${seats[seat]} is ready already and waits for the others.`);
    const by = visible.map((v) => steps.actions.of(v.id).by).find((b) => b !== undefined && b !== "anyone");
    const may =
      typeof by === "function"
        ? by()
        : [...new Set(visible.flatMap((v) => v.turns.flatMap((turn) => steps.turns.seatsOf(turn))))];
    const whose = may.map((s) => seats[s]).join(" or ");
    if (by) return refusal("notYourTurn", whose ? `Only ${whose} can do this now.` : "Nobody can do this now.");
    return refusal("notYourTurn", whose ? `It is ${possessive(whose)} turn.` : "It is nobody's turn.");
  }
}

/** A match that does not go on. */
export function matchOver(ending: string, unfinished = false): Refusal {
  return refusal(
    "matchOver",
    unfinished
      ? `The match has come to "${ending}", which is not written yet.`
      : `The match is over: it ended in ${ending}.`,
  );
}

/** Words as a sentence of their own. */
export function sentence(words: string): string {
  return words.charAt(0).toUpperCase() + words.slice(1) + (/[.!?]$/.test(words) ? "" : ".");
}

function unknownArgument(ready: ReadyAction, args: Arguments): Refusal | undefined {
  if (args === NO_ARGUMENTS) return undefined;
  const { parameters } = ready;
  for (const name in args) {
    if (parameters.length === 1 && name === parameters[0]?.name) continue;
    if (!Object.hasOwn(args, name) || parameters.some((p) => p.name === name)) continue;
    const known = parameters.length > 0 ? `; it has ${parameters.map((p) => p.name).join(", ")}` : "";
    return refusal("badArgument", `"${ready.action.name}" has no argument "${name}"${known}.`);
  }
  return undefined;
}

function badArgument(ready: ReadyAction, name: string, words: string): Refusal {
  return refusal("badArgument", `"${name}" of "${ready.action.name}"${words}`);
}

function refusal(code: RefusalCode, words: string): Refusal & { readonly code: RefusalCode } {
  return { code, words };
}

/** The words for a seat that a match does not have. */
export function noSuchSeat(name: string, seats: readonly string[]): string {
  return `This match has no seat "${name}". ${whichExist(name, seats)}`;
}

function possessive(name: string): string {
  return name.endsWith("s") ? `${name}'` : `${name}'s`;
}
