/**
 * Taking one step: a function of what it is given. The same machine, situation and input give the same result, on
 * every machine, for ever.
 */

import type { FaultReport, Input, Refusal, Situation, StepHappenings, Taken } from "../situation/situation.js";
import { isDue } from "../situation/situation.js";
import { Fault } from "../values/fault.js";
import { advance, takeGenerated } from "./one-input.js";
import { type Engine, engineOf, type Runnable } from "./runnable.js";

/** What comes of an input: all steps it led to, and why it went no further. */
export interface StepResult {
  /** Timers that were due first, then the input itself; empty when nothing was taken. */
  readonly taken: readonly Taken[];
  /** The situation after them; the one given when there are none. */
  readonly situation: Situation;
  readonly refusal?: Refusal;
  readonly fault?: FaultReport;
}

export interface StepOptions {
  /**
   * When what happens is put into words: as the step is taken, for callers who will look at it in any case; or when
   * it is first asked for, by taking the step again (the default).
   */
  readonly happenings?: "now" | "later";
}

/**
 * Takes one input to rest: all of it or none of it. Timers due before it run first, each a step of its
 * own, and stay even when the input is refused.
 */
export function step(runnable: Runnable, situation: Situation, input: Input, options?: StepOptions): StepResult {
  const engine = engineOf(runnable);
  const later = options?.happenings !== "now";
  const quiet = later && input.kind === "action" ? quietly(engine, situation, input) : undefined;
  if (quiet) return { taken: [quiet], situation: quiet.situation };
  const taken: Taken[] = [];
  const result = advance(engine, situation, input, (t) => taken.push(t));
  return { taken, ...result };
}

/**
 * Takes an action as generated code, without words for what happens.
 *
 * @returns undefined when it is not admitted, a timer is due first, or something is wrong: then it is taken in the
 * ordinary way
 */
function quietly(engine: Engine, before: Situation, input: Input & { kind: "action" }): Taken | undefined {
  const { memory, steps } = engine;
  const time = Math.max(before.now, input.time ?? before.now);
  if (!steps.generator || input.dice || isDue(before, time)) return undefined;
  memory.load(before);
  memory.now = time;
  memory.happenings = null;
  try {
    if (!takeGenerated(engine, steps.generator, before.step, input)) return undefined;
    return new QuietlyTaken(engine, before, input, memory.publishWritable(before.step + 1));
  } catch (error) {
    if (error instanceof Fault) return undefined;
    throw error;
  }
}

/** A step whose happenings are worked out when they are first asked for. */
class QuietlyTaken implements Taken {
  private known: StepHappenings | undefined;

  constructor(
    private readonly engine: Engine,
    private readonly before: Situation,
    private readonly given: Input,
    readonly situation: Situation,
  ) {}

  get input(): Input {
    return { ...this.given, time: this.situation.now };
  }

  get happenings(): StepHappenings {
    if (!this.known) advance(this.engine, this.before, this.input, ({ happenings }) => (this.known = happenings));
    return this.known as StepHappenings;
  }
}
