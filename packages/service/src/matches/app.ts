/** Everything under `/api/matches`, from bodies to problems: the same for the service and for the thread aside. */

import { json, Router } from "express";
import type { Logger } from "pino";
import { problemHandler, refuseOtherThanUtf8 } from "../problems.js";
import type { Host } from "./host.js";
import { type Elsewhere, matchRoutes } from "./routes.js";

/** What is asked of a match is short. */
const LONGEST_BODY = "128kb";

/** @param elsewhere where the matches of large machines are played; undefined for the host that plays them */
export function matchesApp(host: Host, log: Logger, elsewhere?: Elsewhere): Router {
  const app = Router();
  app.use(json({ limit: LONGEST_BODY, verify: refuseOtherThanUtf8 }));
  app.use(matchRoutes(host, elsewhere));
  app.use(problemHandler(log));
  return app;
}
