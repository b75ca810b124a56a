/** The first pass over a machine's places: numbers them in text order and declares their names and data. */

import type { Span } from "../language/source.js";
import type { EndingNode, ItemNode, Name, StateNode } from "../language/syntax.js";
import type { Tables, Where } from "./context.js";
import type { ExpressionChecker } from "./expressions.js";
import type { DataField, Ending, Expr, Parameter, State, StateKind } from "./machine.js";
import { Scope } from "./scope.js";
import type { Type } from "./types.js";
import type { Typing } from "./typing.js";

export type Mutable<T> = { -readonly [K in keyof T]: T[K] };

/** A state between the two passes. */
export interface StateDraft {
  readonly state: Mutable<State>;
  readonly items: readonly ItemNode[];
  readonly scope: Scope;
}

/** An ending between the two passes. */
export interface EndingDraft {
  readonly node: EndingNode;
  readonly ending: Mutable<Ending>;
  readonly scope: Scope;
}

/** All places of a machine: what arrows, listeners and `done` may name before any of it is checked. */
export class Declarations {
  readonly states: StateDraft[] = [];
  readonly endings: EndingDraft[] = [];
  /** Slots of the machine's own data, then one for the data of each state that has some. */
  rootSize = 0;
  /** Turns that are not "of each" though they should be, or states that have none. */
  private readonly withoutEach = new Set<Span | State>();

  constructor(
    private readonly tables: Tables,
    private readonly typing: Typing,
    private readonly expressions: ExpressionChecker,
  ) {}

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
    for (const node of endings) this.declareEnding(node);
  }

  private declareEnding(node: EndingNode): void {
    const scope = new Scope(this.tables.global);
    const parameters = node.parameters.map((p): Parameter => {
      const type = this.typing.type(p.type);
      const slot = this.tables.local(scope, p.name, type);
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

  /** Gives a place its name; a name that is taken is reported. */
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
    for (const item of from.items) if (item.kind === "action") this.tables.actionNames.add(item.name.text);
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
    state.children = this.declareInner(from.items, state, scope);
    state.last = this.states.length - 1;
    return id;
  }

  /** The states directly inside one, in text order; gives their numbers. */
  private declareInner(items: readonly ItemNode[], around: State, scope: Scope): number[] {
    const children: number[] = [];
    for (const item of items) {
      if (item.kind === "state" || item.kind === "overlay") {
        if (item.kind === "overlay" && this.tables.standardOrder)
          this.tables.error(
            "wrong-place",
            item.name,
            "The standard order knows no overlays.",
            'Use a parallel state, or leave out "order standard".',
          );
        else if (item.kind === "overlay" && around.kind !== "machine")
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
            parent: around.id,
            depth: around.depth + 1,
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
            parent: around.id,
            depth: around.depth + 1,
            items: [],
            scope,
          }),
        );
      }
    }
    return children;
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

  state(id: number): State | undefined {
    return this.states[id]?.state;
  }

  /** The `turn of` that holds in a state: its own, or that of the nearest state around it. */
  private turnAround(state: State): (Span & { readonly each: boolean }) | undefined {
    for (let id = state.id; id >= 0; id = this.states[id]?.state.parent ?? -1) {
      for (const item of this.states[id]?.items ?? []) if (item.kind === "turn") return item;
    }
    return undefined;
  }

  /** What stands in a state asks for a turn that everybody has once: where there is none, that is told once. */
  needsEach(state: State, at: Span, words: string): void {
    const turn = this.turnAround(state);
    // It may be what could not be read.
    if (turn?.each || this.tables.refused.size > 0) return;
    const place = turn ?? state;
    if (this.withoutEach.has(place)) return;
    this.withoutEach.add(place);
    this.tables.error(
      "wrong-place",
      at,
      words,
      'Write "turn of each ..." in a state around it.',
      turn && { from: turn.from, to: turn.to, words: "This turn is anybody's of those it names." },
    );
  }
}
