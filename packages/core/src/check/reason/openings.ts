/** Who may take which action where, and what is known when it begins. */

import type { Action, Expr, Machine, State } from "../machine.js";
import { chainOf } from "../tree.js";
import type { Conditions } from "./conditions.js";
import { seatKey } from "./expression-keys.js";
import { ME, type Knowledge } from "./knowledge.js";
import { bitsOf, choice, type Possible, single } from "./possible.js";

/** Seats that are tried one by one. */
export const MAX_SEATS = 4;

interface AtRest {
  readonly leaf: number;
  readonly store: Knowledge;
}

/** What this asks of the walk it belongs to. */
export interface OpeningParts<P extends AtRest> {
  readonly machine: Machine;
  readonly conditions: Conditions;
  /** Looks at things as they are at a point. */
  standing<T>(point: P, look: () => T): T;
  joined(stores: readonly Knowledge[]): readonly Knowledge[];
  tested(test: Expr, store: Knowledge, leaf: number): void;
}

export class Openings<P extends AtRest> {
  constructor(private readonly parts: OpeningParts<P>) {}

  /** The `turn of` that counts in a leaf: the innermost. */
  turnAt(leaf: number): State["turn"] {
    return chainOf(this.parts.machine, leaf).find((s) => s.turn)?.turn;
  }

  /** The seats an expression names, a seat or a list of seats. */
  seatsOf(e: Expr, store: Knowledge): number {
    const { values } = this.parts.conditions;
    const all = 2 ** values.seats - 1;
    const value = values.evaluate(e, store);
    if (value.kind === "choice") return value.mask;
    if (value.kind === "maybe") return value.of?.kind === "choice" ? value.of.mask : all;
    if (value.kind === "list") return value.of === undefined ? 0 : value.of.kind === "choice" ? value.of.mask : all;
    return all;
  }

  /**
   * The actions that can be taken in a leaf; an inner one hides an outer one of the same name, but in the standard
   * order, where the outer one may be taken when the inner one cannot.
   */
  actionsAt(leaf: number): Action[] {
    const { machine } = this.parts;
    const chain = chainOf(machine, leaf);
    if (machine.standardOrder) return chain.flatMap((state) => state.actions);
    const byName = new Map<string, Action>();
    for (const state of chain)
      for (const action of state.actions) if (!byName.has(action.name)) byName.set(action.name, action);
    return [...byName.values()];
  }

  /** Who may take an action, with which arguments: what is known when it begins. */
  of(action: Action, point: P): { store: Knowledge; seat: number }[] {
    const { conditions } = this.parts;
    const { seats } = conditions.values;
    return this.parts.standing(point, () => {
      const found: { store: Knowledge; seat: number }[] = [];
      const turn = this.turnAt(point.leaf);
      const mask = this.allowed(action, point);
      for (const acting of mask === 0 ? [] : seats <= MAX_SEATS ? bitsOf(mask).map((seat) => 2 ** seat) : [mask]) {
        const seat = single(acting);
        let store: Knowledge = point.store.bind(ME, {
          value: choice(acting),
          key: seat >= 0 ? seatKey(seat) : undefined,
        });
        const me: Expr = { kind: "me", type: { kind: "seat" }, from: action.from, to: action.from };
        if (turn && !action.by) store = conditions.chosenFrom(turn.of, me, store);
        let stores: Knowledge[] = [store];
        for (const p of action.parameters)
          stores = [...this.parts.joined(stores.flatMap((s) => this.given(p, s, point.leaf)))];
        for (const need of action.needs) {
          for (const s of stores) this.parts.tested(need.test, s, point.leaf);
          stores = stores.flatMap((s) => conditions.split(need.test, true, s));
        }
        for (const s of this.parts.joined(stores)) found.push({ store: s, seat });
      }
      return found;
    });
  }

  /** The seats whose action it is. */
  private allowed({ by }: Action, { leaf, store }: P): number {
    if (by === "anyone") return 2 ** this.parts.conditions.values.seats - 1;
    const turn = this.turnAt(leaf);
    return (by ? this.seatsOf(by, store) : 0) | (turn ? this.seatsOf(turn.of, store) : 0);
  }

  /** What is known once a parameter has a value that fits. */
  private given(p: Action["parameters"][number], store: Knowledge, leaf: number): Knowledge[] {
    const { conditions } = this.parts;
    const { values } = conditions;
    let value = values.anyOf(p.type);
    if (p.domain) {
      const list = values.list(p.domain, store);
      if (list.most === 0 || list.of === undefined) return [];
      value = values.fitted(list.of, p.type);
    }
    const each =
      p.type.kind === "seat" && value.kind === "choice" && values.seats <= MAX_SEATS
        ? bitsOf(value.mask).map((seat): Possible => choice(2 ** seat))
        : [value];
    return each.flatMap((one) => {
      let inner = values.bound(p.slot, one, store);
      const self: Expr = { kind: "local", slot: p.slot, type: p.type, from: p.from, to: p.to };
      if (p.domain) inner = conditions.chosenFrom(p.domain, self, inner);
      if (!p.where) return [inner];
      this.parts.tested(p.where, inner, leaf);
      return conditions.split(p.where, true, inner);
    });
  }
}
