/**
 * What an expression may come to.
 *
 * Functions are worked out at each call with what is known of their arguments. Anything that is not
 * followed comes to "any value of its type", never to less.
 */

import { NUMBER_FUNCTIONS, type Range } from "../builtins.js";
import type { Expr, Location, Machine } from "../machine.js";
import { MAX_INT, type Type } from "../types.js";
import { headOf, ExpressionKeys, seatKey } from "./expression-keys.js";
import {
  ANY,
  anyOf,
  between,
  bitsOf,
  type ChoiceSet,
  choice,
  defaultOf,
  EITHER,
  FALSE,
  isSingle,
  join,
  type ListSet,
  listOfItems,
  listOfSize,
  meet,
  NONE,
  type NumberSet,
  only,
  type Possible,
  single,
  TRUE,
  truth,
} from "./possible.js";
import { ANY_RELATION, overlap, RELATIONS, relationOf, swapped } from "./relations.js";
import { ME, type Knowledge } from "./knowledge.js";

/** What may go wrong where an expression is worked out. */
export type PossibleFault = "divisionByZero" | "missesIndex" | "emptyList" | "noValue" | "unsetData" | "emptyRange";

/** Told of whatever the reasoning comes by while it goes through the settled machine. */
export interface Watcher {
  mayFault(kind: PossibleFault, at: Expr, store: Knowledge): void;
}

/** Expressions worked out before the reasoning gives up: a bound of its cost, the same on every machine. */
const MAX_WORK = 6_000_000;
/** Seats kept apart; more are taken together. */
export const MAX_SEATS_APART = 4;

/** Thrown when the work is more than the reasoning allows itself; whoever asked then knows nothing. */
export class TooMuch extends Error {}

/** Facts about how two expressions lie to each other. */
export const PAIR = "pair";

export abstract class Evaluator {
  readonly keys: ExpressionKeys;
  readonly seats: number;
  watcher: Watcher | undefined;
  private work = 0;
  private readonly constants = new Map<number, Possible>();
  private readonly types = new WeakMap<Type, Possible>();
  private readonly defaults = new WeakMap<Type, Possible>();

  constructor(
    readonly machine: Machine,
    /** Whether a state is active at the point now being looked at. */
    private readonly active: (state: number) => boolean | undefined,
  ) {
    this.keys = new ExpressionKeys(machine);
    this.seats = machine.seats.names.length;
  }

  /** What is known when a condition holds (or does not); undefined when that cannot be. */
  abstract under(e: Expr, holds: boolean, store: Knowledge): Knowledge | undefined;

  anyOf(type: Type): Possible {
    let known = this.types.get(type);
    if (!known) this.types.set(type, (known = anyOf(type, this.seats)));
    return known;
  }

  defaultOf(type: Type, store: Knowledge): Possible {
    let known = this.defaults.get(type);
    if (!known) {
      known = defaultOf(type, this.seats, (record, field) => {
        const initial = this.machine.recordInitials.get(record)?.[field];
        return initial && this.evaluate(initial, store);
      });
      this.defaults.set(type, known);
    }
    return known;
  }

  // ---- values ----------------------------------------------------------------------------------

  number(e: Expr, store: Knowledge): NumberSet {
    const value = this.evaluate(e, store);
    return value.kind === "number" ? value : between(-MAX_INT, MAX_INT);
  }

  truth(e: Expr, store: Knowledge): number {
    const value = this.evaluate(e, store);
    return value.kind === "choice" ? value.mask : EITHER.mask;
  }

  mask(e: Expr, store: Knowledge): number {
    const value = this.evaluate(e, store);
    if (value.kind === "choice") return value.mask;
    if (value.kind === "maybe" && value.of?.kind === "choice") return value.of.mask;
    return 2 ** this.seats - 1;
  }

  list(e: Expr, store: Knowledge): ListSet {
    const value = this.evaluate(e, store);
    if (value.kind === "list") return value;
    if (value.kind === "map")
      return listOfSize(value.least, value.most, e.type.kind === "map" ? this.anyOf(e.type.key) : ANY);
    return { kind: "list", least: 0, most: MAX_INT, of: e.type.kind === "list" ? this.anyOf(e.type.of) : ANY };
  }

  /** All that an expression may come to. */
  evaluate(e: Expr, store: Knowledge): Possible {
    if (++this.work > MAX_WORK) throw new TooMuch();
    const value = this.compute(e, store);
    if (value.kind === "any" && e.kind !== "local") {
      const any = this.anyOf(e.type);
      if (any.kind !== "any") return this.withFacts(e, any, store);
    }
    return this.withFacts(e, value, store);
  }

  private withFacts(e: Expr, value: Possible, store: Knowledge): Possible {
    if (store.facts.size === 0) return value;
    switch (e.kind) {
      case "constant":
      case "named":
      case "local":
      case "data":
      case "stateData":
      case "me":
      case "seats":
      case "text":
        return value;
      default: {
        if (!store.mayKnow(headOf(e))) return value;
        const key = this.keys.of(e, store);
        const fact = key && store.facts.get(key.text);
        return fact
          ? (meet(value, e.kind === "unwrap" && fact.value.kind === "maybe" ? (fact.value.of ?? value) : fact.value) ??
              value)
          : value;
      }
    }
  }

  private mayFault(kind: PossibleFault, at: Expr, store: Knowledge): void {
    this.watcher?.mayFault(kind, at, store);
  }

  private compute(e: Expr, store: Knowledge): Possible {
    switch (e.kind) {
      case "constant":
        return this.constant(e);
      case "named": {
        let known = this.constants.get(e.constant);
        if (!known) {
          const value = this.machine.constants[e.constant]?.value;
          this.constants.set(e.constant, (known = value ? this.evaluate(value, store) : ANY));
        }
        return known;
      }
      case "default":
        return this.defaultOf(e.type, store);
      case "text":
        for (const part of e.parts) if (typeof part !== "string") this.evaluate(part, store);
        return ANY;
      case "local":
        return store.locals.get(e.slot)?.value ?? this.anyOf(e.type);
      case "data":
        if (store.unset.size > 0 && store.unset.has(`${e.slot}`)) this.mayFault("unsetData", e, store);
        return store.data[e.slot] ?? this.anyOf(e.type);
      case "stateData": {
        if (store.unset.size > 0 && store.unset.has(`${e.slot}:${e.field}`)) this.mayFault("unsetData", e, store);
        const box = store.data[e.slot];
        return (box?.kind === "record" ? box.fields[e.field] : undefined) ?? this.anyOf(e.type);
      }
      case "field": {
        const of = this.evaluate(e.of, store);
        return (of.kind === "record" ? of.fields[e.field] : undefined) ?? this.anyOf(e.type);
      }
      case "coordinate": {
        const of = this.evaluate(e.of, store);
        return of.kind === "cell" ? of[e.axis] : this.anyOf(e.type);
      }
      case "index":
        return this.index(e, store);
      case "listProperty":
        return this.listProperty(e, store);
      case "listHas":
        return this.member(this.evaluate(e.value, store), this.list(e.of, store));
      case "mapProperty": {
        const of = this.evaluate(e.of, store);
        if (of.kind !== "map") return this.anyOf(e.type);
        if (e.property === "size") return between(of.least, of.most);
        if (e.property === "empty") return of.most === 0 ? TRUE : of.least > 0 ? FALSE : EITHER;
        return listOfSize(
          of.least,
          of.most,
          e.property === "values" ? of.of : e.type.kind === "list" ? this.anyOf(e.type.of) : ANY,
        );
      }
      case "gridProperty": {
        const { type } = e.of;
        this.evaluate(e.of, store);
        if (type.kind !== "grid") return this.anyOf(e.type);
        if (e.property === "width") return only(type.width);
        if (e.property === "height") return only(type.height);
        return listOfSize(type.width * type.height, type.width * type.height, inside(type));
      }
      case "gridCall": {
        this.evaluate(e.of, store);
        for (const arg of e.args) this.evaluate(arg, store);
        const { type } = e.of;
        if (type.kind !== "grid") return this.anyOf(e.type);
        if (e.method === "distance") return between(0, type.width + type.height);
        return e.method === "inside" ? EITHER : listOfSize(0, type.width * type.height, inside(type));
      }
      case "take": {
        const list = this.read(e.target, store);
        if (list.kind !== "list") return this.anyOf(e.type);
        if (list.least === 0) this.mayFault("emptyList", e, store);
        return (e.method === "take" ? list.items?.[0] : list.items?.at(-1)) ?? list.of ?? this.anyOf(e.type);
      }
      case "list":
        return listOfItems(e.items.map((item) => this.evaluate(item, store)));
      case "record":
        return {
          kind: "record",
          fields: e.fields.map((f, i) =>
            this.fitted(this.evaluate(f, store), e.type.kind === "record" ? e.type.fields[i]?.type : undefined),
          ),
        };
      case "cell":
        return { kind: "cell", x: this.number(e.x, store), y: this.number(e.y, store) };
      case "not":
        return negated(this.truth(e.of, store));
      case "negate": {
        const of = this.number(e.of, store);
        return { kind: "number", low: -of.high, high: -of.low };
      }
      case "unwrap": {
        const of = this.evaluate(e.of, store);
        if (of.kind !== "maybe") return of.kind === "any" ? this.anyOf(e.type) : of;
        if (of.none && this.isPinned(e.of, store)) this.mayFault("noValue", e, store);
        return of.of ?? this.anyOf(e.type);
      }
      case "binary":
        return this.binary(e, store);
      case "range": {
        const low = this.number(e.low, store);
        const high = this.number(e.high, store);
        const least = Math.max(0, high.low - low.high + 1);
        const most = Math.max(0, high.high - low.low + 1);
        if (least === most && most <= 8) return listOfItems(Array.from({ length: most }, (_, i) => only(low.low + i)));
        return listOfSize(least, Math.min(most, MAX_INT), most === 0 ? undefined : between(low.low, high.high));
      }
      case "if": {
        const test = this.truth(e.test, store);
        const then = test & 2 ? this.under(e.test, true, store) : undefined;
        const otherwise = test & 1 ? this.under(e.test, false, store) : undefined;
        const a = then && this.evaluate(e.then, then);
        const b = otherwise && this.evaluate(e.otherwise, otherwise);
        return a && b ? join(a, b) : (a ?? b ?? this.anyOf(e.type));
      }
      case "call": {
        const called = this.machine.functions[e.function];
        if (!called) return ANY;
        return this.fitted(this.evaluate(called.body, this.called(called.parameters, e.args, store)), e.type);
      }
      case "numeric": {
        const range: (...args: NumberSet[]) => Range = NUMBER_FUNCTIONS[e.name].range;
        const { low, high } = range(...e.args.map((arg) => this.number(arg, store)));
        return between(low, high);
      }
      case "binder":
        return this.binder(e, store);
      case "me":
        return store.locals.get(ME)?.value ?? this.anyOf(e.type);
      case "seats": {
        const { least, names } = this.machine.seats;
        if (least === names.length) return listOfItems(names.map((_, seat) => choice(2 ** seat)));
        return listOfSize(least, names.length, this.anyOf({ kind: "seat" }));
      }
      case "inPlay": {
        if (store.inPlay.low === this.seats)
          return listOfItems(this.machine.seats.names.map((_, seat) => choice(2 ** seat)));
        return listOfSize(store.inPlay.low, store.inPlay.high, choice(2 ** this.seats - 1));
      }
      case "seated":
        // An open seat is in play, and nobody sits there yet.
        return listOfSize(0, store.inPlay.high, choice(2 ** this.seats - 1));
      case "others": {
        const me = store.locals.get(ME)?.value;
        const mask = (2 ** this.seats - 1) & ~(me?.kind === "choice" && single(me.mask) >= 0 ? me.mask : 0);
        if (store.inPlay.low === this.seats && me?.kind === "choice" && single(me.mask) >= 0)
          return listOfItems(bitsOf(mask).map((seat) => choice(2 ** seat)));
        return listOfSize(
          Math.max(0, store.inPlay.low - 1),
          store.inPlay.high - 1,
          mask === 0 ? undefined : choice(mask),
        );
      }
      case "next":
        return this.next(this.mask(e.seat, store), store);
      case "canAct":
        this.evaluate(e.seat, store);
        return EITHER;
      case "inState": {
        const is = this.active(e.state);
        return is === undefined ? EITHER : truth(is);
      }
      case "now":
        return between(0, MAX_INT);
      case "roll": {
        const low = this.number(e.low, store);
        const high = this.number(e.high, store);
        const times = e.times ? this.number(e.times, store) : only(1);
        if (low.high > high.low) this.mayFault("emptyRange", e, store);
        return {
          kind: "number",
          low: Math.min(low.low * times.low, low.low * times.high),
          high: Math.max(high.high * times.high, high.high * times.low),
        };
      }
      case "chance": {
        const part = this.number(e.part, store);
        const whole = e.whole ? this.number(e.whole, store) : only(100);
        if (e.whole && whole.low <= 0 && whole.high >= 0) this.mayFault("divisionByZero", e, store);
        if (part.high <= 0) return FALSE;
        return part.low >= whole.high ? TRUE : EITHER;
      }
      case "pick": {
        const list = this.list(e.list, store);
        if (list.least === 0 && !fromGrid(e.list)) this.mayFault("emptyList", e, store);
        if (e.weight) this.number(e.weight.body, this.bound(e.weight.slot, list.of ?? ANY, store));
        return list.of ?? this.anyOf(e.type);
      }
      case "shuffle": {
        const list = this.list(e.list, store);
        return listOfSize(list.least, list.most, list.of);
      }
    }
  }

  private constant(e: Expr & { kind: "constant" }): Possible {
    const { value, type } = e;
    if (typeof value === "number")
      return type.kind === "enum" && type.members.length > 30
        ? ANY
        : type.kind === "seat" || type.kind === "enum"
          ? choice(2 ** value)
          : { kind: "number", low: value, high: value };
    if (typeof value === "boolean") return truth(value);
    return value === null && type.kind === "maybe" ? NONE : ANY;
  }

  /** A value put where a type is wanted: numbers stop at its bounds. */
  fitted(value: Possible, type: Type | undefined): Possible {
    if (type?.kind === "int" && value.kind === "number") {
      const low = Math.min(Math.max(value.low, type.low), type.high);
      const high = Math.max(Math.min(value.high, type.high), type.low);
      return low === value.low && high === value.high ? value : { kind: "number", low, high };
    }
    if (type?.kind === "maybe" && value.kind !== "maybe")
      return { kind: "maybe", none: value.kind === "any", of: this.fitted(value, type.of) };
    if (type?.kind === "list" && type.max !== undefined && value.kind === "list" && value.most > type.max)
      return listOfSize(Math.min(value.least, type.max), type.max, value.of);
    return value;
  }

  private index(e: Expr & { kind: "index" }, store: Knowledge): Possible {
    const of = this.evaluate(e.of, store);
    if (of.kind === "perSeat") {
      const mask = this.mask(e.key, store);
      const first = single(mask);
      if (first >= 0) return of.seats[first] ?? ANY;
      return bitsOf(mask)
        .map((seat) => of.seats[seat] ?? ANY)
        .reduce(join);
    }
    const key = this.evaluate(e.key, store);
    this.minding(of, key, e.of.type, e, store);
    if (of.kind === "grid") return of.of;
    if (of.kind === "list") {
      if (key.kind !== "number") return of.of ?? this.anyOf(e.type);
      const item = key.low === key.high ? of.items?.[key.low] : undefined;
      if (item) return item;
      if (of.items && key.low >= 0 && key.high < of.items.length)
        return of.items.slice(key.low, key.high + 1).reduce(join);
      return of.of ?? this.anyOf(e.type);
    }
    if (of.kind === "map") {
      if (of.most === 0) this.mayFault("missesIndex", e, store);
      return of.of ?? this.anyOf(e.type);
    }
    return this.anyOf(e.type);
  }

  /**
   * Tells when an index may lie outside. Of a list whose size changes little can be said about an index that changes
   * too.
   */
  minding(of: Possible, key: Possible, type: Type, at: Expr, store: Knowledge): void {
    if (of.kind === "grid" && type.kind === "grid" && key.kind === "cell" && outside(key, type))
      this.mayFault("missesIndex", at, store);
    if (of.kind !== "list" || key.kind !== "number") return;
    const sure = key.low >= of.most || key.high < 0;
    const fixed = of.least === of.most || key.low === key.high;
    if (sure || (fixed && (key.high >= of.least || key.low < 0))) this.mayFault("missesIndex", at, store);
  }

  private listProperty(e: Expr & { kind: "listProperty" }, store: Knowledge): Possible {
    const of = this.list(e.of, store);
    switch (e.property) {
      case "size":
        return between(of.least, of.most);
      case "empty":
        return of.most === 0 ? TRUE : of.least > 0 ? FALSE : EITHER;
      case "first":
      case "last":
        if (of.least === 0) this.mayFault("emptyList", e, store);
        return (e.property === "first" ? of.items?.[0] : of.items?.at(-1)) ?? of.of ?? this.anyOf(e.type);
      case "rest":
        return of.items && of.items.length > 0
          ? listOfItems(of.items.slice(1))
          : listOfSize(Math.max(0, of.least - 1), Math.max(0, of.most - 1), of.of);
      case "indices":
        return of.most === 0 ? listOfItems([]) : listOfSize(of.least, of.most, between(0, of.most - 1));
    }
  }

  /**
   * True for what is followed one by one: data, and elements per seat of a seat that is known. Of other elements too
   * little is known.
   */
  private isPinned(e: Expr, store: Knowledge): boolean {
    switch (e.kind) {
      case "index":
        return (
          e.of.type.kind === "perSeat" &&
          (single(this.mask(e.key, store)) >= 0 || e.key.kind === "me") &&
          this.isPinned(e.of, store)
        );
      case "field":
        return this.isPinned(e.of, store);
      case "local":
      case "data":
      case "stateData":
      case "constant":
      case "named":
        return true;
      default:
        return false;
    }
  }

  /** Whether a value is in a list. */
  private member(value: Possible, list: ListSet): Possible {
    if (list.most === 0 || !list.of) return FALSE;
    if (!overlap(value, list.of)) return FALSE;
    if (isSingle(value) && list.items?.some((item) => isSingle(item) && overlap(item, value))) return TRUE;
    return EITHER;
  }

  next(mask: number, store: Knowledge): Possible {
    const all = 2 ** this.seats - 1;
    if (store.inPlay.low === this.seats) {
      let after = 0;
      for (const seat of bitsOf(mask)) after |= 2 ** ((seat + 1) % this.seats);
      return choice(after);
    }
    const one = single(mask);
    return choice(one >= 0 && store.inPlay.low >= 2 ? all & ~mask : all);
  }

  private binary(e: Expr & { kind: "binary" }, store: Knowledge): Possible {
    switch (e.op) {
      case "and":
      case "or":
      case "implies": {
        // "a implies b" is "not a or b".
        const left = this.truth(e.left, store);
        const decides = e.op === "or" ? 2 : 1;
        const goesOn = e.op === "or" ? 1 : 2;
        const whenDecided = e.op === "and" ? 1 : 2;
        let mask = left & decides ? whenDecided : 0;
        if (left & goesOn) {
          const after = this.under(e.left, e.op !== "or", store);
          if (after) mask |= this.truth(e.right, after);
          else mask ||= whenDecided;
        }
        return choice(mask);
      }
      case "==":
      case "!=":
      case "<":
      case "<=":
      case ">":
      case ">=":
        return this.compare(e, store);
      case "in": {
        const value = this.evaluate(e.left, store);
        const list = this.evaluate(e.right, store);
        return list.kind === "list"
          ? this.member(value, list)
          : list.kind === "map" && list.most === 0
            ? FALSE
            : EITHER;
      }
      default:
        return this.arithmetic(e, store);
    }
  }

  private compare(e: Expr & { kind: "binary" }, store: Knowledge): Possible {
    const a = this.evaluate(e.left, store);
    const b = this.evaluate(e.right, store);
    const relation = relationOf(a, b) & this.knownRelation(e, store);
    const wanted = RELATIONS[e.op] as number;
    if (relation === 0) return EITHER;
    return (relation & ~wanted) === 0 ? TRUE : (relation & wanted) === 0 ? FALSE : EITHER;
  }

  protected knownRelation(e: Expr & { kind: "binary" }, store: Knowledge): number {
    if (!store.mayKnow(PAIR)) return ANY_RELATION;
    const pair = this.pair(e, store);
    const fact = pair && store.facts.get(pair.text);
    if (fact?.value.kind !== "choice") return ANY_RELATION;
    return pair?.swapped ? swapped(fact.value.mask) : fact.value.mask;
  }

  /** The key of how two expressions lie to each other, the same in both directions. */
  protected pair(
    e: Expr & { kind: "binary" },
    store: Knowledge,
  ): { text: string; reads: readonly number[]; swapped: boolean } | undefined {
    const a = this.keys.of(e.left, store);
    const b = a && this.keys.of(e.right, store);
    if (!a || !b) return undefined;
    const turn = a.text > b.text;
    return {
      text: turn ? `${b.text} ? ${a.text}` : `${a.text} ? ${b.text}`,
      reads: [...a.reads, ...b.reads],
      swapped: turn,
    };
  }

  private arithmetic(e: Expr & { kind: "binary" }, store: Knowledge): Possible {
    const a = this.number(e.left, store);
    const b = this.number(e.right, store);
    switch (e.op) {
      case "+":
        return { kind: "number", low: a.low + b.low, high: a.high + b.high };
      case "-":
        return { kind: "number", low: a.low - b.high, high: a.high - b.low };
      case "*": {
        const corners = [a.low * b.low, a.low * b.high, a.high * b.low, a.high * b.high];
        return { kind: "number", low: Math.min(...corners), high: Math.max(...corners) };
      }
      case "/": {
        if (b.low <= 0 && b.high >= 0) {
          this.mayFault("divisionByZero", e, store);
          return { kind: "number", low: -Number.MAX_VALUE, high: Number.MAX_VALUE };
        }
        const corners = [a.low / b.low, a.low / b.high, a.high / b.low, a.high / b.high];
        return { kind: "number", low: Math.min(...corners), high: Math.max(...corners) };
      }
      default: {
        if (b.low <= 0 && b.high >= 0) this.mayFault("divisionByZero", e, store);
        // Inside one stretch of the divisor the remainder only moves along.
        if (b.low === b.high && b.low > 0 && Math.floor(a.low / b.low) === Math.floor(a.high / b.low))
          return between(a.low - Math.floor(a.low / b.low) * b.low, a.high - Math.floor(a.low / b.low) * b.low);
        return between(b.low < 0 ? b.low + 1 : 0, b.high > 0 ? b.high - 1 : 0);
      }
    }
  }

  private binder(e: Expr & { kind: "binder" }, store: Knowledge): Possible {
    const source = this.list(e.source, store);
    // One element at a time, each under what the condition says of it.
    const items = source.items && source.items.length <= 8 ? source.items : source.of === undefined ? [] : undefined;
    const each = (items ?? [source.of as Possible]).map((item) => {
      const inner = this.bound(e.slot, item, store);
      const test = e.where ? this.truth(e.where, inner) : 2;
      const under = test & 2 ? (e.where && test === 3 ? this.under(e.where, true, inner) : inner) : undefined;
      const value = under?.locals.get(e.slot)?.value;
      return {
        test: under ? test : 1,
        value: value ?? item,
        body: under && e.body ? this.evaluate(e.body, under) : undefined,
      };
    });
    const kept = each.filter((x) => x.test & 2);
    const exact = items !== undefined;
    const known = e.where && !exact && e.word !== "any" && e.word !== "all" ? this.filtered(e, store) : undefined;
    const sure = exact
      ? kept.filter((x) => x.test === 2).length
      : Math.max(known?.least ?? 0, !e.where || each[0]?.test === 2 ? source.least : 0);
    const most = exact ? kept.length : kept.length === 0 ? 0 : Math.min(known?.most ?? MAX_INT, source.most);
    const of = kept.length === 0 ? undefined : kept.map((x) => x.value).reduce(join);
    switch (e.word) {
      case "any":
      case "all": {
        const decides = e.word === "any" ? 2 : 1;
        const masks = kept.map((x) => ({
          mask: x.body?.kind === "choice" ? x.body.mask : 3,
          sure: x.test === 2 && exact,
        }));
        const surely = exact
          ? masks.some((m) => m.sure && m.mask === decides)
          : sure > 0 && masks.every((m) => m.mask === decides);
        if (surely) return choice(decides);
        return choice((3 - decides) | (masks.some((m) => m.mask & decides) ? decides : 0));
      }
      case "count":
        return between(sure, most);
      case "sum": {
        if (!exact) {
          const body = kept[0]?.body;
          if (body?.kind !== "number") return kept.length === 0 ? only(0) : this.anyOf(e.type);
          return {
            kind: "number",
            low: Math.min(body.low * sure, body.low * most),
            high: Math.max(body.high * most, body.high * sure),
          };
        }
        let low = 0;
        let high = 0;
        for (const { test, body } of kept) {
          if (body?.kind !== "number") return this.anyOf(e.type);
          low += test === 2 ? body.low : Math.min(0, body.low);
          high += test === 2 ? body.high : Math.max(0, body.high);
        }
        return { kind: "number", low, high };
      }
      case "filter":
        return exact && sure === most ? listOfItems(kept.map((x) => x.value)) : listOfSize(sure, most, of);
      case "map":
        return exact && sure === most
          ? listOfItems(kept.map((x) => x.body ?? ANY))
          : listOfSize(sure, most, kept.length === 0 ? undefined : kept.map((x) => x.body ?? ANY).reduce(join));
      case "sort":
      case "sortDown":
        return listOfSize(sure, most, of);
      default:
        // With a condition of its own little can be said about whether it leaves any.
        if (most === 0 || (!e.where && sure === 0)) this.mayFault("emptyList", e, store);
        return of ?? this.anyOf(e.type);
    }
  }

  /** What has been learned of the list that a binder's condition leaves. */
  private filtered(e: Expr & { kind: "binder" }, store: Knowledge): ListSet | undefined {
    if (e.word === "filter" || e.source.type.kind !== "list" || !store.mayKnow("binder filter")) return undefined;
    const { body: _body, ...rest } = e;
    const key = this.keys.of({ ...rest, word: "filter", ties: "inOrder", type: e.source.type }, store);
    const fact = key && store.facts.get(key.text)?.value;
    return fact?.kind === "list" ? fact : undefined;
  }

  /** A variable bound to an element. */
  bound(slot: number, value: Possible, store: Knowledge): Knowledge {
    const at = value.kind === "choice" ? single(value.mask) : -1;
    return store.bind(slot, { value, key: at >= 0 ? seatKey(at) : undefined });
  }

  /** What is known inside a function or effect that is called. */
  called(
    parameters: readonly { readonly slot: number; readonly type: Type }[],
    args: readonly Expr[],
    store: Knowledge,
  ): Knowledge {
    const values = args.map((arg, i) => ({
      value: this.fitted(this.evaluate(arg, store), parameters[i]?.type),
      key: this.keys.of(arg, store),
      source: arg,
    }));
    let inner = store;
    for (const [i, p] of parameters.entries()) if (values[i]) inner = inner.bind(p.slot, values[i]);
    return inner;
  }

  /** What a place that can be written holds now. */
  read(location: Location, store: Knowledge): Possible {
    const { base } = location;
    let value: Possible | undefined =
      base.kind === "local" ? store.locals.get(base.slot)?.value : store.data[base.slot];
    if (base.kind === "stateData") value = value?.kind === "record" ? value.fields[base.field] : undefined;
    for (const step of location.path) {
      if (!value) break;
      if (step.kind === "field") value = value.kind === "record" ? value.fields[step.field] : undefined;
      else if (value.kind === "perSeat")
        value = bitsOf(this.mask(step.key, store))
          .map((seat) => (value as { seats: readonly Possible[] }).seats[seat] ?? ANY)
          .reduce(join);
      else if (value.kind === "list" || value.kind === "map" || value.kind === "grid") value = value.of;
      else value = undefined;
    }
    return value && value.kind !== "any" ? value : this.anyOf(location.type);
  }
}

function negated(mask: number): ChoiceSet {
  return choice(((mask & 1) << 1) | (mask >> 1));
}

/** True for cells of a grid that fit a condition: there nearly always is one, and nobody asks. */
function fromGrid(list: Expr): boolean {
  return list.kind === "binder" ? fromGrid(list.source) : list.kind === "gridCall" || list.kind === "gridProperty";
}

function inside(type: Type & { kind: "grid" }): Possible {
  return { kind: "cell", x: between(0, type.width - 1), y: between(0, type.height - 1) };
}

/** True when a cell is surely known well enough and may lie outside a grid. */
function outside(cell: Possible & { kind: "cell" }, type: Type & { kind: "grid" }): boolean {
  const far = (n: NumberSet, size: number): boolean =>
    (n.low < 0 || n.high >= size) && n.low > -MAX_INT && n.high < MAX_INT;
  return far(cell.x, type.width) || far(cell.y, type.height);
}
