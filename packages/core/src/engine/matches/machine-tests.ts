/** Runs the tests that stand in a machine's file. */

import type { Expectation, Expr, SetDice, Test, TestLine } from "../../check/machine.js";
import { Fault } from "../values/fault.js";
import { options } from "./view.js";
import { begin, fillData } from "./begin.js";
import type { GivenDatum } from "./given.js";
import { type Engine, engineOf, type Runnable } from "./runnable.js";
import { LineInputs } from "./line-inputs.js";
import { step, type StepResult } from "./step.js";
import { SEAT_IN, type SetRoll } from "../situation/memory.js";
import { type Input, RESULT_OF_WORD, type Situation, type Taken } from "../situation/situation.js";
import { type Json, toText } from "../values/json.js";

/** What came of one test. */
export interface TestResult {
  readonly words: string;
  /** Where the test stands in the text. */
  readonly position: number;
  readonly ok: boolean;
  /** What happened up to the end or the failing line, one line each. */
  readonly story: readonly string[];
  readonly failure?: {
    readonly position: number;
    readonly to: number;
    readonly expected: string;
    readonly actual: string;
  };
}

/** Leaves a test at the first thing that is not as it should be. */
class Failure extends Error {
  constructor(
    readonly at: { from: number; to: number },
    readonly expected: string,
    readonly actual: string,
  ) {
    super(expected);
  }
}

/** Runs all tests of a machine. Each begins a match of its own, seeded by the test's words. */
export function runTests(runnable: Runnable): TestResult[] {
  return runnable.machine.tests.map((test) => new TestRun(runnable, test).result());
}

class TestRun {
  private situation: Situation | undefined;
  private readonly story: string[] = [];
  private readonly notes: string[] = [];
  private readonly data: GivenDatum[] = [];
  private beginDice: SetRoll[] = [];
  /** The line that sets the dice of the beginning. */
  private given: (TestLine & { kind: "given" }) | undefined;
  private seatCount: number | undefined;
  private readonly open: string[] = [];
  private state: { name: string; args: Record<string, Json> } | undefined;

  private readonly engine: Engine;
  private readonly inputs: LineInputs;

  constructor(
    private readonly runnable: Runnable,
    private readonly test: Test,
  ) {
    this.engine = engineOf(runnable);
    this.inputs = new LineInputs(this.engine);
  }

  result(): TestResult {
    const base = { words: this.test.words, position: this.test.from, story: this.story };
    try {
      for (const line of this.test.lines) this.line(line);
      if (!this.situation) this.begin(this.test);
      return { ...base, ok: true };
    } catch (error) {
      const failure = error instanceof Fault ? new Failure(error.at, "no fault", error.message) : error;
      if (!(failure instanceof Failure)) throw error;
      return {
        ...base,
        ok: false,
        failure: { position: failure.at.from, to: failure.at.to, expected: failure.expected, actual: failure.actual },
      };
    }
  }

  private line(line: TestLine): void {
    const { engine } = this;
    switch (line.kind) {
      case "given":
      case "at":
      case "seats":
      case "open":
        if (this.situation)
          throw new Failure(line, "seats, open, at and given before the first step", "the match has begun");
        if (line.kind === "seats") this.seatCount = line.count;
        if (line.kind === "open") this.open.push(this.inputs.seat(line.seat));
        if (line.kind === "seats" || line.kind === "open") return;
        this.prepareEvaluation();
        if (line.kind === "given") {
          for (const { target, value } of line.values)
            this.data.push({ path: this.inputs.pointer(target), value: this.inputs.json(value) });
          this.beginDice = [...this.beginDice, ...this.inputs.dice(line.dice)];
          if (line.dice) this.given = line;
        } else {
          const state = engine.machine.states[line.state];
          if (!state) return;
          const args = Object.fromEntries(
            state.parameters.map((p, i) => [p.name, line.args[i] ? this.inputs.json(line.args[i] as Expr) : null]),
          );
          this.state = { name: state.name, args };
        }
        return;
      case "wait":
      case "event":
      case "joins":
      case "leaves":
      case "act": {
        const { now } = this.begin(line);
        const input = this.inputs.of(line, now);
        const told = line.kind === "wait" ? `time passes: ${this.waited(line)}` : this.written(line);
        this.take(line, input, told, "dice" in line ? line.dice : undefined);
        return;
      }
      case "expect":
        this.begin(line);
        for (const expectation of line.expectations) this.expect(expectation);
    }
  }

  private begin(at: { from: number; to: number }): Situation {
    if (!this.situation) {
      const result = begin(this.runnable, {
        seed: this.test.words,
        given: { data: this.data, ...(this.state && { state: this.state }) },
        dice: this.beginDice,
        ...this.seating(),
      });
      if (!result.taken)
        throw new Failure(at, "the match begins", result.fault?.words ?? result.refusal?.words ?? "it does not begin");
      this.tell("begin", [result.taken]);
      this.situation = result.taken.situation;
      if (this.given) this.allSet(this.given, this.given.dice, [result.taken]);
    }
    this.prepareEvaluation();
    return this.situation;
  }

  /** As many seats as the test says, or else as many as it names; those it says are open. */
  private seating(): { seats: number; open: string[] } {
    const { names, least } = this.runnable.machine.seats;
    const named = this.test.lines.flatMap((line) => ("seat" in line ? [line.seat] : []));
    const seats = this.seatCount ?? Math.min(names.length, Math.max(least, ...named.map((seat) => seat + 1)));
    return { seats, open: this.open };
  }

  /** Puts the present situation where expressions are computed; before the match, an empty one. */
  private prepareEvaluation(): void {
    const { memory, machine } = this.engine;
    memory.happenings = null;
    if (this.situation) {
      memory.load(this.situation);
      return;
    }
    const seated = machine.seats.names.map(() => SEAT_IN);
    memory.clear("", seated, 0, []);
    fillData(this.engine);
  }

  private take(
    line: TestLine & { readonly refused?: string },
    input: Input,
    told: string,
    dice: SetDice | undefined,
  ): void {
    const result = step(this.runnable, this.situation as Situation, input);
    if (line.refused === undefined) {
      this.accept(line, result, told, dice);
      return;
    }
    if (!result.refusal) throw new Failure(line, `refused ${line.refused}`, "it was accepted");
    this.story.push(`${told}: ${result.refusal.words}`);
    if (result.refusal.code !== line.refused)
      throw new Failure(line, `refused ${line.refused}`, `refused ${result.refusal.code}: ${result.refusal.words}`);
  }

  private accept(line: TestLine, result: StepResult, told: string, dice: SetDice | undefined): void {
    this.tell(told, result.taken);
    this.situation = result.situation;
    if (result.refusal)
      throw new Failure(line, "it is accepted", `refused ${result.refusal.code}: ${result.refusal.words}`);
    if (result.fault) throw new Failure(line, "no fault", `${result.fault.code}: ${result.fault.words}`);
    this.allSet(line, dice, result.taken);
  }

  /** A step that sets dice sets all it rolls, or says which are left to chance. */
  private allSet(at: { from: number; to: number }, dice: SetDice | undefined, taken: readonly Taken[]): void {
    if (!dice || dice.rest) return;
    const rolled = taken.flatMap(({ happenings }) => happenings.rolls);
    const missing = rolled[dice.values.length];
    if (!missing) return;
    const { line, column } = this.runnable.machine.sources.place(missing.position);
    throw new Failure(
      at,
      `every roll is set, or "any", or "..." for all the rest`,
      `roll ${dice.values.length + 1}, of ${missing.range} at ${line}:${column}, is not`,
    );
  }

  private tell(told: string, taken: readonly Taken[]): void {
    this.story.push(told);
    for (const { happenings, situation, input } of taken) {
      if (input.kind === "timer") this.story.push(`  timer ${input.timer}`);
      for (const note of happenings.notes) {
        this.notes.push(note.text);
        this.story.push(`  "${note.text}"`);
      }
      if (situation.outcome) this.story.push(`  ending ${situation.outcome.ending}`);
    }
  }

  // ---- expectations ----------------------------------------------------------------------------

  private expect(e: Expectation): void {
    const { engine } = this;
    const situation = this.situation as Situation;
    const { outcome } = situation;
    this.prepareEvaluation();
    const here = outcome
      ? `it ended in ${outcome.ending}`
      : `the match is in ${situation.configuration.activeStates.join(", ")}`;
    switch (e.kind) {
      case "ending": {
        const name = engine.machine.endings[e.ending]?.name ?? "";
        if (outcome?.ending !== name) throw new Failure(e, `ending ${name}`, here);
        for (const [i, parameter] of (engine.machine.endings[e.ending]?.parameters ?? []).entries()) {
          const arg = e.args?.[i];
          const wanted = arg && shown(this.inputs.json(arg));
          const actual = shown(outcome.args[parameter.name] ?? null);
          if (wanted !== undefined && wanted !== actual)
            throw new Failure(e, `${parameter.name} of ${name} is ${wanted}`, `it is ${actual}`);
        }
        return;
      }
      case "result": {
        const result = outcome?.results[e.seat]?.result;
        const wanted = RESULT_OF_WORD[e.word];
        if (result !== wanted)
          throw new Failure(
            e,
            `${this.inputs.seat(e.seat)}: ${wanted}`,
            result ? `${this.inputs.seat(e.seat)}: ${result}` : here,
          );
        return;
      }
      case "standing": {
        const actual = outcome?.results[e.seat]?.[e.what];
        const wanted = engine.code.expressions.number(e.value)();
        if (actual !== wanted)
          throw new Failure(
            e,
            `${this.inputs.seat(e.seat)} ${e.what} ${wanted}`,
            actual === undefined ? `no ${e.what}` : `${e.what} ${actual}`,
          );
        return;
      }
      case "turn": {
        const wanted = [...engine.code.expressions.seats(e.seats)()]
          .sort((a, b) => a - b)
          .map((s) => this.inputs.seat(s))
          .join(", ");
        const actual = engine.steps.turns
          .now()
          .map((s) => this.inputs.seat(s))
          .join(", ");
        if (actual !== wanted)
          throw new Failure(
            e,
            `turn of ${wanted || "nobody"}`,
            actual ? `turn of ${actual}` : `nobody's turn; ${here}`,
          );
        return;
      }
      case "open":
      case "closed":
        this.expectOption(e, situation);
        return;
      case "note": {
        const found = this.notes.some((text) => text === e.text);
        if (!found)
          throw new Failure(
            e,
            `note "${e.text}"`,
            this.notes.length > 0 ? `the last note is "${this.notes.at(-1)}"` : "no note at all",
          );
        return;
      }
      case "holds":
        this.expectCondition(e.test);
    }
  }

  private expectOption(e: Expectation & { kind: "open" | "closed" }, situation: Situation): void {
    const seat = this.inputs.seat(e.seat);
    const [option] = options(this.runnable, situation, seat, { action: e.call.action, args: this.inputs.args(e.call) });
    const open = option?.open ?? false;
    const reason = option?.reason ?? `${e.call.action} is not possible here`;
    if (e.kind === "open" && !open) throw new Failure(e, `${e.call.action} open to ${seat}`, `closed: ${reason}`);
    if (e.kind === "closed" && open) throw new Failure(e, `${e.call.action} closed to ${seat}`, "it is open");
    if (e.kind === "closed" && e.reason !== undefined && plain(reason) !== plain(e.reason))
      throw new Failure(e, `closed because "${e.reason}"`, `closed because "${reason}"`);
  }

  private expectCondition(test: Expr): void {
    const { engine } = this;
    if (engine.code.expressions.compile(test)() === true) return;
    let actual = "it does not hold";
    if (test.kind === "binary" && ["==", "!=", "<", "<=", ">", ">=", "in"].includes(test.op)) {
      const sides = [test.left, test.right].filter((side) => side.kind !== "constant");
      actual = sides
        .map((side) => {
          const value = engine.code.expressions.compile(side)();
          return `${this.written(side)} is ${toText(side.type, value, engine.memory.naming)}`;
        })
        .join(", ");
    } else if (test.kind === "inState") {
      const situation = this.situation as Situation;
      actual = situation.outcome
        ? `it ended in ${situation.outcome.ending}`
        : `the match is in ${situation.configuration.activeStates.join(", ")}`;
    }
    throw new Failure(test, this.written(test), actual);
  }

  // ---- small things ----------------------------------------------------------------------------

  private waited(line: TestLine): string {
    return this.written(line).replace(/^wait\s+/, "");
  }

  private written(line: { from: number; to: number }): string {
    return this.runnable.machine.sources.written(line);
  }
}

function plain(reason: string): string {
  return reason.toLowerCase().replace(/\.$/, "");
}

/** A value as a test writes it, as far as JSON can. */
function shown(value: Json): string {
  return typeof value === "string" ? value : JSON.stringify(value);
}
