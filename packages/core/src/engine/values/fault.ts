/** Mistakes of a machine found while it runs. */

import type { Span } from "../../language/source.js";

/** The stable names of faults. */
export type FaultCode =
  | "divisionByZero"
  | "missingIndex"
  | "missingKey"
  | "noneUsed"
  | "notActive"
  | "outOfRange"
  | "emptyPick"
  | "badWeights"
  | "emptyRange"
  | "badRoll"
  | "listFull"
  | "textTooLong"
  | "notACell"
  | "noNextSeat"
  | "noBranch"
  | "overlayAgain"
  | "endlessLoop"
  | "tooManyEffects"
  | "tooManyRolls"
  | "tooManySignals"
  | "tooLarge"
  | "lawBroken"
  | "resultTwice"
  | "noResult";

/** Thrown inside a step and caught at its edge, where the step is dropped as a whole. */
export class Fault extends Error {
  constructor(
    readonly code: FaultCode,
    readonly at: Span,
    words: string,
  ) {
    super(words);
  }
}
