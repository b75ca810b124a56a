/** What is chosen, given or kept by a name and then not used: parameters of actions, effects and functions, `let`. */

import type { Messages } from "../../language/message.js";
import type { Span } from "../../language/source.js";
import type { Action, ActionParameter, Expr, Machine, Parameter } from "../machine.js";
import type { Findings } from "../reason/findings.js";
import { someExpr, type Visitor, visitArrow, visitBlock, visitExpr, visitMachine } from "../visit.js";

export function checkUnusedLocals({ machine }: Findings, messages: Messages): void {
  const told = (at: Span, words: string, help = "Use it or remove it."): void => {
    // Declarations of an included file are looked at where it is checked by itself.
    if (machine.sources.place(at.from).file !== machine.sources.files[0]?.name) return;
    messages.warning("unused-declaration", at, words, help);
  };
  for (const action of machine.actions)
    for (const p of action.parameters) {
      if (!isChosenInVain(action, p)) continue;
      told(
        p,
        `"${action.name}" goes the same whatever is chosen for "${p.name}": nothing that it does uses it.`,
        `Use it in what "${action.name}" does or in where it leads, or remove it.`,
      );
    }
  for (const { name, parameters, body } of machine.effects)
    for (const p of unused(parameters, (visitor) => visitBlock(body, visitor)))
      told(p, `"${name}" does not use "${p.name}": it does the same whatever it is given.`);
  for (const { name, parameters, body } of machine.functions)
    for (const p of unused(parameters, (visitor) => visitExpr(body, visitor)))
      told(p, `"${name}" does not use "${p.name}": it comes to the same whatever it is given.`);
  const used = usedIn((visitor) => visitMachine(machine, visitor));
  for (const { value, slot, ...at } of lets(machine))
    if (!used.has(slot) && !doesSomething(value))
      told(at, "What is kept here is never used.", "Use it, or leave it out.");
}

/**
 * Whether what is chosen shows nowhere. What is said in words is what an action may be for; with a thing that has to
 * be fit for it something may be done that is the same with each. A seat is chosen for something to be done to it.
 */
function isChosenInVain({ block, arrow, needs, parameters }: Action, chosen: ActionParameter): boolean {
  const { slot, type, domain, where } = chosen;
  if (type.kind === "text") return false;
  const others = parameters.filter((p) => p !== chosen).flatMap((p) => [p.domain, p.where]);
  const done = usedIn((visitor) => {
    visitBlock(block, visitor);
    visitArrow(arrow, visitor);
    for (const e of others) visitExpr(e, visitor);
  });
  if (done.has(slot)) return false;
  const tests = [...needs.map(({ test }) => test), where];
  if (type.kind === "seat") return !tests.some((test) => isGuessed(test, slot));
  const isPicked = someExpr(domain, ({ kind }) => kind === "call" || kind === "binder");
  return !isPicked && !usedIn((visitor) => tests.forEach((test) => void visitExpr(test, visitor))).has(slot);
}

/** Whether a condition asks for just what is chosen: to hit on it is what the action is for. */
function isGuessed(test: Expr | undefined, slot: number): boolean {
  const is = (e: Expr): boolean => e.kind === "local" && e.slot === slot;
  return someExpr(test, (e) => {
    if (e.kind === "listHas") return is(e.value);
    return e.kind === "binary" && (e.op === "==" || e.op === "in") && (is(e.left) || is(e.right));
  });
}

function unused(parameters: readonly Parameter[], look: (visitor: Visitor) => void): readonly Parameter[] {
  const used = usedIn(look);
  return parameters.filter(({ slot }) => !used.has(slot));
}

/** The local values that are read or changed, by their slots. */
function usedIn(look: (visitor: Visitor) => void): ReadonlySet<number> {
  const used = new Set<number>();
  look({
    expr: (e) => {
      if (e.kind === "local") used.add(e.slot);
    },
    location: ({ base }) => {
      if (base.kind === "local") used.add(base.slot);
    },
  });
  return used;
}

interface Kept extends Span {
  readonly slot: number;
  readonly value: Expr;
}

function lets(machine: Machine): readonly Kept[] {
  const all: Kept[] = [];
  visitMachine(machine, {
    statement: (s) => {
      if (s.kind === "let") all.push({ from: s.from, to: s.to, slot: s.slot, value: s.value });
    },
  });
  return all;
}

/** Taking something from a list is something done, also where what was taken is of no use. */
function doesSomething(value: Expr): boolean {
  return someExpr(value, (e) => e.kind === "take");
}
