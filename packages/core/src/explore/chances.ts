/** The chances in a machine's text, each with the probability it is rolled with. */

import type { Machine } from "../check/machine.js";
import { visitMachine } from "../check/visit.js";
import type { Span } from "../language/source.js";
import { fixedChance, fixedWay } from "../formats/odds.js";
import { waysOf } from "../search/rolled.js";
import { Odometer } from "./odometer.js";

/** A chance as it is written, or one of the ways of an arrow by odds. */
export interface WrittenChance {
  /** Where it stands in the text. */
  readonly position: number;
  /** As it is written; of an arrow by odds, the way it leads. */
  readonly words: string;
  /**
   * Between what its probability is; undefined where it is not fixed by the text and was never
   * rolled.
   */
  readonly probability?: { readonly least: number; readonly most: number };
}

/** By where a chance stands: of each outcome, the least and greatest probability that was asked for. */
export type NotedChances = Map<number, { least: number; most: number }[]>;

/** An odometer that takes down how likely each chance is that it is asked for. */
export class NotingOdometer extends Odometer {
  constructor(private readonly noted: NotedChances) {
    super();
  }

  override chance(part: number, whole: number, at: Span): boolean {
    this.note(at, 0, Math.min(Math.max(part, 0), whole) / whole);
    return super.chance(part, whole, at);
  }

  override weighted(weights: readonly number[], at: Span): number {
    const total = weights.reduce((sum, weight) => sum + weight, 0);
    for (let i = 0; i < weights.length; i++) this.note(at, i, (weights[i] as number) / total);
    return super.weighted(weights, at);
  }

  private note({ from }: Span, outcome: number, probability: number): void {
    let all = this.noted.get(from);
    if (!all) this.noted.set(from, (all = []));
    const known = all[outcome];
    if (!known) all[outcome] = { least: probability, most: probability };
    else {
      if (probability < known.least) known.least = probability;
      if (probability > known.most) known.most = probability;
    }
  }
}

/** All chances of a machine's rules in the order of its text, with what was noted of them. */
export function chancesOf(machine: Machine, noted: NotedChances): WrittenChance[] {
  const found = new Map<string, WrittenChance>();
  const add = (at: Span, words: string, outcome: number, parts: ReturnType<typeof fixedChance>, key: string): void => {
    const written = parts && parts.part / parts.whole;
    const probability =
      noted.get(at.from)?.[outcome] ?? (written === undefined ? undefined : { least: written, most: written });
    found.set(key, { position: at.from, words, ...(probability && { probability }) });
  };
  visitMachine(
    { ...machine, tests: [], policies: [] },
    {
      expr: (e) => {
        if (e.kind === "chance") add(e, machine.sources.written(e), 0, fixedChance(machine, e), `${e.from}`);
      },
      arrow: (arrow) => {
        if (arrow.kind !== "odds") return;
        for (const [i, name] of waysOf(machine, arrow).entries())
          add(arrow, `-> ${name}`, i, fixedWay(machine, arrow, i), `${arrow.from} ${i}`);
      },
    },
  );
  return [...found.values()].sort((a, b) => a.position - b.position);
}

/** How likely a chance is never seen in so many independent tries. */
export function neverIn(probability: number, tries: number): number {
  return (1 - probability) ** tries;
}
