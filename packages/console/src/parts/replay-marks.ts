/** What is marked above the slider of a replay. */

import { inputInWords, type Logbook } from "@zany/core";
import type { Shown } from "./replay-step.js";
import type { Mark } from "./scrubber.js";

/**
 * What stands above the slider: where it diverges, where something was refused, where values were kept at bounds,
 * where a match was left or joined, where somebody else gets the turn.
 */
export function marksOf(steps: readonly Shown[], diverged: number, refused: Logbook["refused"]): Mark[] {
  const marks: Mark[] = diverged >= 0 ? [{ step: diverged, look: "bg-bad", words: "diverges" }] : [];
  for (const { after, refused: input } of refused)
    marks.push({ step: after, look: "bg-bad opacity-60", words: `refused: ${inputInWords(input)}` });
  for (const { line } of steps) {
    if (line.clamped) marks.push({ step: line.step, look: "bg-sail", words: "kept at a bound" });
    if (line.input.kind === "leave" || line.input.kind === "join")
      marks.push({
        step: line.step,
        look: "bg-sea",
        words: line.input.kind === "leave" ? "a seat is left" : "a seat is taken",
      });
    if (line.step > 0 && line.states.length === 0) marks.push({ step: line.step, look: "bg-ink", words: "it ends" });
  }
  // A turn is marked where nothing else is.
  const marked = new Set(marks.map(({ step }) => step));
  return [...marks, ...turnMarks(steps).filter(({ step }) => !marked.has(step))];
}

/** Where somebody else gets the turn; none where they would be a smear. */
function turnMarks(steps: readonly Shown[]): Mark[] {
  const marks: Mark[] = [];
  let last = "";
  for (const { line, turn } of steps) {
    const holders = turn.join(", ");
    if (holders !== "" && holders !== last)
      marks.push({ step: line.step, look: "bg-soft opacity-40", words: `turn of ${holders}` });
    if (holders !== "") last = holders;
  }
  return marks.length > MOST_TURNS ? [] : marks;
}

/** With more turns than this none is marked. */
const MOST_TURNS = 120;
