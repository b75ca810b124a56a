/**
 * What the rules of a machine are called where one of them is meant: `Turn.slash.needs[1]`, `Turn.when[2]`,
 * `Lap.on.Struck`, `Turn.after1`, `law "..."`. The names say nothing of lines, so that they stay the same when
 * something else in the text is changed. Numbers begin with 1, in the order of the text.
 */

import type { Span } from "../language/source.js";
import type { Arrow, Block, Expr, Machine } from "./machine.js";
import { branchesOf } from "./visit.js";

/** A piece of a machine that has a name of its own, with the innermost pieces after those around them. */
export interface NamedRule {
  readonly name: string;
  readonly at: Span;
  /** The condition that it is, for one. */
  readonly test?: Expr;
}

/** All rules of a machine, in the order of the text within each state. */
export function rulesOf(machine: Machine): readonly NamedRule[] {
  const rules: NamedRule[] = [];
  const add = (name: string, at: Span | undefined, test?: Expr): void => {
    if (at) rules.push(test ? { name, at, test } : { name, at });
  };
  const doing = (name: string, block: Block | undefined, arrow: Arrow | undefined): void => {
    add(`${name}.effects`, block);
    add(`${name}.arrow`, arrow);
    if (arrow?.kind !== "choose") return;
    for (const [i, branch] of branchesOf(arrow).entries()) {
      const own = `${name}.choose[${i + 1}]`;
      add(own, branch, branch.test);
      doing(own, branch.block, branch.arrow);
    }
  };
  for (const field of machine.data) add(field.name, field);
  for (const [id, state] of machine.states.entries()) {
    const inside = (name: string): string => (id === 0 ? name : `${state.name}.${name}`);
    if (id > 0) add(state.name, state);
    if (state.turn) add(inside("turn"), state.turn.of, state.turn.of);
    const actions = numbered(state.actions.map((action) => inside(action.name)));
    for (const [i, action] of state.actions.entries()) {
      const name = actions[i] as string;
      add(name, action);
      if (action.by !== undefined && action.by !== "anyone") add(`${name}.by`, action.by, action.by);
      for (const { name: parameter, domain, where } of action.parameters) {
        add(`${name}(${parameter})`, domain, domain);
        add(`${name}(${parameter})`, where, where);
      }
      for (const [n, { test }] of action.needs.entries()) add(`${name}.needs[${n + 1}]`, test, test);
      doing(name, action.block, action.arrow);
    }
    for (const timer of state.timers) {
      add(timer.name, timer, timer.test);
      doing(timer.name, timer.block, timer.arrow);
    }
    const listeners = numbered(state.listeners.map((l) => inside(`on.${machine.signals[l.signal]?.name}`)));
    for (const [i, listener] of state.listeners.entries()) {
      add(listeners[i] as string, listener, listener.test);
      doing(listeners[i] as string, listener.block, listener.arrow);
    }
    for (const [i, when] of state.whens.entries()) {
      const name = inside(`when[${i + 1}]`);
      add(name, when, when.test.kind === "holds" ? when.test.test : undefined);
      doing(name, when.block, when.arrow);
    }
    for (const { block } of state.enters) add(inside("enter"), block);
    for (const block of state.exits) add(inside("exit"), block);
  }
  for (const { name, body } of machine.functions) add(`function ${name}`, body);
  for (const { name, body } of machine.effects) add(`effect ${name}`, body);
  for (const ending of machine.endings) add(`ending ${ending.name}`, ending);
  for (const law of machine.laws) add(`law "${law.words}"`, law, law.form === "holds" ? law.test : undefined);
  return rules;
}

/** The innermost rule around a position; undefined outside of all. */
export function ruleAt(rules: readonly NamedRule[], position: number): string | undefined {
  let best: NamedRule | undefined;
  for (const rule of rules) {
    const { from, to } = rule.at;
    if (position < from || position >= to) continue;
    if (!best || to - from <= best.at.to - best.at.from) best = rule;
  }
  return best?.name;
}

/** Names that stand more than once are told apart by number. */
function numbered(names: readonly string[]): string[] {
  const seen = new Map<string, number>();
  return names.map((name) => {
    if (names.filter((other) => other === name).length === 1) return name;
    const number = (seen.get(name) ?? 0) + 1;
    seen.set(name, number);
    return `${name}[${number}]`;
  });
}
