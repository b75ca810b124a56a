/**
 * Walks at random where not everything can be visited. Most walks have an aim, and go where that is nearer: a
 * condition says by how much it does not hold, as tests are searched for by branch distances (Korel, 1990).
 */

import type { Configuration } from "../engine/situation/configuration.js";

/** How far what the working memory holds is from what is looked for; undefined once that was seen. */
export type Aim = () => number | undefined;

/** What can be done in a situation: one of so many. */
export interface Choices<C> {
  readonly configuration: Configuration;
  readonly count: number;
  choice(i: number): C;
}

/** Where it is walked: the situations that have been found, by their numbers. */
export interface Ground<C> {
  /** How many situations were found, and from how many of them everything was tried. */
  readonly count: number;
  readonly visited: number;
  /** A match begins in one of several ways. */
  readonly beginsOtherwise: boolean;
  beginAtRandom(): number;
  choicesOf(at: number): Choices<C>;
  /** What kind of move a choice is. */
  kindOf(choice: C): string;
  /** Takes a choice. @returns where it leads; undefined for a fault, or when it cannot be taken */
  walkBy(at: number, choice: C): { readonly reached: number; readonly isOver: boolean } | undefined;
}

/** Between how many moves a walk chooses, with an aim, and after how many steps it begins anew. */
const CANDIDATES = 3;
const TOWARDS = 10;
const LONGEST = 400;
/** After how many with an aim: from a situation near to it, what comes next counts more than what comes much later. */
const LONGEST_AIMED = 80;
/** Of how many steps into an ending a walk takes one. */
const STAYS = 8;
/** Listing so many moves takes as long as a step. */
const LISTED = 40;
/** Of how many walks one has no aim. */
const AIMLESS = 4;
/** Of how many steps with an aim one is taken without minding it. */
const ASTRAY = 12;
/** How many of the situations nearest to an aim are kept, to go on from. */
const NEAREST = 64;

interface Aimed {
  readonly aim: Aim;
  readonly near: { readonly at: number; readonly distance: number }[];
}

export class Walk<C> {
  private readonly taken = new Map<Configuration, Map<string, number>>();
  private readonly aimed: Aimed[];
  private at = 0;
  private length = LONGEST;
  private walks = 0;
  private current: Aimed | undefined;

  /** @param below gives a whole number from 0 up to, not including, another */
  constructor(
    private readonly ground: Ground<C>,
    private readonly below: (count: number) => number,
    aims: readonly Aim[],
  ) {
    this.aimed = aims.map((aim) => ({ aim, near: [] }));
  }

  /** Goes a step further. @returns how many steps were tried for it */
  step(): number {
    const { ground, current } = this;
    if (this.length >= (this.current ? LONGEST_AIMED : LONGEST)) this.restart();
    const choices = ground.choicesOf(this.at);
    const { configuration, count } = choices;
    if (count === 0) {
      this.restart();
      return 1;
    }
    const listed = Math.floor(count / LISTED);
    this.length++;
    if (current && this.below(ASTRAY) > 0) return listed + this.stepTowards(current, choices);
    const counts = this.taken.get(configuration) ?? new Map<string, number>();
    this.taken.set(configuration, counts);
    let choice = this.any(choices);
    for (let i = 1; i < CANDIDATES; i++) {
      const other = this.any(choices);
      if ((counts.get(ground.kindOf(other)) ?? 0) < (counts.get(ground.kindOf(choice)) ?? 0)) choice = other;
    }
    const kind = ground.kindOf(choice);
    counts.set(kind, (counts.get(kind) ?? 0) + 1);
    // Asking what is open takes longer than a step: another is tried beside the way, which is gone on from later.
    ground.walkBy(this.at, this.any(choices));
    const went = ground.walkBy(this.at, choice);
    // A match that is over leads no further: mostly something else is done there instead.
    if (went && (!went.isOver || this.below(STAYS) === 0)) this.at = went.reached;
    return listed + 2;
  }

  /** Of a few moves the one that leads nearest is taken. */
  private stepTowards({ aim, near }: Aimed, choices: Choices<C>): number {
    let best: Aimed["near"][number] | undefined;
    for (let i = 0; i < TOWARDS; i++) {
      const went = this.ground.walkBy(this.at, this.any(choices));
      if (!went || went.isOver) continue;
      const distance = aim();
      if (distance === undefined) {
        this.length = LONGEST;
        return i + 1;
      }
      if (!best || distance < best.distance) best = { at: went.reached, distance };
    }
    if (!best) {
      // It leads into endings alone: nothing more comes of it.
      const here = near.findIndex(({ at }) => at === this.at);
      if (here >= 0) near.splice(here, 1);
      this.length = LONGEST;
      return TOWARDS;
    }
    this.at = best.at;
    const last = near.at(-1);
    if ((near.length < NEAREST || (last && best.distance < last.distance)) && !near.some(({ at }) => at === best.at)) {
      near.push(best);
      near.sort((a, b) => a.distance - b.distance);
      near.length = Math.min(near.length, NEAREST);
    }
    return TOWARDS;
  }

  /**
   * Begins another walk: half of them where not everything was tried yet, some anew where dice decide how a match
   * begins, half of those with an aim near to it.
   */
  private restart(): void {
    const { ground, below } = this;
    this.length = 0;
    this.walks++;
    const open = this.aimed.filter(({ aim }) => aim() !== undefined);
    this.current = open.length > 0 && this.walks % AIMLESS > 0 ? open[this.walks % open.length] : undefined;
    const near = this.current?.near ?? [];
    if (near.length > 0 && below(2) === 0) {
      this.at = near[below(near.length)]?.at ?? 0;
      return;
    }
    const from = ground.visited < ground.count && below(2) === 0 ? ground.visited : 0;
    this.at = ground.beginsOtherwise && below(3) === 0 ? ground.beginAtRandom() : from + below(ground.count - from);
  }

  private any({ count, choice }: Choices<C>): C {
    return choice(this.below(count));
  }
}
