/** The typed client of a Zany Compass service: HTTP and streams. For Node 20 and browsers. */

export type * from "./api.js";
export { ZanyClient } from "./client.js";
export type { FollowOptions, MatchUpdate, PersonUpdate } from "./follow.js";
export { ServiceProblem } from "./problem.js";
