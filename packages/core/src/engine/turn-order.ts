/**
 * The language's own order of a step: effects first, then the arrow; `exit` from the inside, `enter`
 * from the outside; then signals, one at a time, every listener; then one `when`, and again until
 * nothing is left.
 */

import type { Action, Arrow, Listener, Machine, State, Target, Timer, When } from "../check/machine.js";
import type { Span } from "../language/source.js";
import type { Configuration, Plan } from "./configuration.js";
import type { Engine } from "./engine.js";
import type { Get } from "./expressions.js";
import { Fault } from "./fault.js";
import type { Run } from "./statements.js";
import { Patience, type StepOrder } from "./step-order.js";

interface Reaction {
  readonly test: Get<boolean> | undefined;
  readonly run: Run;
  readonly arrow: Run | undefined;
}

const NO_VALUES: readonly unknown[] = [];

export class TurnOrder implements StepOrder {
  private readonly timers: readonly Reaction[];
  private readonly listeners: Reaction[] = [];
  /** Conditions, each with what is done when it holds; without a test it holds at once. */
  private readonly whens: { readonly test: Get<boolean> | undefined; readonly run: Run }[] = [];
  private readonly entryLaws: readonly (Machine["laws"][number] & { form: "entered" })[];
  readonly patience = new Patience();

  constructor(private readonly engine: Engine) {
    const { machine } = engine;
    this.timers = machine.timers.map((timer) => this.reaction(timer));
    for (const state of machine.states) {
      for (const listener of state.listeners) this.listeners[listener.id] = this.reaction(listener);
      for (const when of state.whens)
        this.whens[when.id] = {
          test: engine.whenTest(when),
          run: engine.blockThen(when.block, this.arrow(when.arrow, when.state)),
        };
    }
    this.entryLaws = machine.laws.filter((law) => law.form === "entered");
  }

  ready(action: Action): Run {
    return this.engine.blockThen(action.block, this.arrow(action.arrow, action.state));
  }

  private reaction(item: Timer | Listener): Reaction {
    return {
      test: item.test && this.engine.condition(item.test),
      run: this.engine.block(item.block),
      arrow: item.arrow && this.arrow(item.arrow, item.state),
    };
  }

  // ---- arrows ----------------------------------------------------------------------------------

  /** An arrow made ready to be followed. */
  arrow(arrow: Arrow, source: number): Run {
    const { engine } = this;
    const { rt } = engine;
    switch (arrow.kind) {
      case "stay":
      case "missing":
        return () => {};
      case "ready":
        return engine.readyOf(source);
      case "return":
        return () => this.follow(engine.configurations.back(rt.configuration), NO_VALUES);
      case "to":
        return this.to(arrow.target, source, arrow.again, arrow);
      case "history":
        return () =>
          this.follow(this.way(source, engine.moving.remembered(arrow.state, arrow.deep), false, arrow), NO_VALUES);
      case "choose": {
        const all = [...arrow.branches, ...(arrow.otherwise ? [arrow.otherwise] : [])];
        const none = (): never => {
          throw new Fault("noBranch", arrow, "No branch of this choice holds, and it has no else.");
        };
        return engine.choice(
          all,
          all.map((branch) => this.arrow(branch.arrow, source)),
          none,
        );
      }
      case "odds": {
        const weights = arrow.entries.map((entry) => engine.expressions.number(entry.weight));
        const ways = arrow.entries.map((entry) => this.to(entry.target, source, false, arrow));
        return () =>
          (
            ways[
              rt.pickWeighted(
                0,
                weights.map((weight) => weight()),
                arrow,
              )
            ] as Run
          )();
      }
    }
  }

  private to(target: Target, source: number, again: boolean, at: Span): Run {
    const { engine } = this;
    const args = target.args.map((arg) => engine.stored(arg));
    if (target.kind === "ending")
      return () =>
        this.end(
          target.ending,
          args.map((arg) => arg()),
        );
    const targets = [target.state];
    // An arrow is mostly taken from one configuration: its last way is kept at hand.
    let from: Configuration | undefined;
    let plan: Plan | undefined;
    return () => {
      const values = args.length === 0 ? NO_VALUES : args.map((arg) => arg());
      const { configuration } = engine.rt;
      if (configuration !== from || !plan) {
        plan = this.way(source, targets, again, at);
        from = configuration;
      } else if (this.entryLaws.length > 0) {
        this.testEntryLaws(plan, at);
      }
      this.follow(plan, values, target.state);
    };
  }

  private way(source: number, targets: readonly number[], again: boolean, at: Span): Plan {
    const { configurations, rt } = this.engine;
    const plan = configurations.way(rt.configuration, source, targets, again);
    if (!plan)
      throw new Fault("overlayAgain", at, "This overlay lies over the match already; it cannot lie on itself.");
    this.testEntryLaws(plan, at);
    return plan;
  }

  private testEntryLaws(plan: Plan, at: Span): void {
    for (const law of this.entryLaws)
      if (plan.entered.some((e) => e.state === law.target)) this.engine.testEntry(law, at);
  }

  /** Leaves, freezes, thaws and enters as a plan says. `args` become the data of the state `target`. */
  private follow(plan: Plan, args: readonly unknown[], target = -1): void {
    const { rt, moving } = this.engine;
    if (plan.layered) {
      for (const layer of plan.ended) this.leaveAll(layer);
      for (const id of plan.frozen) moving.shiftTimers(id, -rt.now);
      for (const id of plan.thawed) moving.shiftTimers(id, rt.now);
    }
    this.leaveAll(plan.left);
    const { entered } = plan;
    for (let i = 0; i < entered.length; i++) {
      const { state, configuration } = entered[i] as Plan["entered"][number];
      rt.configuration = configuration;
      moving.enter(state, state === target ? args : NO_VALUES);
    }
    rt.configuration = plan.to;
  }

  private leaveAll(states: readonly number[]): void {
    const { moving } = this.engine;
    if (moving.keepsHistory && states.length > 0) this.rememberHistory(states);
    for (let i = 0; i < states.length; i++) {
      moving.exit(states[i] as number);
      moving.forget(states[i] as number);
    }
  }

  private rememberHistory(left: readonly number[]): void {
    const { states } = this.engine.machine;
    const leaves = left.filter((id) => !left.some((other) => states[other]?.parent === id));
    const outers = new Set<number>();
    for (const id of left) for (let outer = id; outer > 0; outer = states[outer]?.parent ?? -1) outers.add(outer);
    this.engine.moving.remember(leaves, outers);
  }

  private end(ending: number, args: readonly unknown[]): void {
    const { configurations, rt } = this.engine;
    for (const layer of configurations.everything(rt.configuration)) this.leaveAll(layer);
    this.engine.end(ending, args);
  }

  start(target: number, args: readonly unknown[]): void {
    this.follow(this.engine.configurations.begin(target), args, target);
  }

  // ---- coming to rest --------------------------------------------------------------------------

  announce(signal: number, values: readonly unknown[], at: Span): void {
    this.engine.rt.raise(signal, values, at);
  }

  timer(timer: Timer): void {
    const reaction = this.timers[timer.id] as Reaction;
    if (reaction.test && !reaction.test()) return;
    reaction.run();
    reaction.arrow?.();
  }

  rest(): void {
    const { rt } = this.engine;
    this.patience.reset();
    for (;;) {
      while (rt.waiting > 0 && !rt.outcome) this.deliver();
      if (rt.outcome || rt.configuration.stub >= 0 || !this.takeWhen()) return;
    }
  }

  private deliver(): void {
    const { engine } = this;
    const { rt, machine } = engine;
    const waiting = rt.takeSignal();
    const listeners = rt.configuration.listeners[waiting.signal];
    const heard = engine.tellSignal(waiting.signal, waiting.values, waiting.at);
    if (this.patience.spend())
      engine.lookForCircle(this.patience, machine.signals[waiting.signal]?.name ?? "", waiting.at);
    if (!listeners) return;
    let arrow: Run | undefined;
    for (let i = 0; i < listeners.length; i++) {
      const listener = listeners[i] as Listener;
      const reaction = this.listeners[listener.id] as Reaction;
      for (let j = 0; j < listener.slots.length; j++) rt.locals[listener.slots[j] as number] = waiting.values[j];
      if (reaction.test && !reaction.test()) continue;
      heard?.push({
        state: machine.states[listener.state]?.name ?? "",
        position: listener.from,
        led: arrow === undefined && reaction.arrow !== undefined,
      });
      reaction.run();
      arrow ??= reaction.arrow;
    }
    arrow?.();
  }

  private takeWhen(): boolean {
    const { rt, machine } = this.engine;
    const { whens } = rt.configuration;
    for (let i = 0; i < whens.length; i++) {
      const when = whens[i] as When;
      const { test, run } = this.whens[when.id] as TurnOrder["whens"][number];
      if (test && !test()) continue;
      if (this.patience.spend())
        this.engine.lookForCircle(this.patience, (machine.states[when.state] as State).name, when);
      run();
      return true;
    }
    return false;
  }
}
