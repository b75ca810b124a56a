/**
 * A diagram as it is given to a layout, and what of the layout that comes back is needed to draw it: where things
 * stand, and where the labels of arrows find room.
 */

import type { Diagram, DiagramEdge, DiagramNode } from "./diagram.js";
import { type Box, type LaidArrow, type Point, placeLabels } from "./labels.js";

/** A node of the layout, in the JSON form of the Eclipse Layout Kernel's graphs; places are filled in by the layout. */
export interface LayoutNode {
  readonly id: string;
  x?: number;
  y?: number;
  width?: number;
  height?: number;
  readonly children?: LayoutNode[];
  readonly edges?: LayoutEdge[];
  readonly layoutOptions?: Record<string, string>;
}

interface LayoutEdge {
  readonly id: string;
  readonly sources: string[];
  readonly targets: string[];
  readonly container?: string;
  readonly labels?: { readonly text?: string; x?: number; y?: number; width?: number; height?: number }[];
  readonly sections?: {
    readonly id?: string;
    readonly startPoint: Point;
    readonly endPoint: Point;
    readonly bendPoints?: Point[];
  }[];
  readonly layoutOptions?: Record<string, string>;
}

/** What a character takes at most, on average, in pixels: in boxes, whose names are bold, and in labels. */
const CHARACTER = 7.1;
const LABEL_CHARACTER = 6.6;
/** The height of a line, in pixels. */
export const LINE = 15;
const LONGEST_LINE = 38;
const LABEL_WIDTH = 22;
const MOST_LABEL_LINES = 6;
/** Nodes up to which a diagram is laid out as one. */
const LARGE = 24;

/**
 * The graph as the layout wants it. Up to a certain size all states are laid out together and arrows run right
 * up to the innermost state; beyond it each state's inside is laid out by itself and arrows end at the border of the
 * state that holds what they lead to, so that the whole keeps a shape that fits a page.
 *
 * @param direction where arrows lead, for the most part
 */
export function layoutGraph(diagram: Diagram, direction: "DOWN" | "RIGHT" = "DOWN"): LayoutNode {
  return new LayoutBuilder(diagram, direction).graph();
}

/** Builds what the layout takes out of a diagram. */
class LayoutBuilder {
  /** Whether each state's inside is laid out by itself. */
  private readonly large: boolean;
  private readonly parents: ReadonlyMap<string, string | undefined>;
  private readonly order: readonly string[];

  constructor(
    private readonly diagram: Diagram,
    private readonly direction: "DOWN" | "RIGHT",
  ) {
    this.large = diagram.nodes.length > LARGE;
    this.parents = new Map(diagram.nodes.map((n) => [n.id, n.parent]));
    this.order = diagram.nodes.map((n) => n.id);
  }

  graph(): LayoutNode {
    const { diagram, large } = this;
    return {
      id: "root",
      layoutOptions: {
        ...SPACING,
        "elk.direction": this.direction,
        "elk.hierarchyHandling": large ? "SEPARATE_CHILDREN" : "INCLUDE_CHILDREN",
        "elk.padding": "[top=8,left=8,bottom=8,right=8]",
        "json.edgeCoords": "CONTAINER",
      },
      children: this.inside(undefined),
      edges: large ? this.edgesIn(undefined) : [...this.starts(), ...diagram.edges.map((e) => this.edge(e))],
    };
  }

  /** The states directly inside one, with the dot from which an arrow leads to where it starts. */
  private inside(parent: string | undefined): LayoutNode[] {
    const inner = this.diagram.nodes.filter((n) => n.parent === parent).map((n) => this.node(n));
    return this.startIn(parent) === undefined
      ? inner
      : [{ id: `start of ${parent ?? ""}`, width: 10, height: 10 }, ...inner];
  }

  private node(n: Diagram["nodes"][number]): LayoutNode {
    const lines = linesOf(n);
    const children = this.inside(n.id);
    const width = Math.max(70, ...lines.map((l) => l.length * CHARACTER + (n.kind === "ending" ? 36 : 24)));
    const height = 20 + lines.length * LINE;
    return {
      id: n.id,
      width,
      height,
      children,
      ...(this.large && children.length > 0 && { edges: this.edgesIn(n.id) }),
      layoutOptions: {
        "elk.padding": `[top=${18 + lines.length * LINE},left=14,bottom=14,right=14]`,
        "elk.nodeSize.constraints": children.length > 0 ? "MINIMUM_SIZE" : "",
        "elk.nodeSize.minimum": `(${width}, ${height})`,
        // Beside each other inside, below each other outside: so it grows both ways.
        ...(this.large && { ...SPACING, "elk.direction": this.direction === "DOWN" ? "RIGHT" : "DOWN" }),
      },
    };
  }

  private edge(e: DiagramEdge, from = e.from, to = e.to): LayoutEdge {
    const text = labelOf(
      from === e.from || e.labels.length === 0 ? e : { ...e, labels: [`${e.from}: ${e.labels.join(", ")}`] },
    );
    const lines = text.split("\n");
    const width = Math.max(...lines.map((l) => l.length)) * LABEL_CHARACTER;
    // Arrows forward in the text point down; it is those back that go up.
    const forward = this.order.indexOf(from) < this.order.indexOf(to);
    return {
      id: e.id,
      sources: [from],
      targets: [to],
      layoutOptions: { "elk.layered.priority.direction": forward ? "10" : "0" },
      labels: text === "" ? [] : [{ text, width, height: lines.length * LINE }],
    };
  }

  private startIn(parent: string | undefined): string | undefined {
    return parent === undefined ? this.diagram.start : this.diagram.nodes.find((n) => n.id === parent)?.start;
  }

  private start(parent: string | undefined, target: string): LayoutEdge {
    return { id: `start ${parent ?? ""}`, sources: [`start of ${parent ?? ""}`], targets: [target] };
  }

  /** The arrows to where the machine and its states start. */
  private starts(): LayoutEdge[] {
    const { start, nodes } = this.diagram;
    return [
      ...(start !== undefined && this.order.includes(start) ? [this.start(undefined, start)] : []),
      ...nodes.flatMap((n) => (n.start === undefined ? [] : [this.start(n.id, n.start)])),
    ];
  }

  /** The arrows whose ends meet just inside a state, each end taken as the state there that holds it. */
  private edgesIn(parent: string | undefined): LayoutEdge[] {
    const start = this.startIn(parent);
    const own = this.diagram.edges.flatMap((e) => {
      const from = this.childOf(parent, e.from);
      const to = this.childOf(parent, e.to);
      // From a state to one inside it, or back, the arrow is told by its start or its name.
      return from === undefined || to === undefined || (from === to && (e.from !== from || e.to !== to))
        ? []
        : [this.edge(e, from, to)];
    });
    return [...(start === undefined ? [] : [this.start(parent, start)]), ...own];
  }

  /** The state directly inside `parent` that holds another. */
  private childOf(parent: string | undefined, id: string): string | undefined {
    for (let at: string | undefined = id; at !== undefined; at = this.parents.get(at))
      if (this.parents.get(at) === parent) return at;
    return undefined;
  }
}

const SPACING: Readonly<Record<string, string>> = {
  "elk.algorithm": "layered",
  "elk.layered.spacing.nodeNodeBetweenLayers": "34",
  "elk.spacing.nodeNode": "26",
  "elk.spacing.edgeNode": "16",
  "elk.spacing.edgeLabel": "6",
  "elk.edgeLabels.inline": "false",
  "elk.layered.considerModelOrder.strategy": "NODES_AND_EDGES",
};

/** What stands in a node: its name, then what is to be known of it. */
export function linesOf(node: DiagramNode): string[] {
  const lines = [node.folded === undefined ? node.name : `${node.name} (+${node.folded})`];
  if (node.turn !== undefined) lines.push(short(`turn of ${node.turn}`));
  if (node.returns.length > 0) lines.push(short(`returns: ${node.returns.join(", ")}`));
  if (node.parallel) lines.push("side by side");
  if (node.stub) lines.push("not written yet");
  if (node.results !== undefined) lines.push(short(node.results));
  return lines;
}

function short(text: string): string {
  return text.length > LONGEST_LINE ? `${text.slice(0, LONGEST_LINE - 1)}\u2026` : text;
}

function labelOf(edge: DiagramEdge): string {
  const words = edge.labels.filter((l) => /^[A-Za-z]\w*$/.test(l));
  const rest = edge.labels.filter((l) => !words.includes(l));
  const lines: string[] = [];
  for (const word of words) {
    const last = lines.at(-1);
    if (last !== undefined && `${last}, ${word}`.length <= LABEL_WIDTH) lines[lines.length - 1] = `${last}, ${word}`;
    else lines.push(word);
  }
  return [...lines, ...rest.flatMap(wrapped)].slice(0, MOST_LABEL_LINES).join("\n");
}

/** A condition broken at its spaces, so that a label grows down and not sideways. */
function wrapped(text: string): string[] {
  const lines: string[] = [];
  for (const word of text.split(/\s+/)) {
    const last = lines.at(-1);
    if (last !== undefined && `${last} ${word}`.length <= LABEL_WIDTH) lines[lines.length - 1] = `${last} ${word}`;
    else lines.push(word);
  }
  return lines.length > 3 ? [...lines.slice(0, 2), `${lines[2]} \u2026`] : lines;
}

// ---- what came back ----------------------------------------------------------------------------

/** Where the labels of a layout stand, worked out once. */
const placedLabels = new WeakMap<LayoutNode, ReadonlyMap<string, Box>>();

/** For each arrow with a label, where that stands, in the coordinates of the whole. */
export function labelsOf(diagram: Diagram, laid: LayoutNode): ReadonlyMap<string, Box> {
  const known = placedLabels.get(laid);
  if (known) return known;
  const { boxes, borders, arrows } = geometryOf(diagram, laid);
  const placed = placeLabels(boxes, borders, arrows);
  placedLabels.set(laid, placed);
  return placed;
}

/** What of a layout its labels have to do with, in the coordinates of the whole. */
export function geometryOf(
  diagram: Diagram,
  laid: LayoutNode,
): { readonly boxes: readonly Box[]; readonly borders: readonly Box[]; readonly arrows: readonly LaidArrow[] } {
  const places = placesOf(laid);
  const nodes = new Map(diagram.nodes.map((n) => [n.id, n]));
  const boxes: Box[] = [];
  const borders: Box[] = [];
  const arrows: LaidArrow[] = [];
  const visit = (node: LayoutNode): void => {
    for (const child of node.children ?? []) {
      const { x, y } = places.get(child.id) as Point;
      const box = { x, y, width: child.width ?? 0, height: child.height ?? 0 };
      const data = nodes.get(child.id);
      if ((child.children ?? []).length === 0) boxes.push(box);
      else {
        borders.push(box);
        if (data) boxes.push({ ...box, height: 8 + linesOf(data).length * LINE });
      }
      visit(child);
    }
    for (const edge of node.edges ?? []) arrows.push(arrowOf(edge, places.get(edge.container ?? laid.id)));
  };
  visit(laid);
  return { boxes, borders, arrows };
}

/** Where each node begins, in the coordinates of the whole. */
export function placesOf(laid: LayoutNode): ReadonlyMap<string, Point> {
  const places = new Map<string, Point>();
  const collect = (node: LayoutNode, x: number, y: number): void => {
    places.set(node.id, { x, y });
    for (const child of node.children ?? []) collect(child, x + (child.x ?? 0), y + (child.y ?? 0));
  };
  collect(laid, 0, 0);
  return places;
}

function arrowOf({ id, sections = [], labels }: LayoutEdge, base: Point = { x: 0, y: 0 }): LaidArrow {
  const points = sections.flatMap(({ startPoint, bendPoints = [], endPoint }) => [startPoint, ...bendPoints, endPoint]);
  const label = labels?.[0];
  return {
    id,
    points: points.map((p) => ({ x: p.x + base.x, y: p.y + base.y })),
    label: label && {
      x: base.x + (label.x ?? 0),
      y: base.y + (label.y ?? 0),
      width: label.width ?? 0,
      height: label.height ?? 0,
    },
  };
}
