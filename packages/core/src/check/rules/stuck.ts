/** Somebody has the turn, and every action can be closed: the match is stuck. */

import type { Messages } from "../../language/message.js";
import type { Action, Expr, State } from "../machine.js";
import { usesLocals } from "../reads.js";
import { seatKey } from "../reason/expression-keys.js";
import type { Findings } from "../reason/findings.js";
import type { Point } from "../reason/flow.js";
import { type Knowledge, ME } from "../reason/knowledge.js";
import { between, bitsOf, choice, only, single } from "../reason/possible.js";
import { witness } from "../reason/witness.js";
import { BOOL, SEAT } from "../types.js";
import { outOfTurn } from "./by-seats.js";
import { isAsEntered } from "./each-once.js";

/**
 * Tells where somebody may have the turn at a point and every action can be closed.
 *
 * @param once tells a thing of a state once
 */
export function checkStuck(
  found: Findings,
  point: Point,
  chain: readonly State[],
  once: (name: string, state: number, tell: () => void) => void,
  messages: Messages,
): void {
  const { flow } = found;
  const turn = flow.openings.turnAt(point.leaf) as NonNullable<State["turn"]>;
  const all = flow.openings.actionsAt(point.leaf);
  // Other seats may see to it that it goes on, but need not.
  const own = flow.openings.seatsOf(turn.of, point.store);
  const isOwn = (by: Expr): boolean => single(own) >= 0 && flow.openings.seatsOf(by, point.store) === own;
  const actions = all.filter(({ by }) => !by || by === "anyone" || isOwn(by));
  const leaf = chain[0] as State;
  if (actions.length === 0) {
    // That `by` was taken for "and" is told as such.
    if (outOfTurn(found, point.leaf)) return;
    const chosen = leaf.turn ?? turn;
    const none = all.length === 0 ? "there is no action" : "all actions are for other seats, by name";
    once("no-open-action", leaf.id, () =>
      messages.warning(
        "no-open-action",
        leaf.turn ? chosen : leaf.nameSpan,
        `It is somebody's turn in "${leaf.name}", but ${none}: the match is stuck.`,
        "Give it an action, or lead on with enter, when or after.",
      ),
    );
    return;
  }
  const whenOpen = actions.map(openTest);
  const asked = whenOpen.filter((test) => test !== undefined);
  const isBegun = turn.each && point.peers.size === 0 && isAsEntered(found.machine, chain, asked);
  const known = (isBegun && flow.begun.get(point.leaf)) || point.store;
  const mask = flow.openings.seatsOf(turn.of, known);
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
    const closed = actions.length === 1 ? `the only action, ${names}, is closed` : `all of ${names} are closed`;
    // Whether the elements of lists and grids can all come to be so is not known: there may be a way on before.
    once("no-open-action", leaf.id, () =>
      messages[example.shows ? "warning" : "hint"](
        "no-open-action",
        leaf.turn ?? leaf.nameSpan,
        `It can be somebody's turn in "${leaf.name}" with nothing open: ${when}${closed}, and the match is stuck.`,
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
