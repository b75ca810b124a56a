/**
 * Carries out what is said of the order of two branches: the match that shows it is played again on a machine in which
 * the two have changed places.
 */

import type { Machine } from "../check/machine.js";
import { writtenArrows } from "../check/tree.js";
import { type Compilation, compile } from "../compile.js";
import { begin } from "../engine/matches/begin.js";
import { Runnable } from "../engine/matches/runnable.js";
import { step } from "../engine/matches/step.js";
import type { Input, Outcome } from "../engine/situation/situation.js";
import type { Span } from "../language/source.js";
import { readLogbook } from "../logbook/read.js";
import { beginOptions, inputFrom } from "../logbook/replay.js";

/** How a match ends, and how it would with two branches swapped, or that it would stop with a fault. */
export interface Swap {
  readonly before: Outcome;
  readonly after: Outcome | "fault";
}

/**
 * @param first the condition of one branch, by its place
 * @param second that of the other
 * @param logbook the match that comes to where both hold
 * @returns undefined when the two cannot be swapped, or the match does not end both ways
 */
export function swapped(compilation: Compilation, first: Span, second: Span, logbook: string): Swap | undefined {
  const { machine, sources, parts } = compilation;
  const [root] = sources.files;
  // The branch that is asked first may stand behind, in an inner state.
  const [one, other] = [branchAt(machine, first), branchAt(machine, second)].sort(
    (a, b) => (a?.from ?? 0) - (b?.from ?? 0),
  );
  // What is included stays as it is.
  if (!root || !one || !other || one.to > other.from || other.to > root.text.length) return undefined;
  const text =
    root.text.slice(0, one.from) +
    root.text.slice(other.from, other.to) +
    root.text.slice(one.to, other.from) +
    root.text.slice(one.from, one.to) +
    root.text.slice(other.to);
  const findPart = (path: string): string | undefined => (Object.hasOwn(parts, path) ? parts[path] : undefined);
  const changed = compile(text, root.name, findPart, { errorsOnly: true });
  const before = outcomeOf(new Runnable(machine), logbook);
  const after = changed.ok ? outcomeOf(new Runnable(changed.machine), logbook) : undefined;
  return before && before !== "fault" && after ? { before, after } : undefined;
}

/** The whole branch that a condition belongs to: of an arrow with several, or a `when` of a state. */
function branchAt(machine: Machine, { from, to }: Span): Span | undefined {
  const isIt = (test: Span | undefined): boolean => test?.from === from && test.to === to;
  for (const arrow of writtenArrows(machine)) {
    const branch = arrow.kind === "choose" ? arrow.branches.find(({ test }) => isIt(test)) : undefined;
    if (branch) return branch;
  }
  const whens = machine.states.flatMap((state) => state.whens);
  return whens.find(({ test }) => test.kind === "holds" && isIt(test.test));
}

function outcomeOf(runnable: Runnable, logbook: string): Outcome | "fault" | undefined {
  const { header, steps } = readLogbook(logbook);
  const [first, ...others] = steps;
  let situation = begin(runnable, beginOptions(header, first?.input)).taken?.situation;
  for (const line of others) {
    if (!situation || situation.outcome) break;
    const dice = line.dice.map(({ value }) => value);
    const result = step(runnable, situation, { ...inputFrom(line), ...(dice.length > 0 && { dice }) } as Input);
    if (result.fault) return "fault";
    if (result.refusal) return undefined;
    ({ situation } = result);
  }
  return situation?.outcome ?? undefined;
}
