/** Draws a machine's diagram. The layout is worked out in a worker, so that typing never waits for it. */

import {
  type Diagram as Graph,
  foldDiagram,
  type LayoutNode,
  layoutGraph,
  type Palette,
  type Shape,
  shapesOf,
} from "@zany/core";
import type { ElkNode } from "elkjs/lib/elk-api.js";
import ELK from "elkjs/lib/elk-api.js";
import workerUrl from "elkjs/lib/elk-worker.min.js?url";
import { createElement, type ReactNode, useEffect, useMemo, useState } from "react";

let elk: InstanceType<typeof ELK> | undefined;

/** The page's own colours, light or dark. */
const COLOURS: Palette = {
  ink: "var(--ink)",
  soft: "var(--soft)",
  line: "var(--line)",
  panel: "var(--panel)",
  cloth: "var(--cloth)",
  sunken: "var(--sunken)",
  sea: "var(--sea)",
  seaWash: "var(--sea-wash)",
  sail: "var(--sail)",
  sailWash: "var(--sail-wash)",
  good: "var(--good)",
  bad: "var(--bad)",
};

/** A diagram is made no smaller than this, one of many places less small; then it is moved about. */
const leastScale = (places: number): number => (places > 24 ? 0.7 : 0.42);

interface DiagramProps {
  readonly graph: Graph;
  /** Names of the active states; an ending when the match is over. */
  readonly active?: readonly string[];
}

/** A diagram; a click on a state with inner states folds it, another unfolds it. */
export function Diagram({ graph, active = [] }: DiagramProps): ReactNode {
  const [folded, setFolded] = useState<ReadonlySet<string>>(new Set());
  const shape = useMemo(() => JSON.stringify(foldDiagram(graph, folded)), [graph, folded]);
  const [drawn, setDrawn] = useState<{ readonly graph: Graph; readonly laid: LayoutNode }>();
  useEffect(() => {
    let wanted = true;
    const shown = JSON.parse(shape) as Graph;
    elk ??= new ELK({ workerUrl });
    elk
      .layout(layoutGraph(shown) as ElkNode)
      .then((laid) => {
        if (wanted) setDrawn({ graph: shown, laid: laid as LayoutNode });
      })
      .catch(() => {
        if (wanted) setDrawn(undefined);
      });
    return () => {
      wanted = false;
    };
  }, [shape]);
  if (!drawn) return <p className="p-4 text-soft">Drawing ...</p>;
  const width = Math.ceil(drawn.laid.width ?? 0);
  const height = Math.ceil(drawn.laid.height ?? 0);
  const least = leastScale(drawn.graph.nodes.length);
  const toggle = (id: string): void =>
    setFolded((before) => {
      const now = new Set(before);
      if (!now.delete(id)) now.add(id);
      return now;
    });
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: without it, the keyboard could not scroll a large diagram
    <section aria-label="Diagram" tabIndex={0} className="h-full w-full overflow-auto">
      <svg
        role="img"
        aria-label={`Diagram of ${graph.machine}${active.length > 0 ? `; the match is in ${active.join(", ")}` : ""}`}
        viewBox={`0 0 ${width} ${height}`}
        className="h-full w-full"
        style={{ minWidth: width * least, minHeight: height * least }}
        preserveAspectRatio="xMidYMid meet"
      >
        <g fontFamily="var(--font-sans)" fontSize="12">
          {shapesOf(drawn.graph, drawn.laid, COLOURS, new Set(active)).map((s, i) => element(s, i, toggle))}
        </g>
      </svg>
    </section>
  );
}

/** A shape as the element it names. */
function element(
  { element: name, attributes, text, children, fold }: Shape,
  key: number,
  toggle: (id: string) => void,
): ReactNode {
  const named = Object.fromEntries(
    Object.entries(attributes).map(([attribute, value]) => [
      attribute.replace(/-([a-z])/g, (_, c: string) => c.toUpperCase()),
      value,
    ]),
  );
  const click = fold === undefined ? {} : { onClick: () => toggle(fold), style: { cursor: "pointer" } };
  return createElement(
    name,
    { key, ...named, ...click },
    text,
    ...(children ?? []).map((child, i) => element(child, i, toggle)),
  );
}
