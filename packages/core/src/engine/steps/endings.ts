/** Endings: what every seat has when a match stops. */

import type { Ending, Machine, Parameter } from "../../check/machine.js";
import type { Code } from "../code/code.js";
import type { Memory } from "../situation/memory.js";
import { type Outcome, RESULT_OF_WORD, type SeatResult, type SeatResultWord } from "../situation/situation.js";
import { Fault } from "../values/fault.js";
import { LazyTable } from "../values/lazy.js";
import { type Json, toJson } from "../values/json.js";

/** What the rules of an ending have given so far, by seat number. */
interface Results {
  readonly words: (SeatResultWord | undefined)[];
  readonly ranks: (number | undefined)[];
  readonly scores: (number | undefined)[];
}

/** A rule of an ending made ready. */
type Rule = (results: Results) => void;

export class Endings {
  private readonly endings: LazyTable<{ readonly ending: Ending; readonly rules: readonly Rule[] }>;

  constructor(
    private readonly machine: Machine,
    private readonly memory: Memory,
    private readonly code: Code,
  ) {
    this.endings = new LazyTable((id) => {
      const ending = machine.endings[id] as Ending;
      return { ending, rules: ending.results.map((rule) => readyRule(memory, code, rule)) };
    });
  }

  /** Ends the match. What was active has been left. */
  end(id: number, args: readonly unknown[]): void {
    const { memory } = this;
    this.code.probes?.ended?.(id);
    memory.configuration = memory.configurations.none;
    memory.outcome = this.outcomeOf(id, args);
  }

  private outcomeOf(id: number, args: readonly unknown[]): Outcome {
    const { memory } = this;
    const { ending, rules } = this.endings.of(id);
    const { parameters } = ending;
    for (let i = 0; i < parameters.length; i++) memory.locals[(parameters[i] as Parameter).slot] = args[i];
    const given: Results = { words: [], ranks: [], scores: [] };
    memory.named = 0;
    for (const rule of rules) rule(given);
    memory.named = -1;
    const results: SeatResult[] = [];
    for (let seat = 0; seat < memory.seats.length; seat++) results.push(this.resultOf(ending, seat, given));
    const values: Record<string, Json> = {};
    for (let i = 0; i < parameters.length; i++) {
      const { name, type } = parameters[i] as Parameter;
      values[name] = toJson(type, args[i], memory.naming);
    }
    return { ending: ending.name, args: values, unfinished: false, results };
  }

  private resultOf(ending: Ending, number: number, given: Results): SeatResult {
    const seat = this.memory.naming.seats[number] as string;
    const result = given.words[number];
    const rank = given.ranks[number];
    const score = given.scores[number];
    if (result === undefined)
      throw new Fault("noResult", ending.nameSpan, `The ending "${ending.name}" gives no result to ${seat}.`);
    if (rank === undefined && score === undefined) return { seat, result };
    return { seat, result, ...(rank !== undefined && { rank }), ...(score !== undefined && { score }) };
  }

  /** Stops a match that has come to a stub state. */
  stopAtStub(): void {
    const { memory } = this;
    memory.outcome = {
      ending: this.machine.states[memory.configuration.stub]?.name ?? "",
      args: {},
      unfinished: true,
      results: memory.seats.map((_, seat) => ({ seat: memory.naming.seats[seat] as string, result: "none" })),
    };
  }
}

function readyRule(memory: Memory, { expressions }: Code, rule: Ending["results"][number]): Rule {
  if (rule.kind === "scores") {
    const source = expressions.seats(rule.source);
    const value = expressions.number(rule.value);
    return ({ scores }) => {
      for (const seat of source()) {
        memory.locals[rule.variable] = seat;
        scores[seat] = value();
      }
    };
  }
  const ranked = rule.kind === "ranks";
  const seats = expressions.seats(ranked ? rule.list : rule.seats);
  const only = ranked ? undefined : RESULT_OF_WORD[rule.word];
  return ({ words, ranks }) => {
    const named = seats();
    for (let i = 0; i < named.length; i++) {
      const seat = named[i] as number;
      const word = only ?? (i === 0 ? "win" : "loss");
      if (ranked) ranks[seat] = i + 1;
      const before = words[seat];
      if (before !== undefined && before !== word)
        throw new Fault("resultTwice", rule, `${memory.naming.seats[seat]} gets two results: ${before} and ${word}.`);
      words[seat] = word;
      memory.named |= 1 << seat;
    }
  };
}
