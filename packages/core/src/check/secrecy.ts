/**
 * Who may be told what happens at each place of a machine's text: the values of a condition, a fault, a roll, a clamp,
 * a signal. What the text does on purpose (writing to public data, notes, the arguments of an ending) is not looked at
 * here; this is about what shows besides.
 *
 * Worked out from the text alone, once for a machine, so that playing costs nothing.
 */

import type { Span } from "../language/source.js";
import type { Arrow, Block, DataField, Expr, Machine, Statement } from "./machine.js";
import { CHOICE, type Known, NOTHING_KNOWN, type Origin, Origins, united } from "./origins.js";
import { branchesOf, partsOf, visitExpr } from "./visit.js";

/** Everybody; the seat that acts; nobody, because it is hidden, or of a seat that need not be the one that acts. */
export type Audience = "all" | "actor" | "nobody";

/** What a walk over a machine comes by. */
export interface Seen {
  /** Something that happens at a place comes from these. */
  place(at: Span, origins: readonly Origin[]): void;
  /** Data that not everybody may see are given a value that comes from these. */
  write?(field: DataField, origins: readonly Origin[]): void;
  /** Dice are rolled, in a place that is only come to by these. */
  roll?(e: Expr, control: readonly Origin[]): void;
}

/** How often listeners are gone through, at most, until what signals carry is known. */
const MOST_ROUNDS = 10;

/** Tells who may be told what. */
export class Secrecy {
  /** True for a machine that keeps no secrets at all. */
  readonly none: boolean;
  private readonly origins: Origins;
  private readonly places = new Map<string, { readonly at: Span; origins: readonly Origin[] }>();
  private readonly known = new Map<number, Audience>();

  constructor(machine: Machine) {
    this.none = !keepsSecrets(machine);
    this.origins = new Origins(machine, { strict: true });
    if (this.none) return;
    walkSecrets(machine, this.origins, {
      place: (at, origins) => {
        const key = `${at.from} ${at.to}`;
        const place = this.places.get(key);
        if (place) place.origins = united(place.origins, origins);
        else this.places.set(key, { at, origins });
      },
    });
  }

  /** Who may know the value of an expression that an action asks; what is chosen for it, the one who asks knows. */
  of(e: Expr): Audience {
    return this.none ? "all" : audienceOf(this.origins.of(e, NOTHING_KNOWN));
  }

  /** Who may be told what happened at a position of the text: what the innermost place there comes from. */
  at(position: number): Audience {
    if (this.none) return "all";
    let audience = this.known.get(position);
    if (audience === undefined) {
      let innermost: { readonly at: Span; readonly origins: readonly Origin[] } | undefined;
      for (const place of this.places.values()) {
        const { from, to } = place.at;
        if (position < from || position >= to) continue;
        if (!innermost || to - from < innermost.at.to - innermost.at.from) innermost = place;
      }
      audience = audienceOf(innermost?.origins ?? []);
      this.known.set(position, audience);
    }
    return audience;
  }
}

/** True for a machine with anything that not everybody may see. */
function keepsSecrets(machine: Machine): boolean {
  return (
    machine.actions.some((action) => action.sealed) ||
    machine.streams.some((stream) => stream.visibility !== "public") ||
    [...machine.data, ...machine.states.flatMap((s) => s.fields)].some((field) => field.visibility !== "public")
  );
}

function audienceOf(origins: readonly Origin[]): Audience {
  let audience: Audience = "all";
  for (const { visibility, owner } of origins) {
    if (visibility === "public") continue;
    if (visibility === "hidden" || owner !== "me") return "nobody";
    audience = "actor";
  }
  return audience;
}

/** Goes through all that a machine does, with what each piece comes from. */
export function walkSecrets(machine: Machine, origins: Origins, seen: Seen): void {
  new Walk(machine, origins, seen).machine();
}

class Walk {
  /** What the values of each signal come from, and that it is raised at all. */
  private readonly signals: { readonly values: (readonly Origin[])[]; control: readonly Origin[] }[];
  /** The bodies of effects that have been gone through, by what their arguments come from. */
  private readonly bodies = new Map<string, Known>();
  private changed = false;

  constructor(
    private readonly typed: Machine,
    private readonly origins: Origins,
    private readonly seen: Seen,
  ) {
    this.signals = typed.signals.map((signal) => ({ values: signal.parameters.map(() => []), control: [] }));
  }

  machine(): void {
    // What listeners hear depends on what is raised, and they raise signals themselves.
    for (let round = 0; round < MOST_ROUNDS; round++) {
      this.changed = false;
      this.bodies.clear();
      this.everything();
      if (!this.changed) return;
    }
  }

  private everything(): void {
    const { states, laws, endings } = this.typed;
    for (const law of laws) if (law.form === "holds") this.look(law.test, NOTHING_KNOWN, []);
    for (const { results } of endings)
      for (const rule of results)
        for (const e of rule.kind === "result"
          ? [rule.seats]
          : rule.kind === "ranks"
            ? [rule.list]
            : [rule.source, rule.value])
          this.look(e, NOTHING_KNOWN, []);
    for (const state of states) {
      if (state.turn) this.look(state.turn.of, NOTHING_KNOWN, []);
      for (const action of state.actions) {
        for (const p of action.parameters) this.lookAll([p.domain, p.where, p.reason], NOTHING_KNOWN, []);
        for (const need of action.needs) this.lookAll([need.test, need.reason], NOTHING_KNOWN, []);
        const choice = action.sealed ? [CHOICE] : [];
        const known = new Map(action.parameters.map((p) => [p.slot, choice]));
        this.way(action.block, action.arrow, known, choice);
      }
      for (const { block, arrow } of state.enters) this.way(block, arrow, NOTHING_KNOWN, []);
      for (const exit of state.exits) this.block(exit, NOTHING_KNOWN, []);
      for (const timer of state.timers) {
        this.look(timer.delay, NOTHING_KNOWN, []);
        this.way(timer.block, timer.arrow, NOTHING_KNOWN, this.asked(timer.test, NOTHING_KNOWN, []));
      }
      for (const listener of state.listeners) {
        const heard = this.signals[listener.signal];
        const known = new Map(listener.slots.map((slot, i) => [slot, heard?.values[i] ?? []]));
        const asked = this.asked(listener.test, known, heard?.control ?? []);
        // That it heard at all.
        this.seen.place(listener, asked);
        this.way(listener.block, listener.arrow, known, asked);
      }
      for (const when of state.whens) {
        const test = when.test.kind === "holds" ? when.test.test : undefined;
        this.way(when.block, when.arrow, NOTHING_KNOWN, this.asked(test, NOTHING_KNOWN, []));
      }
    }
  }

  private way(block: Block | undefined, arrow: Arrow | undefined, known: Known, control: readonly Origin[]): void {
    const after = this.block(block, known, control);
    if (arrow) this.arrow(arrow, after, control);
  }

  private arrow(arrow: Arrow, known: Known, control: readonly Origin[]): void {
    switch (arrow.kind) {
      case "to":
        this.lookAll(arrow.target.args, known, control);
        return;
      case "odds":
        this.seen.place(arrow, united(control, ...arrow.entries.map(({ weight }) => this.origins.of(weight, known))));
        for (const { target } of arrow.entries) this.lookAll(target.args, known, control);
        return;
      case "choose": {
        let asked = control;
        for (const branch of branchesOf(arrow)) {
          asked = this.asked(branch.test, known, asked);
          this.way(branch.block, branch.arrow, known, asked);
        }
        return;
      }
      default:
    }
  }

  private block(block: Block | undefined, known: Known, control: readonly Origin[]): Known {
    let now = known;
    for (const s of block?.statements ?? []) now = this.statement(s, now, control);
    return now;
  }

  /** @returns what local values come from after it */
  private statement(s: Statement, known: Known, control: readonly Origin[]): Known {
    switch (s.kind) {
      case "let": {
        const value = this.values(s, [s.value], known, control);
        return new Map(known).set(s.slot, value);
      }
      case "assign":
      case "change": {
        const { target } = s;
        const args = s.kind === "assign" ? [s.value] : s.args;
        const place = this.origins.ofLocation(target, known);
        const given = this.values(s, args, known, control);
        const value = united(given, place);
        this.seen.place(s, value);
        const field = this.origins.fieldAt(target.base);
        // Forgetting a secret makes none, wherever that is.
        if (field && field.visibility !== "public") this.seen.write?.(field, isForgotten(s, field) ? given : value);
        return target.base.kind === "local" ? new Map(known).set(target.base.slot, value) : known;
      }
      case "call": {
        this.values(s, s.args, known, control);
        const called = this.typed.effects[s.effect];
        const { slot = -1 } = called?.result ?? {};
        const after = this.body(s.effect, s.args, known, control);
        return slot < 0 ? known : new Map(known).set(slot, united(after.get(slot) ?? [], control));
      }
      case "raise": {
        this.values(s, s.args, known, control);
        const signal = this.signals[s.signal];
        for (const [i, arg] of s.args.entries())
          if (signal) signal.values[i] = this.grown(signal.values[i] ?? [], this.origins.of(arg, known));
        if (signal) signal.control = this.grown(signal.control, control);
        return known;
      }
      case "for": {
        const source = this.values(s.source, [s.source, ...(s.where ? [s.where] : [])], known, control);
        const asked = source.filter(({ visibility }) => visibility !== "public");
        this.block(s.body, new Map(known).set(s.slot, source), asked);
        return known;
      }
      case "if": {
        let asked = control;
        let after = known;
        for (const { test, body } of s.branches) {
          asked = this.asked(test, known, asked);
          after = joined(after, this.block(body, known, asked));
        }
        return joined(after, this.block(s.otherwise, known, asked));
      }
      case "note":
        this.values(s, [s.text, ...(s.audience ? [s.audience] : [])], known, control);
        return known;
      default:
        this.values(s, [s.seat], known, control);
        return known;
    }
  }

  /** Goes through the body of an effect, once for every way in which it is called. */
  private body(effect: number, args: readonly Expr[], known: Known, control: readonly Origin[]): Known {
    const called = this.typed.effects[effect];
    if (!called) return NOTHING_KNOWN;
    const inner = new Map(
      called.parameters.map((p, i) => [p.slot, args[i] ? this.origins.of(args[i] as Expr, known) : []]),
    );
    const key = JSON.stringify([effect, [...inner], control]);
    const before = this.bodies.get(key);
    if (before) return before;
    // Effects never call themselves; a call that comes again while this one is gone through has nothing to add.
    this.bodies.set(key, inner);
    const after = this.block(called.body, inner, control);
    this.bodies.set(key, after);
    return after;
  }

  // ---- expressions ------------------------------------------------------------------------------

  /** A condition: what is behind it is only come to by what it comes from. */
  private asked(test: Expr | undefined, known: Known, control: readonly Origin[]): readonly Origin[] {
    if (!test) return control;
    // What follows from a roll that everybody sees is no roll of its own.
    return this.look(test, known, control).filter(({ visibility }) => visibility !== "public");
  }

  private lookAll(exprs: readonly (Expr | undefined)[], known: Known, control: readonly Origin[]): void {
    for (const e of exprs) if (e) this.look(e, known, control);
  }

  private look(e: Expr, known: Known, control: readonly Origin[]): readonly Origin[] {
    return this.values(e, [e], known, control);
  }

  /** What the expressions of a place come from, and that it is come to at all. */
  private values(at: Span, exprs: readonly Expr[], known: Known, control: readonly Origin[]): readonly Origin[] {
    const origins = united(control, ...exprs.map((e) => this.origins.of(e, known)));
    this.seen.place(at, origins);
    for (const e of exprs) this.inside(e, known, control);
    return origins;
  }

  /** Rolls are places of their own, and so are the bodies of functions. */
  private inside(e: Expr, known: Known, control: readonly Origin[]): void {
    const parts = partsOf(e);
    switch (e.kind) {
      case "roll":
      case "chance":
      case "pick":
      case "shuffle": {
        const [own] = this.origins.of(e, NOTHING_KNOWN);
        const hidden = own?.visibility === "hidden" ? [own] : [];
        this.seen.place(e, united(control, hidden, ...parts.map((part) => this.origins.of(part, known))));
        this.seen.roll?.(e, control);
        break;
      }
      case "call":
        this.functionBody(e.function, united(control, this.origins.of(e, known)), new Set());
        break;
      case "binder": {
        const inner = new Map(known).set(e.slot, this.origins.of(e.source, known));
        for (const part of parts) this.inside(part, inner, control);
        return;
      }
      default:
    }
    for (const part of parts) this.inside(part, known, control);
  }

  /** What happens in a function, and in those that it calls, comes from what the call comes from. */
  private functionBody(id: number, origins: readonly Origin[], done: Set<number>): void {
    const called = this.typed.functions[id];
    if (!called || done.has(id)) return;
    done.add(id);
    this.seen.place(called.body, origins);
    visitExpr(called.body, {
      expr: (e) => {
        if (e.kind === "call") this.functionBody(e.function, origins, done);
      },
    });
  }

  private grown(before: readonly Origin[], more: readonly Origin[]): readonly Origin[] {
    const after = united(before, more);
    if (after.length > before.length) this.changed = true;
    return after.length > before.length ? after : before;
  }
}

/** Whether a statement sets data back to what they begin with. */
function isForgotten(s: Statement, { initial }: DataField): boolean {
  if (s.kind === "change") return s.method === "clear";
  if (s.kind !== "assign" || s.op !== "=" || s.value.kind !== "constant") return false;
  const { value } = s.value;
  if (initial && s.target.path.every(({ kind }) => kind === "index"))
    return initial.kind === "constant" && initial.value === value;
  return value === null || value === false || value === "" || value === 0;
}

/** What local values come from when one of two ways was gone. */
function joined(a: Known, b: Known): Known {
  if (a === b) return a;
  const all = new Map(a);
  for (const [slot, origins] of b) all.set(slot, united(all.get(slot) ?? [], origins));
  return all;
}
