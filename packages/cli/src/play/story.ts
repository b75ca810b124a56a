/** What a step did, in lines: dice, notes, signals, values stopped at their bounds. */

import { type Own, type Runnable, signalInWords, type Situation, stepLine, type Taken, valueInWords } from "@zany/core";
import { style } from "../terminal.js";

/** What happened in one step, without what it changed. */
export function stepStory(runnable: Runnable, before: Situation | undefined, taken: Taken): string[] {
  const { rolls, notes, clamped } = taken.happenings;
  const lines: string[] = [];
  if (taken.input.kind === "timer") lines.push(style("dim", `  timer ${taken.input.timer}`));
  if (rolls.length > 0) lines.push(style("dim", `  dice ${rolls.map((r) => `${r.value} (${r.range})`).join(", ")}`));
  for (const note of notes) lines.push(`  ${note.to === undefined ? "" : `to ${note.to}: `}${note.text}`);
  for (const signal of stepLine(runnable, before, taken).signals ?? [])
    lines.push(style("dim", `  signal ${signalInWords(signal)}`));
  const stopped = new Set(clamped.map(({ kept, wanted }) => `${kept} instead of ${wanted}`));
  if (stopped.size > 0) lines.push(style("dim", `  stopped at a bound: ${[...stopped].join(", ")}`));
  return lines;
}

/** Who did what by itself: `south (careful): slash(north)`. */
export function ownStory({ by, input }: Own): string[] {
  if (by === undefined) return [];
  const args = "args" in input ? Object.values(input.args ?? {}) : [];
  const what = input.kind === "action" ? input.action : input.kind === "event" ? `event ${input.event}` : input.kind;
  const values = args.map((value) => valueInWords(value as Parameters<typeof valueInWords>[0]));
  return [style("dim", `${by}: ${what}${values.length > 0 ? `(${values.join(", ")})` : ""}`)];
}
