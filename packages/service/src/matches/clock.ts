/** Wakes matches when their timers are due: one alarm, set for the earliest timer of all. */

import { type Situation, step, type Taken } from "@zany/core";
import type { Logger } from "pino";
import type { LiveMatch } from "./live.js";
import type { MatchRecords } from "./records.js";

/** The longest sleep in milliseconds; the clock may be set while the service sleeps. */
const MAX_SLEEP = 60_000;
/**
 * Timers that run one after the other with nobody doing anything; then the match sleeps for good, so that no clock
 * fills the disk.
 */
const MOST_IDLE_TIMERS = 100_000;

/** What the clock asks of the host. */
interface ClockHost {
  find(id: string): Promise<LiveMatch>;
  commit(match: LiveMatch, before: Situation, after: Situation, taken: readonly Taken[]): Promise<void>;
  suspend(id: string, why: string): Promise<void>;
}

export class MatchClock {
  private alarm: NodeJS.Timeout | undefined;
  private closed = false;

  constructor(
    private readonly host: ClockHost,
    private readonly records: MatchRecords,
    private readonly log: Logger,
  ) {}

  /** Sets the alarm for the earliest timer of all matches. */
  schedule(): void {
    if (this.closed) return;
    clearTimeout(this.alarm);
    const due = this.records.earliestDue();
    if (due === null) return;
    this.alarm = setTimeout(() => void this.ring(), Math.min(MAX_SLEEP, Math.max(0, due - Date.now())));
    this.alarm.unref();
  }

  private async ring(): Promise<void> {
    const now = Date.now();
    for (const id of await this.records.dueBy(now)) {
      try {
        await this.runTimers(id, now);
      } catch (error) {
        this.log.error({ err: error, match: id }, "a timer could not be run");
        await this.host.suspend(id, "its timer could not be run");
      }
    }
    this.schedule();
  }

  private async runTimers(id: string, now: number): Promise<void> {
    const match = await this.host.find(id);
    const before = match.head;
    const { taken, fault } = step(match.runnable, before, { kind: "time", time: now });
    match.idleTimers += taken.length;
    if (fault) match.suspended = fault.words;
    else if (match.idleTimers > MOST_IDLE_TIMERS)
      match.suspended = `its clock has run ${MOST_IDLE_TIMERS} timers with nobody doing anything`;
    await this.host.commit(match, before, taken.at(-1)?.situation ?? before, taken);
    if (match.suspended !== null) await this.host.suspend(id, match.suspended);
  }

  close(): void {
    this.closed = true;
    clearTimeout(this.alarm);
  }
}
