/**
 * Checks states, actions and endings, and resolves arrows. Done in two passes: the first numbers all
 * places in text order, so that an arrow may point forwards; the second checks what is inside.
 */

import type { Span } from "../language/source.js";
import type {
  ActionNode,
  ArrowNode,
  BlockNode,
  BranchNode,
  EndingNode,
  ItemNode,
  Name,
  ReferenceNode,
  StateNode,
} from "../language/syntax.js";
import type { Tables, Where } from "./context.js";
import type { EffectChecker } from "./effects.js";
import { type ExpressionChecker, unknownAt } from "./expressions.js";
import type {
  Action,
  Arrow,
  Block,
  Branch,
  DataField,
  Ending,
  Expr,
  Listener,
  Parameter,
  ResultRule,
  State,
  StateKind,
  Target,
  Timer,
  Turn,
  When,
} from "./machine.js";
import { actionKey } from "./names.js";
import { Scope } from "./scope.js";
import { INT, listOf, SEAT, TEXT, type Type } from "./types.js";
import type { Typing } from "./typing.js";

type Mutable<T> = { -readonly [K in keyof T]: T[K] };

/** A state between the two passes. */
interface Draft {
  readonly state: Mutable<State>;
  readonly items: readonly ItemNode[];
  readonly scope: Scope;
}

/** An arrow without `again` and `inner`. */
const NEITHER = { again: false, inner: false };

export class StateChecker {
  readonly states: Draft[] = [];
  readonly endings: { readonly node: EndingNode; readonly ending: Mutable<Ending>; readonly scope: Scope }[] = [];
  readonly actions: Action[] = [];
  readonly timers: Timer[] = [];
  rootSize = 0;
  private listenerCount = 0;
  private whenCount = 0;

  constructor(
    private readonly tables: Tables,
    private readonly typing: Typing,
    private readonly expressions: ExpressionChecker,
    private readonly effects: EffectChecker,
  ) {}

  // ---- first pass: names and numbers -----------------------------------------------------------

  /** Numbers the machine (state 0), its states, overlays and endings, and declares their data. */
  declare(
    machineName: Name,
    items: readonly ItemNode[],
    endings: readonly EndingNode[],
    machineData: readonly DataField[],
  ): void {
    this.rootSize = machineData.length;
    this.declareState({
      kind: "machine",
      name: machineName,
      at: machineName,
      parent: -1,
      depth: 0,
      items,
      scope: this.tables.global,
    });
    for (const node of endings) {
      const scope = new Scope(this.tables.global);
      const parameters = node.parameters.map((p): Parameter => {
        const slot = this.tables.newLocal();
        const type = this.typing.type(p.type);
        this.tables.declare(scope, p.name, {
          kind: "local",
          slot,
          type,
          writable: false,
          from: p.name.from,
          to: p.name.to,
        });
        return { name: p.name.text, type, slot, from: p.from, to: p.to };
      });
      const id = this.endings.length;
      const ending: Mutable<Ending> = {
        id,
        name: node.name.text,
        nameSpan: node.name,
        ...(node.doc !== undefined && { doc: node.doc }),
        parameters,
        results: [],
        from: node.from,
        to: node.to,
      };
      this.endings.push({ node, ending, scope });
      this.declareTarget(node.name, { kind: "ending", id, from: node.name.from, to: node.name.to });
    }
  }

  private declareTarget(name: Name, symbol: { kind: "state" | "ending"; id: number } & Span): void {
    this.tables.names.declare(symbol.kind === "ending" ? "an ending" : "a state", name);
    const taken = this.tables.targets.get(name.text);
    if (taken) this.tables.duplicate(name, taken.kind === "ending" ? "an ending" : "a state", taken);
    else this.tables.targets.set(name.text, symbol);
  }

  private declareState(from: {
    kind: StateKind;
    name: Name;
    at: Span;
    parent: number;
    depth: number;
    items: readonly ItemNode[];
    scope: Scope;
    node?: StateNode;
  }): number {
    const id = this.states.length;
    const { node } = from;
    const scope = from.kind === "machine" ? from.scope : new Scope(from.scope);
    const state: Mutable<State> = {
      id,
      kind: from.kind,
      name: from.name.text,
      nameSpan: { from: from.name.from, to: from.name.to },
      ...(node?.doc !== undefined && { doc: node.doc }),
      parent: from.parent,
      last: id,
      children: [],
      depth: from.depth,
      parallel: node?.parallel ?? false,
      stub: node?.stub ?? false,
      fields: [],
      parameters: [],
      slot: -1,
      start: -1,
      actions: [],
      enters: [],
      exits: [],
      timers: [],
      listeners: [],
      whens: [],
      from: from.at.from,
      to: from.at.to,
    };
    this.states.push({ state, items: from.items, scope });
    if (from.kind !== "machine") {
      this.declareTarget(from.name, { kind: "state", id, from: from.name.from, to: from.name.to });
      this.declareStateData(state, node, from.items, scope);
    }
    const children: number[] = [];
    for (const item of from.items) {
      if (item.kind === "state" || item.kind === "overlay") {
        if (item.kind === "overlay" && this.tables.standardOrder)
          this.tables.error(
            "wrong-place",
            item.name,
            "The standard order knows no overlays.",
            'Use a parallel state, or leave out "order standard".',
          );
        else if (item.kind === "overlay" && from.kind !== "machine")
          this.tables.error(
            "wrong-place",
            item.name,
            `The overlay "${item.name.text}" stands inside a state.`,
            "Overlays lie over everything: declare it at the top of the file.",
          );
        children.push(
          this.declareState({
            kind: item.kind,
            name: item.name,
            at: item,
            parent: id,
            depth: from.depth + 1,
            items: item.items,
            scope,
            node: item,
          }),
        );
      } else if (item.kind === "final") {
        children.push(
          this.declareState({
            kind: "final",
            name: item.name,
            at: item,
            parent: id,
            depth: from.depth + 1,
            items: [],
            scope,
          }),
        );
      }
    }
    state.children = children;
    state.last = this.states.length - 1;
    return id;
  }

  private declareStateData(
    state: Mutable<State>,
    node: StateNode | undefined,
    items: readonly ItemNode[],
    scope: Scope,
  ): void {
    const fields: DataField[] = [];
    const slot = this.rootSize;
    const where: Where = { scope, effects: "a default", me: false };
    const add = (
      name: Name,
      type: Type,
      visibility: DataField["visibility"],
      initial: Expr | undefined,
      at: Span,
    ): void => {
      const field = fields.length;
      this.tables.declare(scope, name, {
        kind: "stateData",
        slot,
        field,
        type,
        owner: state.name,
        from: name.from,
        to: name.to,
      });
      fields.push({
        name: name.text,
        type,
        visibility,
        slot: field,
        nameFrom: name.from,
        ...(initial && { initial }),
        from: at.from,
        to: at.to,
      });
    };
    const parameters: Parameter[] = [];
    for (const p of node?.parameters ?? []) {
      const type = this.typing.type(p.type);
      const initial =
        p.initial &&
        this.expressions.expect(
          p.initial,
          type,
          { ...where, scope: this.tables.global },
          `the default of "${p.name.text}"`,
        );
      parameters.push({
        name: p.name.text,
        type,
        slot: fields.length,
        ...(initial && { initial }),
        from: p.from,
        to: p.to,
      });
      add(p.name, type, "public", initial, p);
    }
    for (const item of items) {
      if (item.kind !== "data") continue;
      for (const f of item.fields) {
        const type = this.typing.fieldType(f);
        add(f.name, type, f.visibility, this.expressions.fieldInitial(f, type, where), f);
      }
    }
    state.fields = fields;
    state.parameters = parameters;
    if (fields.length > 0) {
      state.slot = slot;
      this.tables.stateData.set(state.id, { slot, fields });
      this.rootSize++;
    }
  }

  // ---- second pass: what is inside -------------------------------------------------------------

  check(): { states: State[]; endings: Ending[] } {
    for (const draft of this.states) this.checkState(draft);
    for (const { node, ending, scope } of this.endings) this.checkEnding(node, ending, scope);
    return { states: this.states.map((d) => d.state), endings: this.endings.map((e) => e.ending) };
  }

  private checkState(draft: Draft): void {
    const { state, items, scope } = draft;
    const where: Where = { scope, effects: "a condition", me: false };
    const actions: Action[] = [];
    const enters: { block?: Block; arrow?: Arrow }[] = [];
    const exits: Block[] = [];
    const timers: Timer[] = [];
    const listeners: Listener[] = [];
    const whens: When[] = [];
    let start: Name | undefined;
    for (const item of items) {
      const at = { from: item.from, to: item.to };
      switch (item.kind) {
        case "start":
          if (start)
            this.tables.error("duplicate-name", item, `${this.called(state)} has two starts.`, "Keep one.", {
              ...start,
              words: "The first one stands here.",
            });
          start = item.target;
          break;
        case "turn":
          if (state.turn)
            this.tables.error(
              "duplicate-name",
              item,
              `${this.called(state)} says twice whose turn it is.`,
              "Keep one, or split the state in two.",
              { ...state.turn, words: "The first one stands here." },
            );
          state.turn = this.turn(
            item.each,
            this.expressions.seats(item.of, { ...where, effects: "turn of" }, '"turn of"'),
            at,
          );
          break;
        case "action": {
          const action = this.action(item, state, where);
          const same = actions.find((a) => a.name === action.name);
          if (same) this.tables.duplicate(item.name, `an action of ${this.called(state)}`, same.nameSpan);
          actions.push(action);
          this.actions.push(action);
          break;
        }
        case "enter": {
          const { block, arrow } = this.way(item.block, item.arrow, where, state);
          enters.push({ ...(block && { block }), ...(arrow && { arrow }) });
          if (arrow) whens.push({ id: this.whenCount++, state: state.id, test: { kind: "entered" }, arrow, ...at });
          break;
        }
        case "exit":
          exits.push(this.effects.block(item.block, where));
          break;
        case "after": {
          const delay = this.expressions.expect(item.delay, INT, { ...where, effects: "a duration" }, "a duration");
          const test = item.test && this.expressions.condition(item.test, where, 'the condition of "after"');
          const { block, arrow } = this.way(item.block, item.arrow, where, state);
          const timer: Timer = {
            id: this.timers.length,
            state: state.id,
            name: `${state.name}.after${timers.length + 1}`,
            repeats: item.each,
            delay,
            ...(test && { test }),
            ...(block && { block }),
            ...(arrow && { arrow }),
            ...at,
          };
          timers.push(timer);
          this.timers.push(timer);
          break;
        }
        case "on": {
          const listener = this.listener(item, state, where);
          if (listener) listeners.push(listener);
          break;
        }
        case "when":
          whens.push(this.when(item, state, where));
          break;
        default:
      }
    }
    Object.assign(state, { actions, enters, exits, timers, listeners, whens });
    state.start = this.start(state, start);
  }

  private turn(each: boolean, of: Expr, at: Span): Turn {
    return { each, of, readySlot: each ? this.rootSize++ : -1, ...at };
  }

  private start(state: State, start: Name | undefined): number {
    const inner = state.children
      .map((id) => this.states[id]?.state)
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
      const slot = this.tables.newLocal();
      this.tables.declare(scope, p.name, {
        kind: "local",
        slot,
        type,
        writable: false,
        from: p.name.from,
        to: p.name.to,
      });
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
          : this.expressions.seats(node.by, { ...where, me: false, effects: "by" }, '"by"');
    const needs = node.needs.map((need) => {
      const test = this.expressions.condition(need.test, where, 'the condition after "needs"');
      const reason =
        need.reason && this.expressions.expect(need.reason, TEXT, { ...where, effects: "a reason" }, "a reason");
      return { test, ...(reason && { reason }) };
    });
    const { block, arrow } = this.way(node.block, node.arrow, where, state);
    if (!arrow)
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
        `"${signal.name}" carries ${signal.parameters.length === 0 ? "no values" : `${signal.parameters.length}: ${signal.parameters.map((p) => p.name).join(", ")}`}.`,
        "Remove the names too many.",
      );
    }
    for (const [i, name] of node.names.entries()) {
      const slot = this.tables.newLocal();
      slots.push(slot);
      this.tables.declare(scope, name, {
        kind: "local",
        slot,
        type: signal?.parameters[i]?.type ?? { kind: "unknown" },
        writable: false,
        from: name.from,
        to: name.to,
      });
    }
    const where: Where = { ...outer, scope };
    const test = node.test && this.expressions.condition(node.test, where, 'the condition after "when"');
    const { block, arrow } = this.way(node.block, node.arrow, where, state);
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
    const { block, arrow } = this.way(node.block, node.arrow, where, state);
    if (!arrow)
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
        if (!this.turnAround(state)?.each)
          this.tables.error(
            "wrong-place",
            test,
            '"all ready" needs a "turn of each".',
            "Write turn of each ... in this state.",
          );
        return { id: this.whenCount++, state: state.id, test: { kind: "allReady" }, ...rest };
      case "done": {
        const place = this.tables.targets.get(test.final.text);
        if (place) this.tables.names.use(test.final, place);
        const named = place?.kind === "state" ? this.states[place.id]?.state : undefined;
        const ends = (candidate: State): boolean =>
          candidate.kind === "final" ||
          candidate.children.some((id) => candidate.parallel || this.states[id]?.state.kind === "final");
        const within = this.states.map((d) => d.state).filter((s) => s.id >= state.id && s.id <= state.last && ends(s));
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

  /** A block and the arrow behind it. What the block lets is known in the arrow. */
  private way(
    blockNode: BlockNode | undefined,
    arrowNode: ArrowNode | undefined,
    where: Where,
    state: State,
  ): { block?: Block; arrow?: Arrow } {
    const opened = blockNode && this.effects.open(blockNode, where);
    const arrow = arrowNode && this.arrow(arrowNode, opened?.where ?? where, state, where);
    return { ...(opened && { block: opened.block }), ...(arrow && { arrow }) };
  }

  // ---- arrows ----------------------------------------------------------------------------------

  /**
   * @param before what is known before the block in front of the arrow: all that branches of the standard order may ask
   */
  private arrow(node: ArrowNode, where: Where, state: State, before: Where): Arrow {
    const at = { from: node.from, to: node.to };
    switch (node.kind) {
      case "stay":
        return { kind: "stay", ...at };
      case "ready":
        if (!this.turnAround(state)?.each)
          this.tables.error(
            "wrong-place",
            node,
            '"ready" ends a seat\'s part of a "turn of each", and there is none around it.',
            'Write "turn of each ..." in a state around it.',
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
          const target = this.target(entry.target, where, state, NEITHER);
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
    { again, inner }: { readonly again: boolean; readonly inner: boolean },
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
    if (place.kind === "ending") {
      const ending = this.endings[place.id]?.ending;
      if (again)
        this.tables.error(
          "wrong-place",
          node.name,
          `"${node.name.text}" is an ending; it is not entered again.`,
          'Leave out "again".',
        );
      return {
        kind: "ending",
        ending: place.id,
        args: this.expressions.arguments(node.args, ending?.parameters ?? [], effects, node.name.text, node),
      };
    }
    const target = this.states[place.id]?.state as State;
    if (inner && (!this.tables.standardOrder || target.id <= state.id || target.id > state.last)) {
      this.tables.error(
        "wrong-place",
        node.name,
        this.tables.standardOrder
          ? `"${target.name}" is not inside "${state.name}", so this arrow cannot stay inside.`
          : "An arrow inwards leaves nothing anyway.",
        'Leave out "inner".',
      );
    }
    if (this.tables.standardOrder) {
      if (again)
        this.tables.error(
          "wrong-place",
          node.name,
          "In the standard order every arrow leaves and enters anew.",
          'Leave out "again".',
        );
      return {
        kind: "state",
        state: place.id,
        args: this.expressions.arguments(node.args, target.parameters, effects, node.name.text, node),
      };
    }
    const around = place.id === state.id || (state.id > place.id && state.id <= target.last);
    if (around && !again) {
      this.tables.error(
        "again-needed",
        node.name,
        `"${target.name}" is active here, so an arrow to it says nothing yet.`,
        `To leave it and enter it anew: -> again ${target.name}. To lead nowhere: -> stay.`,
      );
    } else if (!around && again && !this.related(state, target)) {
      this.tables.error(
        "wrong-place",
        node.name,
        `"${target.name}" is not around this state, so there is nothing to enter again.`,
        `Write -> ${target.name}.`,
      );
    }
    return {
      kind: "state",
      state: place.id,
      args: this.expressions.arguments(node.args, target.parameters, effects, node.name.text, node),
    };
  }

  /** True when `target` can be active while `state` is: one holds the other, or a parallel state holds both apart. */
  private related(state: State, target: State): boolean {
    if (target.id > state.id && target.id <= state.last) return true;
    let holder = state.parent;
    while (holder > 0 && !(target.id > holder && target.id <= (this.states[holder]?.state.last ?? 0)))
      holder = this.states[holder]?.state.parent ?? -1;
    return holder > 0 && (this.states[holder]?.state.parallel ?? false);
  }

  /** The `turn of` that holds in a state: its own, or that of the nearest state around it. */
  private turnAround(state: State): { each: boolean } | undefined {
    for (let id = state.id; id >= 0; id = this.states[id]?.state.parent ?? -1) {
      for (const item of this.states[id]?.items ?? []) if (item.kind === "turn") return item;
    }
    return undefined;
  }

  private insideOverlay(state: State): boolean {
    for (let id = state.id; id > 0; id = this.states[id]?.state.parent ?? -1) {
      if (this.states[id]?.state.kind === "overlay") return true;
    }
    return false;
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
          const slot = this.tables.newLocal();
          const inner = new Scope(scope);
          this.tables.declare(inner, rule.variable, {
            kind: "local",
            slot,
            type: SEAT,
            writable: false,
            from: rule.variable.from,
            to: rule.variable.to,
          });
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
