/**
 * Names for what expressions compute, so that a fact learned of one is found again at another that computes the same.
 */

import type { Expr, Machine } from "../machine.js";
import { readsOf } from "../reads.js";
import { type Key, ME, PLACE, type Knowledge } from "./knowledge.js";

/** Keys longer than this are not worth keeping. */
const MAX_LENGTH = 400;

/** How the key of one expression is written, found once: only the names of local values differ from store to store. */
interface Pattern {
  /** Text as it stays, and the slots of the local values whose names go in between (`ME` for the seat acting). */
  readonly pieces: readonly (string | number)[];
  /** What it reads beside local values. */
  readonly reads: readonly number[];
  readonly head: string;
  /** The key that was written last, and the local values it was written for. */
  last?: { readonly locals: Knowledge["locals"]; readonly key: Key | undefined };
}

export class ExpressionKeys {
  private readonly functionReads = new Map<number, readonly number[]>();
  private readonly patterns = new WeakMap<Expr, Pattern | "none">();
  private readonly heads = new WeakMap<Expr, string>();

  constructor(private readonly machine: Machine) {}

  /**
   * The key of an expression.
   *
   * @returns undefined for what draws or changes something, and for what is too long
   */
  of(e: Expr, store: Knowledge): Key | undefined {
    let pattern = this.patterns.get(e);
    if (!pattern) this.patterns.set(e, (pattern = this.patternOf(e) ?? "none"));
    if (pattern === "none") return undefined;
    const { last } = pattern;
    if (last && (last.locals === store.locals || last.key?.closed)) return last.key;
    const key = written(pattern, store.locals);
    pattern.last = { locals: store.locals, key };
    return key;
  }

  /** The kind of an expression, kept: see `headOf`. */
  head(e: Expr): string {
    let head = this.heads.get(e);
    if (head === undefined) this.heads.set(e, (head = headOf(e)));
    return head;
  }

  private patternOf(e: Expr): Pattern | undefined {
    const writer = new PatternWriter((id) => this.readsOfFunction(id));
    return writer.write(e) ? { pieces: writer.pieces, reads: [...writer.reads], head: headOf(e) } : undefined;
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

/** The key where local values go by these names; undefined when it becomes too long. */
function written({ pieces, reads, head }: Pattern, locals: Knowledge["locals"]): Key | undefined {
  let text = "";
  let all = reads;
  let closed = true;
  for (const piece of pieces) {
    if (typeof piece === "string") {
      text += piece;
      continue;
    }
    closed = false;
    const name = locals.get(piece)?.key;
    text += name?.text ?? (piece === ME ? "me" : `l${piece}`);
    if (piece === ME) all = [...all, ME];
    else all = [...all, ...(name?.reads ?? [-piece - 2])];
  }
  return text.length > MAX_LENGTH ? undefined : { text, reads: all, head, closed };
}

/** Writes the pattern of one expression. */
class PatternWriter {
  readonly pieces: (string | number)[] = [];
  readonly reads = new Set<number>();
  /** How long what stays as it is has become. */
  private length = 0;
  /** The variables of the binders around, by slot. */
  private readonly bound = new Map<number, string>();

  constructor(private readonly readsOfFunction: (id: number) => readonly number[]) {}

  /** @returns false where there is no key */
  write(e: Expr): boolean {
    switch (e.kind) {
      case "constant":
        return this.text(`${e.type.kind} ${e.value}`);
      case "named":
        return this.text(`c${e.constant}`);
      case "local": {
        const name = this.bound.get(e.slot);
        if (name !== undefined) return this.text(name);
        this.pieces.push(e.slot);
        return true;
      }
      case "me":
        this.pieces.push(ME);
        return true;
      case "data":
        this.reads.add(e.slot);
        return this.text(`d${e.slot}`);
      case "stateData":
        this.reads.add(e.slot);
        return this.text(`s${e.slot}.${e.field}`);
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
        for (const read of this.readsOfFunction(e.function)) this.reads.add(read);
        return this.wrap(`f${e.function}`, ...e.args);
      case "binder":
        return this.binder(e);
      case "seats":
        return this.text(e.kind);
      case "inPlay":
      case "seated":
      case "others":
        this.reads.add(PLACE).add(ME);
        return this.text(e.kind);
      case "next":
        this.reads.add(PLACE);
        return this.wrap(e.kind, e.seat);
      default:
        // Rolls, what is taken from lists, the time, who can act: another time they are another value.
        return false;
    }
  }

  /** @returns false when it has become too long */
  private text(text: string): boolean {
    const last = this.pieces.length - 1;
    if (typeof this.pieces[last] === "string") this.pieces[last] += text;
    else this.pieces.push(text);
    this.length += text.length;
    return this.length <= MAX_LENGTH;
  }

  private wrap(head: string, ...parts: readonly Expr[]): boolean {
    return this.text(`${head}(`) && this.several(parts) && this.text(")");
  }

  private several(parts: readonly (Expr | undefined)[]): boolean {
    return parts.every((part, i) => (i === 0 || this.text(",")) && (!part || this.write(part)));
  }

  private binder(e: Expr & { kind: "binder" }): boolean {
    if (e.ties === "byLot") return false;
    if (!this.text(`${e.word}(`) || !this.write(e.source) || !this.text(",")) return false;
    this.bound.set(e.slot, `b${this.bound.size}`);
    const isWritten = this.several([e.where, e.body]);
    this.bound.delete(e.slot);
    return isWritten && this.text(")");
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
