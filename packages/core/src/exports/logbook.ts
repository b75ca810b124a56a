/** Matches written down: writing, reading, replaying and verifying logbooks. `@zany/core/logbook`. */

export { canonicalJson } from "../logbook/canonical.js";
export {
  type ClosingLine,
  DIGEST_EVERY,
  type Header,
  type LineClamp,
  type LineInput,
  type LineNote,
  type LineRoll,
  type LineSignal,
  LOGBOOK_FORMAT,
  type RefusedLine,
  type StepLine,
  timeText,
} from "../logbook/format.js";
export { type Logbook, NotALogbook, readLogbook } from "../logbook/read.js";
export { beginOptions, type Difference, inputFrom, type ReplayedStep, Replayer } from "../logbook/replay.js";
export { seenHeader, seenLine } from "../logbook/seen.js";
export type { Responsible } from "../logbook/responsible.js";
export {
  type Diverged,
  type HowDiverged,
  splitLines,
  type Verdict,
  type VerifyOptions,
  verify,
  verifyText,
} from "../logbook/verify.js";
export { inputInWords, noteInWords, signalInWords, valueInWords } from "../logbook/words.js";
export {
  closingLine,
  headerOf,
  isWritten,
  LogbookWriter,
  refusedLine,
  situationDigest,
  stepLine,
} from "../logbook/write.js";
