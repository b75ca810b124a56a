/** What an expression reads, so that it need only be tested again when that has changed. */

import type { Action, Expr, Machine } from "./machine.js";
import { someExpr, visitExpr } from "./visit.js";

export interface Reads {
  /** Slots of the root box. */
  readonly slots: ReadonlySet<number>;
  /** Active states, seats in play, or anything else that is not data. */
  readonly more: boolean;
  /** Among that, more than who is in play: active states, who can act, the time. */
  readonly states: boolean;
  /** Among that, who is in play. */
  readonly players: boolean;
  /** Private or hidden data of the machine or of a state. */
  readonly secret: boolean;
}

/** Everything an expression reads, through the functions it calls too. */
export function readsOf(machine: Machine, expr: Expr): Reads {
  const slots = new Set<number>();
  const called = new Set<number>();
  let more = false;
  let states = false;
  let players = false;
  let secret = false;
  const look = (e: Expr): void => {
    switch (e.kind) {
      case "data":
        slots.add(e.slot);
        if (machine.data[e.slot]?.visibility !== "public") secret = true;
        break;
      case "stateData": {
        slots.add(e.slot);
        const owner = machine.states.find((s) => s.slot === e.slot);
        if (owner?.fields[e.field]?.visibility !== "public") secret = true;
        break;
      }
      case "inState":
      case "canAct":
      case "now":
        more = true;
        states = true;
        break;
      case "me":
        more = true;
        break;
      case "inPlay":
      case "seated":
      case "others":
      case "next":
        more = true;
        players = true;
        break;
      case "call":
        if (!called.has(e.function)) {
          called.add(e.function);
          visitExpr(machine.functions[e.function]?.body, { expr: look });
        }
        break;
      default:
    }
  };
  visitExpr(expr, { expr: look });
  return { slots, more, states, players, secret };
}

/** True when an expression asks what is open to some seat, through the functions it calls too. */
export function asksCanAct(machine: Machine, expr: Expr | undefined): boolean {
  const called = new Set<number>();
  const asks = (e: Expr | undefined): boolean =>
    someExpr(e, (part) => {
      if (part.kind !== "call" || called.has(part.function)) return part.kind === "canAct";
      called.add(part.function);
      return asks(machine.functions[part.function]?.body);
    });
  return asks(expr);
}

/**
 * True when it depends on what is open to some seat whether an action is open. Such actions do not count when it is
 * asked whether a seat can act: "pass when nothing else is open" would ask itself.
 */
export function hangsOnCanAct(machine: Machine, { by, needs, parameters }: Action): boolean {
  return (
    (by !== "anyone" && asksCanAct(machine, by)) ||
    needs.some(({ test }) => asksCanAct(machine, test)) ||
    parameters.some(({ domain, where }) => asksCanAct(machine, domain) || asksCanAct(machine, where))
  );
}

/** True when an expression reads one of some local values. */
export function usesLocals(expr: Expr, slots: ReadonlySet<number>): boolean {
  return someExpr(expr, (e) => e.kind === "local" && slots.has(e.slot));
}
