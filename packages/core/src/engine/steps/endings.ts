/** Endings: what every seat has when a match stops. */

import type { Ending, Expr, Machine, Parameter } from "../../check/machine.js";
import { someExpr } from "../../check/visit.js";
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

interface ReadyEnding {
  readonly ending: Ending;
  readonly rules: readonly Rule[];
  /** What it came to, by its arguments, while the seats are as they are; only where nothing else counts. */
  readonly known?: { seats: readonly number[]; readonly outcomes: Map<number, Outcome> };
}

export class Endings {
  private readonly endings: LazyTable<ReadyEnding>;

  constructor(
    private readonly machine: Machine,
    private readonly memory: Memory,
    private readonly code: Code,
  ) {
    this.endings = new LazyTable((id) => {
      const ending = machine.endings[id] as Ending;
      return {
        ending,
        rules: ending.results.map((rule) => readyRule(memory, code, rule)),
        ...(dependsOnSeatsAlone(ending) &&
          !isListenedTo(ending, code) &&
          !code.recorder && { known: { seats: memory.seats, outcomes: new Map() } }),
      };
    });
  }

  /** Ends the match. What was active has been left. */
  end(id: number, args: readonly unknown[]): void {
    const { memory } = this;
    this.code.probes?.ended?.(id);
    memory.configuration = memory.configurations.none;
    memory.outcome = this.outcomeOf(id, args);
  }

  /** Whether the results of an ending are made of more than its arguments and who is seated. */
  looksAtData(id: number): boolean {
    return !dependsOnSeatsAlone(this.endings.of(id).ending);
  }

  private outcomeOf(id: number, args: readonly unknown[]): Outcome {
    const { memory } = this;
    const ready = this.endings.of(id);
    const { known } = ready;
    const key = known && keyOf(args);
    if (!known || key === undefined) return this.workedOut(ready, args);
    if (known.seats !== memory.seats || known.outcomes.size >= MOST_KNOWN) {
      known.outcomes.clear();
      known.seats = memory.seats;
    }
    let outcome = known.outcomes.get(key);
    if (!outcome) known.outcomes.set(key, (outcome = this.workedOut(ready, args)));
    return outcome;
  }

  private workedOut({ ending, rules }: ReadyEnding, args: readonly unknown[]): Outcome {
    const { memory } = this;
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

/** Expressions that are the same as long as an ending's arguments and the seats are. */
const SETTLED: ReadonlySet<Expr["kind"]> = new Set([
  "constant",
  "named",
  "local",
  "seats",
  "inPlay",
  "seated",
  "others",
  "next",
  "list",
]);

function dependsOnSeatsAlone({ parameters, results }: Ending): boolean {
  return (
    parameters.every(({ type }) => type.kind === "seat" || type.kind === "enum") &&
    results.every((rule) => {
      if (rule.kind === "scores") return false;
      return !someExpr(rule.kind === "ranks" ? rule.list : rule.seats, ({ kind }) => !SETTLED.has(kind));
    })
  );
}

/** Whether somebody listens to what the expressions of an ending come to. */
function isListenedTo({ results }: Ending, { probes }: Code): boolean {
  if (!probes) return false;
  return results.some((rule) => {
    const written =
      rule.kind === "scores" ? [rule.source, rule.value] : [rule.kind === "ranks" ? rule.list : rule.seats];
    return written.some((e) => someExpr(e, (inner) => probes.values.has(inner)));
  });
}

/** Small arguments as one number; undefined for others. */
function keyOf(args: readonly unknown[]): number | undefined {
  if (args.length > MOST_KEYED) return undefined;
  let key = 0;
  for (let i = 0; i < args.length; i++) {
    const arg = args[i] as number;
    if (arg >= MOST_VALUES) return undefined;
    key = key * MOST_VALUES + arg;
  }
  return key;
}

/** So many results of an ending are kept; then they are worked out anew. */
const MOST_KNOWN = 1_000;
/** So many arguments of so many values make one number. */
const MOST_KEYED = 4;
const MOST_VALUES = 4_096;

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
