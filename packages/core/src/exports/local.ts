/** Matches at one keyboard, and trials of a text that is still being written. `@zany/core/local`. */

export {
  type AskedSeat,
  CannotBegin,
  LocalMatch,
  type LocalOptions,
  NoSuchBot,
  type Own,
} from "../local/local-match.js";
export { diceFrom, type Departure, Trial, type TrialSource } from "../local/trial.js";
export { matchTest } from "../local/match-test.js";
export type { Typed } from "../local/typed-line.js";
export { type Waiting, waiting } from "../local/waiting.js";
