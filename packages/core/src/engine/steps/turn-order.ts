/**
 * The language's own order of a step: effects first, then the arrow; `exit` from the inside, `enter`
 * from the outside; then signals, one at a time, every listener; then one `when`, and again until
 * nothing is left.
 */

import type { Action, Arrow, Listener, State, Target, Timer, When } from "../../check/machine.js";
import type { Span } from "../../language/source.js";
import type { Configuration, Plan, VisibleAction } from "../situation/configuration.js";
import type { WaitingSignal } from "../situation/memory.js";
import type { HeardRecord } from "../situation/situation.js";
import { told } from "../code/probes.js";
import type { Get, Run } from "../values/closure.js";
import { Fault } from "../values/fault.js";
import { byNumber, LazyTable } from "../values/lazy.js";
import { StepBudget, type StepOrder } from "./order.js";
import type { StepParts } from "./parts.js";

interface Reaction {
  readonly test: Get<boolean> | undefined;
  readonly run: Run;
  readonly arrow: Run | undefined;
}

/** A condition with what is done when it holds; without a test it holds at once. */
interface ReadyWhen {
  readonly test: Get<boolean> | undefined;
  readonly run: Run;
}

const NO_VALUES: readonly unknown[] = [];

export class TurnOrder implements StepOrder {
  private readonly timers: LazyTable<Reaction>;
  private readonly listeners: LazyTable<Reaction>;
  private readonly whens: LazyTable<ReadyWhen>;
  readonly budget = new StepBudget();

  constructor(private readonly parts: StepParts) {
    const { machine, code, whens } = parts;
    this.timers = new LazyTable((id) => this.reaction(machine.timers[id] as Timer));
    const allListeners = byNumber(machine.states.flatMap((state) => state.listeners));
    const allWhens = byNumber(machine.states.flatMap((state) => state.whens));
    this.listeners = new LazyTable((id) => this.reaction(allListeners[id] as Listener));
    this.whens = new LazyTable((id) => {
      const when = allWhens[id] as When;
      const run = this.using(whens.use(when), code.blockThen(when.block, this.arrow(when.arrow, when.state)));
      return { test: whens.test(when), run: this.taken(when, run) };
    });
  }

  private using(use: Run | undefined, run: Run): Run {
    if (!use) return run;
    return () => {
      use();
      run();
    };
  }

  ready(action: Action): Run {
    return this.probed(action, this.parts.code.blockThen(action.block, this.arrow(action.arrow, action.state)));
  }

  /** The first whose turn it is counts. */
  choose(
    visible: readonly VisibleAction[],
    mayAct: (action: VisibleAction) => boolean,
    fits: (action: VisibleAction) => boolean,
  ): number {
    const mine = visible.find(mayAct);
    return mine && fits(mine) ? mine.id : -1;
  }

  lay(overlay: number, args: readonly unknown[], at: Span): void {
    this.follow(this.planTo(0, [overlay], false, at), args, overlay);
  }

  private reaction(item: Timer | Listener): Reaction {
    return {
      test: item.test && this.parts.code.condition(item.test),
      run: this.taken(item, this.parts.code.block(item.block)),
      arrow: item.arrow && this.arrow(item.arrow, item.state),
    };
  }

  /** What an item does, as one who listens is told of it. */
  private probed(item: Span, run: Run): Run {
    const { probes } = this.parts.code;
    return told(probes?.taken && (() => probes.taken?.(item)), run);
  }

  /** What an item does, as one who records is told of it. */
  private taken(item: Span, run: Run): Run {
    const { recorder } = this.parts.code;
    return recorder ? recorder.part("taken", item, run) : this.probed(item, run);
  }

  // ---- arrows ----------------------------------------------------------------------------------

  /** An arrow made ready to be followed. */
  arrow(arrow: Arrow, source: number): Run {
    const run = this.way(arrow, source);
    const { recorder } = this.parts.code;
    if (!recorder || arrow.kind === "stay" || arrow.kind === "choose") return run;
    return recorder.part("arrow", arrow, run);
  }

  private way(arrow: Arrow, source: number): Run {
    const { memory, code, turns, configurations, entering } = this.parts;
    switch (arrow.kind) {
      case "stay":
      case "missing":
        return () => {};
      case "ready":
        return turns.ready(source);
      case "return":
        return () => this.follow(configurations.back(memory.configuration), NO_VALUES);
      case "to":
        return this.to(arrow.target, source, arrow.again, arrow);
      case "history":
        return () =>
          this.follow(this.planTo(source, entering.remembered(arrow.state, arrow.deep), false, arrow), NO_VALUES);
      case "choose": {
        const all = [...arrow.branches, ...(arrow.otherwise ? [arrow.otherwise] : [])];
        const none = (): never => {
          throw new Fault("noBranch", arrow, "No branch of this choice holds, and it has no else.");
        };
        return code.choice(
          all,
          all.map((branch) => this.arrow(branch.arrow, source)),
          none,
        );
      }
      case "odds": {
        const weights = arrow.entries.map((entry) => code.expressions.number(entry.weight));
        const ways = arrow.entries.map((entry) => this.to(entry.target, source, false, arrow));
        return () =>
          (
            ways[
              memory.pickWeighted(
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
    const { memory, code, laws } = this.parts;
    const args = target.args.map((arg) => code.stored(arg));
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
      const { configuration } = memory;
      if (configuration !== from || !plan) {
        plan = this.planTo(source, targets, again, at);
        from = configuration;
      } else if (laws.aboutEntering) {
        this.testEntering(plan, at);
      }
      this.follow(plan, values, target.state);
    };
  }

  private planTo(source: number, targets: readonly number[], again: boolean, at: Span): Plan {
    const { configurations, memory, laws } = this.parts;
    const plan = configurations.way(memory.configuration, source, targets, again);
    if (!plan)
      throw new Fault("overlayAgain", at, "This overlay lies over the match already; it cannot lie on itself.");
    if (laws.aboutEntering) this.testEntering(plan, at);
    return plan;
  }

  private testEntering(plan: Plan, at: Span): void {
    const isEntered = (state: number): boolean => plan.entered.some((e) => e.state === state);
    this.parts.laws.testEntering(isEntered, this.parts.memory.configuration, at);
  }

  /** Leaves, freezes, thaws and enters as a plan says. `args` become the data of the state `target`. */
  private follow(plan: Plan, args: readonly unknown[], target = -1): void {
    const { memory, entering } = this.parts;
    if (plan.layered) {
      for (const layer of plan.ended) this.leaveAll(layer);
      for (const id of plan.frozen) entering.shiftTimers(id, -memory.now);
      for (const id of plan.thawed) entering.shiftTimers(id, memory.now);
    }
    this.leaveAll(plan.left);
    const { entered } = plan;
    for (let i = 0; i < entered.length; i++) {
      const { state, configuration } = entered[i] as Plan["entered"][number];
      memory.configuration = configuration;
      entering.enter(state, state === target ? args : NO_VALUES);
    }
    memory.configuration = plan.to;
  }

  private leaveAll(states: readonly number[]): void {
    const { entering } = this.parts;
    if (entering.keepsHistory && states.length > 0) this.rememberHistory(states);
    for (let i = 0; i < states.length; i++) {
      entering.exit(states[i] as number);
      entering.forget(states[i] as number);
    }
  }

  private rememberHistory(left: readonly number[]): void {
    const { states } = this.parts.machine;
    const leaves = left.filter((id) => !left.some((other) => states[other]?.parent === id));
    const outers = new Set<number>();
    for (const id of left) for (let outer = id; outer > 0; outer = states[outer]?.parent ?? -1) outers.add(outer);
    this.parts.entering.remember(leaves, outers);
  }

  private end(ending: number, args: readonly unknown[]): void {
    const { configurations, memory } = this.parts;
    for (const layer of configurations.everything(memory.configuration)) this.leaveAll(layer);
    this.parts.endings.end(ending, args);
  }

  start(target: number, args: readonly unknown[]): void {
    this.follow(this.parts.configurations.begin(target), args, target);
  }

  // ---- coming to rest --------------------------------------------------------------------------

  announce(signal: number, values: readonly unknown[], at: Span): void {
    this.parts.memory.raise(signal, values, at);
  }

  timer(timer: Timer): void {
    const reaction = this.timers.of(timer.id);
    if (reaction.test && !reaction.test()) return;
    reaction.run();
    reaction.arrow?.();
  }

  rest(): void {
    this.budget.reset();
    this.goOn();
  }

  /** Goes on to rest in a step of which something has been done already. */
  goOn(): void {
    const { memory } = this.parts;
    for (;;) {
      while (memory.waiting > 0 && !memory.outcome) this.deliver();
      if (memory.outcome || memory.configuration.stub >= 0 || !this.takeWhen()) return;
    }
  }

  private deliver(): void {
    const { memory, machine } = this.parts;
    const waiting = memory.takeSignal();
    const listeners = memory.configuration.listeners[waiting.signal];
    const heard = memory.recordSignal(waiting.signal, waiting.values, waiting.at);
    memory.spend(memory.configuration.hearing[waiting.signal] ?? 0, waiting.at);
    if (this.budget.spend()) this.budget.remember(machine.signals[waiting.signal]?.name ?? "", waiting.at);
    if (!listeners) return;
    const { recorder } = this.parts.code;
    if (recorder)
      recorder.hear(waiting.at, machine.signals[waiting.signal]?.name ?? "", () =>
        this.tell(listeners, waiting, heard),
      );
    else this.tell(listeners, waiting, heard);
  }

  /** Lets listeners act on a signal; the first arrow among them is followed at last. */
  private tell(listeners: readonly Listener[], waiting: WaitingSignal, heard: HeardRecord[] | undefined): void {
    const { memory, machine } = this.parts;
    let arrow: Run | undefined;
    for (let i = 0; i < listeners.length; i++) {
      const listener = listeners[i] as Listener;
      const reaction = this.listeners.of(listener.id);
      for (let j = 0; j < listener.slots.length; j++) memory.locals[listener.slots[j] as number] = waiting.values[j];
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
    const { memory, machine } = this.parts;
    const { whens } = memory.configuration;
    for (let i = 0; i < whens.length; i++) {
      const when = whens[i] as When;
      const { test, run } = this.whens.of(when.id);
      if (test && !test()) continue;
      memory.spend(memory.configuration.asking, when);
      if (this.budget.spend()) {
        const asks = when.test.kind === "holds";
        this.budget.remember((machine.states[when.state] as State).name, when, asks);
      }
      run();
      return true;
    }
    return false;
  }
}
