/** What the reasoning found out about a machine, put together for the rules. */

import { endingInWords, hasWinner, haveSameResult } from "../endings.js";
import { readsOf } from "../reads.js";
import { visitMachine } from "../visit.js";
import type { Action, Arrow, Expr, Law, Listener, Location, Machine, Statement, Target, When } from "../machine.js";
import { Accesses } from "./accesses.js";
import { TooMuch, type PossibleFault } from "./evaluate.js";
import type { Raised } from "./execute.js";
import { changeOf } from "./change-of.js";
import { Flow, type FlowWatcher } from "./flow.js";
import { join, type Possible } from "./possible.js";
import { RELATIONS } from "./relations.js";
import type { Knowledge } from "./knowledge.js";
import { witness } from "./witness.js";

/** Two branches that can hold at once and lead to different endings. */
interface Overlap {
  readonly first: Expr;
  readonly second: Expr;
  readonly endings: readonly [string, string];
  /** Example values in words. */
  readonly example: string;
  /**
   * It may well be meant, or not come to be: a win before an ending that nobody wins outright, which counts at the last
   * moment; conditions about what lies on a grid, where no values show that both can hold.
   */
  readonly meant: boolean;
}

/** How a test came out, over all ways that lead to it: bit 0 false, bit 1 true. */
interface Tested {
  /** What it may be where it is tested. */
  mask: number;
  /** What it may be when the tests before it in the same choice are not minded. */
  apart: number;
  /** What the sides of a comparison may come to where it is tested. */
  sides: readonly [Possible, Possible] | undefined;
}

/** What was written by one statement, over all ways that lead to it. */
interface Written {
  /** The amount added or taken away; undefined for what is set to something else. */
  amount: { low: number; high: number } | undefined;
  /** The value before it stops at the bounds. */
  value: { low: number; high: number } | undefined;
  /** Where the match was. */
  readonly leaves: Set<number>;
}

export interface Findings {
  readonly machine: Machine;
  readonly accesses: Accesses;
  readonly flow: Flow;
  readonly tests: ReadonlyMap<Expr, Tested>;
  readonly possibleFaults: ReadonlyMap<Expr, PossibleFault>;
  readonly written: ReadonlyMap<Statement, Written & { readonly target: Location }>;
  readonly overlaps: readonly Overlap[];
  /** From which leaves to which states, by the arrow as written. */
  readonly moves: readonly {
    readonly arrow: Arrow;
    readonly from: number;
    readonly to: { readonly state: number } | { readonly ending: number };
    /** Data that may not have been set when it is followed, as the knowledge there names them. */
    readonly unset: Set<string>;
  }[];
  readonly dropped: ReadonlyMap<number, Arrow>;
  /** Leaves that came round again within one step. */
  readonly circles: readonly (readonly number[])[];
  /** Laws that surely do not hold, with the leaf where they do not. */
  readonly brokenLaws: ReadonlyMap<Law, number>;
  /** Tests whose outcome another message explains. */
  readonly explained: Set<Expr>;
  /** Something in the machine takes seats out of play. */
  readonly eliminates: boolean;
  /** Actions that somebody could take. */
  readonly opened: ReadonlySet<Action>;
  /** Signals that are raised on some way. */
  readonly delivered: ReadonlySet<number>;
  /** Listeners that are active where their signal is delivered; in the standard order nothing is noted. */
  readonly heard: ReadonlySet<Listener>;
}

/** Ways kept apart while overlaps are looked for. */
const MAX_STORES = 12;
/** Overlaps looked for in one choice, over the ways that lead to it. */
const MAX_LOOKS = 12;

/**
 * Reasons about a machine without errors.
 *
 * @param laws those that hold wherever a match is at rest: all, none, or those that are shown to by induction
 * @param tiresAfter after so much work it is less exact; without it, as much as suits the length of the text
 * @returns undefined when that is more work than the checker allows itself
 */
export function findOut(
  machine: Machine,
  laws: "believed" | "doubted" | "shown",
  tiresAfter?: number,
): Findings | undefined {
  const accesses = new Accesses(machine);
  try {
    const believed =
      laws === "shown" ? inductiveLaws(machine, accesses) : new Set(laws === "believed" ? machine.laws : []);
    const flow = new Flow(machine, accesses, believed, laws === "shown", tiresAfter);
    flow.settle();
    return new Collector(machine, accesses, flow).collect();
  } catch (error) {
    if (error instanceof TooMuch) return undefined;
    throw error;
  }
}

/**
 * The laws that the reasoning shows to hold by induction, all at once: they hold when the match begins, and where all
 * of them held while it was at rest they hold when it is at rest again, or over. Found by leaving out of all laws those
 * of which that is not shown, until none is left out any more (Houdini; Flanagan and Leino, 2001).
 *
 * @throws TooMuch
 */
export function inductiveLaws(machine: Machine, accesses: Accesses): ReadonlySet<Law> {
  const laws = new Set(machine.laws.filter(({ form }) => form === "holds"));
  for (let left = Number.POSITIVE_INFINITY; laws.size > 0 && laws.size < left; ) {
    left = laws.size;
    const flow = new Flow(machine, accesses, laws, true);
    flow.settle();
    flow.watch(NOBODY);
    for (const law of flow.doubtful) laws.delete(law);
  }
  return laws;
}

const nothing = (): void => {};
/** Nobody who watches. */
const NOBODY: FlowWatcher = {
  tested: nothing,
  chooses: nothing,
  settles: nothing,
  moves: nothing,
  drops: nothing,
  opens: nothing,
  delivers: nothing,
  hears: nothing,
};

class Collector {
  private readonly tests = new Map<Expr, Tested>();
  private readonly possibleFaults = new Map<Expr, PossibleFault>();
  private readonly written = new Map<Statement, Written & { target: Location }>();
  private readonly overlaps = new Map<Expr, Overlap>();
  private readonly looks = new Map<unknown, number>();
  private readonly moves: Findings["moves"][number][] = [];
  private readonly seenMoves = new Map<string, Findings["moves"][number]>();
  private readonly dropped = new Map<number, Arrow>();
  private readonly delivered = new Set<number>();
  private readonly heard = new Set<Listener>();
  private readonly opened = new Set<Action>();

  constructor(
    private readonly machine: Machine,
    private readonly accesses: Accesses,
    private readonly flow: Flow,
  ) {}

  collect(): Findings {
    const { flow } = this;
    flow.values.watcher = { mayFault: (kind, at) => this.possibleFaults.set(at, kind) };
    flow.effects.watcher = {
      written: (statement, target, value, _before, store) => this.write(statement, target, value, store),
      tested: (test, store) => this.test(test, store, store),
    };
    flow.watch({
      tested: (test, store) => this.test(test, store, store),
      chooses: (arrow, store) => this.choice(arrow, store),
      settles: (whens, store) => this.whens(whens, store),
      moves: (arrow, to, at) => this.move(arrow, to, at),
      drops: (signals, arrow) => this.drop(signals, arrow),
      opens: (action) => this.opened.add(action),
      delivers: (signal) => this.delivered.add(signal),
      hears: (listener) => this.heard.add(listener),
    });
    flow.values.watcher = undefined;
    flow.effects.watcher = undefined;
    return {
      machine: this.machine,
      accesses: this.accesses,
      flow,
      tests: this.tests,
      possibleFaults: this.possibleFaults,
      written: this.written,
      overlaps: [...this.overlaps.values()],
      moves: this.moves,
      dropped: this.dropped,
      circles: [...flow.circles.values()],
      brokenLaws: flow.brokenLaws(),
      explained: new Set(),
      eliminates: canEliminate(this.machine),
      opened: this.opened,
      delivered: this.delivered,
      heard: this.heard,
    };
  }

  private test(test: Expr, store: Knowledge, apart: Knowledge): void {
    const known = this.tests.get(test) ?? { mask: 0, apart: 0, sides: undefined };
    this.tests.set(test, known);
    const { values } = this.flow;
    const quiet = values.watcher;
    const mask = values.truth(test, store);
    values.watcher = undefined;
    if (test.kind === "binary" && Object.hasOwn(RELATIONS, test.op)) {
      const [left, right] = [values.evaluate(test.left, store), values.evaluate(test.right, store)];
      known.sides = known.sides ? [join(known.sides[0], left), join(known.sides[1], right)] : [left, right];
    }
    known.mask |= mask;
    known.apart |= apart === store ? mask : this.flow.values.truth(test, apart);
    if (test.kind === "binary" && (test.op === "and" || test.op === "or")) {
      this.test(test.left, store, apart);
      const right = this.flow.conditions.under(test.left, test.op === "and", store);
      if (right) this.test(test.right, right, apart);
    }
    this.flow.values.watcher = quiet;
  }

  // ---- branches that hold at once --------------------------------------------------------------

  private choice(arrow: Arrow & { kind: "choose" }, store: Knowledge): void {
    let rest: Knowledge | undefined = store;
    for (const { test } of arrow.branches) {
      if (!test || !rest) break;
      this.test(test, rest, store);
      rest = this.flow.conditions.under(test, false, rest);
    }
    this.quietly(arrow, () =>
      this.overlap(
        arrow.branches.flatMap((b) => (b.test ? [{ test: b.test, arrow: b.arrow }] : [])),
        store,
      ),
    );
  }

  private whens(whens: readonly When[], store: Knowledge): void {
    this.quietly(whens[0], () =>
      this.overlap(
        whens.flatMap((w) => (w.test.kind === "holds" ? [{ test: w.test.test, arrow: w.arrow }] : [])),
        store,
      ),
    );
  }

  private quietly(at: unknown, look: () => void): void {
    const looks = this.looks.get(at) ?? 0;
    if (looks >= MAX_LOOKS) return;
    this.looks.set(at, looks + 1);
    const { values } = this.flow;
    const before = values.watcher;
    values.watcher = undefined;
    look();
    values.watcher = before;
  }

  private overlap(branches: readonly { readonly test: Expr; readonly arrow: Arrow }[], store: Knowledge): void {
    const { values } = this.flow;
    const split = (stores: readonly Knowledge[], test: Expr, holds: boolean): Knowledge[] =>
      stores.flatMap((s) => this.flow.conditions.split(test, holds, s)).slice(0, MAX_STORES);
    let base: Knowledge[] = [store];
    for (const [i, first] of branches.entries()) {
      const one = endingOf(first.arrow);
      const holding = one ? split(base, first.test, true) : [];
      for (const second of one ? branches.slice(i + 1) : []) {
        const other = endingOf(second.arrow);
        if (!one || !other || this.overlaps.has(second.test) || haveSameResult(this.machine, one, other)) continue;
        const both = split(holding, second.test, true);
        // When one holds only where the other does, their order says what is meant.
        if (
          both.length === 0 ||
          split(holding, second.test, false).length === 0 ||
          split(split(base, second.test, true), first.test, false).length === 0
        )
          continue;
        const example = witness(values, both, [
          [first.test, true],
          [second.test, true],
          ...branches.slice(0, i).map((b): [Expr, boolean] => [b.test, false]),
        ]);
        if (example !== undefined)
          this.overlaps.set(second.test, {
            first: first.test,
            second: second.test,
            endings: [endingInWords(this.machine, one), endingInWords(this.machine, other)],
            example: example.words,
            meant:
              (hasWinner(this.machine, one) && !hasWinner(this.machine, other)) ||
              (!example.shows && this.readsGrid(first.test) && this.readsGrid(second.test)),
          });
      }
      base = split(base, first.test, false);
      if (base.length === 0) return;
    }
  }

  private readsGrid(test: Expr): boolean {
    return [...readsOf(this.machine, test).slots].some((slot) => this.machine.data[slot]?.type.kind === "grid");
  }

  // ---- the rest --------------------------------------------------------------------------------

  private write(
    statement: Statement & { kind: "assign" | "change" },
    target: Location,
    value: Possible | undefined,
    store: Knowledge,
  ): void {
    const known = this.written.get(statement) ?? {
      amount: undefined,
      value: undefined,
      leaves: new Set<number>(),
      target,
    };
    this.written.set(statement, known);
    known.leaves.add(this.flow.leafNow);
    if (value?.kind === "number") known.value = reach(known.value, value);
    const change = statement.kind === "assign" ? changeOf(this.machine, statement) : undefined;
    if (!change) return;
    const { values } = this.flow;
    const before = values.watcher;
    values.watcher = undefined;
    const amount = values.evaluate(change.value, store);
    values.watcher = before;
    if (amount.kind === "number") known.amount = reach(known.amount, amount);
  }

  private move(
    arrow: Arrow,
    to: { readonly state: number } | { readonly ending: number },
    { leaf: from, store }: { readonly leaf: number; readonly store: Knowledge },
  ): void {
    const key = `${arrow.from} ${from} ${"state" in to ? to.state : -1 - to.ending}`;
    let move = this.seenMoves.get(key);
    if (!move) {
      move = { arrow, from, to, unset: new Set() };
      this.seenMoves.set(key, move);
      this.moves.push(move);
    }
    for (const name of store.unset) move.unset.add(name);
  }

  private drop(signals: readonly Raised[], arrow: Arrow): void {
    for (const { signal } of signals) if (!this.dropped.has(signal)) this.dropped.set(signal, arrow);
  }
}

function reach(
  known: { low: number; high: number } | undefined,
  value: { low: number; high: number },
): { low: number; high: number } {
  return known
    ? { low: Math.min(known.low, value.low), high: Math.max(known.high, value.high) }
    : { low: value.low, high: value.high };
}

/** True when something of the machine takes seats out of play. */
function canEliminate(machine: Machine): boolean {
  let found = false;
  visitMachine(machine, {
    statement: (s) => {
      if (s.kind === "eliminate") found = true;
    },
  });
  return found;
}

function endingOf(arrow: Arrow): (Target & { kind: "ending" }) | undefined {
  return arrow.kind === "to" && arrow.target.kind === "ending" ? arrow.target : undefined;
}
