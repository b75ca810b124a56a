/** Draws a machine's diagram. The layout is worked out in a worker, so that typing never waits for it. */

import type { Diagram as Graph, DiagramEdge, DiagramNode } from "@zany/core";
import type { ElkExtendedEdge, ElkNode } from "elkjs/lib/elk-api.js";
import ELK from "elkjs/lib/elk-api.js";
import workerUrl from "elkjs/lib/elk-worker.min.js?url";
import { type ReactNode, useEffect, useMemo, useState } from "react";

const CHARACTER = 6.7;
const LINE = 15;
const LONGEST_LABEL = 38;
const LABEL_WIDTH = 22;

let elk: InstanceType<typeof ELK> | undefined;

interface DiagramProps {
  readonly graph: Graph;
  /** Names of the active states; an ending when the match is over. */
  readonly active?: readonly string[];
  /** States of which the match has just come through. */
  readonly className?: string;
}

export function Diagram({ graph, active = [], className = "" }: DiagramProps): ReactNode {
  const shape = useMemo(() => JSON.stringify(graph), [graph]);
  const [laid, setLaid] = useState<ElkNode>();
  useEffect(() => {
    let wanted = true;
    elk ??= new ELK({ workerUrl });
    elk
      .layout(elkGraph(JSON.parse(shape) as Graph))
      .then((result) => {
        if (wanted) setLaid(result);
      })
      .catch(() => {
        if (wanted) setLaid(undefined);
      });
    return () => {
      wanted = false;
    };
  }, [shape]);
  if (!laid) return <p className="p-4 text-soft">Drawing ...</p>;
  const width = Math.ceil(laid.width ?? 0);
  const height = Math.ceil(laid.height ?? 0);
  const nodes = new Map(graph.nodes.map((n) => [n.id, n]));
  const places = new Map<string, { x: number; y: number }>();
  collectPlaces(laid, 0, 0, places);
  return (
    <svg role="img" aria-label={`Diagram of ${graph.machine}${active.length > 0 ? `; the match is in ${active.join(", ")}` : ""}`} viewBox={`0 0 ${width} ${height}`} className={`h-full w-full ${className}`} preserveAspectRatio="xMidYMid meet">
      <defs>
        <marker id="tip" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="7" markerHeight="7" orient="auto">
          <path d="M0 0.5L8 4L0 7.5z" fill="var(--soft)" />
        </marker>
      </defs>
      <g fontFamily="var(--font-sans)" fontSize="12">
        <Boxes node={laid} x={0} y={0} nodes={nodes} active={new Set(active)} />
        <Arrows node={laid} places={places} graph={graph} />
      </g>
    </svg>
  );
}

function collectPlaces(node: ElkNode, x: number, y: number, places: Map<string, { x: number; y: number }>): void {
  places.set(node.id, { x, y });
  for (const child of node.children ?? []) collectPlaces(child, x + (child.x ?? 0), y + (child.y ?? 0), places);
}

function Boxes({ node, x, y, nodes, active }: { node: ElkNode; x: number; y: number; nodes: ReadonlyMap<string, DiagramNode>; active: ReadonlySet<string> }): ReactNode {
  return (node.children ?? []).map((child) => {
    const at = { x: x + (child.x ?? 0), y: y + (child.y ?? 0), width: child.width ?? 0, height: child.height ?? 0 };
    const data = nodes.get(child.id);
    return (
      <g key={child.id}>
        {data ? <Box data={data} {...at} active={active.has(child.id)} outer={(child.children ?? []).length > 0} /> : <circle cx={at.x + at.width / 2} cy={at.y + at.height / 2} r={5} fill="var(--sea)" />}
        <Boxes node={child} x={at.x} y={at.y} nodes={nodes} active={active} />
      </g>
    );
  });
}

function Box({ data, x, y, width, height, active, outer }: { data: DiagramNode; x: number; y: number; width: number; height: number; active: boolean; outer: boolean }): ReactNode {
  const ending = data.kind === "ending" || data.kind === "final";
  const fill = active ? (outer ? "var(--sea-wash)" : "var(--sail-wash)") : ending ? "var(--sunken)" : outer ? "var(--cloth)" : "var(--panel)";
  const stroke = active ? "var(--sail)" : data.kind === "overlay" ? "var(--sea)" : "var(--line)";
  const radius = ending ? height / 2 : data.kind === "anywhere" ? 2 : 8;
  const lines = linesOf(data);
  return (
    <g>
      <rect x={x} y={y} width={width} height={height} rx={radius} fill={fill} stroke={stroke} strokeWidth={active ? 2.5 : 1.5} strokeDasharray={data.kind === "overlay" || data.draft || data.kind === "anywhere" ? "5 4" : undefined} />
      {ending ? <rect x={x + 3} y={y + 3} width={width - 6} height={height - 6} rx={Math.max(0, height / 2 - 3)} fill="none" stroke={stroke} /> : null}
      {lines.map((line, i) => (
        <text key={line} x={x + width / 2} y={outer ? y + 17 + i * LINE : y + height / 2 + 4 + (i - (lines.length - 1) / 2) * LINE} textAnchor="middle" fill={i === 0 ? "var(--ink)" : "var(--soft)"} fontWeight={i === 0 ? 600 : 400} fontSize={i === 0 ? 12.5 : 11}>
          {line}
        </text>
      ))}
      {data.doc === undefined ? null : <title>{data.doc}</title>}
    </g>
  );
}

function Arrows({ node, places, graph }: { node: ElkNode; places: ReadonlyMap<string, { x: number; y: number }>; graph: Graph }): ReactNode {
  const whole = new Map(graph.edges.map((e) => [e.id, e]));
  return (node.edges ?? []).map((edge) => {
    // Edges lie in the coordinates of the node that holds both their ends.
    const container = (edge as ElkExtendedEdge & { container?: string }).container ?? node.id;
    const { x, y } = places.get(container) ?? { x: 0, y: 0 };
    const data = whole.get(edge.id);
    return (
      <g key={edge.id}>
        {(edge.sections ?? []).map((section) => (
          <path key={section.id} d={pathOf([section.startPoint, ...(section.bendPoints ?? []), section.endPoint], x, y)} fill="none" stroke="var(--soft)" strokeWidth="1.4" strokeDasharray={data?.again ? "6 3" : undefined} markerEnd="url(#tip)" />
        ))}
        {(edge.labels ?? []).map((label, i) => (
          <g key={label.text ?? i}>
            <rect x={x + (label.x ?? 0) - 2} y={y + (label.y ?? 0)} width={(label.width ?? 0) + 4} height={label.height ?? 0} fill="var(--panel)" opacity="0.85" rx="3" />
            {(label.text ?? "").split("\n").map((line, row) => (
              <text key={line} x={x + (label.x ?? 0)} y={y + (label.y ?? 0) + 11 + row * LINE} fill="var(--soft)" fontSize="11">
                {line}
              </text>
            ))}
            <title>{data?.labels.join("\n")}</title>
          </g>
        ))}
      </g>
    );
  });
}

/** A path with rounded corners through the points. */
function pathOf(points: readonly { x: number; y: number }[], dx: number, dy: number): string {
  const at = points.map((p) => ({ x: p.x + dx, y: p.y + dy }));
  let d = "";
  for (const [i, p] of at.entries()) {
    const before = at[i - 1];
    const after = at[i + 1];
    if (!before) d += `M${p.x} ${p.y}`;
    else if (!after) d += `L${p.x} ${p.y}`;
    else {
      const a = towards(p, before, 6);
      const b = towards(p, after, 6);
      d += `L${a.x} ${a.y}Q${p.x} ${p.y} ${b.x} ${b.y}`;
    }
  }
  return d;
}

function towards(from: { x: number; y: number }, to: { x: number; y: number }, distance: number): { x: number; y: number } {
  const length = Math.hypot(to.x - from.x, to.y - from.y) || 1;
  const part = Math.min(distance, length / 2) / length;
  return { x: from.x + (to.x - from.x) * part, y: from.y + (to.y - from.y) * part };
}

function linesOf(node: DiagramNode): string[] {
  const lines = [node.name];
  if (node.turn !== undefined) lines.push(short(`turn of ${node.turn}`));
  if (node.returns.length > 0) lines.push(short(`returns: ${node.returns.join(", ")}`));
  if (node.parallel) lines.push("side by side");
  if (node.draft) lines.push("not written yet");
  return lines;
}

function short(text: string): string {
  return text.length > LONGEST_LABEL ? `${text.slice(0, LONGEST_LABEL - 1)}\u2026` : text;
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
  return [...lines, ...rest.flatMap(wrapped)].slice(0, 6).join("\n");
}

/** A condition broken at its spaces, so that a label grows down and not sideways. */
function wrapped(text: string): string[] {
  const lines: string[] = [];
  for (const word of text.split(" ")) {
    const last = lines.at(-1);
    if (last !== undefined && `${last} ${word}`.length <= LABEL_WIDTH) lines[lines.length - 1] = `${last} ${word}`;
    else lines.push(word);
  }
  return lines.length > 3 ? [...lines.slice(0, 2), `${lines[2]} \u2026`] : lines;
}

/** The graph as the layout wants it. */
function elkGraph(graph: Graph): ElkNode {
  const build = (parent: string | undefined): ElkNode[] => {
    const inner: ElkNode[] = graph.nodes
      .filter((n) => n.parent === parent)
      .map((n) => {
        const lines = linesOf(n);
        const children = build(n.id);
        const width = Math.max(70, ...lines.map((l) => l.length * CHARACTER + (n.kind === "ending" ? 36 : 24)));
        const height = 20 + lines.length * LINE;
        return {
          id: n.id,
          width,
          height,
          children,
          layoutOptions: { "elk.padding": `[top=${18 + lines.length * LINE},left=14,bottom=14,right=14]`, "elk.nodeSize.constraints": children.length > 0 ? "MINIMUM_SIZE" : "", "elk.nodeSize.minimum": `(${width}, ${height})` },
        };
      });
    const start = parent === undefined ? graph.start : graph.nodes.find((n) => n.id === parent)?.start;
    return start === undefined ? inner : [{ id: `start of ${parent ?? ""}`, width: 10, height: 10 }, ...inner];
  };
  const order = graph.nodes.map((n) => n.id);
  const starts: ElkExtendedEdge[] = [];
  if (graph.start !== undefined) starts.push({ id: "start", sources: ["start of "], targets: [graph.start] });
  for (const n of graph.nodes) if (n.start !== undefined) starts.push({ id: `start ${n.id}`, sources: [`start of ${n.id}`], targets: [n.start] });
  return {
    id: "root",
    layoutOptions: {
      "elk.algorithm": "layered",
      "elk.direction": "DOWN",
      "elk.hierarchyHandling": "INCLUDE_CHILDREN",
      "elk.layered.spacing.nodeNodeBetweenLayers": "34",
      "elk.spacing.nodeNode": "26",
      "elk.spacing.edgeNode": "16",
      "elk.spacing.edgeLabel": "6",
      "elk.edgeLabels.inline": "false",
      "elk.layered.considerModelOrder.strategy": "NODES_AND_EDGES",
      "elk.padding": "[top=8,left=8,bottom=8,right=8]",
      "json.edgeCoords": "CONTAINER",
    },
    children: build(undefined),
    // Arrows forward in the text point down; it is those back that go up.
    edges: [
      ...starts,
      ...graph.edges.map((e): ElkExtendedEdge => {
        const text = labelOf(e);
        const lines = text.split("\n");
        const forward = order.indexOf(e.from) < order.indexOf(e.to);
        return { id: e.id, sources: [e.from], targets: [e.to], layoutOptions: { "elk.layered.priority.direction": forward ? "10" : "0" }, labels: text === "" ? [] : [{ text, width: Math.max(...lines.map((l) => l.length)) * (CHARACTER - 0.9), height: lines.length * LINE }] };
      }),
    ],
  };
}
