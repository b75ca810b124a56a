/** Watches for the signs of claims while situations are visited: those that are no fault and no standstill. */

import type { Expr, Machine } from "../check/machine.js";
import { inTurn, type Probe, type Probes } from "../engine/code/probes.js";
import type { Engine } from "../engine/matches/runnable.js";
import type { Span } from "../language/source.js";
import { Fault } from "../engine/values/fault.js";
import type { Lookout, Quiet } from "../explore/options.js";
import type { Aim } from "../explore/walk.js";
import { isIn, type Sign } from "./claims.js";
import { aimAt, isAskedAtRest } from "./distance.js";

/** Of so many data it is watched whether they are set: each is a bit of a situation's marks. */
export const MOST_UNSET = 31;

/** How far it is where the conditions were not asked in the last step: farther than where they were. */
const NOT_ASKED = 100;

/** Looks at a situation at rest, which the working memory holds. */
type Look = (engine: Engine) => boolean;

export class Signs implements Lookout, Quiet {
  private readonly values = new Map<Expr, Probe>();
  private readonly entered = new Map<number, number[]>();
  private readonly entering: { readonly state: number; readonly enter: () => void }[] = [];
  private readonly ended = new Map<number, number[]>();
  private readonly taken: { readonly at: Span; readonly sign: number }[] = [];
  readonly probes: Probes = {
    values: this.values,
    entered: (state) => {
      this.see(this.entered.get(state));
      for (const { state: of, enter } of this.entering) if (of === state) enter();
    },
    ended: (ending) => {
      this.see(this.ended.get(ending));
      for (const look of this.atEnds) look();
    },
    // In the standard order it is told which arrow is followed: it is inside what it belongs to.
    taken: (item) => {
      for (const { at, sign } of this.taken) if (at.from <= item.from && item.to <= at.to) this.now.push(sign);
    },
  };
  readonly asks: readonly Expr[];
  private readonly looks: { readonly sign: number; readonly look: Look }[] = [];
  private readonly atEnds: (() => void)[] = [];
  private readonly ready: ((engine: Engine) => void)[] = [];
  /** Groups of values that are compared at the end of a step. */
  private readonly ends: (() => void)[] = [];
  private now: number[] = [];
  private readonly towards: Aim[] = [];
  /** Somebody goes by how far it is. */
  private isAiming: boolean;
  private intoBoxes: () => void = () => undefined;
  /** What is seen no more. */
  private readonly settled = new Set<number>();
  readonly quiet: Quiet | undefined;
  /** For each sign of data that may not be set whether they are not. */
  readonly marks = { bits: 0, begun: 0, now: 0 };

  /**
   * @param signs what is looked for; each is known by its number among them
   * @param found the numbers of those that were found already, here or by others; those that are seen are added
   * @param isQuiet steps are taken as if nobody looked: for conditions that hold together, or do not, alone
   */
  constructor(
    private readonly machine: Machine,
    signs: readonly Sign[],
    private readonly found = new Set<number>(),
    isQuiet = false,
  ) {
    const other = isQuiet ? signs.find(({ kind }) => kind !== "both") : undefined;
    if (other) throw new Error(`A sign of the kind "${other.kind}" looks at more than conditions.`);
    this.quiet = isQuiet ? this : undefined;
    this.isAiming = !isQuiet;
    this.asks = signs.flatMap((sign) =>
      sign.kind === "both"
        ? [sign.second]
        : sign.kind === "while"
          ? [sign.test]
          : sign.kind === "holder"
            ? sign.tests
            : sign.kind === "fault" && sign.near
              ? [sign.near]
              : [],
    );
    for (const [number, sign] of signs.entries()) this.watch(sign, number);
  }

  begin(engine: Engine, intoBoxes: () => void): void {
    this.intoBoxes = intoBoxes;
    for (const ready of this.ready) ready(engine);
  }

  get hasSeen(): boolean {
    return this.now.length > 0;
  }

  drop(): void {
    this.now = [];
  }

  settle(seen: number): void {
    this.settled.add(seen);
  }

  again(): void {
    this.settled.clear();
  }

  rest(engine: Engine): void {
    for (const { sign, look } of this.looks) if (look(engine)) this.now.push(sign);
  }

  seen(): readonly number[] {
    for (const end of this.ends) end();
    const { now } = this;
    if (now.length > 0) this.now = [];
    for (const sign of now) this.found.add(sign);
    return now;
  }

  aims(): readonly Aim[] {
    this.isAiming = true;
    return this.towards;
  }

  /**
   * What is nearer to where conditions hold together is nearer to a sign.
   *
   * @returns what looks how far it is in the middle of a step, where they are asked: those that name who acts can be
   * asked nowhere else
   */
  private towardsAll(engine: Engine, sign: number, conditions: readonly Expr[]): () => void {
    const distances = conditions.map((e) => aimAt(engine, e));
    const distance = (): number => distances.reduce((sum, each) => sum + each(), 0);
    const isAtRest = conditions.every(isAskedAtRest);
    let seen = NOT_ASKED;
    this.towards.push(() => {
      if (this.found.has(sign)) return undefined;
      if (isAtRest) return distance();
      const last = seen;
      seen = NOT_ASKED;
      return last;
    });
    return () => {
      if (isAtRest) return;
      this.intoBoxes();
      seen = Math.min(seen, aside(engine, distance));
    };
  }

  private watch(sign: Sign, number: number): void {
    const seen = (): unknown => this.now.push(number);
    switch (sign.kind) {
      // The search itself finds these.
      case "fault": {
        const { near } = sign;
        if (near) this.ready.push((engine) => this.towardsAll(engine, number, [near]));
        return;
      }
      case "stuck":
        return;
      case "taken":
        this.taken.push({ at: sign.at, sign: number });
        return;
      case "entered":
        this.entered.set(sign.state, [...(this.entered.get(sign.state) ?? []), number]);
        return;
      case "ended":
        this.ended.set(sign.ending, [...(this.ended.get(sign.ending) ?? []), number]);
        return;
      case "dropped": {
        let isWaiting = (): boolean => false;
        this.ready.push(({ memory }) => {
          isWaiting = () => memory.isWaiting(sign.signal);
        });
        this.atEnds.push(() => void (isWaiting() && seen()));
        return;
      }
      case "value":
        this.listen(sign.of, (value) => sign.is(value) && seen());
        return;
      case "values": {
        const left = new Set(sign.all);
        this.listen(sign.of, (value) => left.delete(value) && left.size === 0 && seen());
        return;
      }
      case "both": {
        let second: (() => boolean) | undefined;
        let look: (() => void) | undefined;
        this.ready.push((engine) => {
          const condition = engine.code.aside.condition(sign.second);
          second = () => {
            this.intoBoxes();
            return aside(engine, condition);
          };
          if (sign.holds) look = this.towardsAll(engine, number, [sign.first, sign.second]);
        });
        this.listen(sign.first, (value) => {
          if (this.isAiming) look?.();
          if (value === true && second && !this.settled.has(number) && holds(second) === sign.holds) seen();
        });
        return;
      }
      case "while": {
        let test: (() => boolean) | undefined;
        let look: (() => void) | undefined;
        this.ready.push((engine) => {
          const condition = engine.code.aside.condition(sign.test);
          test = () => aside(engine, condition);
          look = this.towardsAll(engine, number, [sign.test]);
        });
        this.listen(sign.of, () => {
          look?.();
          if (holds(test)) seen();
        });
        return;
      }
      case "unset": {
        const { marks } = this;
        if (marks.bits >= MOST_UNSET) throw new Error("More data are to be watched than there are marks for.");
        const bit = 1 << marks.bits++;
        marks.begun |= bit;
        for (const value of sign.writes) this.listen(value, () => void (marks.now &= ~bit));
        this.listen(sign.of, () => (marks.now & bit) !== 0 && seen());
        const { state } = sign;
        if (state !== undefined) this.entering.push({ state, enter: () => void (marks.now |= bit) });
        return;
      }
      case "ties":
        this.ties(sign.binder, seen);
        return;
      case "onTurn":
        this.looks.push({
          sign: number,
          look: (engine) => this.isAt(engine, sign.state) && sign.is(engine.steps.turns.now().length),
        });
        return;
      case "holder": {
        let tests: readonly (() => boolean)[] = [];
        this.ready.push((engine) => {
          tests = sign.tests.map((test) => engine.code.aside.condition(test));
        });
        this.looks.push({
          sign: number,
          look: (engine) => this.isAt(engine, sign.state) && isAnyHolder(engine, tests),
        });
        return;
      }
    }
  }

  private see(signs: readonly number[] | undefined): void {
    if (signs) this.now.push(...signs);
  }

  private listen(e: Expr, probe: Probe): void {
    this.values.set(e, inTurn(this.values.get(e), probe));
  }

  /** Values of one going through are kept until the next begins, or the step is over. */
  private ties({ word, source, body }: Expr & { readonly kind: "binder" }, seen: () => unknown): void {
    if (!body) return;
    let values: unknown[] = [];
    const end = (): void => {
      if (values.length > 1 && hasTies(word, values)) seen();
      if (values.length > 0) values = [];
    };
    this.ends.push(end);
    this.listen(source, end);
    this.listen(body, (value) => values.push(value));
  }

  private isAt({ memory }: Engine, state: number): boolean {
    return !memory.outcome && memory.configuration.leaves.some((leaf) => isIn(this.machine, leaf, state));
  }
}

function hasTies(word: string, values: readonly unknown[]): boolean {
  if (word !== "minBy" && word !== "maxBy") return new Set(values).size < values.length;
  const numbers = values as readonly number[];
  const best = word === "minBy" ? Math.min(...numbers) : Math.max(...numbers);
  return numbers.filter((value) => value === best).length > 1;
}

function isAnyHolder({ memory, steps }: Engine, tests: readonly (() => boolean)[]): boolean {
  for (const seat of steps.turns.now().slice()) {
    memory.me = seat;
    if (tests.some(holds)) return true;
  }
  return false;
}

/** Asks a condition in the middle of a step, which pays nothing for it. */
function aside<T>({ memory }: Engine, condition: () => T): T {
  const { effects } = memory;
  try {
    return condition();
  } finally {
    memory.effects = effects;
  }
}

/** A condition that is asked beside what happens: one that cannot be worked out does not hold. */
function holds(condition: (() => boolean) | undefined): boolean {
  try {
    return condition?.() === true;
  } catch (error) {
    if (error instanceof Fault) return false;
    throw error;
  }
}
