/**
 * Names for what expressions compute, so that a fact learned of one is found again at another that computes the same.
 */

import type { Expr, Machine } from "../machine.js";
import { readsOf } from "../reads.js";
import { type Key, ME, PLACE, type Knowledge } from "./knowledge.js";

/** ExpressionKeys longer than this are not worth keeping. */
const MAX_LENGTH = 400;

export class ExpressionKeys {
  private readonly functionReads = new Map<number, readonly number[]>();
  /** The variables of the binders around, by slot. */
  private readonly bound = new Map<number, string>();
  /** ExpressionKeys of expressions without local values: the same everywhere. */
  private readonly closed = new WeakMap<Expr, Key>();
  private reads: number[] = [];
  /** A local value was met on the way. */
  private open = false;
  private store: Knowledge | undefined;

  constructor(private readonly machine: Machine) {}

  /**
   * The key of an expression.
   *
   * @returns undefined for what draws or changes something, and for what is too long
   */
  of(e: Expr, store: Knowledge): Key | undefined {
    const known = this.closed.get(e);
    if (known) return known;
    this.reads = [];
    this.open = false;
    this.store = store;
    const text = this.write(e);
    if (text === undefined || text.length > MAX_LENGTH) return undefined;
    const key = { text, reads: this.reads, head: headOf(e), closed: !this.open };
    if (key.closed) this.closed.set(e, key);
    return key;
  }

  private several(...parts: readonly (Expr | undefined)[]): string | undefined {
    const texts: string[] = [];
    for (const part of parts) {
      const text = part ? this.write(part) : "";
      if (text === undefined) return undefined;
      texts.push(text);
    }
    return texts.join(",");
  }

  private wrap(head: string, ...parts: readonly (Expr | undefined)[]): string | undefined {
    const inner = this.several(...parts);
    return inner === undefined ? undefined : `${head}(${inner})`;
  }

  private write(e: Expr): string | undefined {
    switch (e.kind) {
      case "constant":
        return `${e.type.kind} ${e.value}`;
      case "named":
        return `c${e.constant}`;
      case "local":
        return this.local(e.slot);
      case "me": {
        const known = this.store?.locals.get(ME)?.key;
        this.open = true;
        this.reads.push(ME);
        return known?.text ?? "me";
      }
      case "data":
        this.reads.push(e.slot);
        return `d${e.slot}`;
      case "stateData":
        this.reads.push(e.slot);
        return `s${e.slot}.${e.field}`;
      case "field":
        return this.wrap(`.${e.field}`, e.of);
      case "coordinate":
        return this.wrap(e.axis, e.of);
      case "index":
        return this.wrap("at", e.of, e.key);
      case "listProperty":
      case "mapProperty":
      case "gridProperty":
        return this.wrap(e.property, e.of);
      case "listHas":
        return this.wrap("in", e.value, e.of);
      case "gridCall":
        return this.wrap(e.method, e.of, ...e.args);
      case "list":
        return this.wrap("list", ...e.items);
      case "filled":
        return this.wrap("filled", ...e.keys, ...e.items);
      case "record":
        return this.wrap("record", ...e.fields);
      case "cell":
        return this.wrap("cell", e.x, e.y);
      case "unwrap":
        // Once it is known that there is one, the value of something is the thing itself.
        return this.write(e.of);
      case "not":
      case "negate":
        return this.wrap(e.kind, e.of);
      case "numeric":
        return this.wrap(e.name, ...e.args);
      case "binary":
        return this.wrap(e.op, e.left, e.right);
      case "range":
        return this.wrap("range", e.low, e.high);
      case "if":
        return this.wrap("if", e.test, e.then, e.otherwise);
      case "call":
        this.reads.push(...this.readsOfFunction(e.function));
        return this.wrap(`f${e.function}`, ...e.args);
      case "binder":
        return this.binder(e);
      case "seats":
        return e.kind;
      case "inPlay":
      case "seated":
      case "others":
        this.reads.push(PLACE, ME);
        return e.kind;
      case "next":
        this.reads.push(PLACE);
        return this.wrap(e.kind, e.seat);
      default:
        // Rolls, what is taken from lists, the time, who can act: another time they are another value.
        return undefined;
    }
  }

  private local(slot: number): string {
    const bound = this.bound.get(slot);
    if (bound !== undefined) return bound;
    this.open = true;
    const key = this.store?.locals.get(slot)?.key;
    if (key) {
      this.reads.push(...key.reads);
      return key.text;
    }
    this.reads.push(-slot - 2);
    return `l${slot}`;
  }

  private binder(e: Expr & { kind: "binder" }): string | undefined {
    if (e.ties === "byLot") return undefined;
    const source = this.write(e.source);
    if (source === undefined) return undefined;
    this.bound.set(e.slot, `b${this.bound.size}`);
    const inner = this.several(e.where, e.body);
    this.bound.delete(e.slot);
    return inner === undefined ? undefined : `${e.word}(${source},${inner})`;
  }

  private readsOfFunction(id: number): readonly number[] {
    const known = this.functionReads.get(id);
    if (known) return known;
    const body = this.machine.functions[id]?.body;
    const { slots, more } = body ? readsOf(this.machine, body) : { slots: [], more: false };
    const reads = [...slots, ...(more ? [PLACE] : [])];
    this.functionReads.set(id, reads);
    return reads;
  }
}

/** The kind of an expression, equal for all that can have the same key. */
export function headOf(e: Expr): string {
  switch (e.kind) {
    case "unwrap":
      return headOf(e.of);
    case "field":
      return `field ${e.field}`;
    case "call":
      return `call ${e.function}`;
    case "binder":
      return `binder ${e.word}`;
    case "binary":
      return `binary ${e.op}`;
    case "listProperty":
      return `list ${e.property}`;
    default:
      return e.kind;
  }
}

/**
 * The key of a seat that is known. It reads like the constant does, so that what is known of one holds for the other.
 */
export function seatKey(seat: number): Key {
  return { text: `seat ${seat}`, reads: [], head: "constant" };
}
