/** Costs that need not be paid: something given for a resource that may be used up already. */

import type { Messages } from "../../language/message.js";
import type { Action, Expr, Location, Statement } from "../machine.js";
import { type DataPath, pathOf, pathOfLocation } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import { visitExpr } from "../visit.js";

type Assign = Statement & { readonly kind: "assign" };

export function checkCosts(found: Findings, messages: Messages): void {
  const { machine } = found;
  const resources = askedFor(machine.actions);
  for (const action of machine.actions) {
    const own = (action.block?.statements ?? []).filter((s): s is Assign => s.kind === "assign" && isOwn(s.target));
    for (const cost of own) {
      const path = pathOfLocation(cost.target);
      if (cost.op !== "-=" || cost.value.kind !== "constant" || path === undefined || !resources.has(path)) continue;
      const { type } = cost.target;
      const value = found.written.get(cost)?.value;
      const gain = own.find((s) => s.op === "+=" && pathOfLocation(s.target) !== path);
      if (!gain || !value || type.kind !== "int" || value.low >= type.low || asks(action, path)) continue;
      const [taken, given] = [machine.sources.text(cost.target), machine.sources.text(gain.target)];
      const price = machine.sources.text(cost.value);
      messages.warning(
        "unpaid-cost",
        cost,
        `"${action.name}" takes ${price} from "${taken}", where there may be less, and gives "${given}" all the same.`,
        `Ask for it: needs ${taken} >= ${price} else "...".`,
      );
    }
  }
}

/** What actions ask for before they take from it. */
function askedFor(actions: readonly Action[]): Set<DataPath> {
  const paths = new Set<DataPath>();
  for (const { needs } of actions)
    for (const { test } of needs)
      visitExpr(test, {
        expr: (e) => {
          const path = e.kind === "binary" && (e.op === ">" || e.op === ">=") ? pathOf(e.left) : undefined;
          if (path !== undefined) paths.add(path);
        },
      });
  return paths;
}

/** Whether an action asks for a datum anywhere: in its needs, in what can be chosen, or where it leads. */
function asks({ needs, parameters, arrow }: Action, path: DataPath): boolean {
  let found = false;
  const look = (e: Expr | undefined): void =>
    visitExpr(e, {
      expr: (part) => {
        found ||= pathOf(part) === path || part.kind === "call";
      },
    });
  for (const { test } of needs) look(test);
  for (const { domain, where } of parameters) for (const e of [domain, where]) look(e);
  if (arrow.kind === "choose") for (const { test } of arrow.branches) look(test);
  return found;
}

/** The acting seat's own. */
function isOwn({ base, path }: Location): boolean {
  return base.kind !== "local" && path[0]?.kind === "index" && path[0].key.kind === "me";
}
