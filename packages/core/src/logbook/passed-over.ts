/** What was passed over in a step, and would have done something that was recorded: the condition that decided so. */

import type { Block, Machine } from "../check/machine.js";
import { perMachine } from "../check/per-machine.js";
import { rulesOf } from "../check/rule-names.js";
import { visitMachine } from "../check/visit.js";
import type { Recorded } from "../engine/code/recorder.js";
import type { Span } from "../language/source.js";

/** A block that runs only where a condition holds and those before it do not. */
interface Guarded {
  readonly block: Span;
  /** The conditions before it; it runs where none of them holds. */
  readonly unless: readonly Span[];
  /** Its own; without one it is what is done else. */
  readonly test?: Span;
}

const guardedOf = perMachine((machine: Machine): readonly Guarded[] => {
  const found: Guarded[] = [];
  visitMachine(machine, {
    statement(s) {
      if (s.kind !== "if") return;
      const tests = s.branches.map(({ test }) => test);
      for (const [i, { test, body }] of s.branches.entries())
        found.push({ block: body, unless: tests.slice(0, i), test });
      if (s.otherwise) found.push({ block: s.otherwise, unless: tests });
    },
  });
  // Of a `when`, a listener, a timer or a branch: what it does stands behind its condition.
  const rules = rulesOf(machine);
  for (const { name, test } of rules) {
    const doing = rules.find((rule) => rule.name === `${name}.effects`);
    const [, choice, number] = /^(.*\.choose)\[(\d+)\]$/.exec(name) ?? [];
    const before = rules.filter(
      (rule) => choice !== undefined && rule.test && isBranchBefore(rule.name, choice, Number(number)),
    );
    if (!doing || (!test && before.length === 0)) continue;
    found.push({ block: doing.at, unless: before.flatMap((rule) => rule.test ?? []), ...(test && { test }) });
  }
  return found;
});

function isBranchBefore(name: string, choice: string, number: number): boolean {
  const own = name.startsWith(`${choice}[`) ? name.slice(choice.length + 1, -1) : "";
  return /^\d+$/.test(own) && Number(own) < number;
}

/**
 * The last condition that was asked in a step and that kept something from being done.
 *
 * @param nodes what was recorded of the step, each node before its parts
 * @param places where that stands in the machine's texts
 */
export function passedOver(
  machine: Machine,
  nodes: readonly Recorded[],
  places: readonly number[],
): Recorded | undefined {
  const all = withCalls(machine, places);
  const around = guardedOf(machine).filter(({ block }) => all.some((at) => at >= block.from && at < block.to));
  return nodes.findLast(({ kind, value, from, to }) => {
    if (kind !== "rule" && kind !== "if") return false;
    const isHere = (span: Span): boolean => span.from === from && span.to === to;
    return around.some(({ unless, test }) =>
      value === true ? unless.some(isHere) : test !== undefined && isHere(test),
    );
  });
}

/** The places and those where effects are called that they stand in, or that call such effects. */
function withCalls(machine: Machine, places: readonly number[]): number[] {
  const all = [...places];
  const called = new Set<number>();
  const holds = ({ from, to }: Block): boolean => all.some((at) => at >= from && at < to);
  for (let more = true; more; ) {
    more = false;
    for (const [i, { body }] of machine.effects.entries()) {
      if (called.has(i) || !holds(body)) continue;
      called.add(i);
      more = true;
      visitMachine(machine, {
        statement(s) {
          if (s.kind === "call" && s.effect === i) all.push(s.from);
        },
      });
    }
  }
  return all;
}
