/**
 * The order of a step for machines that say `order standard`: the algorithm of the W3C
 * recommendation "State Chart XML (SCXML): State Machine Notation for Control Abstraction" (1 September
 * 2015), appendix D, "Algorithm for SCXML Interpretation". The methods that carry out one of its procedures
 * are named like it.
 *
 * An action, an event of the game, a timer, a seat taken or left is an external event; `raise` puts an internal
 * event into the queue; `when` and the arrow behind `enter` are eventless transitions; entering a
 * `final` raises the done events that `when done` hears. A `choose` stands for one transition a branch, in text
 * order, its tests being part of the transition's condition; so they are tested before any effect. What the algorithm
 * knows no
 * counterpart for (overlays, `odds`) the checker refuses in such a machine.
 */

import type { Action, Arrow, Block, Expr, Listener, State, Timer, When } from "../../check/machine.js";
import type { Span } from "../../language/source.js";
import type { VisibleAction } from "../situation/configuration.js";
import type { Get, Run } from "../values/closure.js";
import { byNumber, LazyTable } from "../values/lazy.js";
import { StepBudget, type StepOrder } from "./order.js";
import type { StepParts } from "./parts.js";

/** Where a transition leads. Those of kind "nowhere" have no target: nothing is left or entered. */
type Goal =
  | { readonly kind: "nowhere" }
  | { readonly kind: "state"; readonly state: number; readonly args: readonly Get[]; readonly inner: boolean }
  | { readonly kind: "history"; readonly state: number; readonly deep: boolean }
  | { readonly kind: "ending"; readonly ending: number; readonly args: readonly Get[] };

interface Transition {
  readonly source: number;
  readonly tests: readonly Get<boolean>[];
  /** Its executable content. */
  readonly content: readonly Run[];
  readonly goal: Goal;
  readonly at: Span;
}

/** Done events share the queue of signals: that of state s has the number -1 - s. */
const doneEvent = (state: number): number => -1 - state;

export class StandardOrder implements StepOrder {
  private readonly actions: LazyTable<readonly Transition[]>;
  private readonly timers: LazyTable<readonly Transition[]>;
  private readonly listeners: LazyTable<readonly Transition[]>;
  private readonly whens: LazyTable<readonly Transition[]>;
  readonly budget = new StepBudget();
  /** What the action at hand has selected. */
  private selected: readonly Transition[] = [];

  constructor(private readonly parts: StepParts) {
    const { machine } = parts;
    const allListeners = byNumber(machine.states.flatMap((state) => state.listeners));
    const allWhens = byNumber(machine.states.flatMap((state) => state.whens));
    this.actions = new LazyTable((id) => {
      const action = machine.actions[id] as Action;
      return this.transitions(action.state, undefined, action.block, action.arrow, action);
    });
    this.timers = new LazyTable((id) => {
      const timer = machine.timers[id] as Timer;
      return this.transitions(timer.state, timer.test, timer.block, timer.arrow, timer);
    });
    this.listeners = new LazyTable((id) => {
      const listener = allListeners[id] as Listener;
      return this.transitions(listener.state, listener.test, listener.block, listener.arrow, listener);
    });
    this.whens = new LazyTable((id) => this.whenTransitions(allWhens[id] as When));
  }

  ready(): Run {
    return () => this.microstep(this.selected);
  }

  // ---- making transitions ready ----------------------------------------------------------------

  private transitions(
    source: number,
    test: Expr | undefined,
    block: Block | undefined,
    arrow: Arrow | undefined,
    at: Span,
  ): Transition[] {
    const { code, turns } = this.parts;
    const made: Transition[] = [];
    const add = (tests: readonly Get<boolean>[], content: readonly Run[], way: Arrow | undefined): void => {
      if (way?.kind === "choose") {
        for (const branch of [...way.branches, ...(way.otherwise ? [way.otherwise] : [])]) {
          add(
            branch.test ? [...tests, code.condition(branch.test)] : tests,
            branch.block ? [...content, code.block(branch.block)] : content,
            branch.arrow,
          );
        }
        return;
      }
      made.push({
        source,
        tests,
        content: way?.kind === "ready" ? [...content, turns.ready(source)] : content,
        goal: this.goal(way),
        at: way ?? at,
      });
    };
    add(test ? [code.condition(test)] : [], block ? [code.block(block)] : [], arrow);
    return made;
  }

  private whenTransitions(when: When): readonly Transition[] {
    const { whens } = this.parts;
    // The event of "when done" is matched where it is heard; what is left of its test is which final is active.
    const test = whens.test(when);
    const use = whens.use(when);
    return this.transitions(when.state, undefined, when.block, when.arrow, when).map((t) => ({
      ...t,
      tests: test ? [test, ...t.tests] : t.tests,
      content: use ? [use, ...t.content] : t.content,
    }));
  }

  private goal(arrow: Arrow | undefined): Goal {
    const stored = (args: readonly Expr[]): Get[] => args.map((arg) => this.parts.code.stored(arg));
    if (arrow?.kind === "history") return { kind: "history", state: arrow.state, deep: arrow.deep };
    if (arrow?.kind !== "to") return { kind: "nowhere" };
    const { target } = arrow;
    if (target.kind === "ending") return { kind: "ending", ending: target.ending, args: stored(target.args) };
    return { kind: "state", state: target.state, args: stored(target.args), inner: arrow.inner };
  }

  // ---- the main event loop ---------------------------------------------------------------------

  start(target: number, args: readonly unknown[]): void {
    const { states } = this.parts.machine;
    const entered = new Set<number>([0]);
    this.addDescendantStatesToEnter(target, entered);
    for (let id = states[target]?.parent ?? -1; id > 0; id = states[id]?.parent ?? -1) this.addAncestor(id, entered);
    this.enterStates([], entered, new Map([[target, args]]));
  }

  /** There are no overlays in this order. */
  lay(): void {
    throw new Error("an overlay in the standard order");
  }

  /** An external event: what it enables is taken at once. */
  announce(signal: number, values: readonly unknown[], at: Span): void {
    this.hear(signal, values, at);
  }

  timer(timer: Timer): void {
    const enabled = this.enabled(this.timers.of(timer.id));
    if (enabled) this.microstep([enabled]);
  }

  /** For each atomic state the innermost action of that name that is admitted; what is enabled is kept for `ready`. */
  choose(
    visible: readonly VisibleAction[],
    mayAct: (action: VisibleAction) => boolean,
    fits: (action: VisibleAction) => boolean,
  ): number {
    const [first] = visible;
    this.selected = this.selectTransitions((state) => {
      const action = visible.find((v) => v.action.state === state.id);
      return action && mayAct(action) && fits(action) ? this.enabled(this.actions.of(action.id)) : undefined;
    });
    return first && this.selected.length > 0 ? first.id : -1;
  }

  rest(): void {
    const { memory } = this.parts;
    this.budget.reset();
    while (!memory.outcome && memory.configuration.stub < 0) {
      const eventless = this.selectEventlessTransitions();
      if (eventless.length > 0) {
        this.microstep(eventless);
      } else if (memory.waiting > 0) {
        const { signal, values, at } = memory.takeSignal();
        this.hear(signal, values, at);
      } else {
        return;
      }
    }
  }

  private hear(signal: number, values: readonly unknown[], at: Span): void {
    const { memory, machine } = this.parts;
    const heard = signal < 0 ? undefined : memory.recordSignal(signal, values, at);
    const enabled = this.selectTransitions((state) =>
      signal < 0
        ? this.firstWhen(state, (when) => when.test.kind === "done" && when.test.of === -1 - signal)
        : this.firstListener(state, signal, values),
    );
    heard?.push(
      ...enabled.map((t) => ({
        state: machine.states[t.source]?.name ?? "",
        position: t.at.from,
        led: t.goal.kind !== "nowhere",
      })),
    );
    this.microstep(enabled);
  }

  private firstListener(state: State, signal: number, values: readonly unknown[]): Transition | undefined {
    const { memory } = this.parts;
    for (const listener of state.listeners) {
      if (listener.signal !== signal) continue;
      bind(memory.locals, listener, values);
      const enabled = this.enabled(this.listeners.of(listener.id));
      if (enabled) return enabled;
    }
    return undefined;
  }

  private firstWhen(state: State, wanted: (when: When) => boolean): Transition | undefined {
    for (const when of state.whens) {
      const enabled = wanted(when) ? this.enabled(this.whens.of(when.id)) : undefined;
      if (enabled) return enabled;
    }
    return undefined;
  }

  private enabled(transitions: readonly Transition[]): Transition | undefined {
    return transitions.find((t) => t.tests.every((test) => test()));
  }

  // ---- the procedures of the recommendation ----------------------------------------------------

  private selectEventlessTransitions(): Transition[] {
    return this.selectTransitions((state) => this.firstWhen(state, (when) => when.test.kind !== "done"));
  }

  /** For each atomic state, in document order, the first enabled transition of it or of the nearest state around it. */
  private selectTransitions(first: (state: State) => Transition | undefined): Transition[] {
    const { memory, machine } = this.parts;
    const enabled = new Set<Transition>();
    for (const leaf of memory.configuration.leaves) {
      for (let id = leaf; id >= 0; id = machine.states[id]?.parent ?? -1) {
        const transition = first(machine.states[id] as State);
        if (!transition) continue;
        enabled.add(transition);
        break;
      }
    }
    return enabled.size < 2 ? [...enabled] : this.removeConflictingTransitions([...enabled]);
  }

  private removeConflictingTransitions(enabled: readonly Transition[]): Transition[] {
    let filtered: Transition[] = [];
    for (const t1 of enabled) {
      const exits = new Set(this.computeExitSet([t1]));
      const rivals = filtered.filter((t2) => this.computeExitSet([t2]).some((id) => exits.has(id)));
      if (rivals.some((t2) => !this.isDescendant(t1.source, t2.source))) continue;
      filtered = [...filtered.filter((t2) => !rivals.includes(t2)), t1];
    }
    return filtered;
  }

  private microstep(transitions: readonly Transition[]): void {
    const { machine, memory, laws, endings, entering } = this.parts;
    const [first] = transitions;
    if (!first) return;
    memory.spend(memory.configuration.asking, first.at);
    if (this.budget.spend()) this.budget.remember(machine.states[first.source]?.name ?? "", first.at);
    const before = memory.configuration;
    const left = this.exitStates(transitions);
    const entered = new Set<number>();
    for (const t of transitions) this.computeEntrySet(t, entered);
    laws.testEntering((state) => entered.has(state), before, first.at);
    const args = new Map<number, readonly unknown[]>();
    let ending = undefined as { ending: number; args: readonly unknown[] } | undefined;
    const { recorder, probes } = this.parts.code;
    for (const { content, goal, at } of transitions) {
      const pass = (): void => {
        for (const run of content) run();
        if (goal.kind === "state")
          args.set(
            goal.state,
            goal.args.map((arg) => arg()),
          );
        else if (goal.kind === "ending") ending = { ending: goal.ending, args: goal.args.map((arg) => arg()) };
      };
      probes?.taken?.(at);
      if (recorder) recorder.part("taken", at, pass)();
      else pass();
    }
    if (ending) endings.end(ending.ending, ending.args);
    for (const id of left) entering.forget(id);
    if (!ending) this.enterStates([...(memory.configuration.layers[0] as number[])], entered, args);
  }

  /**
   * Runs the `exit` of all states that are left, inner ones first. Their data last until the transitions' content has
   * run.
   */
  private exitStates(transitions: readonly Transition[]): number[] {
    const { memory, entering, configurations } = this.parts;
    const left = this.computeExitSet(transitions).sort((a, b) => b - a);
    if (entering.keepsHistory && left.length > 0) entering.remember(memory.configuration.leaves, left);
    for (const id of left) {
      entering.exit(id);
      memory.configuration = configurations.of([
        (memory.configuration.layers[0] as number[]).filter((other) => other !== id),
      ]);
    }
    return left;
  }

  private computeExitSet(transitions: readonly Transition[]): number[] {
    const active = this.parts.memory.configuration.layers[0] as readonly number[];
    const left = new Set<number>();
    for (const t of transitions) {
      const domain = this.getTransitionDomain(t);
      if (domain >= 0) for (const id of active) if (this.isDescendant(id, domain)) left.add(id);
    }
    return [...left];
  }

  private enterStates(
    stay: readonly number[],
    entered: ReadonlySet<number>,
    args: ReadonlyMap<number, readonly unknown[]>,
  ): void {
    const { machine, entering, configurations, memory, whens } = this.parts;
    const active = [...stay];
    for (const id of [...entered].sort((a, b) => a - b)) {
      active.push(id);
      memory.configuration = configurations.of([[...active].sort((a, b) => a - b)]);
      entering.enter(id, args.get(id) ?? []);
      const state = machine.states[id] as State;
      if (state.kind !== "final") continue;
      memory.raise(doneEvent(state.parent), [], state);
      const outer = machine.states[state.parent]?.parent ?? -1;
      if (
        outer >= 0 &&
        machine.states[outer]?.parallel &&
        machine.states[outer]?.children.every((child) => whens.isDone(child))
      )
        memory.raise(doneEvent(outer), [], state);
    }
  }

  private computeEntrySet(t: Transition, entered: Set<number>): void {
    const targets = this.getEffectiveTargetStates(t);
    for (const target of targets) this.addDescendantStatesToEnter(target, entered);
    const ancestor = this.getTransitionDomain(t);
    for (const target of targets) this.addAncestorStatesToEnter(target, ancestor, entered);
  }

  private addDescendantStatesToEnter(id: number, entered: Set<number>): void {
    const state = this.parts.machine.states[id] as State;
    entered.add(id);
    if (state.parallel) this.addRegions(state, entered);
    else if (state.start >= 0) this.addDescendantStatesToEnter(state.start, entered);
  }

  private addAncestorStatesToEnter(id: number, ancestor: number, entered: Set<number>): void {
    const { states } = this.parts.machine;
    for (let outer = states[id]?.parent ?? -1; outer > ancestor && outer > 0; outer = states[outer]?.parent ?? -1)
      this.addAncestor(outer, entered);
  }

  private addAncestor(id: number, entered: Set<number>): void {
    entered.add(id);
    const state = this.parts.machine.states[id] as State;
    if (state.parallel) this.addRegions(state, entered);
  }

  /** Enters the regions of a parallel state into which nothing leads yet. */
  private addRegions(state: State, entered: Set<number>): void {
    for (const child of state.children)
      if (![...entered].some((id) => this.isDescendant(id, child) || id === child))
        this.addDescendantStatesToEnter(child, entered);
  }

  /** The state in which a transition takes place: everything inside it is left. -1 for one without a target. */
  private getTransitionDomain(t: Transition): number {
    const { states } = this.parts.machine;
    if (t.goal.kind === "nowhere") return -1;
    if (t.goal.kind === "ending") return 0;
    const targets = this.getEffectiveTargetStates(t);
    const source = states[t.source] as State;
    if (
      t.goal.kind === "state" &&
      t.goal.inner &&
      !source.parallel &&
      targets.every((target) => this.isDescendant(target, t.source))
    )
      return t.source;
    return this.findLCCA(t.source, targets);
  }

  /** The nearest state around all of them that is no parallel one. */
  private findLCCA(source: number, targets: readonly number[]): number {
    const { states } = this.parts.machine;
    for (let id = states[source]?.parent ?? -1; id > 0; id = states[id]?.parent ?? -1) {
      if (!states[id]?.parallel && targets.every((target) => this.isDescendant(target, id))) return id;
    }
    return 0;
  }

  private getEffectiveTargetStates({ goal }: Transition): readonly number[] {
    const { entering, machine } = this.parts;
    if (goal.kind === "state") return [goal.state];
    if (goal.kind !== "history") return [];
    const remembered = entering.remembered(goal.state, goal.deep);
    const state = machine.states[goal.state] as State;
    // A history that is empty yet leads to where the state begins.
    if (remembered.length === 1 && remembered[0] === goal.state && state.children.length > 0)
      return state.parallel ? state.children : [state.start];
    return remembered;
  }

  private isDescendant(id: number, outer: number): boolean {
    return id > outer && id <= (this.parts.machine.states[outer]?.last ?? -1);
  }
}

function bind(locals: unknown[], listener: Listener, values: readonly unknown[]): void {
  for (const [i, slot] of listener.slots.entries()) locals[slot] = values[i];
}
