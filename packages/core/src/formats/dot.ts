/** A diagram in the DOT language, which many drawing tools read. */

import type { Diagram, DiagramNode } from "./diagram.js";

/** The diagram as text in the DOT language: states within states as clusters, endings as double ovals. */
export function dotOf(diagram: Diagram): string {
  const lines = [
    `digraph ${quoted(diagram.machine)} {`,
    "  compound=true",
    '  node [shape=box style=rounded fontname="sans-serif" fontsize=11]',
    '  edge [fontname="sans-serif" fontsize=9]',
  ];
  const inner = (parent: string | undefined): DiagramNode[] => diagram.nodes.filter((n) => n.parent === parent);
  const write = (node: DiagramNode, indent: string): void => {
    const children = inner(node.id);
    const label = [
      node.name,
      ...(node.turn === undefined ? [] : [`turn of ${node.turn}`]),
      ...(node.results === undefined ? [] : [node.results]),
      ...(node.stub ? ["not written yet"] : []),
    ].join("\n");
    const dashed = node.kind === "overlay" || node.stub || node.kind === "anywhere";
    if (children.length === 0) {
      const shape = node.kind === "ending" || node.kind === "final" ? " shape=oval peripheries=2" : "";
      lines.push(
        `${indent}${quoted(node.id)} [label=${quoted(label)}${shape}${dashed ? ' style="rounded,dashed"' : ""}]`,
      );
      return;
    }
    lines.push(
      `${indent}subgraph ${quoted(`cluster ${node.id}`)} {`,
      `${indent}  label=${quoted(node.parallel ? `${label}\nside by side` : label)}`,
      `${indent}  style="rounded${dashed ? ",dashed" : ""}"`,
    );
    if (node.start !== undefined) lines.push(`${indent}  ${quoted(`start of ${node.id}`)} [shape=point]`);
    for (const child of children) write(child, `${indent}  `);
    lines.push(`${indent}}`);
  };
  for (const node of inner(undefined)) write(node, "  ");
  // Arrows run between leaves; one from or to a state with inner states is cut off at its border.
  const leaf = (id: string): string => {
    const [first] = inner(id);
    const start = diagram.nodes.find((n) => n.id === id)?.start;
    return start !== undefined ? leaf(start) : first ? leaf(first.id) : id;
  };
  const border = (side: "ltail" | "lhead", id: string): string =>
    leaf(id) === id ? "" : ` ${side}=${quoted(`cluster ${id}`)}`;
  if (diagram.start !== undefined)
    lines.push(
      '  "start of" [shape=point]',
      `  "start of" -> ${quoted(leaf(diagram.start))}${border("lhead", diagram.start).replace(/^ (.*)/, " [$1]")}`,
    );
  for (const node of diagram.nodes)
    if (node.start !== undefined)
      lines.push(
        `  ${quoted(`start of ${node.id}`)} ` +
          `-> ${quoted(leaf(node.start))}${border("lhead", node.start).replace(/^ (.*)/, " [$1]")}`,
      );
  for (const edge of diagram.edges)
    lines.push(
      `  ${quoted(leaf(edge.from))} -> ${quoted(leaf(edge.to))} ` +
        `[label=${quoted(edge.labels.join("\n"))}${edge.again ? " style=dashed" : ""}${border("ltail", edge.from)}` +
        `${border("lhead", edge.to)}]`,
    );
  return `${[...lines, "}"].join("\n")}\n`;
}

function quoted(text: string): string {
  return `"${text.replaceAll("\\", "\\\\").replaceAll('"', '\\"').replaceAll("\n", "\\n")}"`;
}
