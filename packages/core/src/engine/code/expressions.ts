/** Turns typed expressions into closures over the working memory of a step. */

import type { Expr, Machine } from "../../check/machine.js";
import { costOf, isOpenEnded } from "../../check/size.js";
import { isBoxed } from "../../check/types.js";
import type { Memory } from "../situation/memory.js";
import { type Box, share } from "../values/box.js";
import type { Get } from "../values/closure.js";
import { BINDERS } from "./binders.js";
import type { CompileExpression, ExpressionCode, ExpressionTable } from "./compiler.js";
import { LISTS } from "./lists.js";
import { NUMBERS } from "./numbers.js";
import { READING } from "./reading.js";
import { probed, type Probes } from "./probes.js";
import type { Recorder } from "./recorder.js";
import { ROLLS } from "./rolls.js";
import { SEATS } from "./seats.js";
import { clamp, isFresh } from "./support.js";

/** Every kind of expression; one that is missing does not compile. */
const EXPRESSIONS: ExpressionTable<Expr["kind"]> = { ...READING, ...NUMBERS, ...LISTS, ...BINDERS, ...SEATS, ...ROLLS };

export class Expressions implements ExpressionCode {
  private readonly functions: (Get | undefined)[] = [];
  private readonly constants: unknown[] = [];

  /** @param canAct whether some action is open to a seat, which only the rooms above know */
  constructor(
    readonly machine: Machine,
    readonly memory: Memory,
    readonly canAct: (seat: number) => boolean,
    /** Is told what everything comes to; undefined for an engine that only plays. */
    readonly recorder?: Recorder,
    /** What is listened to; undefined for an engine that only plays. */
    readonly probes?: Probes,
  ) {
    for (const constant of machine.constants) this.constants.push(share(this.compile(constant.value)()));
  }

  compile(e: Expr): Get {
    const get = (EXPRESSIONS[e.kind] as CompileExpression)(this, e as never);
    const probe = this.probes?.values.get(e);
    if (probe) return probed(get, probe);
    return this.recorder ? this.recorder.value(e, get) : get;
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

  stored(e: Expr): Get {
    const get = this.compile(e);
    if (!isBoxed(e.type)) return get;
    const { memory } = this;
    return isOpenEnded(e.type) && !isFresh(e) ? () => memory.kept(get(), e) : () => share(get());
  }

  /** A seat or a list of seats, always as a list. */
  seats(e: Expr): Get<readonly number[]> {
    const get = this.compile(e);
    return e.type.kind === "list" ? () => (get() as Box).parts as number[] : () => [get() as number];
  }

  source(e: Expr): Get<readonly unknown[]> {
    const list = this.list(e);
    const { memory } = this;
    if (e.type.kind === "map")
      return () => {
        const { parts } = list();
        memory.charge(parts.length, e);
        return parts.filter((_, i) => i % 2 === 0);
      };
    return () => list().parts;
  }

  /** The body of a function; a large one costs something at every call. */
  private paid(e: Expr): Get {
    const body = this.compile(e);
    const cost = costOf(e);
    const { memory } = this;
    if (cost === 0) return body;
    return () => {
      memory.spend(cost, e);
      return body();
    };
  }

  constant(id: number): unknown {
    return this.constants[id];
  }

  functionBody(id: number): Get {
    const known = this.functions[id];
    if (known) return known;
    const declaration = this.machine.functions[id];
    if (!declaration) throw new Error(`There is no function number ${id}.`);
    const body = this.paid(declaration.body);
    const within = clamp(declaration.type);
    const get = within ? () => within(body() as number) : body;
    this.functions[id] = get;
    return get;
  }
}
