/**
 * Kept matches looked at again: why a step did what it did, questions over a whole match, what differs between two
 * versions of a machine and which change makes a match diverge. `@zany/core/review`.
 */

export { situationsApart } from "../review/apart.js";
export { type Cause, causeOf } from "../review/cause.js";
export { type MadeTest, type Reason, testFrom, type TestFromOptions } from "../review/test-from.js";
export { type DivergedGroup, groupsOf, HOW_DIVERGED, type NamedVerdict } from "../review/groups.js";
export { type Variation, type VaryOptions, vary } from "../review/vary.js";
export { changesOf, type PieceChange, type Texts, withChanges } from "../review/pieces.js";
export { BadQuestion, holdsIn, type OwnCondition, ownCondition, ownMeasures } from "../review/own.js";
export {
  lastChange,
  lastOpen,
  type ReplayedTo,
  replayTo,
  turningPoints,
  type WhenOpen,
  type WhyStep,
  why,
} from "../review/questions.js";
