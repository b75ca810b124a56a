/** Long work on a machine, as plain wishes and answers, for workers and jobs. `@zany/core/long-work`. */

export { exampleMatch } from "../long-work/example-match.js";
export {
  CannotWork,
  type CoverageResult,
  type CoverageWish,
  type EvidenceWish,
  type ExploreResult,
  type ExploreWish,
  type JobWish,
  type JudgedMatch,
  type JudgeResult,
  type JudgeWish,
  type Kept,
  type ShownFinding,
  type SimulateResult,
  type SimulateWish,
  type Wish,
  type WorkProgress,
  type WorkResults,
} from "../long-work/wishes.js";
export { work, type WorkedOn, type WorkOptions } from "../long-work/work.js";
