/**
 * Data that no rule can see between two steps, so that situations that differ in them alone have the same future: data
 * that nothing but notes (and other such data) reads, and data that every step writes anew before it reads them.
 *
 * A datum is told apart by its slot and the fields that lead to it; that it is one for each seat does not count.
 */

import type { Arrow, Block, Expr, Law, Location, LocationStep, Machine, State, Statement } from "../check/machine.js";
import { perMachine } from "../check/per-machine.js";
import type { Type } from "../check/types.js";
import {
  branchesOf,
  partsOf,
  type Visitor,
  visitArrow,
  visitBlock,
  visitEnding,
  visitExpr,
  visitState,
} from "../check/visit.js";

/** A datum: the slot, then fields. */
type Path = readonly number[];

export interface Unseen {
  has(path: Path): boolean;
  /** Their names, for the report: `kites.*.gust`. */
  readonly names: readonly string[];
}

/** @param also conditions that are asked from outside, such as a goal */
export function unseenData(machine: Machine, also: readonly Expr[] = []): Unseen {
  return also.length > 0 ? workedOut(machine, also) : unseenByRules(machine);
}

/** What is unseen in machines where nothing is asked beside their rules. */
const unseenByRules = perMachine((machine) => workedOut(machine, []));

function workedOut(machine: Machine, also: readonly Expr[]): Unseen {
  const leaves = machine.data.flatMap(({ slot, name, type }) => leavesOf(type, [slot], name));
  const flows = new Flows(machine);
  for (const expr of also) flows.asked(expr);
  const seen = flows.seen();
  const afresh = new Afresh(machine, also);
  const unseen = leaves.filter(({ key }) => !seen.has(key) || afresh.has(key));
  const keys = new Set(unseen.map(({ key }) => key));
  return {
    has: (path) => keys.has(path.join(".")),
    names: unseen.map(({ name }) => name),
  };
}

interface Leaf {
  readonly key: string;
  readonly name: string;
}

function leavesOf(type: Type, path: Path, name: string): Leaf[] {
  switch (type.kind) {
    case "record":
      return type.fields.flatMap((field, i) => leavesOf(field.type, [...path, i], `${name}.${field.name}`));
    case "perSeat":
      return leavesOf(type.of, path, `${name}.*`);
    default:
      return [{ key: path.join("."), name }];
  }
}

/** The datum that an expression names, as far as fields lead: what is inside a list belongs to the list. */
function pathOf(e: Expr): { readonly path: Path; readonly type: Type } | undefined {
  switch (e.kind) {
    case "data":
      return { path: [e.slot], type: e.type };
    case "field": {
      const of = pathOf(e.of);
      return of?.type.kind === "record" ? { path: [...of.path, e.field], type: e.type } : of;
    }
    case "index": {
      const of = pathOf(e.of);
      return of?.type.kind === "perSeat" ? { path: of.path, type: of.type.of } : of;
    }
    default:
      return undefined;
  }
}

/** The data that a place to write to is, or is a part of. */
function targetOf(
  machine: Machine,
  { base, path }: Location,
): { readonly path: Path; readonly type: Type } | undefined {
  if (base.kind !== "data") return undefined;
  let type: Type = machine.data[base.slot]?.type as Type;
  const way: number[] = [base.slot];
  for (const step of path) {
    if (step.kind === "field" && type.kind === "record") {
      way.push(step.field);
      type = type.fields[step.field]?.type as Type;
    } else if (step.kind === "index" && type.kind === "perSeat") type = type.of;
    else break;
  }
  return { path: way, type };
}

/** Whether there may be nothing where a step of a path leads. */
function mayMiss(step: LocationStep): boolean {
  return step.kind === "present" || (step.kind === "index" && step.of.kind !== "perSeat");
}

/** All leaves at and under a datum. */
function keysUnder({ path, type }: { readonly path: Path; readonly type: Type }): string[] {
  return leavesOf(type, path, "").map(({ key }) => key);
}

/** The data that a law about changes watches, by the path that it names. */
function watched(machine: Machine, law: Law & { readonly form: "changes" }): string[] {
  let type: Type = machine.data[law.slot]?.type as Type;
  const path: number[] = [law.slot];
  for (const name of law.path.split(".").slice(1)) {
    while (type.kind === "perSeat") type = type.of;
    if (type.kind !== "record") break;
    const field = type.fields.findIndex((each) => each.name === name);
    if (field < 0) break;
    path.push(field);
    type = type.fields[field]?.type as Type;
  }
  return keysUnder({ path, type });
}

function localKey(slot: number): string {
  return `local ${slot}`;
}

/** What flows where: which data a datum is worked out from, and which are asked by a rule. */
class Flows {
  private readonly from = new Map<string, Set<string>>();
  private readonly roots = new Set<string>();

  constructor(private readonly machine: Machine) {
    for (const { body } of machine.functions) this.mayFail(body);
    for (const { body, result } of machine.effects) {
      visitBlock(body, this.visitor);
      if (result) this.roots.add(localKey(result.slot));
    }
    for (const state of machine.states) this.state(state);
    for (const ending of machine.endings) visitEnding(ending, { expr: (e) => this.root(e) });
    for (const law of machine.laws)
      if (law.form === "holds") this.asked(law.test);
      else if (law.form === "changes") for (const key of watched(machine, law)) this.roots.add(key);
    for (const { entries } of machine.policies)
      for (const { test, call } of entries)
        for (const e of [test, ...(call?.args.values() ?? [])]) if (e) this.asked(e);
  }

  /** The data, and local values, that some rule can see. */
  seen(): ReadonlySet<string> {
    const seen = new Set(this.roots);
    const waiting = [...seen];
    for (let key = waiting.pop(); key !== undefined; key = waiting.pop())
      for (const source of this.from.get(key) ?? [])
        if (!seen.has(source)) {
          seen.add(source);
          waiting.push(source);
        }
    return seen;
  }

  /** Everything in an expression decides something. */
  asked(e: Expr): void {
    for (const key of this.reads(e)) this.roots.add(key);
  }

  private root(e: Expr): false {
    this.asked(e);
    return false;
  }

  private state(state: State): void {
    // What is told and what does nothing but tell decides nothing.
    const words = new Set<Expr>(
      state.actions.flatMap(({ needs, parameters }) => [
        ...needs.flatMap(({ reason }) => (reason ? [reason] : [])),
        ...parameters.flatMap(({ reason }) => (reason ? [reason] : [])),
      ]),
    );
    for (const { test, arrow, block } of state.listeners) if (test && !arrow && isMute(block)) words.add(test);
    visitState(state, {
      expr: (e) => {
        if (words.has(e)) this.mayFail(e);
        else this.asked(e);
        return false;
      },
      statement: (s) => this.statement(s),
    });
    for (const field of state.fields) if (field.initial) this.asked(field.initial);
  }

  /** What is not taken apart by itself decides something. */
  private readonly visitor: Visitor = {
    expr: (e) => {
      this.asked(e);
      return false;
    },
    statement: (s) => this.statement(s),
  };

  /** @returns false when all of a statement has been looked at */
  private statement(s: Statement): boolean {
    switch (s.kind) {
      case "let":
        this.flow([localKey(s.slot)], [s.value]);
        return false;
      case "assign":
      case "change": {
        const values = s.kind === "assign" ? [s.value] : s.args;
        const target = targetOf(this.machine, s.target);
        const keys = s.target.path.flatMap((step) => (step.kind === "index" ? [step.key] : []));
        const written =
          s.target.base.kind === "local" ? [localKey(s.target.base.slot)] : target ? keysUnder(target) : undefined;
        // Data of states are always seen, and so is what is written to them.
        if (written) this.flow(written, [...values, ...keys]);
        else for (const e of [...values, ...keys]) this.asked(e);
        // Taking from an empty list, or writing beyond its end or to a part of what is none, is a fault.
        if (written && (s.kind === "change" || s.target.path.some(mayMiss)))
          for (const key of written) this.roots.add(key);
        return false;
      }
      case "call":
        this.pass(this.machine.effects[s.effect]?.parameters.map(({ slot }) => slot) ?? [], s.args);
        return false;
      case "raise":
        for (const state of this.machine.states)
          for (const listener of state.listeners) if (listener.signal === s.signal) this.pass(listener.slots, s.args);
        for (const e of s.args) this.mayFail(e);
        return false;
      case "note":
        this.mayFail(s.text);
        if (s.audience) this.mayFail(s.audience);
        return false;
      case "for":
        this.flow([localKey(s.slot)], [s.source]);
        return true;
      case "if": {
        const mute = [...s.branches.map(({ body }) => body), s.otherwise].every((body) => isMute(body));
        if (!mute) return true;
        for (const { test, body } of s.branches) {
          this.mayFail(test);
          visitBlock(body, this.visitor);
        }
        visitBlock(s.otherwise, this.visitor);
        return false;
      }
      default:
        return true;
    }
  }

  private pass(slots: readonly number[], args: readonly Expr[]): void {
    for (const [i, arg] of args.entries()) {
      const slot = slots[i];
      if (slot !== undefined) this.flow([localKey(slot)], [arg]);
    }
  }

  private flow(to: readonly string[], values: readonly Expr[]): void {
    const sources = values.flatMap((e) => this.reads(e));
    for (const key of to) {
      const known = this.from.get(key);
      if (known) for (const source of sources) known.add(source);
      else this.from.set(key, new Set(sources));
    }
    for (const e of values) this.mayFail(e);
  }

  /** What in an expression can be a fault decides whether the step is one. */
  private mayFail(e: Expr): void {
    visitExpr(e, {
      expr: (part) => {
        if (isPartial(part)) this.asked(part);
        return true;
      },
    });
  }

  /** The data and local values that an expression is worked out from. */
  private reads(e: Expr): string[] {
    const found = new Set<string>();
    const called = new Set<number>();
    const look = (part: Expr): void => {
      const own = pathOf(part);
      if (own) {
        for (const key of keysUnder(own)) found.add(key);
        for (const key of keysIn(part)) look(key);
        return;
      }
      if (part.kind === "local") found.add(localKey(part.slot));
      if (part.kind === "take") {
        const target = targetOf(this.machine, part.target);
        if (target) for (const key of keysUnder(target)) this.roots.add(key);
      }
      if (part.kind === "binder") {
        // The element is worked out from the list.
        const sources = this.reads(part.source);
        const slot = localKey(part.slot);
        this.from.set(slot, new Set([...(this.from.get(slot) ?? []), ...sources]));
      }
      if (part.kind === "call" && !called.has(part.function)) {
        called.add(part.function);
        const { body, parameters } = this.machine.functions[part.function] as Machine["functions"][number];
        for (const [i, arg] of part.args.entries()) {
          const slot = parameters[i]?.slot;
          if (slot !== undefined)
            this.from.set(localKey(slot), new Set([...(this.from.get(localKey(slot)) ?? []), ...this.reads(arg)]));
        }
        look(body);
      }
      for (const inner of partsOf(part)) look(inner);
    };
    look(e);
    return [...found];
  }
}

/** The indices in the naming of a datum. */
function keysIn(e: Expr): Expr[] {
  switch (e.kind) {
    case "field":
      return keysIn(e.of);
    case "index":
      return [...keysIn(e.of), e.key];
    default:
      return [];
  }
}

/** Whether working an expression out can be a fault by the values in it. */
function isPartial(e: Expr): boolean {
  switch (e.kind) {
    case "index":
      return e.of.type.kind !== "perSeat";
    case "unwrap":
    case "listProperty":
    case "gridCall":
    case "roll":
    case "chance":
    case "pick":
    case "shuffle":
    case "take":
    case "range":
    case "call":
    case "stateData":
      return true;
    case "binder":
      return e.word === "minBy" || e.word === "maxBy";
    case "binary":
      return e.op === "/" || e.op === "mod";
    default:
      return false;
  }
}

/** Whether a block does nothing but tell. */
function isMute(block: Block | undefined): boolean {
  return (block?.statements ?? []).every(
    (s) =>
      s.kind === "note" ||
      (s.kind === "if" && [...s.branches.map(({ body }) => body), s.otherwise].every((body) => isMute(body))),
  );
}

/** Data that every step writes, for all seats, before it reads them: what they were does not count. */
class Afresh {
  private readonly read = new Set<string>();
  private readonly written = new Set<string>();

  constructor(
    private readonly machine: Machine,
    also: readonly Expr[],
  ) {
    const readBy = (e: Expr | undefined): void => {
      for (const key of this.reads(e)) this.read.add(key);
    };
    const outside = {
      expr: (e: Expr) => {
        readBy(e);
        return false;
      },
      // Blocks are gone through by themselves, in their order.
      statement: () => false,
    };
    for (const { body } of machine.functions) readBy(body);
    for (const { body } of machine.effects) this.block(body, new Set());
    for (const state of machine.states) {
      visitState(state, outside);
      for (const field of state.fields) readBy(field.initial);
      for (const block of blocksOf(state)) this.block(block, new Set());
    }
    for (const ending of machine.endings) visitEnding(ending, outside);
    for (const law of machine.laws)
      if (law.form === "holds") readBy(law.test);
      else if (law.form === "changes") for (const key of watched(machine, law)) this.read.add(key);
    for (const { entries } of machine.policies)
      for (const { test, call } of entries) for (const e of [test, ...(call?.args.values() ?? [])]) readBy(e);
    for (const e of also) readBy(e);
  }

  has(key: string): boolean {
    return this.written.has(key) && !this.read.has(key);
  }

  /** @param fresh what has been written whole before, in this block and those around it */
  private block(block: Block, fresh: Set<string>): void {
    for (const s of block.statements) {
      const reads = (e: Expr | undefined): void => {
        for (const key of this.reads(e)) if (!fresh.has(key)) this.read.add(key);
      };
      switch (s.kind) {
        case "for":
          reads(s.source);
          reads(s.where);
          this.block(s.body, new Set(fresh));
          break;
        case "if":
          for (const { test, body } of s.branches) {
            reads(test);
            this.block(body, new Set(fresh));
          }
          if (s.otherwise) this.block(s.otherwise, new Set(fresh));
          break;
        default:
          for (const e of exprsOf(s)) reads(e);
          if ((s.kind === "assign" && s.op !== "=") || s.kind === "change") {
            const target = targetOf(this.machine, s.target);
            for (const key of target ? keysUnder(target) : []) if (!fresh.has(key)) this.read.add(key);
          }
      }
      for (const key of this.writes(s)) {
        fresh.add(key);
        this.written.add(key);
      }
    }
  }

  /** The data that a statement writes whole: themselves, or for every seat. */
  private writes(s: Statement): string[] {
    const { machine } = this;
    if (s.kind === "assign" && s.op === "=") {
      const target = targetOf(machine, s.target);
      const isWhole = s.target.path.every((step) => step.kind === "field");
      return target && isWhole && s.target.path.length === target.path.length - 1 ? keysUnder(target) : [];
    }
    if (s.kind !== "for" || s.source.kind !== "seats" || s.where) return [];
    return s.body.statements.flatMap((inner) => {
      if (inner.kind !== "assign" || inner.op !== "=") return [];
      const target = targetOf(machine, inner.target);
      const seats = inner.target.path.filter((step) => step.kind === "index");
      const [only] = seats;
      const each =
        seats.length === 1 &&
        only?.kind === "index" &&
        only.of.kind === "perSeat" &&
        only.key.kind === "local" &&
        only.key.slot === s.slot;
      const fields = inner.target.path.length - seats.length;
      return target && each && fields === target.path.length - 1 ? keysUnder(target) : [];
    });
  }

  private reads(e: Expr | undefined): string[] {
    const found: string[] = [];
    const look = (part: Expr): void => {
      const own = pathOf(part);
      if (own) {
        found.push(...keysUnder(own));
        for (const key of keysIn(part)) look(key);
        return;
      }
      if (part.kind === "take") {
        const target = targetOf(this.machine, part.target);
        if (target) found.push(...keysUnder(target));
      }
      for (const inner of partsOf(part)) look(inner);
    };
    if (e) look(e);
    return found;
  }
}

/** The expressions right in a statement that has no blocks. */
function exprsOf(s: Statement): (Expr | undefined)[] {
  switch (s.kind) {
    case "let":
      return [s.value];
    case "assign":
      return [s.value, ...indicesOf(s.target)];
    case "change":
      return [...s.args, ...indicesOf(s.target)];
    case "call":
    case "raise":
      return [...s.args];
    case "note":
      return [s.audience, s.text];
    case "eliminate":
    case "reopen":
      return [s.seat];
    default:
      return [];
  }
}

function indicesOf({ path }: Location): Expr[] {
  return path.flatMap((step) => (step.kind === "index" ? [step.key] : []));
}

/** Every block that a state runs. */
function blocksOf(state: State): Block[] {
  const blocks: (Block | undefined)[] = [
    ...state.actions.map(({ block }) => block),
    ...state.timers.map(({ block }) => block),
    ...state.enters.map(({ block }) => block),
    ...state.exits,
    ...state.listeners.map(({ block }) => block),
    ...state.whens.map(({ block }) => block),
  ];
  const arrows: (Arrow | undefined)[] = [
    ...state.actions.map(({ arrow }) => arrow),
    ...state.timers.map(({ arrow }) => arrow),
    ...state.enters.map(({ arrow }) => arrow),
    ...state.listeners.map(({ arrow }) => arrow),
    ...state.whens.map(({ arrow }) => arrow),
  ];
  for (const arrow of arrows)
    visitArrow(arrow, {
      expr: () => false,
      arrow: (a) => {
        if (a.kind === "choose") blocks.push(...branchesOf(a).map(({ block }) => block));
        return true;
      },
      statement: () => false,
    });
  return blocks.filter((block) => block !== undefined);
}
