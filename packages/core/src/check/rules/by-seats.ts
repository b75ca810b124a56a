/** A turn that decides nothing: every action of the state says by which seat, and that stands in place of the turn. */

import type { Messages } from "../../language/message.js";
import type { Action, Expr, Turn } from "../machine.js";
import type { Findings } from "../reason/findings.js";
import { bitsOf } from "../reason/possible.js";
import { chainOf } from "../tree.js";

/** An action, and a seat that may take it while another has the turn. */
interface OutOfTurn {
  readonly action: Action;
  /** Who may take it. */
  readonly by: Expr;
  readonly seat: number;
  readonly onTurn: number;
}

export function checkBySeats(found: Findings, messages: Messages): void {
  const { machine, flow } = found;
  const told = new Set<Turn>();
  for (const leaf of new Set([...flow.points.values()].map((point) => point.leaf))) {
    const holder = chainOf(machine, leaf).find(({ turn }) => turn);
    if (!holder?.turn || holder.turn.each || told.has(holder.turn)) continue;
    const out = outOfTurn(found, leaf);
    if (!out) continue;
    told.add(holder.turn);
    const { action, by, seat, onTurn } = out;
    const [who, other] = [seat, onTurn].map((each) => machine.seats.names[each]);
    const asked = `me ${by.type.kind === "list" ? "in" : "=="} ${machine.sources.written(by)}`;
    messages.warning(
      "turn-decides-nothing",
      holder.turn,
      `Whose turn it is decides nothing in "${machine.states[leaf]?.name}": every action there has a "by", which ` +
        `stands in place of the turn. While it is ${other}'s turn, ${who} can "${action.name}".`,
      `For actions of one seat in its own turn ask who acts: needs ${asked} else "..."; ` +
        'where the turn is not meant to matter, leave "turn of" out.',
      { from: action.nameSpan.from, to: action.nameSpan.to, words: `Here ${who} acts, whoever has the turn.` },
    );
  }
}

/** Somebody who may act in a leaf while it is the turn of another, who may act there too, and nobody acts by turns. */
export function outOfTurn({ flow }: Findings, leaf: number): OutOfTurn | undefined {
  const actions = flow.openings.actionsAt(leaf).filter(({ by }) => by !== "anyone");
  if (actions.length === 0 || actions.some(({ by }) => by === undefined)) return undefined;
  const points = flow.pointsOf(leaf).filter(({ turn }) => turn >= 0);
  const onTurn = new Set(points.map(({ turn }) => turn));
  for (const point of points)
    for (const action of actions) {
      const { by } = action;
      if (by === undefined || by === "anyone") continue;
      const mask = flow.standing(point, () => flow.openings.seatsOf(by, point.store));
      const seat = bitsOf(mask).find((each) => each !== point.turn && onTurn.has(each));
      if (seat !== undefined) return { action, by, seat, onTurn: point.turn };
    }
  return undefined;
}
