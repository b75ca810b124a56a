/** What goes over the wire, described once: the service answers with it, client and console read it. */

import type {
  ActionOption,
  Arguments,
  EventOption,
  Given,
  Outcome,
  Severity,
  StepLine,
  Verdict,
  View,
} from "@zany/core";

// ---- machines ----------------------------------------------------------------------------------

/** A stored version of a machine, as everything that mentions it names it. */
export interface MachineVersion {
  readonly name: string;
  /** 1 for the first version of its name, and so on. */
  readonly version: number;
  /** SHA-256 of its texts. */
  readonly hash: string;
  /** SHA-256 of what its texts mean: the same for versions that differ in layout, comments, tests or policies alone. */
  readonly rules: string;
}

export interface MachineInfo extends MachineVersion {
  /** RFC 3339, UTC. */
  readonly created: string;
}

/** What is known of a machine without reading it. It is found out in the background, after a version was stored. */
export interface MachineReport {
  /** What its author says of it, in one line; may be empty. */
  readonly description: string;
  readonly warnings: number;
  readonly hints: number;
  readonly tests: { readonly passed: number; readonly failed: number };
  readonly seats: { readonly least: number; readonly most: number };
  readonly states: number;
}

/** How the stored logbooks of a machine's name go on a version of it. */
export interface KeptMatches {
  readonly verified: number;
  readonly diverged: number;
  /** Not as they were written, or of another machine. */
  readonly damaged: number;
  /** Not looked at yet. */
  readonly waiting: number;
}

/** A version in the list of machines. */
export interface ListedMachine extends MachineInfo {
  /** Null while it is being found out. */
  readonly report: MachineReport | null;
  /** For the newest version of a name; null for the others. */
  readonly kept: KeptMatches | null;
  /** When a match of it was last played; RFC 3339, UTC. */
  readonly played: string | null;
}

export interface StoredMachine extends MachineInfo {
  readonly text: string;
  /** The texts of the included files, by their paths from the folder of the machine's file. */
  readonly parts: Parts;
}

/** The texts of included files, by their paths. */
export type Parts = Readonly<Record<string, string>>;

export interface NewMachine {
  readonly text: string;
  readonly parts?: Parts;
}

/** A machine that was just stored, with what the compiler says of it. */
export interface AddedMachine extends StoredMachine {
  readonly messages: readonly MessageInfo[];
}

/** A message of the compiler with its place. */
export interface MessageInfo {
  readonly name: string;
  readonly severity: Severity;
  readonly words: string;
  readonly help?: string;
  readonly file: string;
  readonly line: number;
  readonly column: number;
  readonly endLine: number;
  readonly endColumn: number;
  readonly related?: { readonly words: string; readonly line: number };
}

// ---- matches -----------------------------------------------------------------------------------

/** Whether time goes on by itself, or only by `wait`. */
export type ClockKind = "real" | "manual";

/** The policies of bots, by the seats they play. */
export type Bots = Readonly<Record<string, string>>;

export interface MatchInfo {
  readonly id: string;
  readonly machine: MachineVersion;
  readonly step: number;
  /** The seats on turn; none for a match that does not go on. */
  readonly turn: readonly string[];
  readonly outcome: Outcome | null;
  /** When the next timer is due, in milliseconds since 1970 UTC; null on a manual clock. */
  readonly due: number | null;
  /** Why it does not go on although it is not over. */
  readonly suspended: string | null;
  /** When it was cancelled for good; RFC 3339, UTC. */
  readonly cancelled: string | null;
  readonly created: string;
  readonly updated: string;
}

/** A match as one seat, the host or a watcher sees it. */
export interface SeenMatch {
  readonly id: string;
  readonly machine: MachineVersion;
  /** Whose eyes it is seen with; null for the host and for watchers. */
  readonly seat: string | null;
  readonly view: View;
  readonly options: readonly ActionOption[];
  readonly suspended: string | null;
  readonly cancelled: string | null;
  readonly clock: ClockKind;
  readonly bots: Bots;
  /** The policies that bots can play by. */
  readonly policies: readonly string[];
  /** The events the game can tell of; only for the holder of the host's key. */
  readonly events: readonly EventOption[];
}

export interface NewMatch {
  /** A machine by hash, by `Name@2`, or the newest by `Name`. */
  readonly machine: string;
  readonly seed?: string;
  readonly seats?: number;
  /** Seats that are left open for somebody to take. */
  readonly open?: readonly string[];
  readonly bots?: Bots;
  readonly clock?: ClockKind;
  /** Starting data and a starting state in place of the machine's own. */
  readonly given?: Given;
}

export interface BegunMatch extends SeenMatch {
  /** The key of each seat that is taken; told this once. */
  readonly keys: Readonly<Record<string, string>>;
  /** The key of the host: it tells of events, lets time pass on a manual clock, and puts bots into seats. */
  readonly hostKey: string;
}

/** A match with the key of the seat that was just taken; told this once. */
export interface JoinedMatch extends SeenMatch {
  readonly key: string;
}

/** What a seat asks to do. */
export interface ActionRequest {
  readonly action: string;
  readonly args?: Arguments;
  /** The step one believes to be current; an older one is refused as `stale`. */
  readonly step: number;
  /** A name of one's own for this request, so that sending it twice does no harm. */
  readonly request?: string;
}

/** What the game tells a match. */
export interface EventRequest {
  readonly event: string;
  readonly args?: Arguments;
  readonly request?: string;
}

/** An action with the arguments chosen so far. */
export interface OptionRequest {
  readonly action: string;
  readonly args?: Arguments;
}

/** How long to wait on a manual clock, in milliseconds; without, until the next timer. */
export interface WaitRequest {
  readonly by?: number;
}

/** Another version of the machine on which a suspended match goes on; without, the one it has. */
export interface ResumeRequest {
  readonly machine?: string;
}

/** The policy that shall play a seat; null gives it back to people. */
export interface BotRequest {
  readonly policy: string | null;
}

/** What the stream of a match carries: steps, and after them what is to be seen. */
export interface StreamEvents {
  readonly step: StepLine;
  readonly now: SeenMatch;
}

// ---- logbooks ----------------------------------------------------------------------------------

export interface LogbookInfo {
  readonly id: string;
  readonly name: string;
  /** What it was played on, by its header; that version need not be stored here. */
  readonly machine: Pick<MachineVersion, "name" | "hash">;
  readonly steps: number;
  readonly outcome: Outcome | null;
  readonly created: string;
}

export interface VerifyRequest {
  /** A stored version; without, the newest of the name that the logbook tells. */
  readonly machine?: string;
}

export interface VerifiedLogbook {
  readonly machine: MachineVersion;
  readonly verdict: Verdict;
}
