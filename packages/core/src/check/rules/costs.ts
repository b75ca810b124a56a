/** Costs that need not be paid: something done for a resource that may be used up already. */

import type { Messages } from "../../language/message.js";
import type { Action, Expr, Location, Machine } from "../machine.js";
import { type DataPath, pathOf, pathOfLocation } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import { someExpr, visitExpr } from "../visit.js";

export function checkCosts(found: Findings, messages: Messages): void {
  const { machine } = found;
  const resources = askedFor(machine.actions);
  for (const action of machine.actions) {
    const done = (action.block?.statements ?? []).filter((s) => s.kind === "assign");
    for (const cost of done.filter(({ target }) => isOwn(machine, target))) {
      const path = pathOfLocation(cost.target);
      if (cost.op !== "-=" || path === undefined || !resources.has(path)) continue;
      const isChosen = dependsOn(cost.value, action, path);
      if (cost.value.kind !== "constant" && !isChosen) continue;
      const { type } = cost.target;
      const value = found.written.get(cost)?.value;
      const gain = done.find((s) => s.op === "+=" && pathOfLocation(s.target) !== path);
      if (!(gain || isChosen) || !value || type.kind !== "int" || value.low >= type.low || asks(machine, action, path))
        continue;
      const taken = machine.sources.text(cost.target);
      const given = gain ? `gives "${machine.sources.text(gain.target)}"` : "is done";
      const price = machine.sources.text(cost.value);
      messages.warning(
        "unpaid-cost",
        cost,
        `"${action.name}" takes ${price} from "${taken}", where there may be less, and ${given} all the same.`,
        `Ask for it: needs ${taken} >= ${price} else "...".`,
      );
    }
  }
}

/** Whether a price is set by what a seat chooses, and not by how much there is. */
function dependsOn(price: Expr, { parameters }: Action, path: DataPath): boolean {
  if (someExpr(price, (e) => pathOf(e) === path)) return false;
  return someExpr(price, (e) => e.kind === "local" && parameters.some(({ slot }) => slot === e.slot));
}

/** What actions ask for before they take from it. */
function askedFor(actions: readonly Action[]): Set<DataPath> {
  const paths = new Set<DataPath>();
  const look = (test: Expr | undefined): void =>
    visitExpr(test, {
      expr: (e) => {
        if (e.kind !== "binary") return;
        const path = /^>=?$/.test(e.op) ? pathOf(e.left) : /^<=?$/.test(e.op) ? pathOf(e.right) : undefined;
        if (path !== undefined) paths.add(path);
      },
    });
  for (const { needs, parameters } of actions) {
    for (const { test } of needs) look(test);
    for (const { where } of parameters) look(where);
  }
  return paths;
}

/** Whether an action asks for a datum anywhere: in its needs, in what can be chosen, or where it leads. */
function asks(machine: Machine, { needs, parameters, arrow }: Action, path: DataPath): boolean {
  let found = false;
  const look = (e: Expr | undefined): void =>
    visitExpr(e, {
      expr: (part) => {
        found ||= pathOf(part) === path;
        if (part.kind === "call") look(machine.functions[part.function]?.body);
      },
    });
  for (const { test } of needs) look(test);
  for (const { domain, where } of parameters) for (const e of [domain, where]) look(e);
  if (arrow.kind === "choose") for (const { test } of arrow.branches) look(test);
  return found;
}

/** The acting seat's own; where there is only one seat, all is. */
function isOwn({ seats }: Machine, { base, path }: Location): boolean {
  if (seats.names.length === 1) return base.kind !== "local" && path.every((step) => step.kind === "field");
  return base.kind !== "local" && path[0]?.kind === "index" && path[0].key.kind === "me";
}
