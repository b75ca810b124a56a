/** The bots of hosted matches: a little after one of them gets the turn, it acts. */

import { type Input, makeBot, type Runnable, view, wrongBot } from "@zany/core";
import type { Logger } from "pino";
import { Problem } from "../problems.js";
import { StorageFails } from "../storage/writer.js";
import type { Wish } from "./line.js";
import type { LiveMatch, MatchProgress } from "./live.js";

/** What a bot takes to think, in milliseconds, so that people can follow it. */
const THINKING = 250;
/** Steps that bots take one after the other before they wait for a person. */
const MOST_STEPS = 500;

/** What bots ask of the host. */
interface BotHost {
  find(id: string): Promise<LiveMatch>;
  take(id: string, wish: Wish): Promise<unknown>;
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
    const { suspended, cancelled, situation, bots } = match;
    if (suspended !== null || cancelled !== null || situation.outcome || Object.keys(bots).length === 0) return;
    this.thinking.add(id);
    setTimeout(() => {
      this.thinking.delete(id);
      if (this.closed) return;
      this.act(id).catch((error: unknown) => {
        if (!(error instanceof StorageFails)) this.log.error({ err: error, match: id }, "a bot could not act");
      });
    }, THINKING).unref();
  }

  private async act(id: string): Promise<void> {
    const match = await this.host.find(id);
    await this.host.take(id, { input: (now) => this.choice(match, now), from: "bot" });
  }

  /** What the first bot on turn does; undefined when none is, or it can do nothing. */
  private choice({ runnable, header }: LiveMatch, { situation: now, bots }: MatchProgress): Input | undefined {
    for (const seat of view(runnable, now, null).turn) {
      const policy = bots[seat];
      if (policy === undefined) continue;
      // A seed for every step: what a bot does depends on nothing but the match.
      const input = makeBot(runnable, policy, `${header.seed} ${seat} ${now.step}`)?.choose(now, seat);
      if (input) return { ...input, step: now.step } as Input;
    }
    return undefined;
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
