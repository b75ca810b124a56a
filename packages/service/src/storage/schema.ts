/** The database's tables, as they are now. */

import type { Generated } from "kysely";

export interface MachineRow {
  /** SHA-256 of the text and its parts: what a version is known by. */
  hash: string;
  name: string;
  /** 1 for the first version of this name, and so on. */
  version: number;
  text: string;
  /** The texts of the included files by their paths, JSON. */
  parts: string;
  /** SHA-256 of what the texts mean. */
  rules: string;
  /** What its author says of this version; may be empty. */
  words: string;
  created: string;
}

export interface MatchRow {
  id: string;
  /** The hash of the machine it is played on. */
  machine: string;
  /** The logbook's header, JSON. */
  header: string;
  step: number;
  /** The digest of the header and all lines up to `step`; see `chained`. */
  chain: string;
  /** The outcome, JSON, once it is over. */
  outcome: string | null;
  /** When the next timer is due, in milliseconds since 1970 UTC. */
  due: number | null;
  /** The next timer that would do something, as everybody may see it, with what it would do; JSON. */
  deadline: string | null;
  /** Why a match does not go on although it is not over: a fault in a timer. */
  suspended: string | null;
  /** When it was cancelled for good; RFC 3339, UTC. */
  cancelled: string | null;
  /** The time of a manual clock, in milliseconds since 1970 UTC; null for a match on real time. */
  manual_time: number | null;
  /** The policies of bots by their seats, JSON. */
  bots: string;
  /** 1 when its machine is large, so that it is played aside; else 0. */
  aside: number;
  /** The seats on turn, JSON; none for a match that does not go on. */
  turn: string;
  /** The person or host who began it, by id; null for one that nobody with a key began. */
  begun_by: string | null;
  /** 1 when a key was given out that speaks for its game; else 0. */
  hosted: number;
  /** The digest of what matches have in common that somebody who plays anyone may take: see `fittingOf`. */
  fitting: string;
  /** The seats that anybody may take, JSON; none for a match that does not go on. */
  free: string;
  /** How many of its seats must be held by somebody before anybody may act. */
  least: number;
  /** Who ended it without a result; null for one that was not cancelled. */
  cancelled_by: "host" | "admin" | "time" | null;
  /** The seats that have confirmed how it ended, JSON. */
  confirmed: string;
  /** The match it is the rematch of, and by how many seats everybody moved on. */
  rematch_of: string | null;
  moved_on: number;
  created: string;
  updated: string;
}

/** Somebody with a key of their own: a person, a guest, or a game's own server. */
export interface PersonRow {
  id: string;
  kind: "person" | "guest" | "host";
  /** What others invite them by: unique. */
  handle: string;
  /** The name that everybody sees. */
  name: string;
  created: string;
}

export interface KeyRow {
  /** SHA-256 of the key; the key itself is not kept. */
  key_hash: string;
  /** What it opens. A `link` is exchanged for a seat's key, a `ticket` stands for its parent for a while. */
  kind: "admin" | "person" | "seat" | "host" | "watcher" | "link" | "ticket";
  /** The match it is of; null for keys of people and of the admin. */
  match: string | null;
  seat: string | null;
  /** The person it is of, by id. */
  person: string | null;
  /** The digest of the key it was made with, and that it ends with. */
  parent: string | null;
  /** What its holder calls it: a device. */
  name: string;
  created: string;
  /** When it ends by itself, in milliseconds since 1970 UTC. */
  expires: number | null;
}

/** Who holds a seat, where that is not as it was when the match began: the host, and nobody in an open seat. */
export interface SeatRow {
  match: string;
  seat: string;
  /** `open` is a seat that a bot plays until somebody takes it. */
  kind: "person" | "link" | "host" | "open";
  /** For a person: who. */
  person: string | null;
  /** Whether it is held, was left, or is an invitation that waits, was declined or was withdrawn. */
  state: "held" | "left" | "waiting" | "declined" | "withdrawn";
  /** What whoever came by a link wants to be called. */
  name: string | null;
  /** How the game's own server calls its player. */
  external: string | null;
}

/** How a match ended for a seat. Kept when the match itself is not any more. */
export interface ResultRow {
  match: string;
  seat: string;
  /** The machine's name and version. */
  machine: string;
  version: number;
  /** The person who sat there, by id. */
  person: string | null;
  ending: string;
  result: "win" | "loss" | "draw" | "none";
  rank: number | null;
  score: number | null;
  /** How many steps it took, and how long by its own clock, in milliseconds. */
  steps: number;
  lasted: number;
  /** RFC 3339, UTC. */
  ended: string;
}

/** What a person is told of a match. */
export interface NoticeRow {
  id: Generated<number>;
  person: string;
  match: string;
  step: number;
  /** See `Notice`. */
  kind: string;
  /** Who caused it, as that client calls itself. */
  client: string | null;
  /** RFC 3339, UTC. */
  at: string;
}

export interface StepRow {
  match: string;
  step: number;
  /** The logbook's line, without its line end. */
  line: string;
  /** The client that caused it, as it calls itself; null when it does not, or nobody did. */
  client: string | null;
}

/** Something that was asked for and refused, where that is kept. */
export interface RefusalRow {
  match: string;
  /** Its number among those of the match, from 0 on. */
  number: number;
  /** The last step before it. */
  after: number;
  /** The logbook's line, without its line end. */
  line: string;
}

/** An address that is told what people are told: a webhook of the admin's, or of a game's own server. */
interface HookRow {
  id: string;
  /** The host whose matches it is told of, by id; null for the admin's, which is told of all. */
  owner: string | null;
  url: string;
  /** What its messages are signed with; it has to be known to sign. */
  secret: string;
  /** When it is tried next, in milliseconds since 1970 UTC, and how often it has failed since it took something. */
  next: number;
  failures: number;
  created: string;
}

/** A message to a webhook that has not been taken yet. */
export interface DeliveryRow {
  id: Generated<number>;
  hook: string;
  /** The notice, by its number. */
  notice: number;
  person: string;
  match: string;
  step: number;
  kind: string;
  at: string;
  attempts: number;
  /** 1 when it was given up; else 0. */
  dead: number;
  /** Why it was not taken when it was sent last, in words. */
  failed: string | null;
}

/** A request that was taken, so that a repeated one does no harm. */
export interface RequestRow {
  /** The match it was taken in; empty for one that began a match. */
  match: string;
  /** SHA-256 of the key it came with. */
  key_hash: string;
  /** The name that its sender gave it, or SHA-256 of it where the answer is kept. */
  name: string;
  /** SHA-256 of what was asked for. */
  content: string;
  /** The step it led to. */
  step: number;
  /** Its answer, sealed, where it cannot be made again: it holds a new key. */
  answer: Uint8Array | null;
  /** When it is forgotten, in milliseconds since 1970 UTC; null for as long as the match is kept. */
  expires: number | null;
}

/** A situation of a match, so that loading need not begin at the beginning. */
export interface SnapshotRow {
  match: string;
  step: number;
  /** The situation, canonical JSON: what the digest in the line of that step is of. */
  situation: string;
  /** `chained` of the lines up to that step. */
  chain: string;
  /** Ties the others and the header together; see `sealOf`. */
  seal: string;
}

/** Long work: verifying, exploring, simulating. */
export interface JobRow {
  position: Generated<number>;
  id: string;
  kind: "verify" | "explore" | "simulate" | "coverage";
  /** The hash of the version it is about; null for verifying each logbook on the newest of its name. */
  machine: string | null;
  /** What was asked for, JSON. */
  wish: string;
  state: "waiting" | "running" | "done" | "failed" | "cancelled";
  /** How far it came: a share from 0 to 1 where that is known, and in words. */
  share: number | null;
  words: string;
  /** What another process can go on from, JSON; null where it begins anew. */
  kept: string | null;
  /** What it came to, JSON; of verifying the parts are that. */
  result: string | null;
  /** Why it came to nothing. */
  problem: string | null;
  created: string;
  ended: string | null;
}

/** What a job that verifies has come to for one logbook, by its place among those that were asked for. */
interface JobPartRow {
  job: string;
  number: number;
  part: string;
}

/** Holds what is written to see whether the disk takes it. */
interface TouchRow {
  at: number;
}

export interface LogbookRow {
  /** Ascending number of storing, for the order of lists. */
  position: Generated<number>;
  id: string;
  name: string;
  machine_name: string;
  machine_hash: string;
  steps: number;
  outcome: string | null;
  created: string;
}

/** A piece of a long text; see `Pieces`. */
interface PieceRow {
  /** What it is of: the id of a logbook. */
  of: string;
  /** 0 for the first. */
  piece: number;
  bytes: Uint8Array;
}

/** What a version of this program found out about a version of a machine. */
export interface ReportRow {
  /** The machine's hash. */
  machine: string;
  /** The version of the program. */
  checker: string;
  /** JSON; see `MachineReport`. */
  report: string;
}

/** How a logbook goes on a version of its machine. */
export interface VerdictRow {
  logbook: string;
  /** The machine's hash. */
  machine: string;
  kind: string;
  /** Where it diverges; null otherwise. */
  step: number | null;
}

export interface Schema {
  machines: MachineRow;
  matches: MatchRow;
  people: PersonRow;
  keys: KeyRow;
  seats: SeatRow;
  notices: NoticeRow;
  results: ResultRow;
  hooks: HookRow;
  deliveries: DeliveryRow;
  steps: StepRow;
  refusals: RefusalRow;
  requests: RequestRow;
  snapshots: SnapshotRow;
  logbooks: LogbookRow;
  pieces: PieceRow;
  reports: ReportRow;
  verdicts: VerdictRow;
  touches: TouchRow;
  jobs: JobRow;
  job_parts: JobPartRow;
}
