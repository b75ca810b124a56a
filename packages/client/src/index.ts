/** The typed client of a Zany Compass service: HTTP and streams. For Node 20 and browsers. */

export type { Patience } from "./again.js";
export type * from "./api.js";
export { ZanyClient } from "./client.js";
export { everyOne } from "./pages.js";
export type { FollowOptions, MatchUpdate, PersonUpdate } from "./follow.js";
export { ServiceProblem } from "./problem.js";
export { isOver, type KeptSeat, Seat, type Standing, type WantedSeat } from "./seat.js";
