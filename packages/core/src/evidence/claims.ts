/**
 * What a warning claims, as something that can be looked for in matches. Most warnings say that there is a match in
 * which something happens: it is to be found. Some say that something happens in no match: one in which it does
 * refutes them. The others speak of the text alone, and need no match.
 */

import { visitZeroTests, withSeat } from "../check/rules/fallen.js";
import { decidingStats } from "../check/rules/fallen-units.js";
import type { Expr, Machine, State, Statement } from "../check/machine.js";
import { isInside } from "../check/tree.js";
import { readOf } from "../check/typed.js";
import { BOOL, INT, SEAT } from "../check/types.js";
import { visitBlock, visitMachine } from "../check/visit.js";
import { isAskedAtRest } from "./distance.js";
import type { FaultCode } from "../engine/values/fault.js";
import type { Message } from "../language/message.js";
import type { Span } from "../language/source.js";

/** What shows a claim, or refutes it. */
export type Sign =
  /** A step is at fault, with one of these codes, at a place. @param near the nearer to it the more this holds */
  | {
      readonly kind: "fault";
      readonly codes: readonly FaultCode[];
      readonly within?: Span;
      readonly law?: number;
      readonly near?: Expr;
    }
  /** Nothing can happen any more, or a seat on turn has nothing open, while a state is active; any when not given. */
  | { readonly kind: "stuck"; readonly state?: number }
  /** An expression comes to something. */
  | { readonly kind: "value"; readonly of: Expr; readonly is: (value: unknown) => boolean }
  /** An expression has come to everything of a list, at one time or another. */
  | { readonly kind: "values"; readonly of: Expr; readonly all: readonly unknown[] }
  /** Where the first condition holds, the second does too, or does not. */
  | { readonly kind: "both"; readonly first: Expr; readonly second: Expr; readonly holds: boolean }
  /** While an expression is worked out, a condition holds. */
  | { readonly kind: "while"; readonly of: Expr; readonly test: Expr }
  /**
   * An expression is worked out, and none of the values that are written has been, since the match began or since a
   * state was entered.
   */
  | { readonly kind: "unset"; readonly of: Expr; readonly writes: readonly Expr[]; readonly state?: number }
  /** What is chosen or sorted by has the same value twice, where that matters. */
  | { readonly kind: "ties"; readonly binder: Expr & { readonly kind: "binder" } }
  /** At rest in a state, so many seats are on turn. @param stayed only matches that no seat leaves show it */
  | { readonly kind: "onTurn"; readonly state: number; readonly is: (count: number) => boolean; readonly stayed?: true }
  /** At rest in a state, a condition holds of a seat on turn, which is `me` in it. */
  | { readonly kind: "holder"; readonly state: number; readonly tests: readonly Expr[] }
  /** A state is entered. */
  | { readonly kind: "entered"; readonly state: number }
  /** A match ends so. */
  | { readonly kind: "ended"; readonly ending: number }
  /** A match ends while a signal waits, which nobody hears any more. */
  | { readonly kind: "dropped"; readonly signal: number }
  /** An action, listener, `when` or timer is carried out. */
  | { readonly kind: "taken"; readonly at: Span };

/**
 * `match`: the sign shows what is claimed, and without one it is a suspicion; `text`: the text says it, and the sign
 * shows that it comes to be; `noMatch`: the sign refutes it.
 */
export interface Claim {
  readonly is: "match" | "text" | "noMatch";
  readonly signs: readonly Sign[];
}

type ClaimOf = (message: Message, names: Places) => Claim | undefined;

const match = (...signs: readonly (Sign | undefined)[]): Claim | undefined => claim("match", signs);
const text = (...signs: readonly (Sign | undefined)[]): Claim | undefined => claim("text", signs);
const noMatch = (...signs: readonly (Sign | undefined)[]): Claim | undefined => claim("noMatch", signs);

function claim(is: Claim["is"], signs: readonly (Sign | undefined)[]): Claim | undefined {
  const known = signs.filter((sign) => sign !== undefined);
  return known.length === 0 ? undefined : { is, signs: known };
}

const faultIn =
  (...codes: readonly FaultCode[]): ClaimOf =>
  (message, places) =>
    faultNear(message, places, codes);

/** A fault where a message points, nearer the more a condition holds: one that can be asked anywhere. */
function faultNear(message: Message, places: Places, codes: readonly FaultCode[], near?: Expr): Claim | undefined {
  const within = places.actionOf(message) ?? message;
  return match({ kind: "fault", codes, within, ...(near && isAskedAtRest(near) && { near }) });
}

function isZero(left: Expr): Expr {
  const { from, to } = left;
  const right: Expr = { kind: "constant", value: 0, type: INT, from, to };
  return { kind: "binary", op: "==", left, right, type: BOOL, from, to };
}

function sizeOf(of: Expr): Expr {
  return { kind: "listProperty", of, property: "size", type: INT, from: of.from, to: of.to };
}

/** The list of which a message says that something is taken. */
function listAt(message: Message, places: Places): Expr | undefined {
  const e = places.exprAt(message);
  const taken = e?.kind === "take" ? readOf(places.machine, e.target) : undefined;
  const list = taken ?? (e?.kind === "listProperty" || e?.kind === "index" ? e.of : e?.kind === "pick" ? e.list : e);
  return list?.type.kind === "list" ? list : undefined;
}

const stuckIn: ClaimOf = (message, places) => {
  const state = places.stateAt(message);
  return match(state && { kind: "stuck", state: state.id });
};

/** Every kind of warning that speaks of matches. */
const CLAIMS: Readonly<Record<string, ClaimOf>> = {
  "may-divide-by-zero": (message, places) => {
    const e = places.exprAt(message);
    return faultNear(message, places, ["divisionByZero"], e?.kind === "binary" ? isZero(e.right) : undefined);
  },
  "index-may-miss": faultIn("missingIndex", "missingKey", "notACell"),
  "list-may-be-empty": (message, places) => {
    const list = listAt(message, places);
    return faultNear(message, places, ["missingIndex", "emptyPick"], list && isZero(sizeOf(list)));
  },
  "may-be-none": faultIn("noneUsed"),
  "list-may-be-full": faultIn("listFull"),
  "may-be-unset": (message, places) => {
    const of = places.exprAt(message);
    if (of?.kind === "data") return match({ kind: "unset", of, writes: places.writesTo("data", of.slot) });
    const state = of?.kind === "stateData" && places.machine.states.find(({ slot }) => slot === of.slot);
    if (!state) return undefined;
    return match({ kind: "unset", of, writes: places.writesTo("stateData", of.slot, of.field), state: state.id });
  },
  "roll-empty": faultIn("emptyRange", "emptyPick"),
  "endless-loop": () => match({ kind: "fault", codes: ["endlessLoop"] }),
  "change-outside-phase": (message) => match({ kind: "fault", codes: ["lawBroken"], within: message }),
  "law-broken": (message, { machine }) => {
    const law = machine.laws.find(({ from }) => from === message.from);
    return match({ kind: "fault", codes: ["lawBroken"], ...(law ? { law: law.id } : { within: message }) });
  },
  "no-open-action": stuckIn,
  "nobody-on-turn": (message, places) => {
    const state = places.stateAt(message);
    return match(state && { kind: "onTurn", state: state.id, is: (count) => count === 0 });
  },
  "several-on-turn": (message, places) => {
    const state = places.stateAt(message);
    return match(state && { kind: "onTurn", state: state.id, is: (count) => count > 1 });
  },
  "out-on-turn": (message, places) => {
    const state = places.stateAt(message.related ?? message);
    return match({ kind: "stuck" }, state && { kind: "onTurn", state: state.id, is: (count) => count === 0 });
  },
  "fallen-on-turn": (message, places) => {
    const state = places.stateAt(message);
    const test = message.related && places.exprAt(message.related);
    return match(state && test && fallenHolder(places.machine, state, test));
  },
  "endings-overlap": (message, places) => {
    const first = message.related && places.exprAt(message.related);
    const second = places.exprAt(message);
    return match(first && second && { kind: "both", first, second, holds: true });
  },
  "negative-amount": (message, places) => {
    const of = places.exprAt(message);
    return match(of && { kind: "value", of, is: (value) => typeof value === "number" && value < 0 });
  },
  "late-signal": ({ related }, { machine }) => {
    const signal = machine.signals.find(({ from }) => from === related?.from);
    return text(signal && { kind: "dropped", signal: signal.id });
  },
  "unpaid-cost": (message, places) => {
    const cost = places.statementAt(message);
    const left =
      cost?.kind === "assign" && cost.target.base.kind === "data" ? readOf(places.machine, cost.target) : undefined;
    if (cost?.kind !== "assign" || !left) return undefined;
    const { value, from, to } = cost;
    const test: Expr = { kind: "binary", op: "<", left, right: value, type: BOOL, from, to };
    return text({ kind: "while", of: value, test });
  },
  "stale-choice": (message, places) => {
    const state = places.stateAt(message);
    const left = chosenAt(message, places);
    return match(state && left && { kind: "holder", state: state.id, tests: [left] });
  },
  "seat-without-result": (message, { machine }) => {
    const ending = machine.endings.find(({ from, to }) => from <= message.from && message.to <= to);
    return text(ending && { kind: "fault", codes: ["noResult"], within: ending });
  },
  "timer-never-runs": ({ from, to }) => noMatch({ kind: "taken", at: { from, to } }),
  "fallen-acts": (message, places) => text(...fallenActing(message, places)),
  "undecided-ties": (message, places) => {
    const binder = places.exprAt(message);
    return match(binder?.kind === "binder" ? { kind: "ties", binder } : undefined);
  },
  "unreachable-state": (message, { machine }) => {
    const state = machine.states.find(({ nameSpan }) => nameSpan.from === message.from);
    return noMatch(state && { kind: "entered", state: state.id });
  },
  "unreachable-ending": (message, { machine }) => {
    const ending = machine.endings.find(({ nameSpan }) => nameSpan.from === message.from);
    return noMatch(ending && { kind: "ended", ending: ending.id });
  },
  "never-open": (message, { machine }) => {
    const action = machine.actions.find(({ nameSpan }) => nameSpan.from === message.from);
    return noMatch(action && { kind: "taken", at: action });
  },
  "branch-never-taken": (message, places) => {
    const of = places.exprAt(message);
    return noMatch(of && { kind: "value", of, is: (value) => value === true });
  },
  "condition-always": (message, places) => {
    const of = places.exprAt(message);
    return noMatch(of && { kind: "values", of, all: [true, false] });
  },
};

/**
 * What a message claims of matches; undefined for one that needs none. A note stops no match, and is not worked out
 * while nobody looks.
 */
export function claimOf(message: Message, places: Places): Claim | undefined {
  return places.isInNote(message) ? undefined : CLAIMS[message.name]?.(message, places);
}

/** What stands where in a machine. */
export class Places {
  private readonly exprs = new Map<string, Expr>();
  private readonly notes: Span[] = [];
  readonly statements: Statement[] = [];

  constructor(readonly machine: Machine) {
    visitMachine(machine, {
      expr: (e) => {
        // The outermost of those that stand at the same place comes first.
        const key = `${e.from} ${e.to}`;
        if (!this.exprs.has(key)) this.exprs.set(key, e);
      },
      statement: (s) => {
        this.statements.push(s);
        if (s.kind === "note") this.notes.push(s);
      },
    });
  }

  isInNote({ from, to }: Span): boolean {
    return this.notes.some((note) => note.from <= from && to <= note.to);
  }

  exprAt({ from, to }: Span): Expr | undefined {
    return this.exprs.get(`${from} ${to}`);
  }

  statementAt({ from, to }: Span): Statement | undefined {
    return this.statements.find((s) => s.from === from && s.to === to);
  }

  /** The values that are assigned to a datum as a whole. @param field of a state's data */
  writesTo(kind: "data" | "stateData", slot: number, field?: number): Expr[] {
    return this.statements.flatMap((s) => {
      if (s.kind !== "assign" || s.target.path.length > 0) return [];
      const { base } = s.target;
      const is = base.kind === kind && base.slot === slot && (base.kind !== "stateData" || base.field === field);
      return is ? [s.value] : [];
    });
  }

  /** The loop that goes through what stands at a place. */
  loopThrough({ from, to }: Span): (Statement & { readonly kind: "for" }) | undefined {
    for (const s of this.statements) if (s.kind === "for" && s.source.from === from && s.source.to === to) return s;
    return undefined;
  }

  /** The innermost state around a place. */
  stateAt({ from, to }: Span): State | undefined {
    return this.machine.states.findLast((s) => s.id > 0 && s.from <= from && to <= s.to);
  }

  /** The action whose parameter a place is: what is at fault by it stands behind it. */
  actionOf({ from }: Span): Span | undefined {
    return this.machine.actions.find(({ parameters }) => parameters.some((p) => p.from === from));
  }
}

/** The seat on turn has fallen by one of the stats that a condition compares with nothing. */
function fallenHolder(machine: Machine, { id, from, to }: State, test: Expr): Sign | undefined {
  const tests: Expr[] = [];
  const at = { from, to };
  const me: Expr = { kind: "me", type: SEAT, ...at };
  const nothing: Expr = { kind: "constant", value: 0, type: INT, ...at };
  visitZeroTests(machine, test, (stat) => {
    const own = withSeat(stat, me);
    if (own !== stat) tests.push({ kind: "binary", op: "<=", left: own, right: nothing, type: BOOL, ...at });
  });
  return tests.length === 0 ? undefined : { kind: "holder", state: id, tests };
}

/** That what a seat sets by its choice, at a place, is not as it begins; undefined where that differs by the seat. */
function chosenAt(message: Message, { machine, statements }: Places): Expr | undefined {
  const choice = statements.find(
    (s) => s.kind === "assign" && s.target.from === message.from && s.target.to === message.to,
  );
  if (choice?.kind !== "assign" || choice.target.base.kind !== "data" || choice.target.path.length !== 1)
    return undefined;
  const left = readOf(machine, choice.target);
  const { initial } = machine.data[choice.target.base.slot] ?? {};
  if (!left || initial?.kind === "filled") return undefined;
  const { from, to } = message;
  const right: Expr = initial ?? { kind: "default", type: left.type, from, to };
  return { kind: "binary", op: "!=", left, right, type: BOOL, from, to };
}

/** A loop's body reads something of a unit of which a stat that decides about its fall has come to nothing. */
function fallenActing(message: Message, places: Places): Sign[] {
  const loop = places.loopThrough(message);
  const signs: Sign[] = [];
  if (!loop) return signs;
  const stats = decidingStats(places.machine);
  visitBlock(loop.body, {
    expr: (of) => {
      if (of.kind !== "field" || of.of.type.kind !== "record") return;
      const { from, to } = of;
      const right: Expr = { kind: "constant", value: 0, type: INT, from, to };
      for (const field of stats.get(of.of.type.name) ?? []) {
        const left: Expr = { ...of, field, type: of.of.type.fields[field]?.type ?? INT };
        signs.push({ kind: "while", of, test: { kind: "binary", op: "<=", left, right, type: BOOL, from, to } });
      }
    },
  });
  return signs;
}

/** Whether a state is the one meant, or inside it. */
export function isIn(machine: Machine, leaf: number, state: number | undefined): boolean {
  return state === undefined || isInside(machine, leaf, state);
}
