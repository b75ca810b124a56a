/** What expressions are for: which of them decide something, and what that is called. Found once for a machine. */

import type { Block, Expr, Machine, Statement } from "../../check/machine.js";
import { type NamedRule, rulesOf } from "../../check/rule-names.js";
import type { Span } from "../../language/source.js";
import type { Type } from "../../check/types.js";
import { partsOf, visitMachine } from "../../check/visit.js";

/** What a condition decides. `body` is what a binder works out for each element, `where` which elements count. */
export type Role = "rule" | "if" | "where" | "body";

export interface RoleOf {
  readonly kind: Role;
  /** The rule it belongs to, for one. */
  readonly name?: string;
  /** For what is asked for each element: its variable, and whether it is the first thing asked for it. */
  readonly element?: ElementOf;
}

export interface ElementOf {
  readonly slot: number;
  readonly type: Type;
  readonly begins: boolean;
  /** Whether any element may turn out to be the one that decides, or acts; else only the last does. */
  readonly anyDecides: boolean;
}

/** Kinds that say nothing that is not in the text. */
const PLAIN: ReadonlySet<Expr["kind"]> = new Set(["constant", "named", "default"]);
/** Kinds that lead on from a value to a part of it: what they lead from is only a step on the way. */
const LEADING: ReadonlySet<Expr["kind"]> = new Set([
  ...(["field", "coordinate", "index", "listProperty", "mapProperty", "gridProperty", "unwrap"] as const),
]);

export class Roles {
  private readonly roles = new Map<Expr, RoleOf | "passed">();
  private readonly firsts = new Map<Statement, ElementOf>();
  private readonly names = new Map<Span, string>();
  readonly rules: readonly NamedRule[];

  constructor(machine: Machine) {
    visitMachine(machine, {
      expr: (e) => this.look(e),
      statement: (s) => {
        if (s.kind === "if") for (const { test } of s.branches) this.roles.set(test, { kind: "if" });
        if (s.kind === "for") this.loop(s);
      },
    });
    this.rules = rulesOf(machine);
    for (const { name, at, test } of this.rules) {
      this.names.set(at, name);
      if (test) this.roles.set(test, { kind: "rule", name });
    }
  }

  /** What a piece of the machine is called; undefined for one that has no name of its own. */
  nameOf(at: Span): string | undefined {
    return this.names.get(at);
  }

  /** What an expression is for; "passed" for one whose value need not be told, undefined for an ordinary value. */
  of(e: Expr): RoleOf | "passed" | undefined {
    return this.roles.get(e) ?? (PLAIN.has(e.kind) ? "passed" : undefined);
  }

  /** The loop whose every turn begins with a statement; undefined where none does. */
  beginsElement(s: Statement): ElementOf | undefined {
    return this.firsts.get(s);
  }

  private look(e: Expr): void {
    if (LEADING.has(e.kind)) {
      const [from] = partsOf(e);
      if (from && (LEADING.has(from.kind) || from.kind === "data" || from.kind === "stateData"))
        this.roles.set(from, "passed");
    }
    if (e.kind !== "binder") return;
    const { slot, source, where, body } = e;
    const type = elementOf(source.type);
    const anyDecides = e.word === "minBy" || e.word === "maxBy";
    if (where) this.roles.set(where, { kind: "where", element: { slot, type, anyDecides, begins: true } });
    if (body) this.roles.set(body, { kind: "body", element: { slot, type, anyDecides, begins: where === undefined } });
  }

  private loop({ slot, source, where, body }: Statement & { kind: "for" }): void {
    const element: ElementOf = { slot, type: elementOf(source.type), begins: true, anyDecides: true };
    if (where) this.roles.set(where, { kind: "where", element });
    else if (firstOf(body)) this.firsts.set(firstOf(body) as Statement, element);
  }
}

function firstOf({ statements }: Block): Statement | undefined {
  return statements[0];
}

/** What a binder goes through: the elements of a list, the keys of a map, the numbers of a range. */
function elementOf(type: Type): Type {
  if (type.kind === "list") return type.of;
  if (type.kind === "map") return type.key;
  return type;
}
