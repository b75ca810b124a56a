/**
 * Configurations: the sets of active states a match can be in, each made once and kept with everything
 * that follows from it (visible actions, listeners, conditions to watch, ways to other states), so that
 * a step looks things up instead of scanning the machine.
 */

import type { Action, Listener, Machine, State, When } from "../../check/machine.js";
import { askingCost, costOf } from "../../check/size.js";
import { isInside } from "../../check/tree.js";
import type { GeneratedSteps } from "./generated-steps.js";

/** An action that can be asked for in a configuration, and the states whose `turn of` decides who may. */
export interface VisibleAction {
  readonly id: number;
  readonly action: Action;
  readonly turns: readonly number[];
}

/** How to get from one configuration to another. */
export interface Plan {
  /** Layers to end first, from the top; each is a list of states, innermost first. */
  readonly ended: readonly (readonly number[])[];
  /** States to leave after that, innermost first. */
  readonly left: readonly number[];
  /** States that freeze, because an overlay is laid over them. */
  readonly frozen: readonly number[];
  /** States that go on, because what lay over them has ended. */
  readonly thawed: readonly number[];
  /** True when any of the above but `left` holds something. */
  readonly layered: boolean;
  /** States to enter, outer first, each with the configuration it is entered in. */
  readonly entered: readonly { readonly state: number; readonly configuration: Configuration }[];
  readonly to: Configuration;
}

/** What follows from the active states. */
interface Consequences {
  readonly awake: readonly number[];
  readonly leaves: readonly number[];
  readonly actions: ReadonlyMap<string, readonly VisibleAction[]>;
  readonly listeners: readonly (readonly Listener[] | undefined)[];
  readonly whens: readonly When[];
  readonly timers: readonly number[];
  readonly turns: readonly number[];
  readonly stub: number;
  readonly asking: number;
  readonly hearing: readonly (number | undefined)[];
}

/** Most of it is worked out when it is first asked for: a step passes through configurations that nobody looks at. */
export class Configuration {
  /** 1 for every active state, frozen ones too. */
  readonly active: Uint8Array;
  readonly plans = new Map<number, Plan>();
  /** All layers from the top, each innermost first; filled in when first asked for. */
  everything: readonly (readonly number[])[] | undefined;
  /** What is generated for it; kept here because it is asked for at every step. */
  generated: GeneratedSteps | undefined;
  private known: Consequences | undefined;
  private names: readonly string[] | undefined;

  constructor(
    private readonly machine: Machine,
    /** Active states by layer, each in text order; the first is the machine's own, the others are overlays. */
    readonly layers: readonly (readonly number[])[],
  ) {
    this.active = new Uint8Array(machine.states.length);
    for (const layer of layers) for (const id of layer) this.active[id] = 1;
  }

  private get consequences(): Consequences {
    return (this.known ??= consequencesOf(this.machine, this.layers));
  }

  /** States that are awake: the machine itself and the top layer, innermost first, then in text order. */
  get awake(): readonly number[] {
    return this.consequences.awake;
  }

  /** The innermost awake states. */
  get leaves(): readonly number[] {
    return this.consequences.leaves;
  }

  get actions(): ReadonlyMap<string, readonly VisibleAction[]> {
    return this.consequences.actions;
  }

  /** Listeners by signal number, in the order in which they hear. */
  get listeners(): readonly (readonly Listener[] | undefined)[] {
    return this.consequences.listeners;
  }

  get whens(): readonly When[] {
    return this.consequences.whens;
  }

  get timers(): readonly number[] {
    return this.consequences.timers;
  }

  /** States whose `turn of` counts for at least one leaf. */
  get turns(): readonly number[] {
    return this.consequences.turns;
  }

  /** A stub state that is active, or -1. */
  get stub(): number {
    return this.consequences.stub;
  }

  /** What taking a `when` costs in it, in effects: everything its states ask by themselves. */
  get asking(): number {
    return this.consequences.asking;
  }

  /** By signal number: what delivering it costs, in effects. */
  get hearing(): readonly (number | undefined)[] {
    return this.consequences.hearing;
  }

  /** Lets go of what leads to others. */
  forget(): void {
    this.plans.clear();
    this.generated = undefined;
  }

  /** What it takes in memory, about, in bytes. */
  get weight(): number {
    return 500 + this.active.length + this.layers.reduce((states, layer) => states + layer.length, 0) * 100;
  }

  /** The names of the active states, outer first, frozen layers first. */
  get activeStates(): readonly string[] {
    const { states } = this.machine;
    return (this.names ??= this.layers.flatMap((layer) =>
      layer.filter((id) => id > 0).map((id) => states[id]?.name ?? ""),
    ));
  }
}

function consequencesOf(machine: Machine, layers: readonly (readonly number[])[]): Consequences {
  const stateOf = (id: number) => machine.states[id] as State;
  const top = layers.at(-1) ?? [];
  const awake = (layers.length > 1 ? [0, ...top] : [...top]).sort(
    (a, b) => stateOf(b).depth - stateOf(a).depth || a - b,
  );
  const outer = new Set(top.map((id) => stateOf(id).parent));
  const leaves = top.filter((id) => !outer.has(id));
  const listeners: Listener[][] = [];
  for (const id of awake) for (const l of stateOf(id).listeners) (listeners[l.signal] ??= []).push(l);
  const turnOf = turnsOf(machine, leaves);
  return {
    awake,
    leaves,
    listeners,
    actions: actionsOf(machine, leaves, turnOf),
    whens: awake.flatMap((id) => stateOf(id).whens),
    timers: awake.flatMap((id) => stateOf(id).timers.map((t) => t.id)),
    turns: [...new Set(turnOf.values())],
    stub: awake.find((id) => stateOf(id).stub) ?? -1,
    asking: awake.reduce((cost, id) => cost + askingCost(stateOf(id)), 0),
    hearing: listeners.map((heard) => heard.reduce((cost, listener) => cost + costOf(listener.test), 0)),
  };
}

/** For each leaf the nearest state with a turn. */
function turnsOf(machine: Machine, leaves: readonly number[]): ReadonlyMap<number, number> {
  const turnOf = new Map<number, number>();
  for (const leaf of leaves) {
    for (let id = leaf; id >= 0; id = machine.states[id]?.parent ?? -1) {
      if (!machine.states[id]?.turn) continue;
      turnOf.set(leaf, id);
      break;
    }
  }
  return turnOf;
}

function actionsOf(
  machine: Machine,
  leaves: readonly number[],
  turnOf: ReadonlyMap<number, number>,
): ReadonlyMap<string, readonly VisibleAction[]> {
  const turnsIn = turnsInside(machine, turnOf);
  const actions = new Map<string, VisibleAction[]>();
  const found = new Set<Action>();
  for (const leaf of leaves) {
    const hidden = new Set<string>();
    for (let id = leaf; id >= 0; id = machine.states[id]?.parent ?? -1) {
      for (const action of machine.states[id]?.actions ?? []) {
        // In the standard order the innermost one that is enabled counts, which may be an outer one.
        if (hidden.has(action.name) && !machine.standardOrder) continue;
        hidden.add(action.name);
        if (found.has(action)) continue;
        found.add(action);
        const visible = { id: action.id, action, turns: [...(turnsIn.get(id) ?? [])] };
        const known = actions.get(action.name);
        if (known) known.push(visible);
        else actions.set(action.name, [visible]);
      }
    }
  }
  return actions;
}

/** For each state the turns that count for a leaf inside it. */
function turnsInside(machine: Machine, turnOf: ReadonlyMap<number, number>): ReadonlyMap<number, ReadonlySet<number>> {
  const turns = new Map<number, Set<number>>();
  for (const [leaf, turn] of turnOf) {
    for (let id = leaf; id >= 0; id = machine.states[id]?.parent ?? -1) {
      const inside = turns.get(id);
      if (inside) inside.add(turn);
      else turns.set(id, new Set([turn]));
    }
  }
  return turns;
}

/** How much of configurations is kept, in bytes, with all that was worked out for them. */
const MOST_KEPT = 16_000_000;

/** The configurations of one machine that have come up, as many as there is room for. */
export class Configurations {
  private readonly known = new Map<string, Configuration>();
  private weight = 0;
  /** The way into a match, which most begin with. */
  private begun: { readonly target: number; readonly plan: Plan } | undefined;
  /** How often all were let go of, with what others keep for them. */
  cleared = 0;

  /** What is kept, about, in bytes. */
  get kept(): number {
    return this.weight;
  }

  /** The configuration of a match that is over, or has not begun. */
  readonly none: Configuration;

  constructor(private readonly machine: Machine) {
    this.none = new Configuration(machine, [[]]);
  }

  of(layers: readonly (readonly number[])[]): Configuration {
    if (layers.length === 1 && layers[0]?.length === 0) return this.none;
    const key = layers.map((layer) => layer.join(",")).join("/");
    let configuration = this.known.get(key);
    if (!configuration) {
      configuration = new Configuration(this.machine, layers);
      this.keep(configuration.weight);
      this.known.set(key, configuration);
    }
    return configuration;
  }

  /**
   * Makes room for something that is kept for a configuration: side by side there can be any number. Those in use go on
   * without what leads from them to others.
   *
   * @param weight what it takes, in bytes
   */
  keep(weight: number): void {
    this.weight += weight;
    if (this.weight <= MOST_KEPT) return;
    for (const configuration of [this.none, ...this.known.values()]) configuration.forget();
    this.known.clear();
    this.begun = undefined;
    this.weight = weight;
    this.cleared++;
  }

  /** The way from nothing to the start, or to the inside of a given state. */
  begin(target: number): Plan {
    if (this.begun?.target !== target) {
      const entered = this.entryOf(-1, [target], []);
      const plan = this.finish({ ended: [], left: [], frozen: [], thawed: [] }, [[]], entered);
      this.begun = { target, plan };
    }
    return this.begun.plan;
  }

  /**
   * The way of an arrow.
   *
   * @param source the state in which the arrow stands
   * @param targets the states it leads to; several only for a deep history
   * @param again leave the target first when it is active
   * @returns undefined when the target is an overlay that lies there already
   */
  way(from: Configuration, source: number, targets: readonly number[], again: boolean): Plan | undefined {
    const [target] = targets as [number];
    const key = targets.length === 1 ? (source * this.machine.states.length + target) * 2 + (again ? 1 : 0) : -1;
    const known = key >= 0 ? from.plans.get(key) : undefined;
    if (known) return known;
    const plan = this.makeWay(from, source, targets, again);
    if (plan && key >= 0) from.plans.set(key, plan);
    return plan;
  }

  private makeWay(from: Configuration, source: number, targets: readonly number[], again: boolean): Plan | undefined {
    const [target] = targets as [number];
    const overlay = this.overlayAround(target);
    const top = from.layers.at(-1) as readonly number[];
    if (overlay >= 0 && !(this.overlayAround(source) === overlay && top.includes(overlay))) {
      if (from.active[overlay]) return undefined;
      const entered = this.entryOf(0, targets, []);
      return this.finish(
        { ended: [], left: [], frozen: top.filter((id) => id > 0), thawed: [] },
        [...from.layers, []],
        entered,
      );
    }
    let layers = from.layers;
    let ended: (readonly number[])[] = [];
    let holderOf = source;
    let thawed: readonly number[] = [];
    if (overlay < 0 && layers.length > 1) {
      ended = layers
        .slice(1)
        .reverse()
        .map((layer) => this.innermostFirst(layer));
      layers = layers.slice(0, 1);
      thawed = (layers[0] as readonly number[]).filter((id) => id > 0);
      holderOf = this.overlayAround(source) >= 0 ? 0 : source;
    }
    const base = layers.at(-1) as readonly number[];
    const holder = this.holder(holderOf, targets, again);
    const stays = base.filter((id) => !(id !== holder && isInside(this.machine, id, holder)));
    const left = this.innermostFirst(base.filter((id) => !stays.includes(id)));
    const entered = this.entryOf(holder, targets, stays);
    return this.finish({ ended, left, frozen: [], thawed }, [...layers.slice(0, -1), stays], entered);
  }

  /** The way back from the top overlay. */
  back(from: Configuration): Plan {
    const known = from.plans.get(-1);
    if (known) return known;
    const layers = from.layers.slice(0, -1);
    const plan: Plan = {
      layered: true,
      ended: [this.innermostFirst(from.layers.at(-1) as readonly number[])],
      left: [],
      frozen: [],
      thawed: (layers.at(-1) as readonly number[]).filter((id) => id > 0),
      entered: [],
      to: this.of(layers),
    };
    from.plans.set(-1, plan);
    return plan;
  }

  /** All layers of a configuration from the top, each innermost first: what an ending leaves. */
  everything(from: Configuration): readonly (readonly number[])[] {
    from.everything ??= [...from.layers].reverse().map((layer) => this.innermostFirst(layer));
    return from.everything;
  }

  /** The nearest state that holds both; for `again` it lies outside the target. */
  private holder(source: number, targets: readonly number[], again: boolean): number {
    let holder = source;
    const holds = (id: number): boolean => targets.every((t) => isInside(this.machine, t, id) && !(again && id === t));
    while (holder > 0 && !holds(holder)) holder = this.machine.states[holder]?.parent ?? 0;
    return holder;
  }

  /**
   * The states an arrow enters below `holder`: on the way to the targets, then each start, and all branches of parallel
   * states.
   */
  private entryOf(holder: number, targets: readonly number[], active: readonly number[]): number[] {
    const entered = new Set<number>();
    const enter = (id: number): void => {
      if (active.includes(id)) return;
      entered.add(id);
    };
    const descend = (id: number): void => {
      const state = this.machine.states[id];
      if (!state) return;
      enter(id);
      if (state.parallel) for (const child of state.children) descend(child);
      else if (state.start >= 0) descend(state.start);
    };
    const path = new Set<number>();
    for (const target of targets) {
      for (let id = this.machine.states[target]?.parent ?? -1; id > holder; id = this.machine.states[id]?.parent ?? -1)
        path.add(id);
      path.add(target);
    }
    for (const id of [...path].sort((a, b) => a - b)) {
      enter(id);
      const state = this.machine.states[id];
      if (state?.parallel)
        for (const child of state.children)
          if (![...path].some((p) => isInside(this.machine, p, child))) descend(child);
    }
    for (const target of targets) descend(target);
    if (holder < 0) entered.add(0);
    return [...entered].sort((a, b) => a - b);
  }

  private finish(
    start: Omit<Plan, "entered" | "to" | "layered">,
    layers: readonly (readonly number[])[],
    entered: readonly number[],
  ): Plan {
    const steps: { state: number; configuration: Configuration }[] = [];
    let top = layers.at(-1) as readonly number[];
    for (const state of entered) {
      top = [...top, state].sort((a, b) => a - b);
      steps.push({ state, configuration: this.of([...layers.slice(0, -1), top]) });
    }
    const layered = start.ended.length > 0 || start.frozen.length > 0 || start.thawed.length > 0;
    return { ...start, layered, entered: steps, to: steps.at(-1)?.configuration ?? this.of(layers) };
  }

  private innermostFirst(states: readonly number[]): number[] {
    return states
      .filter((id) => id > 0)
      .sort((a, b) => (this.machine.states[b]?.depth ?? 0) - (this.machine.states[a]?.depth ?? 0) || b - a);
  }

  private overlayAround(state: number): number {
    for (let id = state; id > 0; id = this.machine.states[id]?.parent ?? -1)
      if (this.machine.states[id]?.kind === "overlay") return id;
    return -1;
  }
}
