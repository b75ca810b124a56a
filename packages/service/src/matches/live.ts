/** A match in memory, and what stands in the database for it. */

import type { Bots, ClockKind, MachineVersion } from "@zany/client/api";
import type { Header, Refusal, Runnable, Situation } from "@zany/core";
import { view } from "@zany/core";

/** `head` is ahead of `shown` only while its steps are on their way to the disk. */
export interface LiveMatch {
  readonly id: string;
  readonly machine: MachineVersion;
  readonly runnable: Runnable;
  readonly header: Header;
  head: Situation;
  shown: Situation;
  suspended: string | null;
  /** The time of a manual clock; null on real time. */
  manualTime: number | null;
  bots: Bots;
  /** Steps that bots have taken since a person did something. */
  botSteps: number;
  /** Timers that have run since anybody did something, or since the match was loaded. */
  idleTimers: number;
}

/** A match that begins its life in memory, everything shown. */
export function liveMatch(
  of: Pick<LiveMatch, "id" | "machine" | "runnable" | "header" | "suspended" | "manualTime" | "bots">,
  situation: Situation,
): LiveMatch {
  return { ...of, head: situation, shown: situation, botSteps: 0, idleTimers: 0 };
}

export function clockOf(match: LiveMatch): ClockKind {
  return match.manualTime === null ? "real" : "manual";
}

/** When the service has to wake a match, in milliseconds since 1970 UTC; never for one that does not go on. */
export function dueOf(match: LiveMatch): number | null {
  if (match.manualTime !== null || match.suspended !== null) return null;
  return view(match.runnable, match.head, null).due ?? null;
}

/** An input that was taken, or refused. */
export interface TakenInput {
  readonly match: LiveMatch;
  readonly refusal?: Refusal;
}

/** What belongs to an input besides itself. */
export interface InputExtras {
  /** The sender's name for the request, so that a repeated one is taken once. */
  readonly request?: string | undefined;
  /** Is written together with the step. */
  readonly also?: () => void;
  readonly byBot?: boolean;
}
