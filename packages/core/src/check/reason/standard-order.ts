/**
 * A step in the standard order, on stores that stand for many situations at once: `exit` before effects, the innermost
 * listener of each branch, tests of a choice before any effect. What engine/steps/standard-order.ts does
 * to one situation, this does to all that may be; where several branches may take something together, with and
 * without each of them.
 */

import type { Arrow, Block, Expr, Machine, State } from "../machine.js";
import { branchesOf } from "../visit.js";
import { chainOf, isInside, pathTo } from "../tree.js";
import type { Conditions } from "./conditions.js";
import { type Executor, joinWays, type Way } from "./execute.js";
import type { Possible } from "./possible.js";
import type { Knowledge } from "./knowledge.js";

/** What can be taken: an action, a timer, a listener, a when. */
export interface Item {
  readonly state: number;
  readonly block?: Block | undefined;
  readonly arrow?: Arrow | undefined;
}

/** What a state of another branch may take at the same time, with what it tests first. */
export type Beside = (state: State) => readonly { readonly item: Item; readonly test: Expr | undefined }[];

/** What this asks of the walk it belongs to; `P` is where that walk is. */
export interface StandardParts<P extends Where> {
  readonly machine: Machine;
  readonly conditions: Conditions;
  readonly effects: Executor;
  joined(stores: readonly Knowledge[]): readonly Knowledge[];
  /** From here on things are looked at as if the match were in `leaf`. */
  standIn(leaf: number, at: P): void;
  exits(leaf: number, upTo: number, ways: Way[]): Way[];
  forget(leaf: number, upTo: number, store: Knowledge): Knowledge;
  /** Enters the targets one after the other and goes on from there. */
  enterAll(targets: readonly Entry[], from: P): void;
  /** Goes on with an arrow behind it, or without one. */
  arrive(at: P): void;
  pass(at: P): void;
  /** Where a history may lead. */
  leavesSeen(inside: number): number[];
  chooses(arrow: Arrow & { kind: "choose" }, store: Knowledge, leaf: number): void;
  moves(arrow: Arrow, target: { readonly state: number } | { readonly ending: number }, at: P): void;
}

interface Where {
  readonly leaf: number;
  readonly peers: ReadonlySet<number>;
  readonly store: Knowledge;
  readonly raised: Way["raised"];
}

/** A state to enter, the one it lies in that stays, and its arguments. */
export interface Entry {
  readonly path: readonly number[];
  readonly args: readonly Possible[];
}

/** One branch of an item: all its tests come before its effects. */
interface Transition {
  readonly source: number;
  readonly tests: readonly Expr[];
  readonly content: readonly Block[];
  readonly arrow: Arrow | undefined;
}

/** A leaf that is left, and the state around it that is not. */
interface Left {
  readonly leaf: number;
  readonly upTo: number;
}

/** Where a transition leads: the state inside which everything is left, and what is entered there. */
interface Goal {
  readonly transition: Transition;
  readonly target: number;
  readonly domain: number;
}

export class StandardOrder<P extends Where> {
  constructor(private readonly parts: StandardParts<P>) {}

  /**
   * Takes an item in the leaf where the walk is; `beside` names what other branches may take at the same time.
   * Gives what is known where it is not taken.
   */
  take(item: Item, test: Expr | undefined, at: P, beside: Beside): readonly Knowledge[] {
    return this.select(item, test, at, (taken, store) => this.together(taken, { ...at, store }, beside));
  }

  /** The transitions of an item by turns: each gets what none before it took. Gives what is left over. */
  private select(
    item: Item,
    tested: Expr | undefined,
    at: P,
    taken: (transition: Transition, store: Knowledge) => void,
  ): readonly Knowledge[] {
    const { conditions } = this.parts;
    let rest: readonly Knowledge[] = [at.store];
    for (const transition of this.transitions(item, tested, at)) {
      let holds = rest;
      const not: Knowledge[] = [];
      for (const test of transition.tests) {
        this.parts.standIn(at.leaf, at);
        not.push(...holds.flatMap((s) => conditions.split(test, false, s)));
        holds = holds.flatMap((s) => conditions.split(test, true, s));
      }
      for (const one of this.parts.joined(holds)) taken(transition, one);
      rest = this.parts.joined(not);
    }
    return rest;
  }

  /** An item's branches in text order. */
  private transitions({ state, block, arrow }: Item, test: Expr | undefined, at: P): Transition[] {
    const made: Transition[] = [];
    const { conditions } = this.parts;
    const add = (
      tests: readonly Expr[],
      content: readonly Block[],
      way: Arrow | undefined,
      known: Knowledge | undefined,
    ): void => {
      if (way?.kind !== "choose") {
        made.push({ source: state, tests, content, arrow: way });
        return;
      }
      this.parts.standIn(at.leaf, at);
      if (known) this.parts.chooses(way, known, at.leaf);
      let rest = known;
      for (const branch of branchesOf(way)) {
        const here = rest && branch.test ? conditions.under(branch.test, true, rest) : rest;
        if (rest && branch.test) rest = conditions.under(branch.test, false, rest);
        add(
          branch.test ? [...tests, branch.test] : tests,
          branch.block ? [...content, branch.block] : content,
          branch.arrow,
          here,
        );
      }
    };
    this.parts.standIn(at.leaf, at);
    add(test ? [test] : [], block ? [block] : [], arrow, test ? conditions.under(test, true, at.store) : at.store);
    return made;
  }

  /** Takes a transition, and the same with whatever other branches may take at the same time. */
  private together(first: Transition, at: P, beside: Beside): void {
    const inChain = new Set(chainOf(this.parts.machine, at.leaf));
    let all: { readonly taken: readonly Transition[]; readonly store: Knowledge }[] = [
      { taken: [first], store: at.store },
    ];
    for (const peers of this.branches(at)) {
      const items = new Set(peers.flatMap((peer) => chainOf(this.parts.machine, peer)));
      all = all.flatMap((one) => {
        const more = [one];
        for (const { item, test } of [...items].flatMap((state) => (inChain.has(state) ? [] : beside(state))))
          this.select(item, test, { ...at, leaf: item.state, store: one.store }, (transition, store) =>
            more.push({ taken: [...one.taken, transition], store }),
          );
        return more;
      });
    }
    for (const one of all) this.microstep(one.taken, { ...at, store: one.store });
  }

  /** The leaves of other branches, by branch: of each, one is active. */
  private branches({ leaf, peers }: P): number[][] {
    const { machine } = this.parts;
    const byRegion = new Map<number, number[]>();
    for (const peer of peers) {
      const region = chainOf(this.parts.machine, peer).findLast(({ id }) => !isInside(machine, leaf, id))?.id ?? peer;
      byRegion.set(region, [...(byRegion.get(region) ?? []), peer]);
    }
    return [...byRegion.values()];
  }

  // ---- one microstep ---------------------------------------------------------------------------

  private microstep(taken: readonly Transition[], at: P): void {
    const ending = taken.find(({ arrow }) => arrow?.kind === "to" && arrow.target.kind === "ending");
    const goals = taken.map((transition) => this.goals(transition));
    for (const chosen of combinations(goals)) this.leaveAndEnter(taken, chosen, ending?.arrow, at);
  }

  private leaveAndEnter(taken: readonly Transition[], goals: readonly Goal[], ending: Arrow | undefined, at: P): void {
    const { effects, machine } = this.parts;
    const domains = ending ? [0] : goals.map((g) => g.domain);
    const leftFrom = (leaf: number): Left[] => {
      const around = domains.filter((domain) => leaf > domain && isInside(machine, leaf, domain));
      return around.length > 0 ? [{ leaf, upTo: Math.min(...around) }] : [];
    };
    const [main] = leftFrom(at.leaf);
    const beside = this.branches(at).map((peers) => peers.flatMap(leftFrom));
    const left = [...(main ? [main] : []), ...beside.flat()];
    let ways: Way[] = [{ store: at.store, raised: at.raised }];
    if (main) ways = this.parts.exits(main.leaf, main.upTo, ways);
    for (const one of beside) {
      if (one.length === 0) continue;
      // Which leaf of a branch beside is the active one is not known.
      const out = one.flatMap(({ leaf, upTo }) => this.parts.exits(leaf, upTo, ways));
      if (out.length === 0) return;
      ways = [out.reduce(joinWays)];
    }
    const staying = new Set([...at.peers].filter((peer) => !left.some(({ leaf }) => leaf === peer)));
    for (const { content } of taken)
      for (const block of content)
        ways = ways.flatMap((way) => {
          this.parts.standIn(main ? main.upTo : at.leaf, { ...at, peers: staying });
          return effects.run(block, way);
        });
    for (const way of ways) {
      let { store } = way;
      const args = goals.map(({ transition: { arrow } }) =>
        (arrow?.kind === "to" ? arrow.target.args : []).map((arg) => {
          const given = effects.taking(arg, store);
          store = given.store;
          return given.value;
        }),
      );
      if (ending?.kind === "to" && ending.target.kind === "ending") {
        this.parts.moves(ending, { ending: ending.target.ending }, { ...at, raised: way.raised });
        continue;
      }
      store = store.withLocals(new Map());
      if (left.length > 0) store = store.moved();
      for (const { leaf, upTo } of left) store = this.parts.forget(leaf, upTo, store);
      const after = { ...at, store, raised: way.raised };
      if (goals.length === 0) {
        if (taken.some(({ arrow }) => arrow)) this.parts.arrive(after);
        else this.parts.pass(after);
        continue;
      }
      for (const { transition, target } of goals)
        if (transition.arrow) this.parts.moves(transition.arrow, { state: target }, at);
      const stays = new Set(main ? staying : [...staying, at.leaf]);
      this.parts.enterAll(
        goals.map(({ target, domain }, i) => ({
          path: pathTo(this.parts.machine, target, domain),
          args: args[i] ?? [],
        })),
        { ...after, peers: stays },
      );
    }
  }

  /** Where a transition may lead; none for one that leads nowhere, or to an ending. */
  private goals(transition: Transition): Goal[] {
    const { arrow, source } = transition;
    const { states } = this.parts.machine;
    const goal = (target: number, inner: boolean): Goal => ({
      transition,
      target,
      domain: this.domain(source, target, inner),
    });
    if (arrow?.kind === "history") {
      const seen = this.parts.leavesSeen(arrow.state);
      return [arrow.state, ...seen].map((target) => goal(target, false));
    }
    if (arrow?.kind !== "to" || arrow.target.kind !== "state" || !states[arrow.target.state]) return [];
    return [goal(arrow.target.state, arrow.inner)];
  }

  /**
   * The state inside which everything is left: for `inner` the source, else the nearest around both, no parallel one.
   */
  private domain(source: number, target: number, inner: boolean): number {
    const { machine } = this.parts;
    const { states } = machine;
    const within = (id: number): boolean => target > id && isInside(machine, target, id);
    if (inner && !states[source]?.parallel && within(source)) return source;
    for (let id = states[source]?.parent ?? -1; id > 0; id = states[id]?.parent ?? -1)
      if (!states[id]?.parallel && within(id)) return id;
    return 0;
  }
}

/** One of each list, in every way; lists with nothing in them are passed over. */
function combinations<T>(lists: readonly (readonly T[])[]): T[][] {
  return lists
    .filter((list) => list.length > 0)
    .reduce<T[][]>((all, list) => all.flatMap((one) => list.map((next) => [...one, next])), [[]]);
}
