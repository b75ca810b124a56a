/** Every situation that a machine can reach: what can go wrong, what never happens, matches that show it. `@zany/core/explore`. */

export { type Best, bestPlay } from "../explore/best.js";
export { type Evidence, evidenceOf } from "../explore/evidence.js";
export {
  CannotExplore,
  Exploration,
  type Explored,
  type ExploreFinding,
  type ExploreFindingKind,
  type ExploreOptions,
  type ExploreProgress,
  type Incomplete,
} from "../explore/explore.js";
export { type Odds, oddsOf, type OddsOptions, type Probability } from "../explore/odds.js";
