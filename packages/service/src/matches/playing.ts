/** The matches in memory, each with its line of inputs: those used longest ago are let go while all take too much. */

import { dataSize, type Runnable } from "@zany/core";
import type { MatchLine } from "./line.js";
import type { LiveMatch } from "./live.js";

/**
 * How much of matches is kept in memory, in bytes: their machines, for each character of their data ten, and what every
 * match takes.
 */
const MOST = 256_000_000;
const PER_CHARACTER = 10;
const PER_MATCH = 20_000;
/** How often it is looked anew how large a match has become, in steps. */
const LOOK_EVERY = 64;

export interface Playing {
  readonly match: LiveMatch;
  readonly line: MatchLine;
}

interface Kept extends Playing {
  /** What it takes without its machine, in bytes. */
  size: number;
  /** The step at which that was looked at. */
  step: number;
}

export class PlayingMatches {
  /** Those used last stand at the end. */
  private readonly kept = new Map<string, Kept>();
  /** How many of them each machine is of. */
  private readonly machines = new Map<Runnable, number>();
  private size = 0;

  has(id: string): boolean {
    return this.kept.has(id);
  }

  /** A match that is used now. */
  get(id: string): Playing | undefined {
    const known = this.kept.get(id);
    if (!known) return undefined;
    this.kept.delete(id);
    this.kept.set(id, known);
    return known;
  }

  values(): Iterable<Playing> {
    return this.kept.values();
  }

  add(playing: Playing): void {
    const { match } = playing;
    this.delete(match.id);
    const kept = { ...playing, size: sizeOf(match), step: match.situation.step };
    this.kept.set(match.id, kept);
    this.size += kept.size;
    this.machines.set(match.runnable, (this.machines.get(match.runnable) ?? 0) + 1);
    this.makeRoom(match.id);
  }

  delete(id: string): void {
    const kept = this.kept.get(id);
    if (!kept) return;
    this.kept.delete(id);
    this.size -= kept.size;
    const { runnable } = kept.match;
    const left = (this.machines.get(runnable) ?? 1) - 1;
    if (left > 0) this.machines.set(runnable, left);
    else this.machines.delete(runnable);
  }

  /** Looks now and then how large a match that is played has become. */
  played(id: string): void {
    const kept = this.kept.get(id);
    if (!kept || kept.match.situation.step - kept.step < LOOK_EVERY) return;
    const size = sizeOf(kept.match);
    this.size += size - kept.size;
    kept.size = size;
    kept.step = kept.match.situation.step;
    this.makeRoom(id);
  }

  /** @param used stays in any case */
  private makeRoom(used: string): void {
    if (this.size + this.ofMachines() <= MOST) return;
    for (const [id, { line }] of this.kept) {
      if (!line.idle || id === used) continue;
      this.delete(id);
      if (this.size + this.ofMachines() <= MOST) return;
    }
  }

  private ofMachines(): number {
    let memory = 0;
    for (const runnable of this.machines.keys()) memory += runnable.memory;
    return memory;
  }
}

function sizeOf({ runnable, situation }: LiveMatch): number {
  return PER_MATCH + PER_CHARACTER * dataSize(runnable, situation);
}
