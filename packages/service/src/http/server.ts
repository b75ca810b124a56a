/** The server that an Express app answers behind. */

import { createServer, IncomingMessage, type Server, ServerResponse } from "node:http";
import type { Express } from "express";

/**
 * A server whose requests and answers are made with the app's own prototypes. Express gives them these one by one
 * otherwise, and an object whose prototype was changed has a shape of its own, so that whatever is read from it or set
 * is looked up anew: that takes about half of what a short request costs.
 */
export function serverOf(app: Express): Server {
  class AppRequest extends IncomingMessage {}
  class AppResponse extends ServerResponse {}
  app.request = Object.setPrototypeOf(AppRequest.prototype, app.request);
  app.response = Object.setPrototypeOf(AppResponse.prototype, app.response);
  return createServer({ IncomingMessage: AppRequest, ServerResponse: AppResponse }, app);
}
