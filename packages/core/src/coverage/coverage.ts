/**
 * What of a machine was covered, by whatever plays it: its tests, kept logbooks, simulated matches, a search. All of
 * them play on a runnable, or an engine, that tells what happens in it.
 */

import type { Expr, Machine } from "../check/machine.js";
import type { Probe, Probes } from "../engine/code/probes.js";
import { Runnable } from "../engine/matches/runnable.js";
import type { Span } from "../language/source.js";
import { type CoverItem, itemsOf, type Watched } from "./items.js";

/** An item, and how often it was covered. */
export interface Covered {
  readonly item: CoverItem;
  readonly count: number;
}

/** A state in which an input was taken, and how often. */
export interface CoveredPair {
  readonly state: string;
  readonly input: string;
  readonly count: number;
}

export class Coverage {
  readonly probes: Probes;
  private readonly watched: readonly Watched[];
  private readonly counts: number[];
  private readonly pairs = new Map<string, number>();
  /** The innermost active states, before what happens now. */
  private leaves: () => readonly number[] = () => [];

  constructor(readonly machine: Machine) {
    this.watched = itemsOf(machine);
    this.counts = this.watched.map(() => 0);
    const values = new Map<Expr, Probe>();
    const ways = new Map<Expr, { yes: number[]; no: number[] }>();
    const spans: { readonly at: Span; readonly number: number }[] = [];
    const states = new Map<number, number>();
    const endings = new Map<number, number>();
    for (const [number, { by }] of this.watched.entries()) {
      if (by.kind === "taken") spans.push({ at: by.at, number });
      else if (by.kind === "entered") states.set(by.id, number);
      else if (by.kind === "ended") endings.set(by.id, number);
      else {
        const way = ways.get(by.of) ?? { yes: [], no: [] };
        ways.set(by.of, way);
        (by.is ? way.yes : way.no).push(number);
      }
    }
    for (const [of, { yes, no }] of ways) values.set(of, (value) => this.add(...(value === true ? yes : no)));
    const known = new Map<Span, number>();
    // In the standard order it is told which arrow is followed: it is inside what it belongs to.
    const itemAt = (at: Span): number => {
      const number =
        known.get(at) ?? spans.findLast((one) => one.at.from <= at.from && at.to <= one.at.to)?.number ?? -1;
      known.set(at, number);
      return number;
    };
    this.probes = {
      values,
      taken: (at) => {
        const number = itemAt(at);
        this.add(number);
        const { kind, name = "" } = this.watched[number]?.item ?? {};
        if (kind === "action" || kind === "timer" || kind === "listener") this.pair(name);
      },
      entered: (state) => this.add(states.get(state)),
      ended: (ending) => this.add(endings.get(ending)),
    };
  }

  /** The machine made runnable so that whatever is played on it counts. */
  runnable(): Runnable {
    const runnable = new Runnable(this.machine, false, this.probes);
    const { memory } = Runnable.engine(runnable);
    this.leaves = () => memory.configuration.leaves;
    return runnable;
  }

  /** Takes down that situations are looked at in another engine. */
  watch(leaves: () => readonly number[]): void {
    this.leaves = leaves;
  }

  /** Everything that can be covered, in the order of the text. */
  get items(): readonly Covered[] {
    return this.watched.map(({ item }, i) => ({ item, count: this.counts[i] ?? 0 }));
  }

  /** How what is covered is told, for each of `items`. */
  get how(): readonly Watched[] {
    return this.watched;
  }

  /** States and what was done in them. */
  get statesAndInputs(): readonly CoveredPair[] {
    return [...this.pairs]
      .map(([key, count]) => {
        const [state = "", input = ""] = key.split(" ");
        return { state, input, count };
      })
      .sort((a, b) => (a.state < b.state ? -1 : a.state > b.state ? 1 : a.input < b.input ? -1 : 1));
  }

  private add(...numbers: readonly (number | undefined)[]): void {
    for (const number of numbers)
      if (number !== undefined && number >= 0) this.counts[number] = (this.counts[number] ?? 0) + 1;
  }

  private pair(input: string): void {
    for (const leaf of this.leaves()) {
      const key = `${this.machine.states[leaf]?.name ?? ""} ${input}`;
      this.pairs.set(key, (this.pairs.get(key) ?? 0) + 1);
    }
  }
}
