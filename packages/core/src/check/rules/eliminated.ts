/** A seat that is eliminated and still has the turn where the arrow leads: nobody can act there. */

import type { Messages } from "../../language/message.js";
import type { Arrow, Block, Expr, Machine, State, Statement } from "../machine.js";
import { branchesOf } from "../visit.js";

export function checkEliminated(machine: Machine, messages: Messages): void {
  for (const state of machine.states) {
    const entering = state.enters.flatMap(({ block }) => statementsOf(block));
    for (const item of [...state.actions, ...state.timers, ...state.listeners, ...state.whens]) {
      const isEntered = "test" in item && item.test?.kind === "entered";
      const done = [...(isEntered ? entering : []), ...statementsOf(item.block)];
      const outOfTurn = "by" in item && item.by !== undefined;
      follow({ machine, source: state, outOfTurn, messages, left: MAX_FOLLOWED }, done, item.arrow);
    }
  }
}

/** Arrows followed from one item on, through the states that lead on by themselves. */
const MAX_FOLLOWED = 60;

const statementsOf = (block: Block | undefined): readonly Statement[] => block?.statements ?? [];

interface Item {
  readonly machine: Machine;
  readonly source: State;
  /** The seat that acts need not be the one on turn. */
  readonly outOfTurn: boolean;
  readonly messages: Messages;
  /** Arrows still to be followed. */
  left: number;
}

/** @param done what has been done on the way to the arrow */
function follow(item: Item, done: readonly Statement[], arrow: Arrow | undefined): void {
  const { machine, source, outOfTurn, messages } = item;
  if (--item.left < 0) return;
  if (arrow?.kind === "choose") {
    for (const branch of branchesOf(arrow)) follow(item, [...done, ...statementsOf(branch.block)], branch.arrow);
    return;
  }
  const stays = arrow === undefined || arrow.kind === "stay";
  const target = arrow?.kind === "to" && arrow.target.kind === "state" ? machine.states[arrow.target.state] : undefined;
  const leads = stays ? source : target;
  const turn = leads && turnOf(machine, leads);
  if (!leads) return;
  const entered = stays ? [] : enteredBlocks(machine, leads);
  const onward = stays ? undefined : passesThrough(leads);
  if (onward && !turn) {
    follow(item, [...done, ...entered, ...statementsOf(onward.block)], onward.arrow);
    return;
  }
  if (turn?.kind !== "data" || turn.type.kind !== "seat") return;
  for (const [i, s] of done.entries()) {
    const isAny = eliminatesAny(s);
    if (!isAny && (s.kind !== "eliminate" || !isHolder(machine, source, s.seat, turn.slot, outOfTurn))) continue;
    // Whoever acts may have given it on before; what the datum says itself is whoever has it by then.
    const given = s.kind === "eliminate" && s.seat.kind === "me" ? done.filter((_, j) => j !== i) : done.slice(i + 1);
    if ([...given, ...entered].some((other) => mayWrite(machine, other, turn.slot))) return;
    const name = machine.sources.text(turn);
    messages.warning(
      "out-on-turn",
      s,
      isAny
        ? `Among those eliminated here can be the seat on turn in "${leads.name}": then nobody can act there.`
        : `The seat that is eliminated here still has the turn in "${leads.name}", so nobody can act there.`,
      `Give the turn on: ${name} = next(${name}).`,
      { from: turn.from, to: turn.to, words: "The turn there." },
    );
    return;
  }
}

/** A state that leads on as soon as it is entered. */
function passesThrough({ whens }: State): State["whens"][number] | undefined {
  return whens.find((when) => when.test.kind === "entered");
}

/** A loop over the seats in play that eliminates some of them. */
function eliminatesAny(s: Statement): boolean {
  if (s.kind !== "for" || (s.source.kind !== "inPlay" && s.source.kind !== "seats")) return false;
  const inside = (block: Block): boolean =>
    block.statements.some(
      (inner) =>
        (inner.kind === "eliminate" && inner.seat.kind === "local" && inner.seat.slot === s.slot) ||
        (inner.kind === "if" && inner.branches.some((b) => inside(b.body))),
    );
  return inside(s.body);
}

/** Whether a seat is the one a datum names: that datum, or who acts where it says whose turn it is. */
function isHolder(machine: Machine, source: State, seat: Expr, slot: number, outOfTurn: boolean): boolean {
  if (seat.kind === "data") return seat.slot === slot;
  const turn = turnOf(machine, source);
  return seat.kind === "me" && !outOfTurn && turn?.kind === "data" && turn.slot === slot;
}

function turnOf(machine: Machine, state: State): Expr | undefined {
  for (let id = state.id; id >= 0; id = machine.states[id]?.parent ?? -1) {
    const turn = machine.states[id]?.turn;
    if (turn) return turn.each ? undefined : turn.of;
  }
  return undefined;
}

/** What `enter` does in a state and where it starts; one that leads on by itself may do anything. */
function enteredBlocks(machine: Machine, state: State): Statement[] {
  const found: Statement[] = [];
  for (let id = state.id; id >= 0; id = machine.states[id]?.start ?? -1)
    for (const { block } of machine.states[id]?.enters ?? []) found.push(...statementsOf(block));
  return found;
}

function mayWrite(machine: Machine, s: Statement, slot: number): boolean {
  const inside = (block: Block | undefined): boolean =>
    statementsOf(block).some((inner) => mayWrite(machine, inner, slot));
  switch (s.kind) {
    case "assign":
    case "change":
      return s.target.base.kind === "data" && s.target.base.slot === slot;
    case "call":
      return inside(machine.effects[s.effect]?.body);
    case "for":
      return inside(s.body);
    case "if":
      return s.branches.some((branch) => inside(branch.body)) || inside(s.otherwise);
    // Whoever hears it may give the turn on.
    case "raise":
      return true;
    default:
      return false;
  }
}
