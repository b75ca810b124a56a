/** Wakes matches when their timers are due: one alarm, set for the earliest timer of all. */

import type { Logger } from "pino";
import { Problem } from "../problems.js";
import { StorageFails, type Writer } from "../storage/writer.js";
import type { Wish } from "./line.js";
import type { MatchRecords } from "./records.js";

/** The longest sleep in milliseconds; the clock may be set while the service sleeps. */
const MAX_SLEEP = 60_000;

/** What the clock asks of the host. */
interface ClockHost {
  take(id: string, wish: Wish): Promise<unknown>;
  suspend(id: string, why: string): Promise<void>;
}

export class MatchClock {
  private alarm: NodeJS.Timeout | undefined;
  /** The alarm is set anew at the end of this turn, once for all that happens in it. */
  private scheduling = false;
  private closed = false;
  private ringing = false;

  constructor(
    private readonly host: ClockHost,
    private readonly records: MatchRecords,
    private readonly writer: Writer,
    private readonly log: Logger,
  ) {}

  /** Sets the alarm for the earliest timer of all matches. While nothing can be written, timers wait. */
  schedule(): void {
    if (this.scheduling) return;
    this.scheduling = true;
    setImmediate(() => {
      this.scheduling = false;
      this.setAlarm();
    });
  }

  private setAlarm(): void {
    if (this.closed || this.ringing || this.writer.failing !== undefined) return;
    clearTimeout(this.alarm);
    const due = this.records.earliestDue();
    if (due === null) return;
    this.alarm = setTimeout(() => void this.ring(), Math.min(MAX_SLEEP, Math.max(0, due - Date.now())));
    this.alarm.unref();
  }

  private async ring(): Promise<void> {
    this.ringing = true;
    try {
      for (const id of await this.records.dueBy(Date.now())) {
        if (this.closed || this.writer.failing !== undefined) break;
        await this.wake(id);
      }
    } finally {
      this.ringing = false;
    }
    this.schedule();
  }

  private async wake(id: string): Promise<void> {
    try {
      await this.host.take(id, { input: () => ({ kind: "time", time: Date.now() }), from: "clock" });
    } catch (error) {
      if (error instanceof StorageFails || this.closed) return;
      this.log.error({ err: error, match: id }, "a timer could not be run");
      const why = error instanceof Problem ? error.message : "its timer could not be run";
      // When that cannot be written either, the clock comes again.
      await this.host.suspend(id, why).catch(() => {});
    }
  }

  close(): void {
    this.closed = true;
    clearTimeout(this.alarm);
  }
}
