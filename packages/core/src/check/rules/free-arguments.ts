/**
 * Arguments that a seat gives freely and that go straight into a grid or a list: whoever sends the action can name a
 * place that is not there, nothing can list the places that are, and no bot can choose one.
 */

import type { Messages } from "../../language/message.js";
import type { Action, ActionParameter, Expr, Machine, Parameter } from "../machine.js";
import { type Accesses, pathOf } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import { someExpr, type Visitor, visitArrow, visitBlock, visitExpr } from "../visit.js";

export function checkFreeArguments({ machine, accesses }: Findings, messages: Messages): void {
  for (const action of machine.actions) {
    for (const p of action.parameters) {
      if (p.domain || (p.type.kind !== "cell" && p.type.kind !== "int")) continue;
      const use = useOf(machine, accesses, action, p);
      if (!use || isBounded(machine, action, p)) continue;
      const domain = p.type.kind === "cell" ? `${use.of}.cells` : `${use.of}.indices`;
      messages.warning(
        "index-may-miss",
        p,
        `Whoever takes "${action.name}" can give a "${p.name}" that is not there, and "${use.text}" would be a fault.`,
        `Say what can be chosen: ${p.name}: ${p.type.kind} in ${domain}.`,
      );
    }
  }
}

/** A place asked for or written: as it stands in the text, and the grid or list it is in. */
interface Use {
  readonly text: string;
  readonly of: string;
}

/** Where a parameter is used as a place, directly or in what it is given to. */
function useOf(machine: Machine, accesses: Accesses, action: Action, p: ActionParameter): Use | undefined {
  const { sources } = machine;
  let use: Use | undefined;
  const into = (parameters: readonly Parameter[] | undefined, args: readonly Expr[], slot: number): Visitor[] =>
    args.flatMap((arg, i) => (isLocal(arg, slot) && parameters?.[i] ? [lookingFor(parameters[i].slot)] : []));
  const lookingFor = (slot: number): Visitor => ({
    expr: (e) => {
      if (e.kind === "index" && isLocal(e.key, slot) && isAsked(accesses, e.of, p))
        use ??= { text: sources.text(e), of: sources.text(e.of) };
      if (e.kind !== "call") return;
      const called = machine.functions[e.function];
      for (const visitor of into(called?.parameters, e.args, slot)) visitExpr(called?.body, visitor);
    },
    location: (target) => {
      const step = target.path.find((s) => s.kind === "index" && isLocal(s.key, slot));
      const text = sources.text(target);
      if (step && p.type.kind === "cell") use ??= { text, of: text.replace(/\[[^[]*$/, "") };
    },
    statement: (s) => {
      if (s.kind !== "call") return;
      const called = machine.effects[s.effect];
      for (const visitor of into(called?.parameters, s.args, slot)) visitBlock(called?.body, visitor);
    },
  });
  const visitor = lookingFor(p.slot);
  for (const { where } of action.parameters) visitExpr(where, visitor);
  for (const { test } of action.needs) visitExpr(test, visitor);
  visitBlock(action.block, visitor);
  visitArrow(action.arrow, visitor);
  return use;
}

const isLocal = (e: Expr, slot: number): boolean => e.kind === "local" && e.slot === slot;

/** Cells are asked of grids. Lists that stay as long as they are are left to the reasoning, which knows how long. */
function isAsked(accesses: Accesses, of: Expr, p: ActionParameter): boolean {
  if (p.type.kind === "cell") return of.type.kind === "grid";
  const path = pathOf(of);
  return of.type.kind === "list" && of.kind !== "named" && !(path !== undefined && accesses.neverResized(path));
}

/** Whether some condition of the action says anything of where the argument may lie. */
function isBounded(machine: Machine, action: Action, p: ActionParameter): boolean {
  const bounds = (e: Expr | undefined, slot: number): boolean =>
    someExpr(e, (part) => {
      switch (part.kind) {
        case "coordinate":
          return isLocal(part.of, slot);
        case "gridCall":
          return part.args.some((arg) => someExpr(arg, (x) => isLocal(x, slot)));
        case "listHas":
          return isLocal(part.value, slot);
        case "binary":
          return isLocal(part.left, slot) || isLocal(part.right, slot);
        case "call":
          return part.args.some((arg, i) => {
            const called = machine.functions[part.function];
            const inner = called?.parameters[i];
            return inner !== undefined && isLocal(arg, slot) && bounds(called?.body, inner.slot);
          });
        default:
          return false;
      }
    });
  return [...action.parameters.map((q) => q.where), ...action.needs.map((n) => n.test)].some((e) => bounds(e, p.slot));
}
