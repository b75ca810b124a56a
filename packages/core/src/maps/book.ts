/** A judged match as a logbook: what the machine comes to by the inputs that explain the log. */

import { begin } from "../engine/matches/begin.js";
import type { Runnable } from "../engine/matches/runnable.js";
import { step } from "../engine/matches/step.js";
import { LogbookWriter } from "../logbook/write.js";
import type { Judgement } from "./judge.js";

/**
 * The whole logbook.
 *
 * @param runnable the machine by itself, without the mapping @param digestEvery how many steps a digest stands for
 * @returns undefined when the match could not even be begun
 */
export function bookOf(runnable: Runnable, { course }: Judgement, digestEvery?: number): string | undefined {
  if (!course) return undefined;
  const { taken: first } = begin(runnable, course.how);
  if (!first) return undefined;
  let text = "";
  const write = (line: string): void => {
    text += line;
  };
  const writer = new LogbookWriter(runnable, course.how, first, write, digestEvery);
  let { situation } = first;
  for (const input of course.inputs) {
    const result = step(runnable, situation, input, { happenings: "now" });
    for (const taken of result.taken) writer.add(taken);
    ({ situation } = result);
  }
  writer.close();
  return text;
}
