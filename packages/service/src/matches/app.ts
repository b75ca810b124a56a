/** Everything under `/api/matches`, from bodies to problems: the same for the service and for the thread aside. */

import { json, Router } from "express";
import type { Logger } from "pino";
import { problemHandler, refuseOtherThanUtf8 } from "../problems.js";
import type { MatchDoors } from "./asking.js";
import { matchRoutes } from "./routes.js";

/** What is asked of a match is short. */
const LONGEST_BODY = "128kb";

export function matchesApp(doors: MatchDoors, log: Logger): Router {
  const app = Router();
  // Those played elsewhere are passed on before their bodies are read.
  if (doors.elsewhere) app.use(doors.elsewhere.handler((id) => doors.host.holds(id)));
  app.use(json({ limit: LONGEST_BODY, verify: refuseOtherThanUtf8 }));
  matchRoutes(app, doors);
  app.use(problemHandler(log));
  return app;
}
