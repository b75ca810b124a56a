/** What long work on a machine is asked for, how far it tells that it came, and what it comes to: all plain data. */

import type { Message } from "../language/message.js";
import type { Covered, CoveredPair } from "../coverage/coverage.js";
import type { Missing } from "../coverage/sources.js";
import type { Evidence } from "../language/message.js";
import type { Explored, ExploreFinding } from "../explore/report.js";
import type { Judgement } from "../maps/judge.js";
import type { SweepPoint } from "../formats/tally-plots.js";
import type { GamePlayer } from "../search/simulate.js";
import type { Tally } from "../search/tally.js";

/** A wish that makes no sense for the machine, in words for whoever wished. */
export class CannotWork extends Error {}

/** Every situation is visited; with a goal, a condition, the shortest way to where it holds is looked for. */
export interface ExploreWish {
  readonly kind: "explore";
  /** The most that are visited. */
  readonly situations: number;
  readonly goal?: string;
}

export interface SimulateWish {
  readonly kind: "simulate";
  readonly matches: number;
  readonly seed: string;
  /** The bot of each seat, by name, or a mixture; seats that are left out play `wary`. */
  readonly bots: Readonly<Record<string, string>>;
  /** Who plays the game's part; `random` without. */
  readonly game?: GamePlayer;
  /** Expressions that are counted too. */
  readonly of: readonly string[];
  /** Starting data that are varied: `kites.north.lift=5..15`. */
  readonly vary: readonly string[];
  /** Counts what each roll of the rules came to. */
  readonly rolls?: boolean;
}

/** What tests come to, and so many matches at random, and so many steps of a search. */
export interface CoverageWish {
  readonly kind: "coverage";
  readonly matches: number;
  readonly steps: number;
  /** How many steps are taken to look for matches that cover what nothing does; none when left out. */
  readonly look?: number;
  /** Kept matches count too, as far as whoever does the work has any. */
  readonly kept?: boolean;
}

/** The messages of a text with the matches that show them. */
export interface EvidenceWish {
  readonly kind: "evidence";
}

/** A game's own log is judged; without a mapping one is proposed first. */
export interface JudgeWish {
  readonly kind: "judge";
  readonly log: string;
  readonly map?: string;
  /** How a mapping that is proposed names the file of the machine. */
  readonly machineFile: string;
}

/** What a service takes on as a job. */
export type JobWish = ExploreWish | SimulateWish | CoverageWish;

export type Wish = JobWish | EvidenceWish | JudgeWish;

/** Something that a search came to, with the match that shows it. */
export interface ShownFinding extends Pick<ExploreFinding, "words" | "depth"> {
  readonly kind: ExploreFinding["kind"] | "atOnce" | "secret";
  readonly position?: number;
  readonly evidence?: Evidence;
}

export interface ExploreResult extends Omit<Explored, "findings" | "goal" | "holdsFor"> {
  /** Missing in what was kept by versions that did not tell it. */
  readonly holdsFor?: readonly string[];
  /** What was looked for, and the way there; without a depth it was not come to. */
  readonly goal?: { readonly words: string; readonly depth?: number; readonly evidence?: Evidence };
  readonly findings: readonly ShownFinding[];
  /** How many steps were taken in pairs of matches to look for secrets that show; missing where nothing is secret. */
  readonly secretSteps?: number;
  readonly branches: readonly Covered[];
}

export interface CoverageResult {
  readonly items: readonly Covered[];
  readonly pairs: readonly CoveredPair[];
  readonly lcov: string;
  /** What nothing covers, in the order of the items, with matches that would; where it was looked for those. */
  readonly missing?: readonly Missing[];
  /** How many kept matches were counted of how many there are, and their steps; where they were asked for. */
  readonly kept?: { readonly counted: number; readonly of: number; readonly steps: number };
}

/**
 * What one simulation has counted, and by which wish, so that its matches can be played again (missing in what was kept
 * by versions that did not tell it); or one for each point of a sweep.
 */
export type SimulateResult =
  | { readonly tally: Tally; readonly by?: Pick<SimulateWish, "seed" | "bots" | "game"> }
  | { readonly sweep: readonly SweepPoint[] };

/** A match of a log as it was judged, and the logbook of one way that explains it. */
export interface JudgedMatch extends Omit<Judgement, "course"> {
  /** Missing where not even a beginning is explained. */
  readonly logbook?: string;
}

export interface JudgeResult {
  /** The mapping: the one that was given, or the one that is proposed. */
  readonly map: string;
  /** What is wrong with it, by offsets in it: with any, nothing is judged. */
  readonly messages: readonly Message[];
  /** Why the log cannot be read as it says. */
  readonly unreadable?: { readonly line: number; readonly words: string };
  readonly matches: readonly JudgedMatch[];
}

/** What each kind of work comes to. */
export interface WorkResults {
  readonly judge: JudgeResult;
  readonly evidence: readonly Message[];
  readonly explore: ExploreResult;
  readonly simulate: SimulateResult;
  readonly coverage: CoverageResult;
}

/** How far it came: a share from 0 to 1 where that is known, in words, and what is known so far. */
export interface WorkProgress {
  readonly share?: number;
  readonly words: string;
  readonly soFar?: Tally;
}

/** What a simulation has done, so that another process can go on from there. */
export interface Kept {
  /** The points of the grid that are done; of a simulation without one there is one point. */
  readonly points: readonly SweepPoint[];
  /** The matches of the next point that were played: so many, and what they come to. */
  readonly matches: number;
  readonly tally: Tally | null;
}
