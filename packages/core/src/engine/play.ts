/**
 * The engine's surface: begin, step, run. What can be seen of a match is in `looking.ts`. All are functions of what
 * they are given:
 * the same machine, situation and input give the same result, on every machine, for ever.
 */

import type { Machine } from "../check/machine.js";
import { Acting, type Admitted, type Arguments, NO_ARGUMENTS, seatNumber } from "./acting.js";
import { Engine } from "./engine.js";
import { Fault } from "./fault.js";
import { sha256Hex } from "./hash.js";
import type { Flow } from "./flow.js";
import { mayGenerate } from "./generate.js";
import { applyGiven, type GivenDatum } from "./pointer.js";
import { SEAT_IN, SEAT_OPEN, SEAT_OUT } from "./runtime.js";
import {
  type FaultReport,
  type Input,
  newHappenings,
  type Refusal,
  type Situation,
  type StepHappenings,
  type Taken,
} from "./situation.js";
import { fromJson, WrongValue } from "./values.js";

const NO_DICE: readonly (number | boolean)[] = [];

/** Most timers that one input may run before it is told to come again. */
const MAX_TIMERS = 10_000;

/** A machine made ready to run. Make it once and use it for any number of matches. */
export class Runnable {
  /** The engine's own; not for callers. */
  readonly engine: Engine;
  readonly acting: Acting;

  /** SHA-256 of the machine's text: its version. */
  readonly hash: string;

  /**
   * The machine must have compiled without errors.
   *
   * @param generated run generated code (the default where the host allows it) or closures; both do the same
   */
  constructor(
    readonly machine: Machine,
    generated: boolean = mayGenerate(),
  ) {
    this.hash = sha256Hex(machine.sources.files.map((file) => file.text).join("\u0000"));
    this.engine = new Engine(machine, generated);
    this.acting = new Acting(this.engine);
  }
}

/** What a match begins with in place of the machine's own. */
export interface Given {
  readonly data?: readonly GivenDatum[];
  /** The state to begin in, and the arguments it takes. */
  readonly state?: { readonly name: string; readonly args?: Arguments };
}

export interface BeginOptions {
  /** Where all dice come from. */
  readonly seed: string;
  /** How many seats, for machines with a range of them; else all. */
  readonly seats?: number;
  /** Seats that nobody has taken yet. */
  readonly open?: readonly string[];
  /** Starting data and a starting state in place of the machine's own. */
  readonly given?: Given;
  /** The match's time in milliseconds since 1970 UTC. */
  readonly now?: number;
  /** Rolls set by hand, in the order in which they are rolled. */
  readonly dice?: readonly (number | boolean)[];
}

/** What comes of an input: all steps it led to, and why it went no further. */
export interface StepResult {
  /** Timers that were due first, then the input itself; empty when nothing was taken. */
  readonly taken: readonly Taken[];
  /** The situation after them; the one given when there are none. */
  readonly situation: Situation;
  readonly refusal?: Refusal;
  readonly fault?: FaultReport;
}

/**
 * Begins a match: step 0. Given data come first, then `enter` of the start, then all that follows.
 *
 * @returns the first situation, or a refusal (bad seats or given data) or fault, without one
 */
export function begin(
  runnable: Runnable,
  options: BeginOptions,
): { readonly taken?: Taken; readonly refusal?: Refusal; readonly fault?: FaultReport } {
  const { engine } = runnable;
  const { machine, rt } = engine;
  const { names, least } = machine.seats;
  const count = options.seats ?? least;
  if (!Number.isInteger(count) || count < least || count > names.length)
    return {
      refusal: {
        code: "badSeats",
        words: `This machine has ${least === names.length ? least : `${least} to ${names.length}`} seats, not ${count}.`,
      },
    };
  const unknown = options.open?.find((seat) => !names.slice(0, count).includes(seat));
  if (unknown !== undefined) return { refusal: { code: "badSeats", words: `This match has no seat "${unknown}".` } };
  const happenings = newHappenings();
  rt.happenings = happenings;
  rt.begun = false;
  try {
    engine.prepare(
      options.seed,
      names.slice(0, count).map((name) => (options.open?.includes(name) ? SEAT_OPEN : SEAT_IN)),
      options.now ?? 0,
      options.dice ?? [],
    );
    for (const datum of options.given?.data ?? []) applyGiven(engine, datum);
    const { target, args } = startOf(engine, options);
    engine.order.start(target, args);
    engine.settle();
    refuseUnusedRolls(engine);
    return { taken: { input: { kind: "begin", time: rt.now }, situation: engine.publishWritable(0), happenings } };
  } catch (error) {
    if (error instanceof Fault) return { fault: report(error) };
    if (error instanceof WrongValue)
      return {
        refusal: {
          code: "badGiven",
          words: `What is given does not fit: ${error.message}${/[.?]$/.test(error.message) ? "" : "."}`,
        },
      };
    throw error;
  } finally {
    rt.begun = true;
  }
}

function startOf(engine: Engine, options: BeginOptions): { target: number; args: unknown[] } {
  if (!options.given?.state) return { target: 0, args: [] };
  const { name, args = {} } = options.given.state;
  const state = engine.machine.states.find((s) => s.name === name && s.id > 0 && s.kind !== "overlay");
  if (!state) throw new WrongValue(`there is no state "${name}" to begin in`);
  const values: unknown[] = [];
  for (const p of state.parameters) {
    if (!Object.hasOwn(args, p.name)) {
      if (!p.initial) throw new WrongValue(`"${name}" needs "${p.name}"`);
      values.push(engine.expressions.compile(p.initial)());
    } else {
      values.push(fromJson(p.type, args[p.name], engine.naming));
    }
  }
  return { target: state.id, args: values };
}

/**
 * Takes one input to rest: all of it or none of it. Timers due before it run first, each a step of its
 * own, and stay even when the input is refused.
 */
export function step(runnable: Runnable, situation: Situation, input: Input): StepResult {
  const quiet = input.kind === "action" ? quietly(runnable, situation, input) : undefined;
  if (quiet) return { taken: [quiet], situation: quiet.situation };
  const taken: Taken[] = [];
  const result = advance(runnable, situation, input, (t) => taken.push(t));
  return { taken, ...result };
}

/**
 * Takes an action as generated code, without words for what happens: those are made when somebody asks
 * for them, by taking the step again.
 *
 * @returns undefined when it is not admitted, a timer is due first, or something is wrong: then it is taken in the
 * ordinary way
 */
function quietly(runnable: Runnable, before: Situation, input: Input & { kind: "action" }): Taken | undefined {
  const { engine } = runnable;
  const time = Math.max(before.now, input.time ?? before.now);
  if (!engine.flow || input.dice || engine.isDue(before, time)) return undefined;
  engine.load(before);
  engine.rt.now = time;
  engine.rt.happenings = null;
  try {
    if (!takeFast(engine, engine.flow, before.step, input)) return undefined;
    return new QuietlyTaken(runnable, before, input, engine.publishWritable(before.step + 1));
  } catch (error) {
    if (error instanceof Fault) return undefined;
    throw error;
  }
}

/** A step whose happenings are worked out when they are first asked for. */
class QuietlyTaken implements Taken {
  private told: StepHappenings | undefined;

  constructor(
    private readonly runnable: Runnable,
    private readonly before: Situation,
    private readonly given: Input,
    readonly situation: Situation,
  ) {}

  get input(): Input {
    return { ...this.given, time: this.situation.now };
  }

  get happenings(): StepHappenings {
    if (!this.told) advance(this.runnable, this.before, this.input, ({ happenings }) => (this.told = happenings));
    return this.told as StepHappenings;
  }
}

/** The rest of a run: where it came to, and why it stopped before its inputs did. */
export interface RunResult {
  readonly situation: Situation;
  readonly refusal?: Refusal;
  readonly fault?: FaultReport;
}

/** What a chooser of inputs may look at without a situation being made for it. */
export interface Moment {
  readonly step: number;
  readonly over: boolean;
  /** The names of the seats on turn. */
  readonly turn: readonly string[];
  /** The situation, made when asked for. */
  readonly situation: Situation;
}

/**
 * Takes inputs one after the other until `next` gives none, the match is over, or one is not accepted.
 * Equal to repeated `step`, but nothing is made that nobody looks at: without a `sink`, no situations,
 * notes or rolls in between.
 *
 * @param next gives the next input for the moment, or undefined to stop
 * @param sink is told of every step taken
 */
export function run(
  runnable: Runnable,
  situation: Situation,
  next: (moment: Moment) => Input | undefined,
  sink?: (taken: Taken) => void,
): RunResult {
  const runner = new Runner(runnable, situation, sink);
  return runner.run(next);
}

/** How many inputs a run takes in place before it makes a situation to fall back on. */
const MAX_IN_PLACE = 1_024;

/** Runs inputs in one working memory, making situations only when asked. */
class Runner implements Moment {
  private readonly engine: Engine;
  private readonly flow: Flow | undefined;
  /** The last situation that was made, and the inputs taken in place since. */
  private current: Situation;
  private readonly since: (Input & { kind: "action" })[] = [];
  private loads = 0;
  step: number;

  constructor(
    private readonly runnable: Runnable,
    situation: Situation,
    private readonly sink: ((taken: Taken) => void) | undefined,
  ) {
    this.engine = runnable.engine;
    this.flow = runnable.engine.flow;
    this.current = situation;
    this.step = situation.step;
  }

  get over(): boolean {
    return this.engine.rt.outcome !== null;
  }

  get turn(): readonly string[] {
    const { flow, rt } = this.engine;
    return flow ? flow.of(rt.configuration).turn() : this.engine.namesOnTurn();
  }

  get situation(): Situation {
    if (this.since.length > 0) this.fallBack();
    return this.current;
  }

  /** Makes a situation of what stands in the working memory. */
  private fallBack(): void {
    this.current = this.engine.publish(this.step);
    this.since.length = 0;
  }

  run(next: (moment: Moment) => Input | undefined): RunResult {
    this.open();
    for (;;) {
      const input = this.over ? undefined : next(this);
      // The one who chooses may have looked at situations in the meantime, which fills the working memory.
      if (this.engine.loads !== this.loads) this.retake();
      if (!input) return { situation: this.situation };
      const stop =
        this.sink || input.time !== undefined || input.dice || input.kind !== "action"
          ? this.slow(input, this.sink)
          : this.fast(input);
      if (stop) return stop;
    }
  }

  private slow(input: Input, sink: ((taken: Taken) => void) | undefined): RunResult | undefined {
    const result = advance(this.runnable, this.situation, input, sink ?? (() => {}));
    this.current = result.situation;
    this.step = result.situation.step;
    this.open();
    return result.refusal || result.fault ? result : undefined;
  }

  private flowing(flow: Flow, input: Input & { kind: "action" }): Stop | undefined {
    try {
      if (takeFast(this.engine, flow, this.step, input)) return undefined;
    } catch (error) {
      if (error instanceof Fault) return { fault: report(error) };
      throw error;
    }
    return takeAction(this.runnable, this.step, input);
  }

  /** Takes the present situation into the working memory. */
  private open(): void {
    this.engine.load(this.current);
    this.engine.rt.happenings = null;
    this.loads = this.engine.loads;
  }

  /** Comes back to the moment from the last situation, by taking the inputs since then again. */
  private retake(): void {
    this.open();
    for (const [i, taken] of this.since.entries()) {
      if (i > 0) this.engine.again();
      takeAction(this.runnable, this.current.step + i, taken);
    }
  }

  /**
   * An action without a time of its own: taken in place. A refusal has written nothing. A fault may
   * have: then the inputs since the last situation are taken again, which gives what was before it, and
   * the action once more by those who can tell what is wrong.
   */
  private fast(input: Input & { kind: "action" }): RunResult | undefined {
    this.engine.again();
    const stop = this.flow ? this.flowing(this.flow, input) : takeAction(this.runnable, this.step, input);
    if (!stop) {
      this.step++;
      if (this.since.push(input) >= MAX_IN_PLACE) this.fallBack();
      return undefined;
    }
    if ("refusal" in stop) return { situation: this.situation, ...stop };
    this.retake();
    return this.slow(input, undefined);
  }
}

// ---- one input ---------------------------------------------------------------------------------

function advance(runnable: Runnable, situation: Situation, input: Input, sink: (taken: Taken) => void): RunResult {
  const { engine } = runnable;
  let current = situation;
  const until = Math.max(situation.now, input.time ?? situation.now);
  if (input.kind === "timer") return oneTimer(runnable, current, input, sink);
  // Rolls set for time to pass are those of the timers it runs, one after the other.
  let timerDice = input.kind === "time" ? (input.dice ?? NO_DICE) : NO_DICE;
  for (let count = 0; ; count++) {
    const next = engine.nextTimer(current);
    if (!next || next.due > until) break;
    if (count >= MAX_TIMERS)
      return {
        situation: current,
        refusal: {
          code: "tooManyTimers",
          words: `${MAX_TIMERS} timers have run, up to ${new Date(current.now).toISOString()}; send the input again to go on.`,
        },
      };
    const used = { count: 0 };
    const result = oneTimer(
      runnable,
      current,
      { kind: "timer", timer: next.timer.name, time: next.due, ...(timerDice.length > 0 && { dice: timerDice }) },
      sink,
      used,
    );
    timerDice = timerDice.slice(used.count);
    current = result.situation;
    if (result.fault) return result;
  }
  if (input.kind === "time") {
    if (timerDice.length > 0) return { situation: current, fault: report(unusedRolls(timerDice.length)) };
    if (current.now < until && !current.outcome) current = { ...current, now: until };
    return { situation: current };
  }
  const happenings = newHappenings();
  engine.load(current, input.dice);
  engine.rt.now = until;
  engine.rt.happenings = happenings;
  const stop = takeInput(runnable, current, input);
  const after = stop ?? published(engine, current.step + 1);
  if ("refusal" in after || "fault" in after) return { situation: current, ...after };
  sink({ input: { ...input, time: until }, situation: after, happenings });
  return { situation: after };
}

type Stop = { readonly refusal: Refusal } | { readonly fault: FaultReport };

function takeInput(
  runnable: Runnable,
  current: Situation,
  input: Exclude<Input, { kind: "time" | "timer" }>,
): Stop | undefined {
  switch (input.kind) {
    case "action":
      return takeAction(runnable, current.step, input);
    case "event":
      return takeEvent(runnable, current, input);
    default:
      return takeSeat(runnable, current, input);
  }
}

/** Tests and runs an action in the working memory, which stands at step `at`. */
function takeAction(runnable: Runnable, at: number, input: Input & { kind: "action" }): Stop | undefined {
  const { engine, acting } = runnable;
  try {
    const ready = acting.admit(at, input.seat, input.action, input.args ?? NO_ARGUMENTS, input.step);
    if (!("run" in ready)) return { refusal: ready };
    (ready as Admitted).run();
    engine.settle();
    if (input.dice) refuseUnusedRolls(engine);
    return undefined;
  } catch (error) {
    if (error instanceof Fault) return { fault: report(error) };
    throw error;
  }
}

/** Runs an action as generated code, when it is admitted. */
function takeFast(
  engine: Engine,
  flow: Flow,
  at: number,
  { seat, action, args = NO_ARGUMENTS, step }: Input & { kind: "action" },
): boolean {
  const { rt } = engine;
  if (rt.outcome || (step !== undefined && step !== at)) return false;
  const { names, acts } = flow.of(rt.configuration);
  for (let i = 0; i < names.length; i++)
    if (names[i] === action) return (acts[i] as (typeof acts)[number])(seatNumber(engine.naming.seats, seat), args);
  return false;
}

function takeEvent(runnable: Runnable, current: Situation, input: Input & { kind: "event" }): Stop | undefined {
  const { engine } = runnable;
  const signal = engine.machine.signals.find((s) => s.name === input.event && s.origin === "event");
  return guarded(() => {
    if (current.outcome)
      return { code: "matchOver", words: `The match is over: it ended in ${current.outcome.ending}.` };
    if (!signal) return { code: "unknownEvent", words: `This machine knows no event "${input.event}".` };
    const values: unknown[] = [];
    for (const p of signal.parameters) {
      try {
        values.push(fromJson(p.type, input.args?.[p.name], engine.naming));
      } catch (error) {
        if (!(error instanceof WrongValue)) throw error;
        return { code: "badArgument", words: `"${p.name}" of "${signal.name}": ${error.message}.` };
      }
    }
    engine.order.announce(signal.id, values, signal);
    engine.settle();
    refuseUnusedRolls(engine);
    return undefined;
  });
}

function takeSeat(runnable: Runnable, current: Situation, input: Input & { kind: "join" | "leave" }): Stop | undefined {
  const { engine } = runnable;
  const { rt } = engine;
  return guarded(() => {
    const seat = engine.naming.seats.indexOf(input.seat);
    if (current.outcome)
      return { code: "matchOver", words: `The match is over: it ended in ${current.outcome.ending}.` };
    if (seat < 0) return { code: "notSeated", words: `This match has no seat "${input.seat}".` };
    const status = rt.seats[seat];
    if (input.kind === "join" && status !== SEAT_OPEN)
      return {
        code: "seatTaken",
        words: status === SEAT_IN ? `${input.seat} is taken already.` : `${input.seat} is out of this match.`,
      };
    if (input.kind === "leave" && status !== SEAT_IN)
      return {
        code: "seatOut",
        words: status === SEAT_OPEN ? `Nobody sits at ${input.seat}.` : `${input.seat} is out of this match already.`,
      };
    rt.setSeat(seat, input.kind === "join" ? SEAT_IN : SEAT_OUT);
    const signal = engine.machine.signals.find((s) => s.name === (input.kind === "join" ? "Joined" : "Left"));
    if (signal) engine.order.announce(signal.id, [seat], signal);
    engine.settle();
    refuseUnusedRolls(engine);
    return undefined;
  });
}

/** @param used when given, rolls that are left over are no fault, and it is told how many were not */
function oneTimer(
  runnable: Runnable,
  current: Situation,
  input: Input & { kind: "timer" },
  sink: (taken: Taken) => void,
  used?: { count: number },
): RunResult {
  const { engine } = runnable;
  const next = engine.nextTimer(current);
  if (!next || next.timer.name !== input.timer) {
    return {
      situation: current,
      refusal: {
        code: "notDue",
        words: `The timer "${input.timer}" is not the next to be due${next ? `: "${next.timer.name}" is` : ", for none is running"}.`,
      },
    };
  }
  const happenings = newHappenings();
  engine.load(current, input.dice);
  engine.rt.now = next.due;
  engine.rt.happenings = happenings;
  const stop = guarded(() => {
    engine.runTimer(next.timer);
    engine.settle();
    if (!used) refuseUnusedRolls(engine);
    return undefined;
  });
  const after = stop ?? published(engine, current.step + 1);
  if ("refusal" in after || "fault" in after) return { situation: current, ...after };
  const { dice, ...rest } = input;
  const rolled = dice?.slice(0, dice.length - engine.rt.unusedSetRolls) ?? NO_DICE;
  if (used) used.count = rolled.length;
  sink({
    input: { ...rest, time: next.due, ...(rolled.length > 0 && { dice: rolled }) },
    situation: after,
    happenings,
  });
  return { situation: after };
}

/** The situation after a step, or why it cannot be one. */
function published(engine: Engine, step: number): Situation | Stop {
  try {
    return engine.publishWritable(step);
  } catch (error) {
    if (error instanceof Fault) return { fault: report(error) };
    throw error;
  }
}

function guarded(body: () => Refusal | undefined): Stop | undefined {
  try {
    const refused = body();
    return refused && { refusal: refused };
  } catch (error) {
    if (error instanceof Fault) return { fault: report(error) };
    throw error;
  }
}

function refuseUnusedRolls(engine: Engine): void {
  const unused = engine.rt.unusedSetRolls;
  if (unused > 0) throw unusedRolls(unused);
}

function unusedRolls(count: number): Fault {
  return new Fault(
    "badRoll",
    { from: 0, to: 0 },
    `${count} of the set rolls ${count === 1 ? "was" : "were"} not used.`,
  );
}

function report(fault: Fault): FaultReport {
  return { code: fault.code, words: fault.message, position: fault.at.from };
}
