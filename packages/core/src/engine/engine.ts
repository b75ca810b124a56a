/**
 * The engine of one machine: its closures, its tables, and the order of a step.
 *
 * An input is taken to rest: effects first, then the arrow; `exit` from the inside, `enter` from the
 * outside; then signals, one at a time, then one `when`, and again until nothing is left; then the
 * laws. Everything happens in one `Runtime`; nothing that was given out before is touched.
 */

import type { Action, ActionParameter, Arrow, Block, Branch, Expr, Listener, Machine, State, Target, Timer, When } from "../check/machine.js";
import { readsOf } from "../check/reads.js";
import type { Type } from "../check/types.js";
import type { Span } from "../language/source.js";
import { Box } from "./box.js";
import { type Configuration, Configurations, type Plan } from "./configuration.js";
import { ExpressionCompiler, type Get } from "./expressions.js";
import { Fault } from "./fault.js";
import { Generator } from "./generate.js";
import { readyEnding, unfinishedOutcome } from "./outcome.js";
import { seedStream } from "./random.js";
import { Runtime, SEAT_OUT, type SetDraw } from "./runtime.js";
import type { Outcome, Situation } from "./situation.js";
import { type Run, StatementCompiler } from "./statements.js";
import { toJson } from "./values.js";

/** Most signals and conditions taken in one step. */
const MAX_SMALL_STEPS = 1_000;
/** From here on their names are kept, to tell in which circle a step goes. */
const PATIENCE = MAX_SMALL_STEPS - 100;

/** An action made ready: closures for everything it asks. */
export interface ReadyAction {
  readonly action: Action;
  readonly parameters: readonly ReadyParameter[];
  readonly by: Get<readonly number[]> | "anyone" | undefined;
  readonly needs: readonly { readonly test: Get<boolean>; readonly written: Expr; readonly reason: Get<string> | undefined }[];
  readonly run: Run;
}

export interface ReadyParameter {
  readonly name: string;
  readonly type: Type;
  readonly parameter: ActionParameter;
  readonly slot: number;
  readonly isSeat: boolean;
  /** Every object has something by this name, so it must be asked whether it is its own. */
  readonly inherited: boolean;
  /** True when the value that is set is open: in the domain, and the condition holds. */
  readonly open: Get<boolean>;
  readonly domain: Get<Box> | undefined;
  readonly inDomain: Get<boolean> | undefined;
  readonly where: Get<boolean> | undefined;
  readonly reason: Get<string> | undefined;
}

/** A state made ready. All have the same shape, whatever the state has, which keeps reading them fast. */
interface ReadyState {
  readonly name: string;
  /** Slots of its data and of who has acted, or -1. */
  readonly slot: number;
  readonly actedSlot: number;
  readonly timers: readonly number[];
  readonly initials: readonly Get[];
  /** It has data, timers or a count of who has acted. */
  readonly keeps: boolean;
  readonly enter: Run | undefined;
  readonly exit: Run | undefined;
  readonly turn: Get<readonly number[]> | undefined;
  /** For a turn of one seat, not of each: that seat, without a list around it. */
  readonly turnSeat: Get<number> | undefined;
}

interface Reaction {
  readonly test: Get<boolean> | undefined;
  readonly run: Run;
  readonly arrow: Run | undefined;
}

const ALWAYS: Get<boolean> = () => true;
const NO_SEATS: readonly number[] = [];
const NO_DRAWS: readonly SetDraw[] = [];
const NO_VALUES: readonly unknown[] = [];

export class Engine {
  /** The names of the seats of the match at hand: a machine with `seats 2..6` has fewer than it could. */
  readonly naming: { seats: readonly string[] };
  /** For each seat a list of its name alone. */
  readonly alone: readonly (readonly string[])[];
  readonly rt: Runtime;
  readonly configurations: Configurations;
  readonly expressions: ExpressionCompiler;
  /** Blocks and conditions that run at every step: generated code where the host allows it, else closures. */
  private readonly block: (block: Block | undefined) => Run;
  private readonly blockThen: (block: Block | undefined, next: Run) => Run;
  private readonly choice: (branches: readonly Branch[], arrows: readonly Run[], none: Run) => Run;
  private readonly value: (e: Expr) => Get;
  private readonly condition: (e: Expr) => Get<boolean>;
  private readonly stored: (e: Expr) => Get;
  private readonly states: readonly ReadyState[];
  readonly actions: readonly ReadyAction[];
  private readonly endings: readonly ((args: readonly unknown[]) => Outcome)[];
  /** Most delays are plain durations; the others are worked out at entry. */
  private readonly timerDelays: readonly (number | Get<number>)[];
  private readonly timers: readonly Reaction[];
  private readonly listeners: Reaction[] = [];
  /** Conditions, each with what is done when it holds; without a test it holds at once. */
  private readonly whens: { readonly test: Get<boolean> | undefined; readonly run: Run }[] = [];
  private readonly laws: readonly { readonly words: string; readonly at: Span; readonly test: Get<boolean>; readonly mask: number; readonly more: boolean }[];
  private readonly entryLaws: readonly (Machine["laws"][number] & { form: "entered" })[];
  private readonly keepsHistory: boolean;
  /** How often the working memory has been filled anew: a run notices when somebody else used it. */
  loads = 0;
  private smallSteps = 0;
  private readonly circle: string[] = [];

  /** @param generated run code generated from the typed tree; the host must allow it */
  constructor(
    readonly machine: Machine,
    generated: boolean,
  ) {
    this.naming = { seats: machine.seats.names };
    this.alone = machine.seats.names.map((name) => [name]);
    this.rt = new Runtime(machine.locals, machine.streams);
    this.configurations = new Configurations(machine);
    this.condition = (e) => this.value(e) as Get<boolean>;
    this.expressions = new ExpressionCompiler(machine, this.rt, this.naming, { canAct: (seat) => this.canAct(seat) });
    const statements = new StatementCompiler(machine, this.rt, this.expressions, this.naming);
    if (generated) {
      const generator = new Generator(machine, this.rt, this.expressions, statements);
      this.block = (block) => generator.block(block);
      this.blockThen = (block, next) => generator.blockThen(block, next);
      this.choice = (branches, arrows, none) => generator.choice(branches, arrows, none);
      this.value = (e) => generator.value(e);
      this.stored = (e) => generator.stored(e);
    } else {
      this.block = (block) => statements.block(block);
      this.blockThen = (block, next) => statements.blockThen(block, next);
      this.choice = (branches, arrows, none) => statements.choice(branches, arrows, none);
      this.value = (e) => this.expressions.compile(e);
      this.stored = (e) => this.expressions.stored(e);
    }
    this.states = machine.states.map((state) => this.readyState(state));
    this.actions = machine.actions.map((action) => this.readyAction(action));
    this.endings = machine.endings.map((ending) => readyEnding(this, ending));
    this.timerDelays = machine.timers.map(({ delay }) => (delay.kind === "constant" ? (delay.value as number) : this.expressions.number(delay)));
    this.timers = machine.timers.map((timer) => this.reaction(timer, timer.test && this.condition(timer.test)));
    for (const state of machine.states) {
      for (const listener of state.listeners) this.listeners[listener.id] = this.reaction(listener, listener.test && this.condition(listener.test));
      for (const when of state.whens) this.whens[when.id] = { test: this.whenTest(when), run: this.blockThen(when.block, this.arrow(when.arrow, when.state)) };
    }
    this.laws = machine.laws.flatMap((law) => {
      if (law.form !== "holds") return [];
      const reads = readsOf(machine, law.test);
      return [{ words: law.words, at: law, test: this.condition(law.test), mask: [...reads.slots].reduce((mask, slot) => mask | (1 << (slot & 31)), 0), more: reads.more }];
    });
    this.entryLaws = machine.laws.filter((law) => law.form === "entered");
    this.keepsHistory = machine.states.some((state) => [...state.actions, ...state.timers, ...state.listeners, ...state.whens].some((item) => item.arrow && usesHistory(item.arrow)));
  }

  /** Set by the file that answers what a seat may do; the engine itself only runs things. */
  canAct: (seat: number) => boolean = () => false;

  // ---- making ready ----------------------------------------------------------------------------

  private readyState(state: State): ReadyState {
    const { expressions } = this;
    const actedSlot = state.turn?.actedSlot ?? -1;
    return {
      name: state.name,
      slot: state.slot,
      actedSlot,
      timers: state.timers.map((t) => t.id),
      initials: state.fields.map((field): Get => () => expressions.initial(field.type, field.initial)),
      keeps: state.slot >= 0 || state.timers.length > 0 || actedSlot >= 0,
      enter: sequence(state.enters.flatMap((e) => (e.block ? [this.block(e.block)] : []))),
      exit: sequence(state.exits.map((block) => this.block(block))),
      ...this.readyTurn(state),
    };
  }

  private readyTurn(state: State): Pick<ReadyState, "turn" | "turnSeat"> {
    if (!state.turn) return { turn: undefined, turnSeat: undefined };
    const { of, each } = state.turn;
    const get = this.value(of);
    if (of.type.kind === "list") return { turn: () => (get() as Box).at as number[], turnSeat: undefined };
    const turn = (): number[] => [get() as number];
    return { turn, turnSeat: each ? undefined : (get as Get<number>) };
  }

  private readyAction(action: Action): ReadyAction {
    const { expressions } = this;
    return {
      action,
      parameters: action.parameters.map((parameter) => {
        const { domain, where, reason, slot, type } = parameter;
        const value: Expr = { kind: "local", slot, type, from: parameter.from, to: parameter.to };
        return {
          name: parameter.name,
          type,
          parameter,
          slot,
          isSeat: type.kind === "seat",
          inherited: parameter.name in Object.prototype,
          open: this.openTest(parameter, value),
          domain: domain && expressions.list(domain),
          inDomain: domain && this.condition({ kind: "binary", op: "in", left: value, right: domain, type: { kind: "bool" }, from: domain.from, to: domain.to }),
          where: where && this.condition(where),
          reason: reason && (expressions.compile(reason) as Get<string>),
        };
      }),
      by: action.by === undefined || action.by === "anyone" ? action.by : expressions.seats(action.by),
      needs: action.needs.map((need) => ({ test: this.condition(need.test), written: need.test, reason: need.reason && (expressions.compile(need.reason) as Get<string>) })),
      run: this.blockThen(action.block, this.arrow(action.arrow, action.state)),
    };
  }

  private openTest({ domain, where }: ActionParameter, value: Expr): Get<boolean> {
    const inDomain: Expr | undefined = domain && { kind: "binary", op: "in", left: value, right: domain, type: { kind: "bool" }, from: domain.from, to: domain.to };
    if (inDomain && where) return this.condition({ kind: "binary", op: "and", left: inDomain, right: where, type: { kind: "bool" }, from: where.from, to: where.to });
    const only = inDomain ?? where;
    return only ? this.condition(only) : ALWAYS;
  }

  private reaction(item: Timer | Listener, test: Get<boolean> | undefined): Reaction {
    const run = this.block(item.block);
    const arrow = item.arrow && this.arrow(item.arrow, item.state);
    return { test, run, arrow };
  }

  private whenTest(when: When): Get<boolean> | undefined {
    const { test } = when;
    switch (test.kind) {
      case "holds":
        return this.condition(test.test);
      case "done":
        return () => this.rt.configuration.active[test.final] === 1;
      case "allActed": {
        const turn = this.turnAround(when.state);
        return () => this.allActedIn(turn);
      }
      case "entered":
        return undefined;
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
          const root = rt.ownRoot(slot);
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
          this.follow(this.way(source, targets, false, start ?? arrow), []);
        };
      }
      case "choose": {
        const all = [...arrow.branches, ...(arrow.otherwise ? [arrow.otherwise] : [])];
        const none = (): never => {
          throw new Fault("noBranch", arrow, "No branch of this choice holds, and it has no else.");
        };
        return this.choice(all, all.map((branch) => this.arrow(branch.arrow, source)), none);
      }
      case "odds": {
        const weights = arrow.entries.map((entry) => this.expressions.number(entry.weight));
        const ways = arrow.entries.map((entry) => this.to(entry.target, source, false, arrow));
        return () => (ways[rt.drawWeighted(0, weights.map((weight) => weight()), arrow)] as Run)();
      }
    }
  }

  private to(target: Target, source: number, again: boolean, at: Span): Run {
    const args = target.args.map((arg) => this.stored(arg));
    if (target.kind === "ending") return () => this.end(target.ending, args.map((arg) => arg()));
    const targets = [target.state];
    const noArgs: readonly unknown[] = [];
    // An arrow is mostly taken from one configuration: its last way is kept at hand.
    let from: Configuration | undefined;
    let plan: Plan | undefined;
    return () => {
      const values = args.length === 0 ? noArgs : args.map((arg) => arg());
      const { configuration } = this.rt;
      if (configuration !== from || !plan) {
        plan = this.way(source, targets, again, at);
        from = configuration;
      } else if (this.entryLaws.length > 0) {
        this.testEntryLaws(plan, at);
      }
      this.follow(plan, values, target.state);
    };
  }

  private childrenHolding(outer: number, leaves: readonly number[]): number[] {
    const children = this.machine.states[outer]?.children ?? [];
    return children.filter((child) => leaves.some((leaf) => leaf >= child && leaf <= (this.machine.states[child]?.last ?? -1)));
  }

  private way(source: number, targets: readonly number[], again: boolean, at: Span): Plan {
    const plan = this.configurations.way(this.rt.configuration, source, targets, again);
    if (!plan) throw new Fault("overlayAgain", at, "This overlay lies over the match already; it cannot lie on itself.");
    this.testEntryLaws(plan, at);
    return plan;
  }

  private testEntryLaws(plan: Plan, at: Span): void {
    for (const law of this.entryLaws) {
      if (plan.entered.some((e) => e.state === law.target) && !law.states.some((id) => this.rt.configuration.active[id] === 1)) {
        throw new Fault("lawBroken", at, `The law "${law.words}" does not allow this arrow.`);
      }
    }
  }

  /** Leaves, freezes, thaws and enters as a plan says. `args` become the data of the state `target`. */
  private follow(plan: Plan, args: readonly unknown[], target = -1): void {
    const { rt } = this;
    if (plan.layered) {
      for (const layer of plan.ended) this.leaveAll(layer);
      for (const id of plan.frozen) this.shiftTimers(id, -rt.now);
      for (const id of plan.thawed) this.shiftTimers(id, rt.now);
    }
    this.leaveAll(plan.left);
    const { entered } = plan;
    for (let i = 0; i < entered.length; i++) {
      const { state, configuration } = entered[i] as Plan["entered"][number];
      rt.configuration = configuration;
      this.enter(state, state === target ? args : NO_VALUES);
    }
    rt.configuration = plan.to;
  }

  private leaveAll(states: readonly number[]): void {
    const { rt } = this;
    if (this.keepsHistory && states.length > 0) this.rememberHistory(states);
    for (let i = 0; i < states.length; i++) {
      const ready = this.states[states[i] as number] as ReadyState;
      ready.exit?.();
      if (ready.keeps) this.forget(ready);
      if (rt.happenings) rt.happenings.moves.push({ kind: "leave", state: ready.name });
    }
  }

  /** Ends a state's timers and drops its data. */
  private forget({ timers, slot, actedSlot }: ReadyState): void {
    for (let i = 0; i < timers.length; i++) this.rt.setTimer(timers[i] as number, Number.NaN);
    if (slot >= 0) this.setRoot(slot, null);
    if (actedSlot >= 0) this.setRoot(actedSlot, 0);
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
    const ready = this.states[id] as ReadyState;
    if (ready.keeps) this.makeRoom(ready, args);
    if (rt.happenings) rt.happenings.moves.push({ kind: "enter", state: ready.name });
    ready.enter?.();
  }

  /** Makes a state's data anew and starts its timers. */
  private makeRoom({ slot, actedSlot, initials, timers }: ReadyState, args: readonly unknown[]): void {
    const { rt } = this;
    if (slot >= 0) {
      const box = new Box(rt.epoch, []);
      this.setRoot(slot, box);
      // One after the other, as a default may use the fields before it.
      for (const [i, initial] of initials.entries()) box.at.push(i < args.length ? args[i] : initial());
    }
    if (actedSlot >= 0) this.setRoot(actedSlot, 0);
    for (let i = 0; i < timers.length; i++) {
      const timer = timers[i] as number;
      rt.setTimer(timer, rt.now + Math.max(0, this.delayOf(timer)));
    }
  }

  private delayOf(timer: number): number {
    const delay = this.timerDelays[timer] as number | Get<number>;
    return typeof delay === "number" ? delay : delay();
  }

  private setRoot(slot: number, value: unknown): void {
    this.rt.ownRoot(slot).at[slot] = value;
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
    const { turn, actedSlot } = this.states[id] as ReadyState;
    if (!turn) return NO_SEATS;
    const acted = actedSlot >= 0 ? (rt.root.at[actedSlot] as number) : 0;
    const seats = turn();
    for (let i = 0; i < seats.length; i++) {
      const seat = seats[i] as number;
      if (rt.seats[seat] === SEAT_OUT || (acted & (1 << seat)) !== 0) return seats.filter((s) => rt.seats[s] !== SEAT_OUT && (acted & (1 << s)) === 0);
    }
    return seats;
  }

  /** True when a state's `turn of` names this seat. */
  isTurnOf(id: number, seat: number): boolean {
    const { turnSeat } = this.states[id] as ReadyState;
    return turnSeat ? turnSeat() === seat && this.rt.seats[seat] !== SEAT_OUT : this.turnOf(id).includes(seat);
  }

  /** True when this seat has had its part of the state's `turn of each`. */
  hasActed(id: number, seat: number): boolean {
    const { actedSlot } = this.states[id] as ReadyState;
    return actedSlot >= 0 && ((this.rt.root.at[actedSlot] as number) & (1 << seat)) !== 0;
  }

  private allActedIn(id: number): boolean {
    return id >= 0 && this.turnOf(id).length === 0;
  }

  // ---- taking an input to rest -----------------------------------------------------------------

  /** Delivers signals and takes conditions until nothing is left; then tests the laws. */
  settle(): void {
    const { rt } = this;
    this.smallSteps = 0;
    if (this.circle.length > 0) this.circle.length = 0;
    for (;;) {
      while (rt.waiting > 0 && !rt.outcome) this.deliver();
      if (rt.outcome || rt.configuration.draft >= 0 || !this.takeWhen()) break;
    }
    if (rt.outcome || rt.configuration.draft >= 0) {
      if (rt.waiting > 0) {
        const dropped = rt.dropSignals();
        rt.happenings?.dropped.push(...dropped.map((signal) => this.machine.signals[signal]?.name ?? ""));
      }
      if (!rt.outcome) rt.outcome = unfinishedOutcome(this, this.machine.states[rt.configuration.draft] as State);
    }
    this.testLaws();
  }

  /** Near the end of a step's patience: remembers where it goes, and names the circle when it is over. */
  private lookForCircle(what: string, at: Span): void {
    this.circle.push(what);
    if (this.smallSteps > MAX_SMALL_STEPS) throw new Fault("endlessLoop", at, `This step does not come to rest. It goes round in: ${circleOf(this.circle).join(" -> ")}.`);
  }

  private deliver(): void {
    const { rt } = this;
    const waiting = rt.takeSignal();
    const listeners = rt.configuration.listeners[waiting.signal];
    const declared = this.machine.signals[waiting.signal];
    let heard: string[] | undefined;
    if (rt.happenings && declared) {
      heard = [];
      const values = Object.fromEntries(declared.parameters.map((p, i) => [p.name, toJson(p.type, waiting.values[i], this.naming)]));
      rt.happenings.signals.push({ signal: declared.name, values, heard });
    }
    if (!listeners) return;
    let arrow: Run | undefined;
    for (let i = 0; i < listeners.length; i++) {
      const listener = listeners[i] as Listener;
      const reaction = this.listeners[listener.id] as Reaction;
      for (let j = 0; j < listener.slots.length; j++) rt.locals[listener.slots[j] as number] = waiting.values[j];
      if (reaction.test && !reaction.test()) continue;
      if (++this.smallSteps > PATIENCE) this.lookForCircle(declared?.name ?? "", listener);
      heard?.push(this.machine.states[listener.state]?.name ?? "");
      reaction.run();
      arrow ??= reaction.arrow;
    }
    arrow?.();
  }

  private takeWhen(): boolean {
    const { rt } = this;
    const { whens } = rt.configuration;
    for (let i = 0; i < whens.length; i++) {
      const when = whens[i] as When;
      const { test, run } = this.whens[when.id] as Engine["whens"][number];
      if (test && !test()) continue;
      if (++this.smallSteps > PATIENCE) this.lookForCircle(this.machine.states[when.state]?.name ?? "", when);
      run();
      return true;
    }
    return false;
  }

  private testLaws(): void {
    const { rt } = this;
    for (const law of this.laws) {
      if (rt.begun && !law.more && (rt.touched & law.mask) === 0) continue;
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
    rt.setTimer(timer.id, timer.repeats ? (rt.timers[timer.id] as number) + Math.max(1, this.delayOf(timer.id)) : Number.NaN);
    if (reaction.test && !reaction.test()) return;
    reaction.run();
    reaction.arrow?.();
  }

  // ---- situations ------------------------------------------------------------------------------

  /** Takes a situation into the working memory. */
  load(situation: Situation, setDraws: readonly SetDraw[] = NO_DRAWS): void {
    const { rt } = this;
    this.loads++;
    rt.giveOut();
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
    rt.giveOut();
    return { step, now: rt.now, configuration: rt.configuration, root: rt.root, timers: rt.timers, seats: rt.seats, history: rt.history, dice: rt.dice.slice(), outcome: rt.outcome };
  }

  /** Begins a step that goes on in the working memory as it stands. */
  again(): void {
    this.rt.me = -1;
    this.rt.reset(NO_DRAWS);
  }

  /** Empties the working memory for a new match: seats, dice and the machine's data with their defaults. */
  prepare(seed: string, seats: readonly number[], now: number, setDraws: readonly SetDraw[]): void {
    const { rt, machine } = this;
    this.loads++;
    rt.giveOut();
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

/** One after the other; undefined when there is nothing to run. */
function sequence(runs: readonly Run[]): Run | undefined {
  const [first] = runs;
  return runs.length <= 1
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

