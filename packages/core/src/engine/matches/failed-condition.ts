/** Why a condition failed: the part that failed as it is written, and the values in it. */

import type { Expr, Machine } from "../../check/machine.js";
import type { Secrecy } from "../../check/secrecy.js";
import type { Expressions } from "../code/expressions.js";
import type { Refusal } from "../situation/situation.js";
import type { Get } from "../values/closure.js";
import { Fault } from "../values/fault.js";
import { toText } from "../values/json.js";

type Failed = NonNullable<Refusal["condition"]>;

/** Operators whose operands tell more than their result. */
const OPERATORS: ReadonlySet<string> = new Set([
  "and",
  "or",
  "implies",
  "==",
  "!=",
  "<",
  "<=",
  ">",
  ">=",
  "in",
  "+",
  "-",
  "*",
  "/",
  "mod",
]);

/** A condition made ready to be explained. */
interface Explainable {
  readonly written: string;
  readonly holds: Get;
  /** The two sides of an `and`. */
  readonly sides: readonly [Explainable, Explainable] | undefined;
  /** What its value depends on, as it is written, and how to get it as text. */
  readonly values: readonly { readonly text: string; readonly get: Get<string> }[];
}

/**
 * Explains conditions of one machine to the seat that acts. Each is made ready when it first fails. What comes from a
 * secret of others is left out.
 */
export class FailedConditions {
  private readonly ready = new Map<Expr, Explainable>();

  constructor(
    private readonly machine: Machine,
    private readonly expressions: Expressions,
    private readonly secrecy: () => Secrecy,
  ) {}

  /**
   * Explains a condition that does not hold in the working memory. Of an `and` only the parts that fail are told, but
   * for one with a secret in it, where that would tell. The values are those of the operands that are not written as
   * plain values.
   */
  explain(condition: Expr): Failed {
    const failed = failedParts(this.readyFor(condition));
    const values = new Map<string, string>();
    for (const part of failed)
      for (const { text, get } of part.values) {
        const value = textOf(get);
        if (value !== undefined) values.set(text, value);
      }
    const text = failed.map((part) => part.written).join(" and ");
    return { text, values: [...values].map(([name, value]) => ({ text: name, value })) };
  }

  /** One sentence: "needs kites[me].tape > 0, but kites[me].tape is 0". */
  inWords(condition: Expr): string {
    const { text, values } = this.explain(condition);
    const known = values.map((v) => `${v.text} is ${v.value}`).join(", ");
    return known ? `needs ${text}, but ${known}` : `needs ${text}`;
  }

  /** An expression as it is written, on one line. */
  written(e: Expr): string {
    return this.machine.sources.written(e);
  }

  private readyFor(e: Expr): Explainable {
    let ready = this.ready.get(e);
    if (!ready) {
      ready = this.makeReady(e);
      this.ready.set(e, ready);
    }
    return ready;
  }

  private makeReady(e: Expr): Explainable {
    return {
      written: this.written(e),
      holds: this.expressions.compile(e),
      sides:
        e.kind === "binary" && e.op === "and" && this.mayTell(e)
          ? [this.makeReady(e.left), this.makeReady(e.right)]
          : undefined,
      values: this.valuesIn(e),
    };
  }

  /** Whether the seat that acts may know what an expression comes to. */
  private mayTell(e: Expr): boolean {
    return this.secrecy().of(e) !== "nobody";
  }

  private valuesIn(e: Expr): { text: string; get: Get<string> }[] {
    switch (e.kind) {
      case "constant":
      case "range":
        return [];
      case "not":
        return this.valuesIn(e.of);
      case "binary":
        if (OPERATORS.has(e.op)) return [...this.valuesIn(e.left), ...this.valuesIn(e.right)];
        break;
      default:
    }
    if (!this.mayTell(e)) return [];
    const get = this.expressions.compile(e);
    const { naming } = this.expressions.memory;
    return [{ text: this.written(e), get: () => toText(e.type, get(), naming) }];
  }
}

function failedParts(condition: Explainable): Explainable[] {
  if (!condition.sides) return [condition];
  const failed = condition.sides.filter((side) => side.holds() !== true);
  return failed.length === 0 ? [condition] : failed.flatMap(failedParts);
}

/** A value as text; undefined for one that cannot be worked out. */
function textOf(get: Get<string>): string | undefined {
  try {
    return get();
  } catch (error) {
    if (error instanceof Fault) return undefined;
    throw error;
  }
}
