/** A match in memory: what stands in the database for it. */

import type { Bots, ClockKind, MachineVersion } from "@zany/client/api";
import { type Header, nextTimer, type Runnable, type Situation } from "@zany/core";

/** The match as it is on the disk, which is what everybody sees. */
export interface LiveMatch extends MatchProgress {
  readonly id: string;
  readonly machine: MachineVersion;
  readonly runnable: Runnable;
  readonly header: Header;
  /** The header as it is stored. */
  readonly headerText: string;
}

/** What changes of a match. */
export interface MatchProgress {
  situation: Situation;
  /** The digest of all lines; see `chained`. */
  chain: string;
  /** Why it does not go on although it is not over. */
  suspended: string | null;
  /** When it was cancelled for good; RFC 3339, UTC. */
  cancelled: string | null;
  bots: Bots;
  /** The time of a manual clock; null on real time. */
  manualTime: number | null;
  /** Steps that bots have taken since a person did something. */
  botSteps: number;
  /** Timers that have run since anybody did something, or since the match was loaded. */
  idleTimers: number;
}

export function clockOf(match: MatchProgress): ClockKind {
  return match.manualTime === null ? "real" : "manual";
}

/** When the service has to wake a match, in milliseconds since 1970 UTC; never for one that does not go on. */
export function dueOf({ machine }: Runnable, progress: MatchProgress): number | null {
  const { situation, manualTime, suspended, cancelled } = progress;
  if (manualTime !== null || suspended !== null || cancelled !== null) return null;
  return nextTimer(machine, situation)?.due ?? null;
}

/** A copy of what changes, to be changed. */
export function progressOf(progress: MatchProgress): MatchProgress {
  const { situation, chain, suspended, cancelled, bots, manualTime, botSteps, idleTimers } = progress;
  return { situation, chain, suspended, cancelled, bots, manualTime, botSteps, idleTimers };
}
