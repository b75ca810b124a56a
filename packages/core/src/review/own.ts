/** Conditions and other expressions of one's own, checked against a machine as its tests are. */

import type { Expr } from "../check/machine.js";
import { compile, type FindPart } from "../compile.js";
import { engineOf, Runnable } from "../engine/matches/runnable.js";
import type { Measure } from "../engine/matches/measure.js";
import type { Situation } from "../engine/situation/situation.js";
import { Fault } from "../engine/values/fault.js";

/** A question that cannot be asked: of a step that is not there, or an expression that is none. */
export class BadQuestion extends Error {}

/** A condition of one's own, checked against a machine, on which it can be asked. */
export interface OwnCondition {
  readonly runnable: Runnable;
  readonly test: Expr;
}

/** What stands before an expression of one's own, in the test that it is made of. */
const BEFORE = 'test "asked" { expect ';

/**
 * Makes a condition of one's own ready: any that a machine's tests can expect.
 *
 * @param text the machine's text @param findPart finds what it includes
 * @throws BadQuestion when it is no condition of this machine
 */
export function ownCondition(text: string, condition: string, findPart?: FindPart): OwnCondition {
  const { runnable, test } = asked(text, condition, oneLine(condition), 0, findPart);
  if (!test) throw new BadQuestion(`"${condition}" is no condition: write one that is true or false, such as lap > 3.`);
  return { runnable, test };
}

/**
 * Makes expressions of one's own ready, of any type: what a machine's tests can compare.
 *
 * @returns the runnable of which they can be asked; it plays as the machine does
 * @throws BadQuestion for the first that is no expression of this machine
 */
export function ownMeasures(
  text: string,
  expressions: readonly string[],
  findPart?: FindPart,
): { readonly runnable: Runnable | undefined; readonly measures: readonly Measure[] } {
  let whole = text;
  let runnable: Runnable | undefined;
  // Each is checked by itself, so that it is told which of them is wrong; the last holds them all.
  for (const words of expressions) {
    const one = oneLine(words);
    const own = asked(whole, words, `(${one}) == (${one})`, 1, findPart);
    if (own.test?.kind !== "binary" || own.test.op !== "==")
      throw new BadQuestion(
        `"${words}" is no expression whose value can be counted, such as lap or kites[north].lift.`,
      );
    ({ runnable, whole } = own);
  }
  const { tests = [] } = runnable?.machine ?? {};
  const own = tests.slice(tests.length - expressions.length);
  return {
    runnable,
    measures: own.map((test, i) => ({ words: expressions[i] ?? "", of: (expectedIn(test) as Compared).left })),
  };
}

type Compared = Expr & { readonly kind: "binary" };

function oneLine(words: string): string {
  return words.replace(/\s+/g, " ");
}

/** @param inside how many characters stand before the words in what is expected */
function asked(
  text: string,
  words: string,
  expected: string,
  inside: number,
  findPart?: FindPart,
): { readonly runnable: Runnable; readonly whole: string; readonly test: Expr | undefined } {
  const whole = `${text}\n${BEFORE}${expected} }\n`;
  const { ok, machine, messages, sources } = compile(whole, "machine.zany", findPart, { errorsOnly: true });
  if (!ok) {
    const [message] = messages.filter(({ severity, from }) => severity === "error" && from >= text.length);
    const said = message ? [message.words, message.help].filter(Boolean).join(" ") : "The machine does not compile.";
    const at = message
      ? " (at character " +
        `${Math.max(1, Math.min(words.length, sources.place(message.from).column - BEFORE.length - inside))})`
      : "";
    const what = inside > 0 ? "expression" : "condition";
    throw new BadQuestion(`"${words}" is no ${what} of this machine: ${said}${at}`);
  }
  const own = machine.tests.at(-1);
  return { runnable: new Runnable(machine, false), whole, test: own?.words === "asked" ? expectedIn(own) : undefined };
}

/** The one condition that a test expects. */
function expectedIn({ lines }: { readonly lines: Runnable["machine"]["tests"][number]["lines"] }): Expr | undefined {
  const all = lines.flatMap((line) => (line.kind === "expect" ? line.expectations : []));
  const [expected] = all;
  return all.length === 1 && expected?.kind === "holds" ? expected.test : undefined;
}

/** Whether a condition holds in a situation; a fault in it counts as not. */
export function holdsIn({ runnable, test }: OwnCondition, situation: Situation): boolean {
  const engine = engineOf(runnable);
  engine.memory.load(situation);
  engine.memory.happenings = null;
  try {
    return engine.code.expressions.condition(test)();
  } catch (error) {
    if (error instanceof Fault) return false;
    throw error;
  }
}
