/** What every seat has when a match stops. */

import type { Ending, State } from "../check/machine.js";
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
    return ({ words, ranks }) => {
      for (const [i, seat] of seats().entries()) {
        const word = rule.kind === "ranks" ? (i === 0 ? "win" : "loss") : RESULT_OF_WORD[rule.word];
        if (rule.kind === "ranks") ranks[seat] = i + 1;
        if (words[seat] !== undefined && words[seat] !== word) throw new Fault("resultTwice", rule, `${naming.seats[seat]} gets two results: ${words[seat]} and ${word}.`);
        words[seat] = word;
        rt.named |= 1 << seat;
      }
    };
  });
  return (args) => {
    for (const [i, parameter] of ending.parameters.entries()) rt.locals[parameter.slot] = args[i];
    const given: Given = { words: [], ranks: [], scores: [] };
    rt.named = 0;
    for (const rule of rules) rule(given);
    rt.named = -1;
    const results = rt.seats.map((_, seat): SeatResult => {
      const result = given.words[seat];
      const rank = given.ranks[seat];
      const score = given.scores[seat];
      if (result === undefined) throw new Fault("noResult", ending.nameSpan, `The ending "${ending.name}" gives no result to ${naming.seats[seat]}.`);
      return { seat: naming.seats[seat] as string, result, ...(rank !== undefined && { rank }), ...(score !== undefined && { score }) };
    });
    const values: Record<string, Json> = {};
    for (const [i, p] of ending.parameters.entries()) values[p.name] = toJson(p.type, args[i], naming);
    return { ending: ending.name, args: values, unfinished: false, results };
  };
}

/** What the rules of an ending have given so far, by seat number. */
interface Given {
  readonly words: (SeatResultWord | undefined)[];
  readonly ranks: (number | undefined)[];
  readonly scores: (number | undefined)[];
}

/** The outcome of a match that came to a place not written yet. */
export function unfinishedOutcome(engine: Engine, draft: State): Outcome {
  const { rt, naming } = engine;
  return { ending: draft.name, args: {}, unfinished: true, results: rt.seats.map((_, seat) => ({ seat: naming.seats[seat] as string, result: "none" })) };
}
