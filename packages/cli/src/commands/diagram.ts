/** `zany diagram`: the machine drawn, as SVG or as text in the DOT language. */

import { diagramOf, dotOf, foldDiagram, layoutGraph, type LayoutNode, svgOf } from "@zany/core";
import type ELK from "elkjs/lib/elk-api.js";
import { bundle } from "../bundle.js";
import { compileFile, UsedWrongly, writeText } from "../files.js";
import { say, sayText } from "../terminal.js";
import { understood } from "./understood.js";

interface DiagramOptions {
  readonly dot?: boolean;
  readonly out?: string;
  readonly fold: readonly string[];
}

export async function diagram(file: string, options: DiagramOptions): Promise<number> {
  const compilation = compileFile(file, { errorsOnly: true });
  if (!understood(compilation, file)) return 1;
  const whole = diagramOf(compilation.machine);
  for (const name of options.fold)
    if (!whole.nodes.some((n) => n.parent === name)) throw new UsedWrongly(`"${name}" has no inner states to fold.`);
  const graph = foldDiagram(whole, new Set(options.fold));
  const text = options.dot ? dotOf(graph) : svgOf(graph, await laidOut(layoutGraph(graph)));
  if (options.out === undefined) sayText(text);
  else {
    writeText(options.out, text);
    say(`${options.out}: ${graph.nodes.length} places, ${graph.edges.length} arrows`);
  }
  return 0;
}

/** The layout is large and needed here alone, so it is a bundle of its own. */
async function laidOut(graph: LayoutNode): Promise<LayoutNode> {
  const { default: Layout } = bundle<{ default: typeof ELK }>("layout.cjs", "diagram");
  return (await new Layout().layout(graph as Parameters<InstanceType<typeof ELK>["layout"]>[0])) as LayoutNode;
}
