/**
 * A machine as a diagram: nested nodes and labelled arrows, always drawn from the checked machine and
 * never kept apart from it. Where things lie and how they look is decided by who draws it.
 */

import type { Arrow, Ending, Expr, Machine, ResultRule, State, Target } from "../check/machine.js";
import type { Span } from "../language/source.js";
import type { ResultWord } from "../language/syntax.js";
import { rolledLocals, shareOf } from "./odds.js";

export interface DiagramNode {
  readonly id: string;
  /** `anywhere` stands for whatever state the match is in: where the machine's own arrows begin. */
  readonly kind: "state" | "overlay" | "final" | "ending" | "anywhere";
  readonly name: string;
  /** The node it lies in; undefined at the top. */
  readonly parent?: string;
  /** The inner node it begins in. */
  readonly start?: string;
  readonly parallel: boolean;
  readonly stub: boolean;
  /** Whose turn it is there, as it is written. */
  readonly turn?: string;
  /** What leads back from an overlay. */
  readonly returns: readonly string[];
  /** For endings: what the seats get, as written, and the first word of it. */
  readonly results?: string;
  readonly result?: ResultRule["kind"] | ResultWord;
  /** Its inner states are not shown: how many there are. */
  readonly folded?: number;
  readonly doc?: string;
}

export interface DiagramEdge {
  readonly id: string;
  readonly from: string;
  readonly to: string;
  /** What takes it: actions, timers, signals, conditions, weights. */
  readonly labels: readonly string[];
  /** It leaves its target first and enters it anew. */
  readonly again: boolean;
  /** What in the text leads along it, one for each way. */
  readonly ways: readonly Way[];
}

/** Places of the text that a match comes to on one way along an arrow; of a condition, what it came to. */
export type Way = readonly (Span & { readonly way?: boolean })[];

export interface Diagram {
  readonly machine: string;
  /** The outermost node in which a match begins. */
  readonly start?: string;
  readonly nodes: readonly DiagramNode[];
  readonly edges: readonly DiagramEdge[];
}

/** An arrow while it is put together. */
type Drawn = Omit<DiagramEdge, "id" | "labels" | "ways"> & { readonly labels: Set<string>; readonly ways: Way[] };

const ANYWHERE = "anywhere";

/** The diagram of a machine, one with mistakes included: what could be understood is drawn. */
export function diagramOf(machine: Machine): Diagram {
  const drawing = new Drawing(machine);
  return drawing.diagram();
}

class Drawing {
  private readonly edges = new Map<string, Drawn>();
  private readonly returns = new Map<number, Set<string>>();
  private readonly rolled: ReadonlyMap<number, string>;

  constructor(private readonly machine: Machine) {
    this.rolled = rolledLocals(machine);
  }

  diagram(): Diagram {
    const { machine } = this;
    for (const state of machine.states) this.arrowsOf(state);
    const nodes: DiagramNode[] = [];
    for (const state of machine.states) {
      if (state.id === 0) continue;
      const start = machine.states[state.start];
      nodes.push({
        id: state.name,
        kind: state.kind === "machine" ? "state" : state.kind,
        name: state.name,
        ...(state.parent > 0 && { parent: machine.states[state.parent]?.name ?? "" }),
        ...(start && { start: start.name }),
        parallel: state.parallel,
        stub: state.stub,
        ...(state.turn && { turn: this.written(state.turn.of) }),
        returns: [...(this.returns.get(state.id) ?? [])],
        ...(state.doc !== undefined && { doc: state.doc }),
      });
    }
    for (const ending of machine.endings)
      nodes.push({
        id: ending.name,
        kind: "ending",
        name: ending.name,
        parallel: false,
        stub: false,
        returns: [],
        ...this.resultsOf(ending),
        ...(ending.doc !== undefined && { doc: ending.doc }),
      });
    const edges = [...this.edges.values()].map(({ labels, ...edge }, i) => ({
      id: `e${i}`,
      ...edge,
      labels: [...labels],
    }));
    if (edges.some((e) => e.from === ANYWHERE))
      nodes.push({ id: ANYWHERE, kind: "anywhere", name: "anywhere", parallel: false, stub: false, returns: [] });
    const start = machine.states[machine.states[0]?.start ?? -1];
    return { machine: machine.name, ...(start && { start: start.name }), nodes, edges };
  }

  private resultsOf({ results }: Ending): Pick<DiagramNode, "results" | "result"> {
    const [first] = results;
    return first
      ? {
          results: results
            .filter((r) => r.kind !== "scores")
            .map((r) => this.written(r))
            .join(", "),
          result: first.kind === "result" ? first.word : first.kind,
        }
      : {};
  }

  private arrowsOf(state: State): void {
    for (const action of state.actions) this.arrow(state, action.arrow, action.name, [action]);
    for (const timer of state.timers)
      if (timer.arrow)
        this.arrow(
          state,
          timer.arrow,
          `${timer.repeats ? "after each" : "after"} ${this.written(timer.delay)}` +
            `${timer.test ? ` when ${this.written(timer.test)}` : ""}`,
          [timer],
        );
    for (const listener of state.listeners) {
      const signal = this.machine.signals[listener.signal]?.name ?? "";
      if (listener.arrow)
        this.arrow(
          state,
          listener.arrow,
          `on ${signal}${listener.test ? ` when ${this.written(listener.test)}` : ""}`,
          [listener],
        );
    }
    for (const when of state.whens) {
      const { test } = when;
      const label =
        test.kind === "holds"
          ? this.written(test.test)
          : test.kind === "done"
            ? `done ${this.machine.states[test.final >= 0 ? test.final : test.of]?.name}`
            : test.kind === "allReady"
              ? "all ready"
              : "";
      this.arrow(state, when.arrow, label, [when]);
    }
  }

  private arrow(state: State, arrow: Arrow, label: string, way: Way): void {
    switch (arrow.kind) {
      case "to":
        this.edge(state, arrow.target, label, arrow.again, way);
        return;
      case "history":
        this.add(state, this.machine.states[arrow.state]?.name ?? "", `${label} (history)`.trim(), false, way);
        return;
      case "return": {
        const overlay = this.overlayAround(state);
        const known = this.returns.get(overlay) ?? new Set();
        this.returns.set(overlay, known.add(label || state.name));
        return;
      }
      case "choose": {
        for (const { test, arrow: to } of arrow.branches)
          this.arrow(
            state,
            to,
            joined(label, test ? this.condition(test) : ""),
            test ? [...way, came(test, true)] : way,
          );
        const last = arrow.branches.at(-1)?.test;
        if (arrow.otherwise)
          this.arrow(state, arrow.otherwise.arrow, joined(label, "else"), last ? [...way, came(last, false)] : way);
        return;
      }
      case "odds":
        for (const entry of arrow.entries)
          this.edge(state, entry.target, joined(label, shareOf(this.machine, arrow, entry)), false, way);
        return;
      default:
    }
  }

  /** A condition as written; one that was rolled before, with its probability. */
  private condition(test: Expr): string {
    const rolled = test.kind === "local" ? this.rolled.get(test.slot) : undefined;
    return rolled === undefined ? this.written(test) : `${this.written(test)} ${rolled}`;
  }

  private edge(state: State, target: Target, label: string, again: boolean, way: Way): void {
    const name =
      target.kind === "ending" ? this.machine.endings[target.ending]?.name : this.machine.states[target.state]?.name;
    if (name !== undefined) this.add(state, name, label, again, way);
  }

  private add(state: State, to: string, label: string, again: boolean, way: Way): void {
    const from = state.id === 0 ? ANYWHERE : state.name;
    const key = `${from} ${to} ${again}`;
    const edge = this.edges.get(key) ?? { from, to, labels: new Set<string>(), again, ways: [] };
    if (label !== "") edge.labels.add(label);
    edge.ways.push(way.map(({ from, to, way }) => ({ from, to, ...(way !== undefined && { way }) })));
    this.edges.set(key, edge);
  }

  private overlayAround(state: State): number {
    for (let id = state.id; id > 0; id = this.machine.states[id]?.parent ?? -1)
      if (this.machine.states[id]?.kind === "overlay") return id;
    return state.id;
  }

  private written(span: Span): string {
    return this.machine.sources.written(span);
  }
}

/** A condition that came to something on the way. */
function came({ from, to }: Expr, way: boolean): Way[number] {
  return { from, to, way };
}

function joined(label: string, condition: string): string {
  return label === "" ? condition : condition === "" ? label : `${label}: ${condition}`;
}

/**
 * The diagram with some states folded: their inner states are not shown, and arrows from and to those begin
 * and end at the folded state. Arrows between states inside one folded state are left out.
 */
export function foldDiagram(diagram: Diagram, folded: ReadonlySet<string>): Diagram {
  const byId = new Map(diagram.nodes.map((n) => [n.id, n]));
  const shownAs = (id: string): string => {
    let shown = id;
    for (let node = byId.get(id); node; node = node.parent === undefined ? undefined : byId.get(node.parent))
      if (folded.has(node.id)) shown = node.id;
    return shown;
  };
  const nodes = diagram.nodes
    .filter((n) => shownAs(n.id) === n.id)
    .map((n): DiagramNode => {
      const inside = diagram.nodes.filter((m) => m.id !== n.id && shownAs(m.id) === n.id).length;
      if (inside === 0) return n;
      const { start: _start, ...rest } = n;
      return { ...rest, folded: inside };
    });
  const edges = new Map<string, Drawn & { readonly id: string }>();
  for (const edge of diagram.edges) {
    const from = shownAs(edge.from);
    const to = shownAs(edge.to);
    if (from === to && (from !== edge.from || to !== edge.to) && !edge.again) continue;
    const key = `${from} ${to} ${edge.again}`;
    const known = edges.get(key) ?? { id: edge.id, from, to, labels: new Set<string>(), again: edge.again, ways: [] };
    for (const label of edge.labels) known.labels.add(label);
    known.ways.push(...edge.ways);
    edges.set(key, known);
  }
  return { ...diagram, nodes, edges: [...edges.values()].map((e) => ({ ...e, labels: [...e.labels] })) };
}

/**
 * One state or ending with what is around it: the states it lies in and those inside it, what its arrows lead to and
 * come from, and the arrows between. The whole diagram when it is not there.
 */
export function focusDiagram(diagram: Diagram, id: string): Diagram {
  const byId = new Map(diagram.nodes.map((n) => [n.id, n]));
  if (!byId.has(id)) return diagram;
  const above = (of: string): string[] => {
    const parent = byId.get(of)?.parent;
    return parent === undefined ? [of] : [of, ...above(parent)];
  };
  const inside = new Set(diagram.nodes.filter((n) => above(n.id).includes(id)).map((n) => n.id));
  const edges = diagram.edges.filter((e) => inside.has(e.from) || inside.has(e.to));
  const shown = new Set([...inside, ...edges.flatMap((e) => [e.from, e.to])].flatMap(above));
  const nodes = diagram.nodes
    .filter((n) => shown.has(n.id))
    .map(({ start, ...n }): DiagramNode => (start !== undefined && shown.has(start) ? { ...n, start } : n));
  const { start, ...rest } = diagram;
  return { ...rest, ...(start !== undefined && shown.has(start) && { start }), nodes, edges };
}
