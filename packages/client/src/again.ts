/** Asking again until there is an answer: for requests that do no harm when they arrive twice. */

import { ServiceProblem } from "./problem.js";

/** Ways of no answer: the service is away, full, or begins just now. */
const PASSING: ReadonlySet<number> = new Set([0, 429, 502, 503, 504]);

const FIRST_PAUSE = 250;
const LONGEST_PAUSE = 5_000;

export interface Patience {
  /** How long to try, in milliseconds; 60,000 when not given. */
  readonly patience?: number;
  readonly signal?: AbortSignal;
}

/**
 * Asks until the service has answered, with pauses that grow, or with those that the service asks for.
 *
 * @param ask sends the request; it has a name of its own, so that it counts once however often it arrives
 * @throws ServiceProblem what the service refuses; or that there was no answer, when patience is at an end
 */
export async function untilAnswered<T>(ask: () => Promise<T>, { patience = 60_000, signal }: Patience): Promise<T> {
  const end = Date.now() + patience;
  for (let pause = FIRST_PAUSE; ; pause = Math.min(LONGEST_PAUSE, pause * 2)) {
    try {
      return await ask();
    } catch (error) {
      if (!(error instanceof ServiceProblem) || !PASSING.has(error.status)) throw error;
      const wait = Math.max(pause, error.retryAfter ?? 0);
      if (signal?.aborted || Date.now() + wait > end) throw error;
      await new Promise((resolve) => setTimeout(resolve, wait));
    }
  }
}
