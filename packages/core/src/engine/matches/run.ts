/** Running a match: many inputs in one working memory, equal to repeated `step`. */

import type { Input, Situation, Taken } from "../situation/situation.js";
import type { StepGenerator } from "../steps/step-generator.js";
import { Fault } from "../values/fault.js";
import { advance, faultReport, type RunResult, type Stop, takeAction, takeGenerated } from "./one-input.js";
import { type Engine, engineOf, type Runnable } from "./runnable.js";

/** What a chooser of inputs may look at without a situation being made for it. */
export interface Moment {
  readonly step: number;
  readonly over: boolean;
  /** The names of the seats on turn. */
  readonly turn: readonly string[];
  /** The situation, made when asked for. */
  readonly situation: Situation;
}

/**
 * Takes inputs one after the other until `next` gives none, the match is over, or one is not accepted.
 * Equal to repeated `step`, but nothing is made that nobody looks at: without a `sink`, no situations,
 * notes or rolls in between.
 *
 * @param next gives the next input for the moment, or undefined to stop
 * @param sink is told of every step taken
 */
export function run(
  runnable: Runnable,
  situation: Situation,
  next: (moment: Moment) => Input | undefined,
  sink?: (taken: Taken) => void,
): RunResult {
  return new Runner(engineOf(runnable), situation, sink).run(next);
}

/** How many inputs a run takes in place before it makes a situation to fall back on. */
const MAX_IN_PLACE = 1_024;

/** Runs inputs in one working memory, making situations only when asked. */
class Runner implements Moment {
  private readonly generator: StepGenerator | undefined;
  /** The last situation that was made, and the inputs taken in place since. */
  private current: Situation;
  private readonly since: (Input & { kind: "action" })[] = [];
  private loads = 0;
  step: number;

  constructor(
    private readonly engine: Engine,
    situation: Situation,
    private readonly sink: ((taken: Taken) => void) | undefined,
  ) {
    this.generator = engine.steps.generator;
    this.current = situation;
    this.step = situation.step;
  }

  get over(): boolean {
    return this.engine.memory.outcome !== null;
  }

  get turn(): readonly string[] {
    const { steps, memory } = this.engine;
    return this.generator ? this.generator.of(memory.configuration).turn() : steps.turns.namesNow();
  }

  get situation(): Situation {
    if (this.since.length > 0) this.fallBack();
    return this.current;
  }

  /** Makes a situation of what stands in the working memory. */
  private fallBack(): void {
    this.current = this.engine.memory.publish(this.step);
    this.since.length = 0;
  }

  run(next: (moment: Moment) => Input | undefined): RunResult {
    this.open();
    for (;;) {
      const input = this.over ? undefined : next(this);
      // The one who chooses may have looked at situations in the meantime, which fills the working memory.
      if (this.engine.memory.loads !== this.loads) this.retake();
      if (!input) return { situation: this.situation };
      const stop =
        this.sink || input.time !== undefined || input.dice || input.kind !== "action"
          ? this.slow(input, this.sink)
          : this.fast(input);
      if (stop) return stop;
    }
  }

  private slow(input: Input, sink: ((taken: Taken) => void) | undefined): RunResult | undefined {
    const result = advance(this.engine, this.situation, input, sink ?? (() => {}));
    this.current = result.situation;
    this.step = result.situation.step;
    this.open();
    return result.refusal || result.fault ? result : undefined;
  }

  private generated(generator: StepGenerator, input: Input & { kind: "action" }): Stop | undefined {
    try {
      if (takeGenerated(this.engine, generator, this.step, input)) return undefined;
    } catch (error) {
      if (error instanceof Fault) return { fault: faultReport(error) };
      throw error;
    }
    return takeAction(this.engine, this.step, input);
  }

  /** Takes the present situation into the working memory. */
  private open(): void {
    this.engine.memory.load(this.current);
    this.engine.memory.happenings = null;
    this.loads = this.engine.memory.loads;
  }

  /** Comes back to the moment from the last situation, by taking the inputs since then again. */
  private retake(): void {
    this.open();
    for (const [i, taken] of this.since.entries()) {
      if (i > 0) this.engine.memory.again();
      takeAction(this.engine, this.current.step + i, taken);
    }
  }

  /**
   * An action without a time of its own: taken in place. A refusal has written nothing. A fault may
   * have: then the inputs since the last situation are taken again, which gives what was before it, and
   * the action once more by those who can tell what is wrong.
   */
  private fast(input: Input & { kind: "action" }): RunResult | undefined {
    this.engine.memory.again();
    const stop = this.generator ? this.generated(this.generator, input) : takeAction(this.engine, this.step, input);
    if (!stop) {
      this.step++;
      if (this.since.push(input) >= MAX_IN_PLACE) this.fallBack();
      return undefined;
    }
    if ("refusal" in stop) return { situation: this.situation, ...stop };
    this.retake();
    return this.slow(input, undefined);
  }
}
