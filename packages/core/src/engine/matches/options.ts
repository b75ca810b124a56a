/** Options: everything that is open to a seat now, and what is closed with its reason. */

import { hangsOnCanAct } from "../../check/reads.js";
import { costOf } from "../../check/size.js";
import type { Expr, Machine } from "../../check/machine.js";
import type { Secrecy } from "../../check/secrecy.js";
import type { RefusalCode } from "../../check/refusals.js";
import { describe, type IntType, type Type } from "../../check/types.js";
import type { VisibleAction } from "../situation/configuration.js";
import { MAX_EFFECTS, type Memory, SEAT_IN } from "../situation/memory.js";
import type { Situation } from "../situation/situation.js";
import type { Arguments } from "../values/json.js";
import type { ReadyAction, ReadyParameter } from "../steps/actions.js";
import { LazyTable } from "../values/lazy.js";
import type { Steps } from "../steps/steps.js";
import { Fault } from "../values/fault.js";
import { type Json, toJson, toText } from "../values/json.js";
import { type Admission, sentence } from "./admission.js";
import { gridCells } from "./cells.js";

/** Longest list of values that is listed one by one; longer whole-number ranges are given by their ends. */
const MAX_LISTED = 64;
/** Of grids up to so many cells they are listed where nothing says where a cell lies. */
const MOST_CELLS = 1_024;
/** How many combinations of arguments are tried before an action is taken for open. */
const MAX_TRIED = 5_000;
/** What all actions together may take when a seat's options are looked at, in effects. */
const MOST_LOOKED = 3 * MAX_EFFECTS;

/** What is said of a fault whose words would tell a secret. */
export const SECRET_FAULT = "The machine is at fault here; what exactly is wrong would tell a secret.";

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
  /** The data whose elements its values number, when they do: who chooses can point at one of them. */
  readonly of?: string;
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

/** An event the game can tell of. */
export interface EventOption {
  readonly event: string;
  readonly doc?: string;
  /** Whether some state hears it now. */
  readonly heard: boolean;
  readonly parameters: readonly ParameterOption[];
}

/** How an action looks with the arguments chosen so far. */
type Look = Omit<ActionOption, "action" | "doc">;

export class Options {
  /** For every action, what trying arguments costs, in effects. */
  private readonly costs: LazyTable<number>;
  /** For every action, whether it asks itself what a seat can do. */
  private readonly asking: LazyTable<boolean>;
  /** The cells that lie in every grid; undefined where grids differ in size, or are too large to be listed. */
  private readonly cells: readonly number[] | undefined;

  constructor(
    private readonly machine: Machine,
    private readonly memory: Memory,
    private readonly steps: Steps,
    private readonly admission: Admission,
    private readonly secrecy: () => Secrecy,
  ) {
    this.costs = new LazyTable((id) => {
      const { needsOfArguments, parameters } = steps.actions.of(id);
      return needsOfArguments.reduce(
        (cost, need) => cost + costOf(need.written),
        1 + costOf(...parameters.flatMap(({ parameter: { domain, where } }) => [domain, where])),
      );
    });
    const { cells, isOneSize } = gridCells(machine);
    this.cells = isOneSize && cells.length <= MOST_CELLS ? cells : undefined;
    this.asking = new LazyTable((id) => hangsOnCanAct(machine, steps.actions.of(id).action));
  }

  /** Every action a seat can see here, open or closed, with the values of its next argument. */
  of(seat: number, chosen: { readonly action: string; readonly args: Arguments } | undefined): ActionOption[] {
    const { memory } = this;
    if (memory.outcome || memory.seats[seat] !== SEAT_IN) return [];
    memory.me = seat;
    const seen: ActionOption[] = [];
    let left = MOST_LOOKED;
    for (const [name, visible] of memory.configuration.actions) {
      if (chosen && chosen.action !== name) continue;
      // Each may take what a step may take, until all together have taken too much.
      memory.effects = left > 0 ? 0 : MAX_EFFECTS;
      seen.push(this.option(visible, seat, chosen?.args ?? {}));
      left -= memory.effects;
    }
    return seen;
  }

  /** The names of the actions that `of` says are open, without a word of why the others are closed. */
  open(seat: number): string[] {
    const { memory } = this;
    if (memory.outcome || memory.seats[seat] !== SEAT_IN) return [];
    memory.me = seat;
    const open: string[] = [];
    let left = MOST_LOOKED;
    for (const [name, visible] of memory.configuration.actions) {
      memory.effects = left > 0 ? 0 : MAX_EFFECTS;
      if (this.isOpen(visible, seat)) open.push(name);
      left -= memory.effects;
    }
    return open;
  }

  /** Every event of the machine; none once the match is over. */
  events(situation: Situation): EventOption[] {
    if (situation.outcome) return [];
    return this.machine.signals.flatMap(({ id, name, doc, origin, parameters }) => {
      if (origin !== "event") return [];
      const heard = situation.configuration.listeners[id] !== undefined;
      const free = parameters.map((p) => this.anyOf(p));
      return [{ event: name, ...(doc !== undefined && { doc }), heard, parameters: free }];
    });
  }

  /** True when some action is open to a seat that does not itself ask so; for the language's `canAct`. */
  canAct(seat: number): boolean {
    const { memory } = this;
    if (memory.seats[seat] !== SEAT_IN || memory.outcome) return false;
    const { me, locals } = memory;
    memory.me = seat;
    // Whoever asks may be in the middle of one of these actions, or of a function that they call.
    const before = locals.slice();
    try {
      for (const visible of memory.configuration.actions.values()) {
        const others = visible.filter(({ id }) => !this.asking.of(id));
        for (const { id } of this.candidates(others, seat)) {
          const ready = this.steps.actions.of(id);
          if (this.fitsApart(ready) && this.completes(ready, 0, { left: MAX_TRIED })) return true;
        }
      }
      return false;
    } finally {
      memory.me = me;
      for (let i = 0; i < before.length; i++) locals[i] = before[i];
    }
  }

  private option(visible: readonly VisibleAction[], seat: number, args: Arguments): ActionOption {
    const candidates = this.candidates(visible, seat);
    const { action } = candidates[0] ?? (visible[0] as VisibleAction);
    const { name } = action;
    const doc = action.doc === undefined ? undefined : { doc: action.doc };
    if (candidates.length === 0) {
      const { code, words } = this.admission.notNow(visible, seat);
      return { action: name, ...doc, open: false, code, reason: words, parameters: [] };
    }
    try {
      const looked = candidates.map((c) => this.look(this.steps.actions.of(c.id), args));
      return { action: name, ...doc, ...(looked.find((l) => l.open) ?? (looked[0] as Look)) };
    } catch (error) {
      if (!(error instanceof Fault)) throw error;
      const told = this.secrecy().at(error.at.from) !== "nobody";
      const reason = told ? error.message : SECRET_FAULT;
      return { action: name, ...doc, open: false, code: "fault", reason, parameters: [] };
    }
  }

  /** All that may be looked at is, so that a fault closes an action as it does where reasons are told. */
  private isOpen(visible: readonly VisibleAction[], seat: number): boolean {
    try {
      let open = false;
      for (const { id } of this.candidates(visible, seat)) open = this.opens(this.steps.actions.of(id)) || open;
      return open;
    } catch (error) {
      if (error instanceof Fault) return false;
      throw error;
    }
  }

  private opens(ready: ReadyAction): boolean {
    const { memory } = this;
    if (!this.fitsApart(ready)) return false;
    const [next] = ready.parameters;
    if (!next) return true;
    const { domain } = next.parameter;
    const listed = domain && this.secrecy().of(domain) === "nobody" ? undefined : this.offered(next);
    if (!listed) return true;
    const budget = { left: MAX_TRIED };
    let open = false;
    for (const value of listed) {
      memory.locals[next.slot] = value;
      if (next.fits() && this.completes(ready, 1, budget)) open = true;
    }
    return open;
  }

  /** The actions of one name that a seat may take as far as the turn goes: one, but for the standard order. */
  private candidates(visible: readonly VisibleAction[], seat: number): readonly VisibleAction[] {
    const mine = visible.filter((v) => this.admission.mayAct(v, seat));
    return this.machine.standardOrder ? mine : mine.slice(0, 1);
  }

  /** Looks at one action with the arguments chosen so far. */
  private look(ready: ReadyAction, args: Arguments): Look {
    const { parameters } = ready;
    const early = this.admission.unmet(ready.needsApart);
    if (early) return { open: false, code: "needsFailed", reason: early.words, parameters: [] };
    let fixed = 0;
    for (const p of parameters) {
      if (!Object.hasOwn(args, p.name)) break;
      const closed = this.admission.set(p, args) ?? this.admission.closedValue(p);
      if (closed !== undefined) return { open: false, code: "badArgument", reason: closed, parameters: [] };
      fixed++;
    }
    if (fixed < parameters.length) return this.lookAtNext(ready, fixed);
    const unmet = this.admission.unmet(ready.needsOfArguments);
    return unmet
      ? { open: false, code: "needsFailed", reason: unmet.words, parameters: [] }
      : { open: true, parameters: [] };
  }

  /** The values of the next parameter, after the first `fixed` ones have been set. */
  private lookAtNext(ready: ReadyAction, fixed: number): Look {
    const [next, ...rest] = ready.parameters.slice(fixed) as [ReadyParameter, ...ReadyParameter[]];
    const later = rest.map(
      ({ name, type, parameter }): ParameterOption => ({
        ...{ name, type: describe(type) },
        ...this.pointed(parameter.domain),
      }),
    );
    // Values that come from a secret of others are not listed; whether one is among them shows when it is tried.
    const { domain } = next.parameter;
    const listed = domain && this.secrecy().of(domain) === "nobody" ? undefined : this.offered(next);
    if (!listed) return { open: true, parameters: [this.free(next), ...later] };
    const values = this.valuesOf(ready, fixed, listed);
    const parameters = [{ name: next.name, type: describe(next.type), ...this.pointed(domain), values }, ...later];
    return values.some((v) => v.open)
      ? { open: true, parameters }
      : { open: false, code: "badArgument", reason: closedReason(next.name, values), parameters };
  }

  /** The data whose elements are numbered by a list: `kites.indices`, or some of them. */
  private pointed(domain: Expr | undefined): { readonly of?: string } {
    let list = domain;
    while (list?.kind === "binder" && (list.word === "filter" || list.word === "sort" || list.word === "sortDown"))
      list = list.source;
    if (list?.kind !== "listProperty" || list.property !== "indices" || list.of.kind !== "data") return {};
    const { slot } = list.of;
    const name = this.machine.data.find((data) => data.slot === slot)?.name;
    return name === undefined ? {} : { of: name };
  }

  private valuesOf(ready: ReadyAction, fixed: number, listed: readonly unknown[]): ValueOption[] {
    const { memory, admission } = this;
    const next = ready.parameters[fixed] as ReadyParameter;
    const after = ready.parameters[fixed + 1];
    const budget = { left: MAX_TRIED };
    return listed.map((value): ValueOption => {
      memory.locals[next.slot] = value;
      const json = toJson(next.type, value, memory.naming);
      const label = toText(next.type, value, memory.naming);
      const closed = admission.unfitting(next);
      if (closed !== undefined) return { value: json, label, open: false, reason: closed };
      if (this.completes(ready, fixed + 1, budget)) return { value: json, label, open: true };
      const unmet = after ? undefined : admission.unmet(ready.needsOfArguments)?.words;
      return { value: json, label, open: false, reason: unmet ?? this.nothingFor(after) };
    });
  }

  /** Why no value of the next parameter is open: what closes all of them, when it is one thing. */
  private nothingFor(next: ReadyParameter | undefined): string {
    if (!next) return "nothing fits it";
    const values = this.listed(next) ?? [];
    if (values.length === 0) return `there is nothing to choose for "${next.name}"`;
    const reasons = new Set(
      values.map((value) => {
        this.memory.locals[next.slot] = value;
        return this.admission.unfitting(next);
      }),
    );
    const [reason] = reasons;
    return reasons.size === 1 && reason !== undefined
      ? `no choice for "${next.name}" is open: ${reason}`
      : `no choice for "${next.name}" goes with it`;
  }

  /** Whether all needs hold that no argument has a part in. */
  private fitsApart({ needsApart, action }: ReadyAction): boolean {
    if (needsApart.length > 0) this.memory.spend(costOf(...needsApart.map(({ written }) => written)), action);
    return needsApart.every((need) => need.test());
  }

  /** True when the parameters from number `from` on can be chosen so that the needs that ask for them hold. */
  private completes(ready: ReadyAction, from: number, budget: { left: number }): boolean {
    if (--budget.left < 0) return true;
    this.memory.spend(this.costs.of(ready.action.id), ready.action);
    const p = ready.parameters[from];
    if (!p) return ready.needsOfArguments.every((need) => need.test());
    const values = this.listed(p);
    if (!values) return true;
    for (const value of values) {
      this.memory.locals[p.slot] = value;
      if (p.fits() && this.completes(ready, from + 1, budget)) return true;
    }
    return false;
  }

  /** The values of a parameter one by one; undefined when they are too many to list. */
  private listed({ ends, values, type }: ReadyParameter): readonly unknown[] | undefined {
    if (ends && ends.high() - ends.low() >= MAX_LISTED) return undefined;
    return values ? values() : allOf(type, this.memory.seats.length);
  }

  /** What is offered: also cells of which nothing says where they lie, where only those of the grids can be meant. */
  private offered(p: ReadyParameter): readonly unknown[] | undefined {
    return this.listed(p) ?? (p.type.kind === "cell" ? this.cells : undefined);
  }

  private free({ name, type, ends }: ReadyParameter): ParameterOption {
    if (!ends) return unbound(name, type);
    return { name, type: describe(type), range: { low: ends.low(), high: ends.high() } };
  }

  /** A parameter that nothing but its type restricts: its values where they can be listed. */
  private anyOf({ name, type }: { readonly name: string; readonly type: Type }): ParameterOption {
    const { naming, seats } = this.memory;
    const values = allOf(type, seats.length) ?? (type.kind === "cell" ? this.cells : undefined);
    if (!values) return unbound(name, type);
    return {
      name,
      type: describe(type),
      values: values.map((value) => ({
        value: toJson(type, value, naming),
        label: toText(type, value, naming),
        open: true,
      })),
    };
  }
}

function closedReason(name: string, values: readonly ValueOption[]): string {
  const reasons = [...new Set(values.map((v) => v.reason).filter((r) => r !== undefined))];
  if (reasons.length === 0) return `There is nothing to choose for "${name}".`;
  return sentence(reasons.length === 1 ? (reasons[0] as string) : `no choice for "${name}" is open`);
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
  const base = { name, type: describe(type) };
  if (type.kind === "int") return { ...base, range: { low: type.low, high: type.high } };
  return type.kind === "text" && type.max !== undefined ? { ...base, textMax: type.max } : base;
}

/** How many reasons for which an action is closed are told. */
const MOST_REASONS = 2;

/** In words that somebody has nothing open, with the reasons. @param options all of them are closed */
export function closedInWords(options: readonly ActionOption[]): string {
  const closed = options.map(({ action, reason, parameters }) => {
    const reasons = reason === undefined ? parameters.flatMap((p) => p.values ?? []).map((v) => v.reason) : [reason];
    const told = [...new Set(reasons.filter((one) => one !== undefined))].slice(0, MOST_REASONS);
    const why = told.map((words) => words.replace(/\.$/, "")).join("; ");
    return why === "" ? `"${action}"` : `"${action}" (${why})`;
  });
  if (closed.length === 0) return "there is no action";
  return `${closed.length === 1 ? "the only action is closed" : "nothing is open"}: ${closed.join(", ")}`;
}
