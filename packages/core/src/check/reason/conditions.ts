/**
 * What is learned when a condition holds or does not: what was known, with all that follows from it, as far as it
 * is followed. Works on what expressions may come to.
 */

import type { Expr, Machine } from "../machine.js";
import { MAX_INT } from "../types.js";
import { Memo } from "./memo.js";
import { ANY, between, choice, isSingle, listOfSize, meet, type Possible, single, TRUE, truth } from "./possible.js";
import { ANY_RELATION, limits, RELATIONS, swapped } from "./relations.js";
import { joinKnowledge, ME, type Knowledge, PAIR } from "./knowledge.js";
import { Evaluator, MAX_SEATS_APART } from "./evaluate.js";

/** Alternatives kept apart when a condition is taken to pieces. */
const MAX_SPLIT = 6;
/** The same once much has been worked out. */
const FEW_SPLIT = 2;

/** Takes conditions to pieces, and says what is known where they hold and where they do not. */
export class Conditions {
  /** What expressions may come to; asks back here for what follows from the conditions inside them. */
  readonly values: Evaluator;

  private readonly held: Memo<Knowledge[]>;
  private readonly failed: Memo<Knowledge[]>;

  /**
   * @param active whether a state is active at the point now being looked at
   * @param tiresAfter after so much work it is less exact; without it, as much as suits the length of the text
   */
  constructor(machine: Machine, active: (state: number) => boolean | undefined, tiresAfter?: number) {
    this.values = new Evaluator(machine, active, this, tiresAfter);
    this.held = new Memo(machine);
    this.failed = new Memo(machine);
  }

  /** What is known when a condition holds (or does not); undefined when that cannot be. */
  under(e: Expr, holds: boolean, store: Knowledge): Knowledge | undefined {
    const all = this.split(e, holds, store);
    return all.length === 0 ? undefined : all.reduce((a, b) => joinKnowledge(a, b));
  }

  /** As `under`, with the ways in which it can hold kept apart. */
  split(e: Expr, holds: boolean, store: Knowledge): Knowledge[] {
    const memo = holds ? this.held : this.failed;
    const watched = this.values.watcher !== undefined;
    return memo.find(e, store, watched) ?? memo.keep(e, store, watched, this.splitAnew(e, holds, store));
  }

  private splitAnew(e: Expr, holds: boolean, store: Knowledge): Knowledge[] {
    const wanted = holds ? 2 : 1;
    const may = this.values.truth(e, store);
    if (!(may & wanted)) return [];
    if (may === wanted && e.kind !== "binary") return [store];
    switch (e.kind) {
      case "not":
        return this.split(e.of, !holds, store);
      case "binary":
        if (e.op === "and" || e.op === "or" || e.op === "implies") {
          // All three are "both" of something, or "either" of something.
          const left = e.op === "implies" ? !holds : holds;
          const both = (e.op === "and") === holds;
          if (both)
            return this.cap(
              this.split(e.left, e.op === "implies" ? true : left, store).flatMap((s) => this.split(e.right, holds, s)),
            );
          const first = this.split(e.left, left, store);
          const second = this.split(e.left, !left, store).flatMap((s) => this.split(e.right, holds, s));
          return this.cap([...first, ...second]);
        }
        return this.learnComparison(e, holds, store);
      case "if":
        return this.cap([
          ...this.split(e.test, true, store).flatMap((s) => this.split(e.then, holds, s)),
          ...this.split(e.test, false, store).flatMap((s) => this.split(e.otherwise, holds, s)),
        ]);
      case "call": {
        const called = this.values.machine.functions[e.function];
        if (!called) return [store];
        const inner = this.values.called(called.parameters, e.args, store);
        const learned = this.split(called.body, holds, inner);
        return learned.map((s) => this.learn(e, truth(holds), this.back(s, store)) ?? s);
      }
      case "listProperty": {
        const size = holds ? listOfSize(0, 0, undefined) : { kind: "list" as const, least: 1, most: MAX_INT, of: ANY };
        const learned = this.learn(e.of, size, store);
        return learned ? [learned] : [];
      }
      case "binder":
        return this.splitBinder(e, holds, store);
      default: {
        const learned = this.learn(e, truth(holds), store);
        return learned ? [learned] : [];
      }
    }
  }

  /** What a called function learned of its arguments, without its own values. */
  private back(inner: Knowledge, outer: Knowledge): Knowledge {
    const locals = new Map(outer.locals);
    for (const [slot, local] of inner.locals) {
      const before = outer.locals.get(slot);
      if (before && before.key?.text === local.key?.text) locals.set(slot, local);
    }
    return inner.withLocals(locals);
  }

  private splitBinder(e: Expr & { kind: "binder" }, holds: boolean, store: Knowledge): Knowledge[] {
    const learned = this.learn(e, truth(holds), store);
    if (!learned) return [];
    if (e.word !== "any" && e.word !== "all") return [learned];
    const source = this.values.list(e.source, store);
    const each = (e.word === "all") === holds;
    const around = this.values.apart;
    const count = around * (source.items?.length ?? 0);
    const isApart = count <= MAX_SEATS_APART && !this.values.isTiring;
    if (source.items && isApart && source.items.every(isSingle) && e.body) {
      this.values.apart = Math.max(1, count);
      const outer = learned.locals;
      const one = (item: Possible, s: Knowledge): Knowledge[] => {
        const inner = this.values.bound(e.slot, item, s);
        const met = e.where ? this.split(e.where, true, inner) : [inner];
        const found = met.flatMap((m) => this.split(e.body as Expr, holds, m));
        const skipped = each && e.where ? this.split(e.where, false, inner) : [];
        return [...found, ...skipped].map((m) => m.withLocals(outer));
      };
      const ways = each
        ? source.items.reduce<Knowledge[]>((stores, item) => this.cap(stores.flatMap((s) => one(item, s))), [learned])
        : this.cap(source.items.flatMap((item) => one(item, learned)));
      this.values.apart = around;
      return ways;
    }
    if (each) return [learned];
    // Somewhere there is one, so there is one at all, and a filter leaves one.
    if (!e.where && e.body && e.source.type.kind === "list") {
      const { body, ...rest } = e;
      const left = this.learn(
        { ...rest, word: "filter", where: holds ? body : negation(body), type: e.source.type },
        { kind: "list", least: 1, most: MAX_INT, of: ANY },
        learned,
      );
      if (!left) return [];
      return [this.learn(e.source, { kind: "list", least: 1, most: MAX_INT, of: ANY }, left) ?? left];
    }
    const some = this.learn(e.source, { kind: "list", least: 1, most: MAX_INT, of: ANY }, learned);
    return some ? [some] : [];
  }

  private cap(stores: Knowledge[]): Knowledge[] {
    const most = this.values.isTiring ? FEW_SPLIT : MAX_SPLIT;
    if (stores.length <= most) return stores;
    const rest = stores.slice(most - 1).reduce((a, b) => joinKnowledge(a, b));
    return [...stores.slice(0, most - 1), rest];
  }

  private learnComparison(e: Expr & { kind: "binary" }, holds: boolean, store: Knowledge): Knowledge[] {
    if (e.op === "in") return this.learnMember(e, holds, store);
    const wanted = holds ? (RELATIONS[e.op] as number) : ANY_RELATION & ~(RELATIONS[e.op] as number);
    const a = this.values.evaluate(e.left, store);
    const b = this.values.evaluate(e.right, store);
    const pair = isSingle(a) || isSingle(b) ? undefined : this.values.pair(e, store);
    let known = store;
    if (pair) {
      const before = this.values.knownRelation(e, store);
      const mask = (pair.swapped ? swapped(wanted) : wanted) & (pair.swapped ? swapped(before) : before);
      if (mask === 0) return [];
      known = known.fact({ text: pair.text, reads: pair.reads, head: PAIR }, choice(mask));
    }
    const learned = this.learn(e.left, limits(wanted, a, b), known);
    const both = learned && this.learn(e.right, limits(swapped(wanted), b, a), learned);
    return both ? [both] : [];
  }

  private learnMember(e: Expr & { kind: "binary" }, holds: boolean, store: Knowledge): Knowledge[] {
    const list = this.values.evaluate(e.right, store);
    let learned = this.learn(e, truth(holds), store);
    if (learned && holds && list.kind === "list" && list.of) learned = this.learn(e.left, list.of, learned);
    if (learned && holds && e.right.type.kind === "list")
      learned = this.learn(e.right, { kind: "list", least: 1, most: MAX_INT, of: ANY }, learned);
    return learned ? [learned] : [];
  }

  /**
   * Learns that a seat or another value comes out of a list: what a filter asks of its elements holds for it.
   *
   * @param value the expression that is the element, such as `me` or a parameter
   */
  chosenFrom(list: Expr, value: Expr, store: Knowledge, depth = 0): Knowledge {
    if (depth > 5) return store;
    if (list.kind === "call") {
      const called = this.values.machine.functions[list.function];
      if (!called) return store;
      const inner = this.values.called(called.parameters, list.args, store);
      return this.back(this.chosenFrom(called.body, value, inner, depth + 1), store);
    }
    if (list.kind === "binder" && (list.word === "filter" || list.word === "sort" || list.word === "sortDown")) {
      const outer = this.chosenFrom(list.source, value, store, depth + 1);
      if (!list.where) return outer;
      const known = this.values.evaluate(value, outer);
      const inner = outer.bind(list.slot, { value: known, key: this.values.keys.of(value, outer), source: value });
      const met = this.under(list.where, true, inner);
      return met ? this.back(met, outer) : outer;
    }
    return store;
  }

  /** Meets what an expression may be with what has been learned of it; undefined when both cannot be. */
  learn(e: Expr, value: Possible, store: Knowledge): Knowledge | undefined {
    const now = this.values.evaluate(e, store);
    const met = meet(now, value);
    if (!met) return undefined;
    if (met === now) return store;
    return this.put(e, met, store);
  }

  private put(e: Expr, value: Possible, store: Knowledge): Knowledge | undefined {
    switch (e.kind) {
      case "data":
        return store.learn(e.slot, value);
      case "stateData": {
        const box = store.data[e.slot];
        return box?.kind === "record"
          ? store.learn(e.slot, { kind: "record", fields: box.fields.map((f, i) => (i === e.field ? value : f)) })
          : store;
      }
      case "local": {
        const known = store.locals.get(e.slot);
        if (!known) return store;
        const learned = store.learnLocal(e.slot, value);
        // What a parameter stands for is learned too, as long as nothing it is made of has changed.
        return known.source && known.key ? this.learn(known.source, value, learned) : learned;
      }
      case "me": {
        return store.learnLocal(ME, value);
      }
      case "field":
        return this.putField(e, value, store);
      case "index":
        return this.factOf(e, value, this.putInto(e, value, store));
      case "coordinate": {
        const of = this.values.evaluate(e.of, store);
        return of.kind === "cell" && value.kind === "number"
          ? this.learn(e.of, { ...of, [e.axis]: value }, store)
          : store;
      }
      case "unwrap":
        return this.learn(e.of, { kind: "maybe", none: false, of: value }, store);
      case "listProperty":
        if (e.property === "size" && value.kind === "number")
          return this.learn(
            e.of,
            { kind: "list", least: Math.max(0, value.low), most: Math.min(MAX_INT, value.high), of: ANY },
            store,
          );
        return this.factOf(e, value, store);
      case "inPlay": {
        const learned =
          value.kind === "list"
            ? store.learnInPlay(
                between(Math.max(value.least, store.inPlay.low), Math.min(value.most, store.inPlay.high)),
              )
            : store;
        return this.factOf(e, value, learned);
      }
      case "call":
        return this.putCall(e, value, store);
      case "binder":
        return this.putBinder(e, value, store);
      case "gridCall":
        return this.putGridCall(e, value, store);
      case "negate":
        return value.kind === "number"
          ? this.learn(e.of, { kind: "number", low: -value.high, high: -value.low }, store)
          : store;
      case "binary":
        return this.putBinary(e, value, store);
      default:
        return this.factOf(e, value, store);
    }
  }

  /** Where `inside(x, y)` holds, both coordinates are those of a cell. */
  private putGridCall(e: Expr & { kind: "gridCall" }, value: Possible, store: Knowledge): Knowledge | undefined {
    const learned = this.factOf(e, value, store);
    const [x, y] = e.args;
    const { type } = e.of;
    if (e.method !== "inside" || type.kind !== "grid" || !x || !y) return learned;
    if (value.kind !== "choice" || value.mask !== TRUE.mask) return learned;
    const across = this.learn(x, between(0, type.width - 1), learned);
    return across && this.learn(y, between(0, type.height - 1), across);
  }

  /** A field of a record: the record is known better too. */
  private putField(e: Expr & { kind: "field" }, value: Possible, store: Knowledge): Knowledge | undefined {
    const of = this.values.evaluate(e.of, store);
    if (of.kind === "record") {
      const learned = this.learn(
        e.of,
        { kind: "record", fields: of.fields.map((f, i) => (i === e.field ? value : f)) },
        store,
      );
      if (learned && e.of.kind !== "index") return learned;
    }
    return this.factOf(e, value, this.putInto(e, value, store));
  }

  /** What a function gives: what its body comes to. */
  private putCall(e: Expr & { kind: "call" }, value: Possible, store: Knowledge): Knowledge | undefined {
    const learned = this.factOf(e, value, store);
    const called = this.values.machine.functions[e.function];
    if (!called || this.values.isTiring) return learned;
    const inner = this.learn(called.body, value, this.values.called(called.parameters, e.args, learned));
    return inner && this.back(inner, learned);
  }

  /** What a filter leaves or how many there are: what its conditions say by themselves. */
  private putBinder(e: Expr & { kind: "binder" }, value: Possible, store: Knowledge): Knowledge | undefined {
    const learned = this.factOf(e, value, store);
    if (
      e.word === "filter" &&
      value.kind === "list" &&
      value.least > 0 &&
      e.where?.kind === "binary" &&
      e.where.op === "and"
    ) {
      // What fits both conditions fits each of them.
      const { left, right } = e.where;
      const one =
        this.learn({ ...e, where: left }, { kind: "list", least: value.least, most: MAX_INT, of: ANY }, learned) ??
        learned;
      return (
        this.learn({ ...e, where: right }, { kind: "list", least: value.least, most: MAX_INT, of: ANY }, one) ?? one
      );
    }
    // How many there are is how many a filter leaves.
    if (e.word !== "count" || value.kind !== "number" || e.source.type.kind !== "list") return learned;
    const filter: Expr = { ...e, word: "filter", type: e.source.type };
    return this.learn(
      filter,
      { kind: "list", least: Math.max(0, value.low), most: Math.min(MAX_INT, value.high), of: ANY },
      learned,
    );
  }

  /** A sum or a difference: when one side is known, so is the other. A product above 0: both sides are. */
  private putBinary(e: Expr & { kind: "binary" }, value: Possible, store: Knowledge): Knowledge | undefined {
    const learned = this.factOf(e, value, store);
    if (value.kind !== "number" || (e.op !== "+" && e.op !== "-" && e.op !== "*")) return learned;
    const a = this.values.number(e.left, store);
    const b = this.values.number(e.right, store);
    if (e.op === "*") {
      if (value.low <= 0 || a.low < 0 || b.low < 0 || e.type.kind !== "int") return learned;
      const some = between(1, MAX_INT);
      const left = this.learn(e.left, some, learned);
      return left && this.learn(e.right, some, left);
    }
    if (b.low === b.high)
      return this.learn(
        e.left,
        e.op === "+"
          ? { kind: "number", low: value.low - b.low, high: value.high - b.low }
          : { kind: "number", low: value.low + b.low, high: value.high + b.low },
        learned,
      );
    if (a.low === a.high)
      return this.learn(
        e.right,
        e.op === "+"
          ? { kind: "number", low: value.low - a.low, high: value.high - a.low }
          : { kind: "number", low: a.low - value.high, high: a.low - value.low },
        learned,
      );
    return learned;
  }

  /** Writes what was learned of an element into the data it stands in, where it is clear which one it is. */
  private putInto(e: Expr, value: Possible, store: Knowledge): Knowledge {
    if (e.kind === "index") {
      const of = this.values.evaluate(e.of, store);
      const seat = of.kind === "perSeat" ? single(this.values.mask(e.key, store)) : -1;
      if (of.kind === "perSeat" && seat >= 0)
        return (
          this.learn(e.of, { kind: "perSeat", seats: of.seats.map((s, i) => (i === seat ? value : s)) }, store) ?? store
        );
    }
    if (e.kind === "field" && e.of.kind === "index") {
      const record = this.values.evaluate(e.of, store);
      if (record.kind === "record")
        return this.putInto(
          e.of,
          { kind: "record", fields: record.fields.map((f, i) => (i === e.field ? value : f)) },
          store,
        );
    }
    return store;
  }

  private factOf(e: Expr, value: Possible, store: Knowledge): Knowledge {
    const key = this.values.keys.of(e, store);
    return key ? store.fact(key, value, e) : store;
  }

  /**
   * What holds once an expression has been worked out without a fault: lists whose first or last was taken hold
   * something.
   */
  afterwards(e: Expr, store: Knowledge): Knowledge {
    switch (e.kind) {
      case "listProperty": {
        const inner = this.afterwards(e.of, store);
        return e.property === "first" || e.property === "last"
          ? (this.learn(e.of, { kind: "list", least: 1, most: MAX_INT, of: ANY }, inner) ?? inner)
          : inner;
      }
      case "field":
        return this.afterwards(e.of, store);
      case "index":
        return this.afterwards(e.key, this.afterwards(e.of, store));
      case "next":
        return this.afterwards(e.seat, store);
      default:
        return store;
    }
  }
}

/** What holds where a condition does not. */
function negation(e: Expr): Expr {
  return { kind: "not", of: e, type: e.type, from: e.from, to: e.to };
}
