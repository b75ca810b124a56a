/** The typed client of a Zany Compass service: HTTP and events. For Node 20 and browsers. */

export { type FollowOptions, type MatchEvent } from "./follow.js";
export {
  type BegunMatch,
  type LogbookInfo,
  type MachineInfo,
  type MatchInfo,
  type MessageInfo,
  type NewMatch,
  type SeenMatch,
  ServiceProblem,
  type StoredMachine,
  type VerifiedLogbook,
  ZanyClient,
} from "./client.js";
