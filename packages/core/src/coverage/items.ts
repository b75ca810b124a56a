/** What of a machine can be covered: each thing once, in the order of the text. */

import { ruleAt, rulesOf } from "../check/rule-names.js";
import type { Arrow, Branch, Expr, Machine } from "../check/machine.js";
import { visitMachine } from "../check/visit.js";
import type { Span } from "../language/source.js";

/**
 * `state`: it was entered; `action`: it was taken; `refusal`: what it needs was asked and did not hold; `branch`: a
 * condition came out so, or the rest of a choice was taken; `listener`, `when`, `timer`: it was carried out;
 * `ending`: a match ended so; `law`: what it supposes was so.
 */
export const COVERED = ["state", "action", "refusal", "branch", "when", "listener", "timer", "ending", "law"] as const;
export type CoveredKind = (typeof COVERED)[number];

/** How each is told of: all that were, and one that was not. */
export const COVER_WORDS: Readonly<Record<CoveredKind, { readonly all: string; readonly missed: string }>> = {
  state: { all: "states entered", missed: "not entered" },
  action: { all: "actions taken", missed: "not taken" },
  refusal: { all: "actions refused", missed: "not refused" },
  branch: { all: "branches, both ways", missed: "one way only" },
  when: { all: "conditions of states", missed: "not followed" },
  listener: { all: "signals heard", missed: "not heard" },
  timer: { all: "timers run", missed: "not run" },
  ending: { all: "endings", missed: "not come to" },
  law: { all: "what laws suppose", missed: "not supposed" },
};

export interface CoverItem extends Span {
  readonly kind: CoveredKind;
  /** What it is called: a rule such as `Turn.slash.needs[1]`. */
  readonly name: string;
  /** Of a condition, what it came to. */
  readonly way?: boolean;
}

/** An item, and what tells that it was covered. */
export interface Watched {
  readonly item: CoverItem;
  readonly by:
    | { readonly kind: "value"; readonly of: Expr; readonly is: boolean }
    | { readonly kind: "taken"; readonly at: Span }
    | { readonly kind: "entered"; readonly id: number }
    | { readonly kind: "ended"; readonly id: number };
}

/** Everything that can be covered. */
export function itemsOf(machine: Machine): readonly Watched[] {
  const found: Watched[] = [];
  const rules = rulesOf(machine);
  const nameAt = new Map(rules.map(({ at, name }) => [at, name]));
  const nameOf = (at: Span, otherwise: string): string => nameAt.get(at) ?? otherwise;
  const value = (kind: CoveredKind, name: string, at: Span, of: Expr, is: boolean): void =>
    void found.push({ item: { kind, name, from: at.from, to: at.to, way: is }, by: { kind: "value", of, is } });
  const taken = (kind: CoveredKind, at: Span): void =>
    void found.push({
      item: { kind, name: nameOf(at, kind), from: at.from, to: at.to },
      by: { kind: "taken", at },
    });
  for (const state of machine.states) {
    if (state.id > 0 && state.kind !== "machine") {
      const { from, to } = state.nameSpan;
      found.push({ item: { kind: "state", name: state.name, from, to }, by: { kind: "entered", id: state.id } });
    }
    for (const action of state.actions) {
      taken("action", action);
      for (const { test } of action.needs) value("refusal", nameOf(test, action.name), test, test, false);
      for (const { where } of action.parameters)
        if (where) value("refusal", nameOf(where, action.name), where, where, false);
    }
    for (const timer of state.timers) taken("timer", timer);
    for (const listener of state.listeners) taken("listener", listener);
    for (const when of state.whens) taken("when", when);
  }
  for (const { id, name, nameSpan } of machine.endings)
    found.push({ item: { kind: "ending", name, from: nameSpan.from, to: nameSpan.to }, by: { kind: "ended", id } });
  for (const law of machine.laws)
    if (law.form === "holds" && law.test.kind === "binary" && law.test.op === "implies")
      value("law", `law "${law.words}"`, law.test.left, law.test.left, true);
  visitMachine(
    { ...machine, tests: [], policies: [] },
    {
      arrow: (arrow) => {
        for (const watched of branches(arrow, nameAt)) found.push(watched);
      },
      statement: (s) => {
        if (s.kind !== "if") return;
        for (const { test } of s.branches)
          for (const is of [true, false]) value("branch", ruleAt(rules, test.from) ?? "if", test, test, is);
      },
    },
  );
  // What stands behind an `enter` is walked over twice.
  const once = new Map(found.map((one) => [`${one.item.kind} ${one.item.from} ${one.item.way ?? ""}`, one]));
  return [...once.values()].sort(
    (a, b) => a.item.from - b.item.from || Number(b.item.way ?? true) - Number(a.item.way ?? true),
  );
}

/** The branches of a choice: each condition both ways; the rest is taken where the last does not hold. */
function branches(arrow: Arrow, nameAt: ReadonlyMap<Span, string>): Watched[] {
  if (arrow.kind !== "choose") return [];
  return arrow.branches.flatMap((branch: Branch) => {
    const { test } = branch;
    if (!test) return [];
    const name = nameAt.get(branch) ?? "choose";
    return [true, false].map(
      (is): Watched => ({
        item: { kind: "branch", name, from: test.from, to: test.to, way: is },
        by: { kind: "value", of: test, is },
      }),
    );
  });
}
