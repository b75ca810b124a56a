/** Why an action may be refused. */

/** The codes of refusals, in the order in which they are tested. */
export const REFUSAL_CODES = [
  "stale",
  "matchOver",
  "notSeated",
  "seatOut",
  "unknownAction",
  "notOpenHere",
  "alreadyReady",
  "notYourTurn",
  "badArgument",
  "needsFailed",
] as const;
export type RefusalCode = (typeof REFUSAL_CODES)[number];

/** Why a seat may not be taken or left. */
export const SEAT_REFUSALS = ["matchOver", "notSeated", "seatTaken", "seatOut", "cannotLeave"] as const;
