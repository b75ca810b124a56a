/** Turns typed expressions into closures over the working memory of a step. */

import type { Expr, Location, Machine } from "../check/machine.js";
import { type IntType, isBoxed, MAX_INT, type Type } from "../check/types.js";
import type { Span } from "../language/source.js";
import { Box, CELL_STRIDE, ownedChild, sameValue, share } from "./box.js";
import { Fault } from "./fault.js";
import { gridCall } from "./grid.js";
import { sortedBy } from "./order.js";
import type { Runtime } from "./runtime.js";
import { SEAT_OUT } from "./runtime.js";
import { compareKeys, type Naming, toText } from "./values.js";

export type Get<T = unknown> = () => T;

/** Longest list that a range may become. */
const MAX_RANGE = 100_000;

/** What only the engine as a whole can answer. */
export interface Surroundings {
  canAct(seat: number): boolean;
}

/** The longest text that is put together. */
const MAX_TEXT = 100_000;

export class ExpressionCompiler {
  private readonly functions: (Get | undefined)[] = [];
  private readonly constants: unknown[] = [];

  constructor(
    private readonly machine: Machine,
    private readonly rt: Runtime,
    private readonly naming: Naming,
    private readonly surroundings: Surroundings,
  ) {
    for (const constant of machine.constants) this.constants.push(share(this.compile(constant.value)()));
  }

  number(e: Expr): Get<number> {
    return this.compile(e) as Get<number>;
  }

  condition(e: Expr): Get<boolean> {
    return this.compile(e) as Get<boolean>;
  }

  list(e: Expr): Get<Box> {
    return this.compile(e) as Get<Box>;
  }

  /** Like `compile`, for a value that will stand in a second place. */
  stored(e: Expr): Get {
    const get = this.compile(e);
    return isBoxed(e.type) ? () => share(get()) : get;
  }

  /** A seat or a list of seats, always as a list. */
  seats(e: Expr): Get<readonly number[]> {
    const get = this.compile(e);
    return e.type.kind === "list" ? () => (get() as Box).at as number[] : () => [get() as number];
  }

  /** The value as text. */
  text(e: Expr): Get<string> {
    const get = this.compile(e);
    return () => toText(e.type, get(), this.naming);
  }

  compile(e: Expr): Get {
    const { rt } = this;
    switch (e.kind) {
      case "constant": {
        const { value } = e;
        return () => value;
      }
      case "default":
        return () => this.defaultOf(e.type);
      case "named": {
        const value = this.constants[e.constant];
        return () => value;
      }
      case "text":
        return this.template(e.parts, e);
      case "local": {
        const { slot } = e;
        const { locals } = rt;
        return () => locals[slot];
      }
      case "data": {
        const { slot } = e;
        return () => rt.root.at[slot];
      }
      case "stateData": {
        const { slot, field, of } = e;
        if (of === undefined) return () => (rt.root.at[slot] as Box).at[field];
        const name = this.machine.states[of]?.name;
        return () => {
          const box = rt.root.at[slot] as Box | null;
          if (!box) throw new Fault("notActive", e, `"${name}" is not active, so it has no data.`);
          return box.at[field];
        };
      }
      case "field":
        return this.field(e);
      case "coordinate": {
        const of = this.number(e.of);
        return e.axis === "x" ? () => of() % CELL_STRIDE : () => Math.floor(of() / CELL_STRIDE);
      }
      case "index":
        return this.index(e);
      case "listProperty":
        return this.listProperty(e);
      case "listHas": {
        const of = this.list(e.of);
        const value = this.compile(e.value);
        return () => contains(of().at, value());
      }
      case "mapProperty": {
        const of = this.list(e.of);
        switch (e.property) {
          case "size":
            return () => of().at.length / 2;
          case "empty":
            return () => of().at.length === 0;
          case "keys":
            return () =>
              new Box(
                0,
                of().at.filter((_, i) => i % 2 === 0),
              );
          case "values":
            return () =>
              new Box(
                0,
                of()
                  .at.filter((_, i) => i % 2 === 1)
                  .map(share),
              );
        }
        break;
      }
      case "gridProperty":
      case "gridCall":
        return gridCall(e, (x) => this.compile(x));
      case "take":
        return this.take(e.target, e.method, e);
      case "list": {
        const items = e.items.map((item) => this.stored(item));
        return () =>
          new Box(
            rt.epoch,
            items.map((item) => item()),
          );
      }
      case "record": {
        const fields = e.fields.map((field, i) => {
          const type = e.type.kind === "record" ? (e.type.fields[i]?.type as Type) : field.type;
          const get = this.stored(field);
          return type.kind === "int" ? () => Math.min(type.high, Math.max(type.low, get() as number)) : get;
        });
        return () =>
          new Box(
            rt.epoch,
            fields.map((field) => field()),
          );
      }
      case "cell": {
        const x = this.number(e.x);
        const y = this.number(e.y);
        return () => {
          const [cx, cy] = [x(), y()];
          if (cx < 0 || cy < 0 || cx >= CELL_STRIDE || cy >= CELL_STRIDE)
            throw new Fault("notACell", e, `There is no cell ${cx},${cy}.`);
          return cx + cy * CELL_STRIDE;
        };
      }
      case "not": {
        const of = this.condition(e.of);
        return () => !of();
      }
      case "unwrap": {
        const of = this.compile(e.of);
        return () => {
          const value = of();
          if (value === null) throw new Fault("noneUsed", e, "This is none here, and a value is needed.");
          return value;
        };
      }
      case "negate": {
        const of = this.number(e.of);
        return () => 0 - of();
      }
      case "binary":
        return this.binary(e);
      case "range": {
        const low = this.number(e.low);
        const high = this.number(e.high);
        return () => {
          const [from, to] = [low(), high()];
          if (to - from >= MAX_RANGE)
            throw new Fault("outOfRange", e, `The range ${from}..${to} is longer than ${MAX_RANGE}.`);
          const items: number[] = [];
          for (let i = from; i <= to; i++) items.push(i);
          return new Box(0, items);
        };
      }
      case "if": {
        const test = this.condition(e.test);
        const then = this.compile(e.then);
        const otherwise = this.compile(e.otherwise);
        return () => (test() ? then() : otherwise());
      }
      case "call":
        return this.call(e.function, e.args);
      case "round": {
        const of = this.number(e.of);
        const round = e.how === "floor" ? Math.floor : e.how === "ceil" ? Math.ceil : nearest;
        return () => checkedInt(round(of()) + 0, e);
      }
      case "least":
      case "greatest":
        return this.extreme(e.args, e.kind === "least");
      case "abs": {
        const of = this.number(e.of);
        return () => Math.abs(of());
      }
      case "binder":
        return this.binder(e);
      case "me":
        return () => rt.me;
      case "seats":
        return () => rt.everySeat();
      case "inPlay":
        return () => rt.inPlay();
      case "seated":
        return () => rt.seated();
      case "others":
        return () => this.others();
      case "now":
        return () => rt.now;
      case "next": {
        const seat = this.number(e.seat);
        return () => rt.nextSeat(seat(), e);
      }
      case "canAct": {
        const seat = this.number(e.seat);
        return () => this.surroundings.canAct(seat());
      }
      case "inState": {
        const { state } = e;
        return () => rt.configuration.active[state] === 1;
      }
      case "roll":
        return this.roll(e);
      case "chance": {
        const part = this.number(e.part);
        const whole = e.whole && this.number(e.whole);
        return () => rt.rollChance(e.stream, part(), whole?.(), e);
      }
      case "pick":
        return this.pick(e);
      case "shuffle": {
        const list = this.list(e.list);
        return () => new Box(rt.epoch, this.shuffled(list().at.map(share), e.stream, e));
      }
    }
    throw new Error(`No way to run a "${(e as Expr).kind}".`);
  }

  // ---- reading ---------------------------------------------------------------------------------

  private field(e: Expr & { kind: "field" }): Get {
    const { rt } = this;
    const { field, of } = e;
    if (of.kind === "index" && of.of.kind === "data" && of.of.type.kind === "perSeat") {
      const { slot } = of.of;
      const seat = this.number(of.key);
      return () => (((rt.root.at[slot] as Box).at[seat()] as Box).at as unknown[])[field];
    }
    const record = this.list(of);
    return () => record().at[field];
  }

  private index(e: Expr & { kind: "index" }): Get {
    const of = this.list(e.of);
    const key = this.compile(e.key);
    const slotOf = slotFinder(e.of.type, e, this.naming);
    return () => {
      const { at } = of();
      return at[slotOf(at, key())];
    };
  }

  private listProperty(e: Expr & { kind: "listProperty" }): Get {
    const of = this.list(e.of);
    const { rt } = this;
    const some = (at: readonly unknown[]): readonly unknown[] => {
      if (at.length === 0) throw new Fault("missingIndex", e, `This list is empty, so it has no ${e.property}.`);
      return at;
    };
    switch (e.property) {
      case "size":
        return () => of().at.length;
      case "empty":
        return () => of().at.length === 0;
      case "first":
        return () => some(of().at)[0];
      case "last":
        return () => some(of().at).at(-1);
      case "rest":
        return () => new Box(rt.epoch, some(of().at).slice(1).map(share));
      case "indices":
        return () =>
          new Box(
            rt.epoch,
            of().at.map((_, i) => i),
          );
    }
  }

  private template(parts: readonly (string | Expr)[], at: Span): Get<string> {
    const gets = parts.map((part) => (typeof part === "string" ? () => part : this.text(part)));
    return () => {
      let text = "";
      for (const get of gets) text += get();
      if (text.length > MAX_TEXT)
        throw new Fault("textTooLong", at, `This text is longer than ${MAX_TEXT} characters.`);
      return text;
    };
  }

  private call(id: number, args: readonly Expr[]): Get {
    const { locals } = this.rt;
    const slots = this.machine.functions[id]?.parameters.map((p) => p.slot) ?? [];
    const gets = args.map((arg) => this.compile(arg));
    const body = this.functionBody(id);
    const [s0, s1] = slots as [number, number];
    const [g0, g1] = gets as [Get, Get];
    if (gets.length === 1) {
      return () => {
        locals[s0] = g0();
        return body();
      };
    }
    if (gets.length === 2) {
      return () => {
        const v0 = g0();
        locals[s1] = g1();
        locals[s0] = v0;
        return body();
      };
    }
    return () => {
      const values = gets.map((get) => get());
      for (let i = 0; i < values.length; i++) locals[slots[i] as number] = values[i];
      return body();
    };
  }

  /** Functions are compiled when first called for; they never call themselves. */
  private functionBody(id: number): Get {
    const known = this.functions[id];
    if (known) return known;
    const declaration = this.machine.functions[id];
    if (!declaration) throw new Error("unknown function");
    const body = this.compile(declaration.body);
    const clamped = clamp(declaration.type);
    const get = clamped ? () => clamped(body() as number) : body;
    this.functions[id] = get;
    return get;
  }

  // ---- arithmetic and comparison ---------------------------------------------------------------

  private binary(e: Expr & { kind: "binary" }): Get {
    if (e.op === "in") return this.membership(e);
    if (e.op === "==" || e.op === "!=") {
      const left = this.compile(e.left);
      const right = this.compile(e.right);
      const same = isBoxed(e.left.type) || isBoxed(e.right.type);
      if (e.op === "==") return same ? () => sameValue(left(), right()) : () => left() === right();
      return same ? () => !sameValue(left(), right()) : () => left() !== right();
    }
    const l = this.number(e.left);
    const r = this.number(e.right);
    switch (e.op) {
      case "and":
        return () => (l() as unknown) && r();
      case "or":
        return () => (l() as unknown) || r();
      case "implies":
        return () => !(l() as unknown) || r();
      case "<":
        return () => l() < r();
      case "<=":
        return () => l() <= r();
      case ">":
        return () => l() > r();
      case ">=":
        return () => l() >= r();
      case "/":
        return () => {
          const divisor = r();
          if (divisor === 0) throw new Fault("divisionByZero", e, "This divides by zero.");
          return checkedNum(l() / divisor, e);
        };
      case "mod":
        return () => {
          const a = l();
          const divisor = r();
          if (divisor === 0) throw new Fault("divisionByZero", e, "This takes the remainder of a division by zero.");
          return a - divisor * Math.floor(a / divisor) + 0;
        };
      default: {
        const compute: Get<number> =
          e.op === "+" ? () => l() + r() : e.op === "-" ? () => l() - r() : () => l() * r() + 0;
        if (e.type.kind === "num") return () => checkedNum(compute(), e);
        return mayOverflow(e.type) ? () => checkedInt(compute(), e) : compute;
      }
    }
  }

  private membership(e: Expr & { kind: "binary" }): Get<boolean> {
    const left = this.compile(e.left);
    if (e.right.kind === "range") {
      const low = this.number(e.right.low);
      const high = this.number(e.right.high);
      return () => {
        const value = left() as number;
        return value >= low() && value <= high();
      };
    }
    const right = this.list(e.right);
    if (e.right.type.kind === "map") return () => mapSlot(right().at, left()) >= 0;
    return () => contains(right().at, left());
  }

  private extreme(args: readonly Expr[], least: boolean): Get<number> {
    const [first, second, ...rest] = args.map((arg) => this.number(arg)) as [
      Get<number>,
      Get<number>,
      ...Get<number>[],
    ];
    if (rest.length > 0) {
      const all = [first, second, ...rest];
      return () => (least ? Math.min(...all.map((get) => get())) : Math.max(...all.map((get) => get())));
    }
    return least
      ? () => {
          const a = first();
          const b = second();
          return a < b ? a : b;
        }
      : () => {
          const a = first();
          const b = second();
          return a > b ? a : b;
        };
  }

  // ---- binders ---------------------------------------------------------------------------------

  private binder(e: Expr & { kind: "binder" }): Get {
    const { rt } = this;
    const { locals } = rt;
    const { slot, word } = e;
    const source = this.source(e.source);
    const where = e.where && this.condition(e.where);
    const body = e.body && this.compile(e.body);
    const each = (visit: (item: unknown) => boolean): void => {
      const at = source();
      for (let i = 0; i < at.length; i++) {
        rt.spend(1, e);
        const item = at[i];
        locals[slot] = item;
        if (where && !where()) continue;
        if (!visit(item)) return;
      }
    };
    switch (word) {
      case "any":
        return () => {
          let found = false;
          each(() => !(found = body?.() as boolean));
          return found;
        };
      case "all":
        return () => {
          let holds = true;
          each(() => (holds = body?.() as boolean));
          return holds;
        };
      case "count":
        return () => {
          let count = 0;
          each(() => ++count > 0);
          return count;
        };
      case "sum":
        return () => {
          let sum = 0;
          each(() => {
            sum += body?.() as number;
            return true;
          });
          return e.type.kind === "num" ? checkedNum(sum, e) : checkedInt(sum, e);
        };
      case "filter":
      case "map":
        return () => {
          const kept: unknown[] = [];
          each((item) => kept.push(share(body ? body() : item)) > 0);
          return new Box(rt.epoch, kept);
        };
      default:
        return this.ordered(e, (visit) => each(visit), body as Get<number>);
    }
  }

  /** sort, sortDown, minBy and maxBy: by a number, ties in the list's order or by lot. */
  private ordered(
    e: Expr & { kind: "binder" },
    each: (visit: (item: unknown) => boolean) => void,
    body: Get<number>,
  ): Get {
    const { rt } = this;
    const sign = e.word === "sortDown" || e.word === "maxBy" ? -1 : 1;
    const one = e.word === "minBy" || e.word === "maxBy";
    return () => {
      let items: unknown[] = [];
      let keys: number[] = [];
      each((item) => {
        items.push(share(item));
        keys.push(sign * body());
        return true;
      });
      if (e.ties === "byLot" && items.length > 1) {
        const order = this.shuffled(
          items.map((_, i) => i),
          0,
          e,
        ) as number[];
        items = order.map((i) => items[i]);
        keys = order.map((i) => keys[i] as number);
      }
      if (one) {
        if (items.length === 0)
          throw new Fault(
            "emptyPick",
            e,
            `There is nothing to take the ${e.word === "minBy" ? "least" : "greatest"} of.`,
          );
        let best = 0;
        for (let i = 1; i < keys.length; i++) if ((keys[i] as number) < (keys[best] as number)) best = i;
        return items[best];
      }
      return new Box(rt.epoch, sortedBy(items, keys));
    };
  }

  /** What a binder or a for goes through: the elements of a list or range, the keys of a map. */
  source(e: Expr): Get<readonly unknown[]> {
    const list = this.list(e);
    if (e.type.kind === "map") return () => list().at.filter((_, i) => i % 2 === 0);
    return () => list().at;
  }

  // ---- seats -----------------------------------------------------------------------------------

  private others(): Box {
    const { rt } = this;
    const list: number[] = [];
    for (let seat = 0; seat < rt.seats.length; seat++) {
      if (rt.named >= 0 ? (rt.named & (1 << seat)) === 0 : seat !== rt.me && rt.seats[seat] !== SEAT_OUT)
        list.push(seat);
    }
    return new Box(0, list);
  }

  // ---- draws -----------------------------------------------------------------------------------

  private roll(e: Expr & { kind: "roll" }): Get<number> {
    const { rt } = this;
    const { stream } = e;
    const low = this.number(e.low);
    const high = this.number(e.high);
    if (!e.whole) return () => rt.rollReal(stream, low(), high(), e);
    if (!e.times) return () => rt.rollWhole(stream, low(), high(), e);
    const times = this.number(e.times);
    return () => {
      let sum = 0;
      const [from, to, count] = [low(), high(), times()];
      for (let i = 0; i < count; i++) {
        rt.spend(1, e);
        sum += rt.rollWhole(stream, from, to, e);
      }
      return sum;
    };
  }

  private pick(e: Expr & { kind: "pick" }): Get {
    const { rt } = this;
    const list = this.source(e.list);
    const weight = e.weight && this.number(e.weight.body);
    const slot = e.weight?.slot ?? 0;
    return () => {
      const at = list();
      if (at.length === 0) throw new Fault("emptyPick", e, "This picks from an empty list.");
      if (!weight) return share(at[rt.rollWhole(e.stream, 0, at.length - 1, e)]);
      const weights = at.map((item) => {
        rt.locals[slot] = item;
        return weight();
      });
      return share(at[rt.pickWeighted(e.stream, weights, e)]);
    };
  }

  /** Fisher and Yates, from the back: for i from the last down to 1, swap i with an index drawn from 0 to i. */
  private shuffled(items: readonly unknown[], stream: number, at: Span): unknown[] {
    const mixed = items.slice();
    for (let i = mixed.length - 1; i > 0; i--) {
      this.rt.spend(1, at);
      const j = this.rt.rollWhole(stream, 0, i, at);
      [mixed[i], mixed[j]] = [mixed[j], mixed[i]];
    }
    return mixed;
  }

  // ---- places to write to ----------------------------------------------------------------------

  /**
   * The box that directly holds a location, made the step's own, and the slot in it.
   * The two are asked for in this order, right after each other.
   */
  location(target: Location): { holder: Get<Box>; slot: (holder: Box) => number } {
    const { rt } = this;
    const { base, path } = target;
    let holder: Get<Box>;
    let slot: (holder: Box) => number;
    if (base.kind === "stateData") {
      const { field } = base;
      holder = () => ownedChild(rt.ownRoot(base.slot), base.slot, rt.epoch);
      slot = () => field;
    } else if (base.kind === "data") {
      holder = () => rt.ownRoot(base.slot);
      slot = () => base.slot;
    } else {
      const locals = new Box(0, rt.locals);
      holder = () => locals;
      slot = () => base.slot;
    }
    for (const step of path) {
      const outer = holder;
      const outerSlot = slot;
      holder = () => {
        const parent = outer();
        return ownedChild(parent, outerSlot(parent), rt.epoch);
      };
      if (step.kind === "field") {
        const { field } = step;
        slot = () => field;
      } else {
        const key = this.compile(step.key);
        if (step.of.kind === "perSeat") {
          slot = key as Get<number>;
        } else {
          const slotOf = slotFinder(step.of, step.key, this.naming);
          slot = (box) => slotOf(box.at, key());
        }
      }
    }
    return { holder, slot };
  }

  /** How the slot of an element of a value of this type is found. */
  slotIn(of: Type, at: Span): (parts: readonly unknown[], key: unknown) => number {
    return slotFinder(of, at, this.naming);
  }

  private take(target: Location, method: "take" | "takeLast", at: Span): Get {
    const { rt } = this;
    const { holder, slot } = this.location(target);
    return () => {
      const parent = holder();
      const list = ownedChild(parent, slot(parent), rt.epoch);
      if (list.at.length === 0) throw new Fault("missingIndex", at, "There is nothing left in this list to take.");
      return share(method === "take" ? list.at.shift() : list.at.pop());
    };
  }

  // ---- defaults --------------------------------------------------------------------------------

  /** The value a type has without being given one. */
  defaultOf(type: Type): unknown {
    const { epoch } = this.rt;
    switch (type.kind) {
      case "bool":
        return false;
      case "int":
        return Math.min(Math.max(0, type.low), type.high);
      case "num":
      case "enum":
        return 0;
      case "text":
        return "";
      case "list":
      case "map":
        return new Box(epoch, []);
      case "record": {
        const initials = this.machine.recordInitials.get(type.name) ?? [];
        return new Box(
          epoch,
          type.fields.map((field, i) => this.initial(field.type, initials[i])),
        );
      }
      case "perSeat":
        return new Box(
          epoch,
          this.rt.seats.map(() => this.defaultOf(type.of)),
        );
      case "grid":
        return new Box(
          epoch,
          Array.from({ length: type.width * type.height }, () => this.defaultOf(type.of)),
        );
      default:
        return null;
    }
  }

  /** The first value of a field: its written default, stopped at its bounds, or that of its type. */
  initial(type: Type, written: Expr | undefined): unknown {
    if (!written) return this.defaultOf(type);
    if (type.kind === "perSeat")
      return new Box(
        this.rt.epoch,
        this.rt.seats.map(() => this.initial(type.of, written)),
      );
    const value = share(this.compile(written)());
    return clamp(type)?.(value as number) ?? value;
  }
}

// ---- helpers -----------------------------------------------------------------------------------

/** Stops a number at the bounds of its type; undefined for types that have none. */
export function clamp(type: Type): ((value: number) => number) | undefined {
  if (type.kind !== "int" || (type.low === -MAX_INT && type.high === MAX_INT)) return undefined;
  const { low, high } = type;
  return (value) => (value < low ? low : value > high ? high : value);
}

function mayOverflow(type: Type): boolean {
  return (type as IntType).low <= -MAX_INT || (type as IntType).high >= MAX_INT;
}

export function checkedInt(value: number, at: Span): number {
  if (value > MAX_INT || value < -MAX_INT)
    throw new Fault("outOfRange", at, `${value} is beyond the exact whole numbers.`);
  return value;
}

export function checkedNum(value: number, at: Span): number {
  if (!Number.isFinite(value))
    throw new Fault("outOfRange", at, `This comes to ${value}, which is no number to go on with.`);
  return value + 0;
}

/** Rounds to the nearest whole number, halves away from zero. */
function nearest(value: number): number {
  return value < 0 ? -Math.floor(0.5 - value) : Math.floor(value + 0.5);
}

function contains(items: readonly unknown[], value: unknown): boolean {
  for (const item of items) if (sameValue(item, value)) return true;
  return false;
}

/** The slot of a key's entry in a map's parts, or the complement of where it would go. */
export function mapSlot(parts: readonly unknown[], key: unknown): number {
  let low = 0;
  let high = parts.length / 2;
  while (low < high) {
    const middle = (low + high) >> 1;
    const order = compareKeys(parts[middle * 2], key);
    if (order === 0) return middle * 2;
    if (order < 0) low = middle + 1;
    else high = middle;
  }
  return ~(low * 2);
}

function missingElement(parts: readonly unknown[], index: number, at: Span): never {
  throw new Fault(
    "missingIndex",
    at,
    `The list has ${parts.length === 0 ? "no elements" : `elements 0 to ${parts.length - 1}`}, so there is no [${index}].`,
  );
}

/** The element of a list. A missing one is a fault. */
export function listElement(parts: readonly unknown[], index: number, at: Span): unknown {
  if (index < 0 || index >= parts.length) missingElement(parts, index, at);
  return parts[index];
}

/** How the slot of an element is found from its key. A missing element is a fault. */
function slotFinder(of: Type, at: Span, naming: Naming): (parts: readonly unknown[], key: unknown) => number {
  switch (of.kind) {
    case "map":
      return (parts, key) => {
        const slot = mapSlot(parts, key);
        if (slot < 0) throw new Fault("missingKey", at, `The map has no entry for ${toText(of.key, key, naming)}.`);
        return slot + 1;
      };
    case "grid": {
      const { width, height } = of;
      return (_, key) => {
        const x = (key as number) % CELL_STRIDE;
        const y = Math.floor((key as number) / CELL_STRIDE);
        if (x >= width || y >= height)
          throw new Fault("notACell", at, `The cell ${x},${y} is outside the grid of ${width} by ${height}.`);
        return y * width + x;
      };
    }
    case "list":
      return (parts, key) => {
        if ((key as number) < 0 || (key as number) >= parts.length) missingElement(parts, key as number, at);
        return key as number;
      };
    default:
      return (_, key) => key as number;
  }
}
