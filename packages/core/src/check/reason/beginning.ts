/** What is known when a match begins, and the numbers at which ranges are cut while they grow. */

import { typesIn } from "../types.js";
import { visitMachine } from "../visit.js";
import type { Expr, Machine } from "../machine.js";
import type { Type } from "../types.js";
import type { Accesses } from "./accesses.js";
import type { Evaluator } from "./evaluate.js";
import { anyOf, between, join, type Possible } from "./possible.js";
import { Knowledge } from "./knowledge.js";

export class Beginning {
  constructor(
    private readonly accesses: Accesses,
    private readonly values: Evaluator,
  ) {}

  /** What is known before anything has happened. */
  of(machine: Machine): Knowledge {
    const seats = machine.seats.names.length;
    let store = Knowledge.empty(machine.rootSize, between(machine.seats.least, seats));
    for (const { slot, type, initial } of machine.data) {
      store = store.write(slot, this.initial(type, initial, `d${slot}`, store));
      if (!initial && type.kind !== "perSeat" && this.mustBeSet(`d${slot}`, type))
        store = store.marked(`${slot}`, true);
    }
    return store;
  }

  /**
   * Data without a written default whose first value means nothing: it is only ever set as a whole, never counted up or
   * filled, never back to that, and not by what hangs on what it is, as `if side == near { side = far } else {
   * side = near }` does.
   */
  mustBeSet(path: string, type: Type): boolean {
    if (
      type.kind !== "int" &&
      type.kind !== "num" &&
      type.kind !== "bool" &&
      type.kind !== "enum" &&
      type.kind !== "text" &&
      type.kind !== "record"
    )
      return false;
    if (type.kind === "bool") return false;
    const writes = this.accesses.writes(path).filter((a) => a.place.kind !== "test");
    return (
      writes.length > 0 &&
      writes.every(
        ({ path: of, indexed, statement: s }) =>
          of === path && !indexed && s?.kind === "assign" && s.op === "=" && !this.isFirstOf(type, s.value),
      ) &&
      !this.accesses.hangsOnItself(path)
    );
  }

  /** The 0, the empty text or the record as it is made of nothing, that a type begins with. */
  private isFirstOf(type: Type, value: Expr): boolean {
    if (value.kind === "constant") return type.kind !== "enum" && (value.value === 0 || value.value === "");
    if (type.kind !== "record" || value.kind !== "record") return false;
    const initials = this.values.machine.recordInitials.get(type.name) ?? [];
    return value.fields.every((field, i) => field.kind === "default" || field === initials[i]);
  }

  /**
   * What a datum may begin with: its default, or anything where nothing ever writes it and it may have been set up so.
   *
   * @param path the datum's path, as `accesses` names it
   */
  private initial(type: Type, initial: Expr | undefined, path: string, store: Knowledge): Possible {
    const { values, accesses } = this;
    const seats = values.seats;
    const written = initial && values.evaluate(initial, store);
    if (type.kind === "list" && written?.kind === "list" && written.most > 0 && accesses.neverResized(path))
      return accesses.neverWritten(path)
        ? { kind: "list", least: written.least, most: written.most, of: anyOf(type.of, seats) }
        : { kind: "list", least: written.least, most: written.most, of: written.of };
    if (accesses.neverWritten(path)) return anyOf(type, seats);
    const given = written && values.fitted(written, type.kind === "perSeat" ? type.of : type);
    const build = (t: Type, value: Possible, at: string): Possible => {
      if (accesses.neverWritten(at)) return anyOf(t, seats);
      if (
        t.kind === "record" &&
        value.kind === "record" &&
        !accesses.of(at).some((a) => a.kind === "write" && a.place.kind !== "test")
      ) {
        return {
          kind: "record",
          fields: value.fields.map((f, i) => build(t.fields[i]?.type as Type, f, `${at}.${i}`)),
        };
      }
      if (
        t.kind === "list" &&
        value.kind === "list" &&
        value.most > 0 &&
        value.of &&
        !accesses.of(at).some((a) => a.kind === "write" && !a.indexed && a.place.kind !== "test")
      ) {
        // Another list may be set up, but one that is written with something in it is hardly set up empty.
        return {
          kind: "list",
          least: 1,
          most: t.max ?? Number.MAX_SAFE_INTEGER,
          of: build(t.of, join(value.of, values.defaultOf(t.of, store)), at),
        };
      }
      return value;
    };
    if (type.kind === "perSeat") {
      if (written?.kind === "perSeat") return { ...written, seats: written.seats.map((s) => build(type.of, s, path)) };
      const one = build(type.of, given ?? values.defaultOf(type.of, store), path);
      return { kind: "perSeat", seats: Array.from({ length: seats }, () => one) };
    }
    return build(type, given ?? values.defaultOf(type, store), path);
  }
}

/** The numbers at which ranges are cut when they are widened, ascending. */
export interface Thresholds {
  /** All that the text compares with or bounds by. */
  readonly fine: readonly number[];
  /** Bounds alone, for what goes on and on: round by round up to every number in the text would take too long. */
  readonly coarse: readonly number[];
}

/** Rounds after which bounds are widened as far as they go. */
const MANY_ROUNDS = 16;

/** Where ranges are cut after so many rounds, of which there should not be many more once much has been worked out. */
export function stepsAfter(rounds: number, { fine, coarse }: Thresholds, isTiring: boolean): readonly number[] {
  return rounds >= MANY_ROUNDS || isTiring ? coarse : fine;
}

export function thresholds(machine: Machine): Thresholds {
  const numbers = new Set<number>([0, 1]);
  const seen = new Set<Type>();
  const bounds = (type: Type): void => {
    if (seen.has(type)) return;
    seen.add(type);
    if (type.kind === "int") for (const bound of [type.low, type.high]) numbers.add(bound);
    // Cells stay inside a grid.
    if (type.kind === "grid") for (const size of [type.width, type.height]) numbers.add(size - 1);
    for (const inner of typesIn(type)) bounds(inner);
  };
  for (const type of machine.types) bounds(type);
  for (const { type } of [...machine.data, ...machine.states.flatMap((s) => s.fields)]) bounds(type);
  const ascending = (): number[] => [...numbers].sort((a, b) => a - b);
  const coarse = ascending();
  visitMachine(
    { ...machine, laws: [], policies: [], tests: [] },
    {
      expr: (e) => {
        bounds(e.type);
        if (e.kind === "constant" && typeof e.value === "number") for (const d of [-1, 0, 1]) numbers.add(e.value + d);
      },
      location: ({ type }) => bounds(type),
    },
  );
  return { fine: ascending(), coarse };
}
