/** Every way to take one move of a row: where its time, its arguments or its dice are open there may be several. */

import type { BeginOptions } from "../engine/matches/begin.js";
import { type Engine, engineOf, type Runnable } from "../engine/matches/runnable.js";
import { step, type StepResult } from "../engine/matches/step.js";
import { type Input, nextTimer, type Situation, type Taken } from "../engine/situation/situation.js";
import { Box } from "../engine/values/box.js";
import { type Json, toJson, WrongValue } from "../engine/values/json.js";
import type { LineInput } from "../logbook/format.js";
import { inputInWords, valueInWords } from "../logbook/words.js";
import { argumentValues } from "./arguments.js";
import { type LogClock, seconds } from "./clock.js";
import { Rolling, type ToldRoll, type ToldRolls } from "./dice.js";
import type { Findings } from "./findings.js";
import { type LogRow, type RowData, toldIn } from "./rows.js";
import { toldName } from "./syntax.js";
import { type ToldValues, Untold } from "./told.js";
import type { Dice, Move, TypedMap, Value } from "./typed.js";
import { type TakenStep, whyRefused } from "./why.js";

/** So many timers are told that ran before a row with none telling of them. */
const MOST_UNTOLD = 3;

/** One row may try so many ways. */
export const MOST_TRIED = 10_000;

/** A situation that explains the rows so far. */
export interface Way {
  readonly situation: Situation;
  readonly steps: number;
  /** How far the log's clock is ahead of the machine's, in milliseconds: what it told late within the tolerance. */
  readonly ahead: number;
  readonly last?: { readonly taken: Taken; readonly before: Way };
  /** How it was begun, for the first. */
  readonly how?: BeginOptions;
}

/** A move of a row with what its names stand for. */
export interface Act {
  readonly move: Move;
  readonly data: RowData;
  readonly row: LogRow;
  /** The element of the row's lists that it is for. */
  readonly inside?: string;
}

/** Rolls told by a later row. */
export interface MoreDice {
  readonly dice: Dice;
  readonly data: RowData;
  readonly row: LogRow;
}

/** A move that is an input of the match at the row's time. */
type InputMove = Extract<Move, { kind: "act" | "event" }> | Extract<Move, { kind: "joins" | "leaves" }>;

export class Moves {
  readonly rolling: Rolling;
  /** How much has been tried for the row at hand. */
  tried = 0;
  /** Rolls that are told but not rolled are left out, and those that are not told may be anything. */
  anyRolls = false;
  private readonly engine: Engine;

  constructor(
    private readonly runnable: Runnable,
    private readonly map: TypedMap,
    private readonly told: ToldValues,
    private readonly clock: LogClock,
    private readonly findings: Findings,
  ) {
    this.engine = engineOf(runnable);
    this.rolling = new Rolling(runnable.machine, this.engine.memory);
  }

  /** Somebody takes a seat: told values that name them stand for it from then on. */
  sit(move: Move & { kind: "sits" }, data: RowData): void {
    const who = toldIn(data, move.who);
    if (who === undefined || who === null) throw new Untold(`The row has no ${toldName(move.who)}.`);
    const taken = new Set(this.told.sitting.values());
    const free = this.engine.machine.seats.names.findIndex((_, seat) => !taken.has(seat));
    const seat = move.at ? (this.told.of(move.at, data) as number) : free;
    if (seat < 0) throw new WrongValue(`there is no seat left for ${JSON.stringify(who)}`);
    this.told.sitting.set(String(who), seat);
  }

  /** Every way to take one move. */
  *one(way: Way, act: Act, told: number | undefined, more: readonly MoreDice[], depth: number): Generator<Way> {
    const { move, data } = act;
    const time = told === undefined ? undefined : told - way.ahead;
    switch (move.kind) {
      case "sits":
        this.sit(move, data);
        yield way;
        return;
      case "wait":
        if (this.isInOrder(way, time, depth, move)) yield* this.until(way, time ?? way.situation.now, depth);
        return;
      case "timer":
        yield* this.timer(way, move, act, time, more, depth);
        return;
      case "act":
      case "event":
      case "joins":
      case "leaves":
        for (const at of this.timesFor(way, time, depth, move))
          for (const there of this.until(way, at, depth, told))
            for (const input of this.inputsOf(there, move, data, at, depth))
              yield* this.taken(there, act, input, more, depth);
        return;
      default:
        yield way;
    }
  }

  /** When an input may have come: at its time, or before or after a timer that is due within the tolerance. */
  private timesFor(way: Way, time: number | undefined, depth: number, move: Move): number[] {
    const { situation } = way;
    const { now } = situation;
    if (time === undefined) return [now];
    if (!this.isInOrder(way, time, depth, move)) return [];
    const within = this.map.time?.within ?? 0;
    const at = Math.max(time, now);
    const times = [at];
    for (const timer of situation.configuration.timers) {
      const due = situation.timers[timer] as number;
      if (due <= at && due >= at - within && due - 1 >= now) times.push(due - 1);
      if (due > at && due <= at + within) times.push(due);
    }
    return [...new Set(times)];
  }

  /** Whether something comes no earlier than what is told above it. */
  private isInOrder({ situation: { now } }: Way, time: number | undefined, depth: number, move: Move): boolean {
    if (time === undefined || time >= now - (this.map.time?.within ?? 0)) return true;
    const words = `This happens ${seconds(now - time)} before the row above it.`;
    this.findings.fail({ kind: "time", words, depth, at: move });
    return false;
  }

  /**
   * Lets time pass: timers that are due run, when no row should have told of them.
   *
   * @param told when the log has what comes then
   */
  private *until(way: Way, time: number, depth: number, told?: number): Generator<Way> {
    const next = nextTimer(this.runnable.machine, way.situation);
    if (!next || next.due > time) {
      yield told === undefined ? way : { ...way, ahead: told - time };
      return;
    }
    const { name } = next.timer;
    if (this.map.timers.has(name)) {
      const words = `The timer ${name} runs ${this.clock.words(next.due)}, and no row of the log tells of it.`;
      this.findings.fail({ kind: "time", words, depth: depth + 1, position: next.timer.from });
      return;
    }
    const input = { kind: "timer", timer: name, time: next.due } as const;
    for (const after of this.steps(way, input, { rolls: [], rows: [], rest: this.map.diceUnknown }, depth))
      yield* this.until(after, time, depth, told);
  }

  private *timer(
    way: Way,
    move: Move & { kind: "timer" },
    act: Act,
    time: number | undefined,
    more: readonly MoreDice[],
    depth: number,
  ): Generator<Way> {
    const { machine } = this.runnable;
    const due = nextTimer(machine, way.situation, ({ name }) => name === move.timer)?.due;
    if (due === undefined) {
      const states = way.situation.configuration.activeStates.join(", ");
      this.findings.fail({
        kind: "time",
        did: `timer ${move.timer}`,
        words:
          `The timer ${move.timer} is not running: ` +
          `${way.situation.outcome ? `it ended in ${way.situation.outcome.ending}` : `the match is in ${states}`}.`,
        depth: depth + 1,
        at: move,
      });
      return;
    }
    const within = this.map.time?.within ?? 0;
    if (time !== undefined && Math.abs(due - time) > within) {
      const late = due > time ? `${seconds(due - time)} later` : `${seconds(time - due)} earlier`;
      this.findings.fail({
        kind: "time",
        did: `timer ${move.timer}`,
        words: `By the machine the timer ${move.timer} runs ${late} than the log has it.`,
        depth: depth + 1,
        at: move,
        ...this.timerPlace(move.timer),
      });
      return;
    }
    // Timers that are due before it, and that rows need not tell of, run first.
    for (const there of this.until(way, due - 1, depth)) {
      const input = { kind: "timer", timer: move.timer, time: due } as const;
      const late = time === undefined ? 0 : time - due;
      const rolls = this.rollsToldBy(act, more, there.situation);
      for (const after of this.steps(there, input, rolls, depth + 1, move)) yield { ...after, ahead: way.ahead + late };
    }
  }

  /** What wrote the data last by which an input is refused. */
  private wroteLast(way: Way, input: Input): readonly string[] {
    return whyRefused(this.runnable, stepsBack(way), way.situation, input);
  }

  /** The timers that ran just before, and that no row tells of: a line for each, the earliest first. */
  ranUntold(way: Way): string[] {
    const lines: string[] = [];
    for (let { last } = way; last && lines.length < MOST_UNTOLD; last = last.before.last) {
      const { input } = last.taken;
      if (input.kind !== "timer" || this.map.timers.has(input.timer)) break;
      const { now } = last.taken.situation;
      lines.unshift(`the timer ${input.timer} ran ${this.clock.words(now + way.ahead)}; no row tells of it`);
    }
    return lines;
  }

  private timerPlace(name: string): { position?: number } {
    const timer = this.runnable.machine.timers.find((each) => each.name === name);
    return timer ? { position: timer.from } : {};
  }

  /** Where the action is declared that somebody tries to take. */
  private actionPlace(input: Input, { configuration }: Situation): { position?: number } {
    const action = input.kind === "action" ? configuration.actions.get(input.action)?.[0]?.action : undefined;
    return action ? { position: action.from } : {};
  }

  /** The inputs that a move may stand for: several where an argument is known by a condition alone. */
  private inputsOf({ situation }: Way, move: InputMove, data: RowData, time: number, depth: number): Input[] {
    this.load(situation);
    const { naming } = this.engine.memory;
    const name = (value: Value): string => naming.seats[this.told.of(value, data) as number] ?? "";
    try {
      if (move.kind !== "act" && move.kind !== "event")
        return [{ kind: move.kind === "joins" ? "join" : "leave", seat: name(move.seat), time }];
      const seat = move.kind === "act" ? name(move.seat) : "";
      const first: Record<string, Json> = {};
      for (const { name, value, slot } of move.args)
        if (slot === undefined) first[name] = toJson(value.expr.type, this.told.of(value, data), naming);
      let all: Record<string, Json>[] = [first];
      for (const { name, type, value, slot } of move.args) {
        if (slot === undefined) continue;
        all = all.flatMap((args) => {
          const values =
            move.kind === "act" ? argumentValues(this.runnable, situation, seat, move.action, name, type, args) : [];
          this.load(situation);
          return values.flatMap(({ json, raw }) => {
            this.engine.memory.locals[slot] = raw;
            return this.told.of(value, data) === true ? [{ ...args, [name]: json }] : [];
          });
        });
        if (all.length === 0) {
          const words = `There is no ${name} for which this holds: ${this.written(value)}.`;
          this.findings.fail({
            kind: "refused",
            did: `${seat} ${move.kind === "act" ? move.action : ""}`,
            words,
            depth,
            at: value,
          });
        }
      }
      return all.map((args) =>
        move.kind === "act"
          ? { kind: "action", seat, action: move.action, args, time }
          : { kind: "event", event: move.event, args, time },
      );
    } catch (error) {
      this.findings.wrong(error, depth, move);
      return [];
    }
  }

  /** Takes an input with the rolls that are told, or finds it refused as the game did. */
  private *taken(way: Way, act: Act, input: Input, more: readonly MoreDice[], depth: number): Generator<Way> {
    const { move } = act;
    const refused = move.kind === "act" ? move.refused : undefined;
    if (refused === undefined) {
      yield* this.steps(way, input, this.rollsToldBy(act, more, way.situation), depth + 2, move);
      return;
    }
    if (!this.mayTry()) return;
    const { refusal, fault } = step(this.runnable, way.situation, input, NOW);
    const did = inputInWords(input as LineInput);
    if (refusal && (refused === true || refusal.code === refused)) yield way;
    else if (refusal)
      this.findings.fail({
        kind: "accepted",
        did,
        words: `It is refused, but with ${refusal.code}: ${refusal.words}`,
        depth: depth + 2,
        at: move,
      });
    else if (fault)
      this.findings.fail({ kind: "fault", did, words: fault.words, position: fault.position, depth: depth + 2 });
    else
      this.findings.fail({
        kind: "accepted",
        did,
        words: "The game refused this, and the machine lets it happen.",
        depth: depth + 2,
        at: move,
      });
  }

  /** Every way to take a step with rolls that fit. */
  private *steps(way: Way, input: Input, rolls: ToldRolls, depth: number, move?: Move): Generator<Way> {
    const did = inputInWords(input as LineInput);
    const { situation } = way;
    const place = move ? { at: move } : {};
    const take = (dice: readonly (number | boolean)[]): StepResult =>
      step(this.runnable, situation, { ...input, ...(dice.length > 0 && { dice }) } as Input, NOW);
    const wrong = (why: { readonly words: string; readonly position?: number }): void =>
      this.findings.fail({ kind: "dice", did, ...why, depth: depth + 1, ...place });
    for (const { taken, refusal, fault } of this.rolling.ways(take, rolls, wrong, () => this.mayTry())) {
      const [one] = taken;
      if (one) {
        yield {
          situation: one.situation,
          steps: way.steps + 1,
          ahead: way.ahead,
          last: { taken: one, before: way },
        };
        continue;
      }
      if (fault) {
        this.findings.fail({ kind: "fault", did, words: fault.words, position: fault.position, depth, ...place });
        continue;
      }
      const values = refusal?.condition?.values.map(({ text, value }) => `${text} is ${value}`) ?? [];
      const asked = refusal?.condition ? [`needs ${refusal.condition.text}`] : [];
      this.findings.fail({
        kind: "refused",
        did,
        words: refusal?.words ?? "",
        depth,
        ...place,
        ...this.actionPlace(input, situation),
        why: () => ({ lines: [...asked, ...values, ...this.wroteLast(way, input), ...this.ranUntold(way)] }),
      });
    }
  }

  mayTry(): boolean {
    return ++this.tried <= MOST_TRIED;
  }

  // ---- dice ------------------------------------------------------------------------------------

  /**
   * What is told of the rolls of a move, by its own row and by later ones.
   *
   * @param before what is named in them is looked up there; without it, in what the working memory holds
   */
  rollsToldBy(act: Act | undefined, more: readonly MoreDice[], before?: Situation): ToldRolls {
    if (before) this.load(before);
    const own = act?.move.dice ? [{ dice: act.move.dice, data: act.data, row: act.row }] : [];
    const all = [...own, ...more];
    const rolls: ToldRoll[] = [];
    const rows: LogRow[] = [];
    for (const { dice, data, row } of all)
      for (const roll of this.rollsIn(dice, data, row)) {
        rolls.push(roll);
        rows.push(row);
      }
    const { anyRolls } = this;
    const rest = anyRolls || all.some(({ dice: { unknown } }) => unknown) || (this.map.diceUnknown && all.length === 0);
    return { rolls, rows, rest, ...(anyRolls && { surplus: true }) };
  }

  private rollsIn({ items }: Dice, data: RowData, row: LogRow): ToldRoll[] {
    try {
      return items.flatMap((item) => this.rollsOf(item, data));
    } catch (error) {
      if (!(error instanceof Untold) && !(error instanceof WrongValue)) throw error;
      throw new Untold(error.message, row);
    }
  }

  private rollsOf(item: Dice["items"][number], data: RowData): ToldRoll[] {
    switch (item.kind) {
      case "any":
        return [{ kind: "any" }];
      case "value": {
        const { value, ifTold } = item;
        const nodes = value.bare ? [value.bare] : value.told.map(({ node }) => node);
        if (ifTold && nodes.some((node) => !this.told.isTold(node, data))) return [];
        if (value.bare && value.told.length === 0)
          return this.told.rolls(value.bare, data).map((roll) => ({ kind: "value", value: roll }));
        return [{ kind: "value", value: this.told.of(value, data) as number | boolean }];
      }
      case "sum": {
        const total = this.told.of(item.value, data) as number;
        const free = Array.from({ length: item.of - 1 }, () => ({ kind: "any" }) as const);
        return [...free, { kind: "sum", total, before: item.of - 1 }];
      }
      case "shuffle": {
        const { naming } = this.engine.memory;
        const { order, list } = item;
        const { parts } = this.told.of(order, data) as Box;
        const inWords = (items: readonly unknown[]): string =>
          valueInWords(toJson(order.expr.type, new Box(0, items.slice()), naming));
        const words = (items: readonly unknown[]): string =>
          `${list ? this.written(list) : "What is shuffled"} is ${list ? "shuffled from " : ""}${inWords(items)}, ` +
          `and the log tells ${inWords(parts)}: ` +
          "an order of something else.";
        return parts.slice(1).map(() => ({ kind: "shuffle", order: parts, words }));
      }
    }
  }

  private load(situation: Situation): void {
    this.engine.memory.load(situation);
    this.engine.memory.happenings = null;
  }

  private written(value: { readonly from: number; readonly to: number }): string {
    return this.runnable.machine.sources.written(value);
  }
}

/** The steps of a way, the last first. */
export function* stepsBack(way: Way): Generator<TakenStep> {
  for (let { last } = way; last; { last } = last.before) yield { before: last.before.situation, taken: last.taken };
}

/** Everything that happens is looked at. */
const NOW = { happenings: "now" } as const;
