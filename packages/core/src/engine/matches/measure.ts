/** Expressions that somebody asks of situations, beside the rules. */

import type { Expr } from "../../check/machine.js";
import type { Situation } from "../situation/situation.js";
import { Fault } from "../values/fault.js";
import { type Json, toJson } from "../values/json.js";
import { type Engine, engineOf, type Runnable } from "./runnable.js";

/** An expression, checked against the machine of the runnable it came with, and how it was written. */
export interface Measure {
  readonly words: string;
  readonly of: Expr;
}

/**
 * Makes a measure ready to be asked.
 *
 * @returns gives its value in a situation, or in what the working memory holds; undefined where it cannot be worked out
 */
export function measuring(engine: Engine, { of }: Measure): (situation?: Situation) => Json | undefined {
  const { memory, code } = engine;
  const get = code.aside.compile(of);
  return (situation) => {
    if (situation) memory.load(situation);
    const { effects, happenings } = memory;
    memory.happenings = null;
    try {
      return toJson(of.type, get(), memory.naming);
    } catch (error) {
      if (error instanceof Fault) return undefined;
      throw error;
    } finally {
      memory.effects = effects;
      memory.happenings = happenings;
    }
  };
}

/** What measures come to in situations, one after the other: of each measure, its values. */
export function valuesOf(
  runnable: Runnable,
  measures: readonly Measure[],
  situations: readonly (Situation | undefined)[],
): (Json | undefined)[][] {
  return measures.map((measure) => {
    const ask = measuring(engineOf(runnable), measure);
    return situations.map((situation) => situation && ask(situation));
  });
}
