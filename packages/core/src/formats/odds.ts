/** The exact probabilities of chances, as far as the text fixes them. */

import type { State } from "../check/machine.js";
import { type Visitor, visitBlock, visitMachine, visitState } from "../check/visit.js";
import type { Arrow, Expr, Machine } from "../check/machine.js";

type Odds = Arrow & { kind: "odds" };

/** A whole number that the text fixes: written, or a constant. */
function fixed(machine: Machine, e: Expr): number | undefined {
  if (e.kind === "constant" && typeof e.value === "number") return e.value;
  return e.kind === "named" ? fixed(machine, machine.constants[e.constant]?.value as Expr) : undefined;
}

/**
 * The share of one entry of odds: exact where it has few digits, else as a fraction beside it, such as
 * `33.3% (1/3)`; the weight as written when it is worked out only when it is rolled.
 */
export function shareOf(machine: Machine, odds: Odds, entry: Odds["entries"][number]): string {
  const parts = fixedWay(machine, odds, odds.entries.indexOf(entry));
  return parts ? shareWords(parts.part, parts.whole) : `weight ${machine.sources.written(entry.weight)}`;
}

/** A probability in words: a percentage, with the fraction where the percentage is not exact. */
function shareWords(part: number, whole: number): string {
  const percent = (100 * part) / whole;
  const rounded = Math.round(percent * 10) / 10;
  if (Math.abs(rounded - percent) < 1e-9) return `${rounded}%`;
  const divisor = greatestDivisor(part, whole);
  return `${rounded}% (${part / divisor}/${whole / divisor})`;
}

function greatestDivisor(a: number, b: number): number {
  return b === 0 ? Math.max(1, a) : greatestDivisor(b, a % b);
}

/** A probability as parts of a whole. */
interface Parts {
  readonly part: number;
  readonly whole: number;
}

/** The probability of a chance that the text fixes. */
export function fixedChance(machine: Machine, e: Expr & { kind: "chance" }): Parts | undefined {
  const part = fixed(machine, e.part);
  const whole = e.whole ? fixed(machine, e.whole) : 100;
  return part !== undefined && whole !== undefined && whole > 0
    ? { part: Math.min(Math.max(0, part), whole), whole }
    : undefined;
}

/** The probability of one way of an arrow by odds, where the text fixes all weights. */
export function fixedWay(machine: Machine, { entries }: Odds, way: number): Parts | undefined {
  const weights = entries.map((entry) => fixed(machine, entry.weight));
  const whole = weights.reduce<number>((sum, weight) => sum + (weight ?? Number.NaN), 0);
  const part = weights[way];
  return part !== undefined && whole > 0 ? { part, whole } : undefined;
}

function chanceWords(machine: Machine, e: Expr & { kind: "chance" }): string | undefined {
  const parts = fixedChance(machine, e);
  return parts && shareWords(parts.part, parts.whole);
}

/** The local values that hold a chance and nothing else, by slot, each with its probability. */
export function rolledLocals(machine: Machine): ReadonlyMap<number, string> {
  const rolled = new Map<number, string>();
  visitMachine(machine, {
    statement: (s) => {
      if (s.kind !== "let" || s.value.kind !== "chance") return;
      const share = chanceWords(machine, s.value);
      if (share !== undefined) rolled.set(s.slot, share);
    },
  });
  return rolled;
}

/** The chances in a state whose probability the text fixes, each as written with its probability. */
export function chancesIn(machine: Machine, state: State): string[] {
  const found = new Set<string>();
  const called = new Set<number>();
  const visitor: Visitor = {
    expr: (e) => {
      const share = e.kind === "chance" ? chanceWords(machine, e) : undefined;
      if (share !== undefined) found.add(`${machine.sources.written(e)}: ${share}`);
    },
    statement: (s) => {
      if (s.kind !== "call" || called.has(s.effect)) return;
      called.add(s.effect);
      visitBlock(machine.effects[s.effect]?.body, visitor);
    },
  };
  visitState(state, visitor);
  return [...found];
}
