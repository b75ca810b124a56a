/** What arrows that lead to endings come to: who wins, what they are called, whether two come to the same. */

import type { Ending, Machine, Target } from "./machine.js";

/** An ending with its arguments, as an arrow names it. */
export type EndingTarget = Target & { readonly kind: "ending" };

/** An ending as it is written behind an arrow: `Won(next(me))`. */
export function endingInWords({ endings, sources }: Machine, { ending, args }: EndingTarget): string {
  const name = endings[ending]?.name ?? "";
  return args.length === 0 ? name : `${name}(${args.map((arg) => sources.text(arg)).join(", ")})`;
}

/** Whether the rules of an ending name winners outright; ranks and scores do not. */
export function hasWinner({ endings }: Machine, { ending }: EndingTarget): boolean {
  return endings[ending]?.results.some((rule) => rule.kind === "result" && rule.word === "wins") ?? false;
}

/** Whether two surely give everybody the same. */
export function haveSameResult(machine: Machine, one: EndingTarget, other: EndingTarget): boolean {
  const { endings, sources } = machine;
  if (one.ending === other.ending) return endingInWords(machine, one) === endingInWords(machine, other);
  const results = (ending: Ending | undefined): string | undefined =>
    ending && ending.parameters.length === 0 && ending.results.every((rule) => rule.kind === "result")
      ? ending.results.map((rule) => sources.written(rule)).join("; ")
      : undefined;
  const first = results(endings[one.ending]);
  return first !== undefined && first === results(endings[other.ending]);
}
