/**
 * What an expression may come to.
 *
 * Functions are worked out at each call with what is known of their arguments. Anything that is not
 * followed comes to "any value of its type", never to less.
 */

import { arithmetic, negated } from "./arithmetic.js";
import { type DataPath, pathOf } from "./accesses.js";
import { Calls } from "./calls.js";
import { evaluateBinder } from "./binders.js";
import { NUMBER_FUNCTIONS, type Range } from "../builtins.js";
import type { Expr, Location, Machine } from "../machine.js";
import { MAX_INT, type Type } from "../types.js";
import { ExpressionKeys, seatKey } from "./expression-keys.js";
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
import { Memo } from "./memo.js";
import { ANY_RELATION, overlap, RELATIONS, relationOf, swapped } from "./relations.js";
import { type Local, ME, type Knowledge, PAIR } from "./knowledge.js";

/** What may go wrong where an expression is worked out. */
export type PossibleFault = "divisionByZero" | "missesIndex" | "emptyList" | "noValue" | "unsetData" | "emptyRange";

/** Told of whatever the reasoning comes by while it goes through the settled machine. */
export interface Watcher {
  mayFault(kind: PossibleFault, at: Expr, store: Knowledge): void;
}

/** Expressions worked out before the reasoning gives up: a bound of its cost, the same on every machine. */
const MAX_WORK = 6_000_000;
/** After so many, and so many for each character of the text, it is reasoned less exactly. */
const MUCH_WORK = 300_000;
const MUCH_WORK_EACH = 20;
/** Seats kept apart; more are taken together. */
export const MAX_SEATS_APART = 4;

/** Expressions of some kinds. */
type Of<K extends Expr["kind"]> = Expr & { readonly kind: K };

/** Thrown when the work is more than the reasoning allows itself; whoever asked then knows nothing. */
export class TooMuch extends Error {}

/** What follows where a condition holds, asked for inside expressions. */
export interface Assuming {
  /** What is known when a condition holds (or does not); undefined when that cannot be. */
  under(e: Expr, holds: boolean, store: Knowledge): Knowledge | undefined;
}

/** Says what expressions may come to. */
export class Evaluator {
  readonly keys: ExpressionKeys;
  /** How many elements are gone through one by one for each that is now. */
  apart = 1;
  readonly seats: number;
  watcher: Watcher | undefined;
  /** Whether a datum is a list that stays as long as it begins. */
  neverResized: (path: DataPath) => boolean = () => false;
  private work = 0;
  /** How often the watcher was told. */
  private told = 0;
  private readonly tiresAfter: number;
  /** Whether it tires is settled: from now on it stays as it is. */
  private tires: boolean | undefined;
  private readonly memo: Memo<Possible>;
  private readonly calls: Calls;
  private readonly constants = new Map<number, Possible>();
  private readonly types = new WeakMap<Type, Possible>();
  private readonly defaults = new WeakMap<Type, Possible>();

  constructor(
    readonly machine: Machine,
    /** Whether a state is active at the point now being looked at. */
    private readonly active: (state: number) => boolean | undefined,
    private readonly conditions: Assuming,
    tiresAfter: number | undefined,
  ) {
    this.keys = new ExpressionKeys(machine);
    const length = machine.sources.files.reduce((sum, { text }) => sum + text.length, 0);
    this.tiresAfter = tiresAfter ?? MUCH_WORK + MUCH_WORK_EACH * length;
    this.memo = new Memo(machine);
    this.calls = new Calls(machine);
    this.seats = machine.seats.names.length;
  }

  /** What is known where a condition holds; undefined when it cannot. */
  holding(e: Expr, store: Knowledge): Knowledge | undefined {
    return this.conditions.under(e, true, store);
  }

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

  /** So much has been worked out that it is better to be less exact from here on than to give up later. */
  get isTiring(): boolean {
    return this.tires ?? this.work > this.tiresAfter;
  }

  /** From now on everything is as exact as it is now. */
  stayAsExact(): void {
    this.tires = this.isTiring;
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
    const watched = this.watcher !== undefined;
    const known = this.memo.find(e, store, watched);
    if (known) return known;
    if (++this.work > MAX_WORK) throw new TooMuch();
    let value = this.compute(e, store);
    if (value.kind === "any" && e.kind !== "local") value = this.anyOf(e.type);
    return this.memo.keep(e, store, watched, this.withFacts(e, value, store));
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
        if (!store.mayKnow(this.keys.head(e))) return value;
        const key = this.keys.of(e, store);
        const fact = key && store.facts.get(key.text);
        return fact
          ? (meet(value, e.kind === "unwrap" && fact.value.kind === "maybe" ? (fact.value.of ?? value) : fact.value) ??
              value)
          : value;
      }
    }
  }

  /** Tells the watcher, when there is one. */
  mayFault(kind: PossibleFault, at: Expr, store: Knowledge): void {
    if (!this.watcher) return;
    this.told++;
    this.watcher.mayFault(kind, at, store);
  }

  private compute(e: Expr, store: Knowledge): Possible {
    switch (e.kind) {
      case "constant":
        return this.constant(e);
      case "named":
        return this.named(e.constant, store);
      case "default":
        return this.defaultOf(e.type, store);
      case "text":
        return this.text(e, store);
      case "local":
        return store.locals.get(e.slot)?.value ?? this.anyOf(e.type);
      case "data":
        return this.data(e, store);
      case "stateData":
        return this.stateData(e, store);
      case "field":
      case "coordinate":
      case "unwrap":
        return this.part(e, store);
      case "index":
        return this.index(e, store);
      case "listProperty":
        return this.listProperty(e, store);
      case "listHas":
        return this.member(this.evaluate(e.value, store), this.list(e.of, store));
      case "mapProperty":
        return this.mapProperty(e, store);
      case "gridProperty":
      case "gridCall":
        return this.grid(e, store);
      case "take":
        return this.take(e, store);
      case "list":
        return listOfItems(e.items.map((item) => this.evaluate(item, store)));
      case "filled":
        return this.filled(e, store);
      case "record":
        return this.record(e, store);
      case "cell":
        return { kind: "cell", x: this.number(e.x, store), y: this.number(e.y, store) };
      case "not":
        return opposite(this.truth(e.of, store));
      case "negate":
        return negated(this.number(e.of, store));
      case "binary":
        return this.binary(e, store);
      case "range":
        return this.range(e, store);
      case "if":
        return this.either(e, store);
      case "call":
        return this.call(e, store);
      case "numeric":
        return this.numeric(e, store);
      case "binder":
        return evaluateBinder(e, store, this);
      case "me":
        return store.locals.get(ME)?.value ?? this.anyOf(e.type);
      case "seats":
      case "inPlay":
      case "seated":
      case "others":
        return this.seatList(e.kind, store);
      case "next":
        return this.next(this.mask(e.seat, store), store);
      case "canAct":
        this.evaluate(e.seat, store);
        return EITHER;
      case "inState":
        return this.inState(e.state);
      case "now":
        return between(0, MAX_INT);
      case "roll":
      case "chance":
      case "pick":
      case "shuffle":
        return this.dice(e, store);
    }
  }

  private named(constant: number, store: Knowledge): Possible {
    let known = this.constants.get(constant);
    if (!known) {
      const value = this.machine.constants[constant]?.value;
      this.constants.set(constant, (known = value ? this.evaluate(value, store) : ANY));
    }
    return known;
  }

  private text(e: Of<"text">, store: Knowledge): Possible {
    for (const part of e.parts) if (typeof part !== "string") this.evaluate(part, store);
    return ANY;
  }

  private inState(state: number): Possible {
    const is = this.active(state);
    return is === undefined ? EITHER : truth(is);
  }

  private data(e: Of<"data">, store: Knowledge): Possible {
    if (store.unset.size > 0 && store.unset.has(`${e.slot}`)) this.mayFault("unsetData", e, store);
    return store.data[e.slot] ?? this.anyOf(e.type);
  }

  private stateData(e: Of<"stateData">, store: Knowledge): Possible {
    if (store.unset.size > 0 && store.unset.has(`${e.slot}:${e.field}`)) this.mayFault("unsetData", e, store);
    const box = store.data[e.slot];
    return (box?.kind === "record" ? box.fields[e.field] : undefined) ?? this.anyOf(e.type);
  }

  /** A field of a record, a coordinate of a cell, what a value holds that may be none. */
  private part(e: Of<"field" | "coordinate" | "unwrap">, store: Knowledge): Possible {
    const of = this.evaluate(e.of, store);
    if (e.kind === "field") return (of.kind === "record" ? of.fields[e.field] : undefined) ?? this.anyOf(e.type);
    if (e.kind === "coordinate") return of.kind === "cell" ? of[e.axis] : this.anyOf(e.type);
    if (of.kind !== "maybe") return of.kind === "any" ? this.anyOf(e.type) : of;
    if (of.none && this.isPinned(e.of, store)) this.mayFault("noValue", e, store);
    return of.of ?? this.anyOf(e.type);
  }

  private mapProperty(e: Of<"mapProperty">, store: Knowledge): Possible {
    const of = this.evaluate(e.of, store);
    if (of.kind !== "map") return this.anyOf(e.type);
    if (e.property === "size") return between(of.least, of.most);
    if (e.property === "empty") return of.most === 0 ? TRUE : of.least > 0 ? FALSE : EITHER;
    const key = e.type.kind === "list" ? this.anyOf(e.type.of) : ANY;
    return listOfSize(of.least, of.most, e.property === "values" ? of.of : key);
  }

  private grid(e: Of<"gridProperty" | "gridCall">, store: Knowledge): Possible {
    this.evaluate(e.of, store);
    if (e.kind === "gridCall") for (const arg of e.args) this.evaluate(arg, store);
    const { type } = e.of;
    if (type.kind !== "grid") return this.anyOf(e.type);
    const cells = type.width * type.height;
    if (e.kind === "gridCall") {
      if (e.method === "distance") return between(0, type.width + type.height);
      if (e.method === "inside") return EITHER;
      const [least, most] = e.method === "line" ? [0, cells] : this.around(e, type, store);
      return listOfSize(least, most, inside(type));
    }
    if (e.property === "width") return only(type.width);
    if (e.property === "height") return only(type.height);
    return listOfSize(cells, cells, inside(type));
  }

  /** How many cells lie around one, at least and at most: in a corner there is one in each direction. */
  private around(e: Of<"gridCall">, { width, height }: Type & { kind: "grid" }, store: Knowledge): [number, number] {
    const [from, steps] = e.args;
    const cell = from && this.evaluate(from, store);
    const lies = ({ low, high }: NumberSet, size: number): boolean => low >= 0 && high < size;
    const isInside = cell?.kind === "cell" && lies(cell.x, width) && lies(cell.y, height);
    const isNear = steps !== undefined && this.number(steps, store).low < 1;
    const least = isInside && !isNear ? Math.min(1, width - 1) + Math.min(1, height - 1) : 0;
    const most = steps === undefined ? Math.min(2, width - 1) + Math.min(2, height - 1) : width * height;
    return [least, most];
  }

  private take(e: Of<"take">, store: Knowledge): Possible {
    const list = this.read(e.target, store);
    if (list.kind !== "list") return this.anyOf(e.type);
    if (list.least === 0) this.mayFault("emptyList", e, store);
    return (e.method === "take" ? list.items?.[0] : list.items?.at(-1)) ?? list.of ?? this.anyOf(e.type);
  }

  private filled({ type, items }: Of<"filled">, store: Knowledge): Possible {
    const of = type.kind === "map" ? type.value : type.kind === "grid" || type.kind === "perSeat" ? type.of : undefined;
    const values = items.map((item) => this.fitted(this.evaluate(item, store), of));
    if (type.kind === "perSeat") return { kind: "perSeat", seats: values };
    const any = values.length === 0 ? undefined : values.reduce(join);
    if (type.kind === "grid") return { kind: "grid", of: any ?? ANY };
    return { kind: "map", least: Math.min(1, values.length), most: values.length, of: any };
  }

  private record(e: Of<"record">, store: Knowledge): Possible {
    const types = e.type.kind === "record" ? e.type.fields : [];
    return { kind: "record", fields: e.fields.map((f, i) => this.fitted(this.evaluate(f, store), types[i]?.type)) };
  }

  private range(e: Of<"range">, store: Knowledge): Possible {
    const low = this.number(e.low, store);
    const high = this.number(e.high, store);
    const least = Math.max(0, high.low - low.high + 1);
    const most = Math.max(0, high.high - low.low + 1);
    if (least === most && most <= 8) return listOfItems(Array.from({ length: most }, (_, i) => only(low.low + i)));
    return listOfSize(least, Math.min(most, MAX_INT), most === 0 ? undefined : between(low.low, high.high));
  }

  private either(e: Of<"if">, store: Knowledge): Possible {
    const test = this.truth(e.test, store);
    const then = test & 2 ? this.conditions.under(e.test, true, store) : undefined;
    const otherwise = test & 1 ? this.conditions.under(e.test, false, store) : undefined;
    const a = then && this.evaluate(e.then, then);
    const b = otherwise && this.evaluate(e.otherwise, otherwise);
    return a && b ? join(a, b) : (a ?? b ?? this.anyOf(e.type));
  }

  private call(e: Of<"call">, store: Knowledge): Possible {
    const called = this.machine.functions[e.function];
    if (!called) return ANY;
    const args = this.argumentsOf(called.parameters, e.args, store);
    const value = this.calls.of(e.function, args, this.apart, store, {
      isWatched: this.watcher !== undefined,
      told: () => this.told,
      value: () => this.evaluate(called.body, boundTo(called.parameters, args, store)),
    });
    return this.fitted(value, e.type);
  }

  private numeric(e: Of<"numeric">, store: Knowledge): Possible {
    const range: (...args: NumberSet[]) => Range = NUMBER_FUNCTIONS[e.name].range;
    const { low, high } = range(...e.args.map((arg) => this.number(arg, store)));
    return between(low, high);
  }

  private seatList(kind: "seats" | "inPlay" | "seated" | "others", store: Knowledge): Possible {
    const { least, names } = this.machine.seats;
    const all = 2 ** this.seats - 1;
    const everyone = store.inPlay.low === this.seats;
    const listOf = (mask: number): Possible => listOfItems(bitsOf(mask).map((seat) => choice(2 ** seat)));
    switch (kind) {
      case "seats":
        return least === names.length ? listOf(all) : listOfSize(least, names.length, this.anyOf({ kind: "seat" }));
      case "inPlay":
        return everyone ? listOf(all) : listOfSize(store.inPlay.low, store.inPlay.high, choice(all));
      case "seated":
        // An open seat is in play, and nobody sits there yet.
        return listOfSize(0, store.inPlay.high, choice(all));
      case "others": {
        const me = store.locals.get(ME)?.value;
        const known = me?.kind === "choice" && single(me.mask) >= 0;
        const mask = known ? all & ~me.mask : all;
        if (everyone && known) return listOf(mask);
        const of = mask === 0 ? undefined : choice(mask);
        return listOfSize(Math.max(0, store.inPlay.low - 1), store.inPlay.high - 1, of);
      }
    }
  }

  private dice(e: Of<"roll" | "chance" | "pick" | "shuffle">, store: Knowledge): Possible {
    if (e.owner) this.mask(e.owner, store);
    switch (e.kind) {
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
    const path = pathOf(e.of);
    this.minding(of, key, e.of.type, e, store, path === undefined || this.neverResized(path));
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
   *
   * @param fixedSize whether the list always stays as long as it is
   */
  minding(of: Possible, key: Possible, type: Type, at: Expr, store: Knowledge, fixedSize: boolean): void {
    if (of.kind === "grid" && type.kind === "grid" && key.kind === "cell" && outside(key, type))
      this.mayFault("missesIndex", at, store);
    if (of.kind !== "list" || key.kind !== "number") return;
    const sure = key.low >= of.most || key.high < 0;
    const fixed = (fixedSize && of.least === of.most) || key.low === key.high;
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
          const after = this.conditions.under(e.left, e.op !== "or", store);
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

  /** How the two sides of a comparison are known to lie to each other. */
  knownRelation(e: Expr & { kind: "binary" }, store: Knowledge): number {
    if (!store.mayKnow(PAIR)) return ANY_RELATION;
    const pair = this.pair(e, store);
    const fact = pair && store.facts.get(pair.text);
    if (fact?.value.kind !== "choice") return ANY_RELATION;
    return pair?.swapped ? swapped(fact.value.mask) : fact.value.mask;
  }

  /** The key of how two expressions lie to each other, the same in both directions. */
  pair(
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
    if ((e.op === "/" || e.op === "mod") && b.low <= 0 && b.high >= 0) this.mayFault("divisionByZero", e, store);
    return arithmetic(e.op, a, b);
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
    return boundTo(parameters, this.argumentsOf(parameters, args, store), store);
  }

  private argumentsOf(
    parameters: readonly { readonly type: Type }[],
    args: readonly Expr[],
    store: Knowledge,
  ): Local[] {
    return args.map((arg, i) => ({
      value: this.fitted(this.evaluate(arg, store), parameters[i]?.type),
      key: this.keys.of(arg, store),
      source: arg,
    }));
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
      else if (step.kind === "present") value = value.kind === "maybe" ? value.of : value;
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

/** What is known where parameters are what was given for them. */
function boundTo(
  parameters: readonly { readonly slot: number }[],
  args: readonly Local[],
  store: Knowledge,
): Knowledge {
  let inner = store;
  for (const [i, p] of parameters.entries()) if (args[i]) inner = inner.bind(p.slot, args[i]);
  return inner;
}

/** The truth values turned round. */
function opposite(mask: number): ChoiceSet {
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
