/** Conditions that always come out the same, branches never taken, and endings of which order decides. */

import { someExpr } from "../visit.js";
import type { Messages } from "../../language/message.js";
import type { Arrow, Expr, Machine } from "../machine.js";
import { pathOf } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import { readsOf } from "../reads.js";
import { writtenArrows } from "../tree.js";
import { isConstant } from "./holds-for-good.js";
import { reasonOf } from "./reasons.js";

export function checkConditions(found: Findings, messages: Messages): void {
  const branches = new Set<Expr>();
  for (const arrow of writtenArrows(found.machine)) {
    if (arrow.kind !== "choose") continue;
    checkBranches(found, arrow, branches, messages);
  }
  const told = new Set<Expr>();
  for (const test of found.explained) tellParts(test, told);
  for (const [test, { mask, apart, sides }] of found.tests) {
    if (branches.has(test) || told.has(test) || isFixed(found.machine, test)) continue;
    const always = mask === 1 ? false : apart === 2 ? true : undefined;
    if (always === undefined) continue;
    tellParts(test, told);
    const written = found.machine.sources.written(test);
    messages[
      (always ? isPrecaution(test) || isSaidAgain(found.machine, test) : asksForNobody(test)) ? "hint" : "warning"
    ](
      "condition-always",
      test,
      `"${written}" is always ${always}${because(reasonOf(found.machine, test, sides))}.`,
      always
        ? "Leave it out, or look for what should have made it false."
        : "What depends on it never happens: look for what should have made it true.",
    );
  }
  for (const { first, second, endings, example, meant } of found.overlaps) {
    const where = example === "" ? "Both can hold at once" : `With ${example} both hold`;
    messages[meant ? "hint" : "warning"](
      "endings-overlap",
      second,
      `${where}, and only the order of the branches decides between ${endings[0]} and ${endings[1]}.`,
      "Say what happens then: a branch of its own for both, first; or make one of the conditions exclude the other.",
      { from: first.from, to: first.to, words: `The other condition, for ${endings[0]}, stands here.` },
    );
  }
}

/** Asking whether there is one at all before it is used, or where the match stands, may be done whoever calls. */
function isPrecaution(test: Expr): boolean {
  switch (test.kind) {
    case "binary":
      if (test.op === "<" && test.right.kind === "listProperty") return test.right.property === "size";
      return test.op === "!=" && test.right.kind === "constant" && test.right.value === null;
    case "not":
      if (test.of.kind === "inState") return true;
      return (test.of.kind === "listProperty" || test.of.kind === "mapProperty") && test.of.property === "empty";
    case "inState":
    case "listHas":
      return true;
    default:
      return false;
  }
}

/**
 * Asking of a number whether there is any of it, where a condition of the state leads on as soon as there is none: the
 * same said again, though nothing hangs on it.
 */
function isSaidAgain(machine: Machine, test: Expr): boolean {
  const path = test.kind === "binary" && [">", "!="].includes(test.op) ? pathOf(test.left) : undefined;
  if (test.kind !== "binary" || path === undefined || !isConstant(test.right, 0)) return false;
  return machine.states.some(
    ({ from, to, whens }) =>
      from <= test.from &&
      test.to <= to &&
      whens.some(({ test: asked }) => {
        if (asked.kind !== "holds" || asked.test.kind !== "binary") return false;
        const { op, left, right } = asked.test;
        return (op === "==" || op === "<=") && pathOf(left) === path && isConstant(right, 0);
      }),
  );
}

/** Asking whether all have left: right to be ready for, whoever has seen to it elsewhere that it cannot be. */
function asksForNobody(test: Expr): boolean {
  if (test.kind === "listProperty") return test.property === "empty" && test.of.kind === "inPlay";
  if (test.kind !== "binary" || test.left.kind !== "listProperty" || test.left.of.kind !== "inPlay") return false;
  const { op, left, right } = test;
  if (left.property !== "size" || right.kind !== "constant") return false;
  return right.value === 0 ? op === "==" || op === "<=" : right.value === 1 && op === "<";
}

/** The reason behind a statement; where there is none to tell, that it is meant of this place. */
function because(reason: string | undefined): string {
  return reason === undefined ? " here" : `: ${reason}`;
}

/** What holds as a part of what has been told is not told again. */
function tellParts(test: Expr, told: Set<Expr>): void {
  told.add(test);
  if (test.kind === "binary") {
    tellParts(test.left, told);
    tellParts(test.right, told);
  }
}

function checkBranches(
  found: Findings,
  arrow: Arrow & { kind: "choose" },
  branches: Set<Expr>,
  messages: Messages,
): void {
  for (const [i, { test }] of arrow.branches.entries()) {
    if (!test || found.explained.has(test)) continue;
    const known = found.tests.get(test);
    if (known) for (const part of partsOf(test)) if (part === test || known.mask === 1) branches.add(part);
    if (!known || isFixed(found.machine, test)) {
      if (!known && i > 0 && found.tests.has(arrow.branches[0]?.test as Expr))
        neverTaken(found, test, messages, "what stands before it always holds first");
      continue;
    }
    if (known.mask === 1)
      if (known.apart === 1) {
        const why = `its condition never holds${because(reasonOf(found.machine, test, known.sides))}`;
        neverTaken(found, test, messages, why, asksForNobody(test) ? "hint" : "warning");
      } else neverTaken(found, test, messages, "whenever its condition holds, a branch before it is taken");
    else if (known.apart === 2) {
      messages.warning(
        "condition-always",
        test,
        `"${found.machine.sources.written(test)}" is always true, so nothing behind it is ever ` +
          `taken${because(reasonOf(found.machine, test, known.sides))}.`,
        "Look for what should have made it false, or lead there without a choice.",
      );
      break;
    }
  }
}

function neverTaken(
  found: Findings,
  test: Expr,
  messages: Messages,
  why: string,
  severity: "hint" | "warning" = "warning",
): void {
  messages[severity](
    "branch-never-taken",
    test,
    `This branch is never taken: ${why}.`,
    `Look at "${found.machine.sources.written(test)}": change it, move it up, or remove the branch.`,
  );
}

function partsOf(test: Expr): Expr[] {
  return test.kind === "binary" ? [test, ...partsOf(test.left), ...partsOf(test.right)] : [test];
}

/** Made of constants alone: a switch that somebody set on purpose. */
function isFixed(machine: Machine, test: Expr): boolean {
  const { slots, more } = readsOf(machine, test);
  return slots.size === 0 && !more && !someExpr(test, isVarying);
}

/** Something that is not the same in every match, although it is no data. */
function isVarying(e: Expr): boolean {
  return e.kind === "local" || e.kind === "seats" || e.kind === "inPlay" || e.kind === "seated";
}
