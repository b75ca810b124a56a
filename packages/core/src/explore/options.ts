/** What a search is asked for, and who looks on. */

import type { Expr } from "../check/machine.js";
import type { Probes } from "../engine/code/probes.js";
import type { Given } from "../engine/matches/given.js";
import type { Measure } from "../engine/matches/measure.js";
import type { Engine } from "../engine/matches/runnable.js";
import type { Free } from "./free.js";
import type { Movers } from "./graph.js";
import type { Odometer } from "./odometer.js";
import type { Players } from "./players.js";
import type { ExploreFinding, ExploreProgress, Move } from "./report.js";
import type { Aim } from "./walk.js";

export interface ExploreOptions {
  readonly seats?: number;
  /** Seats that nobody has taken when it begins. */
  readonly open?: readonly string[];
  readonly given?: Given;
  /** Seats may be left and taken at any time; `one`: only while none is out. */
  readonly leaving?: boolean | "one";
  /** The game's events do not happen. */
  readonly noEvents?: boolean;
  /** The most situations, steps from the beginning, bytes, steps taken, and ways of rolling tried in one step. */
  readonly most?: {
    readonly situations?: number;
    readonly depth?: number;
    readonly bytes?: number;
    readonly steps?: number;
    readonly ways?: number;
  };
  /** A condition to look for: the search ends where it holds first. */
  readonly goal?: Expr;
  /** What is asked of situations afterwards; what it reads tells them apart. */
  readonly measures?: readonly Measure[];
  /** Makes what rolls in every way; one of another kind takes something down beside that. */
  readonly odometer?: () => Odometer;
  /** Only this law, by its words, counts as a finding. */
  readonly law?: string;
  /** Takes note of who moves where, for what best play comes to. */
  readonly movers?: Movers;
  /** How many steps are taken at random where not everything could be visited; none when not given. */
  readonly walk?: number;
  /** Less work than asked for, once little is left to look for: asked whenever something more was found. */
  readonly stillWanted?: (findings: readonly ExploreFinding[]) => Work;
  /** Every seat is played, and acts at once: what happens is a matter of chance alone. */
  readonly players?: Players;
  /** A seat among those that are played that does whatever it can; its moves are told apart. */
  readonly free?: Free;
  /** Seats that policies play: they do what those call for, all others whatever they can. */
  readonly bots?: Players;
  /** Looks for more than what goes wrong. */
  readonly lookout?: Lookout;
  /** The engine of another search of the same machine, number of seats and lookout, which is used again. */
  readonly engine?: Engine;
  /** Is told how far it came, now and then; the search ends when it gives false. */
  readonly progress?: (now: ExploreProgress) => boolean | undefined;
  /** Asked now and then: in words why it is to end, such as after a while; undefined while it goes on. */
  readonly ends?: () => string | undefined;
}

/** How many steps are taken in all: breadth first, and at random. */
export interface Work {
  readonly steps: number;
  readonly walk: number;
}

/** Somebody who looks for things, known by numbers, while situations are visited. */
export interface Lookout {
  /** What it listens to. */
  readonly probes: Probes;
  /** What it asks itself; what they read tells situations apart, as what it listens to does. */
  readonly asks: readonly Expr[];
  /**
   * Gets ready, before anything happens.
   *
   * @param intoBoxes puts data where conditions that it asks itself look for them; called before they are asked
   */
  begin(engine: Engine, intoBoxes: () => void): void;
  /** What it takes down of the way that leads to a situation. */
  readonly marks?: Marks;
  /** Looks at a situation that is come to first; the working memory holds it. */
  rest(engine: Engine): void;
  /** What it would be nearer to. */
  aims(): readonly Aim[];
  /** What it has seen since it was asked last. */
  seen(): readonly number[];
  /** It listens to what expressions come to, and to nothing else: steps are taken as if nobody looked. */
  readonly quiet?: Quiet | undefined;
}

/** What a lookout has seen and was not asked for yet. */
export interface Quiet {
  readonly hasSeen: boolean;
  /** Forgets it: the step is taken once more. */
  drop(): void;
  /** Something is seen no more. */
  settle(seen: number): void;
  /** Everything is seen again. */
  again(): void;
}

/** Bits that tell situations apart, beside their data. */
export interface Marks {
  /** How many there are, at most 31. */
  readonly bits: number;
  /** As a match begins. */
  readonly begun: number;
  /** In the situation at hand, and as what is done there changes them. */
  now: number;
}

/** Where something was seen: the situation, and what was done there; undefined where it showed by itself. */
export interface Sighting {
  readonly at: number;
  readonly move: Move | undefined;
  /** It stops with a fault; one that does not is kept instead. */
  readonly fails: boolean;
  /** How many steps it is from the beginning. */
  readonly depth: number;
}
