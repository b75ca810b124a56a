/** A match in memory: what stands in the database for it. */

import type { Bots, ClockKind, MachineVersion } from "@zany/client/api";
import { type Header, nextTimer, type Runnable, type Situation } from "@zany/core";
import type { MatchRow, SeatRow } from "../storage/schema.js";

/** Who holds a seat, or is invited to it. */
export type Holder = Omit<SeatRow, "match" | "seat">;

/** By seat; without an entry it is the host's, or open where nobody sits. */
export type Holders = Readonly<Record<string, Holder>>;

/** The match as it is on the disk, which is what everybody sees. */
export interface LiveMatch extends MatchProgress {
  readonly id: string;
  readonly machine: MachineVersion;
  readonly runnable: Runnable;
  readonly header: Header;
  /** The header as it is stored. */
  readonly headerText: string;
  /** The person or host who began it, by id; null for one that nobody with a key began. */
  readonly begunBy: string | null;
  /** Whether somebody speaks for its game. */
  readonly hosted: boolean;
  /** What it has in common with others; see `fittingOf`. */
  readonly fitting: string;
  /** How many seats must be held by somebody before anybody may act. */
  readonly least: number;
  /** The match it is the rematch of, and by how many seats everybody moved on. */
  readonly rematchOf: string | null;
  readonly movedOn: number;
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
  /** Who did so: whoever began it, the admin, or nobody for too long. */
  cancelledBy: MatchRow["cancelled_by"];
  /** The seats that have confirmed how it ended. */
  confirmed: readonly string[];
  bots: Bots;
  holders: Holders;
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
  const { situation, chain, suspended, cancelled, cancelledBy, confirmed } = progress;
  const { bots, holders, manualTime, botSteps, idleTimers } = progress;
  return {
    situation,
    chain,
    suspended,
    cancelled,
    cancelledBy,
    confirmed,
    bots,
    holders,
    manualTime,
    botSteps,
    idleTimers,
  };
}
