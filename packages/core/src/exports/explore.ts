/**
 * Every situation that a machine can reach: what can go wrong, what never happens, matches that show it.
 * `@zany/core/explore`.
 */

export { type EndingsAtOnce, type ExploredWhole, exploreWhole } from "../coverage/whole.js";
export { neverIn, type WrittenChance } from "../explore/chances.js";
export { type Best, bestPlay } from "../explore/best.js";
export { evidenceOf } from "../explore/evidence.js";
export { Exploration } from "../explore/explore.js";
export type { ExploreOptions } from "../explore/options.js";
export { type Odds, oddsOf, type OddsOptions, type Probability } from "../explore/odds.js";
export { Players } from "../explore/players.js";
export {
  CannotExplore,
  type Explored,
  type ExploreFinding,
  type ExploreFindingKind,
  type ExploreProgress,
  FINDING_WORDS,
  type Incomplete,
} from "../explore/report.js";
