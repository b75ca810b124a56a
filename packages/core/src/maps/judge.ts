/**
 * Judges a game's own log by a machine: every row is taken as its mapping says, and what the row tells is compared with
 * what the machine comes to. Where the log leaves something open (dice that are not told, an argument known by a
 * condition, an order, a time within a tolerance) every way that explains the row goes on, side by side with the
 * others.
 */

import { begin, type BeginOptions, fillData } from "../engine/matches/begin.js";
import { LineInputs } from "../engine/matches/line-inputs.js";
import { type Engine, engineOf, type Runnable } from "../engine/matches/runnable.js";
import type { StepResult } from "../engine/matches/step.js";
import { SEAT_IN } from "../engine/situation/memory.js";
import type { Input, Situation } from "../engine/situation/situation.js";
import { Fault } from "../engine/values/fault.js";
import { type Json, toJson, WrongValue } from "../engine/values/json.js";
import { situationDigest } from "../logbook/write.js";
import { inputInWords } from "../logbook/words.js";
import type { LineInput } from "../logbook/format.js";
import { LogClock } from "./clock.js";
import { type Failure, type Finding, Findings, sentence } from "./findings.js";
import { type Act, type MoreDice, MOST_TRIED, Moves, stepsBack, type Way } from "./moves.js";
import { type LogRow, matched, type RowData, toldIn } from "./rows.js";
import { Tells } from "./tells.js";
import type { Reason } from "./why.js";
import { ToldValues, Untold } from "./told.js";
import { type ToldNode, toldName } from "./syntax.js";
import { isMore, type Move, type Tell, type TypedMap, type TypedRow, type Value } from "./typed.js";

/** What judging one match came to. */
export interface Judgement {
  /** What the log calls the match; empty where there is one alone. */
  readonly match: string;
  readonly rows: number;
  /** Steps of the machine that explain them. */
  readonly steps: number;
  readonly skipped: number;
  readonly finding?: Finding;
  /** The state not written yet at which the machine ends, and the row from which on nothing was judged. */
  readonly unfinished?: { readonly state: string; readonly row: number };
  /** How many ways of playing explain all rows. */
  readonly ways: number;
  /** The ending that it came to. */
  readonly ending?: string;
  /** Data of the machine that nothing in the log was compared with. */
  readonly notCovered: readonly string[];
  /** How it was begun and the inputs of one way that explains it, for a logbook. */
  readonly course?: { readonly how: BeginOptions; readonly inputs: readonly Input[] };
}

/** So many situations go on from one row to the next. */
const MOST_WAYS = 1_000;
/** In so many rows a time is looked for, when the one that begins a match tells none. */
const MOST_AHEAD = 100;
/** So many rolls are tried to see whether what is told depends on them. */
const MOST_SAMPLES = 200;
/** The seed of all dice that nothing tells. */
const SEED = "log";

/** A row whose dice and outcome may still be told by those behind it. */
interface Waiting {
  readonly row: LogRow;
  readonly typed: TypedRow | undefined;
  readonly groups: readonly (readonly Act[])[];
  readonly dice: MoreDice[];
  readonly later: { readonly row: LogRow; readonly tell: Tell; readonly data: RowData }[];
}

/**
 * Judges the matches of a log, in the order in which they begin in it. Where the mapping tells matches apart, a row
 * that does not say which one it is of belongs to that of the row before; where it does not, one begins behind the
 * other.
 */
export function judge(runnable: Runnable, map: TypedMap, rows: readonly LogRow[]): Judgement[] {
  const judges: MatchJudge[] = [];
  const named = new Map<string, MatchJudge>();
  let own: MatchJudge | undefined;
  for (const [i, row] of rows.entries()) {
    const told = map.match && toldBy(map, map.match, row);
    const name = told === undefined || told === null ? own?.name : String(told);
    const known: MatchJudge | undefined = map.match ? named.get(name ?? "") : own;
    const found = known?.typedRow(row);
    if (known && (map.match || !known.isBegunAgain(found))) own = known;
    else {
      own = new MatchJudge(runnable, map, name ?? "", rows.slice(i, i + MOST_AHEAD));
      judges.push(own);
      named.set(own.name, own);
    }
    own.row(row, own === known ? found : own.typedRow(row));
  }
  if (!map.match && judges.length > 1) for (const [i, one] of judges.entries()) one.name = String(i + 1);
  return judges.map((one) => one.end());
}

/** What a row tells; a line of text tells it by the first form that it has. */
function toldBy(map: TypedMap, node: ToldNode, { text, data }: LogRow): Json | undefined {
  const told = toldIn(data, node);
  if (told !== undefined) return told;
  for (const { pattern } of map.rows) {
    const inLine = pattern && matched(pattern.text, text);
    if (inLine) return toldIn(inLine, node);
  }
  return undefined;
}

/** Which element of a row's lists a move is for: of the innermost, and by the names of what is taken of each. */
interface Inside {
  readonly innermost?: string;
  readonly of?: Readonly<Record<string, string>>;
}

/** Where in the row a list is: `.moves` of the third of `.turns` is `.turns[2].moves`. */
function listInside({ path: [first, ...rest], from, to }: ToldNode, { of }: Inside): string {
  const outer = typeof first === "string" ? of?.[first] : undefined;
  const own = toldName({ path: outer === undefined ? [first ?? "", ...rest] : rest, from, to });
  return `${outer ?? ""}${own}`;
}

/** A row of the mapping that is about a row of the log, with all that is told there. */
interface FoundRow {
  readonly typed: TypedRow;
  readonly data: RowData;
}

class MatchJudge {
  private readonly engine: Engine;
  private readonly inputs: LineInputs;
  private readonly told: ToldValues;
  private readonly moves: Moves;
  private readonly findings: Findings;
  private readonly clock: LogClock;
  private readonly tells: Tells;
  private ways: readonly Way[] = [];
  private waiting: Waiting | undefined;
  /** Rows behind the one that waits that only tell something: its rolls may still be told behind them. */
  private behind: { readonly row: LogRow; readonly found: FoundRow }[] = [];
  private unfinished: Judgement["unfinished"];
  private rows = 0;
  private skipped = 0;
  private hasBegun = false;

  constructor(
    private readonly runnable: Runnable,
    private readonly map: TypedMap,
    public name: string,
    /** The first rows from where it begins on. */
    private readonly ahead: readonly LogRow[],
  ) {
    this.engine = engineOf(runnable);
    this.inputs = new LineInputs(this.engine);
    this.told = new ToldValues(map, this.engine);
    this.findings = new Findings(runnable.machine.sources);
    this.clock = new LogClock(map, this.told);
    this.moves = new Moves(runnable, map, this.told, this.clock, this.findings);
    this.tells = new Tells(runnable, this.told, this.inputs);
  }

  /** Whether a match that has begun would be begun by a row. */
  isBegunAgain(found: FoundRow | undefined): boolean {
    return this.hasBegun && found !== undefined && begins(found.typed);
  }

  /** Takes the next row of the match. Behind a finding nothing is judged. */
  row(row: LogRow, found: FoundRow | undefined): void {
    this.rows++;
    if (found && begins(found.typed)) this.hasBegun = true;
    if (this.findings.reported || this.unfinished) return;
    if (!found) {
      if (this.map.otherwise === "skip") this.skipped++;
      else this.findings.report(row, { kind: "row", words: "No row of the mapping is about this one.", depth: 0 });
      return;
    }
    const { typed, data } = found;
    const moves = typed.moves.flat();
    if (moves.some(({ kind }) => kind === "skip")) {
      this.skipped++;
      return;
    }
    const refused = moves.find(({ kind }) => kind === "refuse");
    if (refused) {
      this.findings.report(row, {
        kind: "row",
        words: "The mapping says that there is no such row.",
        depth: 0,
        at: refused,
      });
      return;
    }
    if (moves.every(isMore)) {
      this.addTo(row, moves, data);
      return;
    }
    if (this.waiting && this.map.tellsLater && moves.every(({ kind, onlyIf }) => kind === "nothing" && !onlyIf)) {
      this.behind.push({ row, found });
      return;
    }
    this.settle(row);
    this.hold(row, found);
  }

  /** Judges all that waits. @param next the row that comes now; at the end of the log there is none */
  private settle(next?: LogRow): void {
    this.flush(next ?? this.behind[0]?.row);
    const { behind } = this;
    this.behind = [];
    for (const { row, found } of behind) {
      this.hold(row, found);
      this.flush(next);
    }
  }

  /** From here on a row waits for what those behind it tell of it. */
  private hold(row: LogRow, { typed, data }: FoundRow): void {
    if (this.findings.reported || this.unfinished) return;
    try {
      this.waiting = this.expand(row, typed, data);
    } catch (error) {
      if (!(error instanceof Untold) && !(error instanceof WrongValue)) throw error;
      this.findings.report(row, { kind: "map", words: sentence(error.message), depth: 0, at: typed });
    }
  }

  end(): Judgement {
    this.settle();
    const [way] = this.ways;
    const { unfinished } = this;
    const finding = this.findings.reported;
    return {
      match: this.name,
      rows: this.rows,
      steps: way?.steps ?? 0,
      skipped: this.skipped,
      ...(finding && { finding }),
      ...(unfinished && { unfinished }),
      ways: this.ways.length,
      ...(way?.situation.outcome && !unfinished && { ending: way.situation.outcome.ending }),
      notCovered: this.tells.compared.notCovered(),
      ...(way && { course: courseOf(way) }),
    };
  }

  // ---- rows ------------------------------------------------------------------------------------

  /** The first row of the mapping that is about a row of the log. */
  typedRow({ text, data }: LogRow): FoundRow | undefined {
    for (const typed of this.map.rows) {
      const { pattern, tests, where } = typed;
      const inLine = pattern ? matched(pattern.text, text) : {};
      if (!inLine) continue;
      const all = { ...data, ...inLine };
      const fits = tests.every(({ told, values }) => {
        const json = toldIn(all, told);
        return values.length === 0
          ? json !== undefined && json !== null
          : values.some((value) => this.told.same(value, json));
      });
      if (fits && (!where || this.holds(where, all))) return { typed, data: all };
    }
    return undefined;
  }

  private holds(test: Value, data: RowData): boolean {
    const [way] = this.ways;
    if (way) this.load(way.situation);
    try {
      return this.told.holds(test, data);
    } catch (error) {
      if (error instanceof WrongValue || error instanceof Fault) return false;
      throw error;
    }
  }

  /** Rolls, and what is told, that belong to the row before; so does what was told between the two. */
  private addTo(row: LogRow, moves: readonly Move[], data: RowData): void {
    if (!this.waiting && !this.map.begins && this.ways.length === 0)
      this.waiting = { row, typed: undefined, groups: [], dice: [], later: [] };
    if (!this.waiting) {
      this.findings.report(row, {
        kind: "map",
        words: "These rolls belong to the row before, and there is none.",
        depth: 0,
      });
      return;
    }
    for (const { row: between, found } of this.behind)
      for (const { tells } of found.typed.moves.flat())
        for (const tell of tells) this.waiting.later.push({ row: between, tell, data: found.data });
    this.behind = [];
    for (const move of moves) this.addMove(this.waiting, row, move, data);
  }

  private addMove({ dice, later }: Waiting, row: LogRow, move: Move, data: RowData): void {
    try {
      for (const act of this.actsOf(move, data, row)) {
        if (act.move.dice) dice.push({ dice: act.move.dice, data: act.data, row });
        for (const tell of act.move.tells) later.push({ row, tell, data: act.data });
      }
      if (move.kind === "for") for (const tell of move.tells) later.push({ row, tell, data });
    } catch (error) {
      if (!(error instanceof Untold) && !(error instanceof WrongValue)) throw error;
      this.findings.report(row, { kind: "map", words: sentence(error.message), depth: 0, at: move });
    }
  }

  private expand(row: LogRow, typed: TypedRow, data: RowData): Waiting {
    const groups = typed.moves.flatMap((group): Act[][] => {
      const acts = group.map((move) => this.actsOf(move, data, row));
      // What is told behind a loop, and behind what is left out, is told after the whole group.
      const behind = group
        .filter((move, i) => move.tells.length > 0 && (move.kind === "for" || acts[i]?.length === 0))
        .map((move): Act => ({ move: { ...move, kind: "nothing" }, data, row }));
      // What is done for each of a list is done one after the other, but where the order is open.
      const done = group.length === 1 ? (acts[0] ?? []).map((act) => [act]) : [acts.flat()];
      return [...done, ...behind.map((act) => [act])];
    });
    const orders = groups.reduce((count, { length }) => count * (length > MOST_OPEN ? 1 : factorial(length)), 1);
    if (groups.flat().length > MOST_MOVES || orders > MOST_ORDERS)
      throw new WrongValue(
        `this row comes to more than ${MOST_MOVES} moves, or to more than ${MOST_ORDERS} orders in which they may come`,
      );
    return { row, typed, groups, dice: [], later: [] };
  }

  /** @param lists the lists that are gone through, by the name of what is taken of each, with its place in the row */
  private actsOf(move: Move, data: RowData, row: LogRow, lists: Inside = {}): Act[] {
    if (move.onlyIf === "told" && move.told.some((node) => !this.told.isTold(node, data))) return [];
    if (move.onlyIf && move.onlyIf !== "told" && !this.holds(move.onlyIf, data)) return [];
    const { innermost } = lists;
    if (move.kind !== "for") return [{ move, data, row, ...(innermost !== undefined && { inside: innermost }) }];
    const list = listInside(move.list, lists);
    return this.told.list(move, data).flatMap((item, i) => {
      const place = `${list}[${i}]`;
      const inner = { innermost: place, of: { ...lists.of, [move.variable]: place } };
      return move.moves.flatMap((each) => this.actsOf(each, { ...data, [move.variable]: item }, row, inner));
    });
  }

  /** Judges the row that waits: all that belongs to it has been told. @param next the row that comes now */
  private flush(next?: LogRow): void {
    const { waiting } = this;
    this.waiting = undefined;
    if (!waiting) return;
    this.moves.tried = 0;
    this.findings.failure = undefined;
    this.findings.inside = undefined;
    const { row } = waiting;
    try {
      if (!this.begin(waiting)) return;
      const time = this.clock.of(waiting.groups[0]?.[0]?.data ?? row.data);
      // It is begun; what its row tells is left.
      const groups = waiting.groups.map((group) =>
        group.map((act): Act => (act.move.kind === "begin" ? { ...act, move: { ...act.move, kind: "nothing" } } : act)),
      );
      this.explain(waiting, groups, time, next);
    } catch (error) {
      if (!(error instanceof Untold) && !(error instanceof WrongValue)) throw error;
      const where = (error instanceof Untold ? error.row : undefined) ?? row;
      this.findings.report(where, { kind: "map", words: sentence(error.message), depth: 0 });
    }
  }

  private explain(
    waiting: Waiting,
    groups: Waiting["groups"],
    time: number | undefined,
    next: LogRow | undefined,
  ): void {
    const { row } = waiting;
    const found = this.explaining(waiting, groups, time);
    if (found.length > MOST_WAYS) {
      const words = `More than ${MOST_WAYS} ways of playing explain this row; tell more of it in the mapping.`;
      this.findings.report(row, { kind: "map", words, depth: 0 });
    } else if (found.length > 0) {
      this.ways = found;
      const stub = found.every(({ situation }) => situation.outcome?.unfinished);
      const [way] = found;
      if (stub && way?.situation.outcome) this.unfinished = { state: way.situation.outcome.ending, row: row.number };
    } else if (this.moves.tried > MOST_TRIED) {
      const words = `No way that was tried explains this row, and ${MOST_TRIED} are the most that are tried.`;
      this.findings.report(row, { kind: "map", words, depth: 0 });
    } else {
      const failure = this.blamed(waiting, groups, time, next);
      this.findings.report(row, failure ?? { kind: "row", words: "Nothing explains this row.", depth: 0 });
    }
  }

  /**
   * Why a row is not explained. Where rolls of a later row do not fit, the row itself may be what is wrong: if nothing
   * explains it whatever the later one tells, it is. A roll that no row tells is missed at the row that comes too soon.
   */
  private blamed(
    waiting: Waiting,
    groups: Waiting["groups"],
    time: number | undefined,
    next: LogRow | undefined,
  ): Failure | undefined {
    const { failure } = this.findings;
    const laterRow = failure?.row !== undefined && failure.row !== waiting.row;
    const mayFollow = failure?.untold === true && next !== undefined && this.map.tellsLater;
    if (!failure || (!laterRow && !mayFollow)) return failure;
    this.findings.failure = undefined;
    const anything = { unknown: true, items: [], from: waiting.row.line, to: waiting.row.line };
    const dice = [{ dice: anything, data: waiting.row.data, row: waiting.row }];
    const alone = this.explaining({ ...waiting, dice, later: [] }, groups, time);
    if (alone.length === 0) return laterRow ? (this.findings.failure ?? failure) : failure;
    const blamed = laterRow ? failure : { ...failure, row: next as LogRow };
    return this.toldBefore(waiting, groups, time, blamed.row as LogRow) ?? blamed;
  }

  /**
   * What was told before the rolls that do not fit, and is not so, whatever is rolled in place of those: it is what
   * went another way first.
   */
  private toldBefore(
    waiting: Waiting,
    groups: Waiting["groups"],
    time: number | undefined,
    rolls: LogRow,
  ): Failure | undefined {
    let wrong: { readonly told: Waiting["later"][number]; readonly failure: Failure | undefined }[] = waiting.later
      .filter(({ row }) => row.number < rolls.number)
      .map((told) => ({ told, failure: undefined }));
    let left = MOST_SAMPLES;
    this.moves.tried = 0;
    this.moves.anyRolls = true;
    try {
      for (const order of ordersOf(groups))
        for (const way of this.ways)
          for (const next of this.through(way, order, 0, time, waiting)) {
            wrong = wrong.flatMap(({ told, failure }) => {
              this.findings.failure = undefined;
              const holds = this.laterHolds(way, next, { ...waiting, later: [told] }, order.length);
              const found = this.findings.failure as Failure | undefined;
              return holds || (failure && failure.words !== found?.words) ? [] : [{ told, failure: found }];
            });
            if (wrong.length === 0 || --left === 0) return wrong[0]?.failure;
          }
    } finally {
      this.moves.anyRolls = false;
    }
    return wrong[0]?.failure;
  }

  /** The ways that explain a row; one more than are kept where there are too many. */
  private explaining(waiting: Waiting, groups: Waiting["groups"], time: number | undefined): Way[] {
    const found: Way[] = [];
    const keys = new Set<string>();
    const keyOf = ({ situation, ahead }: Way): string => `${situationDigest(this.runnable, situation)} ${ahead}`;
    for (const order of ordersOf(groups))
      for (const way of this.ways)
        for (const next of this.through(way, order, 0, time, waiting)) {
          if (!this.laterHolds(way, next, waiting, order.length)) continue;
          const [first] = found;
          if (first && keys.size === 0) keys.add(keyOf(first));
          if (first && keys.has(keyOf(next))) continue;
          if (first) keys.add(keyOf(next));
          found.push(next);
          if (found.length > MOST_WAYS) return found;
        }
    return found;
  }

  // ---- beginning -------------------------------------------------------------------------------

  /** Begins the match when that is due. @returns false when it cannot be begun */
  private begin(waiting: Waiting): boolean {
    const acts = waiting.groups.flat();
    const own = acts.find(({ move }) => move.kind === "begin");
    if (this.ways.length > 0) {
      if (own)
        this.findings.report(waiting.row, {
          kind: "row",
          words: "This match has begun already, and the row begins it again.",
          depth: 0,
          at: own.move,
        });
      return own === undefined;
    }
    const act = own ?? acts[0];
    const idle = acts.every(
      ({ move: { kind, tells } }) => kind === "sits" || (kind === "nothing" && tells.length === 0),
    );
    if (this.map.begins && !own) {
      // Who sits where may be told before the match begins.
      if (!idle) {
        this.findings.report(waiting.row, {
          kind: "map",
          words: "The match has not begun: no row before this one begins it.",
          depth: 0,
        });
        return false;
      }
      for (const { move, data } of acts) if (move.kind === "sits") this.moves.sit(move, data);
      return false;
    }
    const move = own?.move;
    this.nothingYet();
    const how = this.howBegun(move?.kind === "begin" ? move : undefined, act?.data ?? waiting.row.data);
    const rolls = this.moves.rollsToldBy(own, acts.length <= 1 ? waiting.dice : []);
    const begun: Way[] = [];
    for (const result of this.moves.rolling.ways(
      (dice) => begunWith(this.runnable, { ...how, ...(dice.length > 0 && { dice }) }),
      rolls,
      (wrong) => this.findings.fail({ kind: "dice", did: "begin", ...wrong, depth: 0 }),
      () => this.moves.mayTry(),
    )) {
      const [taken] = result.taken;
      if (!taken) {
        const words = result.fault?.words ?? result.refusal?.words ?? "";
        this.findings.fail({ kind: result.fault ? "fault" : "refused", did: "begin", words, depth: 0 });
        continue;
      }
      const dice = taken.happenings.rolls.map(({ value }) => value);
      begun.push({ situation: taken.situation, steps: 0, ahead: 0, how: { ...how, ...(dice.length > 0 && { dice }) } });
    }
    if (begun.length === 0) {
      this.findings.report(
        waiting.row,
        this.findings.failure ?? { kind: "row", words: "The match cannot be begun.", depth: 0 },
      );
      return false;
    }
    this.ways = begun;
    return true;
  }

  /** The data as they are before a match, for what is told of its beginning. */
  private nothingYet(): void {
    const { memory, machine } = this.engine;
    memory.happenings = null;
    memory.clear(
      "",
      machine.seats.names.map(() => SEAT_IN),
      0,
      [],
    );
    fillData(this.engine);
  }

  private howBegun(move: (Move & { kind: "begin" }) | undefined, data: RowData): BeginOptions {
    const { machine } = this.engine;
    const who = typeof move?.seats === "object" ? this.told.players(move.seats, data) : move?.seats;
    if (typeof who === "object") for (const [seat, id] of who.entries()) this.told.sitting.set(String(id), seat);
    const highest = Math.max(0, ...[...this.map.seats.values()].map((seat) => seat + 1));
    const seats =
      typeof who === "object" ? who.length : (who ?? Math.max(machine.seats.least, highest, this.told.sitting.size));
    const now = this.clock.of(data) ?? this.firstTime() ?? 0;
    const given = (move?.given ?? []).map(({ target, told, value }) => {
      const json = toJson(value.expr.type, this.told.of(value, data), { seats: machine.seats.names });
      this.told.put(told, data);
      return { path: this.inputs.pointer(target), value: json };
    });
    return { seed: SEED, seats, now, ...(given.length > 0 && { given: { data: given } }) };
  }

  /** The first time that a log tells: a match whose beginning tells none begins then. */
  private firstTime(): number | undefined {
    const { time } = this.map;
    if (!time) return undefined;
    for (const row of this.ahead) {
      const told = toldBy(this.map, time.told, row);
      if (told !== undefined && told !== null) return this.clock.at(told);
    }
    return undefined;
  }

  // ---- ways through a row ----------------------------------------------------------------------

  /** Every way through the moves of a row from one on. */
  private *through(
    way: Way,
    acts: readonly Act[],
    from: number,
    time: number | undefined,
    waiting: Waiting,
  ): Generator<Way> {
    const act = acts[from];
    if (!act) {
      yield way;
      return;
    }
    // Rolls told by later rows are those of the last that rolls.
    const last = acts.slice(from + 1).every(({ move }) => move.kind === "nothing" || move.kind === "sits");
    this.findings.inside = act.inside;
    for (const next of this.moves.one(way, act, time, last ? waiting.dice : [], from * DEPTH)) {
      if (this.tellsHold(way, next, act, from * DEPTH)) yield* this.through(next, acts, from + 1, time, waiting);
      this.findings.inside = act.inside;
    }
  }

  // ---- what is told ----------------------------------------------------------------------------

  private tellsHold(before: Way, after: Way, { move, data }: Act, depth: number): boolean {
    return move.tells.every((tell, i) => this.tellHolds(before, after, tell, data, depth + 10 + i));
  }

  private laterHolds(before: Way, after: Way, { later }: Waiting, acts: number): boolean {
    return later.every(({ row, tell, data }, i) => this.tellHolds(before, after, tell, data, acts * DEPTH + i, row));
  }

  private tellHolds(before: Way, after: Way, tell: Tell, data: RowData, depth: number, row?: LogRow): boolean {
    if (tell.ifTold && tell.told.some((node) => !this.told.isTold(node, data))) return true;
    this.load(after.situation);
    try {
      if (tell.kind === "for")
        return this.told
          .list(tell, data)
          .every((item) => this.tellHolds(before, after, tell.tell, { ...data, [tell.variable]: item }, depth, row));
      const wrong = this.tells.differs(
        { before: before.situation, taken: after.last?.taken, after: after.situation, steps: stepsBack(after) },
        tell,
        data,
      );
      if (!wrong) return true;
      const did = after.last && after !== before ? { did: inputInWords(after.last.taken.input as LineInput) } : {};
      const { last } = after;
      const why = (): Reason => {
        const reason = wrong.why?.() ?? { lines: [] };
        const ran = last && this.moves.ranUntold(last.taken.input.kind === "timer" ? after : last.before);
        return { ...reason, lines: [...reason.lines, ...(ran ?? [])] };
      };
      this.findings.fail({ kind: "told", ...did, ...wrong, why, depth, at: tell, ...(row && { row }) });
      return false;
    } catch (error) {
      this.findings.wrong(error, depth, tell, row);
      return false;
    }
  }

  // ---- small things ----------------------------------------------------------------------------

  private load(situation: Situation): void {
    this.engine.memory.load(situation);
    this.engine.memory.happenings = null;
  }
}

/** How much further a move is than what is told of the one before it. */
const DEPTH = 1_000;
function begunWith(runnable: Runnable, options: BeginOptions): StepResult {
  const { taken, refusal, fault } = begin(runnable, options);
  const situation = taken?.situation as Situation;
  return { taken: taken ? [taken] : [], situation, ...(refusal && { refusal }), ...(fault && { fault }) };
}

/** All orders of moves: groups one after the other, what is in a group in every order. */
function ordersOf(groups: readonly (readonly Act[])[]): Act[][] {
  return groups.reduce<Act[][]>(
    (orders, group) => orders.flatMap((before) => permutations(group).map((order) => [...before, ...order])),
    [[]],
  );
}

/** Most moves of one row, and most orders in which they may come. */
const MOST_MOVES = 1_000;
const MOST_ORDERS = 5_040;

function factorial(n: number): number {
  return n < 2 ? 1 : n * factorial(n - 1);
}

/** Most moves whose order may be open: they come to 720 orders. */
const MOST_OPEN = 6;

function permutations<T>(items: readonly T[]): T[][] {
  if (items.length < 2 || items.length > MOST_OPEN) return [items.slice()];
  return items.flatMap((item, i) =>
    permutations([...items.slice(0, i), ...items.slice(i + 1)]).map((rest) => [item, ...rest]),
  );
}

function courseOf(way: Way): NonNullable<Judgement["course"]> {
  const inputs: Input[] = [];
  let at: Way = way;
  for (; at.last; at = at.last.before) {
    const { input, happenings } = at.last.taken;
    const dice = happenings.rolls.map(({ value }) => value);
    inputs.push({ ...input, ...(dice.length > 0 && { dice }) } as Input);
  }
  return { how: at.how ?? { seed: SEED }, inputs: inputs.reverse() };
}

/** Whether a match begins with a row. */
function begins({ moves }: TypedRow): boolean {
  return moves.some((group) => group.some(({ kind }) => kind === "begin"));
}
