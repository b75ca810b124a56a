/** What effects do to what is known: statements carried out on a store that stands for many situations at once. */

import { partsOf } from "../visit.js";
import type { Block, Expr, Location, LocationStep, Machine, Statement } from "../machine.js";
import { readOf } from "../typed.js";
import { BOOL, INT, MAX_INT, type Type } from "../types.js";
import { stepsAfter, type Thresholds } from "./beginning.js";
import type { Conditions } from "./conditions.js";
import type { Evaluator } from "./evaluate.js";
import { MAX_SEATS_APART } from "./evaluate.js";
import {
  ANY,
  between,
  bitsOf,
  join,
  type ListSet,
  listOfItems,
  listOfSize,
  type Possible,
  single,
} from "./possible.js";
import { isSame, joinKnowledge, type Knowledge } from "./knowledge.js";

/** A signal on its way, with what its values may be. */
export interface Raised {
  readonly signal: number;
  readonly args: readonly Possible[];
  /** It may be raised any number of times. */
  readonly often: boolean;
}

/** One way through an effect: what is known at its end, and the signals raised on the way. */
export interface Way {
  readonly store: Knowledge;
  readonly raised: readonly Raised[];
}

/** Told of what effects do while the settled machine is gone through. */
export interface EffectWatcher {
  /** A datum is written: with what, before it stops at its bounds, and what it was. */
  written(
    statement: Statement & { kind: "assign" | "change" },
    target: Location,
    value: Possible | undefined,
    before: Possible | undefined,
    store: Knowledge,
  ): void;
  tested(test: Expr, store: Knowledge): void;
}

/** Ways kept apart; more are joined. */
const MAX_WAYS = 6;
/** The same once much has been worked out. */
const FEW_WAYS = 2;
/** Loops over lists up to this size are gone through round by round. */
const MAX_ROUNDS = 8;
/** Rounds of a loop before its bounds are widened. */
const ROUNDS = 2;

export class Executor {
  watcher: EffectWatcher | undefined;
  private readonly values: Evaluator;

  constructor(
    private readonly machine: Machine,
    private readonly conditions: Conditions,
    private readonly steps: Thresholds,
  ) {
    this.values = conditions.values;
  }

  /** Carries out a block from one store. */
  run(block: Block | undefined, way: Way): Way[] {
    if (!block) return [way];
    return block.statements.reduce<Way[]>((ways, s) => this.capped(ways.flatMap((w) => this.statement(s, w))), [way]);
  }

  private capped(ways: Way[]): Way[] {
    const most = this.values.isTiring ? FEW_WAYS : MAX_WAYS;
    if (ways.length <= most) return ways;
    return [...ways.slice(0, most - 1), ways.slice(most - 1).reduce(joinWays)];
  }

  private statement(s: Statement, way: Way): Way[] {
    const { store } = way;
    switch (s.kind) {
      case "let": {
        const { value, store: after } = this.taking(s.value, store);
        return [{ ...way, store: after.bind(s.slot, { value, key: this.letKey(s.value, after) }) }];
      }
      case "assign":
        return this.amounts(s, store).map((known) => ({ ...way, store: this.assign(s, known) }));
      case "change":
        return [{ ...way, store: this.change(s, store) }];
      case "call": {
        const called = this.machine.effects[s.effect];
        if (!called) return [way];
        const after = s.args.reduce((known, arg) => this.taking(arg, known).store, store);
        const inner = this.values.called(called.parameters, s.args, store).withData(after);
        return this.run(called.body, { ...way, store: inner }).map((w) => ({
          ...w,
          store: w.store.withLocals(keepLocals(store, w.store, called.result?.slot)),
        }));
      }
      case "note":
        if (s.audience) this.values.evaluate(s.audience, store);
        this.values.evaluate(s.text, store);
        return [way];
      case "raise": {
        const args = s.args.map((arg) => this.values.evaluate(arg, store));
        const after = s.args.reduce((known, arg) => this.taking(arg, known).store, store);
        return [{ store: after, raised: [...way.raised, { signal: s.signal, args, often: false }] }];
      }
      case "eliminate": {
        this.values.evaluate(s.seat, store);
        return [{ ...way, store: store.withInPlay(between(Math.max(0, store.inPlay.low - 1), store.inPlay.high)) }];
      }
      case "reopen": {
        this.values.evaluate(s.seat, store);
        const most = Math.min(this.values.seats, store.inPlay.high + 1);
        return [{ ...way, store: store.withInPlay(between(store.inPlay.low, most)) }];
      }
      case "for":
        return this.loop(s, way);
      case "if": {
        const done: Way[] = [];
        let rest: Knowledge | undefined = store;
        for (const branch of s.branches) {
          if (!rest) break;
          this.watcher?.tested(branch.test, rest);
          const open: Knowledge = rest;
          const taken = this.taking(branch.test, open).store;
          if (taken !== open) {
            // What a test takes from a list is gone whichever way it comes out; no more is learned of it.
            done.push(...this.run(branch.body, { ...way, store: taken }));
            rest = taken;
            continue;
          }
          for (const under of this.conditions.split(branch.test, true, open))
            done.push(...this.run(branch.body, { ...way, store: under }));
          rest = this.conditions.under(branch.test, false, open);
        }
        if (rest) done.push(...this.run(s.otherwise, { ...way, store: rest }));
        return this.capped(done);
      }
    }
  }

  /** `let x = data` goes by the name of what it was read from until that changes. */
  private letKey(value: Expr, store: Knowledge) {
    return value.type.kind === "seat" || value.type.kind === "int" || value.type.kind === "maybe"
      ? this.values.keys.of(value, store)
      : undefined;
  }

  /** Works an expression out; what it takes from lists is gone afterwards. */
  taking(e: Expr, store: Knowledge): { value: Possible; store: Knowledge } {
    const value = this.values.evaluate(e, store);
    let after = store;
    forEachTake(e, (take) => {
      const list = this.values.read(take.target, after);
      if (list.kind === "list") after = this.put(take.target, shorter(list, take.method), after);
    });
    return { value, store: after };
  }

  private loop(s: Statement & { kind: "for" }, way: Way): Way[] {
    const source = this.values.list(s.source, way.store);
    if (source.most === 0) return [way];
    const once = (item: Possible, from: Way): Way[] => {
      const bound = this.values.bound(s.slot, item, from.store);
      const inner = s.where ? this.conditions.split(s.where, true, bound) : [bound];
      const skipped = s.where ? this.conditions.split(s.where, false, bound).map((store) => ({ ...from, store })) : [];
      return [
        ...inner.flatMap((store) =>
          this.run(s.body, {
            ...from,
            store: this.conditions.chosenFrom(
              s.source,
              { kind: "local", slot: s.slot, type: elementType(s.source.type), from: s.from, to: s.to },
              store,
            ),
          }),
        ),
        ...skipped,
      ];
    };
    if (source.items && source.items.length <= MAX_SEATS_APART + 2)
      return source.items.reduce<Way[]>((ways, item) => this.capped(ways.flatMap((w) => once(item, w))), [way]);
    if (source.most <= MAX_ROUNDS) return this.rounds(source, (from) => once(source.of ?? ANY, from), way);
    // Any number of rounds: go round until nothing new comes of it.
    const watcher = this.watcher;
    let known = way;
    this.watcher = undefined;
    const silent = this.values.watcher;
    this.values.watcher = undefined;
    for (let round = 0; ; round++) {
      const ways = once(source.of ?? ANY, known);
      if (ways.length === 0) break;
      const next = ways.reduce(joinWays);
      const store = joinKnowledge(
        known.store,
        next.store,
        round >= ROUNDS ? stepsAfter(round, this.steps, this.values.isTiring) : undefined,
      );
      const stable = store === known.store && round > 0;
      known = {
        store,
        raised:
          next.raised.length > known.raised.length && round === 0
            ? [...known.raised, ...next.raised.slice(known.raised.length).map((r) => ({ ...r, often: true }))]
            : known.raised,
      };
      if (stable || round > 30) break;
    }
    this.watcher = watcher;
    this.values.watcher = silent;
    if (watcher || silent) once(source.of ?? ANY, known);
    return [known];
  }

  /**
   * A few rounds, not known how many: as many as there may be, and out after any that is enough. Where one leaves
   * everything as it was before, those behind it do, too.
   */
  private rounds(source: ListSet, once: (from: Way) => Way[], way: Way): Way[] {
    let now = way;
    let out: Way | undefined = source.least === 0 ? way : undefined;
    for (let round = 1; round <= source.most; round++) {
      const ways = once(now);
      if (ways.length === 0) break;
      const before = now;
      now = ways.reduce(joinWays);
      const isLast = raisesNothing(before, now) && isSame(before.store, now.store);
      if (round >= source.least || isLast) out = out ? joinWays(out, now) : now;
      if (isLast) break;
    }
    return out ? [out] : [];
  }

  // ---- writing ---------------------------------------------------------------------------------

  /**
   * Where taking something can bring a number to its lower bound, taking nothing is kept apart: a wall that stood and
   * from which nothing was taken stands. The same for adding, and the upper bound.
   */
  private amounts(s: Statement & { kind: "assign" }, store: Knowledge): readonly Knowledge[] {
    const { type } = s.target;
    if (s.op === "=" || type.kind !== "int" || s.value.kind === "constant") return [store];
    const silent = this.values.watcher;
    this.values.watcher = undefined;
    const before = this.values.read(s.target, store);
    const amount = this.values.evaluate(s.value, store);
    let ways: readonly Knowledge[] = [store];
    if (before.kind === "number" && amount.kind === "number" && amount.low === 0 && amount.high > 0) {
      const { low, high } = type;
      const reaches =
        s.op === "-="
          ? before.low > low && before.low - amount.high <= low
          : before.high < high && before.high + amount.high >= high;
      // What is rolled or taken comes out anew each time it is looked at.
      if (reaches && low > -MAX_INT && high < MAX_INT && this.values.keys.of(s.value, store)) {
        const zero: Expr = { kind: "constant", value: 0, type: INT, from: s.value.from, to: s.value.to };
        const none: Expr = { kind: "binary", op: "==", left: s.value, right: zero, type: BOOL, from: s.from, to: s.to };
        ways = [...this.conditions.split(none, true, store), ...this.conditions.split(none, false, store)];
      }
    }
    this.values.watcher = silent;
    return ways.length === 0 ? [store] : ways;
  }

  private assign(s: Statement & { kind: "assign" }, store: Knowledge): Knowledge {
    const { value: given, store: after } = this.taking(s.value, store);
    let value = given;
    const before = s.op === "=" ? undefined : this.values.read(s.target, store);
    if (before) {
      const a = before.kind === "number" ? before : between(-MAX_INT, MAX_INT);
      const b = given.kind === "number" ? given : between(-MAX_INT, MAX_INT);
      value =
        s.op === "+="
          ? { kind: "number", low: a.low + b.low, high: a.high + b.high }
          : { kind: "number", low: a.low - b.high, high: a.high - b.low };
    }
    this.watcher?.written(s, s.target, value, before, store);
    const fitted = this.values.fitted(value, s.target.type);
    const written = this.put(s.target, fitted.kind === "any" ? this.values.anyOf(s.target.type) : fitted, after);
    return s.op === "=" && s.target.path.length === 0 ? nowSet(s.target, written) : written;
  }

  private change(s: Statement & { kind: "change" }, store: Knowledge): Knowledge {
    const given: Possible[] = [];
    let after = store;
    for (const arg of s.args) {
      const taken = this.taking(arg, after);
      given.push(taken.value);
      after = taken.store;
    }
    const now = this.values.read(s.target, after);
    if ((s.method === "take" || s.method === "takeLast") && now.kind === "list" && now.least === 0) {
      this.values.watcher?.mayFault(
        "emptyList",
        { kind: "take", target: s.target, method: s.method, type: elementType(s.target.type), from: s.from, to: s.to },
        store,
      );
    }
    if (
      s.method === "remove" &&
      now.kind === "list" &&
      given[0]?.kind === "number" &&
      (now.most === 0 || given[0].low >= now.most)
    ) {
      this.values.watcher?.mayFault("missesIndex", s.args[0] as Expr, store);
    }
    const next = this.changed(now, s, given);
    this.watcher?.written(s, s.target, next, now, store);
    return nowSet(s.target, this.put(s.target, this.values.fitted(next, s.target.type), after));
  }

  private changed(now: Possible, s: Statement & { kind: "change" }, given: readonly Possible[]): Possible {
    const value = given.at(-1) ?? ANY;
    if (now.kind === "grid") return { kind: "grid", of: value };
    if (now.kind === "map")
      return s.method === "clear"
        ? { kind: "map", least: 0, most: 0, of: undefined }
        : { ...now, least: Math.max(0, now.least - 1) };
    if (now.kind !== "list") return this.values.anyOf(s.target.type);
    switch (s.method) {
      case "push":
        return now.items && now.items.length < 8
          ? listOfItems([...now.items, value])
          : listOfSize(now.least + 1, Math.min(MAX_INT, now.most + 1), now.of ? join(now.of, value) : value);
      case "insert":
        return listOfSize(now.least + 1, Math.min(MAX_INT, now.most + 1), now.of ? join(now.of, value) : value);
      case "take":
      case "takeLast":
        return shorter(now, s.method);
      case "remove":
        return listOfSize(Math.max(0, now.least - 1), Math.max(0, now.most - 1), now.of);
      case "clear":
        return listOfItems([]);
      case "fill":
        return listOfSize(now.least, now.most, now.most === 0 ? undefined : value);
    }
  }

  /** Writes a value to a place; where it is not clear which element it is, it may be any of them. */
  put(target: Location, value: Possible, store: Knowledge): Knowledge {
    const { base } = target;
    this.takenForGranted(target, store);
    if (base.kind === "local") {
      const now = store.locals.get(base.slot)?.value ?? ANY;
      return store.bind(base.slot, { value: this.into(now, target.path, value, store, true), key: undefined });
    }
    const box = store.data[base.slot];
    if (base.kind === "data") {
      const fixed = target.path.length === 1 && this.values.neverResized(`d${base.slot}`);
      return store.write(base.slot, this.into(box ?? ANY, target.path, value, store, fixed));
    }
    if (box?.kind !== "record") return store.write(base.slot, box);
    const field = this.into(box.fields[base.field] ?? ANY, target.path, value, store);
    return store.write(base.slot, { kind: "record", fields: box.fields.map((f, i) => (i === base.field ? field : f)) });
  }

  /** Looks at what a place is a part of and may be none: then there is nothing to write to. */
  private takenForGranted(target: Location, store: Knowledge): void {
    for (const [i, step] of target.path.entries()) {
      if (step.kind !== "present") continue;
      const { from, to } = step;
      const read = readOf(this.machine, { ...target, path: target.path.slice(0, i + 1), from, to });
      if (read) this.values.evaluate(read, store);
    }
  }

  /** @param fixed whether the list at hand stays as long as it is */
  private into(
    now: Possible,
    path: readonly LocationStep[],
    value: Possible,
    store: Knowledge,
    fixed = false,
  ): Possible {
    const [step, ...rest] = path;
    if (!step) return value;
    if (step.kind === "field") {
      if (now.kind !== "record") return now;
      return {
        kind: "record",
        fields: now.fields.map((f, i) => (i === step.field ? this.into(f, rest, value, store) : f)),
      };
    }
    if (step.kind === "present") {
      if (now.kind !== "maybe") return now;
      return { kind: "maybe", none: false, of: this.into(now.of ?? this.values.anyOf(step.type), rest, value, store) };
    }
    const key = this.values.evaluate(step.key, store);
    this.values.minding(now, key, step.of, step.key, store, fixed);
    if (now.kind === "perSeat") {
      const mask = this.values.mask(step.key, store);
      const sure = single(mask) >= 0;
      const chosen = new Set(bitsOf(mask));
      return {
        kind: "perSeat",
        seats: now.seats.map((s, seat) =>
          !chosen.has(seat) ? s : sure ? this.into(s, rest, value, store) : join(s, this.into(s, rest, value, store)),
        ),
      };
    }
    if (now.kind === "grid") return { kind: "grid", of: join(now.of, this.into(now.of, rest, value, store)) };
    if (now.kind === "map") {
      const inner = now.of ? join(now.of, this.into(now.of, rest, value, store)) : this.into(ANY, rest, value, store);
      return { kind: "map", least: now.least, most: Math.min(MAX_INT, now.most + 1), of: inner };
    }
    if (now.kind !== "list" || !now.of) return now;
    const at = key.kind === "number" && key.low === key.high ? key.low : -1;
    if (now.items && at >= 0)
      return listOfItems(now.items.map((item, i) => (i === at ? this.into(item, rest, value, store) : item)));
    return { kind: "list", least: now.least, most: now.most, of: join(now.of, this.into(now.of, rest, value, store)) };
  }
}

/** The datum that a location stands in has been set: it no longer holds what nobody has put there. */
function nowSet({ base }: Location, store: Knowledge): Knowledge {
  if (base.kind === "local") return store;
  return store.marked(base.kind === "data" ? `${base.slot}` : `${base.slot}:${base.field}`, false);
}

function shorter(list: ListSet, method: "take" | "takeLast"): ListSet {
  if (list.items && list.items.length > 0)
    return listOfItems(method === "take" ? list.items.slice(1) : list.items.slice(0, -1));
  return listOfSize(Math.max(0, list.least - 1), Math.max(0, list.most - 1), list.of);
}

/** What a caller still knows behind a call: its own local values, and the one the effect gave. */
function keepLocals(before: Knowledge, after: Knowledge, result: number | undefined): Knowledge["locals"] {
  const locals = new Map(before.locals);
  for (const [slot, local] of before.locals) {
    const now = after.locals.get(slot);
    if (now && now !== local) locals.set(slot, now);
  }
  const given = result === undefined ? undefined : after.locals.get(result);
  if (given && result !== undefined) locals.set(result, { value: given.value, key: undefined });
  return locals;
}

function raisesNothing(...ways: readonly Way[]): boolean {
  return ways.every(({ raised }) => raised.length === 0);
}

export function joinWays(a: Way, b: Way): Way {
  const raised = [...a.raised];
  for (const r of b.raised) {
    const at = raised.findIndex((x) => x.signal === r.signal);
    if (at < 0) raised.push(r);
    else {
      const known = raised[at] as Raised;
      raised[at] = {
        signal: r.signal,
        args: known.args.map((x, i) => join(x, r.args[i] ?? ANY)),
        often: known.often || r.often || (known !== r && a.raised.filter((x) => x.signal === r.signal).length > 1),
      };
    }
  }
  return { store: joinKnowledge(a.store, b.store), raised };
}

function elementType(type: Type): Type {
  return type.kind === "list" ? type.of : { kind: "unknown" };
}

/** Visits what an expression takes from lists, inner ones first. */
function forEachTake(expr: Expr, visit: (take: Expr & { kind: "take" }) => void): void {
  for (const part of partsOf(expr)) forEachTake(part, visit);
  if (expr.kind === "take") visit(expr);
}
