/** Who may do what: the tests an action has to pass, and everything that is open to a seat now. */

import type { RefusalCode } from "../check/proofs.js";
import type { Expr } from "../check/machine.js";
import type { IntType, Type } from "../check/types.js";
import { nearest } from "../language/suggest.js";
import type { VisibleAction } from "./configuration.js";
import type { Engine, ReadyAction, ReadyParameter } from "./engine.js";
import { explain, explainInWords } from "./explain.js";
import { Fault } from "./fault.js";
import { StandardOrder } from "./standard-order.js";
import { SEAT_IN, SEAT_OPEN, SEAT_OUT } from "./runtime.js";
import type { Refusal } from "./situation.js";
import { fromJson, type Json, toJson, toText, WrongValue } from "./values.js";

/** Longest list of values that is listed one by one; longer whole-number ranges are given by their ends. */
const MAX_LISTED = 64;
/** How many combinations of arguments are tried before an action is taken for open. */
const MAX_TRIED = 5_000;

/** One value an argument may or may not have now. */
export interface ValueOption {
  readonly value: Json;
  /** The value as people read it. */
  readonly label: string;
  readonly open: boolean;
  readonly reason?: string;
}

export interface ParameterOption {
  readonly name: string;
  /** The type as it is written in the language. */
  readonly type: string;
  /** The values of its domain, closed ones with their reason. Without, it is free: see `range` and `textMax`. */
  readonly values?: readonly ValueOption[];
  readonly range?: { readonly low: number; readonly high: number };
  readonly textMax?: number;
}

export interface ActionOption {
  readonly action: string;
  readonly doc?: string;
  readonly open: boolean;
  /** Why it is closed: the refusal it would meet. */
  readonly code?: RefusalCode | "fault";
  readonly reason?: string;
  readonly parameters: readonly ParameterOption[];
}

/** What an action without arguments is given. */
export const NO_ARGUMENTS: Arguments = Object.freeze({});

/** Arguments by name, as JSON. */
export type Arguments = { readonly [name: string]: unknown };

/** An action that has passed all tests: running it takes it. */
export type Admitted = Pick<ReadyAction, "run">;

export class Acting {
  constructor(private readonly engine: Engine) {
    engine.canAct = (seat) => this.canAct(seat);
    engine.namesOnTurn = () => this.onTurn().map((seat) => engine.naming.seats[seat] as string);
  }

  // ---- refusing --------------------------------------------------------------------------------

  /**
   * Tests an action in the order of the refusal codes; the match stands at step `at`. When all tests pass, its
   * arguments and `me` are
   * set in the working memory and the action to run is returned.
   */
  admit(
    at: number,
    seatName: string,
    actionName: string,
    args: Arguments,
    step: number | undefined,
  ): Admitted | Refusal {
    const { engine } = this;
    const { rt, naming, machine } = engine;
    if (step !== undefined && step !== at)
      return refusal("stale", `The match has moved on: it is at step ${at}, not ${step}.`);
    if (rt.outcome)
      return refusal(
        "matchOver",
        rt.outcome.unfinished
          ? `The match has come to "${rt.outcome.ending}", which is not written yet.`
          : `The match is over: it ended in ${rt.outcome.ending}.`,
      );
    const seat = seatNumber(naming.seats, seatName);
    if (seat < 0 || seat >= rt.seats.length) return refusal("notSeated", `This match has no seat "${seatName}".`);
    if (rt.seats[seat] === SEAT_OPEN) return refusal("notSeated", `Nobody sits at ${seatName} yet.`);
    if (rt.seats[seat] === SEAT_OUT) return refusal("seatOut", `${seatName} is out of this match.`);
    const visible = rt.configuration.actions.get(actionName);
    if (!visible) {
      if (machine.actions.some((a) => a.name === actionName))
        return refusal("notOpenHere", `"${actionName}" is not possible in ${this.whereabouts()}.`);
      const near = nearest(actionName, new Set(machine.actions.map((a) => a.name)));
      return refusal("unknownAction", `There is no action "${actionName}".${near ? ` Did you mean "${near}"?` : ""}`);
    }
    rt.me = seat;
    if (engine.order instanceof StandardOrder) return this.admitEnabled(engine.order, visible, seat, args);
    const mine = this.mine(visible, seat);
    if (!mine) return this.notNow(visible, seat);
    const ready = engine.actions[mine.id] as ReadyAction;
    return this.bind(ready, args) ?? this.unmet(ready) ?? ready;
  }

  /** In the standard order several actions of one name may be enabled, side by side or one around the other. */
  private admitEnabled(
    order: StandardOrder,
    visible: readonly VisibleAction[],
    seat: number,
    args: Arguments,
  ): Admitted | Refusal {
    let refused: Refusal | undefined;
    const name = visible[0]?.action.name ?? "";
    const selected = order.select(name, (id) => {
      const ready = this.engine.actions[id] as ReadyAction;
      const mine = visible.some((v) => v.id === id && this.mayAct(v, seat));
      const unfit = mine ? (this.bind(ready, args) ?? this.unmet(ready)) : this.notNow(visible, seat);
      refused ??= unfit;
      return unfit === undefined;
    });
    if (selected) return this.engine.actions[visible[0]?.id ?? 0] as ReadyAction;
    return refused ?? refusal("needsFailed", `No branch of "${name}" holds now.`);
  }

  /** Sets the arguments in the working memory, or says which does not fit. */
  private bind(ready: ReadyAction, args: Arguments): Refusal | undefined {
    const { rt, naming } = this.engine;
    if (args !== NO_ARGUMENTS)
      for (const name in args) {
        if (ready.parameters.length === 1 && name === ready.parameters[0]?.name) continue;
        if (Object.hasOwn(args, name) && !ready.parameters.some((p) => p.name === name))
          return refusal(
            "badArgument",
            `"${ready.action.name}" has no argument "${name}"${ready.parameters.length > 0 ? `; it has ${ready.parameters.map((p) => p.name).join(", ")}` : ""}.`,
          );
      }
    for (const p of ready.parameters) {
      const { name, type, slot } = p;
      const given = !p.inherited || Object.hasOwn(args, name) ? args[name] : undefined;
      const seat = p.isSeat ? seatNumber(naming.seats, given) : -1;
      if (seat >= 0) rt.locals[slot] = seat;
      else
        try {
          rt.locals[slot] = fromJson(type, given, naming);
        } catch (error) {
          if (!(error instanceof WrongValue)) throw error;
          return refusal("badArgument", `"${name}" of "${ready.action.name}": ${error.message}.`);
        }
      if (p.open()) continue;
      const closed = this.closedValue(p);
      if (closed !== undefined)
        return {
          ...refusal(
            "badArgument",
            `"${name}" of "${ready.action.name}" cannot be ${toText(type, rt.locals[slot], naming)}: ${closed}.`,
          ),
          ...(p.parameter.where && { condition: explain(this.engine, p.parameter.where) }),
        };
    }
    return undefined;
  }

  /** Why the value that is set for a parameter is closed; undefined when it is open. */
  private closedValue(p: ReadyParameter): string | undefined {
    if (p.inDomain && !p.inDomain()) return `it is not in ${this.written(p.parameter.domain as Expr)}`;
    if (p.where && !p.where()) return p.reason?.() ?? explainInWords(this.engine, p.parameter.where as Expr);
    return undefined;
  }

  private unmet(ready: ReadyAction): Refusal | undefined {
    for (const need of ready.needs) {
      if (need.test()) continue;
      const words = need.reason?.() ?? explainInWords(this.engine, need.written);
      return { ...refusal("needsFailed", sentence(words)), condition: explain(this.engine, need.written) };
    }
    return undefined;
  }

  private mine(visible: readonly VisibleAction[], seat: number): VisibleAction | undefined {
    for (const v of visible) if (this.mayAct(v, seat)) return v;
    return undefined;
  }

  private mayAct(visible: VisibleAction, seat: number): boolean {
    const { by } = this.engine.actions[visible.id] as ReadyAction;
    if (by === "anyone") return true;
    if (by) return by().includes(seat);
    for (const turn of visible.turns) if (this.engine.isTurnOf(turn, seat)) return true;
    return false;
  }

  private notNow(visible: readonly VisibleAction[], seat: number): Refusal {
    const { engine } = this;
    const { naming } = engine;
    const done = visible.some((v) => v.turns.some((turn) => engine.isReady(turn, seat)));
    if (done) return refusal("alreadyReady", `${naming.seats[seat]} is ready already and waits for the others.`);
    const by = visible
      .map((v) => (engine.actions[v.action.id] as ReadyAction).by)
      .find((b) => b !== undefined && b !== "anyone");
    const may =
      typeof by === "function"
        ? by()
        : [...new Set(visible.flatMap((v) => v.turns.flatMap((turn) => engine.turnOf(turn))))];
    const whose = may.map((s) => naming.seats[s]).join(" or ");
    if (by) return refusal("notYourTurn", whose ? `Only ${whose} can do this now.` : "Nobody can do this now.");
    return refusal("notYourTurn", whose ? `It is ${possessive(whose)} turn.` : "It is nobody's turn.");
  }

  private whereabouts(): string {
    const { rt, machine } = this.engine;
    return rt.configuration.leaves.map((id) => (id === 0 ? machine.name : machine.states[id]?.name)).join(", ");
  }

  private written(e: Expr): string {
    return this.engine.machine.sources.text(e).replace(/\s+/g, " ");
  }

  // ---- options ---------------------------------------------------------------------------------

  /** Seats on turn now, by number: those of every `turn of` that counts. */
  onTurn(): readonly number[] {
    const { engine } = this;
    if (engine.rt.outcome) return [];
    const { turns } = engine.rt.configuration;
    if (turns.length <= 1) return turns.length === 0 ? [] : engine.turnOf(turns[0] as number);
    return [...new Set(turns.flatMap((turn) => engine.turnOf(turn)))].sort((a, b) => a - b);
  }

  /** Every action a seat can see here, open or closed, with the values of its next argument. */
  options(seat: number, chosen: { readonly action: string; readonly args: Arguments } | undefined): ActionOption[] {
    const { rt } = this.engine;
    if (rt.outcome || rt.seats[seat] !== SEAT_IN) return [];
    rt.me = seat;
    const seen: ActionOption[] = [];
    for (const [name, visible] of rt.configuration.actions) {
      if (chosen && chosen.action !== name) continue;
      seen.push(this.option(visible, seat, chosen?.args ?? {}));
    }
    return seen;
  }

  private option(visible: readonly VisibleAction[], seat: number, args: Arguments): ActionOption {
    const candidates = this.candidates(visible, seat);
    const { action } = candidates[0] ?? (visible[0] as VisibleAction);
    const base = { action: action.name, ...(action.doc !== undefined && { doc: action.doc }) };
    if (candidates.length === 0) {
      const { code, words } = this.notNow(visible, seat);
      return { ...base, open: false, code: code as RefusalCode, reason: words, parameters: [] };
    }
    try {
      const looked = candidates.map((c) => this.closer(this.engine.actions[c.id] as ReadyAction, args));
      return { ...base, ...(looked.find((l) => l.open) ?? (looked[0] as (typeof looked)[number])) };
    } catch (error) {
      if (!(error instanceof Fault)) throw error;
      return { ...base, open: false, code: "fault", reason: error.message, parameters: [] };
    }
  }

  /** The actions of one name that a seat may take as far as the turn goes: one, but for the standard order. */
  private candidates(visible: readonly VisibleAction[], seat: number): readonly VisibleAction[] {
    const mine = visible.filter((v) => this.mayAct(v, seat));
    return this.engine.machine.standardOrder ? mine : mine.slice(0, 1);
  }

  /** Looks at one action with the arguments chosen so far. */
  private closer(ready: ReadyAction, args: Arguments): Omit<ActionOption, "action" | "doc"> {
    const { parameters } = ready;
    const early = this.needsWithoutArguments(ready);
    if (early) return { open: false, code: "needsFailed", reason: early, parameters: [] };
    const { rt, naming } = this.engine;
    let fixed = 0;
    for (const p of parameters) {
      if (!Object.hasOwn(args, p.parameter.name)) break;
      try {
        rt.locals[p.parameter.slot] = fromJson(p.parameter.type, args[p.parameter.name], naming);
      } catch (error) {
        if (!(error instanceof WrongValue)) throw error;
        return { open: false, code: "badArgument", reason: error.message, parameters: [] };
      }
      const closed = this.closedValue(p);
      if (closed !== undefined) return { open: false, code: "badArgument", reason: closed, parameters: [] };
      fixed++;
    }
    if (fixed === parameters.length) {
      const unmet = this.unmet(ready);
      return unmet
        ? { open: false, code: "needsFailed", reason: unmet.words, parameters: [] }
        : { open: true, parameters: [] };
    }
    const next = parameters[fixed] as ReadyParameter;
    const budget = { left: MAX_TRIED };
    const listed = this.listed(next);
    const shown: ParameterOption[] = [];
    let open = true;
    if (listed) {
      const values = listed.map((value): ValueOption => {
        rt.locals[next.parameter.slot] = value;
        const base = {
          value: toJson(next.parameter.type, value, naming),
          label: toText(next.parameter.type, value, naming),
        };
        const closed = this.closedValue(next);
        if (closed !== undefined) return { ...base, open: false, reason: closed };
        if (this.completes(ready, fixed + 1, budget)) return { ...base, open: true };
        const unmet = fixed + 1 === parameters.length ? this.unmet(ready)?.words : undefined;
        return { ...base, open: false, reason: unmet ?? this.nothingFor(parameters[fixed + 1]) };
      });
      open = values.some((v) => v.open);
      shown.push({ name: next.parameter.name, type: typeWords(next.parameter.type), values });
    } else {
      shown.push(this.free(next));
    }
    for (const later of parameters.slice(fixed + 1))
      shown.push({ name: later.parameter.name, type: typeWords(later.parameter.type) });
    return open
      ? { open, parameters: shown }
      : { open, code: "badArgument", reason: closedReason(shown), parameters: shown };
  }

  /** Why no value of the next parameter is open. */
  private nothingFor(next: ReadyParameter | undefined): string {
    return next && this.listed(next)?.length === 0
      ? `there is nothing to choose for "${next.name}"`
      : "no further argument fits it";
  }

  /** Needs that no argument has a part in close an action before any is chosen. */
  private needsWithoutArguments(ready: ReadyAction): string | undefined {
    const slots = new Set(ready.action.parameters.map((p) => p.slot));
    for (const need of ready.needs) {
      if (slots.size > 0 && usesLocal(need.written, slots)) continue;
      if (!need.test()) return sentence(need.reason?.() ?? explainInWords(this.engine, need.written));
    }
    return undefined;
  }

  /** True when the parameters from number `from` on can be chosen so that all needs hold. */
  private completes(ready: ReadyAction, from: number, budget: { left: number }): boolean {
    if (--budget.left < 0) return true;
    const p = ready.parameters[from];
    if (!p) return ready.needs.every((need) => need.test());
    const values = this.listed(p);
    if (!values) return true;
    for (const value of values) {
      this.engine.rt.locals[p.parameter.slot] = value;
      if (this.closedValue(p) === undefined && this.completes(ready, from + 1, budget)) return true;
    }
    return false;
  }

  /** The values of a parameter one by one; undefined when they are too many to list. */
  private listed(p: ReadyParameter): readonly unknown[] | undefined {
    const { parameter } = p;
    if (parameter.domain?.kind === "range") {
      const low = this.engine.expressions.number(parameter.domain.low)();
      const high = this.engine.expressions.number(parameter.domain.high)();
      if (high - low >= MAX_LISTED) return undefined;
    }
    if (p.domain) return p.domain().at;
    return allOf(parameter.type, this.engine.rt.seats.length);
  }

  private free({ parameter }: ReadyParameter): ParameterOption {
    const { name, type, domain } = parameter;
    if (domain?.kind === "range")
      return {
        name,
        type: typeWords(type),
        range: {
          low: this.engine.expressions.number(domain.low)(),
          high: this.engine.expressions.number(domain.high)(),
        },
      };
    return unbound(name, type);
  }

  /** A parameter that nothing but its type restricts: its values where they can be listed. */
  freely({ name, type }: { readonly name: string; readonly type: Type }): ParameterOption {
    const { naming } = this.engine;
    const values = allOf(type, this.engine.rt.seats.length);
    if (!values) return unbound(name, type);
    return {
      name,
      type: typeWords(type),
      values: values.map((value) => ({
        value: toJson(type, value, naming),
        label: toText(type, value, naming),
        open: true,
      })),
    };
  }

  /** True when some action is open to a seat; for the language's `canAct`. */
  private canAct(seat: number): boolean {
    const { rt } = this.engine;
    if (rt.seats[seat] !== SEAT_IN || rt.outcome) return false;
    const me = rt.me;
    rt.me = seat;
    try {
      for (const visible of rt.configuration.actions.values()) {
        for (const mine of this.candidates(visible, seat))
          if (this.completes(this.engine.actions[mine.id] as ReadyAction, 0, { left: MAX_TRIED })) return true;
      }
      return false;
    } finally {
      rt.me = me;
    }
  }
}

/** The number of a seat by its name, or -1. */
/** The number of a seat by its name; -1 when there is none. */
export function seatNumber(names: readonly string[], name: unknown): number {
  for (let i = 0; i < names.length; i++) if (names[i] === name) return i;
  return -1;
}

function refusal(code: RefusalCode, words: string): Refusal & { code: RefusalCode } {
  return { code, words };
}

function sentence(words: string): string {
  return words.charAt(0).toUpperCase() + words.slice(1) + (/[.!?]$/.test(words) ? "" : ".");
}

function possessive(name: string): string {
  return name.endsWith("s") ? `${name}'` : `${name}'s`;
}

function typeWords(type: Type): string {
  return type.kind === "int"
    ? `int ${type.low}..${type.high}`
    : type.kind === "text" && type.max !== undefined
      ? `text max ${type.max}`
      : "name" in type
        ? type.name
        : type.kind;
}

function closedReason(shown: readonly ParameterOption[]): string {
  const [first] = shown;
  const reasons = [...new Set((first?.values ?? []).map((v) => v.reason).filter((r) => r !== undefined))];
  if (reasons.length === 0) return `There is nothing to choose for "${first?.name}".`;
  return sentence(reasons.length === 1 ? (reasons[0] as string) : `no choice for "${first?.name}" is open`);
}

/** All values of a type when they are few. */
function allOf(type: Type, seats: number): readonly unknown[] | undefined {
  switch (type.kind) {
    case "bool":
      return [false, true];
    case "enum":
      return type.members.map((_, i) => i);
    case "seat":
      return Array.from({ length: seats }, (_, i) => i);
    case "int": {
      const { low, high } = type as IntType;
      return high - low < MAX_LISTED ? Array.from({ length: high - low + 1 }, (_, i) => low + i) : undefined;
    }
    case "maybe": {
      const inner = allOf(type.of, seats);
      return inner && [null, ...inner];
    }
    default:
      return undefined;
  }
}

function unbound(name: string, type: Type): ParameterOption {
  const base = { name, type: typeWords(type) };
  if (type.kind === "int") return { ...base, range: { low: type.low, high: type.high } };
  return type.kind === "text" && type.max !== undefined ? { ...base, textMax: type.max } : base;
}

function usesLocal(node: unknown, slots: ReadonlySet<number>): boolean {
  if (Array.isArray(node)) return node.some((item) => usesLocal(item, slots));
  if (node === null || typeof node !== "object") return false;
  const e = node as { kind?: string; slot?: number };
  if (e.kind === "local" && slots.has(e.slot as number)) return true;
  return Object.entries(e).some(([key, value]) => key !== "type" && usesLocal(value, slots));
}
