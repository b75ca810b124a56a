/** Checks arrows: where they lead, and whether they may from where they stand. */

import type { ArrowNode, BlockNode, BranchNode, ReferenceNode } from "../language/syntax.js";
import type { Tables, Where } from "./context.js";
import type { Declarations } from "./declarations.js";
import type { EffectChecker } from "./effects.js";
import type { ExpressionChecker } from "./expressions.js";
import type { Arrow, Block, Branch, Expr, State, Target } from "./machine.js";
import { INT } from "./types.js";

/** The words that stand with an arrow to a place, and whether it is one of odds, which take none. */
interface Manner {
  readonly again: boolean;
  readonly inner: boolean;
  readonly isByOdds?: boolean;
}

const IN_ODDS: Manner = { again: false, inner: false, isByOdds: true };

export class ArrowChecker {
  constructor(
    private readonly tables: Tables,
    private readonly places: Declarations,
    private readonly expressions: ExpressionChecker,
    private readonly effects: EffectChecker,
  ) {}

  /** A block and the arrow behind it. What the block lets is known in the arrow. */
  way(
    blockNode: BlockNode | undefined,
    arrowNode: ArrowNode | undefined,
    where: Where,
    state: State,
  ): { block?: Block; arrow?: Arrow } {
    const opened = blockNode && this.effects.open(blockNode, where);
    const arrow = arrowNode && this.arrow(arrowNode, opened?.where ?? where, state, where);
    return { ...(opened && { block: opened.block }), ...(arrow && { arrow }) };
  }

  /**
   * @param before what is known before the block in front of the arrow: all that branches of the standard order may ask
   */
  private arrow(node: ArrowNode, where: Where, state: State, before: Where): Arrow {
    const at = { from: node.from, to: node.to };
    switch (node.kind) {
      case "stay":
        return { kind: "stay", ...at };
      case "ready":
        this.places.needsEach(
          state,
          node,
          '"ready" ends a seat\'s part of a "turn of each", and there is none around it.',
        );
        if (!where.me) this.tables.error("no-me", node, '"ready" is said by the seat acting, and nobody acts here.');
        return { kind: "ready", ...at };
      case "return":
        if (!this.insideOverlay(state))
          this.tables.error(
            "wrong-place",
            node,
            '"return" leads back from an overlay, and this is none.',
            "Name the state it leads to.",
          );
        return { kind: "return", ...at };
      case "to": {
        const target = this.target(node.target, where, state, node);
        return target
          ? { kind: "to", again: node.again, inner: node.inner, target, ...at }
          : { kind: "missing", ...at };
      }
      case "history": {
        const place = this.tables.targets.get(node.target.text);
        if (place) this.tables.names.use(node.target, place);
        if (place?.kind === "state") return { kind: "history", deep: node.deep, state: place.id, ...at };
        if (place)
          this.tables.error("wrong-place", node.target, `"${node.target.text}" is an ending and has no history.`);
        else this.tables.unknown("unknown-state", node.target, node.target.text, this.tables.targets.keys(), "state");
        return { kind: "missing", ...at };
      }
      case "choose": {
        const branches = node.branches.map((b) => this.branch(b, where, state, before));
        const otherwise = node.otherwise && this.branch(node.otherwise, where, state, before);
        return { kind: "choose", branches, ...(otherwise && { otherwise }), ...at };
      }
      case "odds": {
        if (this.tables.standardOrder)
          this.tables.error(
            "wrong-place",
            node,
            "The standard order knows no odds.",
            "Roll in the effects of one step and choose in the next.",
          );
        const entries: { weight: Expr; target: Target }[] = [];
        for (const entry of node.entries) {
          const weight = this.expressions.expect(entry.weight, INT, { ...where, effects: "a weight" }, "a weight");
          const target = this.target(entry.target, where, state, IN_ODDS);
          if (target) entries.push({ weight, target });
        }
        return { kind: "odds", entries, ...at };
      }
    }
  }

  private branch(node: BranchNode, where: Where, state: State, before: Where): Branch {
    const test =
      node.test &&
      this.expressions.condition(
        node.test,
        { ...(this.tables.standardOrder ? before : where), effects: "a condition" },
        "the condition of a branch",
      );
    const { block, arrow } = this.way(node.block, node.arrow, where, state);
    return {
      ...(test && { test }),
      ...(block && { block }),
      arrow: arrow ?? { kind: "missing", from: node.from, to: node.to },
      from: node.from,
      to: node.to,
    };
  }

  private target(
    node: ReferenceNode,
    where: Where,
    state: State,
    { again, inner, isByOdds = false }: Manner,
  ): Target | undefined {
    const place = this.tables.targets.get(node.name.text);
    const effects: Where = { ...where, effects: true };
    if (!place) {
      this.tables.unknown(
        "unknown-state",
        node.name,
        node.name.text,
        [...this.tables.targets.keys(), "stay", "ready", "return"],
        "state, overlay or ending",
      );
      for (const arg of node.args) this.expressions.check(arg.value, effects);
      return undefined;
    }
    this.tables.names.use(node.name, place);
    if (place.kind === "ending" && again)
      this.tables.error(
        "wrong-place",
        node.name,
        `"${node.name.text}" is an ending; it is not entered again.`,
        'Leave out "again".',
      );
    if (place.kind === "ending") {
      const parameters = this.places.endings[place.id]?.ending.parameters ?? [];
      const args = this.expressions.arguments(node.args, parameters, effects, node.name.text, node);
      return { kind: "ending", ending: place.id, args };
    }
    const target = this.places.state(place.id) as State;
    this.manner(node, state, target, { again, inner, isByOdds });
    const args = this.expressions.arguments(node.args, target.parameters, effects, node.name.text, node);
    return { kind: "state", state: place.id, args };
  }

  /** Reports an `again` or an `inner` that does not fit where the arrow leads, and one that is missing. */
  private manner(node: ReferenceNode, state: State, target: State, { again, inner, isByOdds }: Manner): void {
    const standard = this.tables.standardOrder;
    if (inner && (!standard || target.id <= state.id || target.id > state.last)) {
      this.tables.error(
        "wrong-place",
        node.name,
        standard
          ? `"${target.name}" is not inside "${state.name}", so this arrow cannot stay inside.`
          : "An arrow inwards leaves nothing anyway.",
        'Leave out "inner".',
      );
    }
    const around = target.id === state.id || (state.id > target.id && state.id <= target.last);
    if (standard && again)
      this.tables.error(
        "wrong-place",
        node.name,
        "In the standard order every arrow leaves and enters anew.",
        'Leave out "again".',
      );
    if (standard) return;
    if (around && !again)
      this.tables.error(
        "again-needed",
        node.name,
        `"${target.name}" is active here, so an arrow to it says nothing yet.`,
        isByOdds
          ? "Roll before, and choose: { let rare = chance(1 in 3) } -> choose { when rare -> X  else -> stay }."
          : `To leave it and enter it anew: -> again ${target.name}. To lead nowhere: -> stay.`,
      );
    else if (!around && again && !this.related(state, target))
      this.tables.error(
        "wrong-place",
        node.name,
        `"${target.name}" is not around this state, so there is nothing to enter again.`,
        `Write -> ${target.name}.`,
      );
  }

  /** True when `target` can be active while `state` is: one holds the other, or a parallel state holds both apart. */
  private related(state: State, target: State): boolean {
    if (target.id > state.id && target.id <= state.last) return true;
    let holder = state.parent;
    while (holder > 0 && !(target.id > holder && target.id <= (this.places.state(holder)?.last ?? 0)))
      holder = this.places.state(holder)?.parent ?? -1;
    return holder > 0 && (this.places.state(holder)?.parallel ?? false);
  }

  private insideOverlay(state: State): boolean {
    for (let id = state.id; id > 0; id = this.places.state(id)?.parent ?? -1) {
      if (this.places.state(id)?.kind === "overlay") return true;
    }
    return false;
  }
}
