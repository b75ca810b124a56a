/**
 * Who reads and writes which data, and in which states: every use of data, through the functions and effects that
 * states call.
 */

import type { Span } from "../../language/source.js";
import type { Expr, Location, Machine, Statement } from "../machine.js";
import { branchTests } from "../tree.js";
import {
  someExpr,
  type Visitor,
  visitBlock,
  visitEnding,
  visitExpr,
  visitMachine,
  visitState,
  visitTest,
} from "../visit.js";

/**
 * The path of a datum: `d` and a slot of the machine, or `s`, a slot and a field of a state, then the
 * fields of records inside; indices do not count. `d3.1` is a field of every kite.
 */
export type DataPath = string;

/** Where a use stands. */
export type Place =
  | { readonly kind: "state" | "function" | "effect" | "ending"; readonly id: number }
  | { readonly kind: "law" | "policy" | "test" | "default"; readonly id: number };

export interface Access extends Span {
  readonly path: DataPath;
  readonly place: Place;
  readonly kind: "read" | "write";
  /** For writes: what is done. For reads: the expression that reads. */
  readonly statement?: Statement;
  readonly expr?: Expr;
  /** A written location has indices on the way. */
  readonly indexed?: boolean;
  /** Among the reads: it only serves the writing of the same datum, such as the left of `x = x + 1`. */
  readonly own?: boolean;
  /** Among the reads: it asks a grid for its cells or for who is near, not for what lies on them. */
  readonly shape?: boolean;
  /** Written by a `take` inside an expression. */
  readonly takes?: boolean;
}

export interface Call {
  readonly place: Place;
  readonly routine: "function" | "effect" | "constant" | "signal" | "heard";
  readonly id: number;
}

/** What decides by tests which of the things in it run. */
interface Decision extends Span {
  readonly tests: readonly Expr[];
}

export class Accesses {
  readonly all: Access[] = [];
  readonly calls: Call[] = [];
  private place: Place = { kind: "default", id: 0 };
  private readonly byPath = new Map<DataPath, Access[]>();
  private decisions: readonly Decision[] | undefined;
  private readonly resized = new Map<DataPath, boolean>();
  private readonly routineStates = new Map<string, ReadonlySet<number>>();

  constructor(readonly machine: Machine) {
    for (const f of machine.data) if (f.initial) this.expr(f.initial);
    for (const state of machine.states) {
      for (const f of state.fields)
        if (f.initial) this.at({ kind: "state", id: state.id }, () => this.expr(f.initial as Expr));
      this.at({ kind: "state", id: state.id }, () => {
        for (const l of state.listeners) this.calls.push({ place: this.place, routine: "heard", id: l.signal });
        visitState(state, this.visitor);
      });
    }
    for (const [id, f] of machine.functions.entries()) this.at({ kind: "function", id }, () => this.expr(f.body));
    for (const [id, e] of machine.effects.entries())
      this.at({ kind: "effect", id }, () => visitBlock(e.body, this.visitor));
    for (const e of machine.endings) this.at({ kind: "ending", id: e.id }, () => visitEnding(e, this.visitor));
    for (const c of machine.constants) this.expr(c.value);
    for (const initials of machine.recordInitials.values()) for (const e of initials) if (e) this.expr(e);
    for (const l of machine.laws) this.at({ kind: "law", id: l.id }, () => l.form === "holds" && this.expr(l.test));
    for (const [id, p] of machine.policies.entries())
      this.at({ kind: "policy", id }, () => {
        for (const e of p.entries) for (const part of [e.test, ...(e.call?.args.values() ?? [])]) this.expr(part);
      });
    for (const [id, t] of machine.tests.entries()) this.at({ kind: "test", id }, () => visitTest(t, this.visitor));
    for (const access of this.all) {
      const list = this.byPath.get(access.path);
      if (list) list.push(access);
      else this.byPath.set(access.path, [access]);
    }
  }

  /** The uses of exactly one path. */
  of(path: DataPath): readonly Access[] {
    return this.byPath.get(path) ?? [];
  }

  /** The uses of a path, of what it is part of, and of its parts. */
  touching(path: DataPath): Access[] {
    const found: Access[] = [];
    for (const [other, list] of this.byPath) if (isPart(other, path) || isPart(path, other)) found.push(...list);
    return found;
  }

  writes(path: DataPath): Access[] {
    return this.touching(path).filter((a) => a.kind === "write");
  }

  /** True when nothing of the machine (tests apart) ever writes the path, what it is part of, or parts of it. */
  neverWritten(path: DataPath): boolean {
    return !this.writes(path).some((a) => a.place.kind !== "test");
  }

  /**
   * True for a list that stays as long as it begins: its elements may be written, but nothing adds one, takes one away
   * or puts another list in its place, nor does a test.
   */
  neverResized(path: DataPath): boolean {
    const known = this.resized.get(path);
    if (known !== undefined) return !known;
    const resized = this.touching(path).some((a) => a.kind === "write" && (a.takes === true || resizes(a, path)));
    this.resized.set(path, resized);
    return !resized;
  }

  /**
   * Whether a datum is only written where it was asked what it is, in an `if`, a choice or an action, or by what goes
   * on from it.
   */
  hangsOnItself(path: DataPath): boolean {
    const { actions } = this.machine;
    const asks = (e: Expr | undefined): boolean =>
      someExpr(
        e,
        (part) => pathOf(part) === path || (part.kind === "call" && asks(this.machine.functions[part.function]?.body)),
      );
    // A place among those that can be reached from the place it is now.
    const isOfferedBy = (value: Expr): boolean =>
      actions.some(({ parameters }) =>
        parameters.some((p) => someExpr(value, (e) => e.kind === "local" && e.slot === p.slot) && asks(p.domain)),
      );
    const goesOn = ({ statement: s }: Access): boolean =>
      s?.kind === "assign" && (asks(s.value) || isOfferedBy(s.value));
    this.decisions ??= decisionsIn(this.machine);
    const isAsked = ({ from, to }: Access): boolean =>
      this.decisions?.some((d) => d.from <= from && to <= d.to && d.tests.some(asks)) ?? false;
    const writes = this.writes(path).filter(({ place }) => place.kind !== "test");
    return writes.some(goesOn) || writes.every(isAsked);
  }

  /** The states in which something at a place happens; for routines those of all that call them. */
  statesOf(place: Place): ReadonlySet<number> {
    if (place.kind === "state") return new Set([place.id]);
    if (place.kind !== "function" && place.kind !== "effect") return new Set();
    const key = `${place.kind} ${place.id}`;
    const known = this.routineStates.get(key);
    if (known) return known;
    const states = new Set<number>();
    this.routineStates.set(key, states);
    for (const call of this.calls) {
      if (call.routine === place.kind && call.id === place.id)
        for (const id of this.statesOf(call.place)) states.add(id);
    }
    return states;
  }

  /** True when an ending reads a datum, itself or through functions: it tells what the match came to. */
  isToldAtEnd(path: DataPath): boolean {
    const called = new Set<number>();
    const atEnd = (place: Place): boolean => {
      if (place.kind !== "function") return place.kind === "ending";
      if (called.has(place.id)) return false;
      called.add(place.id);
      return this.calls.some((c) => c.routine === "function" && c.id === place.id && atEnd(c.place));
    };
    return this.touching(path).some((a) => a.kind === "read" && atEnd(a.place));
  }

  isCalled(routine: Call["routine"], id: number): boolean {
    return this.calls.some((c) => c.routine === routine && c.id === id);
  }

  // ---- walking ---------------------------------------------------------------------------------

  private at(place: Place, walk: () => void): void {
    const before = this.place;
    this.place = place;
    walk();
    this.place = before;
  }

  /** What is read and written is told by `expr` and `statement`, which go on by themselves where they say false. */
  private readonly visitor: Visitor = {
    expr: (e) => this.seeExpr(e),
    statement: (s) => this.seeStatement(s),
    location: (target) => {
      this.write(target);
      return false;
    },
  };

  private expr(e: Expr | undefined): void {
    visitExpr(e, this.visitor);
  }

  private seeStatement(s: Statement): boolean {
    switch (s.kind) {
      case "assign":
        this.write(s.target, s);
        this.own(s.target, s.value);
        return false;
      case "change":
        this.write(s.target, s);
        for (const arg of s.args) this.expr(arg);
        return false;
      case "call":
        this.calls.push({ place: this.place, routine: "effect", id: s.effect });
        return true;
      case "raise":
        this.calls.push({ place: this.place, routine: "signal", id: s.signal });
        return true;
      default:
        return true;
    }
  }

  private written: DataPath | undefined;
  private shaped: Expr | undefined;

  private own(target: Location, value: Expr): void {
    this.written = pathOfLocation(target);
    this.expr(value);
    this.written = undefined;
  }

  private write(target: Location, statement?: Statement & { kind: "assign" | "change" }): void {
    for (const step of target.path) if (step.kind === "index") this.expr(step.key);
    const path = pathOfLocation(target);
    if (path === undefined) return;
    this.all.push({
      path,
      place: this.place,
      kind: "write",
      ...(statement && { statement }),
      indexed: target.path.some((p) => p.kind === "index"),
      from: target.from,
      to: target.to,
    });
  }

  /** @returns false when all that is inside has been seen */
  private seeExpr(e: Expr): boolean {
    const path = pathOf(e);
    if (path !== undefined) {
      this.all.push({
        path,
        place: this.place,
        kind: "read",
        expr: e,
        ...(path === this.written && { own: true }),
        ...(e === this.shaped && { shape: true }),
        from: e.from,
        to: e.to,
      });
      for (let inner: Expr = e; ; ) {
        if (inner.kind === "index") {
          this.expr(inner.key);
          inner = inner.of;
        } else if (inner.kind === "field" || inner.kind === "unwrap") inner = inner.of;
        else return false;
      }
    }
    if (e.kind === "take") {
      const taken = pathOfLocation(e.target);
      for (const step of e.target.path) if (step.kind === "index") this.expr(step.key);
      if (taken !== undefined) {
        this.all.push({ path: taken, place: this.place, kind: "write", takes: true, from: e.from, to: e.to });
        this.all.push({ path: taken, place: this.place, kind: "read", expr: e, from: e.from, to: e.to });
      }
      return false;
    }
    if (e.kind === "gridProperty" || e.kind === "gridCall") this.shaped = e.of;
    if (e.kind === "call") this.calls.push({ place: this.place, routine: "function", id: e.function });
    if (e.kind === "named") this.calls.push({ place: this.place, routine: "constant", id: e.constant });
    return true;
  }
}

/** Every `if`, choice and loop, and all in a state that has conditions. */
function decisionsIn(machine: Machine): Decision[] {
  const found: Decision[] = [];
  visitMachine(machine, {
    statement: (s) => {
      if (s.kind === "if") found.push({ from: s.from, to: s.to, tests: s.branches.map(({ test }) => test) });
      if (s.kind === "for" && s.where) found.push({ from: s.from, to: s.to, tests: [s.where] });
    },
    arrow: (a) => {
      if (a.kind === "choose") found.push({ from: a.from, to: a.to, tests: branchTests(a) });
    },
  });
  for (const { from, to, needs, parameters } of machine.actions) {
    const offered = parameters.flatMap(({ domain, where }) => [domain, where]);
    found.push({ from, to, tests: [...needs.map(({ test }) => test), ...offered].filter((e) => e !== undefined) });
  }
  for (const { whens, timers, listeners } of machine.states) {
    for (const { from, to, test } of whens) if (test.kind === "holds") found.push({ from, to, tests: [test.test] });
    for (const { from, to, test } of [...timers, ...listeners]) if (test) found.push({ from, to, tests: [test] });
  }
  return found;
}

/**
 * The slots of the root box that something writes when it runs, through the effects it calls.
 *
 * @param visit visits what runs
 */
export function slotsWritten(machine: Machine, visit: (visitor: Visitor) => void): Set<number> {
  const slots = new Set<number>();
  const called = new Set<number>();
  const visitor: Visitor = {
    location: ({ base }) => {
      if (base.kind !== "local") slots.add(base.slot);
    },
    statement: (s) => {
      if (s.kind !== "call" || called.has(s.effect)) return;
      called.add(s.effect);
      visitBlock(machine.effects[s.effect]?.body, visitor);
    },
  };
  visit(visitor);
  return slots;
}

/** The path an expression reads, when it is data, or an element or field of data. */
export function pathOf(e: Expr): DataPath | undefined {
  switch (e.kind) {
    case "data":
      return `d${e.slot}`;
    case "stateData":
      return `s${e.slot}.${e.field}`;
    case "field": {
      const of = pathOf(e.of);
      return of && `${of}.${e.field}`;
    }
    case "index":
    case "unwrap":
      return pathOf(e.of);
    default:
      return undefined;
  }
}

export function pathOfLocation(target: Location): DataPath | undefined {
  const { base } = target;
  if (base.kind === "local") return undefined;
  const start = base.kind === "data" ? `d${base.slot}` : `s${base.slot}.${base.field}`;
  return target.path.reduce((path, step) => (step.kind === "field" ? `${path}.${step.field}` : path), start);
}

/** True when a path is another, or part of it. */
export function isPart(inner: DataPath, outer: DataPath): boolean {
  return inner === outer || inner.startsWith(`${outer}.`);
}

/** Whether a write to a list, or to what it is part of, may change how long it is. */
function resizes({ statement, indexed, path: written }: Access, path: DataPath): boolean {
  if (statement?.kind === "change") return statement.method !== "fill";
  return !indexed && written.length <= path.length;
}
