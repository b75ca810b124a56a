/** What an expression reads, so that it need only be tested again when that has changed. */

import type { Expr, Machine } from "./machine.js";

export interface Reads {
  /** Slots of the root box. */
  readonly slots: ReadonlySet<number>;
  /** Active states, seats in play, or anything else that is not data. */
  readonly more: boolean;
  /** Among that, more than who is in play: active states, who can act, the time. */
  readonly states: boolean;
  /** Private or hidden data of the machine or of a state. */
  readonly secret: boolean;
}

/** Everything an expression reads, through the functions it calls too. */
export function readsOf(machine: Machine, expr: Expr): Reads {
  const slots = new Set<number>();
  let more = false;
  let states = false;
  let secret = false;
  const functions = new Set<number>();
  const visit = (node: unknown): void => {
    if (Array.isArray(node)) {
      for (const item of node) visit(item);
      return;
    }
    if (node === null || typeof node !== "object") return;
    const e = node as Expr;
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
      case "inPlay":
      case "seated":
      case "others":
      case "next":
        more = true;
        break;
      case "call":
        if (!functions.has(e.function)) {
          functions.add(e.function);
          visit(machine.functions[e.function]?.body);
        }
        break;
      default:
    }
    for (const [key, value] of Object.entries(e)) if (key !== "type") visit(value);
  };
  visit(expr);
  return { slots, more, states, secret };
}

/** True when an expression reads one of some local values. */
export function usesLocals(node: unknown, slots: ReadonlySet<number>): boolean {
  if (Array.isArray(node)) return node.some((item) => usesLocals(item, slots));
  if (node === null || typeof node !== "object") return false;
  const e = node as { kind?: string; slot?: number };
  if (e.kind === "local" && slots.has(e.slot as number)) return true;
  return Object.entries(e).some(([key, value]) => key !== "type" && usesLocals(value, slots));
}
