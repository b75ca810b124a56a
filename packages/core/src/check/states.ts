/** The second pass over a machine's places: checks what is inside states, and endings. */

import type { ActionNode, EndingNode, ItemNode, Name } from "../language/syntax.js";
import { ArrowChecker } from "./arrows.js";
import type { Tables, Where } from "./context.js";
import type { Declarations, Mutable, StateDraft } from "./declarations.js";
import type { EffectChecker } from "./effects.js";
import type { ExpressionChecker } from "./expressions.js";
import type {
  Action,
  Arrow,
  Block,
  Ending,
  Expr,
  Listener,
  ResultRule,
  State,
  Target,
  Timer,
  When,
} from "./machine.js";
import { actionKey } from "./names.js";
import { Scope } from "./scope.js";
import { onlyCompared } from "./seat-names.js";
import { unknownAt } from "./typed.js";
import { INT, listOf, SEAT, TEXT, type Type } from "./types.js";
import type { Typing } from "./typing.js";
import { branchesOf } from "./visit.js";

/** What stands inside a state, in text order of each kind. */
interface Inside {
  readonly actions: Action[];
  readonly enters: { block?: Block; arrow?: Arrow }[];
  readonly exits: Block[];
  readonly timers: Timer[];
  readonly listeners: Listener[];
  readonly whens: When[];
}

/** Checks what is inside the places that were declared. */
export class StateChecker {
  readonly actions: Action[] = [];
  readonly timers: Timer[] = [];
  private readonly arrows: ArrowChecker;
  private listenerCount = 0;
  private whenCount = 0;

  constructor(
    private readonly tables: Tables,
    private readonly typing: Typing,
    private readonly expressions: ExpressionChecker,
    private readonly effects: EffectChecker,
    private readonly places: Declarations,
  ) {
    this.arrows = new ArrowChecker(tables, places, expressions, effects);
  }

  check(): { states: State[]; endings: Ending[] } {
    for (const draft of this.places.states) this.checkState(draft);
    for (const { node, ending, scope } of this.places.endings) this.checkEnding(node, ending, scope);
    return { states: this.places.states.map((d) => d.state), endings: this.places.endings.map((e) => e.ending) };
  }

  private checkState(draft: StateDraft): void {
    const { state, items, scope } = draft;
    const where: Where = { scope, effects: "a condition", me: false };
    const inside: Inside = { actions: [], enters: [], exits: [], timers: [], listeners: [], whens: [] };
    let start: Name | undefined;
    for (const item of items) {
      if (item.kind !== "start") this.item(item, inside, state, where);
      else {
        if (start)
          this.tables.error("duplicate-name", item, `${this.called(state)} has two starts.`, "Keep one.", {
            ...start,
            words: "The first one stands here.",
          });
        start = item.target;
      }
    }
    Object.assign(state, inside);
    state.start = this.start(state, start);
  }

  private item(item: Exclude<ItemNode, { kind: "start" }>, inside: Inside, state: Mutable<State>, where: Where): void {
    switch (item.kind) {
      case "turn":
        this.turn(item, state, where);
        return;
      case "action": {
        const action = this.action(item, state, where);
        const same = inside.actions.find((a) => a.name === action.name);
        if (same) this.tables.duplicate(item.name, `an action of ${this.called(state)}`, same.nameSpan);
        inside.actions.push(action);
        this.actions.push(action);
        return;
      }
      case "enter": {
        const { block, arrow } = this.arrows.way(item.block, item.arrow, where, state);
        inside.enters.push({ ...(block && { block }), ...(arrow && { arrow }) });
        const at = { from: item.from, to: item.to };
        if (arrow)
          inside.whens.push({
            id: this.whenCount++,
            state: state.id,
            test: { kind: "entered", pendingSlot: this.leaves(arrow, state) ? -1 : this.places.rootSize++ },
            arrow,
            ...at,
          });
        return;
      }
      case "exit":
        inside.exits.push(this.effects.block(item.block, where));
        return;
      case "after":
        inside.timers.push(this.timer(item, inside.timers.length + 1, state, where));
        return;
      case "on": {
        const listener = this.listener(item, state, where);
        if (listener) inside.listeners.push(listener);
        return;
      }
      case "when":
        inside.whens.push(this.when(item, state, where));
        return;
      case "data":
      case "state":
      case "overlay":
      case "final":
        // Declared in the first pass.
        return;
    }
  }

  /** Whichever way an arrow goes, its state is left: for an ending, for a state outside it, or to be entered anew. */
  private leaves(arrow: Arrow, state: State): boolean {
    const isOutside = ({ target }: { readonly target: Target }): boolean => {
      if (target.kind === "ending") return true;
      const to = this.places.states[target.state]?.state;
      return to !== undefined && to.kind !== "overlay" && !this.isAround(state, to) && !this.isAround(to, state);
    };
    switch (arrow.kind) {
      case "to":
        // What is entered anew is left first, and this state with it.
        return arrow.again || isOutside(arrow);
      case "odds":
        return arrow.entries.every(isOutside);
      case "choose":
        return branchesOf(arrow).every((branch) => this.leaves(branch.arrow, state));
      case "stay":
      case "ready":
      case "return":
      case "history":
      case "missing":
        return false;
    }
  }

  /** One state is the other or lies around it. */
  private isAround(outer: State, inner: State): boolean {
    for (let id = inner.id; id >= 0; id = this.places.states[id]?.state.parent ?? -1) if (id === outer.id) return true;
    return false;
  }

  private timer(item: ItemNode & { kind: "after" }, number: number, state: State, where: Where): Timer {
    const delay = this.expressions.expect(item.delay, INT, { ...where, effects: "a duration" }, "a duration");
    const test = item.test && this.expressions.condition(item.test, where, 'the condition of "after"');
    const { block, arrow } = this.arrows.way(item.block, item.arrow, where, state);
    const timer: Timer = {
      id: this.timers.length,
      state: state.id,
      name: `${state.name}.after${number}`,
      repeats: item.each,
      delay,
      ...(test && { test }),
      ...(block && { block }),
      ...(arrow && { arrow }),
      from: item.from,
      to: item.to,
    };
    this.timers.push(timer);
    return timer;
  }

  private turn(item: ItemNode & { kind: "turn" }, state: Mutable<State>, where: Where): void {
    const at = { from: item.from, to: item.to };
    if (state.turn)
      this.tables.error(
        "duplicate-name",
        item,
        `${this.called(state)} says twice whose turn it is.`,
        "Keep one, or split the state in two.",
        { ...state.turn, words: "The first one stands here." },
      );
    const of = this.expressions.seats(item.of, { ...where, effects: "turn of" }, '"turn of"');
    state.turn = { each: item.each, of, readySlot: item.each ? this.places.rootSize++ : -1, ...at };
  }

  private start(state: State, start: Name | undefined): number {
    const inner = state.children
      .map((id) => this.places.state(id))
      .filter((s): s is Mutable<State> => s?.kind === "state" || s?.kind === "final");
    if (state.parallel) {
      if (start)
        this.tables.error(
          "wrong-place",
          start,
          `${this.called(state)} is parallel: all its inner states start together.`,
          "Remove this start.",
        );
      return -1;
    }
    if (!start) {
      if (inner.length > 0) {
        const names = inner.map((s) => s.name).join(", ");
        this.tables.error(
          "no-start",
          state.nameSpan,
          `${this.called(state)} does not say in which ${state.kind === "machine" ? "" : "inner "}state it starts.`,
          `Write "start NAME" in it, with one of: ${names}.`,
        );
      } else if (state.kind === "machine" && state.name !== "") {
        this.tables.error(
          "no-start",
          state.nameSpan,
          "The machine has no states.",
          'Declare a state and write "start NAME".',
        );
      }
      return -1;
    }
    const found = inner.find((s) => s.name === start.text);
    if (found) {
      this.tables.names.use(start, found.nameSpan);
      return found.id;
    }
    const place = this.tables.targets.get(start.text);
    if (place)
      this.tables.error(
        "wrong-place",
        start,
        `"${start.text}" is not directly inside ${this.called(state)}.`,
        `A start names an inner state: ${inner.map((s) => s.name).join(", ") || "there is none"}.`,
      );
    else
      this.tables.unknown(
        "unknown-state",
        start,
        start.text,
        inner.map((s) => s.name),
        "inner state",
      );
    return -1;
  }

  private action(node: ActionNode, state: State, outer: Where): Action {
    this.tables.names.declare("an action", node.name, "", actionKey(node.name.text));
    const scope = new Scope(outer.scope);
    const where: Where = { scope, effects: "a condition", me: true };
    const parameters = node.parameters.map((p) => {
      const type = this.typing.type(p.type);
      const domain = p.domain && this.domain(p.domain, type, where, p.name.text);
      const slot = this.tables.local(scope, p.name, type);
      const test = p.where && this.expressions.condition(p.where, where, 'the condition after "where"');
      const reason = p.reason && this.expressions.expect(p.reason, TEXT, { ...where, effects: "a reason" }, "a reason");
      return {
        name: p.name.text,
        type,
        slot,
        ...(domain && { domain }),
        ...(test && { where: test }),
        ...(reason && { reason }),
        from: p.from,
        to: p.to,
      };
    });
    const by =
      node.by === undefined
        ? undefined
        : node.by === "anyone"
          ? ("anyone" as const)
          : onlyCompared(this.expressions.seats(node.by, { ...where, me: false, effects: "by" }, '"by"'));
    const needs = node.needs.map((need) => {
      const test = this.expressions.condition(need.test, where, 'the condition after "needs"');
      const reason =
        need.reason && this.expressions.expect(need.reason, TEXT, { ...where, effects: "a reason" }, "a reason");
      return { test, ...(reason && { reason }) };
    });
    const { block, arrow } = this.arrows.way(node.block, node.arrow, where, state);
    if (!arrow && !node.block?.leads)
      this.tables.error(
        "missing-arrow",
        node.name,
        `The action "${node.name.text}" does not say where it leads.`,
        'Write "-> STATE" behind it, or "-> stay" when it leads nowhere.',
      );
    return {
      id: this.actions.length,
      name: node.name.text,
      nameSpan: { from: node.name.from, to: node.name.to },
      ...(node.doc !== undefined && { doc: node.doc }),
      state: state.id,
      sealed: node.sealed,
      parameters,
      ...(by && { by }),
      needs,
      ...(block && { block }),
      arrow: arrow ?? { kind: "missing", from: node.from, to: node.to },
      from: node.from,
      to: node.to,
    };
  }

  private domain(
    node: ActionNode["parameters"][number]["domain"] & object,
    type: Type,
    where: Where,
    name: string,
  ): Expr {
    const expr = this.expressions.check(node, { ...where, effects: "a domain" }, listOf(type));
    return this.expressions.coerce(expr, listOf(type), `the domain of "${name}"`);
  }

  private listener(node: ItemNode & { kind: "on" }, state: State, outer: Where): Listener | undefined {
    const signal = this.tables.signals.get(node.signal.text);
    if (signal) this.tables.names.use(node.signal, signal.origin === "system" ? `system ${signal.name}` : signal);
    const scope = new Scope(outer.scope);
    const slots: number[] = [];
    if (!signal)
      this.tables.unknown("unknown-signal", node.signal, node.signal.text, this.tables.signals.keys(), "signal");
    if (signal && node.names.length > signal.parameters.length) {
      this.tables.error(
        "wrong-arguments",
        node.names[signal.parameters.length] ?? node,
        `"${signal.name}" carries ${
          signal.parameters.length === 0
            ? "no values"
            : `${signal.parameters.length}` + `: ${signal.parameters.map((p) => p.name).join(", ")}`
        }.`,
        "Remove the names too many.",
      );
    }
    for (const [i, name] of node.names.entries()) {
      slots.push(this.tables.local(scope, name, signal?.parameters[i]?.type ?? { kind: "unknown" }));
    }
    const where: Where = { ...outer, scope };
    const test = node.test && this.expressions.condition(node.test, where, 'the condition after "when"');
    const { block, arrow } = this.arrows.way(node.block, node.arrow, where, state);
    return (
      signal && {
        id: this.listenerCount++,
        state: state.id,
        signal: signal.id,
        slots: slots.slice(0, signal.parameters.length),
        ...(test && { test }),
        ...(block && { block }),
        ...(arrow && { arrow }),
        from: node.from,
        to: node.to,
      }
    );
  }

  private when(node: ItemNode & { kind: "when" }, state: State, where: Where): When {
    const at = { from: node.from, to: node.to };
    const { block, arrow } = this.arrows.way(node.block, node.arrow, where, state);
    if (!arrow && !node.block?.leads)
      this.tables.error(
        "missing-arrow",
        node.test,
        'This "when" does not say where it leads.',
        'Write "-> STATE" behind it.',
      );
    const rest = { ...(block && { block }), arrow: arrow ?? ({ kind: "missing", ...at } as const), ...at };
    const { test } = node;
    switch (test.kind) {
      case "allReady":
        this.places.needsEach(state, test, '"all ready" needs a "turn of each", and there is none around it.');
        return { id: this.whenCount++, state: state.id, test: { kind: "allReady" }, ...rest };
      case "done": {
        const place = this.tables.targets.get(test.final.text);
        if (place) this.tables.names.use(test.final, place);
        const named = place?.kind === "state" ? this.places.state(place.id) : undefined;
        const ends = (candidate: State): boolean =>
          candidate.kind === "final" ||
          candidate.children.some((id) => candidate.parallel || this.places.state(id)?.kind === "final");
        const within = this.places.states
          .map((d) => d.state)
          .filter((s) => s.id >= state.id && s.id <= state.last && ends(s));
        if (named && within.includes(named)) {
          const of = named.kind === "final" ? { of: named.parent, final: named.id } : { of: named.id, final: -1 };
          return { id: this.whenCount++, state: state.id, test: { kind: "done", ...of }, ...rest };
        }
        this.tables.unknown(
          "unknown-state",
          test.final,
          test.final.text,
          within.map((s) => s.name),
          "final here, or state with finals,",
        );
        return { id: this.whenCount++, state: state.id, test: { kind: "holds", test: unknownAt(test) }, ...rest };
      }
      case "holds":
        return {
          id: this.whenCount++,
          state: state.id,
          test: { kind: "holds", test: this.expressions.condition(test.test, where, 'the condition after "when"') },
          ...rest,
        };
    }
  }

  // ---- endings ---------------------------------------------------------------------------------

  private checkEnding(node: EndingNode, ending: Mutable<Ending>, scope: Scope): void {
    const where: Where = { scope, effects: "a result", me: false, ending: true };
    ending.results = node.results.map((rule): ResultRule => {
      const at = { from: rule.from, to: rule.to };
      switch (rule.kind) {
        case "result":
          return {
            kind: "result",
            word: rule.word,
            seats: this.expressions.seats(rule.seats, where, `what "${rule.word}" names`),
            ...at,
          };
        case "ranks":
          return { kind: "ranks", list: this.expressions.expect(rule.list, listOf(SEAT), where, "the ranking"), ...at };
        case "scores": {
          const source = this.expressions.expect(rule.source, listOf(SEAT), where, "the seats that score");
          const inner = new Scope(scope);
          const slot = this.tables.local(inner, rule.variable, SEAT);
          const value = this.expressions.expect(rule.value, INT, { ...where, scope: inner }, "a score");
          return { kind: "scores", variable: slot, source, value, ...at };
        }
      }
    });
  }

  private called(state: State): string {
    return state.kind === "machine" ? "The machine" : `"${state.name}"`;
  }
}
