/** Seats that have fallen by a stat of theirs, and can still get the turn. */

import type { Span } from "../../language/source.js";
import type { Expr, Machine, Statement } from "../machine.js";
import { readsOf } from "../reads.js";
import { isPaid } from "./costs.js";
import { type Accesses, pathOf, pathOfLocation } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import type { Point } from "../reason/flow.js";
import type { Knowledge } from "../reason/knowledge.js";
import { bitsOf } from "../reason/possible.js";
import { witness } from "../reason/witness.js";
import { conditionalArrows, endingTests } from "../tree.js";
import { BOOL, INT, SEAT } from "../types.js";
import { someExpr, visitMachine } from "../visit.js";

export interface FallenTest {
  readonly test: Expr;
  /** The stat that decides, with the seat it belongs to taken out. */
  readonly path: (seat: Expr) => Expr;
}

/**
 * The stats per seat whose 0 ends the match: tested in a branch or condition of the machine's own that leads to an
 * ending.
 */
export function fallenTests(found: Findings): FallenTest[] {
  const { machine } = found;
  if (found.eliminates && takesOutTheFallen(machine)) return [];
  const stats = new Map<string, FallenTest>();
  for (const test of endingTests(machine)) {
    visitZeroTests(machine, test, (stat, counted) => {
      const path = pathOf(stat);
      const of = seatIndex(stat);
      // Counted over all seats, it says less: whoever chooses the next by it has minded it.
      const isStat = path && of && !stats.has(path) && !onlyRises(found, path);
      if (isStat && !(counted && (minded(found, path) || isMoney(found, path))))
        stats.set(path, { test, path: (seat) => withSeat(stat, seat) });
    });
  }
  return [...stats.values()];
}

/** Whether seats are taken out of play for another reason than that they left. */
function takesOutTheFallen(machine: Machine): boolean {
  let takes = false;
  visitMachine(machine, {
    statement: (s) => {
      if (s.kind === "eliminate") takes ||= !isForLeaving(machine, s);
    },
  });
  return takes;
}

/** A comparison of a stat with nothing. */
interface ZeroTest {
  readonly stat: Expr;
  /** It stands inside a binder. */
  readonly counted: boolean;
  readonly op: string;
}

/** Comparisons of stats with nothing, in the order in which they stand. */
interface ZeroTests {
  readonly all: readonly ZeroTest[];
  /** Those of which one alone decides. */
  readonly alone: readonly ZeroTest[];
}

const NO_TESTS: ZeroTests = { all: [], alone: [] };

/**
 * Comparisons of a stat with nothing, each of which decides alone, through the functions a test calls.
 *
 * @param visit is told the stat, and whether it stands inside a binder
 */
export function visitZeroTests(machine: Machine, e: Expr, visit: (stat: Expr, counted: boolean) => void): void {
  for (const { stat, counted } of zeroTests(machine, e, 0, false).alone) visit(stat, counted);
}

function zeroTests(machine: Machine, e: Expr, depth: number, counted: boolean): ZeroTests {
  if (depth > 6) return NO_TESTS;
  switch (e.kind) {
    case "not":
      return zeroTests(machine, e.of, depth, counted);
    case "call":
      return zeroTests(machine, machine.functions[e.function]?.body as Expr, depth + 1, counted);
    case "binder": {
      const parts = [e.where, e.body].flatMap((part) => (part ? zeroTests(machine, part, depth + 1, true) : []));
      return { all: parts.flatMap(({ all }) => all), alone: parts.flatMap(({ alone }) => alone) };
    }
    case "listProperty":
      return zeroTests(machine, e.of, depth + 1, counted);
    case "binary": {
      if (e.op === "and" || e.op === "or" || e.op === "implies") {
        const left = zeroTests(machine, e.left, depth, counted);
        const right = zeroTests(machine, e.right, depth, counted);
        const all = [...left.all, ...right.all];
        return { all, alone: fallTogether(e.op, left, right) ? [] : [...left.alone, ...right.alone] };
      }
      const left = zeroTests(machine, e.left, depth + 1, counted);
      const zero =
        e.right.kind === "constant" &&
        (e.right.value === 0 || (e.right.value === 1 && (e.op === "<" || e.op === ">=")));
      // Where a stat can be less than nothing, only a comparison tells the fallen from those that stand.
      const least = e.left.type.kind === "int" ? e.left.type.low : 1;
      if (!zero || e.op === "!=" || !(least === 0 || (least < 0 && e.op !== "=="))) return left;
      const test = { stat: e.left, counted, op: e.op };
      return { all: [...left.all, test], alone: [...left.alone, test] };
    }
    default:
      return NO_TESTS;
  }
}

/**
 * Whether two stats have to be nothing together, as two walls: then nobody has fallen by one of them. "Both are 0", or
 * "one of them is more than 0", which does not hold then.
 */
function fallTogether(op: string, left: ZeroTests, right: ZeroTests): boolean {
  const asked = op === "and" ? ZERO : op === "or" ? MORE : undefined;
  const pathsOf = ({ all }: ZeroTests): Set<string> =>
    new Set(all.flatMap((test) => (asked?.has(test.op) ? (pathOf(test.stat) ?? []) : [])));
  const [one, other] = [pathsOf(left), pathsOf(right)];
  return other.size > 0 && [...one].some((path) => !other.has(path));
}

const ZERO: ReadonlySet<string> = new Set(["==", "<=", "<"]);
const MORE: ReadonlySet<string> = new Set([">", ">="]);

/**
 * True when what is written to the data that turns are read from asks for the stat, wherever it goes on to the next
 * seat: to a list of those whose turns are still to come, when whoever falls meanwhile can be taken out of it too.
 */
function minded({ machine, accesses, written }: Findings, path: string): boolean {
  const turns = new Set(machine.states.flatMap((s) => (s.turn ? [...readsOf(machine, s.turn.of).slots] : [])));
  const slot = Number(/^[ds](\d+)/.exec(path)?.[1]);
  const asking = new Set<number>();
  const shortened = new Set<number>();
  const blindly = new Set<number>();
  for (const [statement, { target }] of written) {
    const { base, type } = target;
    if (base.kind === "local" || !turns.has(base.slot) || base.slot === slot) continue;
    const values = statement.kind === "assign" ? [statement.value] : statement.kind === "change" ? statement.args : [];
    if (values.some((value) => readsOf(machine, value).slots.has(slot))) asking.add(base.slot);
    else if (type.kind === "seat" && values.some((value) => passesOn(value)) && !isForLeaving(machine, statement))
      blindly.add(base.slot);
    // Whoever falls by what it does itself has the turn already.
    if (
      (type.kind !== "list" && !fallsByItself(machine, accesses, path)) ||
      (takesOut(statement) && !isForLeaving(machine, statement))
    )
      shortened.add(base.slot);
  }
  return [...asking].some((each) => shortened.has(each) && !blindly.has(each));
}

/** Whether a turn goes to another than who acts, or a certain seat that begins. */
function passesOn({ kind }: Expr): boolean {
  return kind !== "me" && kind !== "constant";
}

/** Whether a stat is only ever added to: none falls to nothing by it. */
function onlyRises({ accesses }: Findings, path: string): boolean {
  const writes = accesses.writes(path).filter(({ place }) => place.kind !== "test");
  return writes.length > 0 && writes.every(({ statement }) => statement?.kind === "assign" && statement.op === "+=");
}

/**
 * Whether all that is taken from a stat is paid by its seat, in actions that ask for it: who has spent everything has
 * not fallen.
 */
function isMoney(found: Findings, path: string): boolean {
  const taken = found.accesses.writes(path).filter(({ place, statement }) => {
    if (place.kind === "test" || statement?.kind !== "assign") return false;
    return statement.op === "-=" || (statement.op === "=" && statement.value.kind !== "constant");
  });
  return taken.length > 0 && taken.every(({ statement }) => statement && isPaid(found, statement));
}

/** Whether something that a seat does, or that is done while it has the turn, takes from its own stat. */
function fallsByItself(machine: Machine, accesses: Accesses, path: string): boolean {
  const holders = machine.states.flatMap(({ turn }) => (turn ? [machine.sources.text(turn.of)] : []));
  return accesses.writes(path).some(({ statement }) => {
    if (statement?.kind !== "assign" || statement.op !== "-=") return false;
    const [index] = statement.target.path;
    return index?.kind === "index" && (index.key.kind === "me" || holders.includes(machine.sources.text(index.key)));
  });
}

/** Whether a list is left without some that are in it, wherever they stand. */
function takesOut(statement: Statement): boolean {
  if (statement.kind === "change") return statement.method === "remove";
  if (statement.kind !== "assign" || statement.value.kind !== "binder") return false;
  return statement.value.word === "filter" && pathOf(statement.value.source) === pathOfLocation(statement.target);
}

/** Whether something is done for a seat that leaves the match. */
export function isForLeaving(machine: Machine, { from, to }: Span): boolean {
  const left = machine.signals.find((signal) => signal.name === "Left")?.id;
  return machine.states.some(({ listeners }) =>
    listeners.some((l) => l.signal === left && l.from <= from && to <= l.to),
  );
}

/**
 * Whether a state takes the seat whose turn it is from an arrow that asks whether just that seat has fallen: there it
 * rises again, or is counted out.
 *
 * @param stat gives the stat of a seat
 */
export function isForFallen(machine: Machine, turn: Expr, stat: (seat: Expr) => Expr): boolean {
  if (turn.kind !== "stateData") return false;
  const { slot, field } = turn;
  const path = pathOf(stat(turn));
  const state = machine.states.find((s) => s.slot === slot && field < s.parameters.length);
  return (
    state !== undefined &&
    conditionalArrows(machine).some(({ test, arrow }) => {
      const given = arrow.kind === "to" && arrow.target.kind === "state" ? arrow.target : undefined;
      const seat = given?.state === state.id && given.args[field];
      if (!seat) return false;
      const asked = zeroTests(machine, test, 0, false).all.some((z) => ZERO.has(z.op) && pathOf(z.stat) === path);
      return asked && someExpr(test, (part) => sameText(machine, part, seat));
    })
  );
}

function sameText({ sources }: Machine, a: Expr, b: Expr): boolean {
  return sources.text(a) === sources.text(b);
}

function seatIndex(stat: Expr): boolean {
  if (stat.kind === "field") return seatIndex(stat.of);
  return (
    stat.kind === "index" &&
    stat.of.type.kind === "perSeat" &&
    (stat.of.kind === "data" || stat.of.kind === "stateData")
  );
}

/** A stat of one seat, asked of another; the same where it is no seat's. */
export function withSeat(stat: Expr, seat: Expr): Expr {
  if (stat.kind === "field") return { ...stat, of: withSeat(stat.of, seat) };
  return stat.kind === "index" ? { ...stat, key: seat } : stat;
}

/**
 * In words how the seat on turn can have fallen at a point; undefined when it cannot, or nothing ever takes from the
 * stat.
 */
export function fallsAt(found: Findings, point: Point, turn: Expr, stat: (seat: Expr) => Expr): string | undefined {
  const { flow } = found;
  if (turn.type.kind !== "seat") return undefined;
  const at = { from: turn.from, to: turn.to };
  const expr = stat(turn);
  const path = pathOf(expr);
  if (path === undefined || found.accesses.neverWritten(path)) return undefined;
  const fell = (of: Expr): Expr => {
    const right: Expr = { kind: "constant", value: 0, type: INT, ...at };
    return { kind: "binary", op: "<=", left: of, right, type: BOOL, ...at };
  };
  const general = exampleOf(found, fell(expr), [point.store]);
  if (general === undefined) return undefined;
  // Of one seat alone it is said most plainly.
  for (const seat of bitsOf(flow.openings.seatsOf(turn, point.store))) {
    const name: Expr = { kind: "constant", value: seat, type: SEAT, ...at };
    const isIt: Expr = { kind: "binary", op: "==", left: turn, right: name, type: BOOL, ...at };
    const example = exampleOf(found, fell(stat(name)), flow.conditions.split(isIt, true, point.store));
    if (example?.includes(" = 0")) return example;
  }
  return general.includes(" = 0") ? general : `${inPlaceOf(found, expr, turn)} can be 0`;
}

/** In words what can make a condition true; undefined when nothing can. */
function exampleOf({ flow }: Findings, test: Expr, before: readonly Knowledge[]): string | undefined {
  const stores = before.flatMap((store) => flow.conditions.split(test, true, store));
  return stores.length === 0 ? undefined : witness(flow.values, stores, [[test, true]])?.words;
}

/** A stat as it would be written for a seat: `kites[s].lift` of the one on turn. */
function inPlaceOf(found: Findings, stat: Expr, seat: Expr): string {
  if (stat.kind === "field") {
    const written = found.machine.sources.written(stat);
    return `${inPlaceOf(found, stat.of, seat)}${written.slice(written.lastIndexOf("."))}`;
  }
  return stat.kind === "index"
    ? `${found.machine.sources.written(stat.of)}[${found.machine.sources.written(seat)}]`
    : found.machine.sources.written(stat);
}
