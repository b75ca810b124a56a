/** The typed client of a Zany Compass service: HTTP and events. For Node 20 and browsers. */

export type { FollowOptions, MatchEvent, SeenMatch } from "./follow.js";
export { ServiceProblem } from "./problem.js";
export {
  type BegunMatch,
  type LogbookInfo,
  type MachineInfo,
  type MatchInfo,
  type MessageInfo,
  type NewMatch,
  type StoredMachine,
  type VerifiedLogbook,
  ZanyClient,
} from "./client.js";
