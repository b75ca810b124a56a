/** What rolls dice, in itself or in the effects that it calls. */

import type { Block, Expr, Machine } from "./machine.js";
import { someExpr, visitBlock } from "./visit.js";

const ROLLS: ReadonlySet<Expr["kind"]> = new Set(["roll", "chance", "pick", "shuffle"]);

/** True when working it out rolls dice by itself, not by what is inside it. */
export function isRoll(e: Expr): boolean {
  return ROLLS.has(e.kind) || (e.kind === "binder" && e.ties === "byLot");
}

export class Rolling {
  /** By the numbers of effects. */
  private readonly known = new Map<number, boolean>();

  constructor(private readonly machine: Machine) {}

  expr(e: Expr): boolean {
    return someExpr(e, isRoll);
  }

  block(block: Block | undefined): boolean {
    let rolls = false;
    visitBlock(block, {
      expr: (e) => {
        rolls ||= isRoll(e);
      },
      statement: (s) => {
        if (s.kind === "call") rolls ||= this.effect(s.effect);
      },
    });
    return rolls;
  }

  /** Nothing calls itself, so this ends. */
  private effect(id: number): boolean {
    const known = this.known.get(id);
    if (known !== undefined) return known;
    const rolls = this.block(this.machine.effects[id]?.body);
    this.known.set(id, rolls);
    return rolls;
  }
}
