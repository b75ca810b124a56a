/** What of a machine its tests, kept matches, simulations and searches come to. `@zany/core/coverage`. */

export { Coverage, type Covered, type CoveredPair } from "../coverage/coverage.js";
export { COVER_WORDS, type CoveredKind, type CoverItem } from "../coverage/items.js";
export {
  type CoveredLine,
  coveredLines,
  type CoverageSum,
  lcovOf,
  marginText,
  missedIn,
  sumsOf,
} from "../coverage/report.js";
export {
  coverByLogbook,
  coverBySearch,
  coverBySimulation,
  coverByTests,
  type Missing,
  missingIn,
} from "../coverage/sources.js";
