/**
 * The engine of one machine: its closures, its tables, its working memory. What an input sets off, and in
 * which order, is the business of its `StepOrder`. Everything happens in one `Runtime`; nothing that was
 * given out before is touched.
 */

import { cannotFail } from "../check/quiet.js";
import type {
  Action,
  ActionParameter,
  Block,
  Branch,
  Expr,
  Machine,
  State,
  Timer,
  Turn,
  When,
} from "../check/machine.js";
import { readsOf } from "../check/reads.js";
import { growsDeep } from "../check/size.js";
import type { Type } from "../check/types.js";
import type { Span } from "../language/source.js";
import { Box } from "./box.js";
import { type Configuration, Configurations } from "./configuration.js";
import { ExpressionCompiler, type Get } from "./expressions.js";
import { Flow } from "./flow.js";
import { Fault } from "./fault.js";
import { Generator } from "./generate.js";
import { Moving } from "./moving.js";
import { readyEnding, unfinishedOutcome } from "./outcome.js";
import { seedStream } from "./random.js";
import { Runtime, SEAT_OUT, type SetRoll } from "./runtime.js";
import type { HeardRecord, Outcome, Situation } from "./situation.js";
import { StandardOrder } from "./standard-order.js";
import { type Run, StatementCompiler } from "./statements.js";
import type { Patience } from "./step-order.js";
import { TurnOrder } from "./turn-order.js";
import { toJson } from "./values.js";
import { MAX_WEIGHT, weightOf } from "./weight.js";

/** An action made ready: closures for everything it asks. */
export interface ReadyAction {
  readonly action: Action;
  readonly parameters: readonly ReadyParameter[];
  readonly by: Get<readonly number[]> | "anyone" | undefined;
  readonly needs: readonly {
    readonly test: Get<boolean>;
    readonly written: Expr;
    readonly reason: Get<string> | undefined;
  }[];
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
  /** The same as conditions. */
  readonly tests: readonly Expr[];
  readonly domain: Get<Box> | undefined;
  readonly inDomain: Get<boolean> | undefined;
  readonly where: Get<boolean> | undefined;
  readonly reason: Get<string> | undefined;
}

/** Whose turn it is in a state. */
interface ReadyTurn {
  readonly seats: Get<readonly number[]>;
  /** For a turn of one seat, not of each: that seat, without a list around it. */
  readonly seat: Get<number> | undefined;
  /** The slot of who is ready, or -1. */
  readonly readySlot: number;
  /** Working it out can be a fault. */
  readonly mayFail: boolean;
}

/** A law that has to hold after every step. */
interface ReadyLaw {
  readonly written: Expr;
  readonly test: Get<boolean>;
  /** Which slots it reads, as in `Runtime.touched`; with `more` it reads other things too. */
  readonly mask: number;
  readonly more: boolean;
  /** Throws the fault of a broken law. */
  readonly broken: Run;
}

const ALWAYS: Get<boolean> = () => true;
const NO_SEATS: readonly number[] = [];
const NO_ROLLS: readonly SetRoll[] = [];

export class Engine {
  /** The names of the seats of the match at hand: a machine with `seats 2..6` has fewer than it could. */
  readonly naming: { seats: readonly string[] };
  /** For each seat a list of its name alone. */
  readonly alone: readonly (readonly string[])[];
  readonly rt: Runtime;
  readonly configurations: Configurations;
  readonly expressions: ExpressionCompiler;
  /** Blocks and conditions that run at every step: generated code where the host allows it, else closures. */
  readonly block: (block: Block | undefined) => Run;
  readonly blockThen: (block: Block | undefined, next: Run) => Run;
  readonly choice: (branches: readonly Branch[], arrows: readonly Run[], none: Run) => Run;
  readonly stored: (e: Expr) => Get;
  private readonly value: (e: Expr) => Get;
  readonly moving: Moving;
  readonly order: TurnOrder | StandardOrder;
  private readonly turns: readonly (ReadyTurn | undefined)[];
  readonly actions: readonly ReadyAction[];
  private readonly endings: readonly ((args: readonly unknown[]) => Outcome)[];
  readonly laws: readonly ReadyLaw[];
  /** Whole steps as generated code; undefined where nothing is generated, and in the standard order. */
  readonly flow: Flow | undefined;
  private readonly growsDeep: boolean;
  /** How often the working memory has been filled anew: a run notices when somebody else used it. */
  loads = 0;

  /** @param generated run code generated from the typed tree; the host must allow it */
  constructor(
    readonly machine: Machine,
    generated: boolean,
  ) {
    this.naming = { seats: machine.seats.names };
    this.growsDeep = growsDeep(machine);
    this.alone = machine.seats.names.map((name) => [name]);
    this.rt = new Runtime(machine.locals, machine.streams);
    this.configurations = new Configurations(machine);
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
    const { expressions } = this;
    this.turns = machine.states.map((state) => state.turn && this.readyTurn(state.turn));
    this.moving = new Moving(machine, this.rt, {
      block: this.block,
      initial: (field) => expressions.initial(field.type, field.initial),
      number: (e) => expressions.number(e),
    });
    this.order = machine.standardOrder ? new StandardOrder(this) : new TurnOrder(this);
    this.actions = machine.actions.map((action) => this.readyAction(action));
    this.endings = machine.endings.map((ending) => readyEnding(this, ending));
    this.flow = generated && this.order instanceof TurnOrder ? new Flow(this, this.order, statements) : undefined;
    this.laws = machine.laws.flatMap((law) => {
      if (law.form !== "holds") return [];
      const reads = readsOf(machine, law.test);
      const broken = (): never => {
        throw new Fault("lawBroken", law, `The law "${law.words}" does not hold any more.`);
      };
      return [
        {
          written: law.test,
          test: this.condition(law.test),
          mask: [...reads.slots].reduce((mask, slot) => mask | (1 << (slot & 31)), 0),
          more: reads.more,
          broken,
        },
      ];
    });
  }

  /** Set by the file that answers what a seat may do; the engine itself only runs things. */
  canAct: (seat: number) => boolean = () => false;

  // ---- making ready ----------------------------------------------------------------------------

  /** The generated or closed form of a condition. */
  condition(e: Expr): Get<boolean> {
    return this.value(e) as Get<boolean>;
  }

  private readyTurn({ of, each, readySlot }: Turn): ReadyTurn {
    const get = this.value(of);
    const mayFail = !cannotFail(of);
    if (of.type.kind === "list")
      return { seats: () => (get() as Box).at as number[], seat: undefined, readySlot, mayFail };
    const seats = (): number[] => [get() as number];
    return { seats, seat: each ? undefined : (get as Get<number>), readySlot, mayFail };
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
          tests: this.openTests(parameter, value),
          open: this.openTest(parameter, value),
          domain: domain && expressions.list(domain),
          inDomain:
            domain &&
            this.condition({
              kind: "binary",
              op: "in",
              left: value,
              right: domain,
              type: { kind: "bool" },
              from: domain.from,
              to: domain.to,
            }),
          where: where && this.condition(where),
          reason: reason && (expressions.compile(reason) as Get<string>),
        };
      }),
      by: action.by === undefined || action.by === "anyone" ? action.by : expressions.seats(action.by),
      needs: action.needs.map((need) => ({
        test: this.condition(need.test),
        written: need.test,
        reason: need.reason && (expressions.compile(need.reason) as Get<string>),
      })),
      run: this.order.ready(action),
    };
  }

  private openTests({ domain, where }: ActionParameter, value: Expr): Expr[] {
    const inDomain: Expr | undefined = domain && {
      kind: "binary",
      op: "in",
      left: value,
      right: domain,
      type: { kind: "bool" },
      from: domain.from,
      to: domain.to,
    };
    return [inDomain, where].filter((test) => test !== undefined);
  }

  private openTest(parameter: ActionParameter, value: Expr): Get<boolean> {
    const [first, second] = this.openTests(parameter, value);
    if (first && second)
      return this.condition({
        kind: "binary",
        op: "and",
        left: first,
        right: second,
        type: { kind: "bool" },
        from: second.from,
        to: second.to,
      });
    return first ? this.condition(first) : ALWAYS;
  }

  /** What a `when` waits for; undefined for the arrow behind `enter`, which waits for nothing. */
  whenTest({ test, state }: When): Get<boolean> | undefined {
    switch (test.kind) {
      case "holds":
        return this.condition(test.test);
      case "done":
        return test.final >= 0 ? () => this.rt.configuration.active[test.final] === 1 : () => this.isDone(test.of);
      case "allReady": {
        const turn = this.turnAround(state);
        return () => turn >= 0 && this.turnOf(turn).length === 0;
      }
      case "entered":
        return undefined;
    }
  }

  /** True when a state stands in one of its finals, or, side by side, all its inner states do. */
  isDone(id: number): boolean {
    const state = this.machine.states[id] as State;
    if (state.parallel) return state.children.every((child) => this.isDone(child));
    return state.children.some(
      (child) => this.machine.states[child]?.kind === "final" && this.rt.configuration.active[child] === 1,
    );
  }

  private turnAround(state: number): number {
    for (let id = state; id >= 0; id = this.machine.states[id]?.parent ?? -1)
      if (this.machine.states[id]?.turn) return id;
    return -1;
  }

  /** Ends the acting seat's part of the `turn of each` around a state. */
  readyOf(source: number): Run {
    const { rt } = this;
    const slot = this.machine.states[this.turnAround(source)]?.turn?.readySlot ?? -1;
    return () => {
      const root = rt.ownRoot(slot);
      root.at[slot] = (root.at[slot] as number) | (1 << rt.me);
    };
  }

  /** Ends the match. What was active has been left. */
  end(ending: number, args: readonly unknown[]): void {
    this.rt.configuration = this.configurations.none;
    this.rt.outcome = (this.endings[ending] as (args: readonly unknown[]) => Outcome)(args);
  }

  // ---- turns -----------------------------------------------------------------------------------

  /** The seats that a state's `turn of` names: in play, and not through with their part of a `turn of each`. */
  turnOf(id: number): readonly number[] {
    const { rt } = this;
    const turn = this.turns[id];
    if (!turn) return NO_SEATS;
    const ready = turn.readySlot >= 0 ? (rt.root.at[turn.readySlot] as number) : 0;
    const seats = turn.seats();
    for (let i = 0; i < seats.length; i++) {
      const seat = seats[i] as number;
      if (rt.seats[seat] === SEAT_OUT || (ready & (1 << seat)) !== 0)
        return seats.filter((s) => rt.seats[s] !== SEAT_OUT && (ready & (1 << s)) === 0);
    }
    return seats;
  }

  /** The names of all seats on turn. */
  namesOnTurn: () => readonly string[] = () => [];

  /** True when a state's `turn of` names this seat. */
  isTurnOf(id: number, seat: number): boolean {
    const only = this.turns[id]?.seat;
    return only ? only() === seat && this.rt.seats[seat] !== SEAT_OUT : this.turnOf(id).includes(seat);
  }

  /** True when this seat has had its part of the state's `turn of each`. */
  isReady(id: number, seat: number): boolean {
    const readySlot = this.turns[id]?.readySlot ?? -1;
    return readySlot >= 0 && ((this.rt.root.at[readySlot] as number) & (1 << seat)) !== 0;
  }

  // ---- taking an input to rest -----------------------------------------------------------------

  /** Goes on until nothing is left to be done, then tests the laws. */
  settle(): void {
    this.order.rest();
    this.finish();
  }

  /** What is left to be done at rest: at an ending signals are dropped; the laws are tested. */
  finish(): void {
    const { rt } = this;
    if (rt.outcome || rt.configuration.stub >= 0) {
      if (rt.waiting > 0) {
        const dropped = rt.dropSignals();
        rt.happenings?.dropped.push(...dropped.flatMap((signal) => this.machine.signals[signal]?.name ?? []));
      }
      if (!rt.outcome) rt.outcome = unfinishedOutcome(this, this.machine.states[rt.configuration.stub] as State);
    }
    this.testLaws();
    this.testTurns();
  }

  /** Whose turn it is can be told, or the step that led here is a fault: nobody finds out only by looking. */
  private testTurns(): void {
    for (const id of this.rt.configuration.turns) {
      const turn = this.turns[id];
      if (turn?.mayFail) turn.seats();
    }
  }

  /** Near the end of a step's patience: remembers where it goes, and names the circle when it is over. */
  lookForCircle(patience: Patience, what: string, at: Span): void {
    const circle = patience.remember(what);
    if (circle)
      throw new Fault("endlessLoop", at, `This step does not come to rest. It goes round in: ${circle.join(" -> ")}.`);
  }

  /** Tells of a signal that is being heard; those who act on it go into the list it gives. */
  tellSignal(signal: number, values: readonly unknown[], at: Span): HeardRecord[] | undefined {
    const declared = this.machine.signals[signal];
    if (!this.rt.happenings || !declared) return undefined;
    const heard: HeardRecord[] = [];
    const told = Object.fromEntries(
      declared.parameters.map((p, i) => [p.name, toJson(p.type, values[i], this.naming)]),
    );
    this.rt.happenings.signals.push({ signal: declared.name, values: told, position: at.from, heard });
    return heard;
  }

  /** Tests a law of the form "entered only from" when its state is about to be entered from `before`. */
  testEntry(
    law: Machine["laws"][number] & { form: "entered" },
    at: Span,
    before: Configuration = this.rt.configuration,
  ): void {
    if (law.states.some((id) => before.active[id] === 1)) return;
    throw new Fault("lawBroken", at, `The law "${law.words}" does not allow this arrow.`);
  }

  private testLaws(): void {
    const { rt } = this;
    for (const law of this.laws) {
      if (rt.begun && !law.more && (rt.touched & law.mask) === 0) continue;
      if (!law.test()) law.broken();
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

  /** True when some timer is due by then. */
  isDue({ outcome, configuration, timers }: Situation, by: number): boolean {
    if (outcome) return false;
    const running = configuration.timers;
    for (let i = 0; i < running.length; i++) if ((timers[running[i] as number] as number) <= by) return true;
    return false;
  }

  /** Runs a timer that is due. */
  runTimer(timer: Timer): void {
    const { rt } = this;
    rt.setTimer(
      timer.id,
      timer.repeats ? (rt.timers[timer.id] as number) + Math.max(1, this.moving.delayOf(timer.id)) : Number.NaN,
    );
    this.order.timer(timer);
  }

  // ---- situations ------------------------------------------------------------------------------

  /** Takes a situation into the working memory. */
  load(situation: Situation, setRolls: readonly SetRoll[] = NO_ROLLS): void {
    const { rt } = this;
    this.loads++;
    rt.giveOut();
    rt.root = situation.root;
    rt.configuration = situation.configuration;
    rt.timers = situation.timers;
    this.seat(situation.seats);
    rt.history = situation.history;
    rt.takeDice(situation.dice);
    rt.outcome = situation.outcome;
    rt.now = situation.now;
    rt.me = -1;
    rt.reset(setRolls);
  }

  private seat(seats: readonly number[]): void {
    this.rt.seats = seats;
    if (this.naming.seats.length !== seats.length) this.naming.seats = this.machine.seats.names.slice(0, seats.length);
  }

  /** A situation as the working memory stands. */
  publish(step: number): Situation {
    const { rt } = this;
    rt.giveOut();
    return {
      step,
      now: rt.now,
      configuration: rt.configuration,
      root: rt.root,
      timers: rt.timers,
      seats: rt.seats,
      history: rt.history,
      dice: rt.giveDice(),
      outcome: rt.outcome,
    };
  }

  /**
   * A situation as the working memory stands, at the end of a step that may be written down.
   *
   * @throws Fault when it comes to more than can be
   */
  publishWritable(step: number): Situation {
    const situation = this.publish(step);
    if (this.growsDeep && weightOf(situation.root) > MAX_WEIGHT)
      throw new Fault(
        "tooLarge",
        { from: 0, to: 0 },
        `The match's data come to more than ${MAX_WEIGHT} values and characters.`,
      );
    return situation;
  }

  /** Begins a step that goes on in the working memory as it stands. */
  again(): void {
    this.rt.me = -1;
    this.rt.touched = 0;
    this.rt.effects = 0;
  }

  /** Empties the working memory for a new match: seats, dice and the machine's data with their defaults. */
  prepare(seed: string, seats: readonly number[], now: number, setRolls: readonly SetRoll[]): void {
    const { rt, machine } = this;
    this.loads++;
    rt.giveOut();
    rt.now = now;
    rt.me = -1;
    rt.outcome = null;
    this.seat(seats);
    rt.history = machine.states.map(() => null);
    rt.timers = machine.timers.map(() => Number.NaN);
    rt.configuration = this.configurations.none;
    rt.reset(setRolls);
    for (const [stream, name] of machine.streams.entries()) seedStream(rt.dice, stream, seed, name);
    rt.root = new Box(rt.epoch, new Array<unknown>(machine.rootSize).fill(null));
    for (const state of machine.states)
      if (state.turn && state.turn.readySlot >= 0) rt.root.at[state.turn.readySlot] = 0;
    for (const field of machine.data) rt.root.at[field.slot] = this.expressions.initial(field.type, field.initial);
  }
}
