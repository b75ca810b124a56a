/**
 * The order of a step: what an input sets off, and how it comes to rest.
 *
 * There are two. `turn-order.ts` is the language's own; `standard-order.ts` runs the algorithm of
 * the W3C State Chart XML recommendation for machines that say `order standard`. All else is shared. They differ in
 * four places:
 *
 * |                    | turn order                                  | standard order                              |
 * |--------------------|---------------------------------------------|---------------------------------------------|
 * | effects and exits  | effects first, then `exit`                  | `exit` first, then effects                  |
 * | a signal           | every listener hears; the first arrow counts | the innermost listener of each branch       |
 * | signals and `when` | all signals, then one `when`                | all `when`s, then one signal                |
 * | an arrow inwards   | leaves nothing                              | leaves its own state, but for `-> inner X`  |
 */

import type { Action, Timer } from "../../check/machine.js";
import type { Span } from "../../language/source.js";
import type { VisibleAction } from "../situation/configuration.js";
import type { Run } from "../values/closure.js";
import { Fault } from "../values/fault.js";

/** Most signals and conditions taken in one step. */
const MAX_SMALL_STEPS = 1_000;
/** From here on their names are kept, to tell in which circle a step goes. */
const NAMES_FROM = MAX_SMALL_STEPS - 100;

export interface StepOrder {
  readonly budget: StepBudget;
  /** What an action does once it is admitted: its effects and its arrow, as one function. */
  ready(action: Action): Run;
  /**
   * Which of the visible actions of one name a seat takes.
   *
   * @param mayAct whether it is the seat's to take, as far as turns go
   * @param fits binds the arguments of an action and tests its conditions
   * @returns the number of the action to run; -1 when there is none
   */
  choose(
    visible: readonly VisibleAction[],
    mayAct: (action: VisibleAction) => boolean,
    fits: (action: VisibleAction) => boolean,
  ): number;
  /** Enters the start, or the inside of a given state, whose data `args` become. */
  start(target: number, args: readonly unknown[]): void;
  /** Lays an overlay over everything, as an arrow of the machine's own would; its first data are `args`. */
  lay(overlay: number, args: readonly unknown[], at: Span): void;
  /** Hears an event of the game, or that a seat was taken or left. */
  announce(signal: number, values: readonly unknown[], at: Span): void;
  /** Does what a timer that is due asks for. */
  timer(timer: Timer): void;
  /** Goes on until nothing is left to be done. */
  rest(): void;
}

/** Counts the small steps of one step, and names the circle of one that does not come to rest. */
export class StepBudget {
  /** The small steps so far. */
  count = 0;
  private readonly taken: SmallStep[] = [];

  reset(): void {
    this.count = 0;
    if (this.taken.length > 0) this.taken.length = 0;
  }

  /** Not even half of it is used up. */
  get isShort(): boolean {
    return this.count * 2 < NAMES_FROM;
  }

  /** True when names are asked for from now on: tell them with `remember`. */
  spend(): boolean {
    return ++this.count > NAMES_FROM;
  }

  /**
   * Notes where a step goes.
   *
   * @param asks what is taken has a condition, which held
   * @throws Fault that names the circle, when it has run for too long; it stands at the first condition of it
   */
  remember(name: string, at: Span, asks = false): void {
    this.taken.push({ name, at, asks });
    if (this.count <= MAX_SMALL_STEPS) return;
    const circle = circleOf(this.taken);
    const asking = circle.filter((one) => one.asks);
    const places = (asking.length > 0 ? asking : circle).map((one) => one.at);
    const first = places.reduce((a, b) => (b.from < a.from ? b : a), places[0] ?? at);
    const names = circle.map((one) => one.name).join(" -> ");
    throw new Fault("endlessLoop", first, `This step does not come to rest. It goes round in: ${names}.`);
  }
}

/** A small step: the state or signal it belongs to, and where what was taken stands. */
interface SmallStep {
  readonly name: string;
  readonly at: Span;
  readonly asks: boolean;
}

/** The shortest repeating end of a list of small steps, and its first once more; all of it when nothing repeats. */
function circleOf(taken: readonly SmallStep[]): readonly SmallStep[] {
  for (let length = 1; length <= taken.length / 2; length++) {
    const last = taken.slice(-length);
    if (last.every(({ name }, i) => name === taken[taken.length - 2 * length + i]?.name))
      return [...last, last[0] as SmallStep];
  }
  return taken;
}
