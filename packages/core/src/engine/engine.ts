/**
 * The engine of one machine: its closures, its tables, and the order of a step.
 *
 * An input is taken to rest: effects first, then the arrow; `exit` from the inside, `enter` from the
 * outside; then signals, one at a time, then one `when`, and again until nothing is left; then the
 * laws. Everything happens in one `Runtime`; nothing that was given out before is touched.
 */

import type { Action, ActionParameter, Arrow, Expr, Listener, Machine, State, Target, Timer, When } from "../check/machine.js";
import { readsOf } from "../check/reads.js";
import type { Span } from "../language/source.js";
import { Box, newEpoch } from "./box.js";
import { Configurations, type Plan } from "./configuration.js";
import { ExpressionCompiler, type Get } from "./expressions.js";
import { Fault } from "./fault.js";
import { readyEnding, unfinishedOutcome } from "./outcome.js";
import { seedStream } from "./random.js";
import { Runtime, SEAT_OUT, type SetDraw } from "./runtime.js";
import type { Outcome, Situation } from "./situation.js";
import { type Run, StatementCompiler } from "./statements.js";
import { toJson } from "./values.js";

/** Most signals and conditions taken in one step. */
const MAX_SMALL_STEPS = 1_000;

/** An action made ready: closures for everything it asks. */
export interface ReadyAction {
  readonly action: Action;
  readonly parameters: readonly { readonly parameter: ActionParameter; readonly inDomain?: Get<boolean>; readonly domain?: Get<Box>; readonly where?: Get<boolean>; readonly reason?: Get<string> }[];
  readonly by?: Get<readonly number[]> | "anyone";
  readonly needs: readonly { readonly test: Get<boolean>; readonly written: Expr; readonly reason?: Get<string> }[];
  readonly run: Run;
}

interface ReadyState {
  readonly state: State;
  readonly initials: readonly Get[];
  readonly enter: Run;
  readonly exit: Run;
  readonly turn?: Get<readonly number[]>;
}

interface Reaction {
  readonly test: Get<boolean> | undefined;
  readonly run: Run;
  readonly arrow: Run | undefined;
}

const ALWAYS: Get<boolean> = () => true;

export class Engine {
  /** The names of the seats of the match at hand: a machine with `seats 2..6` has fewer than it could. */
  readonly naming: { seats: readonly string[] };
  readonly rt: Runtime;
  readonly configurations: Configurations;
  readonly expressions: ExpressionCompiler;
  private readonly statements: StatementCompiler;
  private readonly states: readonly ReadyState[];
  readonly actions: readonly ReadyAction[];
  private readonly endings: readonly ((args: readonly unknown[]) => Outcome)[];
  private readonly timerDelays: readonly Get<number>[];
  private readonly timers: readonly Reaction[];
  private readonly listeners = new Map<Listener, Reaction>();
  private readonly whens = new Map<When, Reaction>();
  private readonly laws: readonly { readonly words: string; readonly at: Span; readonly test: Get<boolean>; readonly slots: readonly number[]; readonly more: boolean }[];
  private readonly entryLaws: readonly (Machine["laws"][number] & { form: "entered" })[];
  private readonly keepsHistory: boolean;
  private readonly savedDice: Uint32Array;
  private smallSteps = 0;
  private readonly circle: string[] = [];

  constructor(readonly machine: Machine) {
    this.naming = { seats: machine.seats.names };
    this.rt = new Runtime(machine.locals, machine.streams);
    this.savedDice = this.rt.dice.slice();
    this.configurations = new Configurations(machine);
    this.expressions = new ExpressionCompiler(machine, this.rt, this.naming, { canAct: (seat) => this.canAct(seat), allActed: () => this.allActed() });
    this.statements = new StatementCompiler(machine, this.rt, this.expressions, this.naming);
    this.states = machine.states.map((state) => this.readyState(state));
    this.actions = machine.actions.map((action) => this.readyAction(action));
    this.endings = machine.endings.map((ending) => readyEnding(this, ending));
    this.timerDelays = machine.timers.map((timer) => this.expressions.number(timer.delay));
    this.timers = machine.timers.map((timer) => this.reaction(timer, timer.test && this.expressions.condition(timer.test)));
    for (const state of machine.states) {
      for (const listener of state.listeners) this.listeners.set(listener, this.reaction(listener, listener.test && this.expressions.condition(listener.test)));
      for (const when of state.whens) this.whens.set(when, this.reaction(when, this.whenTest(when)));
    }
    this.laws = machine.laws.flatMap((law) => {
      if (law.form !== "holds") return [];
      const reads = readsOf(machine, law.test);
      return [{ words: law.words, at: law, test: this.expressions.condition(law.test), slots: [...reads.slots], more: reads.more }];
    });
    this.entryLaws = machine.laws.filter((law) => law.form === "entered");
    this.keepsHistory = machine.states.some((state) => [...state.actions, ...state.timers, ...state.listeners, ...state.whens].some((item) => item.arrow && usesHistory(item.arrow)));
  }

  /** Set by the file that answers what a seat may do; the engine itself only runs things. */
  canAct: (seat: number) => boolean = () => false;

  // ---- making ready ----------------------------------------------------------------------------

  private readyState(state: State): ReadyState {
    const { expressions } = this;
    const initials = state.fields.map((field): Get => () => expressions.initial(field.type, field.initial));
    return {
      state,
      initials,
      enter: sequence(state.enters.map((e) => this.statements.block(e.block))),
      exit: sequence(state.exits.map((block) => this.statements.block(block))),
      ...(state.turn && { turn: expressions.seats(state.turn.of) }),
    };
  }

  private readyAction(action: Action): ReadyAction {
    const { expressions } = this;
    const block = this.statements.block(action.block);
    const arrow = this.arrow(action.arrow, action.state);
    return {
      action,
      parameters: action.parameters.map((parameter) => {
        const { domain, where, reason, slot, type } = parameter;
        const value: Expr = { kind: "local", slot, type, from: parameter.from, to: parameter.to };
        return {
          parameter,
          ...(domain && {
            domain: expressions.list(domain),
            inDomain: expressions.condition({ kind: "binary", op: "in", left: value, right: domain, type: { kind: "bool" }, from: domain.from, to: domain.to }),
          }),
          ...(where && { where: expressions.condition(where) }),
          ...(reason && { reason: expressions.compile(reason) as Get<string> }),
        };
      }),
      ...(action.by && { by: action.by === "anyone" ? ("anyone" as const) : expressions.seats(action.by) }),
      needs: action.needs.map((need) => ({ test: expressions.condition(need.test), written: need.test, ...(need.reason && { reason: expressions.compile(need.reason) as Get<string> }) })),
      run: () => {
        block();
        arrow();
      },
    };
  }

  private reaction(item: Timer | Listener | When, test: Get<boolean> | undefined): Reaction {
    const run = this.statements.block(item.block);
    const arrow = item.arrow && this.arrow(item.arrow, item.state);
    return { test, run, arrow };
  }

  private whenTest(when: When): Get<boolean> {
    const { test } = when;
    switch (test.kind) {
      case "holds":
        return this.expressions.condition(test.test);
      case "done":
        return () => this.rt.configuration.active[test.final] === 1;
      case "allActed": {
        const turn = this.turnAround(when.state);
        return () => this.allActedIn(turn);
      }
      case "entered":
        return ALWAYS;
    }
  }

  private turnAround(state: number): number {
    for (let id = state; id >= 0; id = this.machine.states[id]?.parent ?? -1) if (this.machine.states[id]?.turn) return id;
    return -1;
  }

  // ---- arrows ----------------------------------------------------------------------------------

  private arrow(arrow: Arrow, source: number): Run {
    const { rt } = this;
    switch (arrow.kind) {
      case "stay":
      case "missing":
        return () => {};
      case "acted": {
        const slot = this.machine.states[this.turnAround(source)]?.turn?.actedSlot ?? -1;
        return () => {
          const root = rt.ownRoot();
          root.at[slot] = (root.at[slot] as number) | (1 << rt.me);
        };
      }
      case "return":
        return () => this.follow(this.configurations.back(rt.configuration), []);
      case "to":
        return this.to(arrow.target, source, arrow.again, arrow);
      case "history": {
        const start = this.machine.states[arrow.state];
        return () => {
          const before = rt.history[arrow.state];
          const targets = before ? (arrow.deep ? before : this.childrenHolding(arrow.state, before)) : [arrow.state];
          this.go(source, targets, false, [], start ?? arrow);
        };
      }
      case "choose": {
        const branches = arrow.branches.map((b) => ({ test: b.test ? this.expressions.condition(b.test) : ALWAYS, run: this.statements.block(b.block), arrow: this.arrow(b.arrow, source) }));
        const otherwise = arrow.otherwise && { run: this.statements.block(arrow.otherwise.block), arrow: this.arrow(arrow.otherwise.arrow, source) };
        return () => {
          for (const branch of branches) {
            if (branch.test()) {
              branch.run();
              return branch.arrow();
            }
          }
          if (!otherwise) throw new Fault("noBranch", arrow, "No branch of this choice holds, and it has no else.");
          otherwise.run();
          otherwise.arrow();
        };
      }
      case "odds": {
        const weights = arrow.entries.map((entry) => this.expressions.number(entry.weight));
        const ways = arrow.entries.map((entry) => this.to(entry.target, source, false, arrow));
        return () => (ways[rt.drawWeighted(0, weights.map((weight) => weight()), arrow)] as Run)();
      }
    }
  }

  private to(target: Target, source: number, again: boolean, at: Span): Run {
    const args = target.args.map((arg) => this.expressions.stored(arg));
    if (target.kind === "ending") return () => this.end(target.ending, args.map((arg) => arg()));
    const targets = [target.state];
    if (args.length === 0) return () => this.go(source, targets, again, [], at);
    return () => this.go(source, targets, again, args.map((arg) => arg()), at);
  }

  private childrenHolding(outer: number, leaves: readonly number[]): number[] {
    const children = this.machine.states[outer]?.children ?? [];
    return children.filter((child) => leaves.some((leaf) => leaf >= child && leaf <= (this.machine.states[child]?.last ?? -1)));
  }

  private go(source: number, targets: readonly number[], again: boolean, args: readonly unknown[], at: Span): void {
    const plan = this.configurations.way(this.rt.configuration, source, targets, again);
    if (!plan) throw new Fault("overlayAgain", at, "This overlay lies over the match already; it cannot lie on itself.");
    const [target] = targets as [number];
    for (const law of this.entryLaws) {
      if (plan.entered.some((e) => e.state === law.target) && !law.states.some((id) => this.rt.configuration.active[id] === 1)) {
        throw new Fault("lawBroken", at, `The law "${law.words}" does not allow this arrow.`);
      }
    }
    this.follow(plan, args, target);
  }

  /** Leaves, freezes, thaws and enters as a plan says. `args` become the data of the state `target`. */
  private follow(plan: Plan, args: readonly unknown[], target = -1): void {
    const { rt } = this;
    for (const layer of plan.ended) this.leaveAll(layer);
    for (const id of plan.frozen) this.shiftTimers(id, -rt.now);
    for (const id of plan.thawed) this.shiftTimers(id, rt.now);
    this.leaveAll(plan.left);
    for (const { state, configuration } of plan.entered) {
      rt.configuration = configuration;
      this.enter(state, state === target ? args : []);
    }
    rt.configuration = plan.to;
  }

  private leaveAll(states: readonly number[]): void {
    const { rt } = this;
    if (this.keepsHistory && states.length > 0) this.rememberHistory(states);
    for (const id of states) {
      const { state, exit } = this.states[id] as ReadyState;
      exit();
      for (const timer of state.timers) rt.setTimer(timer.id, Number.NaN);
      if (state.slot >= 0) rt.ownRoot().at[state.slot] = null;
      if (state.turn && state.turn.actedSlot >= 0) rt.ownRoot().at[state.turn.actedSlot] = 0;
      rt.happenings?.moves.push({ kind: "leave", state: state.name });
    }
  }

  private rememberHistory(left: readonly number[]): void {
    const { rt } = this;
    const history = rt.history.slice();
    const leaves = left.filter((id) => !left.some((other) => this.machine.states[other]?.parent === id));
    const outers = new Set<number>();
    for (const id of left) for (let outer = id; outer > 0; outer = this.machine.states[outer]?.parent ?? -1) outers.add(outer);
    for (const outer of outers) {
      const inside = leaves.filter((leaf) => leaf > outer && leaf <= (this.machine.states[outer]?.last ?? -1)).sort((a, b) => a - b);
      if (inside.length > 0) history[outer] = inside;
    }
    rt.history = history;
  }

  private enter(id: number, args: readonly unknown[]): void {
    const { rt } = this;
    const { state, enter, initials } = this.states[id] as ReadyState;
    if (state.slot >= 0) {
      const box = new Box(rt.epoch, []);
      rt.ownRoot().at[state.slot] = box;
      // One after the other, as a default may use the fields before it.
      for (const [i, initial] of initials.entries()) box.at.push(i < args.length ? args[i] : initial());
    }
    if (state.turn && state.turn.actedSlot >= 0) rt.ownRoot().at[state.turn.actedSlot] = 0;
    for (const timer of state.timers) rt.setTimer(timer.id, rt.now + Math.max(0, (this.timerDelays[timer.id] as Get<number>)()));
    rt.happenings?.moves.push({ kind: "enter", state: state.name });
    enter();
  }

  /** Timers under an overlay keep what they had left: due times become remainders, and back. */
  private shiftTimers(id: number, by: number): void {
    for (const timer of this.machine.states[id]?.timers ?? []) {
      const value = this.rt.timers[timer.id] as number;
      if (!Number.isNaN(value)) this.rt.setTimer(timer.id, value + by);
    }
  }

  private end(ending: number, args: readonly unknown[]): void {
    const { rt } = this;
    for (const layer of this.configurations.everything(rt.configuration)) this.leaveAll(layer);
    rt.configuration = this.configurations.of([[]]);
    rt.outcome = (this.endings[ending] as (args: readonly unknown[]) => Outcome)(args);
  }

  // ---- turns -----------------------------------------------------------------------------------

  /** The seats that a state's `turn of` names: in play, and not through with their part of a `turn of each`. */
  turnOf(id: number): readonly number[] {
    const { rt } = this;
    const { state, turn } = this.states[id] as ReadyState;
    if (!turn) return [];
    const slot = state.turn?.actedSlot ?? -1;
    const acted = slot >= 0 ? (rt.root.at[slot] as number) : 0;
    const seats = turn();
    for (let i = 0; i < seats.length; i++) {
      const seat = seats[i] as number;
      if (rt.seats[seat] === SEAT_OUT || (acted & (1 << seat)) !== 0) return seats.filter((s) => rt.seats[s] !== SEAT_OUT && (acted & (1 << s)) === 0);
    }
    return seats;
  }

  /** True when this seat has had its part of the state's `turn of each`. */
  hasActed(id: number, seat: number): boolean {
    const slot = this.machine.states[id]?.turn?.actedSlot ?? -1;
    return slot >= 0 && ((this.rt.root.at[slot] as number) & (1 << seat)) !== 0;
  }

  private allActed(): boolean {
    return this.rt.configuration.turns.every((id) => this.allActedIn(id));
  }

  private allActedIn(id: number): boolean {
    return id >= 0 && this.turnOf(id).length === 0;
  }

  // ---- taking an input to rest -----------------------------------------------------------------

  /** Delivers signals and takes conditions until nothing is left; then tests the laws. */
  settle(before: Situation | null): void {
    const { rt } = this;
    this.smallSteps = 0;
    this.circle.length = 0;
    for (;;) {
      while (rt.signals.length > 0 && !rt.outcome) this.deliver();
      if (rt.outcome || rt.configuration.draft >= 0 || !this.takeWhen()) break;
    }
    if (rt.outcome || rt.configuration.draft >= 0) {
      for (const { signal } of rt.signals) rt.happenings?.dropped.push(this.machine.signals[signal]?.name ?? "");
      rt.signals.length = 0;
      if (!rt.outcome) rt.outcome = unfinishedOutcome(this, this.machine.states[rt.configuration.draft] as State);
    }
    this.testLaws(before);
  }

  private countSmallStep(what: () => string, at: Span): void {
    this.smallSteps++;
    if (this.smallSteps <= MAX_SMALL_STEPS - 12) return;
    this.circle.push(what());
    if (this.smallSteps > MAX_SMALL_STEPS) throw new Fault("endlessLoop", at, `This step does not come to rest. It goes round in: ${circleOf(this.circle).join(" -> ")}.`);
  }

  private deliver(): void {
    const { rt } = this;
    const waiting = rt.signals.shift();
    if (!waiting) return;
    const listeners = rt.configuration.listeners[waiting.signal];
    const declared = this.machine.signals[waiting.signal];
    const heard: string[] = [];
    if (rt.happenings && declared) {
      const values = Object.fromEntries(declared.parameters.map((p, i) => [p.name, toJson(p.type, waiting.values[i], this.naming)]));
      rt.happenings.signals.push({ signal: declared.name, values, heard });
    }
    if (!listeners) return;
    let arrow: Run | undefined;
    for (const listener of listeners) {
      const reaction = this.listeners.get(listener) as Reaction;
      for (let i = 0; i < listener.slots.length; i++) rt.locals[listener.slots[i] as number] = waiting.values[i];
      if (reaction.test && !reaction.test()) continue;
      this.countSmallStep(() => `${declared?.name}`, listener);
      heard.push(this.machine.states[listener.state]?.name ?? "");
      reaction.run();
      arrow ??= reaction.arrow;
    }
    arrow?.();
  }

  private takeWhen(): boolean {
    const { rt } = this;
    for (const when of rt.configuration.whens) {
      const reaction = this.whens.get(when) as Reaction;
      if (reaction.test && !reaction.test()) continue;
      this.countSmallStep(() => this.machine.states[when.state]?.name ?? "", when);
      reaction.run();
      reaction.arrow?.();
      return true;
    }
    return false;
  }

  private testLaws(before: Situation | null): void {
    const { rt } = this;
    for (const law of this.laws) {
      if (before && before.configuration === rt.configuration && before.seats === rt.seats && !law.more && law.slots.every((slot) => before.root.at[slot] === rt.root.at[slot])) continue;
      if (!law.test()) throw new Fault("lawBroken", law.at, `The law "${law.words}" does not hold any more.`);
    }
  }

  /** The next timer to be due among those awake, the earliest first; undefined when none runs. */
  nextTimer(situation: Situation): { readonly timer: Timer; readonly due: number } | undefined {
    let best: { timer: Timer; due: number } | undefined;
    if (situation.outcome) return undefined;
    for (const id of situation.configuration.timers) {
      const due = situation.timers[id] as number;
      if (!Number.isNaN(due) && (!best || due < best.due)) best = { timer: this.machine.timers[id] as Timer, due };
    }
    return best;
  }

  /** Runs a timer that is due. */
  runTimer(timer: Timer): void {
    const { rt } = this;
    const reaction = this.timers[timer.id] as Reaction;
    rt.setTimer(timer.id, timer.repeats ? (rt.timers[timer.id] as number) + Math.max(1, (this.timerDelays[timer.id] as Get<number>)()) : Number.NaN);
    if (reaction.test && !reaction.test()) return;
    reaction.run();
    reaction.arrow?.();
  }

  // ---- situations ------------------------------------------------------------------------------

  /** Takes a situation into the working memory. */
  load(situation: Situation, setDraws: readonly SetDraw[] = []): void {
    const { rt } = this;
    rt.epoch = newEpoch();
    rt.root = situation.root;
    rt.configuration = situation.configuration;
    rt.timers = situation.timers;
    this.seat(situation.seats);
    rt.history = situation.history;
    rt.dice.set(situation.dice);
    rt.outcome = situation.outcome;
    rt.now = situation.now;
    rt.me = -1;
    rt.reset(setDraws);
  }

  private seat(seats: readonly number[]): void {
    this.rt.seats = seats;
    if (this.naming.seats.length !== seats.length) this.naming.seats = this.machine.seats.names.slice(0, seats.length);
  }

  /** A situation as the working memory stands. */
  publish(step: number): Situation {
    const { rt } = this;
    return { step, now: rt.now, configuration: rt.configuration, root: rt.root, timers: rt.timers, seats: rt.seats, history: rt.history, dice: rt.dice.slice(), outcome: rt.outcome };
  }

  /** Like `publish`, for going back within this working memory: the dice are kept in one buffer that the next call reuses. */
  checkpoint(step: number): Situation {
    const { rt } = this;
    this.savedDice.set(rt.dice);
    rt.epoch = newEpoch();
    rt.me = -1;
    rt.reset([]);
    return { step, now: rt.now, configuration: rt.configuration, root: rt.root, timers: rt.timers, seats: rt.seats, history: rt.history, dice: this.savedDice, outcome: rt.outcome };
  }

  /** Goes back to a checkpoint. */
  restore(before: Situation): void {
    this.load(before);
  }

  /** Empties the working memory for a new match: seats, dice and the machine's data with their defaults. */
  prepare(seed: string, seats: readonly number[], now: number, setDraws: readonly SetDraw[]): void {
    const { rt, machine } = this;
    rt.epoch = newEpoch();
    rt.now = now;
    rt.me = -1;
    rt.outcome = null;
    this.seat(seats);
    rt.history = machine.states.map(() => null);
    rt.timers = machine.timers.map(() => Number.NaN);
    rt.configuration = this.configurations.of([[]]);
    rt.reset(setDraws);
    for (const [stream, name] of machine.streams.entries()) seedStream(rt.dice, stream, seed, name);
    rt.root = new Box(rt.epoch, new Array<unknown>(machine.rootSize).fill(null));
    for (const state of machine.states) if (state.turn && state.turn.actedSlot >= 0) rt.root.at[state.turn.actedSlot] = 0;
    for (const field of machine.data) rt.root.at[field.slot] = this.expressions.initial(field.type, field.initial);
  }

  /** Enters the start, or the inside of a given state. */
  start(target: number, args: readonly unknown[]): void {
    this.follow(this.configurations.begin(target), args, target);
  }
}

function sequence(runs: readonly Run[]): Run {
  const [first] = runs;
  if (!first) return () => {};
  return runs.length === 1
    ? first
    : () => {
        for (const run of runs) run();
      };
}

function usesHistory(arrow: Arrow): boolean {
  if (arrow.kind === "history") return true;
  return arrow.kind === "choose" && [...arrow.branches, ...(arrow.otherwise ? [arrow.otherwise] : [])].some((b) => usesHistory(b.arrow));
}

/** The shortest repeating end of a list of names. */
function circleOf(names: readonly string[]): readonly string[] {
  for (let length = 1; length <= names.length / 2; length++) {
    const last = names.slice(-length);
    if (last.every((name, i) => name === names[names.length - 2 * length + i])) return [...last, last[0] as string];
  }
  return names;
}

