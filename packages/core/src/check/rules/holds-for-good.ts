/** Conditions that hold for good once they hold, because nothing ever sets back what they ask for. */

import type { Expr, Machine, Statement } from "../machine.js";
import { type Access, type DataPath, pathOf } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import type { IntType } from "../types.js";

type Of<K extends Expr["kind"]> = Expr & { readonly kind: K };
type Assign = Statement & { readonly kind: "assign" };

/**
 * What keeps a condition true once it is.
 *
 * @param holds false for what keeps it false
 * @returns the data that it asks for; none where it may become so again, or already is at the beginning
 */
export function holdsForGood(found: Findings, test: Expr, holds = true): readonly Expr[] {
  return new Lasting(found).of(test, holds);
}

/** What is written to a datum, a part of it, or what it is part of; by tests is no such thing. */
export function writesOf({ accesses }: Findings, path: DataPath): readonly Access[] {
  return accesses.touching(path).filter(({ kind, place }) => kind === "write" && place.kind !== "test");
}

/** Whether a datum is written at all, and each time so. */
export function everyWrite(found: Findings, path: DataPath, so: (statement: Assign) => boolean): boolean {
  const writes = writesOf(found, path);
  const isSo = (a: Access): boolean => a.path === path && a.statement?.kind === "assign" && so(a.statement);
  return writes.length > 0 && writes.every(isSo);
}

export function isConstant(e: Expr, value: unknown): boolean {
  return e.kind === "constant" && e.value === value;
}

/** What a comparison asks for where it shall not hold. */
const OPPOSITES: ReadonlyMap<string, string> = new Map([
  ["<", ">="],
  ["<=", ">"],
  [">", "<="],
  [">=", "<"],
  ["==", "!="],
  ["!=", "=="],
]);

/** By operator, whether a comparison with a limit holds for all numbers of a range. */
const HOLDS: Readonly<Record<string, (low: number, high: number, limit: number) => boolean>> = {
  ">": (low, _, limit) => low > limit,
  ">=": (low, _, limit) => low >= limit,
  "<": (_, high, limit) => high < limit,
  "<=": (_, high, limit) => high <= limit,
  "==": (low, high, limit) => low === limit && high === limit,
  "!=": (low, high, limit) => high < limit || low > limit,
};

/** Functions called from functions are looked into so deep. */
const DEEPEST = 4;

class Lasting {
  /** The elements of lists of data that binders go through: what is known of all of a list is known of each. */
  private readonly elements = new Map<number, DataPath>();
  private depth = 0;

  constructor(private readonly found: Findings) {}

  /** @param holds whether it shall hold, or not hold, for good */
  of(test: Expr, holds: boolean): readonly Expr[] {
    switch (test.kind) {
      case "not":
        return this.of(test.of, !holds);
      case "binary":
        return this.binary(test, holds);
      case "binder":
        return this.binder(test, holds);
      case "listProperty":
        return test.property === "empty" ? this.empty(test.of, holds) : [];
      case "call":
        return this.call(test, holds);
      default:
        return this.flag(test, holds);
    }
  }

  private binary(test: Of<"binary">, holds: boolean): readonly Expr[] {
    const { op, left, right } = test;
    if (op === "and" || op === "or") {
      const sides = [this.of(left, holds), this.of(right, holds)];
      // Where one side is enough, the other may change as it likes.
      const isEnough = (op === "or") === holds;
      return isEnough || sides.every((side) => side.length > 0) ? sides.flat() : [];
    }
    const asked = holds ? op : OPPOSITES.get(op);
    return asked !== undefined && this.comparison(asked, left, right) ? [left] : [];
  }

  private binder({ word, slot, source, where, body }: Of<"binder">, holds: boolean): readonly Expr[] {
    if ((word !== "all" && word !== "any") || where || !body || !this.isSame(source)) return [];
    return this.within(slot, source, () => this.of(body, holds));
  }

  /** That a list is empty into which only what fits a condition comes: that nothing fits it. */
  private empty(list: Expr, holds: boolean): readonly Expr[] {
    if (list.kind === "call") return this.inside(list, (body) => this.empty(body, holds));
    if (list.kind !== "binder" || list.word !== "filter" || list.body || !list.where || !this.isSame(list.source))
      return [];
    const { where } = list;
    return this.within(list.slot, list.source, () => this.of(where, !holds));
  }

  private call(call: Of<"call">, holds: boolean): readonly Expr[] {
    return this.inside(call, (body) => this.of(body, holds));
  }

  private inside<T>(call: Of<"call">, look: (body: Expr) => readonly T[]): readonly T[] {
    const body = this.found.machine.functions[call.function]?.body;
    if (!body || this.depth === DEEPEST) return [];
    this.depth++;
    const seen = look(body);
    this.depth--;
    return seen;
  }

  private flag(test: Expr, holds: boolean): readonly Expr[] {
    const path = this.pathOf(test);
    if (path === undefined || test.type.kind !== "bool" || this.beginsAs(path) !== !holds) return [];
    return everyWrite(this.found, path, (s) => isConstant(s.value, holds)) ? [test] : [];
  }

  /** Whether a comparison with what never changes does not hold at first, and does after each time it is written. */
  private comparison(op: string, left: Expr, right: Expr): boolean {
    const path = this.pathOf(left);
    if (path === undefined) return false;
    if (isConstant(right, null))
      return (
        op === "!=" &&
        this.beginsAs(path) === null &&
        everyWrite(this.found, path, ({ value }) => value.type.kind !== "maybe" && !isConstant(value, null))
      );
    const limit = numberOf(this.found.machine, right);
    const holds = HOLDS[op];
    if (limit === undefined || !holds || left.type.kind !== "int") return false;
    const first = this.beginsAs(path);
    if (typeof first !== "number" || holds(first, first, limit)) return false;
    const { low, high } = left.type as IntType;
    return everyWrite(this.found, path, (s) => {
      const { value, amount } = this.found.written.get(s) ?? {};
      if (s.op === "=") return value !== undefined && holds(value.low, value.high, limit);
      const isBound = op === "==" && limit === (s.op === "+=" ? high : low);
      const onwards = s.op === "+=" ? op === ">" || op === ">=" : op === "<" || op === "<=";
      return (onwards || isBound) && amount !== undefined && amount.low >= 0;
    });
  }

  /** Whether what is gone through stays what it is, or grows less. */
  private isSame(source: Expr): boolean {
    if (source.kind === "inPlay" || source.kind === "seats") return true;
    const list = source.kind === "listProperty" && source.property === "indices" ? source.of : source;
    const path = list.kind === "data" ? pathOf(list) : undefined;
    return path !== undefined && this.found.accesses.neverResized(path);
  }

  private within<T>(slot: number, source: Expr, look: () => T): T {
    const path = source.kind === "data" ? pathOf(source) : undefined;
    if (path !== undefined) this.elements.set(slot, path);
    const seen = look();
    this.elements.delete(slot);
    return seen;
  }

  /** The path of a datum of the machine, of elements too. */
  private pathOf(e: Expr): DataPath | undefined {
    if (e.kind === "local") return this.elements.get(e.slot);
    if (e.kind === "field") {
      const of = this.pathOf(e.of);
      return of && `${of}.${e.field}`;
    }
    const path = pathOf(e);
    return path?.startsWith("d") ? path : undefined;
  }

  /** What a datum is at first, for every seat and every element alike; undefined where that is not known. */
  private beginsAs(path: DataPath): number | boolean | null | undefined {
    const { data, recordInitials } = this.found.machine;
    const [, slot, rest] = /^d(\d+)(.*)$/.exec(path) ?? [];
    const declared = data.find((field) => field.slot === Number(slot));
    if (!declared) return undefined;
    let { type } = declared;
    while (type.kind === "perSeat" || type.kind === "list") type = type.of;
    let { initial } = declared;
    for (const field of (rest ?? "").split(".").filter(Boolean).map(Number)) {
      if (type.kind !== "record") return undefined;
      initial = recordInitials.get(type.name)?.[field];
      type = type.fields[field]?.type ?? type;
    }
    if (initial?.kind === "constant") return initial.value as number | boolean | null;
    if (initial && initial.kind !== "default") return undefined;
    if (type.kind === "int") return Math.min(Math.max(0, type.low), type.high);
    return type.kind === "bool" ? false : type.kind === "maybe" ? null : undefined;
  }
}

/** A number that is written out, or has a name. */
function numberOf({ constants }: Machine, e: Expr): number | undefined {
  const value = e.kind === "named" ? constants[e.constant]?.value : e;
  return value?.kind === "constant" && typeof value.value === "number" ? value.value : undefined;
}
