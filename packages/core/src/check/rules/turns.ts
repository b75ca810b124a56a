/** Whose turn it is: nobody's, too many's, always the same one's, a fallen seat's, or one's that can do nothing. */

import type { Messages } from "../../language/message.js";
import type { Action, Arrow, Expr, Machine, State, Statement, Turn } from "../machine.js";
import { type Access, pathOf } from "../reason/accesses.js";
import { asksCanAct } from "../reads.js";
import type { Findings } from "../reason/findings.js";
import { single } from "../reason/possible.js";
import { arrowsOf, chainOf, ends, goesOnAlone, leavesIn } from "../tree.js";
import { someExpr, visitMachine } from "../visit.js";
import { fallenTests, fallsAt, isForFallen, isForLeaving } from "./fallen.js";
import { checkStuck } from "./stuck.js";

/** A turn that hangs on who can act, which hangs on whose turn it is. */
export function checkCircles(machine: Machine, messages: Messages): void {
  for (const { turn } of machine.states)
    if (turn && asksCanAct(machine, turn.of))
      messages.error(
        "recursion",
        turn.of,
        "Whose turn it is asks who can act, and who can act hangs on whose turn it is.",
        "Say by the data who may act here, as the conditions of the actions do.",
      );
}

/** Through so many effects a seat is followed. */
const MOST_HANDED = 4;

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
    const chain = chainOf(flow.machine, point.leaf);
    const holder = chain.find((s) => s.turn);
    const turn = holder?.turn;
    if (!holder || !turn || chain[0]?.stub) continue;
    flow.standing(point, () => {
      const stuck = chain[0]?.kind !== "final" && !goesOnAlone(found.machine, chain);
      if (stuck && !turn.each && turn.of.type.kind === "list") {
        const list = flow.values.list(turn.of, point.store);
        if (list.least === 0)
          once("nobody-on-turn", holder.id, () =>
            messages.warning(
              "nobody-on-turn",
              turn.of,
              `There may be nobody in "${found.machine.sources.written(turn.of)}" here: then nobody has the turn, ` +
                `and the match waits for ever.`,
              "Lead on when it is empty: when LIST.empty -> STATE.",
            ),
          );
      }
      if (
        !turn.each &&
        turn.of.type.kind === "list" &&
        !isGroup(found.machine, turn.of) &&
        !isByGauge(found, turn.of) &&
        !isCircle(found, turn.of) &&
        !isOpenToAll(found.machine, chain, turn.of)
      ) {
        const list = flow.values.list(turn.of, point.store);
        if (list.most > 1)
          once("several-on-turn", holder.id, () =>
            messages.warning(
              "several-on-turn",
              turn.of,
              `"${found.machine.sources.written(turn.of)}" can hold several seats at once, and any of them may ` +
                `act: whoever is first.`,
              "Say which of them: LIST.first, or maxBy(... ties ...). When all of them are meant, write: turn of " +
                "each ...; when whoever is first may take it: turn of inPlay, and let `needs` say who can.",
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
              `"${found.machine.sources.written(turn.of)}" can be none here: then nobody has the turn, and the ` +
                `match waits for ever.`,
              "Set it on every way that leads here.",
            ),
          );
      }
      if (stuck) checkStuck(found, point, chain, once, messages);
      for (const { test, path } of fallen) {
        const example = isForFallen(found.machine, turn.of, path) ? undefined : fallsAt(found, point, turn.of, path);
        if (example !== undefined) {
          once("fallen-on-turn", holder.id, () =>
            messages.warning(
              "fallen-on-turn",
              turn.of,
              `The seat on turn can be a fallen one here: ${example}.`,
              "Test for it before the turn is given: lead every action through the state that decides whether " +
                "somebody has fallen.",
              { from: test.from, to: test.to, words: "That a seat has fallen is decided here." },
            ),
          );
        }
      }
    });
  }
  checkPassing(found, messages);
  checkSameHolder(found, messages);
}

/** A turn that every arrow gives to the same seat, though each names whose it is. */
function checkSameHolder({ machine, flow }: Findings, messages: Messages): void {
  const turns = machine.states.flatMap((s) => (s.turn ? [{ state: s, turn: s.turn }] : []));
  const [first] = turns;
  const isGiven = ({ state, turn }: { state: State; turn: State["turn"] & object }): boolean =>
    turn.of.kind === "stateData" && turn.of.slot === state.slot && turn.of.field < state.parameters.length;
  if (!first || machine.seats.names.length < 2 || !turns.every(isGiven)) return;
  if (machine.states.some((s) => s.actions.some((a) => a.by))) return;
  // Where each arrow names the seat itself, it is on purpose.
  const gives = machine.states.flatMap(arrowsOf).flatMap((a) => (isTo(a, first.state) ? a.target.args : []));
  if (gives.every((arg) => arg.kind === "constant")) return;
  let holders = 0;
  for (const point of flow.points.values()) {
    const turn = flow.openings.turnAt(point.leaf);
    if (turn) holders |= flow.standing(point, () => flow.openings.seatsOf(turn.of, point.store));
  }
  const seat = single(holders);
  if (seat < 0) return;
  messages.warning(
    "turn-never-passed",
    first.turn,
    `The turn always stays with ${machine.seats.names[seat]}: every arrow to "${first.state.name}" gives it to the ` +
      `same seat.`,
    `Give it to another: -> ${first.state.name}(next(${machine.sources.text(first.turn.of)})).`,
  );
}

/**
 * A turn that stays with one seat: the datum it is read from is never written, and nobody else ever acts but where
 * everybody does at once.
 */
function checkPassing({ machine, accesses }: Findings, messages: Messages): void {
  if (machine.seats.names.length < 2) return;
  // Where everybody acts once, nobody's turn is passed on.
  const isEverybodys = ({ each, of }: Turn): boolean => each && (of.kind === "seats" || of.kind === "inPlay");
  const turns = machine.states.flatMap(({ turn }) => (turn && !isEverybodys(turn) ? turn : []));
  const [first] = turns;
  const path = first && pathOf(first.of);
  // Arguments of a state are given by the arrows that lead there.
  if (first?.of.kind !== "data" || path === undefined || first.of.type.kind !== "seat") return;
  if (turns.some((t) => pathOf(t.of) !== path) || machine.actions.some((a) => playsBeside(a, path))) return;
  const written = accesses.writes(path).filter(({ place }) => place.kind !== "test");
  // What is done about a seat that leaves passes no turn on among those that stay, nor does what is done but once.
  const passing = written.filter(
    ({ statement }) =>
      !statement ||
      !(isForLeaving(machine, statement) || isAtBeginning(machine, statement) || isToItself(machine, statement, path)),
  );
  const goesOn = machine.actions.some(({ arrow }) => ends(arrow).some((end) => !isOver(end)));
  const held = machine.sources.text(first.of);
  const inRounds = machine.states.some(({ turn }) => turn && isEverybodys(turn));
  if (inRounds && !actsTwice(machine, isEverybodys)) return;
  if (passing.length === 0 && (written.length === 0 || goesOn)) {
    const only = written.some(({ statement }) => statement && isForLeaving(machine, statement));
    messages.warning(
      "turn-never-passed",
      first,
      `The turn always stays with whoever has it first: nothing ${only ? "but a seat that leaves" : "ever"} ` +
        `changes "${held}".`,
      `Pass it on: ${held} = next(me).`,
    );
    return;
  }
  const byTime = passing.every(({ statement }) => statement && isByTime(machine, statement));
  const leadsOn = machine.actions.some(({ arrow }) => ends(arrow).some((end) => !isOver(end) && end.kind !== "stay"));
  if (passing.length > 0 && byTime && leadsOn)
    messages.warning(
      "turn-never-passed",
      first,
      `Whoever acts keeps the turn: only when the time is up does something change "${held}".`,
      `Pass it on where an action is done: ${held} = next(me).`,
    );
}

/**
 * Whether seats that do not have the turn play by an action: one that ends the match, as giving up does, or that is for
 * those whom the turn itself names, as answering an offer, is none of the game's turns.
 */
function playsBeside({ by, arrow }: Action, turn: string): boolean {
  if (by === undefined) return false;
  const isOfTurn = by !== "anyone" && someExpr(by, (e) => pathOf(e) === turn);
  return !isOfTurn && !ends(arrow).every(isOver);
}

/**
 * Whether a seat can act on its turn, and once more before everybody has acted: who has a part of its own in each round
 * keeps it on purpose, as who counts the votes.
 */
function actsTwice(machine: Machine, isEverybodys: (turn: Turn) => boolean): boolean {
  const turnOf = (leaf: number): Turn | undefined => chainOf(machine, leaf).find(({ turn }) => turn)?.turn;
  const isHeld = (leaf: number): boolean => {
    const turn = turnOf(leaf);
    return turn !== undefined && !isEverybodys(turn);
  };
  const seen = new Set<number>();
  const comesBack = (arrow: Arrow): boolean => {
    // Where nobody has the turn, staying there, as when somebody leaves, gives it to nobody.
    if (isOver(arrow) || arrow.kind === "stay") return false;
    if (arrow.kind !== "to" || arrow.target.kind !== "state") return true;
    return leavesIn(machine, arrow.target.state).some((leaf) => {
      if (isHeld(leaf)) return true;
      if (turnOf(leaf) || seen.has(leaf)) return false;
      seen.add(leaf);
      return chainOf(machine, leaf).flatMap(arrowsOf).some(comesBack);
    });
  };
  const leaves = machine.states.filter((s) => s.id > 0 && leavesIn(machine, s.id)[0] === s.id && isHeld(s.id));
  const actions = leaves.flatMap(({ id }) => chainOf(machine, id).flatMap((state) => state.actions));
  return actions.flatMap(({ arrow }) => ends(arrow)).some((end) => end.kind === "stay" || comesBack(end));
}

/** `x = x`, or giving the turn to whoever has it, which changes nothing. */
function isToItself(machine: Machine, statement: Statement, path: string): boolean {
  return statement.kind === "assign" && statement.op === "=" && isHolder(machine, statement.value, path);
}

/** Whether a seat is surely the one on turn: it acts, or is handed to an effect as that wherever that is called. */
function isHolder(machine: Machine, seat: Expr, path: string, depth = 0): boolean {
  if (seat.kind === "me" || pathOf(seat) === path) return true;
  if (seat.kind !== "local" || depth > MOST_HANDED) return false;
  const id = machine.effects.findIndex(({ from, to }) => from <= seat.from && seat.to <= to);
  const at = machine.effects[id]?.parameters.findIndex(({ slot }) => slot === seat.slot) ?? -1;
  const given: (Expr | undefined)[] = [];
  visitMachine(machine, {
    statement: (s) => {
      if (s.kind === "call" && s.effect === id) given.push(s.args[at]);
    },
  });
  return given.length > 0 && given.every((arg) => arg && isHolder(machine, arg, path, depth + 1));
}

/** Whether something is done where a match begins, and comes to no more. */
function isAtBeginning({ states }: Machine, { from, to }: Statement): boolean {
  const around = states.filter((s) => s.enters.some(({ block }) => block && block.from <= from && to <= block.to));
  const isLedTo = (id: number): boolean =>
    states.some((s) => arrowsOf(s).some((a) => a.kind === "to" && a.target.kind === "state" && a.target.state === id));
  return around.length > 0 && around.every(({ id, parent }) => parent === 0 && !isLedTo(id));
}

function isByTime({ states }: Machine, { from, to }: Statement): boolean {
  return states.some((s) => s.timers.some((timer) => timer.from <= from && to <= timer.to));
}

function isOver(end: Arrow): boolean {
  return end.kind === "to" && end.target.kind === "ending";
}

function isTo(arrow: Arrow, { id }: State): arrow is Arrow & { kind: "to" } {
  return arrow.kind === "to" && arrow.target.kind === "state" && arrow.target.state === id;
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
  // All but one.
  return e.kind === "binder" && e.word === "filter" && isGroup(machine, e.source) && isAnother(e.where, e.slot);
}

/** Whether a condition leaves out one seat, whatever else is so: `s != host`. */
function isAnother(test: Expr | undefined, slot: number): boolean {
  if (test?.kind !== "binary" || test.op !== "!=" || test.left.type.kind !== "seat") return false;
  const isIt = (e: Expr): boolean => e.kind === "local" && e.slot === slot;
  return isIt(test.left) !== isIt(test.right);
}

/**
 * Seats chosen each by what is its own, in a state that none of them leaves by acting: whoever is first takes nothing
 * from the others, as where all bid who have not passed.
 */
function isOpenToAll(machine: Machine, chain: readonly State[], turn: Expr): boolean {
  const list = turn.kind === "call" ? machine.functions[turn.function]?.body : turn;
  if (list?.kind !== "binder" || list.word !== "filter" || !list.where) return false;
  const isOwn = !comparesSeats(machine, list.where);
  const actions = chain.flatMap((state) => state.actions.filter((action) => action.by === undefined));
  return (
    isOwn && actions.every((action) => ends(action.arrow).every(({ kind }) => kind === "stay" || kind === "ready"))
  );
}

/**
 * Seats whose own number has come to a limit, such as a gauge that the machine itself fills: as many as are full may
 * act. A flag, or a number that whoever acts passes on, is meant for one.
 */
function isByGauge({ machine, accesses }: Findings, turn: Expr): boolean {
  const list = turn.kind === "call" ? machine.functions[turn.function]?.body : turn;
  if (list?.kind !== "binder" || list.word !== "filter" || !list.where || comparesSeats(machine, list.where))
    return false;
  const fills = ({ place, statement }: Access): boolean =>
    place.kind !== "test" &&
    statement?.kind === "assign" &&
    statement.op === "+=" &&
    !machine.actions.some(({ from, to }) => from <= statement.from && statement.to <= to);
  const isGauge = (e: Expr): boolean => {
    if (e.kind === "call") return someExpr(machine.functions[e.function]?.body, isGauge);
    if (e.kind !== "binary" || !(/^[<>]=?$/.test(e.op) || (e.op === "==" && isTheMost(machine, e.left, e.right))))
      return false;
    const path = pathOf(e.left);
    return path !== undefined && accesses.writes(path).some(fills);
  };
  return someExpr(list.where, isGauge);
}

/** Whether a value is the most that a number can be. */
function isTheMost(machine: Machine, { type }: Expr, value: Expr): boolean {
  const known = value.kind === "named" ? machine.constants[value.constant]?.value : value;
  return type.kind === "int" && known?.kind === "constant" && known.value === type.high;
}

/** Whether a condition on a seat looks at other seats. */
function comparesSeats(machine: Machine, test: Expr | undefined): boolean {
  return someExpr(
    test,
    (e) =>
      e.kind === "binder" ||
      e.kind === "next" ||
      (e.kind === "index" && e.key.kind !== "local") ||
      (e.kind === "call" && comparesSeats(machine, machine.functions[e.function]?.body)),
  );
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
