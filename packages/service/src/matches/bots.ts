/** The bots of hosted matches: a little after one of them gets the turn, it acts. */

import { type Input, makeBot, type Runnable, view, wrongBot } from "@zany/core";
import type { Logger } from "pino";
import { Problem } from "../problems.js";
import type { InputExtras, LiveMatch } from "./live.js";

/** What a bot takes to think, in milliseconds, so that people can follow it. */
const THINKING = 250;
/** Steps that bots take one after the other before they wait for a person. */
const MOST_STEPS = 500;

/** What bots ask of the host. */
interface BotHost {
  find(id: string): Promise<LiveMatch>;
  take(id: string, input: Input, extras: InputExtras): Promise<unknown>;
}

export class Bots {
  private readonly thinking = new Set<string>();
  private closed = false;

  constructor(
    private readonly host: BotHost,
    private readonly log: Logger,
  ) {}

  /** Lets the bots of a match act, a little later, when one of them is on turn. */
  wake(match: LiveMatch): void {
    const { id } = match;
    if (this.closed || this.thinking.has(id) || match.botSteps >= MOST_STEPS) return;
    if (match.suspended !== null || match.head.outcome || Object.keys(match.bots).length === 0) return;
    this.thinking.add(id);
    setTimeout(() => {
      this.thinking.delete(id);
      if (!this.closed)
        this.act(id).catch((error: unknown) => this.log.error({ err: error, match: id }, "a bot could not act"));
    }, THINKING).unref();
  }

  private async act(id: string): Promise<void> {
    const match = await this.host.find(id);
    const { runnable, head, header } = match;
    for (const seat of view(runnable, head, null).turn) {
      const policy = match.bots[seat];
      if (policy === undefined) continue;
      // A seed for every step: what a bot does depends on nothing but the match.
      const input = makeBot(runnable, policy, `${header.seed} ${seat} ${head.step}`)?.choose(head, seat);
      if (!input) continue;
      await this.host.take(id, { ...input, step: head.step }, { byBot: true });
      return;
    }
  }

  close(): void {
    this.closed = true;
  }
}

/** @throws Problem 422 for a seat or policy that a match does not have */
export function needPolicy(runnable: Runnable, seats: readonly string[], seat: string, policy: string): void {
  const wrong = wrongBot(runnable, seats, seat, policy);
  if (wrong) throw new Problem(422, wrong.code, wrong.words);
}
