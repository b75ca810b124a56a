/** Whose turn it is: nobody's, too many's, a fallen or departed seat's, or one's that can do nothing. */

import { usesLocals } from "../reads.js";
import type { Messages } from "../../language/message.js";
import type { Action, Expr, Machine, State } from "../machine.js";
import { readsOf } from "../reads.js";
import { pathOf, slotsWritten } from "../reason/accesses.js";
import { isAsEntered } from "./each-once.js";
import type { Findings } from "../reason/findings.js";
import type { Point } from "../reason/flow.js";
import { between, bitsOf, choice, only, single } from "../reason/possible.js";
import { ME, type Knowledge } from "../reason/knowledge.js";
import { witness } from "../reason/witness.js";
import { BOOL, INT, SEAT } from "../types.js";
import { ends, isInside, writtenArrows } from "../tree.js";
import { branchesOf, someExpr, visitArrow, visitBlock, visitMachine } from "../visit.js";
import { seatKey } from "../reason/expression-keys.js";

export function checkTurns(found: Findings, messages: Messages): void {
  const { flow } = found;
  const told = new Set<string>();
  const once = (name: string, state: number, tell: () => void): void => {
    if (told.has(`${name} ${state}`)) return;
    told.add(`${name} ${state}`);
    tell();
  };
  const fallen = fallenTests(found);
  for (const point of flow.points.values()) {
    const chain = flow.chain(point.leaf);
    const holder = chain.find((s) => s.turn);
    const turn = holder?.turn;
    if (!holder || !turn || chain[0]?.stub) continue;
    flow.standing(point, () => {
      const stuck = chain[0]?.kind !== "final" && !goesOnAlone(found, chain);
      if (stuck && !turn.each && turn.of.type.kind === "list") {
        const list = flow.values.list(turn.of, point.store);
        if (list.least === 0)
          once("nobody-on-turn", holder.id, () =>
            messages.warning(
              "nobody-on-turn",
              turn.of,
              `There may be nobody in "${text(found, turn.of)}" here: then nobody has the turn, and the match waits for ever.`,
              "Lead on when it is empty: when LIST.empty -> STATE.",
            ),
          );
      }
      if (!turn.each && turn.of.type.kind === "list" && !isGroup(found.machine, turn.of) && !isCircle(found, turn.of)) {
        const list = flow.values.list(turn.of, point.store);
        if (list.most > 1)
          once("several-on-turn", holder.id, () =>
            messages.warning(
              "several-on-turn",
              turn.of,
              `"${text(found, turn.of)}" can hold several seats at once, and any of them may act: whoever is first.`,
              "Say which of them: LIST.first, or maxBy(... ties ...). When all of them are meant, write: turn of each ...",
            ),
          );
      }
      if (turn.of.type.kind === "maybe" && flow.values.evaluate(turn.of, point.store).kind === "maybe" && stuck) {
        const value = flow.values.evaluate(turn.of, point.store);
        if (value.kind === "maybe" && value.none)
          once("nobody-on-turn", holder.id, () =>
            messages.warning(
              "nobody-on-turn",
              turn.of,
              `"${text(found, turn.of)}" can be none here: then nobody has the turn, and the match waits for ever.`,
              "Set it on every way that leads here.",
            ),
          );
      }
      if (stuck) stuckAt(found, point, chain, once, messages);
      for (const { test, path } of fallen) {
        const example = fallsAt(found, point, turn.of, path);
        if (example !== undefined) {
          once("fallen-on-turn", holder.id, () =>
            messages.warning(
              "fallen-on-turn",
              turn.of,
              `The seat on turn can be a fallen one here: ${example}.`,
              "Test for it before the turn is given: lead every action through the state that decides whether somebody has fallen.",
              { from: test.from, to: test.to, words: "That a seat has fallen is decided here." },
            ),
          );
        }
      }
    });
  }
  checkDepartures(found, messages);
  checkPassing(found, messages);
}

/** A turn that stays with one seat: the datum it is read from is never written, and nobody else ever acts. */
function checkPassing({ machine, accesses }: Findings, messages: Messages): void {
  if (machine.seats.names.length < 2) return;
  const turns = machine.states.flatMap((s) => s.turn ?? []);
  const [first] = turns;
  const path = first && pathOf(first.of);
  // Arguments of a state are given by the arrows that lead there.
  if (first?.of.kind !== "data" || path === undefined || first.of.type.kind !== "seat") return;
  if (!accesses.neverWritten(path)) return;
  if (turns.some((t) => pathOf(t.of) !== path) || machine.states.some((s) => s.actions.some((a) => a.by))) return;
  messages.warning(
    "turn-never-passed",
    first,
    `The turn always stays with whoever has it first: nothing ever changes "${machine.sources.text(first.of)}".`,
    `Pass it on: ${machine.sources.text(first.of)} = next(me).`,
  );
}

function text(found: Findings, span: { from: number; to: number }): string {
  return found.machine.sources.text(span).replace(/\s+/g, " ");
}

/** Something besides the seats on turn leads on: a timer, a report, an action that others may take. */
function goesOnAlone(found: Findings, chain: readonly State[]): boolean {
  for (const state of chain) {
    if (state.timers.some((t) => t.arrow && leads(t.arrow))) return true;
    if (state.listeners.some((l) => found.machine.signals[l.signal]?.origin === "event" && (l.arrow || l.block)))
      return true;
    if (state.timers.some((t) => t.block && (t.repeats || t.test))) return true;
    if (
      state.actions.some(
        (a) =>
          a.by === "anyone" && a.needs.length === 0 && ends(a.arrow).some((arrow) => endsOrMoves(found.machine, arrow)),
      )
    )
      return true;
  }
  return false;
}

/** Leads to an ending or another state; an overlay only lies over this one for a while. */
function endsOrMoves(machine: Machine, arrow: Action["arrow"]): boolean {
  return (
    arrow.kind === "to" && (arrow.target.kind === "ending" || machine.states[arrow.target.state]?.kind === "state")
  );
}

function leads(arrow: Action["arrow"]): boolean {
  return ends(arrow).some((a) => a.kind !== "stay" && a.kind !== "missing");
}

/** Lists that name a group on purpose: everybody, everybody in play, a side, seats by name. */
function isGroup(machine: Machine, e: Expr): boolean {
  if (e.kind === "seats" || e.kind === "inPlay" || e.kind === "seated" || e.kind === "others") return true;
  if (e.kind === "list")
    return (
      e.items.length <= 1 ||
      machine.teams.some((team) => machine.sources.text(e) === team.name) ||
      e.items.every((i) => i.kind === "constant")
    );
  return false;
}

/**
 * A list from which seats only ever fall away, and of which nobody asks who is first: those who are still in it, any of
 * whom may act.
 */
function isCircle({ machine, accesses }: Findings, turn: Expr): boolean {
  const path = pathOf(turn);
  if (path === undefined) return false;
  const isFilter = (value: Expr): boolean =>
    value.kind === "binder" && value.word === "filter" && pathOf(value.source) === path;
  const onlyFiltered = accesses
    .writes(path)
    .every((a) => a.place.kind === "test" || (a.statement?.kind === "assign" && isFilter(a.statement.value)));
  let ordered = false;
  visitMachine(machine, {
    expr: (e) => {
      const asks = e.kind === "index" || (e.kind === "listProperty" && /^(first|last|rest)$/.test(e.property));
      ordered ||= asks && pathOf(e.of) === path;
    },
  });
  return onlyFiltered && !ordered;
}

// ---- nothing open ------------------------------------------------------------------------------

function stuckAt(
  found: Findings,
  point: Point,
  chain: readonly State[],
  once: (name: string, state: number, tell: () => void) => void,
  messages: Messages,
): void {
  const { flow } = found;
  const turn = flow.turnAt(point.leaf) as NonNullable<State["turn"]>;
  const actions = flow.actionsAt(point.leaf).filter((a) => !a.by || a.by === "anyone");
  const leaf = chain[0] as State;
  if (actions.length === 0) {
    const chosen = leaf.turn ?? turn;
    once("no-open-action", leaf.id, () =>
      messages.warning(
        "no-open-action",
        leaf.turn ? chosen : leaf.nameSpan,
        `It is somebody's turn in "${leaf.name}", but there is no action: the match is stuck.`,
        "Give it an action, or lead on with enter, when or after.",
      ),
    );
    return;
  }
  const whenOpen = actions.map(openTest);
  const asked = whenOpen.filter((test) => test !== undefined);
  const isBegun = turn.each && point.peers.size === 0 && isAsEntered(found.machine, chain, asked);
  const known = (isBegun && flow.begun.get(point.leaf)) || point.store;
  const mask = flow.seatsOf(turn.of, known);
  for (const acting of flow.values.seats <= 4 ? bitsOf(mask).map((s) => 2 ** s) : [mask]) {
    const seat = single(acting);
    let store: Knowledge | undefined = known.bind(ME, {
      value: choice(acting),
      key: seat >= 0 ? seatKey(seat) : undefined,
    });
    store = flow.conditions.learn(
      turn.of.type.kind === "seat" ? turn.of : { kind: "me", type: SEAT, from: turn.from, to: turn.to },
      choice(acting),
      store,
    );
    if (!store) continue;
    // What a seat that leaves brings about is told by itself; here everybody is there whom nothing eliminates.
    if (!found.eliminates) store = store.learnInPlay(only(flow.values.seats));
    // Whoever has the turn is in play.
    else if (store.inPlay.high > 0)
      store = store.learnInPlay(between(Math.max(1, store.inPlay.low), store.inPlay.high));
    store = flow.conditions.chosenFrom(turn.of, { kind: "me", type: SEAT, from: turn.from, to: turn.to }, store);
    let stores: Knowledge[] = [store];
    const tests: [Expr, boolean][] = [];
    for (const test of whenOpen) {
      if (!test) {
        stores = [];
        break;
      }
      tests.push([test, false]);
      stores = stores.flatMap((s) => flow.conditions.split(test, false, s)).slice(0, 12);
    }
    if (stores.length === 0) continue;
    const example = witness(flow.values, stores, tests);
    if (example === undefined) continue;
    const names = actions.map((a) => `"${a.name}"`).join(", ");
    const when = example.words === "" ? "" : `with ${example.words} `;
    // Whether the elements of lists and grids can all come to be so is not known: there may be a way on before.
    once("no-open-action", leaf.id, () =>
      messages[example.shows ? "warning" : "hint"](
        "no-open-action",
        leaf.turn ?? leaf.nameSpan,
        `It can be somebody's turn in "${leaf.name}" with nothing open: ${when}${actions.length === 1 ? `the only action, ${names}, is closed` : `all of ${names} are closed`}, and the match is stuck.`,
        "Give it an action that is always open, such as passing the turn; or lead on when nothing is left to do.",
      ),
    );
    return;
  }
}

/** The condition under which an action can be taken, as far as it is one; undefined when it is always open. */
function openTest(action: Action): Expr | undefined {
  const at = { from: action.from, to: action.to };
  const parts: Expr[] = [];
  const own = new Set(action.parameters.map((p) => p.slot));
  for (const need of action.needs) if (!usesLocals(need.test, own)) parts.push(need.test);
  for (const p of action.parameters) {
    const free = p.domain && !usesLocals(p.domain, new Set([...own].filter((s) => s !== p.slot)));
    if (!p.domain || !free) continue;
    const others = new Set([...own].filter((s) => s !== p.slot));
    if (p.where && usesLocals(p.where, others)) continue;
    parts.push(
      p.where
        ? {
            kind: "binder",
            word: "any",
            slot: p.slot,
            source: p.domain,
            body: p.where,
            ties: "inOrder",
            tiesStated: false,
            type: BOOL,
            ...at,
          }
        : {
            kind: "not",
            of: { kind: "listProperty", of: p.domain, property: "empty", type: BOOL, ...at },
            type: BOOL,
            ...at,
          },
    );
  }
  if (parts.length === 0) return undefined;
  return parts.reduce((left, right) => ({ kind: "binary", op: "and", left, right, type: BOOL, ...at }));
}

// ---- the fallen --------------------------------------------------------------------------------

interface FallenTest {
  readonly test: Expr;
  /** The stat that decides, with the seat it belongs to taken out. */
  readonly path: (seat: Expr) => Expr;
}

/**
 * The stats per seat whose 0 ends the match: tested in a branch or condition of the machine's own that leads to an
 * ending.
 */
function fallenTests(found: Findings): FallenTest[] {
  const { machine } = found;
  if (found.eliminates) return [];
  const tests: { test: Expr }[] = [];
  for (const state of machine.states) {
    for (const when of state.whens) {
      if (when.test.kind === "holds" && toEnding(when.arrow)) tests.push({ test: when.test.test });
      if (when.arrow.kind === "choose")
        for (const b of when.arrow.branches) if (b.test && toEnding(b.arrow)) tests.push({ test: b.test });
    }
  }
  for (const arrow of writtenArrows(machine))
    if (arrow.kind === "choose")
      for (const b of arrow.branches)
        if (b.test && toEnding(b.arrow) && !tests.some((t) => t.test === b.test)) tests.push({ test: b.test });
  const stats = new Map<string, FallenTest>();
  for (const { test } of tests) {
    visitZeroTests(machine, test, (stat, counted) => {
      const path = pathOf(stat);
      const of = seatIndex(stat);
      // Counted over all seats, it says less: whoever chooses the next by it has minded it.
      if (path && of && !stats.has(path) && !(counted && minded(found, path)))
        stats.set(path, { test, path: (seat) => withSeat(stat, seat) });
    });
  }
  return [...stats.values()];
}

function toEnding(arrow: Action["arrow"]): boolean {
  return arrow.kind === "to" && arrow.target.kind === "ending";
}

/** Comparisons of a stat with nothing, through the functions a test calls. */
function visitZeroTests(
  machine: Machine,
  e: Expr,
  visit: (stat: Expr, counted: boolean) => void,
  depth = 0,
  counted = false,
): void {
  if (depth > 6) return;
  switch (e.kind) {
    case "not":
      visitZeroTests(machine, e.of, visit, depth, counted);
      return;
    case "call":
      visitZeroTests(machine, machine.functions[e.function]?.body as Expr, visit, depth + 1, counted);
      return;
    case "binder":
      for (const part of [e.where, e.body]) if (part) visitZeroTests(machine, part, visit, depth + 1, true);
      return;
    case "listProperty":
      visitZeroTests(machine, e.of, visit, depth + 1, counted);
      return;
    case "binary": {
      if (e.op === "and" || e.op === "or" || e.op === "implies") {
        visitZeroTests(machine, e.left, visit, depth, counted);
        visitZeroTests(machine, e.right, visit, depth, counted);
        return;
      }
      visitZeroTests(machine, e.left, visit, depth + 1, counted);
      const zero =
        e.right.kind === "constant" &&
        (e.right.value === 0 || (e.right.value === 1 && (e.op === "<" || e.op === ">=")));
      // Where a stat can be less than nothing, only a comparison tells the fallen from those that stand.
      const least = e.left.type.kind === "int" ? e.left.type.low : 1;
      if (zero && e.op !== "!=" && (least === 0 || (least < 0 && e.op !== "=="))) visit(e.left, counted);
      return;
    }
    default:
  }
}

/** True when what is written to the data that turns are read from asks for the stat. */
function minded(found: Findings, path: string): boolean {
  const turns = new Set(
    found.machine.states.flatMap((s) => (s.turn ? [...readsOf(found.machine, s.turn.of).slots] : [])),
  );
  const slot = Number(/^[ds](\d+)/.exec(path)?.[1]);
  for (const [statement, { target }] of found.written) {
    if (target.base.kind === "local" || !turns.has(target.base.slot) || target.base.slot === slot) continue;
    const values = statement.kind === "assign" ? [statement.value] : statement.kind === "change" ? statement.args : [];
    if (values.some((value) => readsOf(found.machine, value).slots.has(slot))) return true;
  }
  return false;
}

function seatIndex(stat: Expr): boolean {
  if (stat.kind === "field") return seatIndex(stat.of);
  return (
    stat.kind === "index" &&
    stat.of.type.kind === "perSeat" &&
    (stat.of.kind === "data" || stat.of.kind === "stateData")
  );
}

function withSeat(stat: Expr, seat: Expr): Expr {
  if (stat.kind === "field") return { ...stat, of: withSeat(stat.of, seat) };
  return stat.kind === "index" ? { ...stat, key: seat } : stat;
}

/**
 * In words how the seat on turn can have fallen at a point; undefined when it cannot, or nothing ever takes from the
 * stat.
 */
function fallsAt(found: Findings, point: Point, turn: Expr, stat: (seat: Expr) => Expr): string | undefined {
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
  for (const seat of bitsOf(flow.seatsOf(turn, point.store))) {
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
    const written = text(found, stat);
    return `${inPlaceOf(found, stat.of, seat)}${written.slice(written.lastIndexOf("."))}`;
  }
  return stat.kind === "index" ? `${text(found, stat.of)}[${text(found, seat)}]` : text(found, stat);
}

// ---- the departed ------------------------------------------------------------------------------

/** A seat that leaves falls out of its turn; then somebody has to lead on. Told once, at the first such state. */
function checkDepartures(found: Findings, messages: Messages): void {
  const { machine, flow } = found;
  if (machine.seats.names.length < 2) return;
  const left = machine.signals.find((s) => s.name === "Left")?.id;
  // A machine that never hears it cannot be left.
  if (!machine.states.some((state) => state.listeners.some((l) => l.signal === left))) return;
  const waiting = machine.states.filter((state) => {
    const { turn } = state;
    if (!turn || readsOf(machine, turn.of).more || (turn.each && state.whens.some((w) => w.test.kind === "allReady")))
      return false;
    if (turn.of.kind === "seats" || turn.of.kind === "inPlay") return false;
    const leaves = [...new Set([...flow.points.values()].map((p) => p.leaf))].filter(
      (leaf) => isInside(machine, leaf, state.id) && flow.chain(leaf).find((s) => s.turn) === state,
    );
    return leaves.some((leaf) => {
      const chain = flow.chain(leaf);
      if (goesOnAlone(found, chain)) return false;
      const hears = chain.some((s) => s.listeners.some((l) => l.signal === left && mindsHolder(machine, l, turn.of)));
      const asks = chain.some((s) =>
        s.whens.some((w) => w.test.kind === "holds" && readsOf(machine, w.test.test).more),
      );
      return !hears && !asks;
    });
  });
  checkLastMissing(found, left, messages);
  const [first] = waiting;
  if (!first?.turn) return;
  const others = waiting.length === 1 ? "" : ` So it is in ${waiting.length - 1} more.`;
  messages.warning(
    "out-on-turn",
    first.turn,
    `When the seat on turn leaves, nobody has the turn in "${first.name}" any more, and the match waits for ever.${others}`,
    "Say what happens then, for the whole machine: on Left(s) -> ...; or set a time: after 2d -> ...",
  );
}

/**
 * An action that leads on when all in play have done something: when the last that is missing leaves instead, nobody asks
 * again.
 */
function checkLastMissing(found: Findings, left: number | undefined, messages: Messages): void {
  const { machine, flow } = found;
  for (const leaf of new Set([...flow.points.values()].map((p) => p.leaf))) {
    const chain = flow.chain(leaf);
    const asks = (e: Expr | undefined): boolean => e !== undefined && readsOf(machine, e).players;
    const isAskedAgain =
      goesOnAlone(found, chain) ||
      chain.some(
        (s) =>
          s.whens.some((w) => w.test.kind === "allReady" || (w.test.kind === "holds" && asks(w.test.test))) ||
          s.listeners.some((l) => l.signal === left && l.arrow && (leads(l.arrow) || branchTests(l.arrow).some(asks))),
      );
    if (isAskedAgain) continue;
    for (const action of flow.actionsAt(leaf)) {
      const test = branchTests(action.arrow).find((e) => someExpr(e, isAllInPlay));
      if (!test) continue;
      messages.warning(
        "endless-wait",
        test,
        `When the last one that is missing leaves instead, nobody asks this again, and "${chain[0]?.name}" waits for ever.`,
        `Ask it as a condition of the state: when ${text(found, test)} -> STATE.`,
      );
      return;
    }
  }
}

function isAllInPlay(e: Expr): boolean {
  return e.kind === "binder" && e.word === "all" && (e.source.kind === "inPlay" || e.source.kind === "seated");
}

/**
 * Whether a listener for seats that leave does something about one that was on turn: it leads on, or says who is next.
 * That few are left is no help while there are others.
 */
function mindsHolder(machine: Machine, { test, block, arrow }: State["listeners"][number], turn: Expr): boolean {
  const { slots } = readsOf(machine, turn);
  const written = slotsWritten(machine, (visitor) => {
    visitBlock(block, visitor);
    visitArrow(arrow, visitor);
  });
  // A seat that is opened again keeps its turn, for whoever takes it.
  let reopened = false;
  visitBlock(block, { statement: (s) => void (reopened ||= s.kind === "reopen") });
  if (reopened) return true;
  if ([...written].some((slot) => slots.has(slot))) return true;
  if (!arrow || !leads(arrow)) return false;
  const asked = (e: Expr): boolean => machine.seats.names.length === 2 || readsOf(machine, e).slots.size > 0;
  if (test) return asked(test);
  return ends(arrow).every((a) => a.kind !== "stay") || branchTests(arrow).some(asked);
}

function branchTests(arrow: Action["arrow"]): Expr[] {
  return arrow.kind === "choose" ? branchesOf(arrow).flatMap((b) => b.test ?? []) : [];
}
