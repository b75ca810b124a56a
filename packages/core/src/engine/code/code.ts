/** A machine's expressions and effects made runnable: as generated code where the host allows it, else as closures. */

import type { Block, Branch, Expr, Machine } from "../../check/machine.js";
import type { Memory } from "../situation/memory.js";
import type { Get, Run } from "../values/closure.js";
import { firstValue } from "./defaults.js";
import { Expressions } from "./expressions.js";
import { Generator } from "./generator.js";
import type { Probes } from "./probes.js";
import type { Recorder } from "./recorder.js";
import { Statements } from "./statements.js";

/** A way of making code run. The generator is one; closures are the other. */
interface Backend {
  value(e: Expr): Get;
  stored(e: Expr): Get;
  block(block: Block | undefined): Run;
  blockThen(block: Block | undefined, next: Run): Run;
  choice(branches: readonly Branch[], arrows: readonly Run[], none: Run): Run;
}

export class Code implements Backend {
  /** The closures, for what is asked rarely. */
  readonly expressions: Expressions;
  readonly statements: Statements;
  private readonly backend: Backend;
  private unheard: Expressions | undefined;

  /** @param canAct whether some action is open to a seat, which only the rooms above know */
  constructor(
    private readonly machine: Machine,
    private readonly memory: Memory,
    readonly isGenerated: boolean,
    private readonly canAct: (seat: number) => boolean,
    /** Is told what everything comes to; undefined for an engine that only plays. Only closures report to it. */
    readonly recorder?: Recorder,
    /** What is listened to; undefined for an engine that only plays. */
    readonly probes?: Probes,
  ) {
    const expressions = new Expressions(machine, memory, canAct, recorder, probes);
    const statements = new Statements(expressions);
    this.expressions = expressions;
    this.statements = statements;
    this.backend = isGenerated ? new Generator(statements) : closures(expressions, statements);
  }

  /** Closures that nobody listens to, for those who look on. */
  get aside(): Expressions {
    this.unheard ??= new Expressions(this.machine, this.memory, this.canAct);
    return this.unheard;
  }

  value(e: Expr): Get {
    return this.backend.value(e);
  }

  condition(e: Expr): Get<boolean> {
    return this.backend.value(e) as Get<boolean>;
  }

  /** Like `value`, for one that will stand in a second place. */
  stored(e: Expr): Get {
    return this.backend.stored(e);
  }

  block(block: Block | undefined): Run {
    return this.backend.block(block);
  }

  /** A block and what comes after it. */
  blockThen(block: Block | undefined, next: Run): Run {
    return this.backend.blockThen(block, next);
  }

  /** A choice: the first branch whose test holds. `arrows` are the branches' own, ready to be followed. */
  choice(branches: readonly Branch[], arrows: readonly Run[], none: Run): Run {
    return this.backend.choice(branches, arrows, none);
  }

  /** The first value of a field, made anew at every call. */
  first(field: { readonly type: Parameters<typeof firstValue>[1]; readonly initial?: Expr }): unknown {
    return firstValue(this.expressions, field.type, field.initial);
  }
}

function closures(expressions: Expressions, statements: Statements): Backend {
  return {
    value: (e) => expressions.compile(e),
    stored: (e) => expressions.stored(e),
    block: (block) => statements.block(block),
    blockThen: (block, next) => statements.blockThen(block, next),
    choice: (branches, arrows, none) => statements.choice(branches, arrows, none),
  };
}
