/** One input taken to rest in the working memory, timers due before it first. What `step` and `run` share. */

import { whichExist } from "../../language/suggest.js";
import { type Memory, SEAT_IN, SEAT_OPEN, SEAT_OUT, type SetRoll } from "../situation/memory.js";
import {
  type FaultReport,
  type Input,
  newHappenings,
  nextTimer,
  type Refusal,
  type Situation,
  type Taken,
} from "../situation/situation.js";
import { NO_ARGUMENTS } from "../values/json.js";
import type { StepGenerator } from "../steps/step-generator.js";
import { Fault } from "../values/fault.js";
import { fromJson, seatNumber, WrongValue } from "../values/json.js";
import { type Admitted, matchOver, noSuchSeat } from "./admission.js";
import type { Engine } from "./runnable.js";

const NO_DICE: readonly SetRoll[] = [];

/** Most timers that one input may run before it is told to come again. */
const MAX_TIMERS = 10_000;

/** Where inputs came to, and why it went no further. */
export interface RunResult {
  readonly situation: Situation;
  readonly refusal?: Refusal;
  readonly fault?: FaultReport;
}

export function advance(engine: Engine, situation: Situation, input: Input, sink: (taken: Taken) => void): RunResult {
  let current = situation;
  const until = Math.max(situation.now, input.time ?? situation.now);
  if (input.kind === "timer") return oneTimer(engine, current, input, sink);
  // Rolls set for time to pass are those of the timers it runs, one after the other.
  let timerDice = input.kind === "time" ? (input.dice ?? NO_DICE) : NO_DICE;
  for (let count = 0; ; count++) {
    const next = nextTimer(engine.machine, current);
    if (!next || next.due > until) break;
    if (count >= MAX_TIMERS)
      return {
        situation: current,
        refusal: {
          code: "tooManyTimers",
          words:
            `${MAX_TIMERS} timers have run, up to ${new Date(current.now).toISOString()}; send the input ` +
            `again to go on.`,
        },
      };
    const used = { count: 0 };
    const result = oneTimer(
      engine,
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
    if (timerDice.length > 0) return { situation: current, fault: faultReport(unusedRolls(timerDice.length)) };
    if (current.now < until && !current.outcome) current = { ...current, now: until };
    return { situation: current };
  }
  const happenings = newHappenings();
  engine.memory.load(current, input.dice);
  engine.memory.now = until;
  engine.memory.happenings = happenings;
  const stop = takeInput(engine, current, input);
  const after = stop ?? published(engine, current.step + 1);
  if ("refusal" in after || "fault" in after) return { situation: current, ...after };
  sink({ input: input.time === until ? input : { ...input, time: until }, situation: after, happenings });
  return { situation: after };
}

/** Why an input was not taken. */
export type Stop = { readonly refusal: Refusal } | { readonly fault: FaultReport };

function takeInput(
  engine: Engine,
  current: Situation,
  input: Exclude<Input, { kind: "time" | "timer" }>,
): Stop | undefined {
  switch (input.kind) {
    case "action":
      return takeAction(engine, current.step, input);
    case "event":
      return takeEvent(engine, current, input);
    default:
      return takeSeat(engine, current, input);
  }
}

/** Tests and runs an action in the working memory, which stands at step `current`. */
export function takeAction(engine: Engine, current: number, input: Input & { kind: "action" }): Stop | undefined {
  try {
    const ready = engine.admission.admit(current, input.seat, input.action, input.args ?? NO_ARGUMENTS, input.step);
    if (!("run" in ready)) return { refusal: ready };
    (ready as Admitted).run();
    engine.steps.settle();
    if (input.dice) refuseUnusedRolls(engine.memory);
    return undefined;
  } catch (error) {
    if (error instanceof Fault) return { fault: faultReport(error) };
    throw error;
  }
}

/** Runs an action as generated code, when it is admitted; the working memory stands at step `current`. */
export function takeGenerated(
  { memory }: Engine,
  generator: StepGenerator,
  current: number,
  { seat, action, args = NO_ARGUMENTS, step }: Input & { kind: "action" },
): boolean {
  if (memory.outcome || (step !== undefined && step !== current)) return false;
  const { names, acts } = generator.of(memory.configuration);
  for (let i = 0; i < names.length; i++)
    if (names[i] === action) return (acts[i] as (typeof acts)[number])(seatNumber(memory.naming.seats, seat), args);
  return false;
}

function takeEvent(engine: Engine, current: Situation, input: Input & { kind: "event" }): Stop | undefined {
  const events = engine.machine.signals.filter((s) => s.origin === "event");
  const signal = events.find((s) => s.name === input.event);
  return guarded(() => {
    if (current.outcome) return matchOver(current.outcome.ending);
    if (!signal) {
      const names = events.map((s) => s.name);
      const words = `This machine knows no event "${input.event}". ${whichExist(input.event, names)}`;
      return { code: "unknownEvent", words };
    }
    const values: unknown[] = [];
    for (const p of signal.parameters) {
      try {
        values.push(fromJson(p.type, input.args?.[p.name], engine.memory.naming));
      } catch (error) {
        if (!(error instanceof WrongValue)) throw error;
        return { code: "badArgument", words: `"${p.name}" of "${signal.name}": ${error.message}.` };
      }
    }
    engine.steps.order.announce(signal.id, values, signal);
    engine.steps.settle();
    refuseUnusedRolls(engine.memory);
    return undefined;
  });
}

function takeSeat(engine: Engine, current: Situation, input: Input & { kind: "join" | "leave" }): Stop | undefined {
  const { memory } = engine;
  return guarded(() => {
    const seat = memory.naming.seats.indexOf(input.seat);
    if (current.outcome) return matchOver(current.outcome.ending);
    if (seat < 0) return { code: "notSeated", words: noSuchSeat(input.seat, memory.naming.seats) };
    const status = memory.seats[seat];
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
    if (input.kind === "leave" && !engine.canBeLeft)
      return {
        code: "cannotLeave",
        words: `A seat of ${engine.machine.name} cannot be left: nothing in it says what happens then (on Left).`,
      };
    memory.setSeat(seat, input.kind === "join" ? SEAT_IN : SEAT_OUT);
    const signal = engine.machine.signals.find((s) => s.name === (input.kind === "join" ? "Joined" : "Left"));
    if (signal) engine.steps.order.announce(signal.id, [seat], signal);
    engine.steps.settle();
    refuseUnusedRolls(engine.memory);
    return undefined;
  });
}

/** @param used when given, rolls that are left over are no fault, and it is told how many were not */
function oneTimer(
  engine: Engine,
  current: Situation,
  input: Input & { kind: "timer" },
  sink: (taken: Taken) => void,
  used?: { count: number },
): RunResult {
  const next = nextTimer(engine.machine, current);
  if (!next || next.timer.name !== input.timer) {
    return {
      situation: current,
      refusal: {
        code: "notDue",
        words:
          `The timer "${input.timer}" is not the next to be ` +
          `due${next ? `: "${next.timer.name}" is` : ", for none is running"}.`,
      },
    };
  }
  const happenings = newHappenings();
  engine.memory.load(current, input.dice);
  engine.memory.now = next.due;
  engine.memory.happenings = happenings;
  const stop = guarded(() => {
    engine.steps.runTimer(next.timer);
    engine.steps.settle();
    if (!used) refuseUnusedRolls(engine.memory);
    return undefined;
  });
  const after = stop ?? published(engine, current.step + 1);
  if ("refusal" in after || "fault" in after) return { situation: current, ...after };
  const { dice, ...rest } = input;
  const rolled = dice?.slice(0, dice.length - engine.memory.unusedSetRolls) ?? NO_DICE;
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
    return engine.memory.publishWritable(step);
  } catch (error) {
    if (error instanceof Fault) return { fault: faultReport(error) };
    throw error;
  }
}

function guarded(body: () => Refusal | undefined): Stop | undefined {
  try {
    const refused = body();
    return refused && { refusal: refused };
  } catch (error) {
    if (error instanceof Fault) return { fault: faultReport(error) };
    throw error;
  }
}

/** @throws Fault when rolls that were set have not been used */
export function refuseUnusedRolls(memory: Memory): void {
  const unused = memory.unusedSetRolls;
  if (unused > 0) throw unusedRolls(unused);
}

function unusedRolls(count: number): Fault {
  return new Fault(
    "badRoll",
    { from: 0, to: 0 },
    `${count} of the set rolls ${count === 1 ? "was" : "were"} not used.`,
  );
}

/** A fault as callers get it. */
export function faultReport(fault: Fault): FaultReport {
  return { code: fault.code, words: fault.message, position: fault.at.from };
}
