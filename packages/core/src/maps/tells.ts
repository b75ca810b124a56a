/** What a row tells, held against what the machine came to. */

import type { Expr } from "../check/machine.js";
import { someExpr } from "../check/visit.js";
import { engineOf, type Engine, type Runnable } from "../engine/matches/runnable.js";
import type { LineInputs } from "../engine/matches/line-inputs.js";
import { turnOf } from "../engine/matches/view.js";
import { RESULT_OF_WORD, type Situation, type Taken } from "../engine/situation/situation.js";
import { Box } from "../engine/values/box.js";
import { type Json, toJson, WrongValue } from "../engine/values/json.js";
import { valueInWords } from "../logbook/words.js";
import { Compared } from "./compared.js";
import { type RowData, toldIn } from "./rows.js";
import { toldName } from "./syntax.js";
import type { ToldValues } from "./told.js";
import type { Tell, Value } from "./typed.js";
import { type Reason, type TakenStep, whyTold } from "./why.js";

/** What the moves of a row came to. */
export interface Outcome {
  readonly before: Situation;
  /** The last step of the match; undefined when there is none yet. */
  readonly taken: Taken | undefined;
  readonly after: Situation;
  /** That step and those before it. */
  readonly steps: Iterable<TakenStep>;
}

/** Something told that is otherwise by the machine. */
export interface Difference {
  readonly words: string;
  readonly told?: Json;
  readonly comes?: Json;
  /** Why the machine comes to it, a line each; worked out when it is asked for. */
  readonly why?: () => Reason;
}

/** Whether something that the row tells stands in a part of what is compared. */
function isTold(part: Expr, { told }: Value): boolean {
  return someExpr(part, (e) => e.kind === "local" && told.some(({ slot }) => slot === e.slot));
}

/** What is named by its value in messages. */
const SHORT: ReadonlySet<string> = new Set(["seat", "enum", "int", "cell"]);

/** What two numbers may differ by that come of the same sum. */
const NOISE = 1e-9;

export class Tells {
  readonly compared: Compared;
  private readonly engine: Engine;

  constructor(
    private readonly runnable: Runnable,
    private readonly told: ToldValues,
    private readonly inputs: LineInputs,
  ) {
    this.engine = engineOf(runnable);
    this.compared = new Compared(runnable.machine);
  }

  /** What of something told is otherwise; undefined when it is so. */
  differs(
    { before, taken, after, steps }: Outcome,
    tell: Exclude<Tell, { kind: "for" }>,
    data: RowData,
  ): Difference | undefined {
    const { outcome } = after;
    const { naming } = this.engine.memory;
    const here = outcome
      ? `it ended in ${outcome.ending}`
      : `the match is in ${after.configuration.activeStates.join(", ")}`;
    const differ = (what: string, told: Json, comes: Json, value?: Value): Difference => ({
      words: `${what} is ${valueInWords(comes)} by the machine, and the log tells ${valueInWords(told)}.`,
      told,
      comes,
      why: () => {
        if (value) {
          this.load(after);
          this.told.put(value.told, data);
        }
        const paths = value ? this.compared.pathsOf(value, this.inputs) : [];
        return whyTold(this.runnable, steps, before !== after, paths);
      },
    });
    switch (tell.kind) {
      case "holds": {
        const { test, within } = tell;
        this.compared.note(test.expr);
        const { expr } = test;
        const holds = this.told.of(test, data);
        if (expr.kind === "binary" && ["==", "<", "<=", ">", ">=", "!="].includes(expr.op)) {
          const side = (e: typeof expr.left): Value => ({ ...test, expr: e, from: e.from, to: e.to });
          const sides = [side(expr.left), side(expr.right)] as const;
          const [mine, theirs] = isTold(expr.left, test) && !isTold(expr.right, test) ? [sides[1], sides[0]] : sides;
          const [comes, told] = [mine, theirs].map((value) =>
            toJson(value.expr.type, this.told.of(value, data), naming),
          ) as [Json, Json];
          const near = within !== undefined && typeof comes === "number" && typeof told === "number";
          if (near ? Math.abs(comes - told) <= within + NOISE : holds === true) return undefined;
          if (expr.op === "==") return differ(this.called(mine, data), told, comes, mine);
          return {
            ...differ(this.called(mine, data), told, comes, mine),
            words: `${this.called(test, data)} does not hold: ${this.called(mine, data)} is ${valueInWords(comes)}.`,
          };
        }
        if (holds === true) return undefined;
        return { words: `${this.called(test, data)} does not hold; ${here}.` };
      }
      case "changed": {
        this.compared.note(tell.what.expr);
        const by = this.told.of(tell.by, data) as number;
        const now = this.told.of(tell.what, data) as number;
        this.load(before);
        const was = this.told.of(tell.what, data) as number;
        this.load(after);
        if (Math.abs(now - was - by) <= (tell.within ?? 0) + NOISE) return undefined;
        return {
          ...differ(this.called(tell.what, data), by, now - was, tell.what),
          words: `${this.called(tell.what, data)} changes by ${now - was} by the machine, and the log tells ${by}.`,
        };
      }
      case "ending":
        return outcome?.ending === tell.ending
          ? undefined
          : { words: `The log tells the ending ${tell.ending}, and by the machine ${here}.` };
      case "endingBy": {
        const json = toldIn(data, tell.by);
        const found = [...tell.names].find(([literal]) => this.told.same(literal, json));
        if (!found)
          throw new WrongValue(`${toldName(tell.by)}: the mapping has no ending for ${JSON.stringify(json ?? null)}`);
        return outcome?.ending === found[1]
          ? undefined
          : { words: `The log tells the ending ${found[1]}, and by the machine ${here}.` };
      }
      case "result":
      case "standing": {
        const seat = naming.seats[this.told.of(tell.seat, data) as number] ?? "";
        const own = outcome?.results.find((result) => result.seat === seat);
        if (tell.kind === "result") {
          const told = RESULT_OF_WORD[tell.word];
          if (own?.result === told) return undefined;
          return own
            ? differ(`The result of ${seat}`, told, own.result)
            : { words: `There is no result yet: ${here}.` };
        }
        const told = this.told.of(tell.value, data) as number;
        const comes = own?.[tell.what];
        return comes === told ? undefined : differ(`The ${tell.what} of ${seat}`, told, comes ?? null);
      }
      case "turn": {
        const value = this.told.of(tell.seats, data);
        const seats = value instanceof Box ? (value.parts as number[]) : [value as number];
        const told = seats.map((seat) => naming.seats[seat] ?? "").sort();
        const comes = [...turnOf(this.runnable, after)].sort();
        return told.join() === comes.join() ? undefined : differ("The turn", told, comes);
      }
      case "note": {
        const text = this.told.of(tell.text, data) as string;
        const notes = taken?.happenings.notes.map((note) => note.text) ?? [];
        if (notes.includes(text)) return undefined;
        return {
          words:
            `No note says ${JSON.stringify(text)}` +
            `${notes.length > 0 ? `; they say ${JSON.stringify(notes)}` : ""}.`,
        };
      }
    }
  }

  private load(situation: Situation): void {
    this.engine.memory.load(situation);
    this.engine.memory.happenings = null;
  }

  /** An expression as it is written, with the values of what the row tells in it: `coins[.who]` as `coins[mira]`. */
  private called(value: Value, data: RowData): string {
    const { naming } = this.engine.memory;
    const written = this.runnable.machine.sources.written(value);
    const told = value.told.filter(({ node, type }) => SHORT.has(type.kind) && this.told.isTold(node, data));
    this.told.put(told, data);
    const names = new Map(
      told.map(({ node, type, slot }) => [
        toldName(node),
        valueInWords(toJson(type, this.engine.memory.locals[slot], naming)),
      ]),
    );
    if (names.size === 0) return written;
    const longestFirst = [...names.keys()].toSorted((a, b) => b.length - a.length);
    const anyName = new RegExp(
      `(?:${longestFirst.map((name) => name.replace(/\W/g, "\\$&")).join("|")})(?![\\w.[])`,
      "g",
    );
    return written.replace(anyName, (name) => names.get(name) ?? name);
  }
}
