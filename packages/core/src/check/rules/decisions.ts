/** What nobody decided: which of equals comes first, and what somebody is told whose choice is refused. */

import { partsOf, someExpr, type Visitor, visitBlock, visitExpr, visitState } from "../visit.js";
import type { Messages } from "../../language/message.js";
import type { Expr, Machine } from "../machine.js";
import type { Findings } from "../reason/findings.js";
import { single } from "../reason/possible.js";

export function checkDecisions(found: Findings, messages: Messages): void {
  checkTies(found, messages);
  const { machine } = found;
  for (const action of machine.actions) {
    const reasons: { test: Expr | undefined; reason: Expr | undefined; what: string }[] = [
      ...action.parameters.map((p) => ({
        test: p.where,
        reason: p.reason,
        what: `a value of "${p.name}" that does not fit`,
      })),
      ...action.needs.map((n) => ({ test: n.test, reason: n.reason, what: `why "${action.name}" is closed` })),
    ];
    for (const { test, reason, what } of reasons) {
      if (!test || reason) continue;
      messages.warning(
        "missing-reason",
        test,
        `Nobody is told ${what}: the condition has no else.`,
        'Write the reason behind it: else "...".',
      );
    }
  }
}

/** Binders in which equal elements need an order. */
const ORDERING: ReadonlySet<string> = new Set(["sort", "sortDown", "minBy", "maxBy"]);

function checkTies(found: Findings, messages: Messages): void {
  const { machine, accesses } = found;
  const harmless = new Set<Expr>();
  const tell = (e: Expr & { kind: "binder" }, lot: string): void => {
    const body = e.body ? machine.sources.written(e.body) : "";
    messages.warning(
      "undecided-ties",
      e,
      `Two of them can have the same ${body}, and nothing says which then comes first.`,
      `Say it behind: ${body} ties inOrder (as they stand in the list)${lot}.`,
      undefined,
      e.body && {
        title: 'Write "ties inOrder", as it is done now',
        edits: [{ from: e.body.to, to: e.body.to, text: " ties inOrder" }],
      },
    );
  };
  const telling = (lot: string): Visitor => ({
    expr: (e) => {
      const element = e.kind === "binder" ? undefined : bestAskedIn(e);
      if (element) harmless.add(element);
      if (e.kind === "binder" && !e.tiesStated && ORDERING.has(e.word) && !harmless.has(e) && canTie(machine, e))
        tell(e, lot);
    },
  });
  const visitor = telling(" or ties byLot");
  for (const state of machine.states) visitState(state, visitor);
  // Who comes first of equals is part of a ranking. Nothing is rolled in an ending.
  const ranking = telling("");
  for (const { results } of machine.endings)
    for (const rule of results) if (rule.kind === "ranks") visitExpr(rule.list, ranking);
  // What only laws, policies and tests ask decides nothing in a match.
  for (const [id, f] of machine.functions.entries())
    if (accesses.statesOf({ kind: "function", id }).size > 0) visitExpr(f.body, visitor);
  for (const [id, e] of machine.effects.entries())
    if (accesses.statesOf({ kind: "effect", id }).size > 0) visitBlock(e.body, visitor);
}

/**
 * The pick of a best one of which only what it is best by is asked, as in `purse[maxBy(s in seats: purse[s])]`: that is
 * the same for all that are equal.
 *
 * @param e the expression that asks
 */
function bestAskedIn(e: Expr): Expr | undefined {
  let found: Expr | undefined;
  someExpr(e, (part) => {
    const isIt =
      part.kind === "binder" &&
      (part.word === "minBy" || part.word === "maxBy") &&
      part.body !== undefined &&
      isWithElement(e, part.body, part.slot, part);
    if (isIt) found = part;
    return isIt;
  });
  return found;
}

/** Whether an expression is another with `element` for the variable of a binder. */
function isWithElement(e: Expr, body: Expr, slot: number, element: Expr): boolean {
  if (body.kind === "local" && body.slot === slot) return e === element;
  // Where the best one has to be there, it is there for all that are equal.
  if (e.kind === "unwrap" && body.kind !== "unwrap") return isWithElement(e.of, body, slot, element);
  if (body.kind === "unwrap" && e.kind !== "unwrap") return isWithElement(e, body.of, slot, element);
  const own = (of: Expr): string =>
    JSON.stringify(
      Object.entries(of).filter(([name, value]) => typeof value !== "object" && !/^(from|to)$/.test(name)),
    );
  const [parts, others] = [partsOf(e), partsOf(body)];
  return (
    own(e) === own(body) &&
    parts.length === others.length &&
    parts.every((part, i) => isWithElement(part, others[i] as Expr, slot, element))
  );
}

/** Equal plain values cannot be told apart, and a list of one has no ties. */
function canTie(machine: Machine, e: Expr & { kind: "binder" }): boolean {
  if (e.body?.kind === "local" && e.body.slot === e.slot) return false;
  if (e.source.kind === "list" && e.source.items.length < 2) return false;
  if (
    (e.source.kind === "seats" ||
      e.source.kind === "inPlay" ||
      e.source.kind === "seated" ||
      e.source.kind === "others") &&
    machine.seats.names.length < 2
  )
    return false;
  return !(
    e.source.kind === "others" &&
    single(2 ** machine.seats.names.length - 2) >= 0 &&
    machine.seats.names.length === 2
  );
}
