/** Requests under way, so that the service can stop without cutting one off. */

import type { NextFunction, Request, Response } from "express";
import { Problem } from "./problems.js";

export class Requests {
  private underWay = 0;
  private closed = false;
  private readonly whenNone: (() => void)[] = [];

  /** Counts every request until it is answered; once closed, answers new ones with 503. */
  handler() {
    return (_request: Request, response: Response, next: NextFunction): void => {
      if (this.closed) {
        next(new Problem(503, "stopping", "The service is stopping.", {}, { "Retry-After": "5", Connection: "close" }));
        return;
      }
      this.underWay++;
      response.once("close", () => this.ended());
      next();
    };
  }

  /** Lets no new request in. */
  close(): void {
    this.closed = true;
  }

  /** Resolves when all requests under way have been answered. */
  async settled(): Promise<void> {
    if (this.underWay > 0) await new Promise<void>((resolve) => this.whenNone.push(resolve));
  }

  private ended(): void {
    this.underWay--;
    if (this.underWay === 0) for (const resolve of this.whenNone.splice(0)) resolve();
  }
}
