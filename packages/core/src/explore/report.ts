/** What a search has found, as it is told. */

import type { Move as Happening } from "../engine/matches/moves.js";
import type { Input } from "../engine/situation/situation.js";
import type { Fault } from "../engine/values/fault.js";

export interface ExploreProgress {
  readonly situations: number;
  /** How many of them wait to be gone on from. */
  readonly waiting: number;
  readonly depth: number;
  readonly bytes: number;
}

/**
 * `law`: a law breaks; `fault`: a step is at fault; `stuck`: nothing can happen any more, and it is not over; `idle`: a
 * seat is on turn and has nothing open; `noEnding`: no ending can be reached any more.
 */
export type ExploreFindingKind = "law" | "fault" | "stuck" | "idle" | "noEnding";

/** How each is told of; and two endings that can be come to at once, and secrets, which a whole search looks for. */
export const FINDING_WORDS: Readonly<Record<ExploreFindingKind | "atOnce" | "secret", string>> = {
  law: "a law breaks",
  fault: "a step is at fault",
  stuck: "nothing can happen any more",
  idle: "on turn with nothing open",
  noEnding: "no ending can be reached any more",
  atOnce: "two endings at once",
  secret: "a secret shows",
};

/** Something that can happen and hardly is meant to. */
export interface ExploreFinding {
  /** What it is known by in its search. */
  readonly key: string;
  readonly kind: ExploreFindingKind;
  readonly words: string;
  /** Where in the machine's text; undefined where it is no one place. */
  readonly position?: number;
  /** The innermost state in which a match is stuck, or a seat has nothing open. */
  readonly state?: number;
  /** What stopped the step. */
  readonly fault?: Fault;
  /** The situation in which it shows, and what is done there for it to show. */
  readonly at: number;
  readonly move?: Move;
  /** How many steps it is from the beginning. */
  readonly depth: number;
}

/** What is done in a step, with its rolls. */
export interface Move {
  readonly does: Happening;
  readonly input: Input;
  readonly dice: readonly (number | boolean)[];
  /** It is not made: it is only asked whether, and how, an action is open. */
  readonly asked?: boolean;
}

/** A match: the situation it begins in, the rolls of step 0, and every move with its rolls. */
export interface Way {
  readonly begin: number;
  readonly dice: readonly (number | boolean)[];
  readonly moves: readonly Move[];
}

/** Why not all that can happen was tried. */
export interface Incomplete {
  readonly words: string;
  readonly position?: number;
}

export interface Explored {
  readonly situations: number;
  /** Steps that were taken from them, each way of rolling counted. */
  readonly steps: number;
  /** Of them those that were taken at random, behind what was visited whole. */
  readonly walked: number;
  readonly depth: number;
  readonly bytes: number;
  /** Everything was visited: what was not found does not happen, but for what `incomplete` tells. */
  readonly complete: boolean;
  readonly incomplete: readonly Incomplete[];
  /** What it speaks of: seats, leaving, events, what was given, times; each in words. */
  readonly holdsFor: readonly string[];
  /** Data that no rule can see, and that are no part of what tells situations apart. */
  readonly unseen: readonly string[];
  readonly findings: readonly ExploreFinding[];
  /** By ending, how many situations it is come to in, and the first of them. */
  readonly endings: readonly { readonly ending: string; readonly situations: number; readonly first: number }[];
  /** States, actions and endings that were never met, and seats that were never on turn. */
  readonly never: {
    readonly states: readonly string[];
    readonly actions: readonly string[];
    readonly endings: readonly string[];
    readonly seats: readonly string[];
  };
  /** The first situation in which the goal holds. */
  readonly goal?: { readonly at: number; readonly depth: number };
}

/** A match cannot be begun so. */
export class CannotExplore extends Error {
  /** @param fault what stops it, when that is a mistake of the machine */
  constructor(
    words: string,
    readonly fault?: Fault,
  ) {
    super(words);
  }
}
