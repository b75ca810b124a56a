/**
 * What is known in each state: the machine run on stores that stand for many situations at once, from the
 * start, until nothing new comes of any input. A step is followed from rest to rest by itself, so what
 * a state on the way tests is known behind it; where steps meet at rest, what they know is joined, by
 * state and by the seat that has the turn.
 *
 * Only what a match can do counts that begins as the text says: data that nothing ever writes may
 * have been given any value (set-up), all other data begin with their defaults.
 */

import type { Action, Arrow, Expr, Law, Listener, Machine, State, Target, When } from "../machine.js";
import { branchesOf } from "../visit.js";
import { chainOf, commonOf, isInside, overlayOf, pathTo, stillActive } from "../tree.js";
import type { Accesses } from "./accesses.js";
import { chosenOnceReady } from "./all-ready.js";
import { Beginning, stepsAfter, type Thresholds, thresholds } from "./beginning.js";
import { Conditions } from "./conditions.js";
import type { Evaluator } from "./evaluate.js";
import { Covered } from "./covered.js";
import { Executor, joinWays, type Raised, type Way } from "./execute.js";
import { MAX_SEATS, Openings } from "./openings.js";
import { Overlays } from "./overlays.js";
import { ANY, between, bitsOf, choice, only, type Possible, single } from "./possible.js";
import { type Beside, type Entry, type Item, StandardOrder, type StandardParts } from "./standard-order.js";
import { joinKnowledge, Knowledge } from "./knowledge.js";

/** A state at rest, seen apart for each seat that may have the turn, or has it before and after. */
export interface Point {
  readonly leaf: number;
  /** That seat, when it is one and known; else -1. */
  readonly turn: number;
  store: Knowledge;
  /** Leaves of parallel states beside it that may be active too. */
  readonly peers: Set<number>;
  visits: number;
}

/** One way through a step: where it is now, and what is known there. */
interface Passing {
  readonly leaf: number;
  readonly peers: ReadonlySet<number>;
  readonly store: Knowledge;
  readonly raised: readonly Raised[];
  /** States entered just now, whose `enter -> ...` is still to be taken, or in which each is still to have a turn. */
  readonly fresh: ReadonlySet<number>;
  /** Where it has been since the step began. */
  readonly trail: readonly Stop[];
  /** Signals heard since the step began. */
  readonly heard: number;
}

/** The items that another branch may take where one takes a `when`. */
const whensBeside: Beside = (state) =>
  state.whens.map((item) => ({ item, test: item.test.kind === "holds" ? item.test.test : undefined }));

/** A way, with the states entered on it. */
type FreshWay = Way & { readonly fresh: ReadonlySet<number> };

/**
 * Where a step is before it comes to rest: a leaf, and behind which entries it is still to be asked where to go. It is
 * asked once, so whoever comes to the same leaf without it has not gone round.
 */
interface Stop {
  readonly leaf: number;
  readonly key: string;
}

/** What is known of a match that passes through a state without any rest. */
interface Transit {
  readonly stop: Stop;
  way: Way;
  readonly peers: Set<number>;
  readonly fresh: Set<number>;
  visits: number;
}

/** Told of what happens while the settled machine is gone through once more. */
export interface FlowWatcher {
  tested(test: Expr, store: Knowledge, leaf: number): void;
  chooses(arrow: Arrow & { kind: "choose" }, store: Knowledge, leaf: number): void;
  settles(whens: readonly When[], store: Knowledge, leaf: number): void;
  moves(arrow: Arrow, target: { readonly state: number } | { readonly ending: number }, at: Passing): void;
  drops(signals: readonly Raised[], arrow: Arrow): void;
  opens(action: Action): void;
  delivers(signal: number): void;
  hears(listener: Listener): void;
}

/** Joins at a point before bounds are widened. */
const VISITS = 4;
/** States gone through in one step before steps are joined. */
const MAX_TRAIL = 24;
/** Signals heard in one step before steps are joined. */
const MAX_HEARD = 16;
/** Ways followed apart in one step before they are joined, and once much has been worked out. */
const MAX_WAYS = 300;
const FEW_WAYS = 8;
/** Ways in which laws can hold, kept apart where an input is taken. */
const MAX_LAWFUL = 8;

export class Flow {
  readonly points = new Map<number, Point>();
  readonly entered = new Set<number>();
  /** What is known where a leaf with a `turn of each` begins to rest, before anybody has acted in it. */
  readonly begun = new Map<number, Knowledge>();
  readonly endings = new Set<number>();
  /** The leaves of a step that came back to one of them without any rest, by that leaf. */
  readonly circles = new Map<number, readonly number[]>();
  /** Where each law was asked at rest: by the leaf, whether it can hold there. */
  private readonly lawsAt = new Map<Law, Map<number, boolean>>();
  /** Laws of which it is not shown that they hold at rest, where those that are believed held at rest before. */
  readonly doubtful = new Set<Law>();
  readonly conditions: Conditions;
  readonly values: Evaluator;
  readonly effects: Executor;
  /** Who may take which action where. */
  readonly openings: Openings<Point>;
  /** What passes through without any rest, joined over all ways through it, by where it is. */
  private readonly transits = new Map<string, Transit>();
  private readonly covered = new Covered();
  private readonly overlays: Overlays;
  private readonly queue = new Set<Point | Transit>();
  private watcher: FlowWatcher | undefined;
  private here: Passing;
  private readonly steps: Thresholds;
  private readonly beginning: Beginning;
  /** The leaf whose effects run now. */
  leafNow = 0;
  private ways = 0;
  /** By states with a turn of each, what is known to be set once all are ready. */
  private readonly chosen = new Map<number, readonly number[]>();
  private readonly heard: ReadonlyMap<number, boolean>;
  /** The one datum that says whose turn it is, when the machine has one. */
  private readonly usualTurn: State["turn"];
  /** For machines that ask for it; all others go by the language's own order. */
  private readonly standard: StandardOrder<Passing> | undefined;

  constructor(
    readonly machine: Machine,
    readonly accesses: Accesses,
    /** These laws are taken to hold wherever a match is at rest. */
    private readonly believed: ReadonlySet<Law>,
    /** The ways in which they can hold are gone on from one by one. */
    private readonly apart = false,
    tiresAfter?: number,
  ) {
    this.conditions = new Conditions(machine, (state) => this.active(state), tiresAfter);
    this.values = this.conditions.values;
    this.values.neverResized = (path) => accesses.neverResized(path);
    this.steps = thresholds(machine);
    this.effects = new Executor(machine, this.conditions, this.steps);
    this.beginning = new Beginning(accesses, this.values);
    this.overlays = new Overlays(machine, accesses);
    this.openings = new Openings<Point>({
      machine,
      conditions: this.conditions,
      standing: (point, look) => this.standing(point, look),
      joined: (stores) => this.joined(stores),
      tested: (test, store, leaf) => this.watcher?.tested(test, store, leaf),
    });
    this.here = restingAt({ leaf: 0, peers: new Set(), store: Knowledge.empty(0, only(0)) });
    this.heard = new Map(
      machine.signals.map((s) => [
        s.id,
        machine.states.some((state) => state.listeners.some((l) => l.signal === s.id)),
      ]),
    );
    const turns = machine.states.flatMap(({ turn }) =>
      turn && !turn.each && turn.of.kind === "data" && turn.of.type.kind === "seat" ? [turn] : [],
    );
    const slots = new Set(turns.map(({ of }) => (of.kind === "data" ? of.slot : -1)));
    this.usualTurn = slots.size === 1 ? turns[0] : undefined;
    this.standard = machine.standardOrder ? new StandardOrder(this.standardParts()) : undefined;
  }

  /**
   * Goes on until nothing new comes of any input.
   *
   * @throws TooMuch when that is more work than allowed
   */
  settle(): void {
    this.begin();
    this.goOn();
    if (this.values.isTiring) {
      // What was gone through before was followed more exactly, and may come to more now.
      this.covered.clear();
      this.begin();
      for (const known of [...this.transits.values(), ...this.points.values()]) this.queue.add(known);
      this.goOn();
    }
    this.values.stayAsExact();
  }

  private goOn(): void {
    for (const next of this.queue) {
      this.queue.delete(next);
      if ("way" in next) this.transit(next);
      else this.inputs(next);
    }
  }

  /** Goes through the settled machine once more and tells what happens. */
  watch(watcher: FlowWatcher): void {
    this.watcher = watcher;
    this.covered.clear();
    this.begin();
    for (const known of [...this.transits.values()]) this.transit(known);
    for (const point of [...this.points.values()]) this.inputs(point);
    this.watcher = undefined;
    this.queue.clear();
  }

  /** Laws that surely do not hold in some leaf, on whatever way one comes there, with that leaf. */
  brokenLaws(): Map<Law, number> {
    const broken = new Map<Law, number>();
    for (const [law, leaves] of this.lawsAt) {
      const leaf = [...leaves].find(([, holds]) => !holds);
      if (leaf) broken.set(law, leaf[0]);
    }
    return broken;
  }

  /** The points at rest of a leaf. */
  pointsOf(leaf: number): Point[] {
    return [...this.points.values()].filter((p) => p.leaf === leaf);
  }

  /** Looks at things as they are at a point. */
  standing<T>(point: Point, look: () => T): T {
    const before = this.here;
    this.here = restingAt(point);
    try {
      return look();
    } finally {
      this.here = before;
    }
  }

  // ---- where it is -----------------------------------------------------------------------------

  /** From here on expressions and effects are looked at as they are there. */
  private stand(at: Passing): void {
    this.here = at;
    this.leafNow = at.leaf;
  }

  private state(id: number): State {
    return this.machine.states[id] as State;
  }

  private active(state: number): boolean | undefined {
    if (isInside(this.machine, this.here.leaf, state)) return true;
    for (const peer of this.here.peers) if (isInside(this.machine, peer, state)) return undefined;
    const overlay = overlayOf(this.machine, this.here.leaf);
    return overlay < 0 ? false : this.overlays.lies(state, overlay);
  }

  private standardParts(): StandardParts<Passing> {
    return {
      machine: this.machine,
      conditions: this.conditions,
      effects: this.effects,
      joined: (stores) => this.joined(stores),
      standIn: (leaf, at) => {
        this.here = { ...at, leaf };
        this.leafNow = at.leaf;
      },
      exits: (leaf, upTo, ways) => this.exits(leaf, upTo, ways),
      forget: (leaf, upTo, store) => this.forget(leaf, upTo, store),
      enterAll: (entries, at) => this.enterAll(entries, at),
      arrive: (at) => this.arrive(at),
      pass: (at) => this.pass(at),
      leavesSeen: (inside) => this.leavesSeen(inside),
      chooses: (arrow, store, leaf) => this.watcher?.chooses(arrow, store, leaf),
      moves: (arrow, target, at) => {
        if ("ending" in target) this.end(arrow, target.ending, at);
        else this.watcher?.moves(arrow, target, at);
      },
    };
  }

  // ---- the beginning ---------------------------------------------------------------------------

  private begin(): void {
    this.ways = 0;
    this.enter([0], [], restingAt({ leaf: 0, peers: new Set(), store: this.beginning.of(this.machine) }));
  }

  // ---- entering and leaving --------------------------------------------------------------------

  /** Enters states from the outside in, the last with its arguments, then what they start in; goes on from there. */
  private enter(path: readonly number[], args: readonly Possible[], from: Passing): void {
    this.enterAll([{ path, args }], from);
  }

  /** Enters several, in branches beside each other, and goes on from the leaf reached last. */
  private enterAll(entries: readonly Entry[], from: Passing): void {
    let ways: FreshWay[] = [{ store: from.store, raised: from.raised, fresh: from.fresh }];
    const leaves: number[] = [];
    for (const { path, args } of entries) ways = this.enterPath(path, args, from, ways, leaves);
    if (ways.length === 0) return;
    const all = new Set([...leaves, ...from.peers]);
    const leaf = leaves.at(-1) as number;
    all.delete(leaf);
    const merged = this.isFollowingMany() ? [mergeFresh(ways)] : ways;
    for (const way of merged)
      this.arrive({
        leaf,
        peers: all,
        store: way.store,
        raised: way.raised,
        fresh: way.fresh,
        trail: from.trail,
        heard: from.heard,
      });
  }

  /** Enters the states of a path and what they start in; adds the leaves that are active then. */
  private enterPath(
    path: readonly number[],
    args: readonly Possible[],
    from: Passing,
    before: FreshWay[],
    leaves: number[],
  ): FreshWay[] {
    let ways = before;
    const go = (id: number, given: readonly Possible[]): void => {
      const state = this.state(id);
      this.entered.add(id);
      this.leafNow = id;
      this.here = { ...from, leaf: id };
      ways = ways.flatMap((way) => this.enterOne(state, given, way));
    };
    const down = (id: number): void => {
      const state = this.state(id);
      if (state.start >= 0) {
        go(state.start, []);
        down(state.start);
      } else if (state.parallel) {
        for (const child of state.children) {
          go(child, []);
          down(child);
        }
      } else leaves.push(id);
    };
    for (const [i, id] of path.entries()) {
      const last = i === path.length - 1;
      go(id, last ? args : []);
      // Entering one region of a parallel state enters the others too.
      const next = path[i + 1];
      if (!last && this.state(id).parallel) {
        for (const child of this.state(id).children) {
          if (child === next) continue;
          go(child, []);
          down(child);
        }
      }
      if (last) down(id);
    }
    return ways;
  }

  private enterOne(state: State, args: readonly Possible[], way: FreshWay): FreshWay[] {
    let { store } = way;
    if (state.slot >= 0) {
      const fields: Possible[] = [];
      store = store.write(state.slot, { kind: "record", fields });
      for (const [i, field] of state.fields.entries()) {
        const parameter = state.parameters[i];
        const given = parameter && args[i];
        const value =
          given ??
          (field.initial ? this.values.evaluate(field.initial, store) : this.values.defaultOf(field.type, store));
        fields.push(
          field.type.kind === "perSeat" && field.initial && value.kind !== "perSeat"
            ? { kind: "perSeat", seats: Array.from({ length: this.values.seats }, () => value) }
            : this.values.fitted(value, field.type),
        );
        const name = `${state.slot}:${i}`;
        store = store.marked(
          name,
          !parameter && !field.initial && this.beginning.mustBeSet(`s${state.slot}.${i}`, field.type),
        );
      }
    }
    const fresh = new Set(way.fresh);
    if (state.turn?.each || state.whens.some((w) => w.test.kind === "entered")) fresh.add(state.id);
    let ways: Way[] = [{ store, raised: way.raised }];
    for (const { block } of state.enters) if (block) ways = ways.flatMap((w) => this.effects.run(block, w));
    return ways.map((w) => ({ ...w, store: w.store.withLocals(new Map()), fresh }));
  }

  /** Leaves everything from a leaf up to, not including, a state. */
  private leave(leaf: number, upTo: number, ways: Way[]): Way[] {
    return this.exits(leaf, upTo, ways).map((w) => ({ ...w, store: this.forget(leaf, upTo, w.store) }));
  }

  /** What `exit` does on the way from a leaf up to, not including, a state. */
  private exits(leaf: number, upTo: number, ways: Way[]): Way[] {
    let left = ways;
    for (let id = leaf; id >= 0 && id !== upTo; id = this.state(id).parent)
      for (const block of this.state(id).exits) left = left.flatMap((w) => this.effects.run(block, w));
    return left;
  }

  /** Without the data of the states that are left. */
  private forget(leaf: number, upTo: number, known: Knowledge): Knowledge {
    let store = known;
    for (let id = leaf; id >= 0 && id !== upTo; id = this.state(id).parent) {
      const { slot } = this.state(id);
      if (slot >= 0) store = store.write(slot, undefined);
    }
    return store;
  }

  // ---- arrows ----------------------------------------------------------------------------------

  /**
   * Follows an arrow that stands in a state from where the step now is.
   *
   * @param repeats the same item may be taken again at once, so that staying is one more round of a circle
   */
  private follow(arrow: Arrow, source: number, at: Passing, repeats = false): void {
    this.stand(at);
    switch (arrow.kind) {
      case "stay":
      case "ready":
      case "missing": {
        const after = { ...at, store: at.store.withLocals(new Map()) };
        if (repeats) this.arrive(after);
        else this.pass(after);
        return;
      }
      case "return":
        this.giveBack(at);
        return;
      case "to":
        this.goTo(arrow, arrow.target, source, arrow.again, at);
        return;
      case "history": {
        this.watcher?.moves(arrow, { state: arrow.state }, at);
        this.move(arrow.state, [], source, false, at);
        for (const leaf of this.leavesSeen(arrow.state)) this.move(leaf, [], source, false, at);
        return;
      }
      case "choose": {
        this.watcher?.chooses(arrow, at.store, at.leaf);
        let rest: readonly Knowledge[] = [at.store];
        for (const { test, block, arrow: onward } of branchesOf(arrow)) {
          this.stand(at);
          const holds = test ? rest.flatMap((s) => this.conditions.split(test, true, s)) : rest;
          const not: Knowledge[] = test ? rest.flatMap((s) => this.conditions.split(test, false, s)) : [];
          for (const store of this.joined(holds)) {
            this.stand(at);
            for (const way of this.effects.run(block, { store, raised: at.raised }))
              this.follow(onward, source, { ...at, ...way }, repeats);
          }
          rest = this.joined(not);
        }
        return;
      }
      case "odds":
        for (const entry of arrow.entries) {
          this.here = at;
          if (this.values.number(entry.weight, at.store).high > 0) this.goTo(arrow, entry.target, source, false, at);
        }
    }
  }

  /** The leaves inside a state in which a match has been seen at rest. */
  private leavesSeen(inside: number): number[] {
    const leaves = [...this.points.values()].map((p) => p.leaf);
    return [...new Set(leaves.filter((leaf) => leaf !== inside && isInside(this.machine, leaf, inside)))];
  }

  private end(arrow: Arrow, ending: number, at: Passing): void {
    this.endings.add(ending);
    this.watcher?.moves(arrow, { ending }, at);
    if (at.raised.length > 0) this.watcher?.drops(at.raised, arrow);
    if (this.watcher) this.doubtAtEnd(at.store);
  }

  /** Laws are tested when the match is over, too, where no state is active any more. */
  private doubtAtEnd(store: Knowledge): void {
    // What is done on leaving is not gone through.
    const leaves = this.machine.states.some(({ exits }) => exits.length > 0);
    const before = this.here;
    this.here = restingAt({ leaf: 0, peers: new Set(), store });
    for (const law of this.machine.laws)
      if (law.form === "holds" && (leaves || this.conditions.under(law.test, false, store))) this.doubtful.add(law);
    this.here = before;
  }

  private joined(stores: readonly Knowledge[]): readonly Knowledge[] {
    this.ways += stores.length;
    return (this.isFollowingMany() && stores.length > 1) || stores.length > 8
      ? [stores.reduce((a, b) => joinKnowledge(a, b))]
      : stores;
  }

  private goTo(arrow: Arrow, target: Target, source: number, again: boolean, at: Passing): void {
    let { store } = at;
    const args = target.args.map((arg) => {
      const taken = this.effects.taking(arg, store);
      store = taken.store;
      return taken.value;
    });
    if (target.kind === "ending") {
      this.end(arrow, target.ending, at);
      return;
    }
    this.watcher?.moves(arrow, { state: target.state }, { ...at, store });
    this.move(target.state, args, source, again, { ...at, store });
  }

  private move(target: number, args: readonly Possible[], source: number, again: boolean, at: Passing): void {
    const { machine } = this;
    const from = at.leaf;
    const overlay = overlayOf(this.machine, from);
    const into = overlayOf(this.machine, target);
    const local = { ...at, store: at.store.withLocals(new Map()).moved() };
    if (into >= 0 && into !== overlay) {
      // What comes back from the overlay now may be more.
      if (this.overlays.freeze(into, local) && !this.watcher)
        for (const point of this.points.values()) if (isInside(machine, point.leaf, into)) this.queue.add(point);
      this.enter(pathTo(this.machine, target, 0), args, { ...local, peers: new Set(), trail: at.trail });
      return;
    }
    if (overlay >= 0 && into < 0) {
      this.leaveOverlay(overlay, target, args, again, local, new Set());
      return;
    }
    const upTo = again ? this.state(target).parent : commonOf(this.machine, source, target, false);
    // Leaving: the leaf the step is in, and in parallel states everything else inside.
    const leaving = isInside(machine, from, upTo) ? from : source;
    for (const way of this.leave(leaving, upTo, [{ store: local.store, raised: at.raised }])) {
      this.enter(pathTo(this.machine, target, upTo), args, {
        ...local,
        peers: stillActive(this.machine, at.peers, upTo, from),
        ...way,
      });
    }
  }

  /** Out of an overlay for good: it ends, and what lay below it is left. */
  private leaveOverlay(
    overlay: number,
    target: number,
    args: readonly Possible[],
    again: boolean,
    at: Passing,
    ended: Set<number>,
  ): void {
    if (ended.has(overlay)) return;
    ended.add(overlay);
    for (const { leaf, ...below } of this.overlays.below(overlay)) {
      const out = this.leave(at.leaf, 0, [
        { store: this.overlays.thawed(overlay, below.store, at.store), raised: at.raised },
      ]);
      const under = overlayOf(this.machine, leaf);
      if (under >= 0) {
        for (const way of out) this.leaveOverlay(under, target, args, again, { ...at, leaf, ...way }, ended);
        continue;
      }
      const upTo = commonOf(this.machine, leaf, target, again);
      for (const way of this.leave(leaf, upTo, out))
        this.enter(pathTo(this.machine, target, upTo), args, {
          ...at,
          peers: stillActive(this.machine, below.peers, upTo),
          ...way,
        });
    }
  }

  // ---- overlays --------------------------------------------------------------------------------

  private giveBack(at: Passing): void {
    const overlay = overlayOf(this.machine, at.leaf);
    const [left] = this.leave(at.leaf, 0, [
      { store: at.store.withLocals(new Map()).moved(), raised: at.raised },
    ]).reduce<Way[]>((all, way) => [all[0] ? joinWays(all[0], way) : way], []);
    if (!left) return;
    for (const below of this.overlays.below(overlay)) {
      this.arrive({
        leaf: below.leaf,
        peers: below.peers,
        store: this.overlays.thawed(overlay, below.store, left.store),
        raised: left.raised,
        fresh: below.fresh,
        trail: at.trail,
        heard: at.heard,
      });
    }
  }

  // ---- coming to rest --------------------------------------------------------------------------

  /** Delivers what was raised, takes the first condition that holds, and rests when there is none. */
  private arrive(at: Passing): void {
    const stop = this.stopOf(at);
    const before = at.trail.findIndex(({ key }) => key === stop.key);
    if (before >= 0)
      this.circles.set(
        at.leaf,
        at.trail.slice(before).map(({ leaf }) => leaf),
      );
    if (at.trail.length > MAX_TRAIL || before >= 0 || this.isFollowingMany()) this.meetInTransit(at, stop);
    else if (!this.isCovered(at)) this.pass({ ...at, trail: [...at.trail, stop] });
  }

  /** Whether a step came here before with all that is possible now, and nothing else is to be done. */
  private isCovered({ leaf, peers, fresh, raised, store }: Passing): boolean {
    if (raised.length > 0 || store.locals.size > 0) return false;
    return this.covered.has([leaf, "|", ...[...peers].sort(), "|", ...[...fresh].sort()].join(" "), store);
  }

  private meetInTransit(at: Passing, stop = this.stopOf(at)): void {
    const known = this.transits.get(stop.key);
    const way: Way = { store: at.store, raised: at.raised };
    if (!known) {
      const begun: Transit = { stop, way, peers: new Set(at.peers), fresh: new Set(at.fresh), visits: 0 };
      this.transits.set(stop.key, begun);
      this.queue.add(begun);
      return;
    }
    const merged = joinWays(known.way, way);
    const store =
      known.visits++ >= VISITS
        ? joinKnowledge(known.way.store, merged.store, stepsAfter(known.visits, this.steps, this.values.isTiring))
        : joinKnowledge(known.way.store, at.store);
    const news =
      store !== known.way.store ||
      merged.raised.length > known.way.raised.length ||
      [...at.fresh].some((f) => !known.fresh.has(f)) ||
      [...at.peers].some((p) => !known.peers.has(p));
    for (const f of at.fresh) known.fresh.add(f);
    for (const p of at.peers) known.peers.add(p);
    known.way = { store, raised: merged.raised };
    if (news && !this.watcher) this.queue.add(known);
  }

  /** More ways are followed apart than should be: of what takes much work fewer, so that it comes to an end. */
  private isFollowingMany(): boolean {
    return this.ways > (this.values.isTiring ? FEW_WAYS : MAX_WAYS);
  }

  private stopOf({ leaf, peers, fresh }: Passing): Stop {
    const asking = new Set<number>();
    for (const one of [leaf, ...peers])
      for (const { id, whens } of chainOf(this.machine, one))
        if (fresh.has(id) && whens.some(({ test }) => test.kind === "entered")) asking.add(id);
    return { leaf, key: [leaf, ...[...asking].sort((a, b) => a - b)].join(" ") };
  }

  private transit({ stop, peers, way, fresh }: Transit): void {
    this.ways = 0;
    this.pass({ leaf: stop.leaf, peers, ...way, fresh, trail: [stop], heard: 0 });
  }

  private pass(at: Passing): void {
    const [signal, ...waiting] = at.raised;
    // Signals come before any `when`; in the standard order it is the other way round.
    if (signal && !this.standard) {
      this.deliver(signal, { ...at, raised: waiting });
      return;
    }
    this.stand(at);
    if (this.state(at.leaf).stub) {
      this.rest(at, at.store);
      return;
    }
    let store: Knowledge | undefined = at.store;
    const tested: When[] = [];
    for (const state of chainOf(this.machine, at.leaf)) {
      for (const when of state.whens) {
        if (!store) return;
        if (when.test.kind === "entered") {
          if (!at.fresh.has(state.id)) continue;
          const fresh = new Set(at.fresh);
          fresh.delete(state.id);
          this.take(when, { ...at, store, fresh }, whensBeside);
          return;
        }
        tested.push(when);
        store = this.perhaps(when, { ...at, store });
        this.here = at;
        this.leafNow = at.leaf;
      }
    }
    if (!store) return;
    this.watcher?.settles(tested, at.store, at.leaf);
    if (signal) this.deliver(signal, { ...at, store, raised: waiting });
    else this.rest(at, store);
  }

  /** Takes a condition where it may hold, and gives what is known where it does not. */
  private perhaps(when: When, at: Passing): Knowledge | undefined {
    const { test } = when;
    if (test.kind === "holds") {
      this.watcher?.tested(test.test, at.store, at.leaf);
      for (const store of this.joined(this.conditions.split(test.test, true, at.store))) {
        this.take(when, { ...at, store }, whensBeside, true);
        this.here = at;
        this.leafNow = at.leaf;
      }
      return this.conditions.under(test.test, false, at.store);
    }
    if (test.kind === "done") {
      const done = this.isDone(test.of, test.final, at.leaf, at.peers);
      // In the standard order this is an event too, and those raised before it come first.
      if (this.standard && at.raised.length > 0) return at.store;
      if (done !== false) this.take(when, at, whensBeside, true);
      return done === true ? undefined : at.store;
    }
    const ready = this.onceReady(when, at.store);
    if (ready) this.take(when, { ...at, store: ready }, whensBeside, true);
    return at.store;
  }

  /** What is known once all are ready: all have chosen. Undefined where somebody surely has not. */
  private onceReady({ state: of }: When, store: Knowledge): Knowledge | undefined {
    const state = chainOf(this.machine, of).find(({ turn }) => turn);
    if (!state || store.inPlay.low < this.values.seats) return store;
    const slots = this.chosen.get(state.id) ?? chosenOnceReady(this.machine, state);
    this.chosen.set(state.id, slots);
    let known = store;
    for (const slot of slots) {
      const value = known.data[slot];
      if (value?.kind !== "perSeat") continue;
      if (value.seats.some((of) => of.kind === "maybe" && !of.of)) return undefined;
      const seats = value.seats.map((of) => (of.kind === "maybe" ? { ...of, none: false } : of));
      known = known.learn(slot, { kind: "perSeat", seats });
    }
    return known;
  }

  private isDone(of: number, final: number, leaf: number, peers: ReadonlySet<number>): boolean | undefined {
    const state = this.state(of);
    const isFinal = (id: number): boolean =>
      this.state(id).kind === "final" && this.state(id).parent === of && (final < 0 || id === final);
    if (!state.parallel) return isFinal(leaf) ? true : [...peers].some(isFinal) ? undefined : false;
    // A parallel state is done when each of its branches is.
    const hasFinal = (branch: number): boolean =>
      this.machine.states.some(({ kind, id }) => kind === "final" && isInside(this.machine, id, branch));
    if (!state.children.every(hasFinal)) return false;
    return [leaf, ...peers].some((id) => this.state(id).kind === "final" && isInside(this.machine, id, of))
      ? undefined
      : false;
  }

  /** Takes an action, a timer or a `when`; in the standard order branches beside may take something with it. */
  private take(item: Item, at: Passing, beside: Beside = () => [], repeats = false): void {
    if (this.standard) {
      for (const store of this.standard.take(item, undefined, at, beside))
        this.arrive({ ...at, store: store.withLocals(new Map()) });
      return;
    }
    const { from, to } = this.state(item.state);
    for (const way of this.effects.run(item.block, { store: at.store, raised: at.raised }))
      this.follow(item.arrow ?? { kind: "stay", from, to }, item.state, { ...at, ...way }, repeats);
  }

  /** One signal to every live listener, innermost first; of those with an arrow the first is taken. */
  private deliver(signal: Raised, at: Passing): void {
    this.watcher?.delivers(signal.signal);
    if (!this.heard.get(signal.signal)) {
      this.pass(at);
      return;
    }
    if (at.heard > MAX_HEARD) {
      this.meetInTransit({ ...at, raised: [signal, ...at.raised] });
      return;
    }
    if (this.standard) {
      this.deliverInBranches(this.standard, signal, at);
      return;
    }
    this.stand(at);
    const sure = new Set(chainOf(this.machine, at.leaf).map((s) => s.id));
    const chain = chainOf(this.machine, at.leaf);
    for (const peer of at.peers)
      for (const s of chainOf(this.machine, peer)) if (!sure.has(s.id) && !chain.includes(s)) chain.push(s);
    type Taken = Passing & { readonly arrow?: { readonly arrow: Arrow; readonly source: number } };
    let ways: Taken[] = [at];
    for (const state of chain) {
      for (const listener of state.listeners) {
        if (listener.signal !== signal.signal) continue;
        ways = ways.flatMap((way): Taken[] => {
          const hears = this.hears(listener, signal, way, sure.has(state.id));
          return hears;
        });
        if (ways.length > 8) ways = [mergePassings(ways)];
      }
    }
    for (const { arrow, ...way } of ways) {
      const clean = { ...way, store: way.store.withLocals(new Map()), heard: at.heard + 1 };
      if (arrow)
        this.follow(arrow.arrow, arrow.source, {
          ...way,
          heard: at.heard + 1,
          ...(isInside(this.machine, at.leaf, arrow.source) ? {} : this.asPeer(way, arrow.source)),
        });
      else this.pass(clean);
    }
  }

  /** One signal in the standard order: the innermost listener of each branch, effects and arrow being one. */
  private deliverInBranches(standard: StandardOrder<Passing>, signal: Raised, at: Passing): void {
    const listeners: Beside = (state) =>
      state.listeners.filter((l) => l.signal === signal.signal).map((item) => ({ item, test: item.test }));
    let bound = at.store;
    for (const { item } of this.machine.states.flatMap(listeners))
      for (const [i, slot] of (item as Listener).slots.entries())
        bound = this.values.bound(slot, signal.args[i] ?? ANY, bound);
    // A signal that may be raised any number of times comes once more, until nothing new comes of it.
    for (const raised of signal.often ? [[signal, ...at.raised], at.raised] : [at.raised]) {
      const next: Passing = { ...at, raised, heard: at.heard + 1 };
      for (const leaf of [at.leaf, ...at.peers]) {
        const view = leaf === at.leaf ? next : { ...next, ...this.asPeer(next, leaf) };
        let rest: readonly Knowledge[] = [bound];
        for (const { item, test } of chainOf(this.machine, leaf).flatMap(listeners)) {
          if (test) for (const store of rest) this.watcher?.tested(test, store, leaf);
          rest = rest.flatMap((store) => standard.take(item, test, { ...view, store }, listeners));
        }
        // Nobody hears it, or a branch beside does, which is gone through on its own.
        if (leaf === at.leaf)
          for (const store of this.joined(rest)) this.pass({ ...next, store: store.withLocals(at.store.locals) });
      }
    }
  }

  /** The step seen from another region of a parallel state. */
  private asPeer(way: Passing, source: number): { leaf: number; peers: Set<number> } {
    const leaf = [...way.peers].find((p) => isInside(this.machine, p, source)) ?? way.leaf;
    const peers = new Set([...way.peers, way.leaf]);
    peers.delete(leaf);
    return { leaf, peers };
  }

  private hears<T extends Passing & { readonly arrow?: { readonly arrow: Arrow; readonly source: number } }>(
    listener: Listener,
    signal: Raised,
    at: T,
    sure: boolean,
  ): (Passing & { readonly arrow?: { readonly arrow: Arrow; readonly source: number } })[] {
    this.stand(at);
    this.watcher?.hears(listener);
    let bound = at.store;
    for (const [i, slot] of listener.slots.entries()) bound = this.values.bound(slot, signal.args[i] ?? ANY, bound);
    const out: (Passing & { readonly arrow?: { readonly arrow: Arrow; readonly source: number } })[] = [];
    if (listener.test) this.watcher?.tested(listener.test, bound, at.leaf);
    for (const store of listener.test ? this.conditions.split(listener.test, true, bound) : [bound]) {
      let ways = this.effects.run(listener.block, { store, raised: at.raised });
      if (signal.often) {
        // Heard any number of times: go round until nothing new comes of it.
        let known: Way = { store, raised: at.raised };
        for (let round = 0; round < 12; round++) {
          const next = this.effects.run(listener.block, known).reduce(joinWays);
          const joined = joinKnowledge(
            known.store,
            next.store,
            round > 2 ? stepsAfter(round, this.steps, this.values.isTiring) : undefined,
          );
          if (joined === known.store) break;
          known = { store: joined, raised: known.raised };
        }
        ways = [known];
      }
      for (const way of ways)
        out.push({
          ...at,
          ...way,
          ...(listener.arrow && !at.arrow && { arrow: { arrow: listener.arrow, source: listener.state } }),
        });
    }
    const not = listener.test ? this.conditions.under(listener.test, false, bound) : undefined;
    if (not) out.push({ ...at, store: not.withLocals(at.store.locals) });
    if (!sure) out.push(at);
    return out;
  }

  private rest(at: Passing, known: Knowledge): void {
    const before = known.settled();
    let store: Knowledge = before;
    this.here = at;
    // A law that does not hold is a fault: whoever believes that none is, knows that at rest every law holds.
    for (const law of this.machine.laws) {
      if (law.form !== "holds") continue;
      const under: Knowledge | undefined = this.conditions.under(law.test, true, store);
      if (this.watcher) {
        const leaves = this.lawsAt.get(law) ?? new Map<number, boolean>();
        this.lawsAt.set(law, leaves.set(at.leaf, leaves.get(at.leaf) === true || under !== undefined));
        if (this.conditions.under(law.test, false, before)) this.doubtful.add(law);
      }
      if (this.believed.has(law)) store = under ?? store;
    }
    const turn = this.openings.turnAt(at.leaf);
    // Where nobody has the turn, what is known is kept apart by whose it was or will be.
    const apart = turn ?? this.usualTurn;
    // Whose turn it is has been worked out without a fault, or nothing goes on from here.
    if (turn) store = this.conditions.afterwards(turn.of, store);
    store = store.settled();
    const each = chainOf(this.machine, at.leaf).find((s) => s.turn?.each);
    if (each && at.fresh.has(each.id)) {
      const known = this.begun.get(at.leaf);
      this.begun.set(at.leaf, known ? joinKnowledge(known, store) : store);
    }
    const mask = apart && !apart.each ? this.openings.seatsOf(apart.of, store) : 0;
    const seat = this.values.seats <= MAX_SEATS ? single(mask) : -1;
    if (apart && !apart.each && apart.of.type.kind === "seat" && seat < 0 && this.values.seats <= MAX_SEATS) {
      for (const one of bitsOf(mask)) {
        const under = this.conditions.learn(apart.of, choice(2 ** one), store);
        if (under) this.meetAtRest(at, under, one);
      }
      return;
    }
    this.meetAtRest(at, store, seat);
  }

  private meetAtRest(at: Passing, store: Knowledge, seat: number): void {
    const key = at.leaf * 64 + seat + 1;
    const known = this.points.get(key);
    if (!known) {
      const point: Point = { leaf: at.leaf, turn: seat, store, peers: new Set(at.peers), visits: 0 };
      this.points.set(key, point);
      if (!this.watcher) this.queue.add(point);
    } else {
      const isWide = known.visits >= VISITS;
      const before = isWide ? known.store : known.store.recalling(store, this.evaluated(known.store));
      const arriving = store.recalling(known.store, this.evaluated(store));
      const joined = joinKnowledge(
        before,
        arriving,
        isWide ? stepsAfter(known.visits, this.steps, this.values.isTiring) : undefined,
      );
      const peers = [...at.peers].filter((p) => !known.peers.has(p));
      for (const peer of peers) known.peers.add(peer);
      if (joined === known.store && peers.length === 0) return;
      if (joined !== known.store) known.visits++;
      known.store = joined;
      if (this.watcher) return;
      this.queue.add(known);
    }
    // The other regions of a parallel state now know as much.
    for (const peer of at.peers)
      this.pass({
        leaf: peer,
        peers: new Set([...at.peers, at.leaf].filter((p) => p !== peer)),
        store,
        raised: [],
        fresh: new Set(),
        trail: at.trail,
        heard: at.heard,
      });
  }

  /** The ways in which laws that were shown can hold where a match is still at rest, each for itself. */
  private lawful(store: Knowledge, at: Passing): readonly Knowledge[] {
    if (!this.apart) return [store];
    this.stand(at);
    let ways: readonly Knowledge[] = [store];
    for (const law of this.believed) {
      if (law.form !== "holds" || ways.length > MAX_LAWFUL) continue;
      ways = ways.flatMap((way) => this.conditions.split(law.test, true, way));
    }
    return ways;
  }

  private evaluated(store: Knowledge): (e: Expr) => Possible {
    return (e) => this.values.evaluate(e, store);
  }

  // ---- inputs ----------------------------------------------------------------------------------

  private inputs(point: Point): void {
    const at = (): Passing => restingAt(point);
    if (this.state(point.leaf).stub) return;
    for (const action of this.openings.actionsAt(point.leaf)) {
      this.ways = 0;
      for (const { store } of this.openings.of(action, point)) {
        this.watcher?.opens(action);
        for (const lawful of this.lawful(store, at())) {
          this.stand(at());
          this.take(action, { ...at(), store: lawful }, (state) =>
            state.actions.filter((other) => other.name === action.name).map((item) => ({ item, test: undefined })),
          );
        }
      }
    }
    for (const state of chainOf(this.machine, point.leaf)) {
      for (const timer of state.timers) {
        this.ways = 0;
        this.stand(at());
        this.values.evaluate(timer.delay, point.store);
        if (timer.test) this.watcher?.tested(timer.test, point.store, point.leaf);
        for (const store of timer.test ? this.conditions.split(timer.test, true, point.store) : [point.store])
          for (const lawful of this.lawful(store, at())) {
            this.stand(at());
            this.take(timer, { ...at(), store: lawful });
          }
      }
    }
    for (const signal of this.machine.signals) {
      if (signal.origin === "machine") continue;
      const args = signal.parameters.map((p) => this.values.anyOf(p.type));
      const seats =
        signal.origin === "system" && this.values.seats <= MAX_SEATS
          ? Array.from({ length: this.values.seats }, (_, s) => s)
          : [-1];
      if (!this.heard.get(signal.id) && signal.origin !== "system") continue;
      for (const seat of seats) {
        this.ways = 0;
        let store = point.store;
        // What nothing hears cannot happen: such a machine cannot be left.
        if (signal.name === "Left" && !this.heard.get(signal.id)) continue;
        if (signal.name === "Left")
          store = store.withInPlay(between(Math.max(0, store.inPlay.low - 1), Math.max(0, store.inPlay.high - 1)));
        else if (signal.name === "Joined") {
          if (this.machine.seats.least === this.values.seats) continue;
          store = store.withInPlay(between(store.inPlay.low, this.values.seats));
        }
        const given = seat >= 0 ? [choice(2 ** seat)] : args;
        if (!this.heard.get(signal.id)) {
          // A seat leaves and nothing is done about it: the match goes on with one less.
          this.pass({ ...at(), store });
        } else this.deliver({ signal: signal.id, args: given, often: false }, { ...at(), store });
      }
    }
  }
}

/** The beginning of a step. */
function restingAt({ leaf, peers, store }: Pick<Passing, "leaf" | "peers" | "store">): Passing {
  return { leaf, peers, store, raised: [], fresh: new Set(), trail: [], heard: 0 };
}

function mergeFresh(ways: readonly FreshWay[]): FreshWay {
  const fresh = new Set<number>();
  for (const way of ways) for (const f of way.fresh) fresh.add(f);
  return { ...ways.map((w): Way => ({ store: w.store, raised: w.raised })).reduce(joinWays), fresh };
}

function mergePassings<T extends Passing & { readonly arrow?: unknown }>(ways: readonly T[]): T {
  const first = ways.find((w) => w.arrow) ?? (ways[0] as T);
  return { ...first, ...ways.map((w): Way => ({ store: w.store, raised: w.raised })).reduce(joinWays) };
}
