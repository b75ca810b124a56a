/** What may be none is set in a state that comes again, and never to none again: what asks for none asks in vain. */

import type { Messages } from "../../language/message.js";
import type { Span } from "../../language/source.js";
import type { Expr } from "../machine.js";
import { type Access, pathOf } from "../reason/accesses.js";
import type { Findings } from "../reason/findings.js";
import { endingTests, ends } from "../tree.js";
import { branchesOf, visitExpr, visitMachine } from "../visit.js";
import { everyWrite, isConstant, writesOf } from "./holds-for-good.js";
import { comesBack } from "./comes-back.js";

/** Where something is asked, and what is done where it is so. */
interface Asked extends Span {
  readonly test: Expr;
  /** What stands behind the condition, and behind its opposite. */
  readonly guarded: readonly Span[];
  /** The arrows that are taken by it. */
  readonly ways: readonly Span[];
}

export function checkSetOnce(found: Findings, messages: Messages): void {
  const { machine, accesses } = found;
  for (const { slot, name, type, initial } of machine.data) {
    const path = `d${slot}`;
    const own = type.kind === "perSeat" ? type.of : type;
    if (own.kind !== "maybe" || (initial && initial.kind !== "default" && !isConstant(initial, null))) continue;
    if (!everyWrite(found, path, ({ value }) => value.type.kind !== "maybe" && !isConstant(value, null))) continue;
    if (accesses.isToldAtEnd(path)) continue;
    const asked = askedIn(found, path);
    // What is set only where it is still none is meant to be set once.
    const writes = writesOf(found, path);
    const isGuarded = writes.some((write) => asked.some(({ guarded }) => guarded.some((span) => isIn(write, span))));
    const [first] = asked;
    if (!first || isGuarded) continue;
    // A state that comes again only where it is none comes once.
    const ways = asked.flatMap((each) => each.ways);
    const moves = found.moves.filter(({ arrow }) => !ways.some((way) => isIn(arrow, way)));
    const coming = ({ place }: Access): number | undefined =>
      [...accesses.statesOf(place)].find((id) => id > 0 && comesBack({ ...found, moves }, id));
    const again = writes.find((write) => coming(write) !== undefined);
    // What is asked once, such as when all is counted, is whether it was ever set.
    const reads = accesses.touching(path).filter((use) => use.kind === "read" && asked.some((each) => isIn(use, each)));
    if (!again || !reads.some((read) => coming(read) !== undefined)) continue;
    const state = machine.states[coming(again) ?? 0]?.name ?? "";
    messages.warning(
      "flag-never-cleared",
      again,
      `"${name}" is set here and never back to none: it is still there when "${state}" is entered the next time.`,
      `Set it back where "${state}" begins: ${name} = none.`,
      { from: first.from, to: first.to, words: "Whether it is none is asked here." },
    );
  }
}

/** Where it is asked whether a datum is none, but for what ends the match. */
function askedIn({ machine }: Findings, path: string): Asked[] {
  const found: Asked[] = [];
  const ending = endingTests(machine);
  const add = (test: Expr | undefined, guarded: readonly Span[], ways: readonly Span[]): void => {
    if (!test || ending.some((span) => isIn(test, span))) return;
    visitExpr(test, {
      expr: (e) => {
        if (e.kind !== "binary" || (e.op !== "==" && e.op !== "!=")) return;
        if (!isConstant(e.right, null) || pathOf(e.left) !== path) return;
        found.push({ test, guarded, ways, from: e.from, to: e.to });
      },
    });
  };
  visitMachine(machine, {
    statement: (s) => {
      if (s.kind !== "if") return;
      const blocks = [...s.branches.map(({ body }) => body), ...(s.otherwise ? [s.otherwise] : [])];
      for (const { test } of s.branches) add(test, blocks, []);
    },
    arrow: (a) => {
      if (a.kind !== "choose") return;
      const branches = branchesOf(a);
      const blocks = branches.flatMap(({ block }) => block ?? []);
      for (const { test, arrow } of branches) add(test, blocks, ends(arrow));
    },
  });
  for (const { actions, whens, turn } of machine.states) {
    for (const action of actions) {
      for (const { test } of action.needs) add(test, [action], ends(action.arrow));
      for (const { where, domain } of action.parameters)
        for (const each of [where, domain]) add(each, [action], ends(action.arrow));
    }
    for (const when of whens) if (when.test.kind === "holds") add(when.test.test, [when], ends(when.arrow));
    add(turn?.of, [], []);
  }
  return found;
}

function isIn(inner: Span, outer: Span): boolean {
  return outer.from <= inner.from && inner.to <= outer.to;
}
