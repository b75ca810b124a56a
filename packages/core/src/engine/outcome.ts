/** What every seat has when a match stops. */

import type { Ending, Parameter, State } from "../check/machine.js";
import type { Engine } from "./engine.js";
import { Fault } from "./fault.js";
import { type Outcome, RESULT_OF_WORD, type SeatResult, type SeatResultWord } from "./situation.js";
import { type Json, toJson } from "./values.js";

/** Makes the rules of an ending ready; the function gives the outcome for the ending's arguments. */
export function readyEnding(engine: Engine, ending: Ending): (args: readonly unknown[]) => Outcome {
  const { rt, naming, expressions } = engine;
  const rules = ending.results.map((rule): ((given: Given) => void) => {
    if (rule.kind === "scores") {
      const source = expressions.seats(rule.source);
      const value = expressions.number(rule.value);
      return ({ scores }) => {
        for (const seat of source()) {
          rt.locals[rule.variable] = seat;
          scores[seat] = value();
        }
      };
    }
    const seats = expressions.seats(rule.kind === "ranks" ? rule.list : rule.seats);
    const ranked = rule.kind === "ranks";
    const given = ranked ? undefined : RESULT_OF_WORD[rule.word];
    return ({ words, ranks }) => {
      const named = seats();
      for (let i = 0; i < named.length; i++) {
        const seat = named[i] as number;
        const word = given ?? (i === 0 ? "win" : "loss");
        if (ranked) ranks[seat] = i + 1;
        const before = words[seat];
        if (before !== undefined && before !== word)
          throw new Fault("resultTwice", rule, `${naming.seats[seat]} gets two results: ${before} and ${word}.`);
        words[seat] = word;
        rt.named |= 1 << seat;
      }
    };
  });
  const { parameters } = ending;
  return (args) => {
    for (let i = 0; i < parameters.length; i++) rt.locals[(parameters[i] as Parameter).slot] = args[i];
    const given: Given = { words: [], ranks: [], scores: [] };
    rt.named = 0;
    for (const rule of rules) rule(given);
    rt.named = -1;
    const results: SeatResult[] = [];
    for (let seat = 0; seat < rt.seats.length; seat++) results.push(resultOf(seat, given));
    const values: Record<string, Json> = {};
    for (let i = 0; i < parameters.length; i++)
      values[(parameters[i] as Parameter).name] = toJson((parameters[i] as Parameter).type, args[i], naming);
    return { ending: ending.name, args: values, unfinished: false, results };
  };

  function resultOf(number: number, given: Given): SeatResult {
    const seat = naming.seats[number] as string;
    const result = given.words[number];
    const rank = given.ranks[number];
    const score = given.scores[number];
    if (result === undefined)
      throw new Fault("noResult", ending.nameSpan, `The ending "${ending.name}" gives no result to ${seat}.`);
    if (rank === undefined && score === undefined) return { seat, result };
    return { seat, result, ...(rank !== undefined && { rank }), ...(score !== undefined && { score }) };
  }
}

/** What the rules of an ending have given so far, by seat number. */
interface Given {
  readonly words: (SeatResultWord | undefined)[];
  readonly ranks: (number | undefined)[];
  readonly scores: (number | undefined)[];
}

/** The outcome of a match that came to a stub state. */
export function unfinishedOutcome(engine: Engine, stub: State): Outcome {
  const { rt, naming } = engine;
  return {
    ending: stub.name,
    args: {},
    unfinished: true,
    results: rt.seats.map((_, seat) => ({ seat: naming.seats[seat] as string, result: "none" })),
  };
}
